package jobs_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"testing"
	"time"

	"visator/app"
	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/app/takes"
	"visator/jobs"
	"visator/store"
	"visator/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

const triangle = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"

// crew is an App with a production and a set, and a pool that works for it.
type crew struct {
	*testing.T
	a               *app.App
	production, set string
}

func newCrew(t *testing.T) *crew {
	t.Helper()
	c := &crew{T: t, a: app.New(storetest.Open(t))}
	var err error
	if c.production, c.set, err = c.a.NewProduction(t.Context(), "crew", "metre"); err != nil {
		t.Fatal(err)
	}
	if _, err := c.a.Edit(t.Context(), c.set,
		desk.Request{Revision: -1, Commands: []desk.Command{edit.Do(&edit.Place{StandIn: "person"})}}); err != nil {
		t.Fatal(err)
	}
	c.pool(0) // puts jobs in, takes none
	return c
}

func (c *crew) pool(workers int) *jobs.Pool {
	c.Helper()
	p, err := jobs.Open(context.Background(), c.a, workers, slog.New(slog.DiscardHandler))
	if err != nil {
		c.Fatal(err)
	}
	if workers > 0 {
		if err := p.Start(context.Background()); err != nil {
			c.Fatal(err)
		}
	}
	return p
}

func (c *crew) stop(p *jobs.Pool) {
	c.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	if err := p.Stop(ctx); err != nil {
		c.Error(err)
	}
}

// hung is how long a machine with other work may take over what takes seconds alone.
const hung = 3 * time.Minute

func (c *crew) await(what string, ok func(st *query.State) bool) *query.State {
	c.Helper()
	for deadline := time.Now().Add(hung); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		st, err := c.a.State(context.Background(), c.set)
		if err != nil {
			c.Fatal(err)
		}
		if ok(st) {
			return st
		}
	}
	c.Fatalf("waited in vain for %s", what)
	return nil
}

func (c *crew) shoot(width, samples int) {
	c.Helper()
	if _, err := c.a.Shoot(c.Context(), c.set, "", "still",
		takes.Settings{Width: width, Samples: samples, Bounces: 1}); err != nil {
		c.Fatal(err)
	}
}

// With one worker, a download is read while a long picture is made.
func TestADownloadDoesNotWaitForAPicture(t *testing.T) {
	c := newCrew(t)
	p := c.pool(1)
	defer c.stop(p)
	c.shoot(640, 100_000)
	st := c.await("the picture to begin", func(st *query.State) bool { return st.Takes[0].State == "working" })
	if _, _, err := c.a.Arrive(t.Context(), c.production, "a.obj", strings.NewReader(triangle)); err != nil {
		t.Fatal(err)
	}
	done := c.await("the intake",
		func(st *query.State) bool { return len(st.Arrivals) == 1 && st.Arrivals[0].State == "done" })
	if done.Takes[0].State != "working" {
		t.Errorf("the take is %s: it was to be under way", done.Takes[0].State)
	}
	if err := c.a.CancelTake(t.Context(), st.Takes[0].ID); err != nil {
		t.Fatal(err)
	}
	c.await("the cancelled take", func(st *query.State) bool { return st.Takes[0].State == "cancelled" })
}

// Work that is under way when a process stops is taken up by the next one,
// and a stop does not wait for it to end.
func TestWorkGoesOnInTheNextProcess(t *testing.T) {
	c := newCrew(t)
	first := c.pool(1)
	c.shoot(64, 20_000)
	c.await("the picture to begin", func(st *query.State) bool {
		return st.Takes[0].State == "working" && strings.Contains(string(st.Takes[0].Result), "preview")
	})
	began := time.Now()
	c.stop(first)
	if took := time.Since(began); took > 20*time.Second {
		t.Errorf("stopping took %v", took)
	}
	st := c.await("the take to wait", func(st *query.State) bool { return st.Takes[0].State == "waiting" })
	if !strings.Contains(st.Takes[0].Note, "interrupted") {
		t.Errorf("the note says %q", st.Takes[0].Note)
	}
	// It need not be made in full for the test: let it be a short one.
	if _, err := c.a.Store.Pool.Exec(t.Context(),
		"update take set settings = jsonb_set(settings::jsonb, '{samples}', '8')"); err != nil {
		t.Fatal(err)
	}
	second := c.pool(1)
	defer c.stop(second)
	st = c.await("the picture", func(st *query.State) bool { return st.Takes[0].State == "done" })
	var r takes.Result
	if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil || r.PNG == "" || r.Samples != 8 {
		t.Errorf("%+v, %v", r, err)
	}
}

