package e2e

import (
	"bytes"
	"encoding/json"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"visator/app/desk"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/stage"
)

// newSet makes a production through the form and returns it with its set.
func (s *site) newSet() (production, set string) {
	s.Helper()
	code, body := s.form("/productions", url.Values{"name": {"crash"}, "unit": {"metre"}})
	if code != 200 {
		s.Fatalf("%d: %s", code, body)
	}
	at := strings.Index(body, `data-set="`)
	set = body[at+10 : at+10+strings.Index(body[at+10:], `"`)]
	return s.state(set).Production.ID, set
}

func (s *site) form(path string, v url.Values) (int, string) {
	s.Helper()
	req, err := httpForm(s.address+path, v)
	if err != nil {
		s.Fatal(err)
	}
	return req.StatusCode, req.body
}

// A server that is killed in the middle of edits, an intake and a render
// loses nothing that it had confirmed, and takes up its jobs again.
func TestKilledServerLosesNothingConfirmed(t *testing.T) {
	s := newSite(t)
	production, set := s.newSet()

	// Mid-edit: four hands edit at once; the server dies while they do.
	var mu sync.Mutex
	confirmed := map[string]float64{}
	var hands sync.WaitGroup
	started := make(chan bool, 400)
	for hand := range 4 {
		hands.Go(func() {
			for i := 0; ; i++ {
				x := float64(hand*1000 + i)
				code, out := s.post("/api/sets/"+set+"/edit",
					map[string]any{"revision": -1,
						"commands": []any{map[string]any{"op": "place", "args": map[string]any{"standIn": "box",
							"at": geom.V{X: x}}}}})
				if code != 200 {
					return // the server is gone
				}
				var r desk.Answer
				if json.Unmarshal(out, &r) == nil && len(r.Made) == 1 {
					mu.Lock()
					confirmed[r.Made[0]] = x
					mu.Unlock()
				}
				select {
				case started <- true:
				default:
				}
			}
		})
	}
	for range 40 {
		<-started
	}
	s.kill()
	hands.Wait()
	s.start()
	st := s.state(set)
	have := map[string]float64{}
	for _, p := range st.Placements {
		have[p.ID] = p.At.X
	}
	for id, x := range confirmed {
		if at, ok := have[id]; !ok || at != x {
			t.Errorf("the confirmed placement at %v is at %v (there: %v)", x, at, ok)
		}
	}
	// At most the one edit of each hand that was under way came on top.
	if len(have) > len(confirmed)+4 || len(confirmed) < 40 {
		t.Errorf("%d placements after %d confirmed ones", len(have), len(confirmed))
	}
	if code, out := s.post("/api/sets/"+set+"/undo", nil); code != 200 || len(s.state(set).Placements) != len(have)-1 {
		t.Errorf("the log does not go on: %d %s", code, out)
	}

	// Mid-intake: a model large enough to be read for a while.
	big := bumpy(t, 420)
	code, out := s.send("/api/productions/"+production+"/arrivals?name=big.obj", bytes.NewReader(big))
	if code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	s.await(set, "the intake to begin", func(st *query.State) bool { return st.Arrivals[0].State != "waiting" })
	s.kill()
	s.start()
	st = s.await(set, "the intake to go on", func(st *query.State) bool { return st.Arrivals[0].State == "done" })
	if len(st.Pieces) != 1 || st.Pieces[0].Facts.Triangles != 2*420*420 {
		t.Errorf("pieces %d", len(st.Pieces))
	}

	// Mid-render.
	settings := map[string]any{"width": 320, "samples": 48, "bounces": 3, "denoise": false}
	if code, out := s.post("/api/sets/"+set+"/takes",
		map[string]any{"kind": "still", "settings": settings}); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	s.await(set, "the first picture",
		func(st *query.State) bool { return strings.Contains(string(st.Takes[0].Result), "preview") })
	s.kill()
	s.start()
	st = s.await(set, "the render to go on", func(st *query.State) bool { return st.Takes[0].State == "done" })
	var r takes.Result
	if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil || r.PNG == "" || r.Samples != 48 {
		t.Errorf("%+v, %v", r, err)
	}
	s.get("/blobs/" + r.PNG + "?as=png")
}

// The server is killed in the midst of a queue of twenty: what was done stays and is not made again, what was not is
// made, and nothing is lost.
func TestAKilledQueueIsMadeToItsEnd(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	_, set := s.newSet()
	const n = 20
	for i := range n {
		settings := map[string]any{"width": 64 + 2*i, "samples": 24, "bounces": 2, "seed": 1}
		if code, out := s.post("/api/sets/"+set+"/takes", map[string]any{"kind": "still",
			"settings": settings}); code != 200 {
			t.Fatalf("%d %s", code, out)
		}
	}
	made := func(st *query.State) (list []string) {
		for _, x := range st.Takes {
			if x.State == "done" {
				list = append(list, x.ID+" "+string(x.Result))
			}
		}
		return list
	}
	st := s.await(set, "some takes", func(st *query.State) bool { return len(made(st)) >= 3 })
	before := made(st)
	if len(before) == n {
		t.Fatal("all were done before the server was killed")
	}
	s.kill()
	s.start()
	st = s.await(set, "all takes", func(st *query.State) bool { return len(made(st)) == n })
	after := made(st)
	for _, x := range before {
		if !slices.Contains(after, x) {
			t.Errorf("what was done is another: %s", x) // with its seconds: made again it would have others
		}
	}
}

