// Package lamp is how lamps shine: what reaches a place from each shape of lamp, sampled as likely as its density
// says, and where a ray meets it. Lengths are metres, light candela, cd/m² and lux of each Rec.709 channel.
package lamp

import (
	"math"

	"visator/core/geom"
	"visator/core/photometry"
)

// Shape is what of a lamp shines.
type Shape uint8

// Shapes of lamps. All but points are surfaces of the same luminance all over, by Lambert's cosine law; a
// rectangle and a disc shine on one side.
const (
	Point Shape = iota
	Ball
	Tube
	Rectangle
	Disc
)

// Light is one sample of light at a place.
type Light struct {
	Dir  geom.V  // to where it comes from, of length one
	Dist float64 // metres; a hair less than to its surface
	Le   geom.V  // luminance of a surface, illuminance of a point
	PDF  float64 // per steradian; 1 of a point
	Hard bool    // a point: nothing else can find it
	Free bool    // nothing keeps it back
}

// Lamp is a light of the scene that is not the surface of something.
type Lamp struct {
	At      geom.V
	Dir     geom.V // unit vector along which it shines; not of a ball, a tube or a point that is no spot
	Candela geom.V // per colour channel, in the middle of its beam
	Shape   Shape
	Radius  float64 // of a ball, a tube and a disc; of a spot the softness of its shadows
	U, V    geom.V  // half the sides of a rectangle; U half a tube
	Seen    bool    // by the camera; by what mirrors it is seen always. A point is not seen
	Spot    bool    // a point
	// Web, if set, is how a measured point spreads its light, Candela being its largest; X, Y and Z are the luminaire's
	// own axes in the set.
	Web     *photometry.Web
	X, Y, Z geom.V
	Group   int  // a number that whoever made the scene gives it
	Blind   bool // its light is kept back by nothing: it casts no shadow
	// Only, if not nil, and Except are the things that it lights or does not, by the ID of their instances.
	Only, Except map[uint32]bool
	// Cosines of the cone's half angles: full strength within the inner, none
	// beyond the outer, smooth between (KHR_lights_punctual).
	CosInner, CosOuter float64
	Range              float64 // metres; 0: without limit
}

// Fade is the share of its strength that a spot gives along a way with the cosine c to its direction, by the
// cosines of its cone (KHR_lights_punctual).
func Fade(c, inner, outer float64) float64 {
	if c < outer {
		return 0
	}
	f := min(max((c-outer)/max(0.001, inner-outer), 0), 1)
	return f * f
}

// Lights says whether the lamp's light falls on an instance; what hangs in the air has the ID 0.
func (l *Lamp) Lights(id uint32) bool {
	return (l.Only == nil || l.Only[id]) && !l.Except[id]
}

// web is the share of its largest intensity that a measured lamp gives along a direction.
func (l *Lamp) web(d geom.V) float64 {
	return l.Web.Toward(geom.V{X: d.Dot(l.X), Y: d.Dot(l.Y), Z: d.Dot(l.Z)}) / l.Web.Largest()
}

func (l *Lamp) fade(c float64) float64 { return Fade(c, l.CosInner, l.CosOuter) }

// Window is the share that the lamp's reach leaves at p.
func (l *Lamp) Window(p geom.V) float64 {
	if !(l.Range > 0) {
		return 1
	}
	q := l.At.Sub(p).Len() / l.Range
	return min(max(1-q*q*q*q, 0), 1)
}

// Toward returns the illuminance per channel that the lamp gives to a plane
// at p that faces it, the direction to the lamp and the distance: of a point, and about of a surface.
func (l *Lamp) Toward(p geom.V) (e, dir geom.V, dist float64) {
	share, dir, dist := l.share(p)
	return l.Candela.Mul(share), dir, dist
}

