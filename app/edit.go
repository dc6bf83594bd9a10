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

	"visator/core/assembly"
	"visator/core/geom"
	"visator/core/intake/credit"
	"visator/core/intake/recipe"
	"visator/core/plain"
	"visator/core/sizing"
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
	Placed  string                     `json:"placed"`  // the tag of the placements as they are now
}

// Change is one row before and after; null where it was not or is no more.
type Change struct {
	Kind   string          `json:"kind"`
	ID     string          `json:"id"`
	Before json.RawMessage `json:"before"`
	After  json.RawMessage `json:"after"`
}

// pieceEdit is what of a piece can be edited.
type pieceEdit struct {
	Name      string          `json:"name"`
	Sizing    sizing.Sizing   `json:"sizing"`
	Gone      bool            `json:"gone"`
	Recipe    recipe.Recipe   `json:"recipe"`
	Credit    credit.Credit   `json:"credit"`
	Tags      []string        `json:"tags"`
	Favourite bool            `json:"favourite"`
	Arrival   string          `json:"arrival"`
	Source    string          `json:"source"`
	News      *recipe.Carried `json:"news"`
}

func (p *pieceEdit) Check() error {
	if len(p.Name) == 0 || len(p.Name) > 200 {
		return fmt.Errorf("a name has 1 to 200 characters")
	}
	if len(p.Tags) > 100 {
		return fmt.Errorf("a piece has 100 tags at most")
	}
	for _, t := range p.Tags {
		if t == "" || len(t) > 60 {
			return fmt.Errorf("a tag has 1 to 60 characters")
		}
	}
	return cmp.Or(p.Sizing.Check(), p.Recipe.Check(), p.Credit.Check())
}

