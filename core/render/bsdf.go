package render

import (
	"math"
	"math/bits"

	"visator/core/geom"
)

func reverse32(x uint32) uint32 { return bits.Reverse32(x) }

func pow5(x float64) float64 { return x * x * x * x * x }

// sampleGGX draws a microfacet normal as seen from wo, in the frame where the
// surface normal is +Z (Dupuy and Benyoub, Sampling Visible GGX Normals with
// Spherical Caps, 2023).
func sampleGGX(wo geom.V, alpha, u1, u2 float64) geom.V {
	std := geom.V{X: wo.X * alpha, Y: wo.Y * alpha, Z: wo.Z}.Unit()
	sin, cos := math.Sincos(2 * math.Pi * u1)
	z := (1-u2)*(1+std.Z) - std.Z
	r := math.Sqrt(max(1-z*z, 0))
	h := geom.V{X: r*cos + std.X, Y: r*sin + std.Y, Z: z + std.Z}
	return geom.V{X: h.X * alpha, Y: h.Y * alpha, Z: max(h.Z, 1e-12)}.Unit()
}

// distribution is the GGX distribution of normals (Walter et al., Microfacet
// Models for Refraction through Rough Surfaces, 2007).
func distribution(cosH, alpha float64) float64 {
	a2 := alpha * alpha
	// Written with the sine so that narrow lobes keep their digits.
	d := cosH*cosH*a2 + (1 - cosH*cosH)
	return a2 / (math.Pi * d * d)
}

// smithLambda is Smith's auxiliary function for GGX (Heitz, Understanding the
// Masking-Shadowing Function, JCGT 2014).
func smithLambda(cos, alpha float64) float64 {
	c2 := cos * cos
	return (math.Sqrt(1+alpha*alpha*(1-c2)/c2) - 1) / 2
}

func smithG1(cos, alpha float64) float64 { return 1 / (1 + smithLambda(cos, alpha)) }

// smithG2 is the height-correlated masking and shadowing of both directions.
func smithG2(co, ci, alpha float64) float64 {
	return 1 / (1 + smithLambda(co, alpha) + smithLambda(ci, alpha))
}

func (pt *point) local(v geom.V) geom.V {
	return geom.V{X: v.Dot(pt.t), Y: v.Dot(pt.b), Z: v.Dot(pt.n)}
}

func (pt *point) world(v geom.V) geom.V {
	return pt.t.Mul(v.X).Add(pt.b.Mul(v.Y)).Add(pt.n.Mul(v.Z))
}

// eval returns the reflection model times the cosine for light from wi, and
// the density with which sample would have chosen wi.
func (pt *point) eval(wi geom.V) (f geom.V, pdf float64) {
	if m := pt.met; m != nil {
		pdf = m.part.Phase(m.d, wi)
		return m.part.Albedo.Mul(pdf), pdf
	}
	o, i := pt.local(pt.wo), pt.local(wi)
	side := wi.Dot(pt.ng)
	pThrough := 1 - pt.pSpec - pt.pDiff
	if o.Z <= 0 {
		return
	}
	if i.Z < 0 && side < 0 && pThrough > 1e-9 { // rough thin transmission: the mirror image of reflection
		i.Z = -i.Z
		d, p := pt.lobe(o, i)
		return pt.through.Mul(d), pThrough * p
	}
	if i.Z <= 0 || side <= 0 {
		return
	}
	f = pt.diffuse.Mul(i.Z / math.Pi)
	pdf = pt.pDiff * i.Z / math.Pi
	if pt.pSpec > 0 {
		d, p := pt.lobe(o, i)
		h := o.Add(i).Unit()
		w := pow5(1 - o.Dot(h))
		fr := geom.V{X: pt.f0.X + (pt.f90-pt.f0.X)*w, Y: pt.f0.Y + (pt.f90-pt.f0.Y)*w, Z: pt.f0.Z + (pt.f90-pt.f0.Z)*w}
		f = f.Add(fr.Times(pt.boost).Mul(d))
		pdf += pt.pSpec * p
	}
	return
}

// lobe is the GGX lobe without Fresnel, times the cosine, and its density.
func (pt *point) lobe(o, i geom.V) (f, pdf float64) {
	h := o.Add(i).Unit()
	d := distribution(h.Z, pt.alpha)
	f = d * smithG2(o.Z, i.Z, pt.alpha) / (4 * o.Z)
	pdf = d * smithG1(o.Z, pt.alpha) / (4 * o.Z)
	return
}

// sample chooses a direction for light to come from. weight is the reflection
// model times the cosine over the density; ok is false when the light ends.
func (pt *point) sample(u1, u2, lobe float64) (wi, weight geom.V, pdf float64, ok bool) {
	if pt.met != nil {
		return pt.met.scatter(u1, u2)
	}
	o := pt.local(pt.wo)
	if o.Z <= 0 {
		return
	}
	var i geom.V
	if lobe < pt.pDiff { // cosine-weighted hemisphere
		r := math.Sqrt(u1)
		sin, cos := math.Sincos(2 * math.Pi * u2)
		i = geom.V{X: r * cos, Y: r * sin, Z: math.Sqrt(max(1-u1, 0))}
	} else {
		h := sampleGGX(o, pt.alpha, u1, u2)
		i = h.Mul(2 * o.Dot(h)).Sub(o)
		if i.Z <= 0 {
			return
		}
		if lobe >= pt.pDiff+pt.pSpec {
			i.Z = -i.Z
		}
	}
	wi = pt.world(i)
	f, pdf := pt.eval(wi)
	if !(pdf > 0) || math.IsInf(pdf, 0) {
		return wi, weight, 0, false
	}
	return wi, f.Mul(1 / pdf), pdf, true
}

// leave returns the ray from the point along d.
func (pt *point) leave(d geom.V) Ray {
	if pt.met != nil {
		return NewRay(pt.p, d)
	}
	off := pt.ng.Mul(pt.eps)
	if d.Dot(pt.ng) < 0 {
		off = off.Mul(-1)
	}
	return Ray{O: pt.p.Add(off), D: d, fromInstance: int32(pt.instance), fromTriangle: pt.triangle}
}
