package edit

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"

	"visator/app/act"
	"visator/core/optics"
	"visator/core/stage"
	"visator/store"
)

func (e *Editor) shots(ctx context.Context) ([]store.ShotRow, error) {
	return store.Shots(ctx, e.Tx, e.Set.ID)
}

// kept is a kept shot of the set.
func (e *Editor) kept(ctx context.Context, id string) (*store.ShotRow, error) {
	list, err := e.shots(ctx)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(list, func(r store.ShotRow) bool { return r.ID == id }); i >= 0 {
		return &list[i], nil
	}
	return nil, act.NotThere(store.ErrNotFound, "The shot")
}

// KeepShot keeps the working view: as the shot that it is of, or under a name as a new one.
type KeepShot struct {
	Name string `json:"name"`
}

func (d *KeepShot) do(ctx context.Context, e *Editor) error {
	if kept, err := e.kept(ctx, e.Set.Shot); d.Name == "" && err == nil {
		if err := e.stale(kept.Rev, kept.Name); err != nil {
			return err
		}
		old := kept.Shot
		kept.ShotSettings = e.Set.ShotSettings
		e.Say("keep %s", kept.Name)
		return e.putShot(ctx, kept, old)
	}
	list, err := e.shots(ctx)
	if err != nil {
		return err
	}
	before := e.Set.Scene
	s := stage.Shot{ID: store.NewID(), ShotSettings: e.Set.ShotSettings}
	if err := e.keepShot(ctx, list, s, cmp.Or(d.Name, "shot")); err != nil {
		return err
	}
	e.Set.Shot = s.ID
	return e.putSet(ctx, before)
}

// putShot stores a shot that was old before.
func (e *Editor) putShot(ctx context.Context, row *store.ShotRow, old stage.Shot) error {
	if err := store.PutShot(ctx, e.Tx, e.Set.ID, row.Shot, e.rev); err != nil {
		return err
	}
	return e.note("shot", row.ID, old, row.Shot)
}

// GoToShot makes the working view what a shot keeps.
type GoToShot struct {
	ID string `json:"id"`
}

func (d *GoToShot) do(ctx context.Context, e *Editor) error {
	s, err := e.kept(ctx, d.ID)
	if err != nil {
		return err
	}
	before := e.Set.Scene
	e.Say("go to %s", s.Name)
	e.Set.ShotSettings, e.Set.Shot = s.ShotSettings, s.ID
	return e.putSet(ctx, before)
}

// DeleteShot deletes a kept shot.
type DeleteShot struct {
	ID string `json:"id"`
}

func (d *DeleteShot) do(ctx context.Context, e *Editor) error {
	s, err := e.kept(ctx, d.ID)
	if err != nil {
		return err
	}
	e.Say("delete %s", s.Name)
	if err := store.DeleteDocument(ctx, e.Tx, e.Set.ID, "shot", s.ID); err != nil {
		return err
	}
	return e.note("shot", s.ID, s.Shot, nil)
}

// keepShot keeps a new shot behind those in list.
func (e *Editor) keepShot(ctx context.Context, list []store.ShotRow, s stage.Shot, name string) error {
	s.Name = stage.NextName(name, func(n string) bool {
		return slices.ContainsFunc(list, func(r store.ShotRow) bool { return r.Name == n })
	})
	s.Order = after(list, func(r *store.ShotRow) int { return r.Order })
	if err := s.Check(); err != nil {
		return act.Wrong("%v", err)
	}
	e.Say("keep %s", s.Name)
	e.made = append(e.made, s.ID)
	if err := store.PutShot(ctx, e.Tx, e.Set.ID, s, e.rev); err != nil {
		return err
	}
	return e.note("shot", s.ID, nil, s)
}

// ChangeShot changes fields of a kept shot.
type ChangeShot struct {
	ID    string          `json:"id"`
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangeShot) do(ctx context.Context, e *Editor) error {
	row, err := e.kept(ctx, d.ID)
	if err != nil {
		return err
	}
	if err := e.stale(row.Rev, row.Name); err != nil {
		return err
	}
	before := row.Shot
	if err := stage.Patch(&row.Shot, d.Patch); err != nil {
		return act.Wrong("%v", err)
	}
	row.ID = before.ID
	if err := e.pictured(ctx, &before.ShotSettings, &row.ShotSettings); err != nil {
		return err
	}
	e.Say("change %s", before.Name)
	return e.putShot(ctx, row, before)
}

// KeepView keeps a view as a new shot, under the working light.
func (e *Editor) KeepView(ctx context.Context, name string, v optics.View) error {
	list, err := e.shots(ctx)
	if err != nil {
		return err
	}
	return e.keepShot(ctx, list,
		stage.Shot{ID: store.NewID(), ShotSettings: stage.ShotSettings{View: v, Light: e.Set.Light}}, name)
}

// OrderShots puts the kept shots into an order.
type OrderShots struct {
	IDs []string `json:"ids"` // of all shots
}

func (d *OrderShots) do(ctx context.Context, e *Editor) error {
	list, err := e.shots(ctx)
	if err != nil {
		return err
	}
	if len(d.IDs) != len(list) {
		return act.Wrong("The shots have changed meanwhile; look again.")
	}
	for i := range list {
		at := slices.Index(d.IDs, list[i].ID)
		if at < 0 {
			return act.Wrong("The shots have changed meanwhile; look again.")
		}
		if list[i].Order == at {
			continue
		}
		if err := e.stale(list[i].Rev, list[i].Name); err != nil {
			return err
		}
		before := list[i].Shot
		list[i].Order = at
		if err := store.PutShot(ctx, e.Tx, e.Set.ID, list[i].Shot, e.rev); err != nil {
			return err
		}
		if err := e.note("shot", list[i].ID, before, list[i].Shot); err != nil {
			return err
		}
	}
	e.Say("order the shots")
	return nil
}

// CopyShot keeps a shot once more, under another name.
type CopyShot struct {
	ID string `json:"id"`
}

func (d *CopyShot) do(ctx context.Context, e *Editor) error {
	list, err := e.shots(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(list, func(s store.ShotRow) bool { return s.ID == d.ID })
	if i < 0 {
		return act.NotThere(store.ErrNotFound, "The shot")
	}
	s := list[i].Shot
	s.ID = store.NewID()
	e.Say("duplicate %s", list[i].Name)
	return e.keepShot(ctx, list, s, list[i].Name)
}
