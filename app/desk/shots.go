package desk

import (
	"context"
	"slices"

	"visator/app/act"
	"visator/core/optics"
	"visator/core/stage"
	"visator/store"
)

// Shots are those that the set keeps.
func (e *Editor) Shots(ctx context.Context) ([]store.ShotRow, error) {
	return store.Shots(ctx, e.Tx, e.Set.ID)
}

// Kept is a kept shot of the set.
func (e *Editor) Kept(ctx context.Context, id string) (*store.ShotRow, error) {
	list, err := e.Shots(ctx)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(list, func(r store.ShotRow) bool { return r.ID == id }); i >= 0 {
		return &list[i], nil
	}
	return nil, act.NotThere(store.ErrNotFound, "The shot")
}

// PutShot stores a shot that was old before.
func (e *Editor) PutShot(ctx context.Context, row *store.ShotRow, old stage.Shot) error {
	if err := store.PutShot(ctx, e.Tx, e.Set.ID, row.Shot, e.Rev); err != nil {
		return err
	}
	return e.Note("shot", row.ID, old, row.Shot)
}

// KeepShot keeps a new shot behind those in list.
func (e *Editor) KeepShot(ctx context.Context, list []store.ShotRow, s stage.Shot, name string) error {
	s.Name = stage.NextName(name, func(n string) bool {
		return slices.ContainsFunc(list, func(r store.ShotRow) bool { return r.Name == n })
	})
	s.Order = After(list, func(r *store.ShotRow) int { return r.Order })
	if err := s.Check(); err != nil {
		return act.Wrong("%v", err)
	}
	e.Say("keep %s", s.Name)
	e.Made = append(e.Made, s.ID)
	if err := store.PutShot(ctx, e.Tx, e.Set.ID, s, e.Rev); err != nil {
		return err
	}
	return e.Note("shot", s.ID, nil, s)
}

// KeepView keeps a view as a new shot, under the working light.
func (e *Editor) KeepView(ctx context.Context, name string, v optics.View) error {
	list, err := e.Shots(ctx)
	if err != nil {
		return err
	}
	return e.KeepShot(ctx, list,
		stage.Shot{ID: store.NewID(), ShotSettings: stage.ShotSettings{View: v, Light: e.Set.Light}}, name)
}
