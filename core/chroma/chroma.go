// Package chroma is colour by the numbers of the CIE: XYZ, white points, and how the eye gets used to them.
package chroma

import (
	"math"

	"visator/core/geom"
)

// Matrix is three rows.
type Matrix [3]geom.V

// Of is the matrix times a colour.
func (m *Matrix) Of(c geom.V) geom.V { return geom.V{X: m[0].Dot(c), Y: m[1].Dot(c), Z: m[2].Dot(c)} }

// Mul is what a does after b.
func (m *Matrix) Mul(b *Matrix) (out Matrix) {
	for i := range m {
		out[i] = b[0].Mul(m[i].X).Add(b[1].Mul(m[i].Y)).Add(b[2].Mul(m[i].Z))
	}
	return out
}

// Inverse is what undoes a matrix; infinite where nothing does.
func (m *Matrix) Inverse() Matrix {
	a, b, c := m[0], m[1], m[2]
	k := 1 / a.Dot(b.Cross(c))
	x, y, z := b.Cross(c).Mul(k), c.Cross(a).Mul(k), a.Cross(b).Mul(k) // columns
	return Matrix{{X: x.X, Y: y.X, Z: z.X}, {X: x.Y, Y: y.Y, Z: z.Y}, {X: x.Z, Y: y.Z, Z: z.Z}}
}

// Linear Rec.709 (white D65) from and to XYZ: IEC 61966-2-1, to the digits of B. Lindbloom's tables.
var (
	ToRec709 = Matrix{{X: 3.2404542, Y: -1.5371385, Z: -0.4985314}, {X: -0.9692660, Y: 1.8760108, Z: 0.0415560},
		{X: 0.0556434, Y: -0.2040259, Z: 1.0572252}}
	FromRec709 = Matrix{{X: 0.4124564, Y: 0.3575761, Z: 0.1804375}, {X: 0.2126729, Y: 0.7151522, Z: 0.0721750},
		{X: 0.0193339, Y: 0.1191920, Z: 0.9503041}}
)

// The cone responses of Bradford (K. M. Lam, 1985), and back.
var (
	cones = Matrix{{X: 0.8951, Y: 0.2664, Z: -0.1614}, {X: -0.7502, Y: 1.7135, Z: 0.0367},
		{X: 0.0389, Y: -0.0685, Z: 1.0296}}
	uncones = Matrix{{X: 0.9869929, Y: -0.1470543, Z: 0.1599627}, {X: 0.4323053, Y: 0.5183603, Z: 0.0492912},
		{X: -0.0085287, Y: 0.0400428, Z: 0.9684867}}
)

// Adapted is the matrix that makes of colours in the light of one white those in the light of another, in XYZ
// (Bradford).
func Adapted(from, to geom.V) Matrix {
	a, b := cones.Of(from), cones.Of(to)
	scaled := Matrix{{X: b.X / a.X}, {Y: b.Y / a.Y}, {Z: b.Z / a.Z}}
	scaled = scaled.Mul(&cones)
	return uncones.Mul(&scaled)
}

// Planckian is the chromaticity of a black body, by the cubic splines of Kim and others (US patent 7024034), 1667 to
// 25000 K; beyond those its ends.
func Planckian(kelvin float64) (x, y float64) {
	t := min(max(kelvin, warmest), coolest)
	if t <= 4000 {
		x = -0.2661239e9/(t*t*t) - 0.2343589e6/(t*t) + 0.8776956e3/t + 0.179910
	} else {
		x = -3.0258469e9/(t*t*t) + 2.1070379e6/(t*t) + 0.2226347e3/t + 0.240390
	}
	switch {
	case t <= 2222:
		y = -1.1063814*x*x*x - 1.34811020*x*x + 2.18555832*x - 0.20219683
	case t <= 4000:
		y = -0.9549476*x*x*x - 1.37418593*x*x + 2.09137015*x - 0.16748867
	default:
		y = 3.0817580*x*x*x - 5.87338670*x*x + 3.75112997*x - 0.37001483
	}
	return x, y
}

// UV is a chromaticity in the diagram of CIE 1960, in which colour temperatures are told.
func UV(x, y float64) (u, v float64) {
	d := -2*x + 12*y + 3
	return 4 * x / d, 6 * y / d
}

// XY is one of it in CIE 1931.
func XY(u, v float64) (x, y float64) {
	d := 2*u - 8*v + 4
	return 3 * u / d, 2 * v / d
}

// Ends of the locus of black bodies, kelvin.
const (
	coolest = 25000
	warmest = 1667
)

// across is the way across the locus of black bodies at a temperature in CIE 1960, of length 1, towards green.
func across(kelvin float64) (u, v float64) {
	a, b := UV(Planckian(min(kelvin+1, coolest)))
	c, d := UV(Planckian(max(kelvin-1, warmest)))
	n := math.Hypot(a-c, b-d)
	return (b - d) / n, (c - a) / n
}

// White is the white of a colour temperature, so far above the locus of black bodies (greener) or below it (more
// magenta) in CIE 1960, as XYZ with Y of 1.
func White(kelvin, off float64) geom.V {
	u, v := UV(Planckian(kelvin))
	du, dv := across(kelvin)
	x, y := XY(u+off*du, v+off*dv)
	return geom.V{X: x / y, Y: 1, Z: (1 - x - y) / y}
}

// Nearest is the colour temperature of a colour, and how far it is above the locus of black bodies (CIE 15: the nearest
// point of it in CIE 1960); of black that of daylight.
func Nearest(c geom.V) (kelvin, off float64) {
	sum := c.X + c.Y + c.Z
	if !(sum > 0) || !c.Finite() {
		return 6504, 0
	}
	u, v := UV(c.X/sum, c.Y/sum)
	far := func(mired float64) float64 {
		a, b := UV(Planckian(1e6 / mired))
		return math.Hypot(a-u, b-v)
	}
	best := 1e6 / coolest
	for m := best; m <= 1e6/warmest; m++ {
		if far(m) < far(best) {
			best = m
		}
	}
	for step := 0.5; step > 1e-4; step /= 2 {
		for _, m := range []float64{best - step, best + step} {
			if m = min(max(m, 1e6/coolest), 1e6/warmest); far(m) < far(best) {
				best = m
			}
		}
	}
	kelvin = 1e6 / best
	a, b := UV(Planckian(kelvin))
	du, dv := across(kelvin)
	return kelvin, (u-a)*du + (v-b)*dv
}
