package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/jackc/pgx/v5"

	"visator/app/query"
)

// halt is the sample production on a running server, its takes not yet made.
func halt(b *testing.B) (s *site, set string) {
	b.Helper()
	s = newSite(b, "demo", "--takes=false")
	body := string(s.get("/"))
	at := strings.Index(body, "/sets/")
	set = body[at+6 : at+6+strings.Index(body[at+6:], "/")]
	return s, set
}

// A page is interactive, from the beginning of its navigation: the state is
// there and drawn, every control answers. The lens view begins after that.
func BenchmarkPageIsInteractive(b *testing.B) {
	s, set := halt(b)
	t := browser(b)
	for b.Loop() {
		t.do(chromedp.Navigate(s.address + "/sets/" + set + "/dress"))
		t.until("document.documentElement.dataset.ready === 'yes'")
		b.ReportMetric(eval[float64](t, "performance.getEntriesByName('interactive')[0].startTime"), "ms-interactive")
	}
}

// An edit is confirmed, in the sample set; and what
// the page asks for after it.
func BenchmarkEdit(b *testing.B) {
	s, set := halt(b)
	st := s.state(set)
	id := st.Placements[len(st.Placements)-1].ID
	n := 0.0
	for b.Loop() {
		n++
		if code, out := s.post("/api/sets/"+set+"/edit",
			map[string]any{"revision": -1,
				"commands": []any{map[string]any{"op": "change placement",
					"args": map[string]any{"id": id,
						"patch": map[string]any{"yaw": n / 10}}}}}); code != http.StatusOK {
			b.Fatalf("%d %s", code, out)
		}
	}
}

func BenchmarkState(b *testing.B) {
	s, set := halt(b)
	for b.Loop() {
		s.get("/api/sets/" + set + "/state")
	}
}

// The wide shot at 1280 x 720, 16 samples, noise removed: when there is a
// first picture, and when it is done.
func BenchmarkWideShot(b *testing.B) {
	s, set := halt(b)
	shot := s.state(set).Shots[0].ID
	for b.Loop() {
		s.every = 0
		start := time.Now()
		code, out := s.post("/api/sets/"+set+"/takes",
			map[string]any{"shot": shot, "kind": "still", "settings": map[string]any{"width": 1280, "samples": 16,
				"bounces": 4, "denoise": true}})
		var take struct{ ID string }
		if code != http.StatusOK || json.Unmarshal(out, &take) != nil {
			b.Fatalf("%d %s", code, out)
		}
		mine := func(st *query.State) (state, result string) {
			for _, t := range st.Takes {
				if t.ID == take.ID {
					return t.State, string(t.Result)
				}
			}
			return "", ""
		}
		s.await(set, "a first picture",
			func(st *query.State) bool { _, r := mine(st); return strings.Contains(r, `"preview"`) })
		b.ReportMetric(time.Since(start).Seconds(), "s-first-picture")
		s.every = time.Second // looking costs time too
		s.await(set, "the picture", func(st *query.State) bool { state, _ := mine(st); return state == "done" })
		b.ReportMetric(1280*720*16/time.Since(start).Seconds(), "samples/s")
	}
}

// The line-up of 500 pieces, those of the sample set many times over: from the
// step being opened until all that is on the sheet is drawn, and how long the
// frames take while it is pulled along, near and with most of it on the sheet.
func BenchmarkLineUpOf500(b *testing.B) {
	s, set := halt(b)
	ctx := context.Background()
	db, err := pgx.Connect(ctx, s.database)
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close(ctx)
	have := len(s.state(set).Pieces)
	many(b, db, "piece", "id", have)
	many(b, db, "piece_look", "piece_id", have)
	if n := len(s.state(set).Pieces); n != 500 {
		b.Fatalf("%d pieces", n)
	}
	t := browser(b)
	for b.Loop() {
		t.do(chromedp.Navigate(s.address + "/sets/" + set + "/intake"))
		t.until("document.documentElement.dataset.ready === 'yes'")
		opened := promised[float64](t, `(async () => {
			const v = Alpine.store('v'), frame = () => new Promise(requestAnimationFrame);
			const from = performance.now();
			v.go('size');
			while (![...document.querySelectorAll('#lineup [data-piece] path')].some((p) => p.getAttribute('d')?.length > 20)) await frame();
			await frame();
			return performance.now() - from;
		})()`)
		b.ReportMetric(opened, "ms-drawn")
		for name, zoom := range map[string]string{"near": "1", "most": "0.02"} {
			took := promised[[]float64](t, fmt.Sprintf(`(async () => {
				const v = Alpine.store('size'), svg = document.getElementById('lineup'), frame = () => new Promise(requestAnimationFrame), took = [];
				v.lineUp({equal: true}); v.line.fit(); await frame();
				v.line.zoom(%s); await new Promise((r) => setTimeout(r, 1500));
				let last = performance.now();
				for (let i = 0; i < 90; i++) {
					svg.dispatchEvent(new WheelEvent('wheel', {deltaY: i %% 2 ? 40 : -34, shiftKey: true, cancelable: true}));
					await frame();
					const now = performance.now();
					took.push(now - last);
					last = now;
				}
				took.sort((a, b) => a - b);
				return [took[45], took[85], document.querySelectorAll('#lineup [data-piece]').length];
			})()`, zoom))
			b.ReportMetric(took[0], "ms-frame-"+name)
			b.ReportMetric(took[1], "ms-p95-"+name)
			b.ReportMetric(took[2], "pieces-"+name)
		}
	}
}

// many copies the rows of a table until there are 500.
func many(b *testing.B, db *pgx.Conn, table, key string, have int) {
	b.Helper()
	_, err := db.Exec(context.Background(), fmt.Sprintf(`insert into %[1]s select (jsonb_populate_record(p, jsonb_build_object('%[2]s', p.%[2]s || '~' || n))).*
		from (select *, row_number() over (order by %[2]s) as at from %[1]s) as q join %[1]s p on p.%[2]s = q.%[2]s cross join generate_series(1, 499 / $1) n where n * $1 + q.at <= 500`, table, key), have)
	if err != nil {
		b.Fatal(err)
	}
}

// promised is what a promise of the page comes to.
func promised[T any](t *tab, js string) T {
	t.Helper()
	eval[bool](t, "(window.kept = undefined, "+js+".then((r) => { window.kept = r; }, (e) => { window.kept = "+
		"String(e); }), true)")
	t.until("window.kept !== undefined")
	return eval[T](t, "window.kept")
}
