// Package compare tells how different two pictures look, by a published measure, and where.
package compare

import (
	"errors"
	"image"
	"image/color"
	"math"

	"visator/core/chroma"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/surface"
)

// PerDegree is how many pixels of a picture lie within a degree of sight: of a screen of 0.27 mm pixels, one metre
// away.
const PerDegree = 65

// opponent is what the eye passes on of XYZ: light against dark, red against green, blue against yellow; and back.
// Weights and spreads, in degrees of sight, are of Gaussians that each is seen through (X. Zhang and B. A. Wandell, A
// spatial extension of CIELAB for digital color image reproduction, 1997; from memory).
var (
	opponent = chroma.Matrix{{X: 0.297, Y: 0.72, Z: -0.107}, {X: -0.449, Y: 0.29, Z: -0.077},
		{X: 0.086, Y: -0.59, Z: 0.501}}
	seenBy = [3][][2]float64{
		{{0.921, 0.0283}, {0.105, 0.133}, {-0.108, 4.336}},
		{{0.531, 0.0392}, {0.330, 0.494}},
		{{0.488, 0.0536}, {0.371, 0.386}},
	}
)

// Difference is how different two pictures look.
type Difference struct {
	Width, Height int
	Apart         []float32 // of each pixel, CIEDE2000; about 1 is just seen side by side
	Mean, Most    float64   // most: all but a hundredth of the pixels are less apart
	Seen          float64   // share of the pixels that are more than 1 apart
}

// ErrSize is a pair of pictures that cannot be laid over one another.
var ErrSize = errors.New("the pictures are not of one size")

// Pictures tells how different two pictures of sRGB look: both are blurred as the eye does at so many pixels a degree
// of sight, in its opponent colours, and what is left is told apart by CIEDE2000.
func Pictures(a, b *image.NRGBA, perDegree float64) (*Difference, error) {
	w, h := a.Rect.Dx(), a.Rect.Dy()
	if w != b.Rect.Dx() || h != b.Rect.Dy() {
		return nil, ErrSize
	}
	p, q := seen(a, perDegree), seen(b, perDegree)
	d := &Difference{Width: w, Height: h, Apart: make([]float32, w*h)}
	var bins [2048]int // of a twentieth each
	for i := range d.Apart {
		v := surface.Apart(surface.CIE(p[i]), surface.CIE(q[i]))
		d.Apart[i] = float32(v)
		d.Mean += v / float64(w*h)
		if v > 1 {
			d.Seen += 1 / float64(w*h)
		}
		bins[min(int(v*20), len(bins)-1)]++
	}
	for k, n := len(bins)-1, 0; k >= 0; k-- {
		if n += bins[k]; n*100 > w*h {
			d.Most = float64(k+1) / 20
			break
		}
	}
	return d, nil
}

// seen is a picture as the eye passes it on, linear sRGB again.
func seen(m *image.NRGBA, perDegree float64) []geom.V {
	w, h := m.Rect.Dx(), m.Rect.Dy()
	n := w * h
	plain := make([]float32, 3*n)
	from, back := opponent.Mul(&chroma.FromRec709), opponent.Inverse()
	back = chroma.ToRec709.Mul(&back)
	for i := range n {
		at := m.Pix[i/w*m.Stride+4*(i%w):]
		c := from.Of(geom.V{X: linear[at[0]], Y: linear[at[1]], Z: linear[at[2]]})
		plain[3*i], plain[3*i+1], plain[3*i+2] = float32(c.X), float32(c.Y), float32(c.Z)
	}
	out := make([]float32, 3*n)
	for k, parts := range seenBy {
		whole := 0.0
		for _, p := range parts {
			whole += p[0]
		}
		for _, p := range parts {
			soft := append([]float32(nil), plain...)
			finish.Blur(soft, w, h, p[1]*perDegree/math.Sqrt2)
			for i := range n {
				out[3*i+k] += float32(p[0]/whole) * soft[3*i+k]
			}
		}
	}
	list := make([]geom.V, n)
	for i := range list {
		c := back.Of(geom.V{X: float64(out[3*i]), Y: float64(out[3*i+1]), Z: float64(out[3*i+2])})
		list[i] = geom.V{X: max(c.X, 0), Y: max(c.Y, 0), Z: max(c.Z, 0)}
	}
	return list
}

var linear = func() (t [256]float64) {
	for i := range t {
		t[i] = finish.Decode(float64(i) / 255)
	}
	return t
}()

// Most is the difference that glows brightest: one that nobody overlooks.
const Most = 20

// Heat draws numbers from 0 to most: black, violet, orange, white as glowing iron.
func Heat(list []float32, w, h int, most float64) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		out.SetNRGBA(i%w, i/w, Glow(float64(list[i])/most))
	}
	return out
}

// Glow is the colour of a share, from nothing to all.
func Glow(k float64) color.NRGBA {
	stops := [...][3]float64{{6, 8, 12}, {78, 30, 92}, {202, 72, 40}, {250, 190, 70}, {255, 252, 240}}
	if !(k > 0) {
		k = 0
	}
	at := min(k, 1) * float64(len(stops)-1)
	i := min(int(at), len(stops)-2)
	f := at - float64(i)
	mix := func(c int) uint8 { return uint8(stops[i][c] + (stops[i+1][c]-stops[i][c])*f + 0.5) }
	return color.NRGBA{R: mix(0), G: mix(1), B: mix(2), A: 255}
}
