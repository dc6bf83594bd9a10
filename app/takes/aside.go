package takes

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math"
	"slices"
	"time"

	"visator/core/bands"
	"visator/core/film"
	"visator/core/openexr"
	"visator/core/render"
	"visator/store"
)

// NoiseLayer is the channel of a take's OpenEXR that holds the noise that was left at each pixel.
const NoiseLayer = "noise.V"

// Films are laid aside while they are made, so that little is lost when a server ends: as often as takes a small share
// of the time.
const (
	layEvery = 20 * time.Second
	layShare = 40
)

// aside lays the film aside when it is time.
func (sh *shooting) aside(ctx context.Context, f *film.Film) {
	if sh.s.Move != nil || !f.Open() || !sh.whole() || sh.parted {
		return
	}
	if sh.layNext.IsZero() {
		sh.layNext = time.Now().Add(layEvery)
	}
	if time.Now().Before(sh.layNext) {
		return
	}
	began := time.Now()
	_ = sh.lay(ctx, f) // it is only safer for it
	sh.layNext = time.Now().Add(max(layEvery, layShare*time.Since(began)))
}

// whole says whether the picture is made as a whole: of one in bands nothing can be laid aside.
func (sh *shooting) whole() bool {
	w, h := sh.s.Width, sh.s.Height
	if r := sh.s.Region; r != nil {
		w, h = r[2]-r[0], r[3]-r[1]
	}
	return bands.Need(w, h) <= sh.a.Room()
}

// lay lays the film aside in the place of the one that was laid aside before.
func (sh *shooting) lay(ctx context.Context, f *film.Film) error {
	k, err := sh.a.Store.PutWritten(ctx, func(w io.Writer) error { return f.Save(w, sh.t.ID) })
	if err != nil {
		return err
	}
	if old := sh.laid; old.New && old.Hash != k.Hash {
		defer sh.a.Store.DropBlob(ctx, old.Hash, old.Put)
	}
	sh.laid, sh.r.Film = k, k.Hash
	return nil
}

// takeUp takes up the film that was laid aside. One that cannot be read is rendered anew.
func (sh *shooting) takeUp(ctx context.Context) error {
	if sh.r.Film == "" {
		return nil
	}
	data, err := sh.a.Store.ReadBlob(ctx, sh.r.Film)
	if err == nil {
		sh.film, err = film.Load(bytes.NewReader(data), int64(len(data)), sh.t.ID,
			int(sh.a.Room()/makingPixel))
	}
	if store.Away(err) || ctx.Err() != nil {
		return err
	}
	if err != nil {
		sh.r.Film, sh.film = "", nil
		_ = sh.save(ctx, "working", 0, "what was laid aside cannot be read: it is rendered anew")
	}
	return nil
}

// makingPixel is about what a pixel of a film that goes on takes.
const makingPixel = 256

// pace is when so many samples were made.
type pace struct {
	samples int
	seconds float64
}

// left is how many seconds a still takes still, about: samples cost what the later half of them cost until now, since
// the first are made beside all that is still being made ready, and noise falls with their root.
func (sh *shooting) left(done, of int, seconds float64) float64 {
	made := done - sh.from
	if made < 1 {
		return 0
	}
	if n := len(sh.paces); n > 0 && sh.paces[n-1].samples > made {
		sh.paces = nil // of another frame
	}
	since := pace{}
	for _, p := range sh.paces {
		if p.samples <= made/2 {
			since = p
		}
	}
	sh.paces = append(sh.paces, pace{made, seconds})
	each := (seconds - since.seconds) / float64(made-since.samples)
	left := each * float64(of-done)
	if sh.s.Noise > 0 && sh.r.Noise > 0 {
		k := sh.r.Noise / sh.s.Noise
		left = min(left, each*float64(done)*max(k*k-1, 0))
	}
	if sh.s.Seconds > 0 {
		left = min(left, sh.s.Seconds-seconds)
	}
	return math.Max(left, 0)
}

// words tell how far a still is.
func (sh *shooting) words(done, of int) string {
	s := fmt.Sprintf("%d of %d samples", done, of)
	if sh.s.Noise > 0 && sh.r.Noise > 0 {
		s += fmt.Sprintf(", %.1f %% noise", 100*sh.r.Noise)
	}
	if sh.r.Left >= 1 {
		s += fmt.Sprintf(", %s left", spoken(sh.r.Left))
	}
	return s
}

// spoken tells a time as it is said.
func spoken(seconds float64) string {
	switch {
	case seconds < 90:
		return fmt.Sprintf("%.0f s", seconds)
	case seconds < 90*60:
		return fmt.Sprintf("%.0f min", seconds/60)
	}
	return fmt.Sprintf("%.1f h", seconds/3600)
}

// inWhole lays a region into the whole picture: the shot's newest still of that size, or black.
func (sh *shooting) inWhole(ctx context.Context, f *render.Film, errors []float32) (*render.Film, []float32, error) {
	w, h := sh.s.Width, sh.s.Height
	whole := &render.Film{Width: w, Height: h, Whole: [2]int{w, h}, Samples: f.Samples}
	under, err := sh.under(ctx)
	if err != nil {
		return nil, nil, err
	}
	if under.depth == nil { // nothing stands about it
		under.depth = slices.Repeat([]float32{float32(math.Inf(1))}, w*h)
	}
	if under.noise == nil {
		under.noise = make([]float32, w*h)
	}
	noise := under.noise
	whole.Color, whole.Depth, sh.r.Around = under.color, under.depth, under.take
	for y := range f.Height {
		from, to := y*f.Width, (f.Top+y)*w+f.Left
		copy(whole.Color[3*to:], f.Color[3*from:][:3*f.Width])
		copy(whole.Depth[to:], f.Depth[from:][:f.Width])
		if errors != nil {
			copy(noise[to:], errors[from:][:f.Width])
		}
	}
	return whole, noise, nil
}

// underlay is the picture about a region.
type underlay struct {
	take                string
	color, depth, noise []float32
}

// under is the newest still of the shot that has the size of the take, or black.
func (sh *shooting) under(ctx context.Context) (*underlay, error) {
	takes, err := store.Takes(ctx, sh.a.Store.Pool, sh.t.SetID)
	if err != nil {
		return nil, err
	}
	for _, t := range takes {
		s, r, err := Of(&t)
		if t.ID == sh.t.ID || t.ShotID != sh.t.ShotID || t.State != "done" || t.Kind != "still" ||
			err != nil || r.EXR == "" || s.Width != sh.s.Width || s.Height != sh.s.Height {
			continue
		}
		data, err := sh.a.Store.ReadBlob(ctx, r.EXR)
		if err != nil {
			return nil, err
		}
		e, err := openexr.Open(bytes.NewReader(data))
		if err != nil {
			return nil, err
		}
		names := []string{"R", "G", "B"}
		for _, more := range []string{"Z", NoiseLayer} {
			if e.Has(more) {
				names = append(names, more)
			}
		}
		planes, err := e.Planes(names...)
		if err != nil {
			return nil, err
		}
		u := &underlay{take: t.ID, color: make([]float32, 3*len(planes[0]))}
		for i := range planes[0] {
			u.color[3*i], u.color[3*i+1], u.color[3*i+2] = planes[0][i], planes[1][i], planes[2][i]
		}
		for i, name := range names[3:] {
			if name == "Z" {
				u.depth = planes[3+i]
			} else {
				u.noise = planes[3+i]
			}
		}
		return u, nil
	}
	return &underlay{color: make([]float32, 3*sh.s.Width*sh.s.Height)}, nil
}
