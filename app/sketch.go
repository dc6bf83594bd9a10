package app

import (
	"bytes"
	"context"
	"image/png"
)

// sketchWide is how many pixels wide the first picture of a page is: it is drawn in some
// hundredths of a second, and stands for what it shows until the lens view can.
const sketchWide = 320

// Sketch is what the working view sees, drawn as with a pencil: a PNG.
func (a *App) Sketch(ctx context.Context, setID string) ([]byte, error) {
	l, err := a.lookAt(ctx, setID, "")
	if err != nil {
		return nil, err
	}
	v := &l.now.View
	var out bytes.Buffer
	pencil := png.Encoder{CompressionLevel: png.BestSpeed}
	if err := pencil.Encode(&out, l.now.Scene.Sketch(v, sketchWide, min(max(int(sketchWide/v.Aspect), 1), 4*sketchWide))); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}
