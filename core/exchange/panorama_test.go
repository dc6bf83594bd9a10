package exchange

import (
	"bytes"
	"math"
	"strings"
	"testing"
)

// A panorama in OpenEXR is read as it was written; one that is too wide keeps its mean.
func TestPanoramasInOpenEXR(t *testing.T) {
	write := func(w, h int, f func(x, y int) float32) *bytes.Buffer {
		pix := make([]float32, 3*w*h)
		for i := range w * h {
			for c := range 3 {
				pix[3*i+c] = f(i%w, i/w) * float32(c+1)
			}
		}
		var b bytes.Buffer
		if err := WriteEXR(&b, w, h, RGB("", pix)); err != nil {
			t.Fatal(err)
		}
		return &b
	}
	pix, w, h, note, err := ReadPanorama(write(64, 32, func(x, y int) float32 { return float32(x + 100*y) }))
	if err != nil || w != 64 || h != 32 || note != "" || pix[3*(5*64+7)+2] != 3*507 {
		t.Errorf("%d x %d, %v %q %v", w, h, pix[:3], note, err)
	}
	pix, w, h, note, err = ReadPanorama(write(WidestPanorama+4, WidestPanorama/2+2, func(x,
		y int) float32 {
		return float32(x%2 + y%2)
	}))
	if err != nil || w != WidestPanorama/2+2 || h != WidestPanorama/4+1 || math.Abs(float64(pix[0])-1) > 1e-6 ||
		!strings.Contains(note, "averaged to 2050 x 1025") {
		t.Errorf("%d x %d, %v %q %v", w, h, pix[:3], note, err)
	}
	for says, f := range map[string]func(x, y int) float32{
		"the value at 3, 2": func(x, y int) float32 {
			if x == 3 && y == 2 {
				return float32(math.Inf(1))
			}
			return 1
		},
		"twice as wide": nil,
	} {
		b := write(40, 40, func(x, y int) float32 { return 1 })
		if f != nil {
			b = write(64, 32, f)
		}
		if _, _, _, _, err := ReadPanorama(b); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want %q", err, says)
		}
	}
	pix, _, _, note, err = ReadPanorama(write(64, 32, func(x, y int) float32 { return float32(x - 1) }))
	if err != nil || pix[0] != 0 || note != "96 values below zero are taken as 0" {
		t.Errorf("%v %q %v", pix[:3], note, err)
	}
}
