package app

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"

	"github.com/jackc/pgx/v5"

	"visator/core/geom"
	"visator/core/plain"
	"visator/core/snag"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
)

// Command is one thing that an edit does.
type Command struct {
	Do      string          `json:"do"`
	Kind    string          `json:"kind"` // of the row: placement, shot, set, piece
	ID      string          `json:"id"`
	IDs     []string        `json:"ids"`
	Patch   json.RawMessage `json:"patch"`
	Piece   string          `json:"piece"`
	StandIn string          `json:"standIn"`
	At      geom.V          `json:"at"`
	Name    string          `json:"name"`
	Of      string          `json:"of"`     // what of it, as each deed says: here, of a place that was pointed at; width, height or depth; distance: between two points of the piece; proportions: none, it gets those back that it came with
	Metres  float64         `json:"metres"` // for a true dimension
	Was     float64         `json:"was"`    // metres that a distance measured before
	Alone   bool            `json:"alone"`  // the other dimensions stay, not the proportions
	Like    string          `json:"like"`   // a placement that is as long, instead of metres
	LikeOf  string          `json:"likeOf"` // its width, height or depth
	Rest    bool            `json:"rest"`   // what is placed comes to rest on what is beneath
	Seed    uint64          `json:"seed"`   // of chance
	Turn    float64         `json:"turn"`   // radians, of copies
}

// EditRequest is what a person did, against the revision that they saw.
type EditRequest struct {
	Revision int64     `json:"revision"`
	Deeds    []Command `json:"deeds"`
	// Request names the edit, when its sender may have to send it again: what was
	// done under a name is answered and not done twice.
	Request string `json:"request"`
}

// check says what of a request could not be kept, whatever it means.
func (r *EditRequest) check() error {
	if len(r.Deeds) == 0 || len(r.Deeds) > 5000 {
		return wrong("An edit has 1 to 5000 deeds.")
	}
	if len(r.Request) > maxID {
		return wrong("An edit is named, not described.")
	}
	for i := range r.Deeds {
		if err := r.Deeds[i].check(); err != nil {
			return wrong("The edit cannot be taken: %v", err)
		}
	}
	return nil
}

// maxID is the longest name of a row, in bytes: those that are made here have 30 at
// most.
const maxID = 200

func (d *Command) check() error {
	for _, s := range append([]string{d.Do, d.Kind, d.ID, d.Piece, d.StandIn, d.Of, d.Like, d.LikeOf}, d.IDs...) {
		if err := plain.Text(s); err != nil {
			return err
		}
		if len(s) > 2000 { // what names a snag holds the ids of all in it
			return fmt.Errorf("%.40q... is no name of anything", s)
		}
	}
	for _, x := range []float64{d.At.X, d.At.Y, d.At.Z, d.Metres, d.Was, d.Turn} {
		if err := plain.Number(x); err != nil {
			return err
		}
	}
	return cmp.Or(plain.Text(d.Name), plain.JSON(d.Patch))
}

// EditResult is what became of it.
type EditResult struct {
	Revision int64    `json:"revision"`
	Made     []string `json:"made"` // new rows
	Label    string   `json:"label"`

	// What became of placements, when the edit touched nothing else: a page that
	// knows the revision before needs to ask for no more.
	Only    bool             `json:"only"`
	Changed []PlacementState `json:"changed"`
	Gone    []string         `json:"gone"`

	Touched []string                   `json:"touched"` // topics whose documents were changed
	Topics  map[string]json.RawMessage `json:"topics"`  // the set and its shots, when they were changed
}

// Change is one row before and after; null where it was not or is no more.
type Change struct {
	Kind   string          `json:"kind"`
	ID     string          `json:"id"`
	Before json.RawMessage `json:"before"`
	After  json.RawMessage `json:"after"`
}

