// Package air is what light meets between things: haze, fog that lies on the ground, and bodies of fog. Lengths are
// metres. How much of the light is lost on a way is known in closed form, so nothing is stepped through.
package air

import (
	"math"

	"visator/core/geom"
)

// Shape is where a part of the air is.
type Shape uint8

// Shapes of parts. A layer is everywhere, of one density up to its base and thinner above; a ball and a box are of
// one density within and nothing beyond.
const (
	Layer Shape = iota
	Ball
	Box
)

// Part is one kind of air. Where several overlap their densities add up.
type Part struct {
	Shape  Shape
	Sigma  float64 // extinction per metre: of a layer at its base
	Albedo geom.V  // the share of what is met that is scattered, per channel; the rest is lost
	Mean   float64 // cosine of scattering: 1 all ahead, 0 all around, -1 all back (Henyey and Greenstein, 1941)
	Base   float64 // height of a layer's base
	Thin   float64 // metres over which a layer thins to 1/e above its base
	Inv    geom.M  // of a ball and a box: from the set to where it is a ball of radius 1, or a box from -1 to 1
}

// Air is all that is between things; the zero is clear.
type Air struct{ Parts []Part }

// Threshold is the contrast at which something dark is still told from the sky at its horizon (World Meteorological
// Organization, meteorological optical range).
const Threshold = 0.05

// Extinction is that of air in which contrast falls to the threshold at a distance, per metre: ln 20 / distance
// (Koschmieder, Theorie der horizontalen Sichtweite, 1924). 0 stands for clear air.
func Extinction(visibility float64) float64 {
	if !(visibility > 0) {
		return 0
	}
	return -math.Log(Threshold) / visibility
}

// Clear says whether nothing is in the way anywhere.
func (a *Air) Clear() bool {
	if a == nil {
		return true
	}
	for i := range a.Parts {
		if a.Parts[i].Sigma > 0 {
			return false
		}
	}
	return true
}

// Sigma is the extinction of all at a place, per metre.
func (a *Air) Sigma(p geom.V) (sum float64) {
	for i := range a.Parts {
		sum += a.Parts[i].at(p)
	}
	return sum
}

// Depth is the optical depth of the way from o along the unit vector d as far as far, which may be +Inf: e^-Depth
// of the light comes through (Beer and Lambert).
func (a *Air) Depth(o, d geom.V, far float64) (sum float64) {
	if a == nil {
		return 0
	}
	for i := range a.Parts {
		sum += a.Parts[i].depth(o, d, far)
	}
	return sum
}

// Through is the share of the light that comes through a way.
func (a *Air) Through(o, d geom.V, far float64) float64 { return math.Exp(-a.Depth(o, d, far)) }

// at is the extinction of a part at a place.
func (q *Part) at(p geom.V) float64 {
	switch q.Shape {
	case Layer:
		if p.Y <= q.Base || !(q.Thin > 0) {
			return q.Sigma
		}
		return q.Sigma * math.Exp(-(p.Y-q.Base)/q.Thin)
	case Ball:
		if c := q.Inv.Point(p); c.Dot(c) <= 1 {
			return q.Sigma
		}
	case Box:
		if c := q.Inv.Point(p); max(math.Abs(c.X), math.Abs(c.Y), math.Abs(c.Z)) <= 1 {
			return q.Sigma
		}
	}
	return 0
}

// depth is the optical depth of a part.
func (q *Part) depth(o, d geom.V, far float64) float64 {
	if !(q.Sigma > 0) || !(far > 0) {
		return 0
	}
	if q.Shape == Layer {
		return q.Sigma * q.layer(o.Y-q.Base, d.Y, far)
	}
	if in, out := q.span(o, d, far); out > in {
		return q.Sigma * (out - in)
	}
	return 0
}

