package app

import (
	"cmp"
	"context"
	"encoding/json"
	"math"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/edit"
	"visator/app/measure"
	"visator/convert"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/optics"
	"visator/store"
)

// defaultFocus is where a camera that looks at nothing is focused, in metres:
// a room's length.
const defaultFocus = 10

// TakeCameras makes shots of the cameras that came in a piece's file, seen
// from where its first placement stands, or from where it would stand at the
// origin. A camera says where it looks but not at what: it is focused on the
// nearest thing in the middle of its picture, unless the file says at what. It returns
// how many there are, and the names of those that have no lens to take over.
func (a *App) TakeCameras(ctx context.Context, setID, piece string) (n int, skipped []string, err error) {
	p, err := store.GetPiece(ctx, a.Store.Pool, piece)
	if err != nil {
		return 0, nil, act.NotThere(err, "The piece")
	}
	m, box, top, err := a.sourceOf(ctx, &p)
	if err != nil {
		return 0, nil, err
	}
	err = a.EditProduction(ctx, p.ProductionID, func(e *desk.Editor) error {
		if e.Set, err = store.GetSet(ctx, e.Tx, setID); err != nil || e.Set.ProductionID != p.ProductionID {
			return act.NotThere(store.ErrNotFound, "The set")
		}
		list, err := e.Placements(ctx)
		if err != nil {
			return err
		}
		for i := range list {
			if list[i].Piece == piece {
				top = list[i].World().Mul(top)
				break
			}
		}
		things, err := e.Things(ctx)
		if err != nil {
			return err
		}
		boxes := []geom.Box{box.Apply(top)}
		for i := range things {
			boxes = append(boxes, things[i].Box.Apply(things[i].World))
		}
		var views []namedView
		views, skipped = viewsOf(m, top, boxes)
		for _, v := range views {
			if err := e.KeepView(ctx, v.name, v.view); err != nil {
				return err
			}
			n++
		}
		return nil
	})
	return n, skipped, err
}

// sourceOf reads the file of a piece as it came, with its box there and the transform to
// the piece as it is sized.
func (a *App) sourceOf(ctx context.Context, p *store.Piece) (m *model.Model, box geom.Box, top geom.M, err error) {
	o, err := a.OpenArrival(ctx, p.ArrivalID)
	if err != nil {
		return nil, box, top, err
	}
	defer o.Close()
	if m, err = convert.Any(ctx, o, p.Source, p.Source); err != nil {
		return nil, box, top, act.Wrong("%v", err)
	}
	facts, size, err := measure.PieceFacts(p)
	if err != nil {
		return nil, box, top, err
	}
	return m, facts.Box(), size.Transform(facts.Box()), nil
}

type namedView struct {
	name string
	view optics.View
}

// viewsOf turns the perspective cameras of a model into views in the set; skipped are
// the names of the others.
func viewsOf(m *model.Model, top geom.M, things []geom.Box) (out []namedView, skipped []string) {
	unit := math.Cbrt(math.Abs(top.Det3()))
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Camera == model.None {
			return
		}
		c := &m.Cameras[n.Camera]
		name := cmp.Or(n.Name, c.Name, "camera")
		v, ok := optics.FromCamera(c, top.Mul(world), unit)
		if !ok {
			skipped = append(skipped, name)
			return
		}
		if c.Focus > 0 {
			out = append(out, namedView{name, v})
			return
		}
		eye, ahead := v.Eye, v.Forward()
		v.Focus = defaultFocus
		nearest := math.Inf(1)
		for _, b := range things {
			if d, ok := b.Hit(eye, ahead); ok && d > v.Near && d < nearest {
				nearest, v.Focus = d, d
			}
		}
		out = append(out, namedView{name, v})
	})
	return out, skipped
}

// TakeSun makes the first light of a piece's file that shines from one direction the
// set's sun, as an edit of the set: where it stands, its lux and its colour.
func (a *App) TakeSun(ctx context.Context, setID, piece string) error {
	p, err := store.GetPiece(ctx, a.Store.Pool, piece)
	if err != nil {
		return act.NotThere(err, "The piece")
	}
	if set, err := store.GetSet(ctx, a.Store.Pool, setID); err != nil || set.ProductionID != p.ProductionID {
		return act.NotThere(store.ErrNotFound, "The set")
	}
	m, _, top, err := a.sourceOf(ctx, &p)
	if err != nil {
		return err
	}
	var sun *model.Light
	var from geom.V
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if sun == nil && n.Light != model.None && m.Lights[n.Light].Kind == model.Directional {
			world = top.Mul(world)
			sun, from = &m.Lights[n.Light], world.Dir(geom.V{Z: 1}) // it shines along -Z
		}
	})
	if sun == nil || from.Len() == 0 || !from.Finite() {
		return act.Wrong("%s has no sun in its file.", p.Name)
	}
	azimuth, elevation := light.Towards(from)
	raw, err := json.Marshal(map[string]any{"light": map[string]any{"sunOn": true, "azimuth": azimuth,
		"elevation": elevation,
		"lux":       min(max(sun.Intensity, 0), 1e6),
		"kelvin":    light.NearestKelvin(geom.V{X: sun.Color[0], Y: sun.Color[1], Z: sun.Color[2]})}})
	if err != nil {
		return err
	}
	_, err = a.Edit(ctx, setID,
		desk.Request{Revision: -1, Commands: []desk.Command{edit.Do(&edit.ChangeSet{Patch: raw})}})
	return err
}
