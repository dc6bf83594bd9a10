package bsdf

import (
	"math"
	"math/bits"

	"visator/core/geom"
)

// least is the smallest width of a lobe: what is smoother is drawn as smooth as this.
const least = 1e-3

// ggx is the GGX distribution of normals of the widths x and y, along the tangent and across it (Walter, Marschner, Li
// and Torrance, Microfacet models for refraction through rough surfaces, 2007; anisotropic: Heitz, Understanding the
// masking-shadowing function in microfacet-based BRDFs, JCGT 2014).
type ggx struct{ x, y float64 }

// of is the density of the normal h.
func (g ggx) of(h geom.V) float64 {
	// Written by the tangent, so that narrow lobes keep their digits.
	c2 := h.Z * h.Z
	if c2 < 1e-14 {
		return 0
	}
	x, y := h.X/g.x, h.Y/g.y
	e := x*x + y*y + c2
	return 1 / (math.Pi * g.x * g.y * e * e)
}

// lambda is Smith's auxiliary function.
func (g ggx) lambda(w geom.V) float64 {
	x, y := w.X*g.x, w.Y*g.y
	return (math.Sqrt(1+(x*x+y*y)/(w.Z*w.Z)) - 1) / 2
}

// seen is the share of microfacets that w sees.
func (g ggx) seen(w geom.V) float64 { return 1 / (1 + g.lambda(w)) }

// both is the share that both see, on one side, by height.
func (g ggx) both(o, i geom.V) float64 { return 1 / (1 + g.lambda(o) + g.lambda(i)) }

// draw is a microfacet normal as seen from o, which is above (Dupuy and Benyoub, Sampling visible GGX normals with
// spherical caps, 2023).
func (g ggx) draw(o geom.V, u1, u2 float64) geom.V {
	std := geom.V{X: o.X * g.x, Y: o.Y * g.y, Z: o.Z}.Unit()
	sin, cos := math.Sincos(2 * math.Pi * u1)
	z := (1-u2)*(1+std.Z) - std.Z
	r := math.Sqrt(max(1-z*z, 0))
	h := geom.V{X: r*cos + std.X, Y: r*sin + std.Y, Z: z + std.Z}
	return geom.V{X: h.X * g.x, Y: h.Y * g.y, Z: max(h.Z, 1e-12)}.Unit()
}

// each visits n normals that are drawn evenly as seen from o, as far as they mirror it to above: the normal, where to,
// and what share of light is mirrored there, but for Fresnel.
func (g ggx) each(o geom.V, n int, visit func(h, i geom.V, w float64)) {
	seen := g.seen(o)
	for k := range n {
		h := g.draw(o, (float64(k)+0.5)/float64(n), second(k))
		if i := bounce(o, h); i.Z > 0 {
			visit(h, i, g.both(o, i)/seen/float64(n))
		}
	}
}

// bounce is where o is mirrored to by the normal h.
func bounce(o, h geom.V) geom.V { return h.Mul(2 * o.Dot(h)).Sub(o) }

// leaning is a direction at a cosine to the normal.
func leaning(cos float64) geom.V { return geom.V{X: math.Sqrt(1 - cos*cos), Z: cos} }

// mirrored is the lobe of reflection without Fresnel, times the cosine of i, and the density with which draw finds it.
func (g ggx) mirrored(o, i geom.V) (f, pdf float64) {
	d := g.of(o.Add(i).Unit()) / (4 * o.Z)
	l := 1 + g.lambda(o)
	return d / (l + g.lambda(i)), d / l
}

func pow5(x float64) float64 { return x * x * x * x * x }

// spread is the i-th of n places in a square that are spread evenly (Hammersley's points).
func spread(i, n int) (u1, u2 float64) {
	return (float64(i) + 0.5) / float64(n), float64(bits.Reverse32(uint32(i)))/(1<<32) + 0.5/float64(n)
}

// second is the second of them, of however many.
func second(i int) float64 { _, u := spread(i, 1<<30); return u }

// lookup reads a table over 0 to 1 along each axis, between its entries; the last axis is the fastest.
func lookup(table []float64, n []int, at ...float64) float64 {
	sum := 0.0
	for corner := range 1 << len(n) {
		share, k := 1.0, 0
		for axis, x := range at {
			j, f := geom.Between(x, n[axis])
			if corner>>axis&1 == 1 {
				j, share = j+1, share*f
			} else {
				share *= 1 - f
			}
			k = k*n[axis] + j
		}
		if share != 0 {
			sum += share * table[k]
		}
	}
	return sum
}
