// Package judge holds takes against one another: how different their pictures look, what differs in what they were
// made with, and what is thought of them.
package judge

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"strings"
	"unicode/utf8"

	"golang.org/x/image/draw"

	"visator/app/act"
	"visator/app/takes"
	"visator/core/compare"
	"visator/core/openexr"
	"visator/store"
)

// Table is where takes lie beside one another.
type Table struct{ store *store.Store }

// New is that of the takes of a store.
func New(s *store.Store) *Table { return &Table{s} }

// widest is how wide pictures are held against one another: as wide as a page shows them, so that a degree of sight is
// about as many pixels.
const widest = 1440

// Against is how two takes differ.
type Against struct {
	Mean  float64   `json:"mean"`  // CIEDE2000 after the blur of the eye, over the pixels; about 1 is just seen
	Most  float64   `json:"most"`  // all but a hundredth of the pixels are less apart
	Seen  float64   `json:"seen"`  // share of the pixels that are more than 1 apart
	Words []Differs `json:"words"` // what they were made with
	Sized bool      `json:"sized"` // the second was brought to the size of the first
}

// mostHeld is how many pixels a picture may have to be held against another: two of them take a gigabyte.
const mostHeld = 100_000_000

// held is a take with its picture.
type held struct {
	take     store.Take
	settings takes.Settings
	result   takes.Result
}

func (a *Table) hold(ctx context.Context, id string) (h held, err error) {
	if h.take, err = a.store.Take(ctx, id); err != nil {
		return h, act.NotThere(err, "The take")
	}
	h.settings, h.result, err = takes.Of(&h.take)
	return h, err
}

// picture is what a take shows: its picture, of a move the first frame, or what is there of it so far.
func (h *held) picture() string {
	for _, p := range append([]string{h.result.PNG}, append(h.result.Frames, h.result.Preview)...) {
		if p != "" {
			return p
		}
	}
	return ""
}

func (a *Table) decoded(ctx context.Context, h *held) (image.Image, error) {
	name := h.picture()
	if name == "" {
		return nil, act.Wrong("%s has no picture yet.", h.take.Name)
	}
	data, err := a.store.ReadBlob(ctx, name)
	if err != nil {
		return nil, err
	}
	c, err := png.DecodeConfig(bytes.NewReader(data))
	if err == nil && c.Width*c.Height > mostHeld {
		return nil, act.Wrong("%s has %d × %d pixels: takes of up to %d million are laid over one another.",
			h.take.Name, c.Width, c.Height, mostHeld/1_000_000)
	}
	if err != nil {
		return nil, err
	}
	return png.Decode(bytes.NewReader(data))
}

// difference is that of the pictures of two takes, the second brought to the size of the first.
func (a *Table) difference(ctx context.Context, one, two *held) (d *compare.Difference, sized bool, err error) {
	p, err := a.decoded(ctx, one)
	if err != nil {
		return nil, false, err
	}
	q, err := a.decoded(ctx, two)
	if err != nil {
		return nil, false, err
	}
	w, h := p.Bounds().Dx(), p.Bounds().Dy()
	sized = q.Bounds().Dx() != w || q.Bounds().Dy() != h
	if w > widest {
		w, h = widest, max(h*widest/w, 1)
	}
	d, err = compare.Pictures(brought(p, w, h), brought(q, w, h), compare.PerDegree)
	return d, sized, err
}

// brought is a picture in another size.
func brought(m image.Image, w, h int) *image.NRGBA {
	if n, ok := m.(*image.NRGBA); ok && n.Rect.Dx() == w && n.Rect.Dy() == h {
		return n
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	draw.CatmullRom.Scale(out, out.Rect, m, m.Bounds(), draw.Src, nil)
	return out
}

// Against tells how two takes differ.
func (a *Table) Against(ctx context.Context, one, two string) (out Against, err error) {
	p, err := a.hold(ctx, one)
	if err != nil {
		return out, err
	}
	q, err := a.hold(ctx, two)
	if err != nil {
		return out, err
	}
	d, sized, err := a.difference(ctx, &p, &q)
	if err != nil {
		return out, err
	}
	out = Against{Mean: d.Mean, Most: d.Most, Seen: d.Seen, Sized: sized}
	out.Words, err = a.words(ctx, &p, &q)
	return out, err
}

// Heat draws where two takes differ, as PNG.
func (a *Table) Heat(ctx context.Context, one, two string) ([]byte, error) {
	p, err := a.hold(ctx, one)
	if err != nil {
		return nil, err
	}
	q, err := a.hold(ctx, two)
	if err != nil {
		return nil, err
	}
	d, _, err := a.difference(ctx, &p, &q)
	if err != nil {
		return nil, err
	}
	return pngOf(compare.Heat(d.Apart, d.Width, d.Height, compare.Most))
}

func pngOf(m image.Image) ([]byte, error) {
	var out bytes.Buffer
	err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&out, m)
	return out.Bytes(), err
}

// noiseMost is the noise that glows brightest.
const noiseMost = 0.5

// Noise draws where noise was left in a still before it was removed, as PNG.
func (a *Table) Noise(ctx context.Context, id string) ([]byte, error) {
	h, err := a.hold(ctx, id)
	if err != nil {
		return nil, err
	}
	if h.result.EXR == "" {
		return nil, act.Wrong("Of %s it is not known where noise is left: it is of stills that are done.", h.take.Name)
	}
	data, err := a.store.ReadBlob(ctx, h.result.EXR)
	if err != nil {
		return nil, err
	}
	e, err := openexr.Open(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("the take: %w", err)
	}
	if !e.Has(takes.NoiseLayer) {
		return nil, act.Wrong("Of %s it is not known where noise is left: it was made in bands, or with one sample.",
			h.take.Name)
	}
	planes, err := e.Planes(takes.NoiseLayer)
	if err != nil {
		return nil, err
	}
	return pngOf(compare.Heat(planes[0], e.Width, e.Height, noiseMost))
}

// Marks are what is thought of a take; what is nil stays.
type Marks struct {
	Stars    *int    `json:"stars,omitempty"` // 0 to 5
	Note     *string `json:"note,omitempty"`
	Rejected *bool   `json:"rejected,omitempty"`
	Current  *bool   `json:"current,omitempty"` // it is its shot's now: one of a shot is
}

// maxNote bounds what is written about a take.
const maxNote = 10_000

// Mark marks a take.
func (a *Table) Mark(ctx context.Context, id string, m Marks) error {
	t, err := a.store.Take(ctx, id)
	if err != nil {
		return act.NotThere(err, "The take")
	}
	if m.Stars != nil && (*m.Stars < 0 || *m.Stars > 5) {
		return act.Wrong("A take has none to five stars.")
	}
	if m.Note != nil {
		if utf8.RuneCountInString(*m.Note) > maxNote || strings.ContainsRune(*m.Note, 0) {
			return act.Wrong("A note has at most %d characters, and no NUL.", maxNote)
		}
	}
	raw, err := json.Marshal(&m)
	if err != nil {
		return err
	}
	set, err := store.GetSet(ctx, a.store.Pool, t.SetID)
	if err != nil {
		return act.NotThere(err, "The set")
	}
	if err := a.store.Mark(ctx, &t, raw, m.Current != nil && *m.Current); err != nil {
		return err
	}
	act.Tell(ctx, a.store.Pool, set.ProductionID, "take")
	return nil
}
