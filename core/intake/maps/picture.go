package maps

import (
	"fmt"
	"image"
	"math"
	"slices"
)

// Measured is what the pixels of a normal map say about its sense.
type Measured struct {
	Sense    Sense
	OpenGL   float64 // mean squared curl if green points up
	DirectX  float64 // mean squared curl if green points down
	Evidence string  // in words
}

// MeasureSense tells which way the green of a tangent-space normal map points.
// The slopes p = -nx/nz and q = -ny/nz of a real height field have no curl:
// dp/dy = dq/dx (integrability, Frankot and Chellappa, A Method for Enforcing
// Integrability in Shape from Shading, 1988). With the wrong sense of green, q
// has the wrong sign and the curl does not vanish. Up to a million pixels are
// looked at; without enough relief the answer is Unknown.
func MeasureSense(img *image.NRGBA) Measured {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	step := max(1, int(math.Sqrt(float64(w)*float64(h)/1e6)))
	slope := func(x, y int) (p, q float64, ok bool) {
		i := img.PixOffset(x, y)
		nx, ny, nz := float64(img.Pix[i])/127.5-1, float64(img.Pix[i+1])/127.5-1, float64(img.Pix[i+2])/127.5-1
		if nz < 0.15 { // steeper than 80 degrees: a border, or no normal map
			return 0, 0, false
		}
		return -nx / nz, -ny / nz, true
	}
	var gl, dx, relief float64
	n := 0
	for y := 0; y+1 < h; y += step {
		for x := 0; x+1 < w; x += step {
			p0, q0, ok0 := slope(x, y)
			p1, _, ok1 := slope(x, y+1)
			_, q1, ok2 := slope(x+1, y)
			if !ok0 || !ok1 || !ok2 {
				continue
			}
			py, qx := p0-p1, q1-q0 // y runs up the picture
			gl += (py - qx) * (py - qx)
			dx += (py + qx) * (py + qx)
			relief += py*py + qx*qx
			n++
		}
	}
	m := Measured{Evidence: "too little relief to tell which way green points"}
	if n < 64 || relief/float64(n) < 1e-6 {
		return m
	}
	m.OpenGL, m.DirectX = gl/float64(n), dx/float64(n)
	lo, hi := min(gl, dx), max(gl, dx)
	if hi < 1.2*lo { // noise of 8 bits alone gives ratios near 1
		m.Evidence = "its relief fits green up and green down alike"
		return m
	}
	m.Sense = OpenGL
	if dx < gl {
		m.Sense = DirectX
	}
	m.Evidence = fmt.Sprintf("curl of the slopes is %.1f times smaller with green %s (%s)", hi/max(lo, 1e-12),
		map[Sense]string{OpenGL: "up", DirectX: "down"}[m.Sense], m.Sense)
	return m
}

// FlipGreen turns a normal map from one sense into the other, in place.
func FlipGreen(img *image.NRGBA) {
	for i := 1; i < len(img.Pix); i += 4 {
		img.Pix[i] = 255 - img.Pix[i]
	}
}

// Channel makes a grey picture of one channel (1 red, 2 green, 3 blue, 4
// alpha; 0 is the red of a grey picture), turned over when invert is set.
func Channel(img *image.NRGBA, channel int, invert bool) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	at := max(channel-1, 0)
	for i := 0; i+3 < len(img.Pix); i += 4 {
		v := img.Pix[i+at]
		if invert {
			v = 255 - v
		}
		out.Pix[i], out.Pix[i+1], out.Pix[i+2], out.Pix[i+3] = v, v, v, 255
	}
	return out
}

// Altered is a picture as it is wanted: with its green turned, or one channel of it, turned over or not.
func Altered(img *image.NRGBA, channel int, invert, flip bool) *image.NRGBA {
	if !flip {
		return Channel(img, channel, invert)
	}
	out := *img
	out.Pix = slices.Clone(img.Pix)
	FlipGreen(&out)
	return &out
}
