package measure

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"visator/app/act"
	"visator/app/cache"
	"visator/core/contact"
	"visator/core/frame"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/optics"
	"visator/core/plain"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
)

// Framing is what stands in a set, as its cameras see it now.
type Framing struct {
	w *Snapshot
	*standing
}

// standing is what stands in a set, whatever is filmed of it.
type standing struct {
	Things []frame.Thing
	layer  []string
	Kind   map[string]string // by ID
	key    string            // another for everything else that stands somewhere
}

// What is kept of sets that are looked at, about 300 bytes a thing: what stands in them; the trees
// over that, by what a shot does without and what rides; and how fast things cross the picture, by
// all of a shot.
var (
	standings = cache.Of("standing", func(s *standing) int { return 300 * len(s.Things) })
	scenes    = cache.Of("scene", func(s *frame.Scene) int { return 300 * len(s.Things) })
	crossed   = cache.Of("crossing", func(list [][]frame.Crossing) (n int) {
		for _, l := range list {
			n += 100 * len(l)
		}
		return n
	})
)

// stand makes everything ready to be looked at. The set must be laid out.
func (w *Snapshot) stand(ctx context.Context, key string) (*standing, error) {
	f := &standing{Kind: map[string]string{}, key: key}
	if err := w.makeBodies(ctx); err != nil {
		return nil, err
	}
	put := func(t frame.Thing, layer, kind string) {
		f.Things, f.layer = append(f.Things, t), append(f.layer, layer)
		f.Kind[t.ID] = kind
	}
	for i := range w.Things { // also what a shot does without: that is its own business
		t := &w.Things[i]
		if t.Placement != nil {
			b, err := w.Stood(ctx, t.Placement)
			if err != nil {
				return nil, err
			}
			put(frame.Thing{ID: t.ID, Name: t.Name, Body: b, Land: t.Plain, Figure: t.Figure}, t.Layer, t.Kind)
			continue
		}
		if t.Laid.Body != nil {
			put(frame.Thing{ID: t.ID, Name: t.Name, Body: contact.Stand(t.Laid.Body, geom.Identity), Land: t.Plain},
				t.Layer, t.Kind)
		}
		if len(t.Laid.Instances) > 0 {
			h, err := t.Laid.Herd(ctx, w)
			if err != nil {
				return nil, err
			}
			put(frame.Thing{ID: t.ID, Name: t.Name, Body: h.Stand(geom.Identity)}, t.Layer, t.Kind)
		}
	}
	return f, nil
}

// Scene is what a shot shows: without its layers, with what rides set apart.
func (f *Framing) Scene(k *stage.ShotSettings, cast *stage.Cast) *frame.Scene {
	rides := ""
	if k.Move != nil && len(k.Move.Rides) > 0 {
		raw, _ := json.Marshal(k.Move.Rides)
		rides = string(raw)
	}
	name := f.w.SetRow.ID + "\x01" + strings.Join(k.Hide, "\x00") + "\x01" + rides
	s, _ := scenes.MakeOf(name, f.key, func() (*frame.Scene, error) {
		return frame.NewScene(f.shown(k, cast, rides != "")), nil
	})
	return s
}

// shown are the things that a shot shows, and which of them ride.
func (f *Framing) shown(k *stage.ShotSettings, cast *stage.Cast, rides bool) []frame.Thing {
	list := f.Things
	if len(k.Hide) > 0 || rides {
		list = make([]frame.Thing, 0, len(f.Things))
		for i := range f.Things {
			if !k.Shows(f.layer[i]) {
				continue
			}
			t := f.Things[i]
			t.Rides = cast.Rides(t.ID)
			list = append(list, t)
		}
	}
	return list
}

// MaxMoments bounds the frames of a move that are looked at for its range: more
// are taken evenly from them.
const MaxMoments = 480