// layer is the length of a way through air of the density of a layer's base that holds as much as the way does,
// which begins y above the base and climbs by up a metre.
func (q *Part) layer(y, up, far float64) float64 {
	if !(q.Thin > 0) {
		return far
	}
	if up == 0 {
		if y <= 0 {
			return far
		}
		if math.IsInf(far, 1) {
			return math.Inf(1)
		}
		return far * math.Exp(-y/q.Thin)
	}
	below := 0.0 // how much of the way is at or below the base
	cross := -y / up
	from, to := 0.0, far // what is above it
	switch {
	case up > 0 && y < 0:
		below = min(cross, far)
		from = below
	case up < 0 && y <= 0:
		return far
	case up < 0 && cross < far:
		below = far - cross
		to = cross
	}
	if !(to > from) {
		return below
	}
	lo := max((y+up*from)/q.Thin, 0) // heights of both ends, by the scale
	left := 1.0                      // of the density, at the lower of them as the way comes to it
	if lo > 0 {
		left = math.Exp(-lo)
	}
	if math.IsInf(to, 1) {
		if up > 0 {
			return below + q.Thin/up*left
		}
		return below
	}
	hi := max((y+up*to)/q.Thin, 0)
	way := to - from
	if x := hi - lo; math.Abs(x) > nearlyLevel {
		way *= (left - math.Exp(-hi)) / x
	} else {
		way *= left * (1 - x/2*(1-x/3*(1-x/4*(1-x/5)))) // (1 - e^-x) / x, by its first terms
	}
	return below + way
}

// nearlyLevel is how many of a layer's scales a way climbs at most, to be taken by the first terms of a series: what
// is left out is 1e-13 of it, and a difference of two densities would lose as much.
const nearlyLevel = 1e-2

// span is where a way is within a ball or a box.
func (q *Part) span(o, d geom.V, far float64) (in, out float64) {
	c, v := q.Inv.Point(o), q.Inv.Dir(d)
	if q.Shape == Ball {
		a, b := v.Dot(v), -c.Dot(v)
		if !(a > 0) {
			return 0, 0
		}
		near := c.Add(v.Mul(b / a)) // the point of the way that is nearest the middle
		h := 1 - near.Dot(near)
		if h <= 0 {
			return 0, 0
		}
		h = math.Sqrt(h / a)
		return max(b/a-h, 0), min(b/a+h, far)
	}
	in, out = 0, far
	for _, s := range [3][2]float64{{c.X, v.X}, {c.Y, v.Y}, {c.Z, v.Z}} {
		if s[1] == 0 {
			if math.Abs(s[0]) > 1 {
				return 0, 0
			}
			continue
		}
		t0, t1 := (-1-s[0])/s[1], (1-s[0])/s[1]
		in, out = max(in, min(t0, t1)), min(out, max(t0, t1))
	}
	return in, out
}

// Free is how far light runs along a way until it meets something of the air, for a number u in [0, 1): as likely as
// the transmittance says. ok is false where it comes through to far. The density of t is Sigma there times what comes
// through to there, which is 1 - u.
func (a *Air) Free(o, d geom.V, far, u float64) (t float64, ok bool) {
	want := -math.Log1p(-u)
	if !(a.Depth(o, d, far) > want) {
		return far, false
	}
	return a.Reach(o, d, far, want)
}

// Reach is how far it is along a way until its optical depth is want, which is less than that of all of it. ok is false
// where the air is so thin that no number shows where.
func (a *Air) Reach(o, d geom.V, far, want float64) (t float64, ok bool) {
	var only *Part
	for i := range a.Parts {
		if q := &a.Parts[i]; q.Sigma > 0 {
			if only != nil {
				return a.search(o, d, far, want)
			}
			only = q
		}
	}
	if only == nil {
		return far, false
	}
	t, ok = only.reach(o, d, far, want)
	return min(t, far), ok && t <= farthest
}

// farthest is how many metres off light that comes from without end is still looked for.
const farthest = 1e12

// reach is Reach in air of a single part, in closed form.
func (q *Part) reach(o, d geom.V, far, want float64) (t float64, ok bool) {
	if q.Shape != Layer {
		in, _ := q.span(o, d, far)
		return in + want/q.Sigma, true
	}
	length := want / q.Sigma // in air as dense as at the base
	y, up := o.Y-q.Base, d.Y
	if !(q.Thin > 0) || y <= 0 && up <= 0 {
		return length, true
	}
	if up == 0 {
		t = length * math.Exp(y/q.Thin)
		return t, t <= math.MaxFloat64
	}
	from, cross := 0.0, -y/up
	if y < 0 { // it climbs out of what is even
		if length <= cross {
			return length, true
		}
		from, length, y = cross, length-cross, 0
	}
	// The way from lo to lo + x, by the scale, holds e^-lo (1 - e^-x) Thin / up.
	lo := y / q.Thin
	over := length * up / q.Thin * math.Exp(lo)
	if !(over < 1) {
		return far, false
	}
	if x := -math.Log1p(-over); lo+x >= 0 {
		return from + x*q.Thin/up, true
	}
	return cross + length - q.layer(y, up, cross), true // it comes down into what is even
}

