package app_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"visator/app"
	"visator/app/act"
	"visator/app/desk"
	"visator/app/edit"
	"visator/app/library"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/openexr"
	"visator/store"
)

// rows are all rows of a production that an edit could reach, as text.
func (d *studio) rows(production string) string {
	d.Helper()
	var out strings.Builder
	for _, sql := range []string{"select row_to_json(t)::text from production t where id = $1",
		"select row_to_json(t)::text from piece t where production_id = $1 order by id",
		"select row_to_json(t)::text from arrival t where production_id = $1 order by id",
		"select row_to_json(t)::text from sets t where production_id = $1 order by id",
		"select row_to_json(t)::text from document t where set_id in (select id from sets where production_id = $1) " +
			"order by kind, id",
		"select row_to_json(t)::text from take t where set_id in (select id from sets where production_id = $1) order by id",
		"select row_to_json(t)::text from log t where production_id = $1 order by id"} {
		rows, err := d.a.Store.Pool.Query(d.ctx, sql, production)
		if err != nil {
			d.Fatal(err)
		}
		for rows.Next() {
			var s string
			if err := rows.Scan(&s); err != nil {
				d.Fatal(err)
			}
			out.WriteString(s + "\n")
		}
		if err := rows.Err(); err != nil {
			d.Fatal(err)
		}
	}
	return out.String()
}

// Nothing that is done in one production reaches into another, whichever of the
// other's things is named in whichever field of whichever command.
func TestNothingReachesIntoAnotherProduction(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	mine := d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID}), edit.Do(&edit.Place{StandIn: "box"}),
		edit.Do(&edit.KeepShot{Name: "mine"})).Made
	other := &studio{TB: t, a: d.a, ctx: d.ctx}
	var err error
	if other.production, other.set, err = d.a.NewProduction(d.ctx, "other", "metre"); err != nil {
		t.Fatal(err)
	}
	ost := other.takeIn("box.glb", boxGLB(t))
	room, _ := json.Marshal(lay.Room{Outline: []lay.P{{}, {X: 4}, {X: 4, Z: 4}, {Z: 4}}, Height: 2.5, Wall: 0.1})
	theirs := other.edit(edit.Do(&edit.Place{Piece: ost.Pieces[0].ID}), edit.Do(&edit.Place{StandIn: "person"}),
		edit.Do(&edit.KeepShot{Name: "theirs"}), edit.Do(&edit.AddElement{Kind: "room", Name: "room", Spec: room}),
		edit.Do(&edit.AddElement{Kind: "group", Name: "group"})).Made
	ids := []string{other.set, ost.Pieces[0].ID, theirs[0], theirs[2], theirs[3], theirs[4]}
	// What is made of the pieces is made; from here on nothing changes there.
	before := d.rows(other.production)
	tried := 0
	do := func(deed desk.Command) {
		t.Helper()
		tried++
		_, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: -1, Commands: []desk.Command{deed}})
		var known *act.Problem
		if err != nil && !errors.As(err, &known) {
			t.Errorf("%+v: %v", deed, err)
		}
	}
	// What a field of a command may say, of one's own and of theirs.
	own := map[string]any{"ids": []string{mine[0]}, "id": mine[0], "piece": st.Pieces[0].ID, "name": "n",
		"pattern": "n", "why": "n", "layer": "n", "metres": 1, "of": "height",
		"to": "x-mid", "along": "x", "across": "x", "side": "back", "kind": "row", "standIn": "", "likeOf": "width",
		"at": geom.V{X: 1}, "by": geom.V{X: 1}, "focal": 35, "height": 0.5, "x": 0.5, "y": 0.5}
	theirsIn := func(id string) []map[string]any {
		return []map[string]any{{"id": id, "ids": []string{id, mine[1]}, "patch": map[string]any{"name": "taken over"}},
			{"id": id, "ids": []string{id, mine[1]}}, {"piece": id, "like": id},
			{"into": id}, {"from": id, "to": id}, {"snag": id},
			{"standIn": "box", "piece": "", "patch": map[string]any{"id": id, "piece": id, "group": id, "recast": id}},
			{"patch": map[string]any{"id": id, "group": id, "recast": id}},
			{"patch": map[string]any{"shot": id, "id": id}},
			{"kind": "row", "spec": lay.Array{Shape: "line", Points: []lay.P{{}, {X: 3}},
				Pieces: []lay.Share{{Piece: id, Weight: 1}}, By: "count", Count: 2}},
			{"kind": "group", "spec": lay.Group{Parent: id}},
			{"id": theirs[3], "patch": map[string]any{"spec": map[string]any{"height": 3}}},
			{"was": []edit.Stood{{ID: id}}, "now": []edit.Stood{{ID: id}}}}
	}
	for _, name := range edit.Ops() {
		has := map[string]any{}
		if err := json.Unmarshal(patch(edit.Arguments(name)), &has); err != nil {
			t.Fatal(err)
		}
		for _, id := range ids {
			for _, more := range theirsIn(id) {
				args, said := map[string]any{}, false
				for field := range has {
					if v, ok := own[field]; ok {
						args[field] = v
					}
					if v, ok := more[field]; ok {
						args[field], said = v, true
					}
				}
				if said {
					do(desk.Command{Op: name, Args: patch(args)})
				}
			}
		}
	}
	for _, id := range ids {
		for _, try := range []error{
			d.a.AssignMap(d.ctx, st.Pieces[0].ID, "s", "baseColor", id, "f", 0),
			func() error { _, err := d.a.FindMaps(d.ctx, id, st.Arrivals[0].ID); return err }(),
			func() error { _, _, err := d.a.TakeCameras(d.ctx, d.set, id); return err }(),
			d.a.Take(d.ctx, st.Arrivals[0].ID, []string{"box.glb"}, map[string]string{"box.glb": id}),
			func() error {
				_, _, err := d.a.ArriveFolder(d.ctx, d.production, "f", id,
					func() (library.Incoming, error) { return library.Incoming{}, errors.New("nothing is asked for") })
				return err
			}(),
			func() error { _, err := d.a.KeepPiece(d.ctx, d.set, id); return err }(),
			func() error {
				_, err := d.a.Shoot(d.ctx, d.set, id, "still", takes.Settings{Width: 8, Samples: 1})
				return err
			}(),
		} {
			var known *act.Problem
			if try != nil && !errors.As(try, &known) {
				t.Errorf("with %s: %v", id, try)
			}
		}
	}
	for range 10 {
		_, _ = d.a.Undo(d.ctx, d.set, "")
	}
	if after := d.rows(other.production); after != before {
		t.Errorf("after %d deeds here, there\n%s\nbecame\n%s", tried, before, after)
	}
	for _, p := range d.state().Placements {
		for _, id := range theirs {
			if p.ID == id {
				t.Errorf("%s stands here now", id)
			}
		}
		if p.Piece == ost.Pieces[0].ID {
			t.Error("their piece stands here")
		}
	}
}

