package edit

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/stage"
	"visator/store"
)

// KeepShot keeps the working view: as the shot that it is of, or under a name as a new one.
type KeepShot struct {
	Name string `json:"name"`
}

func (d *KeepShot) Do(ctx context.Context, e *desk.Editor) error {
	if kept, err := e.Kept(ctx, e.Set.Shot); d.Name == "" && err == nil {
		if err := e.Stale(kept.Rev, kept.Name); err != nil {
			return err
		}
		old := kept.Shot
		kept.ShotSettings = e.Set.ShotSettings
		e.Say("keep %s", kept.Name)
		return e.PutShot(ctx, kept, old)
	}
	list, err := e.Shots(ctx)
	if err != nil {
		return err
	}
	before := e.Set.Scene
	s := stage.Shot{ID: store.NewID(), ShotSettings: e.Set.ShotSettings}
	if err := e.KeepShot(ctx, list, s, cmp.Or(d.Name, "shot")); err != nil {
		return err
	}
	e.Set.Shot = s.ID
	return e.PutSet(ctx, before)
}

// GoToShot makes the working view what a shot keeps.
type GoToShot struct {
	ID string `json:"id"`
}

func (d *GoToShot) Do(ctx context.Context, e *desk.Editor) error {
	s, err := e.Kept(ctx, d.ID)
	if err != nil {
		return err
	}
	before := e.Set.Scene
	e.Say("go to %s", s.Name)
	e.Set.ShotSettings, e.Set.Shot = s.ShotSettings, s.ID
	return e.PutSet(ctx, before)
}

// DeleteShot deletes a kept shot.
type DeleteShot struct {
	ID string `json:"id"`
}

func (d *DeleteShot) Do(ctx context.Context, e *desk.Editor) error {
	s, err := e.Kept(ctx, d.ID)
	if err != nil {
		return err
	}
	e.Say("delete %s", s.Name)
	if err := store.DeleteDocument(ctx, e.Tx, e.Set.ID, "shot", s.ID); err != nil {
		return err
	}
	return e.Note("shot", s.ID, s.Shot, nil)
}

// ChangeShot changes fields of a kept shot.
type ChangeShot struct {
	ID    string          `json:"id"`
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangeShot) Do(ctx context.Context, e *desk.Editor) error {
	row, err := e.Kept(ctx, d.ID)
	if err != nil {
		return err
	}
	if err := e.Stale(row.Rev, row.Name); err != nil {
		return err
	}
	before := row.Shot
	if err := stage.Patch(&row.Shot, d.Patch); err != nil {
		return act.Wrong("%v", err)
	}
	row.ID = before.ID
	if err := e.Pictured(ctx, &before.ShotSettings, &row.ShotSettings); err != nil {
		return err
	}
	e.Say("change %s", before.Name)
	return e.PutShot(ctx, row, before)
}

// OrderShots puts the kept shots into an order.
type OrderShots struct {
	IDs []string `json:"ids"` // of all shots
}

func (d *OrderShots) Do(ctx context.Context, e *desk.Editor) error {
	list, err := e.Shots(ctx)
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
		if err := e.Stale(list[i].Rev, list[i].Name); err != nil {
			return err
		}
		before := list[i].Shot
		list[i].Order = at
		if err := store.PutShot(ctx, e.Tx, e.Set.ID, list[i].Shot, e.Rev); err != nil {
			return err
		}
		if err := e.Note("shot", list[i].ID, before, list[i].Shot); err != nil {
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

func (d *CopyShot) Do(ctx context.Context, e *desk.Editor) error {
	list, err := e.Shots(ctx)
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
	return e.KeepShot(ctx, list, s, list[i].Name)
}
