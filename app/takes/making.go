package takes

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"visator/app/act"
	"visator/app/library"
	"visator/app/shoot"
	"visator/core/bands"
	"visator/core/exchange"
	"visator/core/film"
	"visator/core/layers"
	"visator/core/optics"
	"visator/core/render"
	"visator/store"
)

// shooting is a take in the making.
type shooting struct {
	a          *Operator
	t          store.Take
	s          Settings
	r          Result
	production string
	scene      *render.Scene
	groups     []shoot.ShareGroup // of its lamps
	start      time.Time
	began      time.Time  // this time; start is earlier by what it took before
	next       time.Time  // when the picture so far is shown again
	older      store.Kept // the preview before the last
	newer      store.Kept // the last
	turn       int64      // that writes are made with
	called     []layers.Called
	film       *film.Film // that was laid aside, to go on with
	from       int        // samples that it had
	laid       store.Kept // the film that was laid aside last
	layNext    time.Time
	parted     bool // it is made in parts
	paces      []pace
}

// RunTake renders a take. After an interruption a still begins anew, a move
// goes on with the first frame that is missing.
func (a *Operator) RunTake(ctx context.Context, id string) error {
	t, err := a.Store.Take(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil // deleted meanwhile
	}
	if err != nil {
		return err
	}
	if t.State != "waiting" && t.State != "working" {
		return nil
	}
	// From here on whoever had it before, and only lost its connection, is refused.
	turn, err := a.Store.BeginTake(ctx, id)
	if err != nil {
		return err
	}
	// What was written until then is what it goes on with.
	if t, err = a.Store.Take(ctx, id); err != nil {
		return err
	}
	now := time.Now()
	sh := &shooting{a: a, t: t, start: now, began: now, turn: turn}
	if sh.s, sh.r, err = Of(&t); err != nil {
		return err
	}
	if len(sh.r.Frames) > 0 || sh.r.Film != "" { // what was made before took its time too
		sh.start = sh.start.Add(-time.Duration(sh.r.Seconds * float64(time.Second)))
	}
	set, err := store.GetSet(ctx, a.Store.Pool, t.SetID)
	if errors.Is(err, store.ErrNotFound) {
		return sh.save(ctx, "cancelled", t.Progress, "its set lies in the bin")
	}
	if err != nil {
		return err
	}
	sh.production = set.ProductionID
	note := "loading the set"
	if t.State == "working" {
		note = "was interrupted, goes on"
	}
	if err := sh.save(ctx, "working", t.Progress, note); err != nil {
		return err
	}
	err = sh.run(ctx)
	switch {
	case err == nil:
		sh.r.Preview, sh.r.Left = "", 0
		return sh.save(ctx, "done", 1, "")
	case errors.Is(err, store.ErrOvertaken):
		return nil // another has it
	case store.Full(err):
		_ = sh.save(context.WithoutCancel(ctx), "waiting", sh.t.Progress, act.WaitsForRoom)
		return err
	case store.Away(err):
		return err // it is tried again when the database is back
	case ctx.Err() != nil:
		// Cancelled by hand (the row says so and stays so), or shut down: then
		// it goes on later.
		_ = sh.save(context.WithoutCancel(ctx), "waiting", sh.t.Progress, "was interrupted, goes on")
		return err
	}
	return sh.save(ctx, "failed", sh.t.Progress, err.Error())
}

func (sh *shooting) save(ctx context.Context, state string, progress float64, note string) error {
	sh.t.Progress = progress
	err := sh.a.Store.SetTake(ctx, sh.t.ID, sh.turn, state, progress, note, &sh.r)
	act.Tell(ctx, sh.a.Store.Pool, sh.production, "take")
	return err
}

func (sh *shooting) run(ctx context.Context) error {
	l, err := sh.ready(ctx)
	if err != nil {
		return err
	}
	if sh.s.Move != nil {
		return sh.move(ctx, l)
	}
	if sh.s.Shared && sh.r.Film == "" && sh.whole() {
		return sh.sharedStill(ctx, l)
	}
	if err := sh.takeUp(ctx); err != nil {
		return err
	}
	return sh.still(ctx)
}

// ready loads the set of a take and makes its scene.
func (sh *shooting) ready(ctx context.Context) (*shoot.Loaded, error) {
	l, err := sh.load(ctx)
	if err != nil {
		return nil, err
	}
	if err := sh.a.Learned(ctx, sh.s.Finish); err != nil {
		return nil, err
	}
	if sh.scene, err = l.Scene(ctx, &sh.s.Light); err != nil {
		return nil, err
	}
	sh.groups, sh.called = l.Groups, l.Called()
	if sh.s.Move == nil {
		sh.s.View = sh.s.At(0, l.Cast.Where) // focused on where its thing stands now
		sh.scene = shoot.Falling(sh.scene, &sh.s.Light, &sh.s.View, 0)
	}
	return l, nil
}