// Each undoes what they did themselves, in this set; what another changed since is
// not taken back with it, and that is told.
func TestUndoIsOnesOwn(t *testing.T) {
	d := newStudio(t)
	anna, ben := act.WithActor(d.ctx, "anna"), act.WithActor(d.ctx, "ben")
	put := func(ctx context.Context, set string, deeds ...desk.Command) []string {
		t.Helper()
		r, err := d.a.Edit(ctx, set, desk.Request{Revision: -1, Commands: deeds})
		if err != nil {
			t.Fatal(err)
		}
		return r.Made
	}
	move := func(id string, x float64) desk.Command {
		return edit.Do(&edit.ChangePlacement{ID: id, Patch: patch(map[string]any{"at": map[string]any{"x": x}})})
	}
	here := put(anna, d.set, edit.Do(&edit.Place{StandIn: "box", Name: "crate"}))[0]
	bens := put(ben, d.set, edit.Do(&edit.Place{StandIn: "box", Name: "barrel"}))[0]
	there, err := d.a.NewSet(d.ctx, d.production, "another")
	if err != nil {
		t.Fatal(err)
	}
	put(anna, there, edit.Do(&edit.Place{StandIn: "box", Name: "elsewhere"}))
	put(anna, d.set, move(here, 1))
	put(ben, d.set, move(bens, 5))
	// Anna's last in this set, not Ben's later one and not her own later one elsewhere.
	if label, err := d.a.Undo(anna, d.set, ""); err != nil || label != "move crate" {
		t.Fatalf("%q, %v", label, err)
	}
	if p := d.placement("barrel"); p.At.X != 5 {
		t.Errorf("Ben's barrel is at %v", p.At)
	}
	if label, err := d.a.Redo(anna, d.set, ""); err != nil || label != "move crate" || d.placement("crate").At.X != 1 {
		t.Fatalf("%q, %v", label, err)
	}
	// Ben moves what Anna moved: her undo would take his move back.
	put(ben, d.set, move(here, 9))
	_, err = d.a.Undo(anna, d.set, "")
	if !errors.Is(err, act.ErrStale) || !strings.Contains(err.Error(), "crate was changed since") ||
		d.placement("crate").At.X != 9 {
		t.Errorf("%v; the crate is at %v", err, d.placement("crate").At)
	}
	// The next undo goes on with the edit before, which cannot be undone either.
	if _, err := d.a.Undo(anna, d.set, ""); !errors.Is(err, act.ErrStale) || !strings.Contains(err.Error(),
		"place crate") {
		t.Errorf("%v", err)
	}
	if _, err := d.a.Undo(anna, d.set, ""); !errors.Is(err, act.ErrNone) {
		t.Errorf("%v", err)
	}
	// Ben's own are all there still, and the state tells each their own.
	for _, want := range []string{"move crate", "move barrel", "place barrel"} {
		st, err := d.a.State(ben, d.set)
		if err != nil || st.Undo != want {
			t.Fatalf("Ben is offered %q, want %q, %v", st.Undo, want, err)
		}
		if label, err := d.a.Undo(ben, d.set, ""); err != nil || label != want {
			t.Fatalf("%q, %v", label, err)
		}
	}
	if st, err := d.a.State(anna, there); err != nil || st.Undo != "place elsewhere" {
		t.Errorf("in the other set Anna is offered %q, %v", st.Undo, err)
	}
}

