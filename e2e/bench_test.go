package e2e

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"visator/app"
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

// An edit is confirmed, in the sample set with its 234 placements; and what
// the page asks for after it.
func BenchmarkEdit(b *testing.B) {
	s, set := halt(b)
	st := s.state(set)
	id := st.Placements[len(st.Placements)-1].ID
	n := 0.0
	for b.Loop() {
		n++
		if code, out := s.post("/api/sets/"+set+"/edit", map[string]any{"revision": -1, "deeds": []any{map[string]any{"do": "change", "kind": "placement", "id": id, "patch": map[string]any{"yaw": n / 10}}}}); code != http.StatusOK {
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
		code, out := s.post("/api/sets/"+set+"/takes", map[string]any{"shot": shot, "kind": "still", "settings": map[string]any{"width": 1280, "samples": 16, "bounces": 4, "denoise": true}})
		var take struct{ ID string }
		if code != http.StatusOK || json.Unmarshal(out, &take) != nil {
			b.Fatalf("%d %s", code, out)
		}
		mine := func(st *app.State) (state, result string) {
			for _, t := range st.Takes {
				if t.ID == take.ID {
					return t.State, string(t.Result)
				}
			}
			return "", ""
		}
		s.await(set, "a first picture", func(st *app.State) bool { _, r := mine(st); return strings.Contains(r, `"preview"`) })
		b.ReportMetric(time.Since(start).Seconds(), "s-first-picture")
		s.every = time.Second // looking costs time too
		s.await(set, "the picture", func(st *app.State) bool { state, _ := mine(st); return state == "done" })
		b.ReportMetric(1280*720*16/time.Since(start).Seconds(), "samples/s")
	}
}
