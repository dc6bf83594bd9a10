package app_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"math"
	"slices"
	"testing"
	"time"

	"visator/app"
	"visator/app/edit"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/openexr"
	"visator/jobs"
	"visator/store"
)

// A take that is shared is the same, byte for byte, whether one worker makes it or two do; it holds the samples that one
// which is not shared holds; frames of a move are those of one that is not. A part whose worker was lost is made by
// another, and what that still says is refused.
func TestASharedTakeIsTheSameByHoweverMany(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	eye := d.state().Set.View.Eye
	d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID, At: eye.Add(geom.V{Y: -0.5, Z: -3})}))
	start := func(kind string, s takes.Settings) store.Take {
		t.Helper()
		x, err := d.a.Shoot(d.ctx, d.set, "", kind, s)
		if err != nil {
			t.Fatal(err)
		}
		return x
	}
	ended := func(id string, meanwhile func()) takes.Result {
		t.Helper()
		for range 1500 {
			if meanwhile != nil {
				meanwhile()
			}
			now, err := d.a.Store.Take(d.ctx, id)
			if err != nil {
				t.Fatal(err)
			}
			if now.State == "failed" {
				t.Fatal(now.Note)
			}
			if now.State == "done" {
				return resultOf(t, &now)
			}
			<-time.After(100 * time.Millisecond)
		}
		t.Fatal("waited in vain for the take")
		return takes.Result{}
	}
	still := takes.Settings{Width: 112, Samples: 96, Seed: 3, Even: true, Shared: true, Bounces: 3, Keep: true,
		Layers: []string{"identity", "ways", "occlusion", "shadow"}}
	alone := ended(start("still", still).ID, nil)
	plain := still
	plain.Shared = false
	unshared := ended(start("still", plain).ID, nil)
	frames := takes.Settings{Width: 64, Samples: 8, Seed: 3, Lasts: 0.25, Linear: true, Layers: []string{"motion"}}
	move := ended(start("turntable", frames).ID, nil)

	// The samples are the same, in other sums.
	a, b := d.green(alone.EXR), d.green(unshared.EXR)
	for i := range a {
		if math.Abs(float64(a[i]-b[i])) > 1e-4*float64(b[i]) {
			t.Fatalf("pixel %d is %v, not shared %v", i, a[i], b[i])
		}
	}

	// A second process comes.
	other := app.New(d.a.Store)
	pool, err := jobs.Open(d.ctx, other, 1, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	if err := pool.Start(d.ctx); err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := pool.Stop(context.Background()); err != nil {
			t.Error(err)
		}
	}()
	by := map[string]bool{}
	x := start("still", still)
	ghost := false
	both := ended(x.ID, func() {
		parts, err := d.a.Store.Parts(d.ctx, x.ID)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range parts {
			if p.State == "done" {
				by[p.Worker] = true
			}
		}
		if len(parts) > 0 && !ghost { // a worker takes the last part and is lost
			tag, err := d.a.Store.Pool.Exec(d.ctx, "update take_part set state = 'claimed', worker = 'ghost', "+
				"beat = now() - interval '1 minute' where take_id = $1 and n = $2 and state = 'open'", x.ID, len(parts)-1)
			if err != nil {
				t.Fatal(err)
			}
			if ghost = tag.RowsAffected() == 1; ghost {
				return
			}
		}
	})
	if err := d.a.Store.PartDone(d.ctx, x.ID, 11, "ghost", nil); !errors.Is(err, store.ErrOvertaken) {
		t.Errorf("a worker that was lost says that it is done: %v", err)
	}
	if len(by) != 2 || by["ghost"] || !ghost {
		t.Errorf("it was made by %v, a ghost %v", by, ghost)
	}
	if both.EXR != alone.EXR || both.PNG != alone.PNG || both.Film == "" || both.Samples != 96 {
		t.Errorf("by two it is another picture: %+v, by one %+v", both, alone)
	}
	frames.Shared = true
	if shared := ended(start("turntable", frames).ID, nil); !slices.Equal(shared.Frames, move.Frames) ||
		!slices.Equal(shared.Linears, move.Linears) || len(move.Frames) != 6 {
		t.Errorf("the frames are others")
	}
	// It goes on from where it ended, as any other.
	if err := d.a.GoOn(d.ctx, x.ID, takes.More{Samples: 100}); err != nil {
		t.Fatal(err)
	}
	d.await("more", func(st *query.State) bool {
		for _, k := range st.Takes {
			var r takes.Result
			if k.ID == x.ID && k.State == "done" && json.Unmarshal(k.Result, &r) == nil && r.Samples == 100 {
				return true
			}
		}
		return false
	})
}

// green is the green of a take's OpenEXR.
func (d *studio) green(hash string) []float32 {
	d.Helper()
	data, err := d.a.Store.ReadBlob(d.ctx, hash)
	if err != nil {
		d.Fatal(err)
	}
	e, err := openexr.Open(bytes.NewReader(data))
	if err != nil {
		d.Fatal(err)
	}
	planes, err := e.Planes("G")
	if err != nil {
		d.Fatal(err)
	}
	return planes[0]
}