// share is how many lux the lamp gives at p for each candela, the direction to it and the distance.
func (l *Lamp) share(p geom.V) (k float64, dir geom.V, dist float64) {
	d := l.At.Sub(p)
	dist = d.Len()
	if dist == 0 && l.Shape == Point {
		return 0, geom.V{Y: 1}, 0
	}
	dir = d.Unit()
	size := 0.0
	k = 1
	switch l.Shape {
	case Point:
		if l.Spot {
			k = l.fade(-dir.Dot(l.Dir))
		}
		if l.Web != nil {
			k = l.web(dir.Mul(-1))
			if l.Radius > 0 {
				size, k = l.Radius, max(k, 0.01)
			}
		}
		if l.Spot && l.Radius > 0 { // seen from some part of it
			size = l.Radius
			k = max(k, l.fade(min(-dir.Dot(l.Dir)+l.Radius/max(dist, l.Radius), 1))/4)
		}
	case Ball:
		size = l.Radius
	case Tube:
		size = l.U.Len()
		c := dir.Dot(l.U) / size
		k = max(math.Sqrt(max(1-c*c, 0)), 0.05)
	default:
		size = max(l.Radius, l.U.Len(), l.V.Len())
		c := -d.Dot(l.Dir)
		if c <= 0 {
			return 0, dir, dist
		}
		k = max(c/max(dist, size), 0.02)
	}
	near := max(dist, size/2)
	return k * l.Window(p) / (near * near), dir, dist
}

// Luminance is that of its surface, in cd/m².
func (l *Lamp) Luminance() geom.V {
	across := math.Pi * l.Radius * l.Radius // as it is seen in the middle of its beam
	switch l.Shape {
	case Tube:
		across = 4 * l.Radius * l.U.Len()
	case Rectangle:
		across = 4 * l.U.Len() * l.V.Len()
	}
	return l.Candela.Mul(1 / max(across, 1e-12))
}

// Sample is light of the lamp at p, its PDF that of a direction from there.
func (l *Lamp) Sample(p geom.V, u1, u2 float64) (out Light, ok bool) {
	out, ok = l.sample(p, u1, u2)
	out.Free = l.Blind
	return out, ok
}

func (l *Lamp) sample(p geom.V, u1, u2 float64) (out Light, ok bool) {
	if l.Shape == Point {
		return l.samplePoint(p, u1, u2)
	}
	out.Le = l.Luminance().Mul(l.Window(p))
	switch l.Shape {
	case Ball:
		out.Dir, out.Dist, out.PDF = l.sampleBall(p, u1, u2)
		return out, out.PDF > 0
	case Rectangle:
		if !l.shines(p) {
			return out, false
		}
		q := seenFrom(p, l)
		if q.solid > smallAngle {
			at := q.sample(u1, u2)
			out.Dist = at.Len()
			out.Dir, out.PDF = at.Mul(1/out.Dist), 1/q.solid
			out.Dist *= 1 - 1e-5
			return out, true
		}
		return l.aim(p, l.At.Add(l.U.Mul(2*u1-1)).Add(l.V.Mul(2*u2-1)), out)
	case Disc:
		if !l.shines(p) {
			return out, false
		}
		t, b := geom.Frame(l.Dir)
		sin, cos := math.Sincos(2 * math.Pi * u2)
		r := l.Radius * math.Sqrt(u1)
		return l.aim(p, l.At.Add(t.Mul(r*cos)).Add(b.Mul(r*sin)), out)
	}
	way, side, arc, in := l.around(p)
	if !in {
		return out, false
	}
	sin, cos := math.Sincos((2*u2 - 1) * arc)
	n := way.Mul(cos).Add(side.Mul(sin))
	return l.aim(p, l.At.Add(l.U.Mul(2*u1-1)).Add(n.Mul(l.Radius)), out)
}

// samplePoint is a point's light; of a spot with a radius that of a point of its disc.
func (l *Lamp) samplePoint(p geom.V, u1, u2 float64) (Light, bool) {
	at := *l
	if (l.Spot || l.Web != nil) && l.Radius > 0 {
		t, b := geom.Frame(l.Dir)
		sin, cos := math.Sincos(2 * math.Pi * u2)
		r := l.Radius * math.Sqrt(u1)
		at.At, at.Radius = l.At.Add(t.Mul(r*cos)).Add(b.Mul(r*sin)), 0
	}
	e, dir, dist := at.Toward(p)
	return Light{Dir: dir, Dist: dist, Le: e, PDF: 1, Hard: true}, dist > 0
}