// editor does deeds within one transaction.
type editor struct {
	a       *App
	tx      pgx.Tx
	set     store.Set
	in      unit.Ruler
	seen    int64 // revision that the person saw; -1: any
	rev     int64 // revision that this edit makes
	changes []Change
	made    []string
	label   string
	sized   int                  // pieces whose size it changed
	places  []store.PlacementRow // all of them, read on first use
	byID    map[string]*store.PlacementRow
	names   map[string]int     // how often each is taken, from first use on
	elems   []store.ElementRow // all of them, read on first use
	moved   map[string]bool    // placements that were changed since they were felt
	now     *snapshot          // the set as it is felt, before and
	solids  []snag.Solid       // with what this edit changed
}

// Edit does all deeds of a request, or none. A row that was changed after the
// revision that the person saw refuses the edit with ErrStale.
func (a *App) Edit(ctx context.Context, setID string, req EditRequest) (res EditResult, err error) {
	if err := req.check(); err != nil {
		return res, err
	}
	production, err := a.turnOf(ctx, setID)
	if err != nil {
		return res, err
	}
	// Who waits for an edit before does so here, not with a connection in hand.
	done, err := a.turns.take(ctx, production)
	if err != nil {
		return res, err
	}
	defer done()
	err = a.Store.Tx(ctx, func(tx pgx.Tx) error {
		set, err := store.GetSet(ctx, tx, setID)
		if err != nil {
			return notThere(err, "The set")
		}
		p, err := store.LockProduction(ctx, tx, set.ProductionID)
		if err != nil {
			return notThere(err, "The production")
		}
		// Read again under the lock: the row may have changed meanwhile.
		if set, err = store.GetSet(ctx, tx, setID); err != nil {
			return notThere(err, "The set")
		}
		if known, err := answered(ctx, tx, p.ID, req.Request, &res); known || err != nil {
			return err
		}
		e := &editor{a: a, tx: tx, set: set, in: unit.RulerOf(p.Unit), seen: req.Revision, rev: p.Revision + 1}
		for i := range req.Deeds {
			if err := e.do(ctx, &req.Deeds[i]); err != nil {
				return err
			}
		}
		res = EditResult{Revision: p.Revision, Made: e.made, Label: e.label}
		if len(e.changes) == 0 {
			return nil
		}
		if len(req.Deeds) > max(e.sized, 1) {
			e.label = fmt.Sprintf("%s and %d more", e.label, len(req.Deeds)-1)
		}
		res.Revision = e.rev
		if err := e.tell(ctx, &res); err != nil {
			return err
		}
		if err := e.tellTopics(ctx, &res); err != nil {
			return err
		}
		if err := e.record(ctx); err != nil {
			return err
		}
		return keepAnswer(ctx, tx, p.ID, req.Request, EditResult{Revision: res.Revision, Made: res.Made, Label: res.Label})
	})
	if errors.Is(err, store.ErrElsewhere) {
		err = wrong("One of the things named here belongs to another set. Nothing was changed.")
	}
	if err == nil {
		Edits.Add(1)
	}
	if err == nil && res.Revision > req.Revision {
		a.Watch(setID)
	}
	return res, err
}

// maxTold is how many placements an edit's answer tells; of more a page asks for
// everything.
const maxTold = 500

// tell fills in what became of placements.
func (e *editor) tell(ctx context.Context, res *EditResult) error {
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
			p, err := store.GetPiece(ctx, e.tx, r.Piece)
			if err != nil {
				return err
			}
			pieces = append(pieces, p)
		}
	}
	l, err := e.a.newLibrary(pieces, nil)
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
		res.Changed = append(res.Changed, placementState(&p, l, 0))
	}
	res.Only = true
	return nil
}

// record writes what was done into the log and announces it.
func (e *editor) record(ctx context.Context) error {
	changes, err := json.Marshal(e.changes)
	if err != nil {
		return err
	}
	if err := store.InsertEntry(ctx, e.tx, store.Entry{ProductionID: e.set.ProductionID, SetID: e.set.ID, Revision: e.rev, Label: e.label, Changes: changes, Actor: ActorOf(ctx)}); err != nil {
		return err
	}
	return e.a.commit(ctx, e.tx, e.set.ProductionID, e.rev)
}