// An edit that is sent again, since its answer was lost, is done once; so is undo.
func TestAnEditThatIsSentAgainIsDoneOnce(t *testing.T) {
	d := newStudio(t)
	ask := desk.Request{Revision: -1, Request: "first",
		Commands: []desk.Command{edit.Do(&edit.Place{StandIn: "box", Name: "crate"})}}
	var all sync.WaitGroup
	answers := make([]desk.Answer, 8)
	for i := range answers {
		all.Go(func() {
			r, err := d.a.Edit(d.ctx, d.set, ask)
			if err != nil {
				t.Error(err)
			}
			answers[i] = r
		})
	}
	all.Wait()
	st := d.state()
	if len(st.Placements) != 1 || st.Revision != 1 {
		t.Fatalf("%d placements, revision %d", len(st.Placements), st.Revision)
	}
	for _, r := range answers {
		if r.Revision != 1 || len(r.Made) != 1 || r.Made[0] != st.Placements[0].ID || r.Label != "place crate" {
			t.Errorf("answered %+v", r)
		}
	}
	d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "another"}))
	for range 3 {
		if label, err := d.a.Undo(d.ctx, d.set, "back"); err != nil || label != "place another" {
			t.Errorf("%q, %v", label, err)
		}
	}
	if n := len(d.state().Placements); n != 1 {
		t.Errorf("%d placements after one undo that was sent three times", n)
	}
	for request, want := range map[string]bool{"first": true, "back": true, "never": false} {
		if kept, err := d.a.Kept(d.ctx, d.set, request); err != nil || kept != want {
			t.Errorf("%s: %v, %v", request, kept, err)
		}
	}
}