// expose renders one view.
func (sh *shooting) expose(ctx context.Context, v *optics.View,
	progress func(done, of int, f *render.Film)) (*render.Film, error) {
	return sh.render(ctx, v, sh.s.options(), true, progress)
}

// render renders one view with options; limited says whether it may end before its last sample.
func (sh *shooting) render(ctx context.Context, v *optics.View, o render.Options, limited bool,
	progress func(done, of int, f *render.Film)) (*render.Film, error) {
	cam := sh.camera(v)
	o.Enter = act.GiveWay
	began := time.Now()
	counted := 0
	if o.From != nil {
		counted = o.From.Samples
	}
	if sh.film != nil {
		counted = sh.film.Samples
		o.From, sh.film = sh.film, nil
	}
	sh.from = counted
	o.Progress = func(done, of int, f *render.Film) {
		library.Samples.Add(int64(max(done-counted, 0)) * int64(f.Width*f.Height))
		counted = done
		sh.r.Samples, sh.r.Noise = done, 0
		if n := f.Noise(); n == n {
			sh.r.Noise = n
		}
		sh.r.Seconds = time.Since(sh.start).Seconds()
		sh.r.Left = sh.left(done, of, time.Since(began).Seconds())
		sh.aside(ctx, f)
		if progress != nil {
			progress(done, of, f)
		}
		if sh.s.Quietly {
			sh.stand(ctx)
		}
	}
	if sh.s.Seconds > 0 && limited {
		o.Stop = func(int) bool { return time.Since(began).Seconds() > sh.s.Seconds }
	}
	return bands.Render(ctx, sh.scene, &cam, o, sh.a.Room())
}

// leave is for how long after the last thing that a person did a quiet take waits.
const leave = 15 * time.Second

