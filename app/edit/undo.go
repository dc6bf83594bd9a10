package edit

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"reflect"
	"slices"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/core/lay"
	"visator/core/stage"
	"visator/store"
)

// Undo takes back what a person did last in a set, Redo does it again. They return
// what was done, ErrNone when there is nothing left, and ErrStale when it can no
// longer be done, with the reason: then the next call goes on with the edit before.
// request is as that of an edit.
func (a *Desk) Undo(ctx context.Context, set, request string) (string, error) {
	return a.step(ctx, set, request, true)
}

// Redo does again what was undone last.
func (a *Desk) Redo(ctx context.Context, set, request string) (string, error) {
	return a.step(ctx, set, request, false)
}

func (a *Desk) step(ctx context.Context, setID, request string, undo bool) (label string, err error) {
	production, err := a.ProductionOf(ctx, setID)
	if err != nil {
		return "", err
	}
	var refused error
	err = a.Locked(ctx, production, func(tx pgx.Tx, p store.Production) error {
		if known, err := answered(ctx, tx, p.ID, request, &label); known || err != nil {
			return err
		}
		set, err := store.GetSet(ctx, tx, setID)
		if err != nil {
			return act.NotThere(err, "The set")
		}
		next := store.NextRedo
		if undo {
			next = store.NextUndo
		}
		entry, err := next(ctx, tx, p.ID, setID, act.ActorOf(ctx))
		if errors.Is(err, store.ErrNotFound) {
			return act.None("There is nothing left to %s.", map[bool]string{true: "undo", false: "redo"}[undo])
		}
		if err != nil {
			return err
		}
		label = entry.Label
		var changes []store.Change
		if err := json.Unmarshal(entry.Changes, &changes); err != nil {
			return fmt.Errorf("log entry %d: %w", entry.ID, err)
		}
		e := &Editor{a: a, Tx: tx, Set: set, rev: p.Revision + 1, seen: math.MaxInt64}
		if undo {
			slices.Reverse(changes)
		}
		for _, c := range changes {
			was := c.Before
			if undo {
				was = c.After
			}
			if refused, err = e.standsAs(ctx, &c, was, label, undo); err != nil {
				return fmt.Errorf("log entry %d: %w", entry.ID, err)
			}
			if refused != nil {
				return store.PassEntry(ctx, tx, entry.ID) // and nothing else
			}
		}
		for _, c := range changes {
			row := c.After
			if undo {
				row = c.Before
			}
			if err := e.restore(ctx, c.Kind, c.ID, row); err != nil {
				return fmt.Errorf("log entry %d: %w", entry.ID, err)
			}
		}
		if _, err := tx.Exec(ctx, "update log set undone = $2 where id = $1", entry.ID, undo); err != nil {
			return err
		}
		if err := keepAnswer(ctx, tx, p.ID, request, label); err != nil {
			return err
		}
		return a.commit(ctx, tx, production, e.rev)
	})
	if err == nil && refused != nil {
		return "", refused
	}
	if err == nil {
		a.Watch(setID)
	}
	return label, err
}

// Kept reports whether a request of a set's production was done that its sender does
// not know of.
func (a *Desk) Kept(ctx context.Context, set, request string) (bool, error) {
	production, err := a.ProductionOf(ctx, set)
	if err != nil {
		return false, err
	}
	_, err = store.Answered(ctx, a.Store.Pool, production, request)
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}

// answered tells what a request came to that was named and made before.
func answered(ctx context.Context, tx pgx.Tx, production, request string, into any) (known bool, err error) {
	if request == "" {
		return false, nil
	}
	raw, err := store.Answered(ctx, tx, production, request)
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	return true, json.Unmarshal(raw, into)
}

// keepAnswer remembers what a request that was named came to.
func keepAnswer(ctx context.Context, tx pgx.Tx, production, request string, answer any) error {
	if request == "" {
		return nil
	}
	raw, err := json.Marshal(answer)
	if err != nil {
		return err
	}
	return store.KeepAnswer(ctx, tx, production, request, raw)
}

// standsAs says, in words, why a change can no longer be taken back or done again:
// the row is not as the log left it.
func (e *Editor) standsAs(ctx context.Context, c *store.Change, was json.RawMessage, label string,
	undo bool) (refused, err error) {
	now, name, err := e.rowOf(ctx, c.Kind, c.ID)
	if err != nil {
		return nil, err
	}
	if alike, err := e.alike(c.Kind, was, now); err != nil || alike {
		return nil, err
	}
	if name == "" {
		name = "something that it changed"
	}
	word := map[bool]string{true: "undone", false: "done again"}[undo]
	what := name + " was changed since"
	if now == nil {
		what = name + " was taken away since"
	} else if nothing(was) {
		what = name + " was put in again since"
	}
	return act.Stale("“%s” can no longer be %s: %s, by another edit. Nothing was changed; "+
		"the next time it goes on with the edit before.", label, word, what), nil
}

func nothing(row json.RawMessage) bool { return len(row) == 0 || string(row) == "null" }