// What is taken away lies in the bin, with all that belongs to it, until it is
// brought back or its days are over.
func TestTheBin(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.Place{StandIn: "box"}), edit.Do(&edit.KeepShot{Name: "shot"}))
	take, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 8, Samples: 1})
	if err != nil {
		t.Fatal(err)
	}
	d.await("the take", func(st *query.State) bool { return st.Takes[0].State == "done" })
	second, err := d.a.NewSet(d.ctx, d.production, "second")
	if err != nil {
		t.Fatal(err)
	}
	before := d.rows(d.production)
	in := func() (list []string) {
		t.Helper()
		bin, err := d.a.Bin(d.ctx)
		if err != nil {
			t.Fatal(err)
		}
		for _, b := range bin {
			if b.Days < app.BinDays-1 || b.Days > app.BinDays {
				t.Errorf("%+v", b)
			}
			list = append(list, b.Kind+" "+b.Name+": "+b.What)
		}
		return list
	}
	for _, step := range []struct {
		kind, id string
		said     string
	}{{"take", take.ID, "take working view: "}, {"set", d.set, "set first set: 1 placement, 1 take"}, {"production",
		d.production, "production test: 2 sets, 0 pieces, 1 placement, 1 take"}} {
		if err := d.a.PutInBin(d.ctx, step.kind, step.id); err != nil {
			t.Fatal(err)
		}
		if list := in(); len(list) != 1 || list[0] != step.said {
			t.Errorf("in the bin: %q", list)
		}
		if step.kind != "take" {
			if _, err := d.a.State(d.ctx, d.set); !errors.Is(err, act.ErrNone) {
				t.Errorf("a set in the bin opens: %v", err)
			}
			if _, err := d.a.Edit(d.ctx, d.set,
				desk.Request{Revision: -1,
					Commands: []desk.Command{edit.Do(&edit.Place{StandIn: "box"})}}); !errors.Is(err,
				act.ErrNone) {
				t.Errorf("a set in the bin is edited: %v", err)
			}
		}
		// Not yet.
		if n, err := d.a.EmptyBin(d.ctx, time.Hour); err != nil || n != 0 {
			t.Errorf("%d deleted, %v", n, err)
		}
		if err := d.a.TakeFromBin(d.ctx, step.kind, step.id); err != nil {
			t.Fatal(err)
		}
		if after := d.rows(d.production); after != before {
			t.Errorf("%s came back as another:\n%s\nwas\n%s", step.kind, after, before)
		}
	}
	if err := d.a.TakeFromBin(d.ctx, "set", d.set); !errors.Is(err, act.ErrNone) {
		t.Errorf("%v", err)
	}

	// An arrival goes with what was made of it, wherever that stands; told before.
	st := d.folder("boards", "", "b.obj", board, "b.mtl", "newmtl Oak\nKd 0.5 0.4 0.3\n")
	arrival, piece := st.Arrivals[0].ID, st.Pieces[0].ID
	d.edit(edit.Do(&edit.Place{Piece: piece}), edit.Do(&edit.Place{Piece: piece, At: geom.V{X: 3}}))
	if u, err := d.a.Uses(d.ctx, arrival); err != nil || len(u.Pieces) != 1 || u.Things != 2 ||
		!slices.Equal(u.Sets, []string{"first set"}) {
		t.Errorf("%+v, %v", u, err)
	}
	whole := d.state()
	if err := d.a.PutInBin(d.ctx, "arrival", arrival); err != nil {
		t.Fatal(err)
	}
	if list := in(); len(list) != 1 || list[0] != "arrival boards: 1 piece, 2 placements" {
		t.Errorf("in the bin: %q", list)
	}
	if st := d.state(); len(st.Arrivals) != 0 || len(st.Pieces) != 0 || len(st.Placements) != 1 ||
		st.Revision == whole.Revision {
		t.Errorf("%d arrivals, %d pieces, %d placements", len(st.Arrivals), len(st.Pieces), len(st.Placements))
	}
	if err := d.a.TakeFromBin(d.ctx, "arrival", arrival); err != nil {
		t.Fatal(err)
	}
	if st := d.state(); len(st.Pieces) != 1 || len(st.Placements) != 3 {
		t.Errorf("back: %d pieces, %d placements", len(st.Pieces), len(st.Placements))
	}
	// Handed in again, it comes back by itself.
	if err := d.a.PutInBin(d.ctx, "arrival", arrival); err != nil {
		t.Fatal(err)
	}
	if st := d.folder("boards again", "", "b.obj", board, "b.mtl",
		"newmtl Oak\nKd 0.5 0.4 0.3\n"); len(st.Pieces) != 1 || st.Arrivals[0].ID != arrival {
		t.Errorf("handed in again: %+v", st.Arrivals)
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil { // the two boards, so that the set is as before
		t.Fatal(err)
	}
	if err := d.a.PutInBin(d.ctx, "set", second); err != nil {
		t.Fatal(err)
	}
	if err := d.a.PutInBin(d.ctx, "set", d.set); err == nil || !strings.Contains(err.Error(), "only set") {
		t.Errorf("the last set: %v", err)
	}
	if err := d.a.PutInBin(d.ctx, "piece", "x"); !errors.Is(err, act.ErrWrong) {
		t.Errorf("%v", err)
	}
	// When its days are over it is gone, and nothing else.
	if _, err := d.a.Store.Pool.Exec(d.ctx, "update sets set binned = now() - interval '31 days' where id = $1",
		second); err != nil {
		t.Fatal(err)
	}
	if _, err := d.a.Tidy(d.ctx); err != nil {
		t.Fatal(err)
	}
	if list := in(); len(list) != 0 || len(d.state().Placements) != 1 {
		t.Errorf("in the bin: %q", list)
	}
}