// aim is a sample at a place of the lamp's surface, chosen evenly over what is sampled of it.
func (l *Lamp) aim(p, at geom.V, out Light) (Light, bool) {
	d := at.Sub(p)
	dist := d.Len()
	if !(dist > 0) {
		return out, false
	}
	out.Dir, out.Dist = d.Mul(1/dist), dist*(1-1e-5)
	out.PDF = l.Density(p, out.Dir, dist)
	return out, out.PDF > 0
}

// shines says whether p lies on the side of a flat lamp that shines.
func (l *Lamp) shines(p geom.V) bool { return p.Sub(l.At).Dot(l.Dir) > 0 }

// around is what p sees of a tube: the way from its axis to p, across it, and half of the arc that is seen.
func (l *Lamp) around(p geom.V) (way, side geom.V, arc float64, ok bool) {
	axis := l.U.Unit()
	d := p.Sub(l.At)
	d = d.Sub(axis.Mul(d.Dot(axis)))
	far := d.Len()
	if far <= l.Radius {
		return way, side, 0, false
	}
	way = d.Mul(1 / far)
	return way, axis.Cross(way), math.Acos(l.Radius / far), true
}

// Density is how likely Sample is to choose the direction d at p, per steradian, along which the lamp's surface is
// dist away.
func (l *Lamp) Density(p, d geom.V, dist float64) float64 {
	switch l.Shape {
	case Ball:
		return 1 / l.ballAngle(p)
	case Rectangle:
		if !l.shines(p) {
			return 0
		}
		if q := seenFrom(p, l); q.solid > smallAngle {
			return 1 / q.solid
		}
		return dist * dist / max(-d.Dot(l.Dir)*4*l.U.Len()*l.V.Len(), 1e-30)
	case Disc:
		if c := -d.Dot(l.Dir); c > 1e-9 {
			return dist * dist / (c * math.Pi * l.Radius * l.Radius)
		}
	case Tube:
		_, _, arc, ok := l.around(p)
		axis := l.U.Unit()
		at := p.Add(d.Mul(dist)).Sub(l.At)
		n := at.Sub(axis.Mul(at.Dot(axis))).Unit()
		if c := -d.Dot(n); ok && c > 1e-9 {
			return dist * dist / (c * 2 * l.U.Len() * l.Radius * 2 * arc)
		}
	}
	return 0
}

// ballAngle is how large a ball is seen from p, in steradians: all around from within.
func (l *Lamp) ballAngle(p geom.V) float64 {
	d := l.At.Sub(p).Len()
	if d <= l.Radius {
		return 4 * math.Pi
	}
	return 2 * math.Pi * rim(l.Radius/d)
}

// rim is 1 - cos of an angle with that sine, without cancellation.
func rim(sin float64) float64 {
	s := sin * sin
	return s / (1 + math.Sqrt(max(1-s, 0)))
}

func (l *Lamp) sampleBall(p geom.V, u1, u2 float64) (dir geom.V, dist, pdf float64) {
	d := l.At.Sub(p)
	far := d.Len()
	pdf = 1 / l.ballAngle(p)
	h := 2.0
	if far > l.Radius {
		h = rim(l.Radius / far)
	}
	z := 1 - h*u1
	r := math.Sqrt(max(1-z*z, 0))
	sin, cos := math.Sincos(2 * math.Pi * u2)
	axis := geom.V{Y: 1}
	if far > 0 {
		axis = d.Mul(1 / far)
	}
	t, b := geom.Frame(axis)
	dir = axis.Mul(z).Add(t.Mul(r * cos)).Add(b.Mul(r * sin)).Unit()
	dist, ok := l.Meet(p, dir)
	if !ok { // beside it by rounding
		dist = far * z
	}
	return dir, dist * (1 - 1e-5), pdf
}

