package edit

import (
	"context"
	"encoding/json"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/measure"
	"visator/core/stage"
	"visator/store"
)

// taking is of what takes were made of.
var taking = family{"go back to take": of[GoBackToTake], "keep shot of take": of[KeepShotOfTake]}

// GoBackToTake makes the set what it was when a take was asked for: what stands in it, and the working view with its
// light. Shots that are kept stay as they are.
type GoBackToTake struct {
	Take   string `json:"take"`
	Pieces bool   `json:"pieces"` // the pieces of it too: their sizes and what they are made of, in all sets
}

func (d *GoBackToTake) Do(ctx context.Context, e *desk.Editor) error {
	t, kept, err := takenOf(ctx, e, d.Take)
	if err != nil {
		return err
	}
	raw, err := store.WorldOf(ctx, e.Tx, t.ID)
	if err != nil {
		return err
	}
	if raw == nil {
		return act.Wrong("%s was made before the set was kept with its takes.", t.Name)
	}
	was, err := measure.ReadFrozen(raw)
	if err != nil {
		return err
	}
	e.Say("go back to the set of the take %s", t.Name)
	before := e.Set.Scene
	if _, err := e.AsItWas(ctx, was, d.Pieces); err != nil {
		return err
	}
	e.Set.ShotSettings = kept
	if kept.Move == nil { // a still was asked for without it
		e.Set.Move = before.Move
	}
	return e.PutSet(ctx, before)
}

// KeepShotOfTake keeps the view, the light and the finish that a take was made with as a shot of its own.
type KeepShotOfTake struct {
	Take string `json:"take"`
	Name string `json:"name"`
}

func (d *KeepShotOfTake) Do(ctx context.Context, e *desk.Editor) error {
	t, kept, err := takenOf(ctx, e, d.Take)
	if err != nil {
		return err
	}
	list, err := e.Shots(ctx)
	if err != nil {
		return err
	}
	name := d.Name
	if name == "" {
		name = t.Name
	}
	return e.KeepShot(ctx, list, stage.Shot{ID: store.NewID(), ShotSettings: kept}, name)
}

// takenOf is a take of the set, and what it was shot with.
func takenOf(ctx context.Context, e *desk.Editor, id string) (t store.Take, s stage.ShotSettings, err error) {
	t, err = store.TakeOf(ctx, e.Tx, id)
	if err != nil || t.SetID != e.Set.ID {
		return t, s, act.NotThere(store.ErrNotFound, "The take")
	}
	return t, s, json.Unmarshal(t.Settings, &s)
}
