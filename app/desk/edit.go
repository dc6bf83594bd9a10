package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync/atomic"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/measure"
	"visator/app/query"
	"visator/core/frame"
	"visator/core/snag"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
)

// Edits counts the edits that were kept since the program started.
var Edits atomic.Int64

// Request is what a person did, against the revision that they saw.
type Request struct {
	Revision int64     `json:"revision"`
	Commands []Command `json:"commands"`
	// Request names the edit, when its sender may have to send it again: what was
	// done under a name is answered and not done twice.
	Request string `json:"request"`
}

// read are the things that a request does; nothing is done when one of them cannot be read.
func (r *Request) read(op func(*Command) (Op, error)) (list []Op, err error) {
	if len(r.Commands) == 0 || len(r.Commands) > maxCommands {
		return nil, act.Wrong("An edit has 1 to %d commands.", maxCommands)
	}
	if act.Named(r.Request) != nil {
		return nil, act.Wrong("An edit is named, not described.")
	}
	for i := range r.Commands {
		o, err := op(&r.Commands[i])
		if err != nil {
			return nil, err
		}
		list = append(list, o)
	}
	return list, nil
}

// maxCommands bounds an edit: all things of a large set, moved one by one.
const maxCommands = 5000

// Answer is what became of it.
type Answer struct {
	Revision int64    `json:"revision"`
	Made     []string `json:"made"` // new rows
	Label    string   `json:"label"`

	// What became of placements, when the edit touched nothing else: a page that
	// knows the revision before needs to ask for no more.
	Only    bool                   `json:"only"`
	Changed []query.PlacementState `json:"changed"`
	Gone    []string               `json:"gone"`
	Placed  string                 `json:"placed"` // what the placements are now, when some are gone: store.Placed

	Touched []string                   `json:"touched"` // topics whose documents were changed
	Topics  map[string]json.RawMessage `json:"topics"`  // the set and its shots, when they were changed
}

// Editor does commands within one transaction.
type Editor struct {
	a        *Desk
	Tx       pgx.Tx
	Set      store.Set
	Ruler    unit.Ruler
	seen     int64 // revision that the person saw; -1: any
	Rev      int64 // revision that this edit makes
	changes  []store.Change
	Made     []string
	Label    string
	sized    int                  // pieces whose size it changed
	places   []store.PlacementRow // all of them, read on first use
	byID     map[string]*store.PlacementRow
	names    map[string]int     // how often each is taken, from first use on
	Elems    []store.ElementRow // all of them, read on first use
	moved    map[string]bool    // placements that were changed since they were felt
	Snapshot *measure.Snapshot  // the set as it is felt, before and
	solids   []snag.Solid       // with what this edit changed
}

// Meter is the exposure value that a meter gives the set's light in a picture.
func (e *Editor) Meter(ctx context.Context, m *frame.Moment, p *frame.Picture) float64 {
	return e.a.Meter(ctx, &e.Set.Light, m, p)
}

// Edit does all commands of a request, or none. A row that was changed after the
// revision that the person saw refuses the edit with ErrStale. What takes long to be worked out is
// worked out before the production is held, and again when it was changed meanwhile; so nobody
// waits for it.
func (a *Desk) Edit(ctx context.Context, setID string, req Request) (res Answer, err error) {
	list, err := req.read(a.op)
	if err != nil {
		return res, err
	}
	production, err := a.ProductionOf(ctx, setID)
	if err != nil {
		return res, err
	}
	if slices.ContainsFunc(list, func(o Op) bool { f, is := o.(Feeling); return is && f.Feels() }) {
		for range maxTries {
			err = a.workedOut(ctx, production, func(tx pgx.Tx, p store.Production, hold func() error) error {
				res, err = a.do(ctx, tx, p, setID, req, list, hold)
				return err
			})
			if !store.Overtaken(err) {
				return a.done(setID, req, res, err)
			}
		}
	}
	err = a.Locked(ctx, production, func(tx pgx.Tx, p store.Production) error {
		res, err = a.do(ctx, tx, p, setID, req, list, func() error { return nil })
		return err
	})
	return a.done(setID, req, res, err)
}

