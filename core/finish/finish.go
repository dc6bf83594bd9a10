// Package finish is the chain from scene light to the delivered picture:
// exposure, then tone mapping, then the encoding of the screen. Values in are
// scene-linear cd/m² per Rec.709 channel.
package finish

import (
	"image"
	"math"
)

// Scale is the factor from luminance to picture value at an exposure value
// EV100: the luminance 1.2 · 2^EV100 becomes 1 (ISO 12232, saturation-based
// speed).
func Scale(ev100 float64) float64 { return 1 / (1.2 * math.Exp2(ev100)) }

// Neutral is the Khronos PBR Neutral tone mapper by its published
// pseudo-code: colours below 0.76 stay, above they are compressed to 1.
func Neutral(r, g, b float64) (float64, float64, float64) {
	const start, desaturation = 0.8 - 0.04, 0.15
	x := min(r, g, b)
	offset := 0.04
	if x < 0.08 {
		offset = x - 6.25*x*x
	}
	r, g, b = r-offset, g-offset, b-offset
	peak := max(r, g, b)
	if peak < start {
		return r, g, b
	}
	const d = 1 - start
	newPeak := 1 - d*d/(peak+d-start)
	k := newPeak / peak
	r, g, b = r*k, g*k, b*k
	m := 1 - 1/(desaturation*(peak-newPeak)+1)
	return r + (newPeak-r)*m, g + (newPeak-g)*m, b + (newPeak-b)*m
}

// Encode is the sRGB transfer function (IEC 61966-2-1): 0.5 becomes 0.7354.
func Encode(v float64) float64 {
	switch {
	case !(v > 0):
		return 0
	case v >= 1:
		return 1
	case v <= 0.0031308:
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}

// Decode is the inverse of Encode.
func Decode(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

// steps is the resolution of the encoding table: finer than an 8-bit step
// anywhere on the curve.
const steps = 1 << 14

var table = func() (t [steps + 1]uint8) {
	for i := range t {
		t[i] = uint8(Encode(float64(i)/steps)*255 + 0.5)
	}
	return
}()

// encoded is a linear value as the screen wants it; below black, or not a number, is black.
func encoded(v float64) uint8 {
	if !(v > 0) {
		return 0
	}
	return table[int(min(v, 1)*steps+0.5)]
}

// Picture finishes w x h pixels of linear colour (3 values each) at ev100.
func Picture(color []float32, w, h int, ev100 float64) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	k := Scale(ev100)
	for i := 0; i < w*h; i++ {
		r, g, b := Neutral(float64(color[3*i])*k, float64(color[3*i+1])*k, float64(color[3*i+2])*k)
		p := img.Pix[4*i : 4*i+4]
		p[0], p[1], p[2] = encoded(r), encoded(g), encoded(b)
		p[3] = 255
	}
	return img
}

// Measure proposes an exposure value: the log-average luminance of the
// picture becomes middle grey, 18 in 100. Black pixels do not count.
func Measure(color []float32) (ev100 float64) {
	sum, n := 0.0, 0
	for i := 0; i+2 < len(color); i += 3 {
		l := 0.2126*float64(color[i]) + 0.7152*float64(color[i+1]) + 0.0722*float64(color[i+2])
		if l > 1e-9 && !math.IsInf(l, 0) {
			sum += math.Log2(l)
			n++
		}
	}
	if n == 0 {
		return 0
	}
	return sum/float64(n) - math.Log2(1.2*0.18)
}
