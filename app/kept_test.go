package app_test

import (
	"context"
	"errors"
	"math/rand/v2"
	"reflect"
	"testing"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/edit"
	"visator/core/frame"
	"visator/core/geom"
	"visator/store"
)

// The placements that are kept are those of the database, whatever was done: after edits,
// undo and redo, things taken away and brought back, downloads put in the bin and taken out
// of it, and while an edit is under way that comes to nothing.
func TestPlacementsThatAreKeptAreThoseOfTheDatabase(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	arrival, piece := st.Arrivals[0].ID, st.Pieces[0].ID
	r := rand.New(rand.NewPCG(81, 82))
	binned := false
	check := func(q store.Querier, what string) {
		t.Helper()
		want, err := store.Placements(d.ctx, q, d.set)
		if err != nil {
			t.Fatal(err)
		}
		w, err := d.a.Snapshot(d.ctx, q, d.set)
		if err != nil {
			t.Fatal(err)
		}
		if len(want) != len(w.PlacementRows) || len(want) > 0 && !reflect.DeepEqual(want, w.PlacementRows) {
			t.Fatalf("after %s: %d placements kept, %d in the database", what, len(w.PlacementRows), len(want))
		}
		// What cameras look at is kept too, by the newest of them and how many there are.
		if _, err := w.LayOut(d.ctx, false); err != nil {
			t.Fatal(err)
		}
		f, err := d.a.FramingFor(d.ctx, w)
		if err != nil {
			t.Fatal(err)
		}
		seen := map[string]frame.Thing{}
		for _, thing := range f.Things {
			seen[thing.ID] = thing
		}
		for _, p := range want {
			thing, ok := seen[p.ID]
			off := func(is, should geom.V) bool { return is.Sub(should).Len() > 1e-9 }
			world := p.World()
			if b := thing.Body; !ok || thing.Name != p.Name || b != nil && (off(b.World.Point(geom.V{}), p.At) ||
				off(b.World.Dir(geom.V{X: 1}).Unit(), world.Dir(geom.V{X: 1}).Unit())) {
				t.Fatalf("after %s: a camera sees %+v, where %+v stands", what, thing, p.Placement)
			}
		}
		if len(seen) != len(want) {
			t.Fatalf("after %s: a camera sees %d things of %d", what, len(seen), len(want))
		}
		for i := range w.PlacementRows { // what is read is the caller's own
			w.PlacementRows[i].Name = "scribbled"
		}
	}
	some := func() (id string) {
		list, err := store.Placements(d.ctx, d.a.Store.Pool, d.set)
		if err != nil || len(list) == 0 {
			return ""
		}
		return list[r.IntN(len(list))].ID
	}
	counts := map[string]int{}
	for range 150 {
		what := []string{"place", "place", "a stand-in", "move", "move", "delete", "undo", "undo", "redo", "bin",
			"an edit that fails"}[r.IntN(11)]
		var err error
		do := func(c desk.Command) {
			_, err = d.a.Edit(d.ctx, d.set, desk.Request{Revision: -1, Commands: []desk.Command{c}})
		}
		switch what {
		case "place":
			do(edit.Do(&edit.Place{Piece: piece, At: geom.V{X: r.Float64()}}))
		case "a stand-in":
			do(edit.Do(&edit.Place{StandIn: "box"}))
		case "move":
			do(edit.Do(&edit.ChangePlacement{ID: some(), Patch: patch(map[string]any{"yaw": r.Float64()})}))
		case "delete":
			do(edit.Do(&edit.Delete{IDs: []string{some()}}))
		case "undo":
			_, err = d.a.Undo(d.ctx, d.set, "")
		case "redo":
			_, err = d.a.Redo(d.ctx, d.set, "")
		case "bin":
			if binned {
				err = d.a.TakeFromBin(d.ctx, "arrival", arrival)
			} else {
				err = d.a.PutInBin(d.ctx, "arrival", arrival)
			}
			binned = err == nil != binned
		case "an edit that fails":
			gone := errors.New("it comes to nothing")
			err = d.a.Store.Tx(d.ctx, func(tx pgx.Tx) error {
				rows, err := store.Placements(d.ctx, tx, d.set)
				if err != nil || len(rows) == 0 {
					return gone
				}
				p := rows[0].Placement
				p.At.X = 1000 + r.Float64()
				if err := store.PutPlacement(d.ctx, tx, d.set, p, d.revision(tx)+1); err != nil {
					return err
				}
				check(tx, "a write that is not over")
				return gone
			})
			if errors.Is(err, gone) {
				// The next edit has the same revision, and is another.
				do(edit.Do(&edit.ChangePlacement{ID: some(), Patch: patch(map[string]any{"yaw": r.Float64()})}))
			}
		}
		if err == nil {
			counts[what]++
		} else if !errors.Is(err, act.ErrNone) && !errors.Is(err, act.ErrStale) && !errors.Is(err, act.ErrWrong) {
			t.Fatalf("%s: %v", what, err)
		}
		check(d.a.Store.Pool, what)
	}
	for _, what := range []string{"place", "move", "delete", "undo", "redo", "bin", "an edit that fails"} {
		if counts[what] < 3 {
			t.Errorf("%s came to something %d times only: the test does not strike", what, counts[what])
		}
	}
}

// revision is that of the production, as a transaction sees it.
func (d *studio) revision(q store.Querier) int64 {
	d.Helper()
	p, err := store.GetProduction(context.Background(), q, d.production)
	if err != nil {
		d.Fatal(err)
	}
	return p.Revision
}
