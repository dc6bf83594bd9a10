package app

import (
	"context"
	"encoding/json"
	"strings"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/stage"
	"visator/store"
)

// SetAsIn makes the set that a take was made of a set of its own, as it was when the take was asked for, with the shots
// that were kept then. Pieces are those of the production, as they are now.
func (a *App) SetAsIn(ctx context.Context, take, name string) (set string, err error) {
	t, err := a.Store.Take(ctx, take)
	if err != nil {
		return "", act.NotThere(err, "The take")
	}
	raw, err := a.Store.World(ctx, take)
	if err != nil {
		return "", err
	}
	if raw == nil {
		return "", act.Wrong("%s was made before the set was kept with its takes.", t.Name)
	}
	was, err := measure.ReadFrozen(raw)
	if err != nil {
		return "", err
	}
	// All ids become others, wherever one names another: they are random, so that nothing else reads like one.
	set = store.NewID()
	swaps := []string{was.Set.ID, set}
	other := func(id string) string {
		own := store.NewID()
		swaps = append(swaps, id, own)
		return own
	}
	type document struct {
		kind, id string
		doc      any
	}
	var all []document
	for i := range was.Placements {
		all = append(all, document{"placement", other(was.Placements[i].ID), was.Placements[i].Placement})
	}
	for i := range was.Elements {
		all = append(all, document{"element", other(was.Elements[i].ID), was.Elements[i].Element})
	}
	for i := range was.Shots {
		all = append(all, document{"shot", other(was.Shots[i].ID), was.Shots[i].Shot})
	}
	renamed := strings.NewReplacer(swaps...)
	scene := was.Set.Scene
	if err := json.Unmarshal(t.Settings, &scene.ShotSettings); err != nil {
		return "", err
	}
	if scene.Name = strings.TrimSpace(name); scene.Name == "" {
		scene.Name = was.Set.Name + ", as in " + t.Name
	}
	err = a.Locked(ctx, was.Set.ProductionID, func(tx pgx.Tx, p store.Production) error {
		var own stage.Scene
		if err := through(renamed, scene, &own); err != nil {
			return err
		}
		if err := own.Check(); err != nil {
			return act.Wrong("%v", err)
		}
		if err := store.PutSet(ctx, tx, p.ID, own, p.Revision); err != nil {
			return err
		}
		for _, d := range all {
			var doc json.RawMessage
			if err := through(renamed, d.doc, &doc); err != nil {
				return err
			}
			if err := store.PutDocument(ctx, tx, set, d.kind, d.id, doc, p.Revision); err != nil {
				return err
			}
		}
		return nil
	})
	return set, err
}

// through writes a document with other ids.
func through(renamed *strings.Replacer, from, to any) error {
	raw, err := json.Marshal(from)
	if err != nil {
		return err
	}
	return json.Unmarshal([]byte(renamed.Replace(string(raw))), to)
}
