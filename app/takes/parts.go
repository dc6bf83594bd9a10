package takes

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/riverqueue/river"

	"visator/app/shoot"
	"visator/core/film"
	"visator/store"
)

// A take that is shared is made in parts, of a still so many samples each, of a move a frame: by whoever comes first of
// all workers that are there. Which parts there are goes by the take alone, and they are put together in their order,
// so that the picture is the same, to the byte, by however many it was made.

// HelpArgs is the job that helps with a take that is shared.
type HelpArgs struct {
	Take string `json:"take"`
	N    int    `json:"n"`
}

func (HelpArgs) Kind() string { return "help" }

// HelpQueue is the queue of help: a process helps with one take at a time.
const HelpQueue = "help"

// helpers is how many may help with a take.
const helpers = 15

// Of a still: how many samples a part has at least, and how many parts there are at most. Each takes as much room as a
// film that is laid aside.
const (
	leastPart = 8
	mostParts = 16
)

// samplesOf is the range of samples of part n of a still.
func samplesOf(samples, parts, n int) (from, to int) {
	return samples * n / parts, samples * (n + 1) / parts
}

// partsOf is how many parts a still of so many samples has.
func partsOf(samples int) int { return min(max(samples/leastPart, 1), mostParts) }

// madePart is what came of a part.
type madePart struct {
	Film   string `json:"film,omitempty"` // of a still
	PNG    string `json:"png,omitempty"`  // of a frame
	EXR    string `json:"exr,omitempty"`
	Worker string `json:"worker"`
}

// share makes a take in parts: with others, where there are some.
func (sh *shooting) share(ctx context.Context, l *shoot.Loaded, parts int,
	one func(ctx context.Context, n int) (madePart, error)) ([]madePart, error) {
	sh.parted = true
	if err := sh.a.Store.OpenParts(ctx, sh.t.ID, parts); err != nil {
		return nil, err
	}
	sh.a.leads.Store(sh.t.ID, true)
	defer sh.a.leads.Delete(sh.t.ID)
	var jobs []river.InsertManyParams
	for n := range min(helpers, parts-1) {
		jobs = append(jobs, river.InsertManyParams{Args: HelpArgs{sh.t.ID, n},
			InsertOpts: &river.InsertOpts{Queue: HelpQueue, MaxAttempts: 1}})
	}
	if len(jobs) > 0 {
		if _, err := sh.a.Queue.InsertMany(ctx, jobs); err != nil {
			return nil, err
		}
	}
	for {
		err := sh.work(ctx, parts, one)
		if err != nil {
			return nil, err
		}
		list, err := sh.a.Store.Parts(ctx, sh.t.ID)
		if err != nil {
			return nil, err
		}
		out, done := make([]madePart, len(list)), 0
		for i := range list {
			if list[i].State != "done" {
				continue
			}
			if err := json.Unmarshal(list[i].Result, &out[i]); err != nil {
				return nil, err
			}
			done++
		}
		if done == len(list) {
			return out, nil
		}
		if err := sh.toldParts(ctx, done, parts); err != nil {
			return nil, err
		}
		select { // others are at the rest
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(300 * time.Millisecond):
		}
	}
}

// toldParts tells how many parts are done.
func (sh *shooting) toldParts(ctx context.Context, done, parts int) error {
	sh.r.Seconds = time.Since(sh.start).Seconds()
	if done > 0 {
		sh.r.Left = time.Since(sh.began).Seconds() / float64(done) * float64(parts-done)
	}
	return sh.save(ctx, "working", float64(done)/float64(parts+1), fmt.Sprintf("%d of %d parts, shared", done, parts))
}

// work makes parts until no more is open.
func (sh *shooting) work(ctx context.Context, parts int, one func(ctx context.Context, n int) (madePart, error)) error {
	for {
		n, err := sh.a.Store.ClaimPart(ctx, sh.t.ID, sh.a.id)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := sh.part(ctx, n, one); err != nil && !errors.Is(err, store.ErrOvertaken) {
			_ = sh.a.Store.GiveBackPart(context.WithoutCancel(ctx), sh.t.ID, n, sh.a.id)
			return err
		}
		if sh.turn > 0 { // whoever leads tells
			list, err := sh.a.Store.Parts(ctx, sh.t.ID)
			if err != nil {
				return err
			}
			done := 0
			for i := range list {
				if list[i].State == "done" {
					done++
				}
			}
			if err := sh.toldParts(ctx, done, parts); err != nil {
				return err
			}
		}
	}
}

// beatEvery is how often a worker says that it is at its part.
const beatEvery = 3 * time.Second

