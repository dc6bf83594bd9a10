package edit

import (
	"context"
	"encoding/json"
	"fmt"

	"visator/app/act"
	"visator/core/stage"
	"visator/store"
)

// keeping is of the set itself and its shots.
var keeping = family{
	"change set": of[ChangeSet], "keep shot": of[KeepShot], "go to shot": of[GoToShot], "change shot": of[ChangeShot],
	"copy shot": of[CopyShot], "order shots": of[OrderShots], "delete shot": of[DeleteShot],
}

// pictured says which picture is not there that a set or a shot was now told to
// show: the one over the view, or one that a card plays.
func (e *Editor) pictured(ctx context.Context, before, now *stage.ShotSettings) error {
	shown := func(k *stage.ShotSettings) map[string]string {
		by := map[string]string{}
		if k.Match != nil && k.Match.Picture != "" {
			by[k.Match.Picture] = "to lay over the view"
		}
		if k.Move != nil {
			for i := range k.Move.Plays {
				for n, hash := range k.Move.Plays[i].Pictures {
					by[hash] = fmt.Sprintf("%d of those that a card plays", n+1)
				}
			}
		}
		return by
	}
	was := shown(before)
	for hash, what := range shown(now) {
		if was[hash] != "" {
			continue
		}
		switch there, err := e.a.Store.HasBlob(ctx, hash); {
		case err != nil:
			return err
		case !there:
			return act.Wrong("The picture %s is not here: choose the file again.", what)
		}
	}
	return nil
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

func (e *Editor) putSet(ctx context.Context, before stage.Scene) error {
	if err := store.PutSet(ctx, e.Tx, e.Set.ProductionID, e.Set.Scene, e.rev); err != nil {
		return err
	}
	return e.note("set", e.Set.ID, before, e.Set.Scene)
}

// ChangeSet changes fields of the set itself: of its working view, its light, its move, ...
type ChangeSet struct {
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangeSet) do(ctx context.Context, e *Editor) error {
	before := e.Set.Scene
	if err := e.stale(e.Set.Rev, "The view"); err != nil {
		return err
	}
	if err := stage.Patch(&e.Set.Scene, d.Patch); err != nil {
		return act.Wrong("%v", err)
	}
	e.Set.ID = before.ID
	if err := e.pictured(ctx, &before.ShotSettings, &e.Set.ShotSettings); err != nil {
		e.Set.Scene = before
		return err
	}
	e.Say("change the %s", sceneField(d.Patch))
	return e.putSet(ctx, before)
}