// search is Reach in any air, step by step.
func (a *Air) search(o, d geom.V, far, want float64) (t float64, ok bool) {
	lo, hi := 0.0, far
	if math.IsInf(hi, 1) {
		for hi = 1; a.Depth(o, d, hi) <= want; hi *= 4 {
			lo = hi
			if hi > farthest {
				return far, false
			}
		}
	}
	t = lo + (hi-lo)/2
	for range 80 { // Newton's steps, halved where they lead out of what is known
		off := a.Depth(o, d, t) - want
		if off > 0 {
			hi = t
		} else {
			lo = t
		}
		if hi-lo <= 1e-7*hi || math.Abs(off) <= 1e-9*want {
			break
		}
		next := t - off/a.Sigma(o.Add(d.Mul(t)))
		if !(next > lo && next < hi) {
			next = lo + (hi-lo)/2
		}
		t = next
	}
	return t, true
}

// Pick is which part of the air light met at a place, for a number u in [0, 1): as likely as it is dense.
func (a *Air) Pick(p geom.V, u float64) *Part {
	left := u * a.Sigma(p)
	for i := range a.Parts {
		if s := a.Parts[i].at(p); left < s {
			return &a.Parts[i]
		} else {
			left -= s
		}
	}
	return &a.Parts[len(a.Parts)-1]
}

// Phase is how likely light that runs along d is scattered into the direction out, per steradian (Henyey and
// Greenstein, Diffuse radiation in the galaxy, 1941). It is its own density.
func (q *Part) Phase(d, out geom.V) float64 {
	g := q.Mean
	b := 1 + g*g - 2*g*d.Dot(out)
	return (1 - g*g) / (4 * math.Pi * b * math.Sqrt(max(b, 1e-12)))
}

// Scatter is a direction into which light that ran along d is scattered.
func (q *Part) Scatter(d geom.V, u1, u2 float64) geom.V {
	g := q.Mean
	cos := 1 - 2*u1
	if math.Abs(g) > 1e-3 {
		s := (1 - g*g) / (1 - g + 2*g*u1)
		cos = (1 + g*g - s*s) / (2 * g)
	}
	cos = min(max(cos, -1), 1)
	sin := math.Sqrt(1 - cos*cos)
	y, x := math.Sincos(2 * math.Pi * u2)
	t, b := geom.Frame(d)
	return t.Mul(sin * x).Add(b.Mul(sin * y)).Add(d.Mul(cos)).Unit()
}

// Abeam is a place on a way as far as far, the more likely the nearer it is to a lamp: evenly by the angle under
// which the way is seen from there (Kulla and Fajardo, Importance Sampling Techniques for Path Tracing in
// Participating Media, 2012). pdf is per metre.
func Abeam(o, d geom.V, far float64, lamp geom.V, u float64) (t, pdf float64) {
	mid, h := foot(o, d, lamp)
	a, b := math.Atan2(-mid, h), math.Atan2(far-mid, h)
	if !(b > a) {
		return 0, 0
	}
	t = h*math.Tan(a+(b-a)*u) + mid
	t = min(max(t, 0), far)
	return t, AbeamDensity(o, d, far, lamp, t)
}

// AbeamDensity is how likely Abeam chooses t, per metre.
func AbeamDensity(o, d geom.V, far float64, lamp geom.V, t float64) float64 {
	mid, h := foot(o, d, lamp)
	a, b := math.Atan2(-mid, h), math.Atan2(far-mid, h)
	if !(b > a) {
		return 0
	}
	return h / ((b - a) * (h*h + (t-mid)*(t-mid)))
}

// foot is where a way passes a place nearest, and how far off; not nearer than a millimetre, which keeps what is
// divided by it finite.
func foot(o, d, p geom.V) (mid, h float64) {
	to := p.Sub(o)
	mid = to.Dot(d)
	return mid, max(to.Sub(d.Mul(mid)).Len(), 1e-3)
}

// Within is the Inv of a ball or a box about a middle, with half its sides, turned about +Y, counter-clockwise seen
// from above.
func Within(middle, half geom.V, turn float64) geom.M {
	sin, cos := math.Sincos(turn)
	m := geom.M{0: cos / half.X, 8: -sin / half.X, 5: 1 / half.Y, 2: sin / half.Z, 10: cos / half.Z, 15: 1}
	off := m.Dir(middle)
	m[12], m[13], m[14] = -off.X, -off.Y, -off.Z
	return m
}