// maxTries is how often an edit is worked out before it holds up others: whoever edits on and on
// does not keep it from ever being done.
const maxTries = 2

// Feeling is an op that may have to feel where things touch, or what the camera sees, which takes
// long in a large set.
type Feeling interface{ Feels() bool }

// workedOut does something to a production in a transaction that sees it as it is now. It is held
// from when hold is called; when another changed it since, that fails, store.Overtaken, and nothing
// is done.
func (a *Desk) workedOut(ctx context.Context, production string,
	do func(tx pgx.Tx, p store.Production, hold func() error) error) error {
	return a.Store.Moment(ctx, func(tx pgx.Tx) error {
		p, err := store.GetProduction(ctx, tx, production)
		if err != nil {
			return act.NotThere(err, "The production")
		}
		return do(tx, p, func() error { return store.HoldProduction(ctx, tx, production) })
	})
}

// done tells of an edit that was done.
func (a *Desk) done(setID string, req Request, res Answer, err error) (Answer, error) {
	if errors.Is(err, store.ErrElsewhere) {
		err = act.Wrong("One of the things named here belongs to another set. Nothing was changed.")
	}
	if err != nil {
		return Answer{}, err
	}
	Edits.Add(1)
	if res.Revision > req.Revision {
		a.Watch(setID)
	}
	return res, nil
}

// do does the commands of a request within a transaction. Before it writes the log it calls hold,
// from when on nobody else changes the production.
func (a *Desk) do(ctx context.Context, tx pgx.Tx, p store.Production, setID string, req Request, list []Op,
	hold func() error) (res Answer, err error) {
	set, err := store.GetSet(ctx, tx, setID)
	if err != nil {
		return res, act.NotThere(err, "The set")
	}
	if known, err := answered(ctx, tx, p.ID, req.Request, &res); known || err != nil {
		return res, err
	}
	e := &Editor{a: a, Tx: tx, Set: set, Ruler: unit.RulerOf(p.Unit), seen: req.Revision, Rev: p.Revision + 1}
	for _, o := range list {
		if err := o.Do(ctx, e); err != nil {
			return res, err
		}
	}
	res = Answer{Revision: p.Revision, Made: e.Made, Label: e.Label}
	if len(e.changes) == 0 {
		return res, nil
	}
	if len(req.Commands) > max(e.sized, 1) {
		e.Label = fmt.Sprintf("%s and %d more", e.Label, len(req.Commands)-1)
	}
	res.Revision = e.Rev
	if err := e.tell(ctx, &res); err != nil {
		return res, err
	}
	if len(res.Gone) > 0 {
		if res.Placed, err = store.PlacedNow(ctx, tx, setID); err != nil {
			return res, err
		}
	}
	if err := e.tellTopics(ctx, &res); err != nil {
		return res, err
	}
	if err := hold(); err != nil {
		return res, err
	}
	if err := e.record(ctx); err != nil {
		return res, err
	}
	return res, keepAnswer(ctx, tx, p.ID, req.Request, Answer{Revision: res.Revision, Made: res.Made, Label: res.Label})
}

// maxTold is how many placements an edit's answer tells; of more a page asks for
// everything.
const maxTold = 500

// tell fills in what became of placements.
func (e *Editor) tell(ctx context.Context, res *Answer) error {
	if len(e.changes) > maxTold {
		return nil
	}
	var pieces []store.Piece
	known := map[string]bool{}
	for _, c := range e.changes {
		if c.Kind != "placement" {
			return nil
		}
		if r := e.byID[c.ID]; len(c.After) > 0 && r != nil && r.Piece != "" && !known[r.Piece] {
			known[r.Piece] = true
			p, err := store.GetPiece(ctx, e.Tx, r.Piece)
			if err != nil {
				return err
			}
			pieces = append(pieces, p)
		}
	}
	l, err := e.a.NewLibrary(pieces, nil)
	if err != nil {
		return err
	}
	for _, c := range e.changes {
		if len(c.After) == 0 {
			res.Gone = append(res.Gone, c.ID)
			continue
		}
		var p stage.Placement
		if err := json.Unmarshal(c.After, &p); err != nil {
			return err
		}
		res.Changed = append(res.Changed, query.Placed(&p, l, 0))
	}
	res.Only = true
	return nil
}

