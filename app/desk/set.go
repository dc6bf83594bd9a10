package desk

import (
	"context"
	"fmt"

	"visator/app/act"
	"visator/core/stage"
	"visator/store"
)

// Pictured says which picture is not there that a set or a shot was now told to
// show: the one over the view, or one that a card plays.
func (e *Editor) Pictured(ctx context.Context, before, now *stage.ShotSettings) error {
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

// PutSet stores the set, which was another before.
func (e *Editor) PutSet(ctx context.Context, before stage.Scene) error {
	if err := store.PutSet(ctx, e.Tx, e.Set.ProductionID, e.Set.Scene, e.Rev); err != nil {
		return err
	}
	return e.Note("set", e.Set.ID, before, e.Set.Scene)
}