// stand waits while somebody is at work.
func (sh *shooting) stand(ctx context.Context) {
	atWork := func() bool { return time.Since(sh.a.Touched()) < leave }
	if !atWork() {
		return
	}
	_ = sh.save(ctx, "working", sh.t.Progress, "waits while you are at work")
	tick := time.NewTicker(250 * time.Millisecond)
	defer tick.Stop()
	for atWork() {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// A picture in the making is shown often enough to judge it, and seldom
// enough not to slow it: showing takes at most a sixteenth of the time.
const (
	previewEvery = 1500 * time.Millisecond
	previewShare = 16
)

// glancePixels are enough to see what a picture is of, and made in some tenths of a second.
const glancePixels = 30_000

// glance makes a small picture at once, for something to look at while the
// first pass of the large one is made.
func (sh *shooting) glance(ctx context.Context) {
	cam, o := sh.camera(&sh.s.View), sh.s.options()
	o.Shares = false
	k := max(int(math.Ceil(math.Sqrt(float64(o.Width*o.Height)/glancePixels))), 4)
	o.Width, o.Height, o.Samples, o.Bounces = max(o.Width/k, 1), max(o.Height/k, 1), 1, min(o.Bounces, 2)
	f, err := render.Render(ctx, sh.scene, &cam, o)
	if err != nil {
		return
	}
	if k, err := sh.keepPNG(ctx, f, &sh.s.View); err == nil {
		sh.newer, sh.r.Preview = k, k.Hash
		_ = sh.save(ctx, "working", 0, "a first glance")
	}
}

func (sh *shooting) still(ctx context.Context) error {
	if !sh.whole() {
		return sh.banded(ctx)
	}
	if sh.film == nil && sh.s.Region == nil {
		sh.glance(ctx)
	}
	ctx, overtaken := context.WithCancelCause(ctx)
	defer overtaken(nil)
	f, err := sh.expose(ctx, &sh.s.View, func(done, of int, f *render.Film) {
		if done < of && (done == 1 || time.Now().After(sh.next)) {
			began := time.Now()
			defer func() {
				sh.next = time.Now().Add(max(previewEvery, previewShare*time.Since(began)))
			}()
			f := f.Glimpse(sh.s.Denoise)
			if k, err := sh.keepPNG(ctx, f, &sh.s.View); err == nil {
				old := sh.older // pages may still show the one after it
				sh.older, sh.newer, sh.r.Preview = sh.newer, k, k.Hash
				share := float64(done) / float64(of)
				if sh.s.Seconds > 0 {
					share = max(share, min(sh.r.Seconds/sh.s.Seconds, 1))
				}
				if errors.Is(sh.save(ctx, "working", share, sh.words(done, of)),
					store.ErrOvertaken) {
					overtaken(store.ErrOvertaken)
				}
				if old.New && old.Hash != k.Hash && old.Hash != sh.older.Hash {
					sh.a.Store.DropBlob(ctx, old.Hash, old.Put)
				}
			}
		}
	})
	if cause := context.Cause(ctx); errors.Is(cause, store.ErrOvertaken) {
		return cause
	}
	if err != nil {
		return err
	}
	return sh.develop(ctx, f)
}

// banded makes a still that does not fit into memory as a whole. What is there is
// told, not shown.
func (sh *shooting) banded(ctx context.Context) error {
	ctx, overtaken := context.WithCancelCause(ctx)
	defer overtaken(nil)
	f, err := sh.expose(ctx, &sh.s.View, func(done, of int, _ *render.Film) {
		if done < of && time.Now().After(sh.next) {
			sh.next = time.Now().Add(previewEvery)
			share := float64(done) / float64(of)
			if errors.Is(sh.save(ctx, "working", share,
				fmt.Sprintf("%.0f %%, in bands: it does not fit into memory as a whole",
					100*share)), store.ErrOvertaken) {
				overtaken(store.ErrOvertaken)
			}
		}
	})
	if cause := context.Cause(ctx); errors.Is(cause, store.ErrOvertaken) {
		return cause
	}
	if err != nil {
		return err
	}
	return sh.develop(ctx, f)
}

// layers are those that the OpenEXR of a still has beside its colours: depth always, lights and noise in their own way.
func (sh *shooting) layers() []string {
	list := []string{"depth"}
	if sh.s.Region != nil { // only its part would have them
		return list
	}
	for _, name := range sh.s.Layers {
		if !slices.Contains([]string{"depth", "lights", "noise"}, name) {
			list = append(list, name)
		}
	}
	return list
}

// develop keeps the pictures of a still that was made.
func (sh *shooting) develop(ctx context.Context, f *render.Film) (err error) {
	cam := sh.camera(&sh.s.View)
	noise := f.Errors()
	if sh.s.Keep && f.Open() {
		if err := sh.lay(ctx, f); err != nil {
			return err
		}
	}
	f.Close()
	if sh.s.Region != nil {
		if f, noise, err = sh.inWhole(ctx, f, noise); err != nil {
			return err
		}
	}
	if sh.r.PNG, err = sh.putPNG(ctx, f, &sh.s.View); err != nil {
		return err
	}
	sh.r.EXR, err = sh.putEXR(ctx, f, &cam, noise, nil)
	return err
}

// putEXR keeps a film as OpenEXR, with its layers.
func (sh *shooting) putEXR(ctx context.Context, f *render.Film, cam *render.Camera, noise []float32,
	later *layers.Later) (string, error) {
	p, err := layers.Of(f, cam, sh.layers(), nil, sh.called, later)
	if err != nil {
		return "", err
	}
	channels := p.Channels
	if noise != nil {
		channels = append(channels, exchange.Channel{Name: NoiseLayer, Data: noise, Stride: 1})
	}
	if len(f.Shares) > 0 {
		sh.r.Groups = append(slices.Clone(sh.groups), shoot.ShareGroup{Name: "sun", Kind: "sun"},
			shoot.ShareGroup{Name: "sky", Kind: "sky"}, shoot.ShareGroup{Name: "what glows", Kind: "glow"})
		names := make([]string, len(sh.groups))
		for i := range names {
			names[i] = sh.groups[i].Name
		}
		channels = append(channels, exchange.Shares(f.Shares, names)...)
	}
	if sh.s.Halves {
		channels = exchange.Halves(channels)
	}
	sh.r.Layers = p.Lines
	if as := envMaps[sh.s.Around]; as != "" {
		p.Texts[exchange.EnvMap] = as
	}
	var buf bytes.Buffer
	write := exchange.WriteEXRWith
	if sh.s.Packed {
		write = exchange.WriteEXRPacked
	}
	if err := write(&buf, f.Width, f.Height, channels, p.Texts); err != nil {
		return "", err
	}
	hash, _, err := sh.a.Store.PutBlob(ctx, &buf, 0)
	return hash, err
}

func (sh *shooting) putPNG(ctx context.Context, f *render.Film, v *optics.View) (string, error) {
	k, err := sh.keepPNG(ctx, f, v)
	return k.Hash, err
}

func (sh *shooting) keepPNG(ctx context.Context, f *render.Film, v *optics.View) (store.Kept, error) {
	picture, err := shoot.QuickPNG(f, v, sh.s.Finish)
	if err != nil {
		return store.Kept{}, err
	}
	return sh.a.Store.Put(ctx, picture, 0)
}
