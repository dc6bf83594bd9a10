package e2e

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"
	"slices"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// thousand makes a thousand downloads, two hundred sets and ten thousand edits of those of the sample production.
const thousand = `
do $$
#variable_conflict use_column
declare k int := 0; a record; p record; np text;
begin
  while k < 1000 loop
    for a in select * from arrival where state = 'done' and id not like 'many%' loop
      exit when k >= 1000;
      k := k + 1;
      insert into arrival (id, production_id, name, blob, bytes, state, report, created, files, found, taking, credit)
        select 'many' || k, production_id, name || ' ' || k, blob, bytes, state, report,
          now() - (k || ' minutes')::interval, files, found, taking, credit from arrival where id = a.id;
      for p in select * from piece where arrival_id = a.id loop
        np := left(md5(p.id || k), 16);
        insert into piece (id, production_id, arrival_id, name, source, blob, facts, sizing, recipe, credit, tags,
            inventory, made, picture, weight, subject)
          select np, production_id, 'many' || k, name || ' ' || k, source, blob, facts, sizing, recipe, credit, tags,
            inventory, made, picture, weight, subject from piece where id = p.id;
        insert into piece_look (piece_id, levels, front, top, right_)
          select np, levels, front, top, right_ from piece_look where piece_id = p.id;
      end loop;
    end loop;
  end loop;
end $$;
insert into sets (id, production_id, doc)
  select 'set' || g, production_id, jsonb_set(doc::jsonb, '{name}', to_jsonb(name || ' ' || g))::json
  from sets, generate_series(1, 200) g where sets.id = (select id from sets order by created limit 1);
insert into log (production_id, set_id, revision, label, changes)
  select production_id, set_id, revision, label, changes
  from (select * from log where set_id <> '' order by id desc limit 1) l, generate_series(1, 10000);
analyze`

// A production with a thousand downloads, two hundred sets and ten thousand edits: how long the first page, Intake and
// what it shows, a search of the library, an edit and undoing it take, the median of nine, in milliseconds.
func BenchmarkManySmallThings(b *testing.B) {
	s, set := halt(b)
	ctx := context.Background()
	db, err := pgx.Connect(ctx, s.database)
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close(ctx)
	id := s.state(set).Placements[0].ID
	turn := func(yaw float64) {
		if code, out := s.post("/api/sets/"+set+"/edit", map[string]any{"revision": -1, "commands": []any{map[string]any{
			"op": "change placement", "args": map[string]any{"id": id, "patch": map[string]any{"yaw": yaw}}}}}); code !=
			http.StatusOK {
			b.Fatalf("%d %s", code, out)
		}
	}
	turn(0.1)
	if _, err := db.Exec(ctx, thousand); err != nil {
		b.Fatal(err)
	}
	var had struct{ Tags map[string]string }
	if err := json.Unmarshal(s.get("/api/sets/"+set+"/topics"), &had); err != nil {
		b.Fatal(err)
	}
	tags, _ := json.Marshal(had.Tags)
	for b.Loop() {
		for name, do := range map[string]func(n int){
			"home":        func(int) { s.get("/") },
			"intake":      func(int) { s.get("/sets/" + set + "/intake") },
			"all":         func(int) { s.get("/api/sets/" + set + "/topics") },
			"what-is-new": func(int) { s.get("/api/sets/" + set + "/topics?have=" + url.QueryEscape(string(tags))) },
			"search":      func(int) { s.get("/api/sets/" + set + "/shelf?find=bench") },
			"edit":        func(n int) { turn(0.2 + float64(n)/100) },
			"undo":        func(int) { s.post("/api/sets/"+set+"/undo", map[string]any{}) },
		} {
			var took []time.Duration
			for n := range 9 {
				at := time.Now()
				do(n)
				took = append(took, time.Since(at))
			}
			slices.Sort(took)
			b.ReportMetric(float64(took[4].Microseconds())/1000, "ms-"+name)
		}
	}
}
