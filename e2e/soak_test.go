package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/store"
	"visator/store/storetest"
)

// soakTime is how long things are killed: VISATOR_SOAK, or half a minute.
func soakTime(t *testing.T) time.Duration {
	d, err := time.ParseDuration(os.Getenv("VISATOR_SOAK"))
	if err != nil {
		if os.Getenv("VISATOR_SOAK") != "" {
			t.Fatal("VISATOR_SOAK is a time such as 10m")
		}
		return 30 * time.Second
	}
	return d
}

// yard is a server and a worker that die and come back under the same address.
type yard struct {
	*testing.T
	database, data, address string
	port                    int
	server, worker          *exec.Cmd
	log                     *os.File
	away                    atomic.Int64 // when the database was away last, in ns; the future while it is
	faults                  atomic.Int64 // answers of 500 while the database was there
	said                    atomic.Value
	answers                 sync.Map // status to count
}

func (y *yard) run(args ...string) *exec.Cmd {
	y.Helper()
	cmd := exec.Command(binary, append(args, "--database", y.database, "--data", y.data, "--log", "json")...)
	cmd.Stdout, cmd.Stderr = y.log, y.log
	if err := cmd.Start(); err != nil {
		y.Error(err)
	}
	return cmd
}

func (y *yard) serve() { y.server = y.run("serve", "--port", fmt.Sprint(y.port)) }
func (y *yard) work()  { y.worker = y.run("worker") }

func kill(cmd *exec.Cmd) {
	_ = cmd.Process.Kill()
	_ = cmd.Wait()
}

// hand is somebody who works on a set.
type hand struct {
	*yard
	name, production, set string
	client                http.Client
	chance                *rand.Rand
	placed                map[string]float64 // what was confirmed and not undone
	order                 []string           // of those, as they came
	edits, undone         int
}

// send sends a request until there is an answer that says what became of it.
func (h *hand) send(ctx context.Context, path string, body func() io.Reader) (int, []byte, error) {
	for ctx.Err() == nil {
		req, err := http.NewRequestWithContext(ctx, http.MethodPost, h.address+path, body())
		if err != nil {
			return 0, nil, err
		}
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Sec-Fetch-Site", "same-origin")
		req.AddCookie(&http.Cookie{Name: "__Host-visator", Value: h.name})
		r, err := h.client.Do(req)
		if err == nil {
			out, readErr := io.ReadAll(r.Body)
			_ = r.Body.Close()
			n, _ := h.answers.LoadOrStore(r.StatusCode, new(atomic.Int64))
			n.(*atomic.Int64).Add(1)
			if r.StatusCode == http.StatusInternalServerError && time.Now().UnixNano() > h.away.Load() {
				h.faults.Add(1)
				h.said.Store(path + ": " + string(out))
			}
			if readErr == nil && r.StatusCode < 500 {
				return r.StatusCode, out, nil
			}
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Duration(50+h.chance.IntN(200)) * time.Millisecond):
		}
	}
	return 0, nil, ctx.Err()
}

func (h *hand) edit(ctx context.Context) {
	x := float64(h.chance.IntN(1 << 20))
	raw, _ := json.Marshal(desk.Request{Revision: -1, Request: store.NewID(),
		Commands: []desk.Command{edit.Do(&edit.Place{StandIn: "box", At: geom.V{X: x, Z: 3}})}})
	code, out, err := h.send(ctx, "/api/sets/"+h.set+"/edit", func() io.Reader { return bytes.NewReader(raw) })
	if err != nil {
		return
	}
	var r desk.Answer
	if err := json.Unmarshal(out, &r); err != nil || code != 200 || len(r.Made) != 1 {
		h.Errorf("an edit: %d %s", code, out)
		return
	}
	h.edits++
	h.placed[r.Made[0]] = x
	h.order = append(h.order, r.Made[0])
}

func (h *hand) undo(ctx context.Context) {
	if len(h.order) == 0 {
		return
	}
	raw, _ := json.Marshal(map[string]string{"request": store.NewID()})
	code, out, err := h.send(ctx, "/api/sets/"+h.set+"/undo", func() io.Reader { return bytes.NewReader(raw) })
	if err != nil {
		return
	}
	if code != 200 {
		h.Errorf("an undo: %d %s", code, out)
		return
	}
	h.undone++
	delete(h.placed, h.order[len(h.order)-1])
	h.order = h.order[:len(h.order)-1]
}

