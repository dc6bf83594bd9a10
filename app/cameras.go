package app

import (
	"context"
	"math"

	"visator/convert"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/stage"
	"visator/store"
)

// defaultFocus is where a camera that looks at nothing is focused, in metres:
// a room's length.
const defaultFocus = 10

// TakeCameras makes shots of the cameras that came in a piece's file, seen
// from where its first placement stands, or from where it would stand at the
// origin. A camera says where it looks but not at what: it is focused on the
// nearest thing in the middle of its picture. It returns how many there are.
func (a *App) TakeCameras(ctx context.Context, setID, piece string) (n int, err error) {
	p, err := store.GetPiece(ctx, a.Store.Pool, piece)
	if err != nil {
		return 0, notThere(err, "The piece")
	}
	o, err := a.openArrival(ctx, p.ArrivalID)
	if err != nil {
		return 0, err
	}
	defer o.Close()
	m, err := convert.Any(ctx, o, p.Source)
	if err != nil {
		return 0, wrong("%v", err)
	}
	facts, size, err := pieceFacts(&p)
	if err != nil {
		return 0, err
	}
	top := size.Transform(facts.Box())
	err = a.editProduction(ctx, p.ProductionID, func(e *editor) error {
		if e.set, err = store.GetSet(ctx, e.tx, setID); err != nil || e.set.ProductionID != p.ProductionID {
			return notThere(store.ErrNotFound, "The set")
		}
		list, err := e.placements(ctx)
		if err != nil {
			return err
		}
		for i := range list {
			if list[i].Piece == piece {
				top = list[i].World().Mul(top)
				break
			}
		}
		things, err := e.things(ctx)
		if err != nil {
			return err
		}
		boxes := []geom.Box{facts.Box().Apply(top)}
		for i := range things {
			boxes = append(boxes, things[i].Box.Apply(things[i].World))
		}
		for _, v := range viewsOf(m, top, boxes) {
			if err := e.keepView(ctx, v.name, v.view); err != nil {
				return err
			}
			n++
		}
		return nil
	})
	return n, err
}

type namedView struct {
	name string
	view optics.View
}

// viewsOf turns the perspective cameras of a model into views in the set.
func viewsOf(m *model.Model, top geom.M, things []geom.Box) (out []namedView) {
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Camera == model.None {
			return
		}
		c := &m.Cameras[n.Camera]
		v, ok := optics.FromCamera(c, top.Mul(world))
		if !ok {
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
		name := n.Name
		if name == "" {
			name = c.Name
		}
		if name == "" {
			name = "camera"
		}
		out = append(out, namedView{name, v})
	})
	return out
}

// keepView keeps a view as a new shot, under the working light.
func (e *editor) keepView(ctx context.Context, name string, v optics.View) error {
	list, err := e.shots(ctx)
	if err != nil {
		return err
	}
	return e.keepShot(ctx, list, stage.Shot{ID: store.NewID(), Kept: stage.Kept{View: v, Light: e.set.Light}}, name)
}
