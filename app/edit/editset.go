package edit

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"visator/app/act"
	"visator/core/optics"
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
	for _, k := range []string{"view", "light", "move", "match", "name"} {
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
	if err := store.Delete(ctx, e.Tx, "shot", e.Set.ID, s.ID); err != nil {
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