// Moments are the shot's frames, as they are looked at.
func (f *Framing) Moments(k *stage.ShotSettings, cast *stage.Cast, most int) (list []frame.Moment) {
	s := f.Scene(k, cast)
	if k.Move == nil {
		return []frame.Moment{{View: k.At(0, cast.Where), Scene: s}}
	}
	first, last := k.Frames()
	n := min(last-first+1, most)
	for i := range n {
		at := float64(first)
		if n > 1 {
			at += math.Round(float64(i) * float64(last-first) / float64(n-1))
		}
		t := at / k.Move.Rate
		pose := cast.Pose(t)
		list = append(list,
			frame.Moment{View: k.At(t, cast.Where),
				Scene: s.Posed(func(id string) (geom.M, bool) { m, ok := pose[id]; return m, ok })})
	}
	return list
}

// At is one moment.
func (f *Framing) At(k *stage.ShotSettings, cast *stage.Cast, t float64) frame.Moment {
	pose := cast.Pose(t)
	return frame.Moment{View: k.At(t, cast.Where),
		Scene: f.Scene(k, cast).Posed(func(id string) (geom.M, bool) { m, ok := pose[id]; return m, ok })}
}

// Grids of rays for figures of composition and for flicker.
const (
	GridW = 96
	GridH = 54
)

// Frame is what the working view sees at t seconds of its move.
func (a *Sets) Frame(ctx context.Context, setID string, t float64) (*FrameState, error) {
	w, f, err := a.FramingOf(ctx, setID)
	if err != nil {
		return nil, err
	}
	k := &w.SetRow.ShotSettings
	if k.Move != nil {
		t = min(max(t, 0), k.Move.Duration())
	} else {
		t = 0
	}
	cast := w.Cast(k.Move)
	now := f.At(k, cast, t)
	in := unit.RulerOf(w.Production.Unit)
	out := &FrameState{Revision: w.Production.Revision, Time: t, View: now.View, World: now.View.World(),
		Lens: LensOf(&now.View), Flickers: []FlickerState{}}
	spans := now.Scene.Spans(&now.View)
	picture := now.Scene.Draw(&now.View, GridW, GridH)
	out.Figures = now.Scene.FiguresOf(&now.View, picture, spans)
	out.Metered = a.Meter(ctx, &w.SetRow.Light, &now, picture)
	if h, on := now.Scene.Below(now.View.Eye); on >= 0 {
		out.Height, out.On = &h, now.Scene.Things[on].Name
	}
	all := f.Moments(k, cast, MaxMoments)
	r := frame.RangeOf(all)
	out.Fit = fitOf(in, k, &now, all, r, cast, f)
	out.Flickers = append(out.Flickers, flickersOf(f, k, cast)...)
	out.Fit.Advice = adviceOf(in, k, out.Flickers, r, f.Scene(k, cast), all)
	out.Bars = f.bars(k, now, spans, all)
	for _, b := range out.Bars {
		if b.Cut == "near" || b.Cut == "both" {
			out.Fit.CutNear++
		}
		if b.Cut == "far" || b.Cut == "both" {
			out.Fit.CutFar++
		}
	}
	if k.Move != nil {
		out.Move = f.moveState(in, k, cast, t)
	}
	return out, nil
}

// FramingOf is the framing of a set as it is now.
func (a *Sets) FramingOf(ctx context.Context, setID string) (*Snapshot, *Framing, error) {
	w, err := a.LaidOut(ctx, setID)
	if err != nil {
		return nil, nil, err
	}
	f, err := a.FramingFor(ctx, w)
	return w, f, err
}

// FramingFor is the framing of a set that is laid out.
func (a *Sets) FramingFor(ctx context.Context, w *Snapshot) (*Framing, error) {
	// What stands there is often as it was before: only the view was changed.
	// What stood there before makes room: it would be kept for every edit.
	key := w.SetRow.ID + w.standsKey()
	if known, ok := standings.GetOf(w.SetRow.ID, key); ok {
		return &Framing{w, known}, nil
	}
	f, err := w.stand(ctx, key)
	if err != nil {
		return nil, err
	}
	standings.PutOf(w.SetRow.ID, key, f)
	return &Framing{w, f}, nil
}

