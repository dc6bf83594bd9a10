package app_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"runtime"
	"testing"
	"time"

	"visator/app"
	"visator/app/cache"
	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/model"
	"visator/core/motion"
	"visator/store"
)

// lump is a closed stone of about 2 n² triangles, another for each seed.
func lump(b testing.TB, seed, n int) []byte {
	p := model.Part{Surface: 0}
	for i := 0; i <= n; i++ {
		for j := 0; j <= n; j++ {
			u, v := math.Pi*float64(i)/float64(n), 2*math.Pi*float64(j%n)/float64(n)
			r := 0.5 + 0.08*math.Sin(3*v+float64(seed))*math.Sin(2*u)
			if i == n {
				u = math.Pi
			}
			p.Positions = append(p.Positions, float32(r*math.Sin(u)*math.Cos(v)), float32(0.5+r*math.Cos(u)),
				float32(-r*math.Sin(u)*math.Sin(v)))
		}
	}
	w := uint32(n + 1)
	for i := range uint32(n) {
		for j := range uint32(n) {
			a := i*w + j
			p.Indices = append(p.Indices, a, a+w, a+w+1, a, a+w+1, a+1)
		}
	}
	s := model.DefaultSurface()
	node := model.NewNode("lump")
	node.Mesh = 0
	m := &model.Model{Name: "lump", Up: "Y", Unit: model.Unit{Name: "metre", MetresPerUnit: 1, From: "format"},
		Surfaces: []model.Surface{s}, Meshes: []model.Mesh{{Parts: []model.Part{p}}}, Nodes: []model.Node{node},
		Roots: []int{0}}
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, m); err != nil {
		b.Fatal(err)
	}
	return buf.Bytes()
}

// quarry is a set of 5,000 placements of 500 pieces of 10,000 triangles: 50
// million triangles instanced. One in 250 reaches into its neighbour. Its pieces are made from one
// arrival, so that the
// bench does not wait for 500.
func quarry(b *testing.B) (d *studio, ids []string) {
	d = newStudio(b)
	st := d.takeIn("lump.glb", lump(b, 1, 71))
	first := st.Pieces[0].ID
	// The other 499 differ by their size, which makes them bodies of their own.
	deeds, pieces := []desk.Command{}, []string{first}
	for i := range 499 {
		id := store.NewID()
		if err := store.CopyPiece(d.ctx, d.a.Store.Pool, first, id, fmt.Sprintf("lump %d", i)); err != nil {
			b.Fatal(err)
		}
		if _, err := d.a.Store.Pool.Exec(d.ctx,
			"update piece set sizing = jsonb_set(sizing, '{factor}', to_jsonb($2::float8)) where id = $1", id,
			1+float64(i)/1000); err != nil {
			b.Fatal(err)
		}
		pieces = append(pieces, id)
	}
	for i := range 5000 {
		deeds = append(deeds,
			edit.Do(&edit.Place{Piece: pieces[i%500], Name: fmt.Sprintf("lump %d", i),
				At: geom.V{X: 1.8 * float64(i%71), Z: 1.8*float64(i/71) - map[bool]float64{true: 0.75}[i%250 == 249]}}))
	}
	ids = d.edit(deeds...).Made
	d.add("ground", &lay.Ground{Middle: lay.P{X: 50, Z: 50}, Width: 140, Depth: 140, Cell: 1})
	return d, ids
}