// bumpy is an OBJ of 2n² triangles.
func bumpy(t *testing.T, n int) []byte {
	t.Helper()
	path := filepath.Join(t.TempDir(), "big.obj")
	if out, err := exec.Command(binary, "bench", "model", strconv.Itoa(n), path).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// What the interface refuses, it refuses in words, and changes nothing.
func TestRefusalsAreWords(t *testing.T) {
	s := newSite(t)
	production, set := s.newSet()
	for name, c := range map[string]struct {
		path string
		body any
		want int
	}{
		"no such set": {"/api/sets/nope/edit",
			map[string]any{"commands": []any{map[string]any{"op": "fit range", "args": map[string]any{}}}}, 404},
		"no such deed": {"/api/sets/" + set + "/edit",
			map[string]any{"commands": []any{map[string]any{"op": "explode", "args": map[string]any{}}}}, 422},
		"not JSON":     {"/api/sets/" + set + "/edit", "words", 400},
		"nothing left": {"/api/sets/" + set + "/undo", nil, 404},
		"no pixels": {"/api/sets/" + set + "/takes",
			map[string]any{"kind": "still", "settings": map[string]any{"width": 0, "samples": 1}}, 422},
		"unknown format": {"/api/productions/" + production + "/arrivals?name=a.exe", "x", 422},
	} {
		code, out := s.post(c.path, c.body)
		var said struct{ Error string }
		if code != c.want || json.Unmarshal(out, &said) != nil || len(said.Error) < 10 {
			t.Errorf("%s: %d %s", name, code, out)
		}
	}
	// A request that a page of another site sent is refused.
	if code := crossSite(t, s.address+"/api/sets/"+set+"/edit"); code != 403 {
		t.Errorf("a request from another site: %d", code)
	}
	if code := otherHost(t, s.address+"/healthz"); code != 403 {
		t.Errorf("a request to another name: %d", code)
	}
}

func TestAnExportedSetPassesTheKhronosValidator(t *testing.T) {
	if _, err := os.Stat("validator/node_modules"); err != nil {
		if os.Getenv("VISATOR_FULL") != "" {
			t.Fatal("the validator is missing: make need-test installs it")
		}
		t.Skip("needs the Khronos validator: make need-test installs it")
	}
	s := newSite(t)
	production, set := s.newSet()
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, stage.ShapeModel("person")); err != nil {
		t.Fatal(err)
	}
	_, zipped, _ := files(t)
	bench, err := os.ReadFile(zipped)
	if err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"figure.glb": buf.Bytes(), "bench.zip": bench} {
		if code, out := s.send("/api/productions/"+production+"/arrivals?name="+name,
			bytes.NewReader(data)); code != 200 {
			t.Fatalf("%d %s", code, out)
		}
	}
	st := s.await(set, "both pieces", func(st *query.State) bool { return len(st.Pieces) == 2 })
	var deeds []any
	for i, p := range st.Pieces {
		deeds = append(deeds,
			map[string]any{"op": "place", "args": map[string]any{"piece": p.ID, "at": geom.V{X: float64(i)},
				"patch": map[string]any{"yaw": 0.4, "scale": geom.V{X: 1, Y: 1.5, Z: 1}}}})
	}
	deeds = append(deeds, map[string]any{"op": "place", "args": map[string]any{"standIn": "box"}},
		map[string]any{"op": "keep shot", "args": map[string]any{"name": "wide"}},
		map[string]any{"op": "add element", "args": map[string]any{"kind": "lamp"}},
		map[string]any{"op": "add element", "args": map[string]any{"kind": "lamp", "spec": map[string]any{"shape": "disc",
			"to": geom.V{X: 1}}}})
	if code, out := s.post("/api/sets/"+set+"/edit", map[string]any{"revision": -1, "commands": deeds}); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	validated(t, s.get("/api/sets/"+set+"/export"))
}

// validated has the Khronos validator look at a GLB, where it is there.
func validated(t *testing.T, glb []byte) {
	t.Helper()
	if _, err := os.Stat("validator/node_modules"); err != nil && os.Getenv("VISATOR_FULL") == "" {
		return
	}
	path := filepath.Join(t.TempDir(), "set.glb")
	if err := os.WriteFile(path, glb, 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("node", "validator/check.mjs", path).CombinedOutput()
	if err != nil || !strings.Contains(string(out), `"errors":0,`) {
		t.Errorf("%v: %s", err, out)
	}
}