// Numbers that nothing can be computed with are refused wherever they stand; a set
// that holds such a thing, since an earlier release let it in, opens, is told to be
// unmeasured, and comes right again when it is undone.
func TestAbsurdNumbers(t *testing.T) {
	d := newStudio(t)
	id := d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "crate"})).Made[0]
	for _, x := range []string{"1e308", "1e155", "-1e300", "1e13"} {
		for name, text := range map[string]string{
			"a ride": `{"move":{"rate":24,"seconds":2,"rides":[{"ids":["` + id +
				`"],"points":[{"x":0,"y":0,"z":0},{"x":` + x + `,"y":0,"z":0}],"seconds":1,"easing":"linear"}]}}`,
			"a rail": `{"move":{"rate":24,"seconds":2,"rail":{"kind":"path","points":[{"x":0,"y":0,"z":0},{"x":` + x +
				`,"y":0,"z":0}],"seconds":1,"easing":"linear"}}}`,
			"a camera": `{"view":{"eye":{"x":` + x + `,"y":0,"z":0}}}`,
			"a mark": `{"match":{"picture":"","opacity":1,"wipe":1,"points":[{"x":` + x +
				`,"y":0,"at":{"x":0,"y":0,"z":0}}]}}`,
		} {
			_, err := d.a.Edit(d.ctx, d.set,
				desk.Request{Revision: -1,
					Commands: []desk.Command{edit.Do(&edit.ChangeSet{Patch: json.RawMessage(text)})}})
			if !errors.Is(err, act.ErrWrong) {
				t.Errorf("%s of %s: %v", name, x, err)
			}
		}
	}
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"move":{"rate":24,"seconds":2,"rides":[{"ids":["` + id +
		`"],"points":[{"x":0,"y":0,"z":0},{"x":1,"y":0,"z":0}],"seconds":1,"easing":"linear"}]}}`)}))
	d.edit(edit.Do(&edit.KeepShot{Name: "a ride"}))
	for _, far := range []string{"1e155", "1e308"} {
		if _, err := d.a.Store.Pool.Exec(d.ctx,
			"update sets set doc = replace(doc::text, '\"x\":1,', '\"x\":"+far+",')::json where id = $1",
			d.set); err != nil {
			t.Fatal(err)
		}
		if _, err := d.a.Store.Pool.Exec(d.ctx,
			"update document set doc = replace(doc::text, '\"x\":1,', '\"x\":"+far+
				",')::json where kind = 'shot'"); err != nil {
			t.Fatal(err)
		}
		var there bool
		if err := d.a.Store.Pool.QueryRow(d.ctx,
			"select doc->'move'->>'rides' ~ '[0-9]e?[+]?[0-9]{3}' from sets where id = $1",
			d.set).Scan(&there); err != nil || !there {
			t.Fatalf("the test does not strike: %v", err)
		}
		// An edit has it measured again.
		rev := d.edit(edit.Do(&edit.ChangePlacement{ID: id,
			Patch: patch(map[string]any{"name": "crate of " + far})})).Revision
		st := d.await("the measuring, or that it was given up",
			func(st *query.State) bool { return st.Measured != nil && st.Measured.Revision == rev })
		if _, err := json.Marshal(st); err != nil {
			t.Errorf("with %s the state cannot be told: %v", far, err)
		}
		_, _ = d.a.Frame(d.ctx, d.set, 0.5) // it may be refused
		_, _ = d.a.TrackOf(d.ctx, d.set, 0, 10)
		if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
			t.Errorf("undo with %s: %v", far, err)
		}
	}
}

// A large order, asked for or kept by an earlier release, blocks nothing.
func TestTheLastOrderBlocksNothing(t *testing.T) {
	d := newStudio(t)
	id := d.edit(edit.Do(&edit.Place{StandIn: "box"})).Made[0]
	if _, err := d.a.Edit(d.ctx, d.set,
		desk.Request{Revision: -1,
			Commands: []desk.Command{edit.Do(&edit.ChangePlacement{ID: id,
				Patch: patch(map[string]any{"order": 2147483647})})}}); err != nil {
		t.Fatal(err)
	}
	if p := d.state().Placements[0]; p.Order != 1 {
		t.Errorf("asked to be last of one, its order is %d", p.Order)
	}
	for _, kind := range []string{"placement", "element", "shot"} {
		if kind == "element" {
			d.edit(edit.Do(&edit.AddElement{Kind: "layer", Name: "l"}))
		}
		if kind == "shot" {
			d.edit(edit.Do(&edit.KeepShot{Name: "s"}))
		}
		// By hand, so under a revision of its own, as every change is.
		if tag, err := d.a.Store.Pool.Exec(d.ctx, "update document set doc = jsonb_set(doc::jsonb, '{order}', "+
			"'2147483647'), rev = rev + 1 where kind = $1", kind); err != nil || tag.RowsAffected() == 0 {
			t.Fatal(err)
		}
	}
	made := d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "after"}),
		edit.Do(&edit.Copy{IDs: []string{id}, By: geom.V{X: 1}}),
		edit.Do(&edit.AddElement{Kind: "layer", Name: "after"}),
		edit.Do(&edit.KeepShot{Name: "after"})).Made
	if len(made) != 4 {
		t.Errorf("made %v", made)
	}
}