// While the server, a worker and the database are killed or stopped by chance and the
// disk fills once, four hands edit, undo, upload and shoot on two sets. At the end
// every edit that was confirmed is there once, nothing else is, every job has ended,
// no file is missing or damaged, and no fault of the server's own was answered.
func TestSoak(t *testing.T) {
	long := soakTime(t)
	y := &yard{T: t, database: storetest.DSN(t), data: filepath.Join(t.TempDir(), "data")}
	if err := os.Mkdir(y.data, 0o755); err != nil {
		t.Fatal(err)
	}
	var err error
	if y.log, err = os.Create(filepath.Join(t.TempDir(), "log")); err != nil {
		t.Fatal(err)
	}
	small := exec.Command("mount", "-t", "tmpfs", "-o", "size=160m", "tmpfs", y.data).Run() == nil
	if small {
		t.Cleanup(func() { _ = exec.Command("umount", "-l", y.data).Run() })
	} else if os.Geteuid() == 0 {
		t.Log("a small disk cannot be mounted here: the disk is not filled")
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	y.port = l.Addr().(*net.TCPAddr).Port
	y.address = fmt.Sprintf("http://127.0.0.1:%d", y.port)
	_ = l.Close()
	y.serve()
	y.work()
	t.Cleanup(func() { kill(y.server); kill(y.worker) })
	t.Cleanup(func() {
		if t.Failed() {
			text, _ := os.ReadFile(y.log.Name())
			for _, line := range strings.Split(string(text), "\n") {
				if strings.Contains(line, "SQLSTATE 57P") || strings.Contains(line, "failed to connect") ||
					strings.Contains(line, "broken pipe") || strings.Contains(line, "conn closed") {
					continue // the database was away, as it was to be
				}
				if strings.Contains(line, `"msg":"request failed"`) || strings.Contains(line, "panic") ||
					strings.Contains(line, "broke off") {
					t.Log(line)
				}
			}
		}
	})
	s := &site{TB: t, address: y.address, patience: 90*time.Second + 2*long, every: 500 * time.Millisecond}
	for deadline := time.Now().Add(30 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		if r, err := http.Get(y.address + "/healthz"); err == nil {
			_ = r.Body.Close()
			break
		}
		if time.Now().After(deadline) {
			t.Fatal("the server does not come")
		}
	}
	var hands []*hand
	for i := range 4 {
		if i%2 == 0 {
			production, set := s.newSet()
			hands = append(hands, &hand{production: production, set: set})
		} else {
			hands = append(hands, &hand{production: hands[i-1].production, set: hands[i-1].set})
		}
		h := hands[i]
		h.yard, h.name, h.placed = y, strings.Repeat(string(rune('A'+i)), 26), map[string]float64{}
		h.chance, h.client.Timeout = rand.New(rand.NewPCG(7, uint64(i))), 20*time.Second
	}
	ctx, stop := context.WithTimeout(context.Background(), long)
	defer stop()
	// What was begun is answered, also when the time is over.
	patient, give := context.WithTimeout(context.Background(), long+90*time.Second)
	defer give()
	var working sync.WaitGroup
	var uploads, shot atomic.Int64
	arrivals := sync.Map{}
	for _, h := range hands {
		working.Go(func() {
			for n := 0; ctx.Err() == nil; n++ {
				switch k := h.chance.IntN(20); {
				case k < 14:
					h.edit(patient)
				case k < 17:
					h.undo(patient)
				case k < 19:
					text := fmt.Sprintf("v 0 0 0\nv 1 0 0\nv 0 1 %d.%d\nf 1 2 3\n", n, h.chance.IntN(1000)) + "# of " +
						h.name + strings.Repeat("#", h.chance.IntN(20000))
					code, out, err := h.send(patient,
						"/api/productions/"+h.production+"/arrivals?name="+
							url.QueryEscape(fmt.Sprintf("thing %s %d.obj", h.name[:2],
								n)), func() io.Reader { return strings.NewReader(text) })
					var r struct{ Arrival store.Arrival }
					if err == nil && (code != 200 || json.Unmarshal(out, &r) != nil) {
						t.Errorf("an upload: %d %s", code, out)
					} else if err == nil {
						uploads.Add(1)
						arrivals.Store(r.Arrival.ID, h.production)
					}
				default:
					raw, _ := json.Marshal(map[string]any{"kind": "still",
						"settings": map[string]any{"width": 24, "samples": 2 + h.chance.IntN(40), "bounces": 1,
							"seed": 1 + n}})
					code, out, err := h.send(patient, "/api/sets/"+h.set+"/takes",
						func() io.Reader { return bytes.NewReader(raw) })
					if err == nil && code != 200 && code != 422 {
						t.Errorf("a take: %d %s", code, out)
					} else if err == nil && code == 200 {
						shot.Add(1)
					}
				}
				time.Sleep(time.Duration(h.chance.IntN(60)) * time.Millisecond)
			}
		})
	}
	chance := rand.New(rand.NewPCG(11, 11))
	killed := map[string]int{}
	filled := !small
	for ctx.Err() == nil {
		select {
		case <-ctx.Done():
			continue
		case <-time.After(time.Duration(1500+chance.IntN(2500)) * time.Millisecond):
		}
		switch k := chance.IntN(4); {
		case !filled && killed["server"]+killed["worker"]+killed["database"] >= 2:
			filled = true
			killed["disk filled"]++
			ballast := filepath.Join(y.data, "ballast")
			fill(ballast)
			time.Sleep(3 * time.Second)
			if err := os.Remove(ballast); err != nil {
				t.Error(err)
			}
		case k == 0:
			killed["server"]++
			kill(y.server)
			y.serve()
		case k == 1:
			killed["worker"]++
			kill(y.worker)
			y.work()
		case k == 2:
			killed["database stopped"]++
			y.away.Store(time.Now().Add(time.Hour).UnixNano())
			if err := storetest.Cluster().Stop(); err != nil {
				t.Error(err)
			}
			time.Sleep(time.Duration(200+chance.IntN(1500)) * time.Millisecond)
			if err := storetest.Cluster().Restart(context.Background()); err != nil {
				t.Fatal(err)
			}
			y.away.Store(time.Now().Add(3 * time.Second).UnixNano())
		default:
			killed["database killed"]++
			y.away.Store(time.Now().Add(time.Hour).UnixNano())
			if err := storetest.Cluster().Kill(); err != nil {
				t.Error(err)
			}
			if err := storetest.Cluster().Await(context.Background()); err != nil {
				t.Fatal(err)
			}
			y.away.Store(time.Now().Add(3 * time.Second).UnixNano())
		}
		killed["database"] = killed["database stopped"] + killed["database killed"]
	}
	working.Wait()
	edits, undone := 0, 0
	for i := 0; i < len(hands); i += 2 {
		a, b := hands[i], hands[i+1]
		waiting := map[string]int{}
		t.Cleanup(func() {
			if t.Failed() {
				t.Logf("what waits at the end: %v", waiting)
			}
		})
		st := s.await(a.set, "all jobs to end", func(st *query.State) bool {
			clear(waiting)
			for _, x := range st.Takes {
				waiting["take "+x.State+" "+x.Note]++
			}
			for _, x := range st.Arrivals {
				waiting["arrival "+x.State+" "+x.Note]++
			}
			for _, x := range st.Takes {
				if x.State == "waiting" || x.State == "working" {
					return false
				}
			}
			for _, x := range st.Arrivals {
				if x.State == "waiting" || x.State == "working" {
					return false
				}
			}
			return true
		})
		want := len(a.placed) + len(b.placed)
		if len(st.Placements) != want {
			t.Errorf("%d placements, %d were confirmed and not undone", len(st.Placements), want)
		}
		for _, p := range st.Placements {
			x, ok := a.placed[p.ID]
			if !ok {
				x, ok = b.placed[p.ID]
			}
			if !ok || x != p.At.X {
				t.Errorf("%s at %v was not confirmed, or elsewhere", p.Name, p.At)
			}
		}
		for _, x := range st.Takes {
			var r takes.Result
			if err := json.Unmarshal(x.Result, &r); err != nil || x.State != "done" || r.PNG == "" {
				t.Errorf("take %s is %s: %s", x.ID, x.State, x.Note)
			}
		}
		have := map[string]string{}
		for _, x := range st.Arrivals {
			have[x.ID] = x.State
			if x.State != "done" {
				t.Errorf("arrival %s is %s: %s", x.ID, x.State, x.Note)
			}
		}
		arrivals.Range(func(id, production any) bool {
			if production == a.production && have[id.(string)] == "" {
				t.Errorf("the confirmed upload %v is not there", id)
			}
			return true
		})
		edits, undone = edits+a.edits+b.edits, undone+a.undone+b.undone
	}
	if n := y.faults.Load(); n > 0 {
		t.Errorf("%d faults of the server's own were answered, such as %v", n, y.said.Load())
	}
	missing(t, y)
	answers := map[int]int64{}
	y.answers.Range(func(code, n any) bool { answers[code.(int)] = n.(*atomic.Int64).Load(); return true })
	delete(killed, "database")
	t.Logf("%v: %d edits, %d undone, %d uploads, %d takes; killed %v; answers %v", long, edits, undone, uploads.Load(),
		shot.Load(), killed, answers)
	if edits < 20 || len(killed) < 2 {
		t.Errorf("too little happened to tell anything")
	}
}

// fill writes until the disk is full.
func fill(path string) {
	f, err := os.Create(path)
	if err != nil {
		return
	}
	defer f.Close()
	for _, n := range []int{1 << 20, 1 << 12} {
		block := make([]byte, n)
		for {
			if _, err := f.Write(block); err != nil {
				if !errors.Is(err, syscall.ENOSPC) {
					return
				}
				break
			}
		}
	}
}

// missing looks at every file that a row names.
func missing(t *testing.T, y *yard) {
	t.Helper()
	st, err := store.Open(context.Background(), y.database, filepath.Join(y.data, "blobs"))
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	ctx := context.Background()
	refs, err := store.References(ctx, st.Pool)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := st.Pool.Query(ctx, "select hash from blob")
	if err != nil {
		t.Fatal(err)
	}
	known := map[string]bool{}
	for rows.Next() {
		var h string
		if err := rows.Scan(&h); err != nil {
			t.Fatal(err)
		}
		known[h] = true
	}
	n := 0
	for h := range refs {
		if !known[h] {
			continue // a digest, not a file
		}
		n++
		if _, err := st.ReadBlob(ctx, h); err != nil {
			t.Errorf("file %.12s: %v", h, err)
		}
	}
	if n == 0 {
		t.Error("no file was looked at")
	}
}

// Fifty people work on one set of things that stand in one another, a second or so
// between two edits of each, and look at the whole every few seconds. Nothing is
// lost. How long it takes is told, for make soak.
func TestFiftyPeopleOnOneSet(t *testing.T) {
	long := 5 * time.Second
	if os.Getenv("VISATOR_SOAK") != "" {
		long = 20 * time.Second
	}
	s := newSite(t)
	_, set := s.newSet()
	var deeds []desk.Command
	for i := range 50 {
		deeds = append(deeds,
			edit.Do(&edit.Place{StandIn: []string{"person", "box"}[i%2], Name: fmt.Sprintf("thing %d", i),
				At: geom.V{X: 0.02 * float64(i), Z: 0.015 * float64(i*7%50)}}))
	}
	code, out := s.post("/api/sets/"+set+"/edit", map[string]any{"revision": -1, "commands": deeds})
	var made desk.Answer
	if code != 200 || json.Unmarshal(out, &made) != nil || len(made.Made) != 50 {
		t.Fatalf("%d %s", code, out)
	}
	var mu sync.Mutex
	var edits, looks []time.Duration
	last := make([]float64, 50)
	ctx, stop := context.WithTimeout(context.Background(), long)
	defer stop()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 60}}
	var people sync.WaitGroup
	for i := range 50 {
		people.Go(func() {
			chance := rand.New(rand.NewPCG(3, uint64(i)))
			time.Sleep(time.Duration(chance.IntN(1000)) * time.Millisecond)
			for n := 1; ctx.Err() == nil; n++ {
				x := 0.02*float64(i) + 0.001*float64(n)
				raw, _ := json.Marshal(map[string]any{"revision": -1,
					"commands": []desk.Command{edit.Do(&edit.ChangePlacement{ID: made.Made[i],
						Patch: fmt.Appendf(nil, `{"at":{"x":%v}}`, x)})}})
				req, _ := http.NewRequest(http.MethodPost, s.address+"/api/sets/"+set+"/edit", bytes.NewReader(raw))
				req.Header.Set("Sec-Fetch-Site", "same-origin")
				began := time.Now()
				r, err := client.Do(req)
				took := time.Since(began)
				if err != nil {
					t.Error(err)
					return
				}
				_, _ = io.Copy(io.Discard, r.Body)
				_ = r.Body.Close()
				mu.Lock()
				edits = append(edits, took)
				if r.StatusCode == 200 {
					last[i] = x
				} else {
					t.Errorf("an edit: %d", r.StatusCode)
				}
				mu.Unlock()
				if n%5 == 0 {
					began := time.Now()
					r, err := client.Get(s.address + "/api/sets/" + set + "/state")
					if err != nil {
						t.Error(err)
						return
					}
					_, _ = io.Copy(io.Discard, r.Body)
					_ = r.Body.Close()
					mu.Lock()
					looks = append(looks, time.Since(began))
					mu.Unlock()
				}
				time.Sleep(time.Duration(500+chance.IntN(1000)) * time.Millisecond)
			}
		})
	}
	people.Wait()
	for _, p := range s.state(set).Placements {
		if i := slices.Index(made.Made, p.ID); i < 0 || p.At.X != last[i] {
			t.Errorf("%s is at %v, %v was confirmed", p.Name, p.At.X, last[max(i, 0)])
		}
	}
	at := func(list []time.Duration, share float64) time.Duration {
		if len(list) == 0 {
			return 0
		}
		slices.Sort(list)
		return list[min(int(share*float64(len(list))), len(list)-1)].Round(time.Millisecond)
	}
	t.Logf("50 people, %v: %d edits, median %v, 95th percentile %v, longest %v; %d looks, median %v, longest %v", long,
		len(edits), at(edits, 0.5), at(edits, 0.95), at(edits, 1), len(looks), at(looks, 0.5), at(looks, 1))
}
