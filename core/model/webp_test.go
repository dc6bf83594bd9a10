package model

import (
	"bytes"
	"image"
	"image/draw"
	"image/png"
	"os"
	"testing"
)

// Lossy WebP decodes to the pixels that ImageMagick makes of it, to one step: the
// pictures beside were decoded by it (Debian's imagemagick 6.9.11). Black is black,
// white is white, and a flat normal map points straight up.
func TestLossyWebPIsReadAsItIsMeant(t *testing.T) {
	for _, name := range []string{"flat", "soft"} {
		data, err := os.ReadFile("testdata/" + name + ".webp")
		if err != nil {
			t.Fatal(err)
		}
		raw, err := os.ReadFile("testdata/" + name + ".png")
		if err != nil {
			t.Fatal(err)
		}
		theirs, err := png.Decode(bytes.NewReader(raw))
		if err != nil {
			t.Fatal(err)
		}
		want := image.NewNRGBA(theirs.Bounds())
		draw.Draw(want, want.Rect, theirs, theirs.Bounds().Min, draw.Src)
		if n, ok := theirs.(*image.NRGBA); ok {
			want = n
		}
		got, err := DecodePicture(data, name)
		if err != nil || got.Rect != want.Rect {
			t.Fatalf("%s: %v, %v", name, got.Rect, err)
		}
		worst := 0
		for i := 0; i < len(got.Pix); i += 4 {
			if want.Pix[i+3] == 0 {
				continue // nothing of its colour is seen
			}
			for c := range 4 {
				worst = max(worst, abs(int(got.Pix[i+c])-int(want.Pix[i+c])))
			}
		}
		if worst > 1 {
			t.Errorf("%s: off by up to %d", name, worst)
		}
	}
	data, err := os.ReadFile("testdata/flat.webp")
	if err != nil {
		t.Fatal(err)
	}
	p, err := DecodePicture(data, "flat")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ x, y, r, g, b int }{{4, 4, 0, 0, 0}, {28, 4, 255, 255, 255}, {4, 28, 128, 128, 255}} {
		q := p.NRGBAAt(c.x, c.y)
		if abs(int(q.R)-c.r) > 2 || abs(int(q.G)-c.g) > 2 || abs(int(q.B)-c.b) > 2 {
			t.Errorf("at %d, %d: %v, drawn as %d %d %d", c.x, c.y, q, c.r, c.g, c.b)
		}
	}
}

func abs(x int) int { return max(x, -x) }
