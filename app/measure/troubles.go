package measure

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"

	"visator/core/frame"
	"visator/core/geom"
	"visator/core/motion"
	"visator/core/stage"
	"visator/core/unit"
)

func (f *Framing) moveState(in unit.Ruler, k *stage.ShotSettings, cast *stage.Cast, t float64) *MoveState {
	m := k.Move
	st := &MoveState{Duration: m.Duration(), Frames: m.Frames(), Troubles: []MoveTrouble{}, Traces: []Trace{}}
	st.First, st.Last = k.Frames()
	sp := m.SpeedAt(k.View, t, cast.Where)
	st.Speed = MoveSpeed{Metres: sp.Metres, Degrees: sp.Degrees}
	now := frame.Worst(frame.Crossings([]frame.Pair{f.pair(k, cast, min(t, max(m.Duration()-1/m.Rate, 0)))}, crossW,
		crossH))
	if len(now) > 0 && now[0].Speed > 1e-4 {
		st.Speed.Crosses, st.Speed.What, st.Speed.Judders = 1/now[0].Speed, now[0].Name, f.judders(k, &now[0])
	}
	all := f.crossings(k, cast)
	st.Looked, st.Crossing = len(all), []CrossState{}
	for _, c := range frame.Worst(all) {
		if c.Speed > 1e-4 && len(st.Crossing) < toldCrossings {
			st.Crossing = append(st.Crossing, CrossState{c.ID, c.Name, c.At, 1 / c.Speed, f.judders(k, &c)})
		}
	}
	for i := range TraceSteps + 1 {
		at := m.Duration() * float64(i) / TraceSteps
		v := k.At(at, cast.Where)
		wide, _ := v.FieldOfView()
		st.Traces = append(st.Traces, Trace{at, v.Eye, v.Yaw, v.Focus, wide / 2})
	}
	for _, tr := range f.troublesOf(in, k, cast) {
		st.Troubles = append(st.Troubles, MoveTrouble{tr.at, tr.what})
	}
	return st
}

type trouble struct {
	at         float64
	kind, what string
	id         string
}

// pair is the frame at t and the next.
func (f *Framing) pair(k *stage.ShotSettings, cast *stage.Cast, t float64) frame.Pair {
	dt := 1 / k.Move.Rate
	return frame.Pair{A: f.At(k, cast, t), B: f.At(k, cast, t+dt), At: t, Dt: dt}
}

// judders says whether a viewer cannot follow a thing that goes by; of a camera that
// follows a thing the eye rests on that.
func (f *Framing) judders(k *stage.ShotSettings, c *frame.Crossing) bool {
	return k.Move.Follow == "" && c.Speed > motion.Followable(k.Move.Rate, k.View.Open())
}

// crossings are how fast things cross the picture over a move, measured once.
func (f *Framing) crossings(k *stage.ShotSettings, cast *stage.Cast) [][]frame.Crossing {
	raw, _ := json.Marshal(k)
	all, _ := crossed.Make(f.key+"\x01"+string(raw), func() ([][]frame.Crossing, error) {
		return f.cross(k, cast), nil
	})
	return all
}

// cross measures how fast things cross the picture.
func (f *Framing) cross(k *stage.ShotSettings, cast *stage.Cast) [][]frame.Crossing {
	m := k.Move
	quiet := *k
	still := *m
	still.Shake = nil // a hand's tremor is wanted
	quiet.Move = &still
	n := m.Frames() - 1
	look := map[int]bool{}
	for i := range min(crossMoments/2, n) {
		look[i*n/min(crossMoments/2, n)] = true
	}
	// Where the camera goes fastest, or the lens.
	speed := make([]float64, n)
	order := make([]int, n)
	for i := range n {
		a, b := quiet.At(float64(i)/m.Rate, cast.Where), quiet.At(float64(i+1)/m.Rate, cast.Where)
		speed[i] = b.Eye.Sub(a.Eye).Len()/max(a.Focus, 0.1) + motion.Angle(a, b) + math.Abs(math.Log(b.Focal/a.Focal))
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(speed[b], speed[a]) })
	for _, i := range order {
		if len(look) >= crossMoments {
			break
		}
		look[i] = true
	}
	var pairs []frame.Pair
	for _, i := range slices.Sorted(maps.Keys(look)) {
		pairs = append(pairs, f.pair(&quiet, cast, float64(i)/m.Rate))
	}
	return frame.Crossings(pairs, crossW, crossH)
}

// troublesOf is what is wrong with a move: too fast, a jerk, through a thing.
func (f *Framing) troublesOf(in unit.Ruler, k *stage.ShotSettings, cast *stage.Cast) (list []trouble) {
	m := k.Move
	if m == nil {
		return nil
	}
	s := f.Scene(k, cast)
	list = f.tooFast(k, cast)
	for _, t := range m.Troubles(k.View, cast.Where) {
		if t.Kind == "jerk" {
			list = append(list,
				trouble{t.At, "jerk", fmt.Sprintf("at %.2f s the speed jumps by %.0f %% of its highest "+
					"within one frame", t.At, 100*t.Jump), ""})
		}
	}
	n := m.Frames()
	last := k.At(0, cast.Where)
	through := map[string]bool{}
	step := max(1, n/MaxMoments)
	for i := step; i < n; i += step {
		t := float64(i) / m.Rate
		v := k.At(t, cast.Where)
		pose := cast.Pose(t)
		here := s.Posed(func(id string) (geom.M, bool) { m, ok := pose[id]; return m, ok })
		if j, ok := here.Through(&v, last.Eye, v.Eye); ok && !through[here.Things[j].ID] {
			through[here.Things[j].ID] = true
			list = append(list,
				trouble{t, "through", fmt.Sprintf("at %.2f s the camera goes through %s", t, here.Things[j].Name),
					here.Things[j].ID})
		}
		last = v
	}
	return list
}

// tooFast is where things cross the picture faster than a viewer can follow: each run
// of moments once, with the fastest thing.
func (f *Framing) tooFast(k *stage.ShotSettings, cast *stage.Cast) (list []trouble) {
	type run struct {
		from, to float64
		worst    frame.Crossing
	}
	var runs []run
	going := false
	for _, moment := range f.crossings(k, cast) {
		i := slices.IndexFunc(moment, func(c frame.Crossing) bool { return c.Share >= frame.Noticed })
		if i < 0 || !f.judders(k, &moment[i]) {
			going = false
			continue
		}
		c := moment[i]
		if !going {
			runs = append(runs, run{from: c.At, worst: c})
		}
		r := &runs[len(runs)-1]
		if r.to, going = c.At+1/k.Move.Rate, true; c.Speed > r.worst.Speed {
			r.worst = c
		}
	}
	for _, r := range runs {
		list = append(list,
			trouble{r.from, "fast", fmt.Sprintf("from %.2f s to %.2f s %s crosses the picture in %.2g s: "+
				"more than a viewer can follow at %.4g frames a second (%.2g s)",
				r.from, r.to, r.worst.Name, 1/r.worst.Speed, k.Move.Rate, 1/motion.Followable(k.Move.Rate,
					k.View.Open())),
				r.worst.ID})
	}
	return list
}
