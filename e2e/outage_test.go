package e2e

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"visator/app/library"
	"visator/app/query"
	"visator/core/geom"
	"visator/store/storetest"
)

// While the database is away the person is told so and nothing is half done;
// when it is back, pages and jobs go on by themselves.
func TestTheDatabaseGoesAwayAndComesBack(t *testing.T) {
	s := newSite(t)
	b := browser(t)
	production, set := s.newSet()
	place := func(x float64) (int, []byte) {
		return s.post("/api/sets/"+set+"/edit",
			map[string]any{"revision": -1,
				"commands": []any{map[string]any{"op": "place", "args": map[string]any{"standIn": "box",
					"at": geom.V{X: x}}}}})
	}
	if code, out := place(1); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	b.do(chromedp.Navigate(s.address + "/sets/" + set + "/dress"))
	b.until("document.documentElement.dataset.ready === 'yes'")

	if err := storetest.Cluster().Stop(); err != nil {
		t.Fatal(err)
	}
	code, out := place(2)
	var said struct{ Error string }
	if json.Unmarshal(out, &said) != nil || code != http.StatusServiceUnavailable || !strings.Contains(said.Error,
		"Nothing was changed") {
		t.Errorf("an edit: %d %s", code, out)
	}
	if code, _ := s.send("/api/productions/"+production+"/arrivals?name=a.obj",
		strings.NewReader("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")); code != http.StatusServiceUnavailable {
		t.Errorf("an upload: %d", code)
	}
	if r, err := http.Get(s.address + "/healthz"); err != nil || r.StatusCode != http.StatusServiceUnavailable {
		t.Errorf("health: %v, %v", r, err)
	}
	// A person who edits in the page reads it in words.
	b.press("plain box")
	b.until("document.getElementById('message').textContent.includes('Nothing was changed')")

	if err := storetest.Cluster().Restart(context.Background()); err != nil {
		t.Fatal(err)
	}
	s.await(set, "the rows that were there",
		func(st *query.State) bool { return len(st.Placements) == 1 && st.Placements[0].At.X == 1 })
	if code, out := place(3); code != 200 {
		t.Errorf("the next edit: %d %s", code, out)
	}
	// The page hears of it again without being reloaded.
	b.until("Alpine.store('v').st.placements.length === 2")
	// So does the worker.
	if code, out := s.send("/api/productions/"+production+"/arrivals?name=a.obj",
		strings.NewReader("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	s.await(set, "the intake",
		func(st *query.State) bool { return len(st.Arrivals) == 1 && st.Arrivals[0].State == "done" })
}

// The same file twice is one arrival; what is too large, empty or of a wrong
// kind is refused in words.
func TestUploadsThatAreNotTakenIn(t *testing.T) {
	s := newSite(t)
	production, set := s.newSet()
	send := func(name, body string) (int, string) {
		code, out := s.send("/api/productions/"+production+"/arrivals?name="+name, strings.NewReader(body))
		return code, string(out)
	}
	const triangle = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
	if code, out := send("a.obj", triangle); code != 200 || !strings.Contains(out, `"twice":false`) {
		t.Errorf("%d %s", code, out)
	}
	if code, out := send("renamed.obj", triangle); code != 200 || !strings.Contains(out, `"twice":true`) {
		t.Errorf("the same again: %d %s", code, out)
	}
	for name, words := range map[string]string{"a.exe": "Drop a model (.glb", "b.obj": "is empty"} {
		body := map[string]string{"a.exe": "MZ", "b.obj": ""}[name]
		if code, out := send(name, body); code != http.StatusUnprocessableEntity || !strings.Contains(out, words) {
			t.Errorf("%s: %d %s", name, code, out)
		}
	}
	// A length beyond the limit is refused before a byte is read.
	req, _ := http.NewRequest(http.MethodPost, s.address+"/api/productions/"+production+"/arrivals?name=huge.obj",
		strings.NewReader(triangle))
	req.ContentLength = library.MaxUpload + 1
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	if r, err := http.DefaultClient.Do(req); err == nil && r.StatusCode != http.StatusRequestEntityTooLarge {
		t.Errorf("nine gigabytes: %d", r.StatusCode)
	}
	st := s.await(set, "the one arrival",
		func(st *query.State) bool { return len(st.Arrivals) == 1 && st.Arrivals[0].State == "done" })
	if len(st.Pieces) != 1 {
		t.Errorf("%d pieces", len(st.Pieces))
	}
}
