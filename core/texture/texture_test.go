package texture

import (
	"image"
	"image/color"
	"math"
	"testing"

	"visator/core/model"
)

// Where a map goes on beyond its edges: glTF 2.0, 5.26 (wrapS, wrapT), with
// the meaning of the modes as in the OpenGL specification.
func TestMapsGoOnBeyondTheirEdges(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 4, 1))
	for x, v := range []uint8{0, 60, 120, 180} {
		img.SetNRGBA(x, 0, color.NRGBA{v, v, v, 255})
	}
	texel := func(i int) float64 { return (float64(i) + 0.5) / 4 }
	for _, c := range []struct {
		mode model.Wrap
		u    float64
		want float64 // of 255
	}{
		{model.Repeat, texel(1), 60}, {model.Repeat, texel(5), 60}, {model.Repeat, texel(-1), 180},
		{model.Repeat, 1, 90},
		{model.Clamp, texel(9), 180}, {model.Clamp, texel(-3), 0}, {model.Clamp, 1, 180},
		{model.Mirror, texel(4), 180}, {model.Mirror, texel(7), 0}, {model.Mirror, texel(-1), 0},
		{model.Mirror, texel(-2), 60}, {model.Mirror, texel(8), 0}, {model.Mirror, 1, 180},
		{model.Repeat, math.NaN(), 90}, {model.Clamp, math.Inf(1), 0},
	} {
		slot := model.Slot{Scale: [2]float64{1, 1}, WrapS: c.mode, WrapT: c.mode}
		r, _, _, _ := New(img, slot, true).At(c.u, 0.5)
		if math.Abs(float64(r)*255-c.want) > 1e-3 {
			t.Errorf("mode %d at %v: %v, want %v", c.mode, c.u, r*255, c.want)
		}
	}
}

// KHR_texture_transform: scale, then rotation, then offset; rotation is
// counter-clockwise in the picture.
func TestMapTransform(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	for i, v := range []uint8{10, 20, 30, 40} { // top left, top right, below
		img.SetNRGBA(i%2, i/2, color.NRGBA{v, v, v, 255})
	}
	for _, c := range []struct {
		slot model.Slot
		u, v float64
		want float64
	}{
		{model.Slot{Scale: [2]float64{1, 1}, Offset: [2]float64{0.5, 0}}, 0.25, 0.25, 20},
		{model.Slot{Scale: [2]float64{1, 1}, Offset: [2]float64{0, 0.5}}, 0.25, 0.25, 30},
		{model.Slot{Scale: [2]float64{3, 1}}, 0.25, 0.25, 20},
		// By a quarter turn (u, v) becomes (v, -u), the extension's matrix.
		{model.Slot{Scale: [2]float64{1, 1}, Rotation: math.Pi / 2}, 0.25, 0.75, 40},
	} {
		r, _, _, _ := New(img, c.slot, true).At(c.u, c.v)
		if math.Abs(float64(r)*255-c.want) > 1e-3 {
			t.Errorf("%+v at %v, %v: %v, want %v", c.slot, c.u, c.v, r*255, c.want)
		}
	}
}