// Meet is where a ray meets the shining side of the lamp.
func (l *Lamp) Meet(o, d geom.V) (t float64, ok bool) {
	to := l.At.Sub(o)
	switch l.Shape {
	case Ball:
		b := to.Dot(d)
		off := to.Sub(d.Mul(b))
		h := l.Radius*l.Radius - off.Dot(off)
		if h < 0 {
			return 0, false
		}
		h = math.Sqrt(h)
		if t = b - h; t <= 0 {
			t = b + h // from within
		}
		return t, t > 0
	case Rectangle, Disc:
		c := d.Dot(l.Dir)
		if c >= -1e-12 {
			return 0, false
		}
		if t = to.Dot(l.Dir) / c; t <= 0 {
			return 0, false
		}
		q := d.Mul(t).Sub(to)
		if l.Shape == Disc {
			return t, q.Dot(q) <= l.Radius*l.Radius
		}
		return t, math.Abs(q.Dot(l.U)) <= l.U.Dot(l.U) && math.Abs(q.Dot(l.V)) <= l.V.Dot(l.V)
	case Tube:
		axis := l.U.Unit()
		f, e := d.Sub(axis.Mul(d.Dot(axis))), to.Sub(axis.Mul(to.Dot(axis)))
		a, b := f.Dot(f), e.Dot(f)
		h := b*b - a*(e.Dot(e)-l.Radius*l.Radius)
		if h < 0 || a < 1e-18 {
			return 0, false
		}
		t = (b - math.Sqrt(h)) / a // the outer side of it
		return t, t > 0 && math.Abs(d.Mul(t).Sub(to).Dot(axis)) <= l.U.Len()
	}
	return 0, false
}

// smallAngle is from how many steradians on a rectangle is sampled by what is seen of it; below, by its area, which
// is the same there and told to more digits.
const smallAngle = 1e-4

// facet is a rectangle as it is seen from a place (Ureña, Fajardo and King, An Area-Preserving Parametrization for
// Spherical Rectangles, 2013).
type facet struct {
	x, y, z            geom.V
	x0, y0, x1, y1, z0 float64
	b0, b1, k          float64
	solid              float64 // steradians
}

func seenFrom(p geom.V, l *Lamp) (q facet) {
	wide, tall := l.U.Len(), l.V.Len()
	q.x, q.y = l.U.Mul(1/wide), l.V.Mul(1/tall)
	q.z = q.x.Cross(q.y)
	d := l.At.Sub(l.U).Sub(l.V).Sub(p)
	if q.z0 = d.Dot(q.z); q.z0 > 0 {
		q.z, q.z0 = q.z.Mul(-1), -q.z0
	}
	q.x0, q.y0 = d.Dot(q.x), d.Dot(q.y)
	q.x1, q.y1 = q.x0+2*wide, q.y0+2*tall
	v := func(x, y float64) geom.V { return geom.V{X: x, Y: y, Z: q.z0} }
	v00, v01, v10, v11 := v(q.x0, q.y0), v(q.x0, q.y1), v(q.x1, q.y0), v(q.x1, q.y1)
	n0, n1, n2, n3 := v00.Cross(v10).Unit(), v10.Cross(v11).Unit(), v11.Cross(v01).Unit(), v01.Cross(v00).Unit()
	angle := func(a, b geom.V) float64 { return math.Acos(min(max(-a.Dot(b), -1), 1)) }
	g0, g1, g2, g3 := angle(n0, n1), angle(n1, n2), angle(n2, n3), angle(n3, n0)
	q.b0, q.b1 = n0.Z, n2.Z
	q.k = 2*math.Pi - g2 - g3
	q.solid = g0 + g1 - q.k
	return q
}

// sample is a place of the rectangle, from where it is seen: every part of the solid angle is as likely.
func (q *facet) sample(u, v float64) geom.V {
	au := u*q.solid + q.k
	fu := (math.Cos(au)*q.b0 - q.b1) / math.Sin(au)
	cu := min(max(math.Copysign(1/math.Sqrt(fu*fu+q.b0*q.b0), fu), -1), 1)
	xu := min(max(-cu*q.z0/max(math.Sqrt(1-cu*cu), 1e-7), q.x0), q.x1)
	d := math.Hypot(xu, q.z0)
	h0, h1 := q.y0/math.Hypot(d, q.y0), q.y1/math.Hypot(d, q.y1)
	hv := h0 + v*(h1-h0)
	yv := q.y1
	if hv*hv < 1-1e-6 {
		yv = hv * d / math.Sqrt(1-hv*hv)
	}
	return q.x.Mul(xu).Add(q.y.Mul(yv)).Add(q.z.Mul(q.z0))
}