// One production has a bounded queue, and a picture that no memory holds is refused
// with what it needs.
func TestTakesAreBounded(t *testing.T) {
	d := newStudio(t)
	d.a.Memory = 2 << 30
	_, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 16384, Height: 16384, Samples: 1})
	if !errors.Is(err, act.ErrWrong) || !strings.Contains(err.Error(), "10.1 GB of memory even made in bands") {
		t.Errorf("268 million pixels in 2 GB: %v", err)
	}
	// What does not fit as a whole, but in bands, is made: and is the same picture.
	var pictures [2]takes.Result
	for i, memory := range []int64{1 << 30, 64*500*32 + 64*400*252} {
		d.a.Memory = memory
		take, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 64, Height: 500, Samples: 2,
			Seed: 3})
		if err != nil {
			t.Fatal(err)
		}
		st := d.await("the take",
			func(st *query.State) bool { return st.Takes[0].ID == take.ID && st.Takes[0].State == "done" })
		if err := json.Unmarshal(st.Takes[0].Result, &pictures[i]); err != nil {
			t.Fatal(err)
		}
	}
	// (How much noise is left where is not known of one in bands.)
	if pictures[0].PNG == "" || pictures[0].PNG != pictures[1].PNG || !slices.EqualFunc(planes(t, d, pictures[0].EXR),
		planes(t, d, pictures[1].EXR), slices.Equal[[]float32]) {
		t.Errorf("as a whole %+v, in bands %+v", pictures[0], pictures[1])
	}
	if _, err := d.a.Store.Pool.Exec(d.ctx,
		"insert into take (id, set_id, name, kind, state, settings) select 't' || n, $1, 't', 'still', 'waiting', '{}' "+
			"from generate_series(1, 200) n", d.set); err != nil {
		t.Fatal(err)
	}
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 8, Samples: 1}); !errors.Is(err,
		act.ErrWrong) || !strings.Contains(err.Error(), "at most 200") {
		t.Errorf("the 201st: %v", err)
	}
}