// part makes a part and keeps what came of it.
func (sh *shooting) part(ctx context.Context, n int, one func(ctx context.Context, n int) (madePart, error)) error {
	making, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	go func() {
		tick := time.NewTicker(beatEvery)
		defer tick.Stop()
		for {
			select {
			case <-making.Done():
				return
			case <-tick.C:
				if err := sh.a.Store.BeatPart(making, sh.t.ID, n, sh.a.id); errors.Is(err, store.ErrOvertaken) {
					stop(err)
				}
			}
		}
	}()
	made, err := one(making, n)
	if cause := context.Cause(making); errors.Is(cause, store.ErrOvertaken) {
		return cause
	}
	if err != nil {
		return err
	}
	made.Worker = sh.a.id
	return sh.a.Store.PartDone(ctx, sh.t.ID, n, sh.a.id, made)
}

// samples makes the film of a part of a still, and lays it aside.
func (sh *shooting) samples(ctx context.Context, parts, n int) (madePart, error) {
	from, to := samplesOf(sh.s.Samples, parts, n)
	o := sh.s.options()
	o.Skip, o.Samples, o.Adaptive, o.Noise = from, to-from, false, 0
	f, err := sh.render(ctx, &sh.s.View, o, false, nil)
	if err != nil {
		return madePart{}, err
	}
	k, err := sh.a.Store.PutWritten(ctx, func(w io.Writer) error { return f.Save(w, sh.t.ID) })
	return madePart{Film: k.Hash}, err
}

// sharedStill makes a still in parts.
func (sh *shooting) sharedStill(ctx context.Context, l *shoot.Loaded) error {
	parts := partsOf(sh.s.Samples)
	list, err := sh.share(ctx, l, parts, func(ctx context.Context, n int) (madePart, error) {
		return sh.samples(ctx, parts, n)
	})
	if err != nil {
		return err
	}
	var whole *film.Film
	for _, p := range list {
		data, err := sh.a.Store.ReadBlob(ctx, p.Film)
		if err != nil {
			return err
		}
		f, err := film.Load(bytes.NewReader(data), int64(len(data)), sh.t.ID, int(sh.a.Room()/makingPixel))
		if err != nil {
			return err
		}
		if whole == nil {
			whole = f
		} else if err := whole.Merge(f); err != nil {
			return err
		}
	}
	whole.Threads, whole.SurfaceNames = 0, sh.scene.SurfaceNames()
	whole.Show(sh.s.Denoise)
	sh.r.Samples, sh.r.Seconds = whole.Samples, time.Since(sh.start).Seconds()
	if n := whole.Noise(); n == n {
		sh.r.Noise = n
	}
	if err := sh.develop(ctx, whole); err != nil {
		return err
	}
	return sh.a.Store.DropParts(ctx, sh.t.ID)
}

// oneFrame makes a frame of a move, counted in the order in which they are made.
func (sh *shooting) oneFrame(ctx context.Context, l *shoot.Loaded, first, i int) (madePart, error) {
	t := float64(first+i) / sh.s.Move.Rate
	f, v, err := sh.frame(ctx, l, t)
	if err != nil {
		return madePart{}, err
	}
	var out madePart
	if sh.s.Linear {
		if out.EXR, err = sh.linear(ctx, l, f, v, t); err != nil {
			return out, err
		}
	}
	out.PNG, err = sh.putPNG(ctx, f, v)
	return out, err
}

// sharedFrames makes the frames of a move that are missing, with others.
func (sh *shooting) sharedFrames(ctx context.Context, l *shoot.Loaded, first int, missing []int) error {
	list, err := sh.share(ctx, l, len(missing), func(ctx context.Context, n int) (madePart, error) {
		return sh.oneFrame(ctx, l, first, missing[n])
	})
	if err != nil {
		return err
	}
	for n, p := range list {
		i := missing[n]
		sh.r.Frames[i], sh.r.Preview = p.PNG, p.PNG
		if sh.s.Linear {
			sh.r.Linears[i] = p.EXR
		}
	}
	if err := sh.save(ctx, "working", 0.99, "all frames are made"); err != nil {
		return err
	}
	return sh.a.Store.DropParts(ctx, sh.t.ID)
}

// RunHelp helps with a take that another process leads, until no part of it is open.
func (a *Operator) RunHelp(ctx context.Context, id string) error {
	t, err := a.Store.Take(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	if t.State != "working" {
		return nil
	}
	if _, leads := a.leads.Load(id); leads { // another process may have it
		return river.JobSnooze(time.Second)
	}
	now := time.Now()
	sh := &shooting{a: a, t: t, start: now, began: now, parted: true}
	if sh.s, sh.r, err = Of(&t); err != nil {
		return err
	}
	l, err := sh.ready(ctx)
	if err != nil {
		return err
	}
	if sh.s.Move == nil {
		parts := partsOf(sh.s.Samples)
		return sh.work(ctx, parts, func(ctx context.Context, n int) (madePart, error) {
			return sh.samples(ctx, parts, n)
		})
	}
	first, missing := sh.missing()
	return sh.work(ctx, len(missing), func(ctx context.Context, n int) (madePart, error) {
		return sh.oneFrame(ctx, l, first, missing[n])
	})
}
