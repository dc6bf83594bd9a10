package desk

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
		e := &Editor{a: a, Tx: tx, Set: set, Rev: p.Revision + 1, seen: math.MaxInt64}
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
		return a.commit(ctx, tx, production, e.Rev)
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
	if alike, err := alike(c.Kind, was, now); err != nil || alike {
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

// kinds are those of the rows that the log keeps, by the name that it has for them: each
// makes an empty one.
var kinds = map[string]func() any{
	"placement": func() any { return &stage.Placement{} },
	"element":   func() any { return &lay.Element{} },
	"shot":      func() any { return &stage.Shot{} },
	"set":       func() any { return &stage.Scene{} },
	"piece":     func() any { return &PieceEdit{} },
}

// rowOf is a row as it is now, nil when it is not there, and how it is called.
func (e *Editor) rowOf(ctx context.Context, kind, id string) (row any, name string, err error) {
	if kinds[kind] == nil {
		return nil, "", fmt.Errorf("unknown kind %q", kind)
	}
	switch kind {
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
	_, doc, err := store.Document(ctx, e.Tx, e.Set.ProductionID, kind, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil, "", nil
	}
	if err != nil {
		return nil, "", err
	}
	if row, err = read(kind, doc); err != nil {
		return nil, "", err
	}
	var named struct{ Name string }
	return row, named.Name, json.Unmarshal(doc, &named)
}

// read is a row of a kind as a value: what it was written without is as it begins.
func read(kind string, row json.RawMessage) (any, error) {
	empty := kinds[kind]
	if empty == nil {
		return nil, fmt.Errorf("unknown kind %q", kind)
	}
	v := empty()
	return v, json.Unmarshal(row, v)
}

// alike compares a row of the log with one of the database: what the log kept
// before there was a field lacks it, and the database writes numbers its own way.
func alike(kind string, logged json.RawMessage, now any) (bool, error) {
	if nothing(logged) || now == nil {
		return nothing(logged) && now == nil, nil
	}
	was, err := read(kind, logged)
	if err != nil {
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
	var v any
	if !nothing(row) || kind == "set" || kind == "piece" { // these are never taken away
		var err error
		if v, err = read(kind, row); err != nil {
			return err
		}
	}
	switch v := v.(type) {
	case *stage.Scene:
		return store.PutSet(ctx, e.Tx, e.Set.ProductionID, *v, e.Rev)
	case *PieceEdit:
		return e.storePiece(ctx, id, v)
	}
	// The size of a piece moves what stands in other sets too.
	set, _, err := store.Document(ctx, e.Tx, e.Set.ProductionID, kind, id)
	if errors.Is(err, store.ErrNotFound) {
		set = e.Set.ID
	} else if err != nil {
		return err
	}
	if v == nil {
		return store.DeleteDocument(ctx, e.Tx, set, kind, id)
	}
	return store.PutDocument(ctx, e.Tx, set, kind, id, v, e.Rev)
}
