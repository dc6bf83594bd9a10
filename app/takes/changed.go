package takes

import (
	"context"
	"encoding/json"
	"math"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/optics"
	"visator/store"
)

// Changed is where a picture of a shot is another since its newest still.
type Changed struct {
	Part  [4]float64 `json:"part"`  // of the picture: left, top, right, bottom, 0 to 1
	Names []string   `json:"names"` // what changed
}

// around is how much of the picture is added about what changed: what it throws light on.
const around = 0.03

// farShadow is how many times as long as a thing is high its shadow is followed.
const farShadow = 8

// ChangedSince finds the part of a picture in which what was placed, moved, taken away or made of something else since
// the newest still of a shot stands, or stood, with its shadow in the sun. What may change the picture anywhere is
// told, not found: the lens, the light, the ground.
func (a *Operator) ChangedSince(ctx context.Context, setID, shotID string) (c Changed, err error) {
	was, view, ls, err := a.newest(ctx, setID, shotID)
	if err != nil {
		return c, err
	}
	now, err := a.SnapshotOf(ctx, setID)
	if err != nil {
		return c, act.NotThere(err, "The set")
	}
	as := now.SetRow.ShotSettings
	for i := range now.ShotRows {
		if now.ShotRows[i].ID == shotID {
			as = now.ShotRows[i].ShotSettings
		}
	}
	if !as.View.Equal(view) {
		return c, act.Wrong("The lens is another than that of the newest take: all of the picture changed.")
	}
	if string(said(&as.Light)) != string(said(ls)) {
		return c, act.Wrong("The light is another than that of the newest take: all of the picture changed.")
	}
	for _, w := range []*measure.Snapshot{was, now} {
		if _, err := w.LayOut(ctx, false); err != nil {
			return c, err
		}
	}
	if name := otherwise(was, now); name != "" {
		return c, act.Wrong("%s changed: that may be seen anywhere. Render all of the picture.", name)
	}
	before, after := placed(was), placed(now)
	box := [4]float64{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
	sun := light.Direction(ls.Azimuth, ls.Elevation)
	for _, pair := range [][2]map[string]*assembly.Thing{{before, after}, {after, before}} {
		for id, t := range pair[0] {
			o := pair[1][id]
			if o != nil && string(said(o.Placement)) == string(said(t.Placement)) && sameMade(was, now, t) {
				continue
			}
			if o == nil || pair[0][id] == before[id] {
				c.Names = append(c.Names, t.Name)
			}
			for _, p := range touched(t, sun, ls.SunOn) {
				widen(&box, view, p)
			}
		}
	}
	if len(c.Names) == 0 {
		return c, act.Wrong("Nothing changed since the newest take.")
	}
	c.Part = [4]float64{max(box[0]-around, 0), max(box[1]-around, 0), min(box[2]+around, 1), min(box[3]+around, 1)}
	if !(c.Part[2] > c.Part[0] && c.Part[3] > c.Part[1]) {
		return c, act.Wrong("What changed is not in the picture.")
	}
	return c, nil
}

// newest is the set of the newest still of a shot as it was, with its lens and light.
func (a *Operator) newest(ctx context.Context, setID, shotID string) (*measure.Snapshot, *optics.View, *light.State,
	error) {
	takes, err := store.Takes(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, nil, nil, err
	}
	for i := range takes {
		t := &takes[i]
		if t.ShotID != shotID || t.State != "done" || t.Kind != "still" {
			continue
		}
		world, err := a.Store.World(ctx, t.ID)
		if err != nil || world == nil {
			return nil, nil, nil, err
		}
		w, err := a.Thaw(world)
		if err != nil {
			return nil, nil, nil, err
		}
		s, _, err := Of(t)
		if err != nil {
			return nil, nil, nil, err
		}
		return w, &s.View, &s.Light, nil
	}
	return nil, nil, nil, act.Wrong("There is no still of this shot yet: render all of the picture.")
}

// said is a document as it is written.
func said(v any) []byte {
	raw, err := json.Marshal(v)
	if err != nil {
		return []byte(err.Error())
	}
	return raw
}

// placed are the placements that are seen, by id.
func placed(w *measure.Snapshot) map[string]*assembly.Thing {
	m := map[string]*assembly.Thing{}
	for t := range w.Seen {
		if t.Placement != nil {
			m[t.ID] = t
		}
	}
	return m
}

// sameMade says whether a thing's piece is of the same size and make in both sets.
func sameMade(was, now *measure.Snapshot, t *assembly.Thing) bool {
	p, q := was.PieceOf[t.Piece()], now.PieceOf[t.Piece()]
	if p == nil || q == nil {
		return p == q
	}
	return string(said([]any{p.Sizing, p.Recipe, p.Blob})) == string(said([]any{q.Sizing, q.Recipe, q.Blob}))
}

// otherwise is an element that is not the same in both sets; "" where all are.
func otherwise(was, now *measure.Snapshot) string {
	of := func(w *measure.Snapshot) (map[string]string, map[string]string) {
		m, names := map[string]string{}, map[string]string{}
		for i := range w.ElementRows {
			e := &w.ElementRows[i]
			if e.Kind == "group" || e.Kind == "board" || e.Kind == "layer" {
				continue
			}
			m[e.ID], names[e.ID] = string(said(e.Element)), e.Name
		}
		return m, names
	}
	a, names := of(was)
	b, more := of(now)
	for id, x := range a {
		if b[id] != x {
			return names[id]
		}
	}
	for id := range b {
		if a[id] == "" {
			return more[id]
		}
	}
	return ""
}

// touched are places about a thing: the corners of its box, and where their shadows fall.
func touched(t *assembly.Thing, sun geom.V, shines bool) (list []geom.V) {
	whole := t.Box.Apply(t.World)
	high := whole.Max.Y - whole.Min.Y
	for i := range 8 {
		p := whole.Corner(i)
		list = append(list, p)
		if shines && i&2 != 0 {
			k := min(high/max(sun.Y, 1e-6), farShadow*high)
			list = append(list, p.Sub(sun.Mul(k)))
		}
	}
	return list
}

// widen makes a part of a picture hold a place; what lies behind the lens makes it all of it.
func widen(box *[4]float64, v *optics.View, p geom.V) {
	x, y, _, ok := v.Project(p)
	if !ok {
		*box = [4]float64{0, 0, 1, 1}
		return
	}
	box[0], box[1] = min(box[0], x), min(box[1], y)
	box[2], box[3] = max(box[2], x), max(box[3], y)
}
