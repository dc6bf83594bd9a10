package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"visator/core/stage"
	"visator/store"
)

// pictured says which picture is not there that a set or a shot was now told to
// show: the one over the view, or one that a card plays.
func (e *editor) pictured(ctx context.Context, before, now *stage.ShotSettings) error {
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
			return wrong("The picture %s is not here: choose the file again.", what)
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

func (e *editor) putSet(ctx context.Context, before stage.Scene) error {
	if err := store.PutSet(ctx, e.tx, e.set.ProductionID, e.set.Scene, e.rev); err != nil {
		return err
	}
	return e.note("set", e.set.ID, before, e.set.Scene)
}

func (e *editor) shots(ctx context.Context) ([]store.ShotRow, error) {
	return store.Shots(ctx, e.tx, e.set.ID)
}

func (e *editor) shot(ctx context.Context, d *Command) error {
	list, err := e.shots(ctx)
	if err != nil {
		return err
	}
	before := e.set.Scene
	find := func(id string) *store.ShotRow {
		for i := range list {
			if list[i].ID == id {
				return &list[i]
			}
		}
		return nil
	}
	switch d.Do {
	case "keep":
		kept := find(e.set.Shot)
		if d.Name == "" && kept != nil {
			if err := e.stale(kept.Rev, kept.Name); err != nil {
				return err
			}
			old := kept.Shot
			kept.ShotSettings = e.set.ShotSettings
			e.say("keep %s", kept.Name)
			if err := store.PutShot(ctx, e.tx, e.set.ID, kept.Shot, e.rev); err != nil {
				return err
			}
			return e.note("shot", kept.ID, old, kept.Shot)
		}
		name := d.Name
		if name == "" {
			name = "shot"
		}
		s := stage.Shot{ID: store.NewID(), ShotSettings: e.set.ShotSettings}
		if err := e.keepShot(ctx, list, s, name); err != nil {
			return err
		}
		e.set.Shot = s.ID
		return e.putSet(ctx, before)
	case "go":
		s := find(d.ID)
		if s == nil {
			return notThere(store.ErrNotFound, "The shot")
		}
		e.say("go to %s", s.Name)
		e.set.ShotSettings, e.set.Shot = s.ShotSettings, s.ID
		return e.putSet(ctx, before)
	}
	s := find(d.ID)
	if s == nil {
		return notThere(store.ErrNotFound, "The shot")
	}
	e.say("delete %s", s.Name)
	if err := store.Delete(ctx, e.tx, "shot", e.set.ID, s.ID); err != nil {
		return err
	}
	return e.note("shot", s.ID, s.Shot, nil)
}

// keepShot keeps a new shot behind those in list.
func (e *editor) keepShot(ctx context.Context, list []store.ShotRow, s stage.Shot, name string) error {
	s.Name = stage.NextName(name, func(n string) bool {
		return slices.ContainsFunc(list, func(r store.ShotRow) bool { return r.Name == n })
	})
	s.Order = after(list, func(r *store.ShotRow) int { return r.Order })
	if err := s.Check(); err != nil {
		return wrong("%v", err)
	}
	e.say("keep %s", s.Name)
	e.made = append(e.made, s.ID)
	if err := store.PutShot(ctx, e.tx, e.set.ID, s, e.rev); err != nil {
		return err
	}
	return e.note("shot", s.ID, nil, s)
}

func (e *editor) patchShot(ctx context.Context, d *Command) error {
	list, err := e.shots(ctx)
	if err != nil {
		return err
	}
	for i := range list {
		if list[i].ID != d.ID {
			continue
		}
		row := &list[i]
		if err := e.stale(row.Rev, row.Name); err != nil {
			return err
		}
		before := row.Shot
		if err := stage.Patch(&row.Shot, d.Patch); err != nil {
			return wrong("%v", err)
		}
		row.ID = before.ID
		if err := e.pictured(ctx, &before.ShotSettings, &row.ShotSettings); err != nil {
			row.Shot = before
			return err
		}
		e.say("change %s", before.Name)
		if err := store.PutShot(ctx, e.tx, e.set.ID, row.Shot, e.rev); err != nil {
			return err
		}
		return e.note("shot", row.ID, before, row.Shot)
	}
	return notThere(store.ErrNotFound, "The shot")
}
