package measure

import (
	"bytes"
	"context"
	"image/png"

	"visator/app/act"
	"visator/app/cache"
	"visator/store"
)

// sketchWide is how many pixels wide the first picture of a page is: some tenths of a
// second to draw. It stands for what it shows until the lens view can.
const sketchWide = 320

// sketches are the first pictures of sets.
var sketches = cache.Of("sketch", func(s sketch) int { return len(s.png) })

// sketch is the picture of a set at a revision of its production.
type sketch struct {
	revision int64
	png      []byte
}

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
	if known, ok := sketches.Get(setID); ok && known.revision == p.Revision {
		return known.png, nil
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
	sketches.Put(w.SetRow.ID, sketch{w.Production.Revision, out.Bytes()})
	return out.Bytes(), nil
}