// standsKey is another for every change of what stands in the set.
func (w *Snapshot) standsKey() string {
	parts := make([]any, 0, 2*len(w.PieceOf)+6*len(w.ElementRows))
	newest, used := int64(0), map[string]bool{}
	for i := range w.PlacementRows {
		p := &w.PlacementRows[i]
		newest = max(newest, p.Rev)
		used[p.Piece] = true
	}
	// Thousands of placements are told by their newest revision, once it stands.
	if newest <= w.Production.Revision {
		parts = append(parts, store.Placed(newest, len(w.PlacementRows)))
	} else {
		for i := range w.PlacementRows {
			parts = append(parts, &w.PlacementRows[i].Placement)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(used)) {
		key, _, _ := w.bodyKey(id)
		parts = append(parts, id, key)
	}
	for i := range w.ElementRows {
		e := &w.ElementRows[i].Element
		key := ""
		if l := w.Laid(e.ID); l != nil {
			key = l.Key
		}
		parts = append(parts, key, e.Name, e.Kind, e.Layer, e.Hidden)
	}
	return plain.Name(parts...)
}

// Meter is the exposure value that a meter gives for what is seen.
func (a *Sets) Meter(ctx context.Context, ls *light.State, m *frame.Moment, p *frame.Picture) float64 {
	sun := light.Luminance(ls.Sunlight())
	dome := a.Dome(ctx, ls)
	sky := func(d geom.V) float64 { return light.Luminance(dome(d)) }
	return optics.Metered(m.Scene.Meter(&m.View, p, sun, light.Direction(ls.Azimuth, ls.Elevation), sky))
}

func fitOf(in unit.Ruler, k *stage.ShotSettings, now *frame.Moment, all []frame.Moment, r frame.Range,
	cast *stage.Cast, f *Framing) (fit FitState) {
	v := &now.View
	fit.Step = optics.DepthStep(v.Depth, v.Far, v.Near, v.Far)
	fit.Advice = []string{}
	if !r.Seen {
		return fit
	}
	fit.Fits = true
	fit.Near, fit.Far = optics.FitClip(r.Near, r.Far, NearestPlane)
	s := f.Scene(k, cast)
	fit.First, fit.FirstAt, fit.Last, fit.LastAt = s.Things[r.NearThing].Name, r.Near, s.Things[r.FarThing].Name, r.Far
	for d := 0.05; d < 1e6; d *= math.Pow(10, 0.25) {
		if d > v.Near && d <= v.Far {
			fit.Steps = append(fit.Steps, Step{d, optics.DepthStep(v.Depth, d, v.Near, v.Far)})
		}
	}
	return fit
}

// some are the first names of a list, and how many more there are.
func some(names []string) string {
	const most = 3
	if len(names) > most {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
	}
	return strings.Join(names, ", ")
}

// barMoments is how often a move is looked at for the reach of each bar.
const barMoments = 7

// bars are the things on the strip: the instances of an element are one.
func (f *Framing) bars(k *stage.ShotSettings, now frame.Moment, spans []optics.Span, all []frame.Moment) []Bar {
	at := map[string]int{}
	bars := []Bar{}
	take := func(t *frame.Thing, s *optics.Span, first bool) {
		if t.Body == nil || s.Behind && !first {
			return
		}
		i, ok := at[t.ID]
		if !ok {
			if s.Behind && k.Move == nil {
				return
			}
			i = len(bars)
			at[t.ID] = i
			bars = append(bars, Bar{ID: t.ID, Name: t.Name, Kind: f.Kind[t.ID], Near: math.Inf(1),
				Span: optics.Span{Behind: true}})
		}
		b := &bars[i]
		if first {
			b.Count += t.Body.Copies()
			switch {
			case s.Behind:
			case b.Span.Behind || s.Seen && !b.Span.Seen:
				b.Span = *s
			case s.Seen == b.Span.Seen:
				b.Span.Near, b.Span.Far = min(b.Span.Near, s.Near), max(b.Span.Far, s.Far)
				b.Span.Left, b.Span.Right, b.Span.Top, b.Span.Bottom = min(b.Span.Left, s.Left),
					max(b.Span.Right, s.Right), min(b.Span.Top, s.Top), max(b.Span.Bottom, s.Bottom)
				b.Span.Height = max(b.Span.Height, s.Height)
			}
		}
		if s.Seen {
			b.Near, b.Far = min(b.Near, s.Near), max(b.Far, s.Far)
		}
	}
	for i := range spans {
		take(&now.Scene.Things[i], &spans[i], true)
	}
	if k.Move != nil {
		for n := range barMoments {
			m := &all[n*(len(all)-1)/(barMoments-1)]
			then := m.Scene.Spans(&m.View)
			for i := range m.Scene.Things {
				t := &m.Scene.Things[i]
				take(t, &then[i], false)
			}
		}
	}
	out := bars[:0]
	air := k.Light.Medium()
	for i := range bars {
		b := &bars[i]
		if b.Span.Behind && b.Far == 0 {
			continue
		}
		if math.IsInf(b.Near, 1) {
			b.Near, b.Far = b.Span.Near, b.Span.Far
		}
		v := &now.View
		if seen := b.Span.Seen || k.Move != nil && b.Far > 0; seen && (b.Span.Seen || b.Span.Behind || k.Move != nil) {
			near, far := b.Near < v.Near, b.Far > v.Far
			switch {
			case !b.Span.Seen && b.Far == b.Span.Far && b.Near == b.Span.Near: // never in the picture
			case near && far:
				b.Cut = "both"
			case near:
				b.Cut = "near"
			case far:
				b.Cut = "far"
			}
		}
		if b.Left = 1; air != nil {
			b.Left = air.Through(v.Eye, v.Forward(), max(b.Span.Near, 0))
		}
		out = append(out, *b)
	}
	return out
}

// TraceSteps is how many moments of a move the plan shows.
const TraceSteps = 24

// Crossings are measured on a grid of so many rays, at so many moments of a move: half
// of them evenly, half where camera and lens go fastest. toldCrossings of them are told.
const (
	crossW, crossH = 24, 14
	crossMoments   = 32
	toldCrossings  = 12
)

// LensOf is what follows from a view.
func LensOf(v *optics.View) Lens {
	h, w := v.FieldOfView()
	near, far := v.SharpZone()
	l := Lens{Horizontal: unit.Degrees(h), Vertical: unit.Degrees(w), SharpNear: near, Circle: v.CircleOfConfusion(),
		Softens:    v.Softening(),
		Hyperfocal: optics.Hyperfocal(v.Focal, v.FNumber, v.CircleOfConfusion()),
		Blur:       optics.Blur(v.Focal, v.FNumber, v.Focus, math.Inf(1)),
		World:      v.World(), Forward: v.Forward(), Window: v.Window(), Scale: 1 / optics.Saturation(v.EV),
		CameraEV: optics.EV100(v.FNumber, v.Open(), v.Speed()), Open: v.Open(), Speed: v.Speed()}
	if !math.IsInf(far, 1) {
		l.SharpFar = &far
	}
	if left, right, ok := v.Horizon(); ok {
		l.Horizon = []float64{left, right}
	}
	if v.Roll == 0 && v.Pitch != 0 {
		_, high := v.Straight()
		l.TooHigh = high
	}
	return l
}

// NearestPlane is the nearest that a fitted near plane comes: a hand's width
// before the lens, where real lenses do not focus either.
const NearestPlane = 0.05

// Target is outer, or why there is nothing to frame.
func (f *Framing) Target(id string) (points []geom.V, name string, err error) {
	points, name = f.Outer(id)
	if name == "" {
		return nil, "", act.NotThere(store.ErrNotFound, "The thing")
	}
	if len(points) == 0 {
		return nil, "", act.Wrong("%s has no shape yet: its piece is being made, or it is hidden.", name)
	}
	return points, name, nil
}

// Outer is what a thing, or a group with all in it, is like from afar.
func (f *Framing) Outer(id string) (points []geom.V, name string) {
	in := map[string]bool{id: true}
	for i := range f.w.ElementRows {
		if f.w.ElementRows[i].ID == id {
			name = f.w.ElementRows[i].Name
		}
	}
	for i := range f.w.PlacementRows {
		p := &f.w.PlacementRows[i].Placement
		if p.ID == id {
			name = p.Name
		}
		if slices.Contains(f.w.Groups.Of(p.Group), id) {
			in[p.ID] = true
		}
	}
	for i := range f.Things {
		if t := &f.Things[i]; in[t.ID] && t.Body != nil {
			points = append(points, t.Body.Outer()...)
		}
	}
	return points, name
}
