package store_test

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"

	"visator/store"
	"visator/store/storetest"
)

// The stamps of a production are others after every change of what they name, the same while nothing changes, and
// no other production's changes touch them; counts and pictures are those of what is not in the bin.
func TestStampsNameWhatThereIs(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	raw := json.RawMessage("{}")
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	run := func(sql string) {
		t.Helper()
		_, err := s.Pool.Exec(ctx, sql)
		must(err)
	}
	for _, p := range []string{"p", "q"} {
		must(store.InsertProduction(ctx, s.Pool, store.Production{ID: p, Name: p, Unit: "metre", Budget: 5}))
		run(fmt.Sprintf("insert into arrival (id, production_id, name, blob, bytes, state) values ('of %[1]s', '%[1]s', "+
			"'n', 'b', 1, 'done')", p))
		run(fmt.Sprintf(`insert into sets (id, production_id, doc) values ('set of %[1]s', '%[1]s', '{"name":"x"}')`, p))
		must(store.InsertPiece(ctx, s.Pool, store.Piece{ID: "piece of " + p, ProductionID: p, ArrivalID: "of " + p, Name: "one",
			Source: "s", Blob: "b", Facts: raw, Sizing: raw, Recipe: raw, Credit: raw, Tags: json.RawMessage("[]")}))
	}
	now := func(p string) store.Stamps {
		t.Helper()
		st, err := store.StampsOf(ctx, s.Pool, p)
		must(err)
		return st
	}
	if a, b := now("p"), now("p"); a != b || a == now("q") || a.Pieces == "" || a.Arrivals == "" {
		t.Errorf("%+v, then %+v; of another %+v", a, b, now("q"))
	}
	other := now("q")
	for _, c := range []struct {
		sql              string
		pieces, arrivals bool
	}{
		{"update piece set name = 'two' where production_id = 'p'", true, false},
		{"update piece set name = 'two' where production_id = 'p'", true, false}, // a new version, if of the same
		{"insert into piece_look (piece_id, levels, front, top) values ('piece of p', '[]', '{}', '{}')", true, false},
		{"update piece_look set levels = '[1]'", true, false},
		{"update arrival set progress = 0.5 where production_id = 'p'", false, true},
		{"update arrival set name = 'm' where production_id = 'p'", true, true},
		{"update arrival set binned = now() where production_id = 'p'", true, true},
		{"update arrival set binned = null where production_id = 'p'", true, true},
		{"update piece set gone = true where production_id = 'p'", true, false},
		{"delete from piece where production_id = 'p'", true, false},
	} {
		was := now("p")
		run(c.sql)
		if is := now("p"); is.Pieces == was.Pieces == c.pieces || is.Arrivals == was.Arrivals == c.arrivals {
			t.Errorf("%s: from %+v to %+v", c.sql, was, is)
		}
	}
	if now("q") != other {
		t.Error("another production's stamps have changed")
	}

	run(`insert into document (kind, id, set_id, doc) values ('shot', 's1', 'set of q', '{}'), ('shot', 's2', 'set of q', '{}')`)
	for i, result := range []string{`{}`, `{"png":""}`, `{"png":"x"}`, `{"frames":["",""]}`, `{"frames":["","y"]}`} {
		run(fmt.Sprintf("insert into take (id, set_id, name, kind, state, settings, result, created) values ('t%d', 'set of q', "+
			"'t%d', 'still', 'done', '{}', '%s', now() - interval '%d minutes')", i, i, result, i))
	}
	counts, err := s.CountsOf(ctx)
	if err != nil || counts["q"] != (store.Counts{ProductionID: "q", Pieces: 1, Shots: 2}) || counts["p"].Pieces != 0 {
		t.Errorf("%+v, %v", counts, err)
	}
	list, err := s.Pictures(ctx, "q", 4)
	if err != nil || len(list) != 2 || list[0].Name != "t2" || list[1].Name != "t4" {
		t.Errorf("%+v, %v", list, err)
	}
	if list, err := s.Pictures(ctx, "q", 1); err != nil || len(list) != 1 {
		t.Errorf("%+v, %v", list, err)
	}
	run("update sets set binned = now() where id = 'set of q'")
	counts, err = s.CountsOf(ctx)
	if list, _ := s.Pictures(ctx, "q", 4); err != nil || len(list) != 0 || counts["q"].Shots != 0 {
		t.Errorf("of a set in the bin: %+v, %+v, %v", list, counts, err)
	}
}