// planes are the colours and the depth of a picture.
func planes(t *testing.T, d *studio, exr string) [][]float32 {
	t.Helper()
	data, err := d.a.Store.ReadBlob(d.ctx, exr)
	if err != nil {
		t.Fatal(err)
	}
	e, err := openexr.Open(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	list, err := e.Planes("R", "G", "B", "Z")
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// Many who stand in one another are measured in a bounded time, edits stop what is
// measured for the one before, and all that comes of it is of the newest.
func TestACrowdIsMeasuredInTime(t *testing.T) {
	d := newStudio(t)
	var deeds []desk.Command
	for i := range 14 {
		deeds = append(deeds,
			edit.Do(&edit.Place{StandIn: "person", At: geom.V{X: 0.01 * float64(i), Z: 0.007 * float64(i*i%14)}}))
	}
	made := d.edit(deeds...).Made
	var rev int64
	for i := range 10 {
		rev = d.edit(edit.Do(&edit.ChangePlacement{ID: made[i],
			Patch: patch(map[string]any{"yaw": 0.1 * float64(i)})})).Revision
	}
	st := d.await("the measuring",
		func(st *query.State) bool { return st.Measured != nil && st.Measured.Revision == rev })
	overlap, more := 0, 0
	for _, s := range st.Snags {
		if s.Kind == "overlap" && strings.Contains(s.What, "more") {
			more++
		} else if s.Kind == "overlap" {
			overlap++
		}
	}
	if overlap < 14 || overlap > 14*3 || more < 10 {
		t.Errorf("%d pairs measured, %d things told of more", overlap, more)
	}
	d.await("nothing to wait", func(*query.State) bool { return d.a.MeasuringLag() == 0 })
}

// A backup, restored where nothing is, gives the same in every byte; one that is
// damaged, wherever, changes nothing; one production goes to another place, and
// beside itself as another.
func TestEverythingIsCarriedElsewhere(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID, At: geom.V{X: -0.1, Z: 1.0 / 3}}),
		edit.Do(&edit.Place{StandIn: "person"}), edit.Do(&edit.KeepShot{Name: "wide"}))
	d.edit(edit.Do(&edit.ChangePiece{ID: st.Pieces[0].ID,
		Patch: patch(map[string]any{"credit": map[string]any{"author": "Ada Weaver", "licence": "CC BY 4.0"}})}))
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 32, Samples: 2}); err != nil {
		t.Fatal(err)
	}
	d.await("the take", func(st *query.State) bool { return st.Takes[0].State == "done" })
	var file bytes.Buffer
	m, err := d.a.Backup(d.ctx, &file)
	if err != nil || m.Documents() != 3 || m.Blobs < 4 || len(m.Damaged) != 0 {
		t.Fatalf("%+v, %v", m, err)
	}
	told := func(d *studio, set string) string {
		t.Helper()
		var glb bytes.Buffer
		if err := d.a.Export(d.ctx, set, false, &glb); err != nil {
			t.Fatal(err)
		}
		credits, err := d.a.Credits(d.ctx, set, "csv")
		if err != nil || !strings.Contains(string(credits), "Ada Weaver") {
			t.Fatalf("%s, %v", credits, err)
		}
		return glb.String() + string(credits)
	}
	empty := newStudio(t)
	if _, err := empty.a.Store.Pool.Exec(d.ctx, "truncate production cascade"); err != nil {
		t.Fatal(err)
	}
	raw := file.Bytes()
	for i := range 16 { // a byte is off, or the end is missing
		bad := bytes.Clone(raw)
		if i%4 == 0 {
			bad = bad[:len(bad)*(i+1)/17]
		} else {
			bad[len(bad)*i/16] ^= 0x40
		}
		if bytes.Equal(bad, raw) {
			continue
		}
		if _, _, err := empty.a.Restore(d.ctx, bytes.NewReader(bad), int64(len(bad)), false, t.TempDir()); err == nil {
			// A byte that says nothing, in a name's padding or a date.
			if a, b := d.rows(d.production), empty.rows(d.production); withoutJobs(a) != withoutJobs(b) {
				t.Errorf("a damaged backup (%d) was taken back", i)
			}
			if _, err := empty.a.Store.Pool.Exec(d.ctx, "truncate production cascade"); err != nil {
				t.Fatal(err)
			}
			continue
		}
		if list, err := empty.a.Store.Productions(d.ctx); err != nil || len(list) != 0 {
			t.Fatalf("a damaged backup left %v, %v", list, err)
		}
	}
	if _, _, err := empty.a.Restore(d.ctx, bytes.NewReader(raw), int64(len(raw)), false, t.TempDir()); err != nil {
		t.Fatal(err)
	}
	if a, b := d.rows(d.production), empty.rows(d.production); withoutJobs(a) != withoutJobs(b) {
		t.Errorf("restored:\n%s\nwas:\n%s", b, a)
	}
	if told(d, d.set) != told(empty, d.set) {
		t.Error("the restored set is exported as another")
	}
	// Where something is, it is refused, or kept first.
	if _, _, err := empty.a.Restore(d.ctx, bytes.NewReader(raw), int64(len(raw)), false, t.TempDir()); err == nil ||
		!strings.Contains(err.Error(), "--replace") {
		t.Errorf("over what is there: %v", err)
	}
	if _, kept, err := empty.a.Restore(d.ctx, bytes.NewReader(raw), int64(len(raw)), true, t.TempDir()); err != nil ||
		kept == "" {
		t.Errorf("in place of what is there: %q, %v", kept, err)
	}
	// The log goes on there.
	empty.set = d.set
	if label, err := empty.a.Undo(d.ctx, d.set, ""); err != nil || !strings.HasPrefix(label, "credit of") {
		t.Errorf("%q, %v", label, err)
	}

	// One production, elsewhere.
	var one bytes.Buffer
	if err := d.a.ExportProduction(d.ctx, d.production, &one); err != nil {
		t.Fatal(err)
	}
	away := newStudio(t)
	set, err := away.a.TakeIn(d.ctx, bytes.NewReader(one.Bytes()), int64(one.Len()))
	if err != nil || set != d.set || told(away, set) != told(d, d.set) {
		t.Fatalf("taken in as %s, %v", set, err)
	}
	if label, err := away.a.Undo(d.ctx, set, ""); err != nil || !strings.HasPrefix(label, "credit of") {
		t.Errorf("its log: %q, %v", label, err)
	}
	// And here, beside itself.
	before := d.rows(d.production)
	again, err := d.a.TakeIn(d.ctx, bytes.NewReader(one.Bytes()), int64(one.Len()))
	if err != nil || again == d.set {
		t.Fatalf("%s, %v", again, err)
	}
	if after := d.rows(d.production); after != before {
		t.Error("taking it in beside itself changed it")
	}
	twin := &studio{TB: t, a: d.a, ctx: d.ctx, set: again}
	if st := twin.state(); st.Production.Name != "test 2" || len(st.Placements) != 2 || len(st.Takes) != 1 ||
		st.Placements[0].ID == d.state().Placements[0].ID || told(twin, again) != told(d, d.set) {
		t.Errorf("its twin: %s, %d placements, %d takes", st.Production.Name, len(st.Placements), len(st.Takes))
	}
	if _, err := d.a.TakeIn(d.ctx, bytes.NewReader(raw), int64(len(raw))); !errors.Is(err, act.ErrWrong) {
		t.Errorf("a backup as a production: %v", err)
	}
	for i := 1; i < 8; i++ {
		bad := bytes.Clone(one.Bytes())
		bad[len(bad)*i/8] ^= 1
		before := d.rows(d.production)
		if _, err := d.a.TakeIn(d.ctx, bytes.NewReader(bad[:len(bad)-i%3]), int64(len(bad)-i%3)); err == nil &&
			i%3 != 0 {
			t.Errorf("a cut file (%d) was taken in", i)
		}
		if d.rows(d.production) != before {
			t.Error("it changed what is here")
		}
	}
}