// rowOf is a row as it is now, nil when it is not there, and how it is called.
func (e *Editor) rowOf(ctx context.Context, kind, id string) (row any, name string, err error) {
	switch kind {
	case "placement":
		set, err := store.SetOf(ctx, e.Tx, e.Set.ProductionID, id)
		if errors.Is(err, store.ErrNotFound) {
			return nil, "", nil
		}
		if err != nil {
			return nil, "", err
		}
		list, err := store.PlacementsOf(ctx, e.Tx, set, []string{id})
		if err != nil || len(list) == 0 {
			return nil, "", err
		}
		return list[0].Placement, list[0].Name, nil
	case "element":
		list, err := e.elements(ctx)
		if err != nil {
			return nil, "", err
		}
		for i := range list {
			if list[i].ID == id {
				return list[i].Element, list[i].Name, nil
			}
		}
		return nil, "", nil
	case "shot":
		list, err := e.shots(ctx)
		if err != nil {
			return nil, "", err
		}
		for i := range list {
			if list[i].ID == id {
				return list[i].Shot, list[i].Name, nil
			}
		}
		return nil, "", nil
	case "set":
		return e.Set.Scene, "the view", nil
	case "piece":
		p, err := store.GetPiece(ctx, e.Tx, id)
		if errors.Is(err, store.ErrNotFound) {
			return nil, "", nil
		}
		if err != nil {
			return nil, "", err
		}
		edit, err := EditOf(&p)
		return edit, p.Name, err
	}
	return nil, "", fmt.Errorf("unknown kind %q", kind)
}

// alike compares a row of the log with one of the database: what the log kept
// before there was a field lacks it, and the database writes numbers its own way.
func (e *Editor) alike(kind string, logged json.RawMessage, now any) (bool, error) {
	if nothing(logged) || now == nil {
		return nothing(logged) && now == nil, nil
	}
	var was any
	switch kind {
	case "placement":
		was = &stage.Placement{}
	case "element":
		was = &lay.Element{}
	case "shot":
		was = &stage.Shot{}
	case "set":
		was = &stage.Scene{}
	default:
		was = &PieceEdit{}
	}
	if err := json.Unmarshal(logged, was); err != nil {
		return false, err
	}
	a, err := tree(was)
	if err != nil {
		return false, err
	}
	b, err := tree(now)
	return err == nil && same(a, b), err
}

func tree(v any) (out any, err error) {
	raw, err := json.Marshal(v)
	if err == nil {
		err = json.Unmarshal(raw, &out)
	}
	return out, err
}

// same compares values of JSON; what is not there, null and an empty list are one.
func same(a, b any) bool {
	if empty(a) && empty(b) {
		return true
	}
	switch x := a.(type) {
	case map[string]any:
		y, ok := b.(map[string]any)
		if !ok {
			return false
		}
		for k := range x {
			if !same(x[k], y[k]) {
				return false
			}
		}
		for k := range y {
			if _, had := x[k]; !had && !same(nil, y[k]) {
				return false
			}
		}
		return true
	case []any:
		y, ok := b.([]any)
		if !ok || len(x) != len(y) {
			return false
		}
		for i := range x {
			if !same(x[i], y[i]) {
				return false
			}
		}
		return true
	}
	return reflect.DeepEqual(a, b)
}

func empty(v any) bool {
	switch x := v.(type) {
	case nil:
		return true
	case []any:
		return len(x) == 0
	case map[string]any:
		return len(x) == 0
	case string:
		return x == ""
	}
	return false
}

// restore brings a row to what the log says it was.
func (e *Editor) restore(ctx context.Context, kind, id string, row json.RawMessage) error {
	gone := nothing(row)
	switch kind {
	case "placement":
		// The size of a piece moves what stands in other sets too.
		set, err := store.SetOf(ctx, e.Tx, e.Set.ProductionID, id)
		if errors.Is(err, store.ErrNotFound) {
			set = e.Set.ID
		} else if err != nil {
			return err
		}
		if gone {
			return store.Delete(ctx, e.Tx, "placement", set, id)
		}
		var p stage.Placement
		if err := json.Unmarshal(row, &p); err != nil {
			return err
		}
		return store.PutPlacement(ctx, e.Tx, set, p, e.rev)
	case "element":
		if gone {
			return store.Delete(ctx, e.Tx, "element", e.Set.ID, id)
		}
		var l lay.Element
		if err := json.Unmarshal(row, &l); err != nil {
			return err
		}
		return store.PutElement(ctx, e.Tx, e.Set.ID, l, e.rev)
	case "shot":
		if gone {
			return store.Delete(ctx, e.Tx, "shot", e.Set.ID, id)
		}
		var s stage.Shot
		if err := json.Unmarshal(row, &s); err != nil {
			return err
		}
		return store.PutShot(ctx, e.Tx, e.Set.ID, s, e.rev)
	case "set":
		var s stage.Scene
		if err := json.Unmarshal(row, &s); err != nil {
			return err
		}
		return store.PutSet(ctx, e.Tx, e.Set.ProductionID, s, e.rev)
	case "piece":
		var p PieceEdit
		if err := json.Unmarshal(row, &p); err != nil {
			return err
		}
		return e.storePiece(ctx, id, &p)
	}
	return fmt.Errorf("unknown kind %q", kind)
}