// In a set of 5,000 placements of 500 pieces, 50 million triangles instanced:
// what an edit takes to be confirmed, a put-down, all snags from nothing and after
// one edit.
func BenchmarkQuarry(b *testing.B) {
	d, ids := quarry(b)
	now := d.state().Revision
	measured := func() float64 {
		for {
			if rev, took := d.a.Measured(d.set); rev == now {
				return took
			}
			time.Sleep(time.Millisecond)
		}
	}
	put := func(deed desk.Command) {
		res, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: -1, Commands: []desk.Command{deed}})
		if err != nil {
			b.Fatal(err)
		}
		now = res.Revision
	}
	b.Run("snags from nothing", func(b *testing.B) {
		for b.Loop() {
			fresh := app.New(d.a.Store)
			cache.Empty()
			start := time.Now()
			if _, err := fresh.Measure(d.ctx, d.set); err != nil {
				b.Fatal(err)
			}
			b.ReportMetric(time.Since(start).Seconds(), "s/all")
		}
	})
	measured()
	b.Run("move", func(b *testing.B) {
		n := 0.0
		for b.Loop() {
			n++
			put(edit.Do(&edit.ChangePlacement{ID: ids[2500], Patch: patch(map[string]any{"yaw": n / 10})}))
		}
	})
	b.Run("move at rest", func(b *testing.B) { // as a hand does it: what was measured for the last is done
		for i := 0; b.Loop(); i++ {
			b.StopTimer()
			measured()
			b.StartTimer()
			put(edit.Do(&edit.ChangePlacement{ID: ids[2500], Patch: patch(map[string]any{"yaw": float64(i) / 10})}))
		}
	})
	b.Run("put down", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			b.StopTimer()
			put(edit.Do(&edit.ChangePlacement{ID: ids[i%5000],
				Patch: patch(map[string]any{"at": map[string]any{"y": 0.5}})}))
			measured()
			b.StartTimer()
			put(edit.Do(&edit.PutDown{IDs: []string{ids[i%5000]}}))
		}
	})
	b.Run("snags after one edit", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			b.StopTimer()
			measured()
			b.StartTimer()
			put(edit.Do(&edit.ChangePlacement{ID: ids[2400],
				Patch: patch(map[string]any{"at": map[string]any{"y": float64(i%2) / 2}})}))
			b.ReportMetric(1000*measured(), "ms/measured")
		}
	})
	b.Run("frame after one edit", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			b.StopTimer()
			measured()
			put(edit.Do(&edit.ChangePlacement{ID: ids[2400],
				Patch: patch(map[string]any{"at": map[string]any{"y": float64(i%2) / 2}})}))
			measured()
			b.StartTimer()
			d.frame(0)
		}
	})
	b.Run("fit a move of 240 frames", func(b *testing.B) {
		put(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{X: 60, Y: 1.7,
			Z: 140}},
			"move": motion.Move{Rate: 24, Rail: &motion.CameraPath{Kind: "dolly", Points: []geom.V{{}, {Z: -20}},
				Seconds: 10, Easing: "smooth"}}})}))
		measured()
		for b.Loop() {
			put(edit.Do(&edit.FitRange{}))
		}
	})
	b.Run("memory of two pages", func(b *testing.B) { // all that is alive when both have looked
		for b.Loop() {
			for range 2 {
				if _, err := json.Marshal(d.state()); err != nil {
					b.Fatal(err)
				}
				d.frame(0)
			}
			runtime.GC()
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			b.ReportMetric(float64(m.HeapAlloc)/1e6, "MB")
		}
	})
	b.Run("state", func(b *testing.B) {
		for b.Loop() {
			raw, err := json.Marshal(d.state())
			if err != nil {
				b.Fatal(err)
			}
			b.ReportMetric(float64(len(raw))/1e6, "MB")
		}
	})
}

