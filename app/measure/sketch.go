package measure

import (
	"bytes"
	"context"
	"image/png"
	"strconv"

	"visator/app/act"
	"visator/app/cache"
	"visator/store"
)

// sketchWide is how many pixels wide the first picture of a page is: some tenths of a
// second to draw. It stands for what it shows until the lens view can.
const sketchWide = 320

// sketches are the first pictures of sets, of a revision of their production.
var sketches = cache.Of("sketch", func(png []byte) int { return len(png) })

func revision(p *store.Production) string { return strconv.FormatInt(p.Revision, 10) }

// Sketch is what the working view sees, drawn as with a pencil: a PNG. It is drawn
// when a set was measured and rests, so that a page has it at once.
func (a *Sets) Sketch(ctx context.Context, setID string) ([]byte, error) {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, act.NotThere(err, "The set")
	}
	p, err := store.GetProduction(ctx, a.Store.Pool, set.ProductionID)
	if err != nil {
		return nil, err
	}
	if known, ok := sketches.GetOf(setID, revision(&p)); ok {
		return known, nil
	}
	w, f, err := a.FramingOf(ctx, setID)
	if err != nil {
		return nil, err
	}
	return a.draw(w, f)
}

// draw draws what the working view sees, and remembers it.
func (a *Sets) draw(w *Snapshot, f *Framing) ([]byte, error) {
	now := f.At(w.Kept, w.Cast(w.Kept.Move), 0)
	high := min(max(int(sketchWide/now.View.Aspect), 1), 4*sketchWide)
	var out bytes.Buffer
	pencil := png.Encoder{CompressionLevel: png.BestSpeed}
	if err := pencil.Encode(&out, now.Scene.Sketch(&now.View, sketchWide, high)); err != nil {
		return nil, err
	}
	sketches.PutOf(w.SetRow.ID, revision(&w.Production), out.Bytes())
	return out.Bytes(), nil
}
