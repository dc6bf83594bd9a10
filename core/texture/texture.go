// Package texture reads pictures as surfaces show them: in linear colours, between their texels and beyond their edges.
package texture

import (
	"image"
	"math"
	"sync"

	"visator/core/model"
)

// Texture is a decoded picture with how it is to be read.
type Texture struct {
	pix    []uint8 // RGBA, 4 bytes a texel
	w, h   int
	Linear bool // values are data, not sRGB colours
	Slot   model.Slot
	broken *broken // nil: it repeats
}

// srgb decodes 8-bit sRGB to linear (IEC 61966-2-1).
var srgb = sync.OnceValue(func() *[256]float32 {
	var t [256]float32
	for i := range t {
		c := float64(i) / 255
		if c <= 0.04045 {
			t[i] = float32(c / 12.92)
		} else {
			t[i] = float32(math.Pow((c+0.055)/1.055, 2.4))
		}
	}
	return &t
})

var byteValue = sync.OnceValue(func() *[256]float32 {
	var t [256]float32
	for i := range t {
		t[i] = float32(i) / 255
	}
	return &t
})

// New is a picture as a slot reads it; linear says that its values are data.
func New(img *image.NRGBA, slot model.Slot, linear bool) *Texture {
	return &Texture{pix: img.Pix, w: img.Rect.Dx(), h: img.Rect.Dy(), Linear: linear, Slot: slot}
}

// At samples the texture bilinearly at texture coordinates of its own set.
func (t *Texture) At(u, v float64) (r, g, b, a float32) {
	if t.broken != nil {
		u, v = t.Slot.Place(u, v)
		return t.broken.at(t, u, v)
	}
	return t.texel(t.Slot.At(u, v))
}

// texel reads the picture bilinearly at a place in 0..1, with v down.
func (t *Texture) texel(u, v float64) (r, g, b, a float32) {
	s := &t.Slot
	x, y := u*float64(t.w)-0.5, v*float64(t.h)-0.5
	if s.Nearest {
		x, y = math.Floor(x+0.5), math.Floor(y+0.5)
	}
	fx, fy := math.Floor(x), math.Floor(y)
	x0, y0 := int(fx), int(fy)
	wx, wy := float32(x-fx), float32(y-fy)
	lut := byteValue()
	alpha := lut
	if !t.Linear {
		lut = srgb()
	}
	for k := 0; k < 4; k++ {
		w := (1 - wx)
		if k&1 != 0 {
			w = wx
		}
		if k&2 != 0 {
			w *= wy
		} else {
			w *= 1 - wy
		}
		if w == 0 {
			continue
		}
		px, py := edge(x0+k&1, t.w, s.WrapS), edge(y0+k>>1, t.h, s.WrapT)
		p := t.pix[4*(py*t.w+px):]
		r += w * lut[p[0]]
		g += w * lut[p[1]]
		b += w * lut[p[2]]
		a += w * alpha[p[3]]
	}
	return
}

// edge brings a texel's number into 0..n-1, from at most one beyond.
func edge(x, n int, mode model.Wrap) int {
	switch {
	case x >= 0 && x < n:
		return x
	case mode == model.Repeat:
		return (x + n) % n
	}
	return min(max(x, 0), n-1)
}

// Mean is the mean luminance (ITU-R BT.709) over at most 64 x 64 samples, at least a little
// so that a mostly dark map is still found by light sampling.
func (t *Texture) Mean() float64 {
	sum := 0.0
	for i := 0; i < 4096; i++ {
		p := t.pix[4*((i/64*t.h/64)*t.w+i%64*t.w/64):]
		sum += 0.2126*float64(srgb()[p[0]]) + 0.7152*float64(srgb()[p[1]]) + 0.0722*float64(srgb()[p[2]])
	}
	return max(sum/4096, 0.01)
}
