package desk

import (
	"context"

	"visator/app/measure"
	"visator/core/geom"
	"visator/core/stage"
)

// Framed is the set as cameras see it, with what this edit changed.
func (e *Editor) Framed(ctx context.Context) (*measure.Framing, *stage.Cast, error) {
	w, err := e.a.Snapshot(ctx, e.Tx, e.Set.ID)
	if err != nil {
		return nil, nil, err
	}
	w.SetRow.ShotSettings = e.Set.ShotSettings
	if _, err := w.LayOut(ctx, false); err != nil {
		return nil, nil, err
	}
	f, err := e.a.FramingFor(ctx, w)
	if err != nil {
		return nil, nil, err
	}
	return f, w.Cast(w.SetRow.Move), nil
}

// Target is the shape of a placement, an element or a group: points of it that
// lie outermost, at the start of the move.
func (e *Editor) Target(ctx context.Context, id string) (points []geom.V, name string, err error) {
	f, _, err := e.Framed(ctx)
	if err != nil {
		return nil, "", err
	}
	return f.Target(id)
}

// MiddleOf is where focus and aim take a thing to be: the middle of its box, as it
// is followed over a move; of a group that of all in it.
func (e *Editor) MiddleOf(ctx context.Context, id string) (at geom.V, name string, err error) {
	f, cast, err := e.Framed(ctx)
	if err != nil {
		return at, name, err
	}
	points, name, err := f.Target(id)
	if err != nil {
		return at, name, err
	}
	if p, ok := cast.Where(id, 0); ok {
		return p, name, nil
	}
	b := geom.Empty()
	for _, p := range points {
		b = b.Add(p)
	}
	return b.Center(), name, nil
}