// From a press of the button to a first picture of the quarry: with nothing in memory and no structure
// kept yet, with structures kept, as after a start, and as the second picture.
func BenchmarkFirstPicture(b *testing.B) {
	d, _ := quarry(b)
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{X: 50, Y: 9, Z: 150}}})}))
	d.await("the measuring", func(*query.State) bool { return d.a.MeasuringLag() == 0 })
	press := func(b *testing.B, before func()) {
		for b.Loop() {
			before()
			start := time.Now()
			id := d.still(b, takes.Settings{Width: 1280, Samples: 1 << 12, Denoise: true}, func(k *store.Take) bool {
				return bytes.Contains(k.Result, []byte(`"preview"`))
			})
			b.ReportMetric(time.Since(start).Seconds(), "s/picture")
			if err := d.a.CancelTake(d.ctx, id); err != nil {
				b.Fatal(err)
			}
		}
	}
	b.Run("no structure kept yet", func(b *testing.B) {
		press(b, func() {
			cache.Empty()
			if err := os.RemoveAll(d.a.Store.Beside("structures")); err != nil {
				b.Fatal(err)
			}
		})
	})
	b.Run("after a start", func(b *testing.B) { press(b, cache.Empty) })
	b.Run("the second", func(b *testing.B) { press(b, func() {}) })
}

// still begins one, and waits until it is as is tells.
func (d *studio) still(b *testing.B, s takes.Settings, is func(k *store.Take) bool) (id string) {
	b.Helper()
	t, err := d.a.Shoot(d.ctx, d.set, "", "still", s)
	if err != nil {
		b.Fatal(err)
	}
	d.await("the take", func(st *query.State) bool {
		for i := range st.Takes {
			k := &st.Takes[i]
			if k.ID == t.ID && k.State == "failed" {
				b.Fatal(k.Note)
			}
			if k.ID == t.ID && is(k) {
				return true
			}
		}
		return false
	})
	return t.ID
}

// A drift of a million instances on a square kilometre of ground: laid, stored,
// handed to a page, and rendered as instances.
func BenchmarkMillion(b *testing.B) {
	d := newStudio(b)
	piece := d.takeIn("stone.glb", lump(b, 1, 12)).Pieces[0].ID
	d.add("ground", &lay.Ground{Width: 1000, Depth: 1000, Cell: 1, Rough: 12, Grain: 150, Seed: 1})
	area := []lay.P{{X: -500, Z: -500}, {X: 500, Z: -500}, {X: 500, Z: 500}, {X: -500, Z: 500}}
	drift := lay.Scatter{Area: area, Pieces: []lay.Share{{Piece: piece, Weight: 1}}, Density: 1, SizeMin: 0.3,
		SizeMax: 0.6, Turn: 3, Follow: 1, Seed: 1}
	b.Run("laid", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			drift.Seed = uint64(i + 1)
			start := time.Now()
			id := d.add("drift", &drift)
			raw, err := d.a.ElementInstances(d.ctx, d.set, id, 200_000)
			if err != nil {
				b.Fatal(err)
			}
			e := d.elementState(id)
			b.ReportMetric(time.Since(start).Seconds(), "s/laid")
			b.ReportMetric(float64(e.Count), "instances")
			b.ReportMetric(float64(len(e.Spec)), "bytes-stored")
			b.ReportMetric(float64(len(raw))/1e6, "MB-to-page")
			d.edit(edit.Do(&edit.Delete{IDs: []string{id}}))
		}
	})
	d.add("drift", &drift)
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{X: 60, Y: 14,
		Z: 140}}, "move": motion.Move{Rate: 24,
		Rail: &motion.CameraPath{Kind: "dolly", Points: []geom.V{{}, {Z: -20}}, Seconds: 10, Easing: "smooth"}}})}))
	d.frame(0) // the tree over the copies is made once
	b.Run("seen by a move of 240 frames", func(b *testing.B) {
		for b.Loop() {
			d.frame(0)
		}
	})
	b.Run("fitted to it", func(b *testing.B) {
		for b.Loop() {
			d.edit(edit.Do(&edit.FitRange{}))
		}
	})
	b.Run("rendered", func(b *testing.B) {
		for b.Loop() {
			start := time.Now()
			d.still(b, takes.Settings{Width: 640, Samples: 4, Bounces: 2, Denoise: true},
				func(k *store.Take) bool { return k.State == "done" })
			b.ReportMetric(time.Since(start).Seconds(), "s/take")
		}
	})
}