// editOf reads what of a piece can be edited.
func editOf(row *store.Piece) (p pieceEdit, err error) {
	p = pieceEdit{Name: row.Name, Gone: row.Gone, Favourite: row.Favourite, Arrival: row.ArrivalID, Source: row.Source}
	err = cmp.Or(json.Unmarshal(row.Sizing, &p.Sizing), json.Unmarshal(row.Recipe, &p.Recipe), json.Unmarshal(row.Credit, &p.Credit), json.Unmarshal(row.Tags, &p.Tags))
	if err == nil && len(row.News) > 0 {
		err = json.Unmarshal(row.News, &p.News)
	}
	if err != nil {
		err = fmt.Errorf("piece %s: %w", row.ID, err)
	}
	return p, err
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
	w := assembly.Set{Pieces: l}
	for _, c := range e.changes {
		if len(c.After) == 0 {
			res.Gone = append(res.Gone, c.ID)
			continue
		}
		var p stage.Placement
		if err := json.Unmarshal(c.After, &p); err != nil {
			return err
		}
		box := w.BoxOf(&p)
		res.Changed = append(res.Changed, PlacementState{p, box.Size().Times(p.Scale), box, p.World(), 0})
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

func (e *editor) place(ctx context.Context, d *Command) error {
	list, err := e.placements(ctx)
	if err != nil {
		return err
	}
	p := stage.Placement{StandIn: d.StandIn, Piece: d.Piece, Name: d.Name, At: d.At, Scale: geom.V{X: 1, Y: 1, Z: 1}}
	if d.StandIn != "" {
		p.Size, p.Piece = stage.StandIns[d.StandIn], ""
		if p.Name == "" {
			p.Name = d.StandIn
		}
	} else {
		piece, err := store.GetPiece(ctx, e.tx, d.Piece)
		if err != nil || piece.Gone || piece.ProductionID != e.set.ProductionID {
			return notThere(store.ErrNotFound, "The piece")
		}
		if p.Name == "" {
			p.Name = piece.Name
		}
	}
	p.Name = stage.NextName(p.Name, e.taken)
	p.ID = store.NewID()
	p.Order = lastly(list)
	if len(d.Patch) > 0 {
		own := p
		if err := stage.Patch(&p, d.Patch); err != nil {
			return wrong("%v", err)
		}
		p.ID, p.Piece, p.StandIn = own.ID, own.Piece, own.StandIn // these are not told
		p.Order = min(p.Order, lastly(list))
	}
	if err := p.Check(); err != nil {
		return wrong("%v", err)
	}
	if d.Rest {
		if err := e.restAt(ctx, &p, d.Of == "here"); err != nil {
			return err
		}
	}
	e.say("place %s", p.Name)
	return e.add(ctx, p)
}

// lastly is the order behind all placements.
func lastly(list []store.PlacementRow) int {
	return after(list, func(r *store.PlacementRow) int { return r.Order })
}

// after is the order behind all rows of a list.
func after[T any](list []T, order func(*T) int) int {
	last := -1
	for i := range list {
		last = max(last, order(&list[i]))
	}
	return stage.Next(last)
}

// add puts in a new placement.
func (e *editor) add(ctx context.Context, p stage.Placement) error {
	if _, err := e.placements(ctx); err != nil {
		return err
	}
	grown := len(e.places) == cap(e.places)
	e.places = append(e.places, store.PlacementRow{Placement: p, Rev: e.seen})
	if grown { // the rows have moved
		e.index()
	} else {
		e.byID[p.ID] = &e.places[len(e.places)-1]
	}
	e.made = append(e.made, p.ID)
	e.touch(p.ID)
	e.renamed("", p.Name)
	if err := store.PutPlacement(ctx, e.tx, e.set.ID, p, e.rev); err != nil {
		return err
	}
	return e.note("placement", p.ID, nil, p)
}

func (e *editor) putPlacement(ctx context.Context, row *store.PlacementRow, before stage.Placement) error {
	e.touch(row.ID)
	e.renamed(before.Name, row.Name)
	if err := store.PutPlacement(ctx, e.tx, e.set.ID, row.Placement, e.rev); err != nil {
		return err
	}
	return e.note("placement", row.ID, before, row.Placement)
}

// touch remembers that a placement is not where it was felt.
func (e *editor) touch(id string) {
	if e.moved == nil {
		e.moved = map[string]bool{}
	}
	e.moved[id] = true
}

func (e *editor) change(ctx context.Context, d *Command) error {
	switch d.Kind {
	case "placement":
		row, err := e.placement(ctx, d.ID)
		if err != nil {
			return err
		}
		before := row.Placement
		if err := stage.Patch(&row.Placement, d.Patch); err != nil {
			return wrong("%s: %v", before.Name, err)
		}
		row.ID, row.Piece, row.StandIn = before.ID, before.Piece, before.StandIn
		if row.Order != before.Order {
			last, err := store.LastOrder(ctx, e.tx, e.set.ID)
			if err != nil {
				row.Placement = before
				return err
			}
			row.Order = min(row.Order, stage.Next(last))
		}
		moved := row.At != before.At || row.Yaw != before.Yaw || row.Pitch != before.Pitch || row.Roll != before.Roll || row.Scale != before.Scale
		if (before.Locked && row.Locked || e.lockedLayer(ctx, row.Layer)) && moved {
			row.Placement = before
			return wrong("%s is locked; unlock it first", before.Name)
		}
		switch {
		case row.Name != before.Name:
			e.say("rename %s to %s", before.Name, row.Name)
		case row.Hidden != before.Hidden:
			e.say("%s %s", map[bool]string{true: "hide", false: "show"}[row.Hidden], row.Name)
		case row.Locked != before.Locked:
			e.say("%s %s", map[bool]string{true: "lock", false: "unlock"}[row.Locked], row.Name)
		case row.At != before.At:
			e.say("move %s", row.Name)
		case row.Scale != before.Scale:
			e.say("scale %s", row.Name)
		default:
			e.say("turn %s", row.Name)
		}
		return e.putPlacement(ctx, row, before)
	case "element":
		return e.changeElement(ctx, d)
	case "set":
		before := e.set.Scene
		if err := e.stale(e.set.Rev, "The view"); err != nil {
			return err
		}
		if err := stage.Patch(&e.set.Scene, d.Patch); err != nil {
			return wrong("%v", err)
		}
		e.set.ID = before.ID
		if err := e.pictured(ctx, &before.ShotSettings, &e.set.ShotSettings); err != nil {
			e.set.Scene = before
			return err
		}
		e.say("change the %s", sceneField(d.Patch))
		return e.putSet(ctx, before)
	case "shot":
		return e.patchShot(ctx, d)
	case "piece":
		return e.patchPiece(ctx, d)
	}
	return wrong("rows of the kind %q are not changed", d.Kind)
}

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

// eachOf copies or deletes all that a deed names.
func (e *editor) eachOf(ctx context.Context, d *Command) error {
	for _, id := range d.IDs {
		if err := e.each(ctx, d, id); err != nil {
			return err
		}
	}
	return nil
}

// each deletes one placement or element.
func (e *editor) each(ctx context.Context, d *Command, id string) error {
	if d.Do == "delete" {
		if _, err := e.elements(ctx); err != nil {
			return err
		}
		if i := slices.IndexFunc(e.elems, func(r store.ElementRow) bool { return r.ID == id }); i >= 0 {
			if err := e.stale(e.elems[i].Rev, e.elems[i].Name); err != nil {
				return err
			}
			return e.dropElement(ctx, &e.elems[i])
		}
	}
	row, err := e.placement(ctx, id)
	if err != nil {
		return err
	}
	before := row.Placement
	if d.Do == "delete" {
		if before.Locked || e.lockedLayer(ctx, before.Layer) {
			return wrong("%s is locked; unlock it first", before.Name)
		}
		e.say("delete %s", before.Name)
		if err := store.Delete(ctx, e.tx, "placement", e.set.ID, id); err != nil {
			return err
		}
		if e.places != nil {
			e.places = slices.DeleteFunc(e.places, func(r store.PlacementRow) bool { return r.ID == id })
			e.index()
		} else {
			delete(e.byID, id)
		}
		e.touch(id)
		e.renamed(before.Name, "")
		return e.note("placement", id, before, nil)
	}
	return wrong("%q is nothing that is done to each", d.Do)
}

// things are the visible placements as they are measured.
func (e *editor) things(ctx context.Context) ([]snag.Thing, error) {
	list, err := e.placements(ctx)
	if err != nil {
		return nil, err
	}
	boxes, err := e.boxes(ctx)
	if err != nil {
		return nil, err
	}
	elements, err := e.elements(ctx)
	if err != nil {
		return nil, err
	}
	s := &assembly.Set{Pieces: &library{a: e.a, boxes: boxes}, Kept: &e.set.ShotSettings, Elements: elementsOf(elements)}
	for i := range list {
		s.Placements = append(s.Placements, &list[i].Placement)
	}
	s.Resolve()
	return thingsOf(s), nil
}

// boxes are those of the production's pieces.
func (e *editor) boxes(ctx context.Context) (map[string]geom.Box, error) {
	pieces, err := store.Pieces(ctx, e.tx, e.set.ProductionID)
	if err != nil {
		return nil, err
	}
	return pieceBoxes(pieces)
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

func (e *editor) patchPiece(ctx context.Context, d *Command) error {
	return e.piece(ctx, d.ID, func(p *pieceEdit, row *store.Piece) error {
		before := *p
		if err := stage.Patch(p, d.Patch); err != nil {
			return err
		}
		// These have deeds of their own.
		p.Recipe, p.Arrival, p.Source, p.News = before.Recipe, before.Arrival, before.Source, before.News
		switch {
		case p.Gone != before.Gone:
			e.say("%s %s", map[bool]string{true: "take out of the library:", false: "bring back"}[p.Gone], before.Name)
		case p.Name != before.Name:
			e.say("rename %s to %s", before.Name, p.Name)
		case p.Credit != before.Credit:
			p.Credit.From = "by hand"
			e.say("credit of %s", before.Name)
		case !slices.Equal(p.Tags, before.Tags):
			e.say("tags of %s", before.Name)
		case p.Favourite != before.Favourite:
			e.say("%s %s", map[bool]string{true: "mark", false: "unmark"}[p.Favourite], before.Name)
		case p.Sizing.Light != before.Sizing.Light:
			if p.Sizing.Light > 0 {
				e.say("use a lighter version of %s", before.Name)
			} else {
				e.say("use %s itself", before.Name)
			}
		case p.Sizing.Scale() == before.Sizing.Scale() && p.Sizing.Up == before.Sizing.Up && p.Sizing.Decided == before.Sizing.Decided:
			e.say("stand %s right", before.Name)
			return e.stay(ctx, row, &before.Sizing, &p.Sizing)
		default:
			return cmp.Or(e.saySize(ctx, d.ID, before.Name), e.stay(ctx, row, &before.Sizing, &p.Sizing))
		}
		return nil
	})
}

// stay keeps the placements of a piece where they stand. When only its pivot
// changes nothing moves by that; when its size does and its pivot is where its
// file has it, the middle of its base stays. Other pivots are points that were
// chosen to stay.
func (e *editor) stay(ctx context.Context, row *store.Piece, before, after *sizing.Sizing) error {
	facts, _, err := pieceFacts(row)
	if err != nil {
		return err
	}
	var back geom.V
	switch same := before.Scale() == after.Scale() && before.Up == after.Up; {
	case same && (before.Turn != after.Turn || before.Sunk != after.Sunk): // these are to be seen
	case same:
		old, now := before.Transform(facts.Box()), after.Transform(facts.Box())
		back = geom.V{X: old[12] - now[12], Y: old[13] - now[13], Z: old[14] - now[14]}
	case before.Pivot == "" && after.Pivot == "":
		back = before.Foot(facts.Box()).Sub(after.Foot(facts.Box()))
	}
	if back.Len() < 1e-12 {
		return nil
	}
	list, err := e.placements(ctx)
	if err != nil {
		return err
	}
	for i := range list {
		if list[i].Piece != row.ID {
			continue
		}
		before := list[i].Placement
		world := before.World()
		list[i].At = world.Point(back)
		if err := e.putPlacement(ctx, &list[i], before); err != nil {
			return err
		}
	}
	others, sets, err := store.Elsewhere(ctx, e.tx, row.ID, e.set.ID)
	if err != nil {
		return err
	}
	for i := range others {
		before := others[i].Placement
		world := before.World()
		others[i].At = world.Point(back)
		if err := store.PutPlacement(ctx, e.tx, sets[i], others[i].Placement, e.rev); err != nil {
			return err
		}
		if err := e.note("placement", before.ID, before, others[i].Placement); err != nil {
			return err
		}
	}
	return nil
}

// pivot puts the pivot of a piece where the artist clicked, in metres from
// where it is.
func (e *editor) pivot(ctx context.Context, d *Command) error {
	return e.piece(ctx, d.ID, func(p *pieceEdit, row *store.Piece) error {
		facts, _, err := pieceFacts(row)
		if err != nil {
			return err
		}
		before := p.Sizing
		if err := p.Sizing.SetPoint(facts.Box(), d.At); err != nil {
			return err
		}
		e.say("pivot of %s", p.Name)
		return e.stay(ctx, row, &before, &p.Sizing)
	})
}

func (e *editor) trueSize(ctx context.Context, d *Command) error {
	return e.piece(ctx, d.ID, func(p *pieceEdit, row *store.Piece) error {
		facts, _, err := pieceFacts(row)
		if err != nil {
			return err
		}
		metres, before := d.Metres, p.Sizing
		if d.Like != "" {
			if metres, err = e.lengthOf(ctx, d.Like, d.LikeOf); err != nil {
				return err
			}
		}
		p.Sizing.Decided = true
		switch d.Of {
		case "distance":
			err = p.Sizing.SetDistance(d.Was, metres)
		case "proportions":
			err = p.Sizing.Even()
		default:
			err = p.Sizing.SetTrue(facts.Box(), d.Of, metres, !d.Alone)
		}
		return cmp.Or(err, e.saySize(ctx, d.ID, p.Name), e.stay(ctx, row, &before, &p.Sizing))
	})
}

// lengthOf is the width, height or depth of a placement, in metres.
func (e *editor) lengthOf(ctx context.Context, placement, of string) (float64, error) {
	row, err := e.placement(ctx, placement)
	if err != nil {
		return 0, err
	}
	boxes, err := e.boxes(ctx)
	if err != nil {
		return 0, err
	}
	axis, err := sizing.AxisOf(of)
	if err != nil {
		return 0, err
	}
	s := assembly.Set{Pieces: &library{boxes: boxes}}
	box := s.BoxOf(&row.Placement)
	return box.Size().Times(row.Scale).At(axis), nil
}

// saySize says whose size an edit changes, and how many placements with it.
func (e *editor) saySize(ctx context.Context, id, name string) error {
	if e.sized++; e.sized > 1 {
		e.label = fmt.Sprintf("size %d pieces", e.sized)
		return nil
	}
	n, sets, err := store.CountPlacements(ctx, e.tx, id)
	switch {
	case n == 1:
		e.say("size %s, 1 placement changes", name)
	case sets > 1:
		e.say("size %s, %d placements in %d sets change", name, n, sets)
	case n > 1:
		e.say("size %s, %d placements change", name, n)
	default:
		e.say("size %s", name)
	}
	return err
}

func (e *editor) piece(ctx context.Context, id string, do func(p *pieceEdit, row *store.Piece) error) error {
	row, err := store.GetPiece(ctx, e.tx, id)
	if err != nil || row.ProductionID != e.set.ProductionID {
		return notThere(store.ErrNotFound, "The piece")
	}
	if err := e.stale(row.Rev, row.Name); err != nil {
		return err
	}
	before, err := editOf(&row)
	if err != nil {
		return err
	}
	after, err := editOf(&row) // its own copy of everything
	if err != nil {
		return err
	}
	if err := do(&after, &row); err != nil {
		return wrong("%s: %v", row.Name, err)
	}
	if err := after.Check(); err != nil {
		return wrong("%s: %v", row.Name, err)
	}
	if err := e.storePiece(ctx, id, &after); err != nil {
		return err
	}
	return e.note("piece", id, before, after)
}

func (e *editor) storePiece(ctx context.Context, id string, p *pieceEdit) error {
	row := store.Piece{ID: id, Name: p.Name, Gone: p.Gone, Favourite: p.Favourite, ArrivalID: p.Arrival, Source: p.Source}
	if p.Tags == nil {
		p.Tags = []string{}
	}
	var errs [5]error
	row.Sizing, errs[0] = json.Marshal(p.Sizing)
	row.Recipe, errs[1] = json.Marshal(&p.Recipe)
	row.Credit, errs[2] = json.Marshal(p.Credit)
	row.Tags, errs[3] = json.Marshal(p.Tags)
	if p.News != nil {
		row.News, errs[4] = json.Marshal(p.News)
	}
	if err := cmp.Or(errs[:]...); err != nil {
		return err
	}
	if err := store.PutPiece(ctx, e.tx, &row, e.rev); err != nil {
		return err
	}
	return e.a.askMake(ctx, e.tx, &row)
}