// withoutJobs takes out the numbers of jobs, which are of one place.
func withoutJobs(s string) string {
	lines := strings.Split(s, "\n")
	for i, l := range lines {
		if at := strings.Index(l, `"job_id":`); at >= 0 {
			rest := l[at+9:]
			if end := strings.IndexAny(rest, ",}"); end >= 0 {
				lines[i] = l[:at] + rest[end:]
			}
		}
	}
	return strings.Join(lines, "\n")
}

// A production from elsewhere that holds what nobody could have made here is
// refused.
func TestAForgedProductionIsRefused(t *testing.T) {
	for name, sql := range map[string]string{
		"a place beyond":     "update document set doc = jsonb_set(doc::jsonb, '{at,x}', '1e300') where kind = 'placement'",
		"a scale of nothing": "update document set doc = jsonb_set(doc::jsonb, '{scale,x}', '0') where kind = 'placement'",
		"an element":         "update document set doc = jsonb_set(doc::jsonb, '{spec}', '{\"outline\":[],\"height\":1e300}') where kind = 'element'",
		"a view":             "update sets set doc = jsonb_set(doc::jsonb, '{view,focal}', '-3')",
		"a name of a row":    "update document set id = 'short' where kind = 'placement'",
		"a piece's size":     "update piece set sizing = '{\"metresPerUnit\":1e300}'",
	} {
		d := newStudio(t)
		d.takeIn("box.glb", boxGLB(t))
		room, _ := json.Marshal(lay.Room{Outline: []lay.P{{}, {X: 4}, {X: 4, Z: 4}, {Z: 4}}, Height: 2.5, Wall: 0.1})
		d.edit(edit.Do(&edit.Place{StandIn: "box"}), edit.Do(&edit.AddElement{Kind: "room", Name: "room", Spec: room}))
		if tag, err := d.a.Store.Pool.Exec(d.ctx, sql); err != nil || tag.RowsAffected() == 0 {
			t.Fatalf("%s: %v", name, err)
		}
		var one bytes.Buffer
		if err := d.a.ExportProduction(d.ctx, d.production, &one); err != nil {
			t.Fatal(err)
		}
		away := &studio{TB: t, a: d.a, ctx: d.ctx}
		before, err := away.a.Store.Productions(d.ctx)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := away.a.TakeIn(d.ctx, bytes.NewReader(one.Bytes()), int64(one.Len())); !errors.Is(err,
			act.ErrWrong) {
			t.Errorf("%s: %v", name, err)
		}
		after, err := away.a.Store.Productions(d.ctx)
		if err != nil || len(after) != len(before) {
			t.Errorf("%s: %d productions, %v", name, len(after), err)
		}
		var schemas int
		if err := d.a.Store.Pool.QueryRow(d.ctx,
			"select count(*) from pg_namespace where nspname like 'scratch%'").Scan(&schemas); err != nil ||
			schemas != 0 {
			t.Errorf("%s: %d scratches are left, %v", name, schemas, err)
		}
	}
}

// What is kept is given back when nothing refers to it, and not before.
func TestRoomIsGivenBack(t *testing.T) {
	d := newStudio(t)
	d.takeIn("box.glb", boxGLB(t))
	if _, err := d.a.CardPicture(d.ctx, strings.NewReader("no picture")); !errors.Is(err, act.ErrWrong) {
		t.Fatal(err)
	}
	// An arrival that is handed in as a picture is refused, and stays what it is.
	if _, err := d.a.CardPicture(d.ctx, bytes.NewReader(boxGLB(t))); !errors.Is(err, act.ErrWrong) {
		t.Fatal(err)
	}
	refs, err := store.References(d.ctx, d.a.Store.Pool)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.a.Store.Pool.Exec(d.ctx, "update blob set put = now() - interval '2 days'"); err != nil {
		t.Fatal(err)
	}
	said, err := d.a.Tidy(d.ctx)
	if err != nil || !strings.Contains(said, "1 files") {
		t.Errorf("%q, %v", said, err)
	}
	there := 0
	for hash := range refs {
		if ok, err := d.a.Store.HasBlob(d.ctx, hash); err == nil && ok {
			there++
		}
	}
	if there < 3 {
		t.Errorf("%d of the files that are referred to are there", there)
	}
	if st := d.takeIn("box.glb", boxGLB(t)); st.Arrivals[0].State != "done" {
		t.Errorf("%+v", st.Arrivals[0])
	}
}