func (a *App) commit(ctx context.Context, tx pgx.Tx, production string, rev int64) error {
	if _, err := tx.Exec(ctx, "update production set revision = $2 where id = $1", production, rev); err != nil {
		return err
	}
	raw, _ := json.Marshal(Announcement{Production: production, What: "edit", Revision: rev})
	_, err := tx.Exec(ctx, "select pg_notify($1, $2)", Channel, string(raw))
	return err
}

func (e *editor) stale(rev int64, what string) error {
	if e.seen >= 0 && rev > e.seen && rev < e.rev { // what this edit wrote itself is of e.rev
		return &Problem{what + " was changed elsewhere meanwhile. Nothing of yours was applied; look again and repeat it.", ErrStale}
	}
	return nil
}

// placements are all of the set, read on first use; what was read one by one
// before is among them as it is now.
func (e *editor) placements(ctx context.Context) ([]store.PlacementRow, error) {
	if e.places == nil {
		list, err := store.Placements(ctx, e.tx, e.set.ID)
		if err != nil {
			return nil, err
		}
		e.places = list
		e.index()
	}
	return e.places, nil
}

// index finds rows of the list by their name.
func (e *editor) index() {
	e.byID = make(map[string]*store.PlacementRow, len(e.places))
	for i := range e.places {
		e.byID[e.places[i].ID] = &e.places[i]
	}
}

func (e *editor) placement(ctx context.Context, id string) (*store.PlacementRow, error) {
	if r := e.byID[id]; r != nil {
		return r, e.stale(r.Rev, r.Name)
	}
	if e.places == nil {
		list, err := store.PlacementsOf(ctx, e.tx, e.set.ID, []string{id})
		if err != nil {
			return nil, err
		}
		if len(list) == 1 {
			if e.byID == nil {
				e.byID = map[string]*store.PlacementRow{}
			}
			e.byID[id] = &list[0]
			return &list[0], e.stale(list[0].Rev, list[0].Name)
		}
	}
	return nil, notThere(store.ErrNotFound, "The placement")
}

// taken says whether a placement has a name; all were read before.
func (e *editor) taken(name string) bool {
	if e.names == nil {
		e.names = make(map[string]int, len(e.places))
		for i := range e.places {
			e.names[e.places[i].Name]++
		}
	}
	return e.names[name] > 0
}

// renamed keeps the names that are taken up to date.
func (e *editor) renamed(from, to string) {
	if e.names == nil || from == to {
		return
	}
	e.names[from]--
	e.names[to]++
}

func (e *editor) say(format string, args ...any) {
	if e.label == "" {
		e.label = fmt.Sprintf(format, args...)
	}
}

// note remembers a change for the log; a row that was changed twice keeps its
// first before.
func (e *editor) note(kind, id string, before, after any) error {
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
	e.changes = append(e.changes, Change{kind, id, b, a})
	return nil
}

// plainly are the deeds that are neither of dressing nor of filming.
var plainly = map[string]func(e *editor, ctx context.Context, d *Command) error{
	"place":       (*editor).place,
	"change":      (*editor).change,
	"copy":        (*editor).copy,
	"delete":      (*editor).eachOf,
	"keep":        (*editor).shot,
	"go":          (*editor).shot,
	"deleteShot":  (*editor).shot,
	"order shots": (*editor).orderShots,
	"copy shot":   (*editor).copyShot,
	"repeat":      (*editor).setRepeat,
	"true":        (*editor).trueSize,
	"pivot":       (*editor).pivot,
	"recipe":      (*editor).recipe,
}

// DeedNames are the deeds that there are.
func DeedNames() []string {
	list := slices.Collect(maps.Keys(plainly))
	list = slices.AppendSeq(list, maps.Keys(dressing))
	list = slices.AppendSeq(list, maps.Keys(filming))
	slices.Sort(list)
	return list
}

func (e *editor) do(ctx context.Context, d *Command) error {
	if do := dressing[d.Do]; do != nil {
		return do(e, ctx, d)
	}
	if do := filming[d.Do]; do != nil {
		return e.film(ctx, d, do)
	}
	if do := plainly[d.Do]; do != nil {
		return do(e, ctx, d)
	}
	return wrong("%q is not a deed", d.Do)
}