// record writes what was done into the log and announces it.
func (e *Editor) record(ctx context.Context) error {
	changes, err := json.Marshal(e.changes)
	if err != nil {
		return err
	}
	if err := store.InsertEntry(ctx, e.Tx, store.Entry{ProductionID: e.Set.ProductionID, SetID: e.Set.ID,
		Revision: e.Rev, Label: e.Label, Changes: changes, Actor: act.ActorOf(ctx)}); err != nil {
		return err
	}
	return e.a.commit(ctx, e.Tx, e.Set.ProductionID, e.Rev)
}

func (a *Desk) commit(ctx context.Context, tx pgx.Tx, production string, rev int64) error {
	if _, err := tx.Exec(ctx, "update production set revision = $2 where id = $1", production, rev); err != nil {
		return err
	}
	return act.Announce(ctx, tx, act.Announcement{Production: production, What: "edit", Revision: rev})
}

// Stale refuses what was changed, as of revision rev, after the person saw it; what names it.
func (e *Editor) Stale(rev int64, what string) error {
	if e.seen >= 0 && rev > e.seen && rev < e.Rev { // what this edit wrote itself is of e.rev
		return act.Stale("%s was changed elsewhere meanwhile. Nothing of yours was applied; look again and repeat it.",
			what)
	}
	return nil
}

// Placements are all of the set, read on first use; what was read one by one
// before is among them as it is now.
func (e *Editor) Placements(ctx context.Context) ([]store.PlacementRow, error) {
	if e.places == nil {
		list, err := store.Placements(ctx, e.Tx, e.Set.ID)
		if err != nil {
			return nil, err
		}
		e.places = list
		e.index()
	}
	return e.places, nil
}

// index finds rows of the list by their name.
func (e *Editor) index() {
	e.byID = make(map[string]*store.PlacementRow, len(e.places))
	for i := range e.places {
		e.byID[e.places[i].ID] = &e.places[i]
	}
}

// Placement is one of the set by its id. It is refused when it was changed after the person saw it.
func (e *Editor) Placement(ctx context.Context, id string) (*store.PlacementRow, error) {
	if r := e.byID[id]; r != nil {
		return r, e.Stale(r.Rev, r.Name)
	}
	if e.places == nil {
		list, err := store.PlacementsOf(ctx, e.Tx, e.Set.ID, []string{id})
		if err != nil {
			return nil, err
		}
		if len(list) == 1 {
			if e.byID == nil {
				e.byID = map[string]*store.PlacementRow{}
			}
			e.byID[id] = &list[0]
			return &list[0], e.Stale(list[0].Rev, list[0].Name)
		}
	}
	return nil, act.NotThere(store.ErrNotFound, "The placement")
}

// Taken says whether a placement has a name; all were read before.
func (e *Editor) Taken(name string) bool {
	if e.names == nil {
		e.names = make(map[string]int, len(e.places))
		for i := range e.places {
			e.names[e.places[i].Name]++
		}
	}
	return e.names[name] > 0
}

// renamed keeps the names that are taken up to date.
func (e *Editor) renamed(from, to string) {
	if e.names == nil || from == to {
		return
	}
	e.names[from]--
	e.names[to]++
}

// Say is what the edit is called in the log; the first that is said counts.
func (e *Editor) Say(format string, args ...any) {
	if e.Label == "" {
		e.Label = fmt.Sprintf(format, args...)
	}
}

// Note remembers a change for the log; a row that was changed twice keeps its
// first before.
func (e *Editor) Note(kind, id string, before, after any) error {
	var b, a json.RawMessage
	var err error
	if before != nil {
		if b, err = json.Marshal(before); err != nil {
			return err
		}
	}
	if after != nil {
		if a, err = json.Marshal(after); err != nil {
			return err
		}
	}
	for i := range e.changes {
		if e.changes[i].Kind == kind && e.changes[i].ID == id {
			e.changes[i].After = a
			return nil
		}
	}
	e.changes = append(e.changes, store.Change{Kind: kind, ID: id, Before: b, After: a})
	return nil
}