// Two processes share the queue and make each picture once.
func TestTwoProcessesShareTheQueue(t *testing.T) {
	c := newCrew(t)
	for range 6 {
		c.shoot(48, 8)
	}
	one, two := c.pool(1), c.pool(1)
	defer c.stop(one)
	defer c.stop(two)
	st := c.await("six pictures", func(st *query.State) bool {
		for _, t := range st.Takes {
			if t.State != "done" {
				return false
			}
		}
		return len(st.Takes) == 6
	})
	// The same settings and seed give the same picture, whoever made it.
	var first takes.Result
	for _, take := range st.Takes {
		var r takes.Result
		if err := json.Unmarshal(take.Result, &r); err != nil {
			t.Fatal(err)
		}
		if first.PNG == "" {
			first = r
		}
		if r.PNG != first.PNG || r.EXR != first.EXR {
			t.Errorf("take %s differs", take.ID)
		}
	}
	var attempts int
	if err := c.a.Store.Pool.QueryRow(t.Context(),
		"select coalesce(sum(attempt), 0) from river_job where queue = 'takes'").Scan(&attempts); err != nil ||
		attempts != 6 {
		t.Errorf("%d attempts for six pictures, %v", attempts, err)
	}
}

// A process that loses its connection stops, and what it was making goes on by
// another: frames that were made stay, and none is there twice. What the first still
// writes is refused.
func TestALostRenderIsGivenOn(t *testing.T) {
	c := newCrew(t)
	p := c.pool(1)
	defer c.stop(p)
	move := map[string]any{"move": map[string]any{"rate": 24, "seconds": 1.5,
		"keys": []any{map[string]any{"view": json.RawMessage(c.view()), "seconds": 1.5, "easing": "linear"}}}}
	raw, _ := json.Marshal(move)
	if _, err := c.a.Edit(t.Context(), c.set,
		desk.Request{Revision: -1, Commands: []desk.Command{edit.Do(&edit.ChangeSet{Patch: raw})}}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.a.Shoot(t.Context(), c.set, "", "move",
		takes.Settings{Width: 96, Samples: 64, Bounces: 2}); err != nil {
		t.Fatal(err)
	}
	frames := func(st *query.State) int {
		var r takes.Result
		if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil {
			t.Fatal(err)
		}
		n := 0
		for _, f := range r.Frames {
			if f != "" {
				n++
			}
		}
		return n
	}
	c.await("some frames", func(st *query.State) bool { return frames(st) >= 3 })
	// The connection that holds the sign of life is cut.
	var cut int
	if err := c.a.Store.Pool.QueryRow(t.Context(),
		"select count(pg_terminate_backend(pid)) from pg_locks where locktype = 'advisory' and pid <> pg_backend_pid() "+
			"and database = (select oid from pg_database where datname = current_database())").Scan(&cut); err != nil ||
		cut == 0 {
		t.Fatalf("%d connections cut, %v", cut, err)
	}
	// Whoever has an older turn writes no more.
	st := c.await("another turn",
		func(st *query.State) bool { return st.Takes[0].Turn >= 2 || st.Takes[0].State == "done" })
	if err := c.a.Store.SetTake(t.Context(), st.Takes[0].ID, 1, "failed", 0, "from the first",
		takes.Result{}); !errors.Is(err, store.ErrOvertaken) {
		t.Errorf("an older turn writes: %v", err)
	}
	st = c.await("the move", func(st *query.State) bool { return st.Takes[0].State == "done" })
	if n := frames(st); n != 36 {
		t.Errorf("%d frames of 36", n)
	}
}

func (c *crew) view() []byte {
	c.Helper()
	st, err := c.a.State(c.Context(), c.set)
	if err != nil {
		c.Fatal(err)
	}
	v := st.Set.View
	v.Eye.X += 1
	raw, _ := json.Marshal(v)
	return raw
}

// Small downloads are read while a large one is.
func TestASmallDownloadDoesNotWaitForALargeOne(t *testing.T) {
	c := newCrew(t)
	p := c.pool(1)
	defer c.stop(p)
	var big strings.Builder
	for i := range 900_000 {
		fmt.Fprintf(&big, "v %d.123456 %d.654321 %d.111111\n", i%977, i%613, i%89)
		if i%3 == 2 {
			fmt.Fprintf(&big, "f %d %d %d\n", i-1, i, i+1)
		}
	}
	// What counts as large is told by its bytes: this much is enough to take a while.
	if _, _, err := c.a.Arrive(t.Context(), c.production, "big.obj",
		strings.NewReader(big.String()+
			strings.Repeat("# nothing more to see here, only to be as large as large ones are\n",
				1_700_000))); err != nil {
		t.Fatal(err)
	}
	c.await("the large one to begin",
		func(st *query.State) bool { return len(st.Arrivals) == 1 && st.Arrivals[0].State == "working" })
	for i := range 3 {
		if _, _, err := c.a.Arrive(t.Context(), c.production, fmt.Sprintf("small%d.obj", i),
			strings.NewReader(triangle+strings.Repeat("#", i))); err != nil {
			t.Fatal(err)
		}
	}
	st := c.await("the small ones", func(st *query.State) bool {
		n := 0
		for _, a := range st.Arrivals {
			if a.Name != "big.obj" && a.State == "done" {
				n++
			}
		}
		return n == 3
	})
	for _, a := range st.Arrivals {
		if a.Name == "big.obj" && a.State != "working" {
			t.Errorf("the large one is %s: it was to be under way", a.State)
		}
	}
	for _, a := range st.Arrivals {
		if a.Name == "big.obj" {
			_ = c.a.CancelArrival(t.Context(), a.ID)
		}
	}
}
