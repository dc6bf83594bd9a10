package edit

import (
	"context"
	"encoding/json"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/stage"
)

// keeping is of the set itself and its shots.
var keeping = family{
	"change set": of[ChangeSet], "keep shot": of[KeepShot], "go to shot": of[GoToShot], "change shot": of[ChangeShot],
	"copy shot": of[CopyShot], "order shots": of[OrderShots], "delete shot": of[DeleteShot],
}

func sceneField(patch json.RawMessage) string {
	var m map[string]json.RawMessage
	_ = json.Unmarshal(patch, &m)
	for _, k := range []string{"view", "light", "move", "match", "finish", "name"} {
		if _, ok := m[k]; ok {
			return k
		}
	}
	if _, ok := m["hide"]; ok {
		return "layers of the shot"
	}
	if m["first"] != nil || m["last"] != nil {
		return "frames of the shot"
	}
	return "set"
}

// ChangeSet changes fields of the set itself: of its working view, its light, its move, ...
type ChangeSet struct {
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangeSet) Do(ctx context.Context, e *desk.Editor) error {
	before := e.Set.Scene
	if err := e.Stale(e.Set.Rev, "The view"); err != nil {
		return err
	}
	if err := stage.Patch(&e.Set.Scene, d.Patch); err != nil {
		return act.Wrong("%v", err)
	}
	e.Set.ID = before.ID
	if err := e.Pictured(ctx, &before.ShotSettings, &e.Set.ShotSettings); err != nil {
		e.Set.Scene = before
		return err
	}
	e.Say("change the %s", sceneField(d.Patch))
	return e.PutSet(ctx, before)
}
