package rest

import (
	"cmp"
	"math"
	"slices"

	"visator/core/contact"
	"visator/core/geom"
)

// solid is a convex solid where it is.
type solid struct {
	corners support
	faces   []face
	round   float64
	box     geom.Box // with round
	twoway  bool     // a triangle: it has no inside
}

type face struct {
	n    geom.V
	d    float64
	loop []int32
}

// touch is a place where two solids touch, or soon will.
type touch struct {
	at  geom.V // half way between
	n   geom.V // from the first to the second, of length one
	gap float64
}

// skin is how far things are kept apart, in metres: what lies on another is this far
// from its triangles, so that none of them ever cross.
const skin = 0.0003

// touches adds where two solids are within reach of one another: for what lies flat on
// another the corners of what they share (the incident face cut by the sides of the
// other), for two edges that are parallel the ends of what they share, for all else one
// place. inner is a point within the first, which tells on which side of a triangle it
// belongs.
func touches(list []touch, a, b *solid, reach float64, inner geom.V) []touch {
	sum := a.round + b.round + skin
	p, q, apart := near(a.corners, b.corners, b.box.Center().Sub(a.box.Center()), sum+reach)
	if apart-sum > reach {
		return list
	}
	var n geom.V
	if apart > 1e-7 {
		n = q.Sub(p).Mul(1 / apart)
	} else {
		if n, apart = outwards(a, b, inner); apart > 0 {
			apart = 0 // they have a point in common all the same
		}
		p = a.corners[a.corners.far(n)]
		q = p.Add(n.Mul(apart))
	}
	fa, ca := facing(a, n)
	fb, cb := facing(b, n.Mul(-1))
	const flat = 1 - 2e-4 // 1.1°
	switch {
	case fb != nil && cb >= flat && cb >= ca:
		return onFace(list, b, fb, a, n.Mul(-1), sum, reach, true)
	case fa != nil && ca >= flat:
		return onFace(list, a, fa, b, n, sum, reach, false)
	}
	if more, ok := onEdges(list, a.corners, b.corners, n, sum, reach); ok {
		return more
	}
	return append(list, touch{at: p.Lerp(q, 0.5), n: n, gap: apart - sum})
}

// outwards is the shortest way along the normal of a face, for solids that have a point in
// common: the direction from a to b, and how far apart they are along it, which is less than 0.
func outwards(a, b *solid, inner geom.V) (n geom.V, apart float64) {
	apart = math.Inf(-1)
	for i := range b.faces {
		f := &b.faces[i]
		if b.twoway && f.n.Dot(inner) < f.d {
			continue
		}
		m := f.n.Mul(-1)
		if s := f.n.Dot(a.corners[a.corners.far(m)]) - f.d; s > apart {
			n, apart = m, s
		}
	}
	if b.twoway {
		return n, apart
	}
	for i := range a.faces {
		f := &a.faces[i]
		m := f.n.Mul(-1)
		if s := f.n.Dot(b.corners[b.corners.far(m)]) - f.d; s > apart {
			n, apart = f.n, s
		}
	}
	if n == (geom.V{}) {
		return geom.V{Y: -1}, 0
	}
	return n, apart
}

// facing is the face that looks along n most.
func facing(s *solid, n geom.V) (best *face, cos float64) {
	cos = -1
	for i := range s.faces {
		if c := s.faces[i].n.Dot(n); c > cos {
			best, cos = &s.faces[i], c
		}
	}
	return best, cos
}

// onFace adds where o lies on a face of s; n looks from s to o. Swapped: o is the first.
func onFace(list []touch, s *solid, f *face, o *solid, n geom.V, sum, reach float64, swapped bool) []touch {
	var room [24]geom.V
	poly := room[:0]
	if g, _ := facing(o, n.Mul(-1)); g != nil {
		for _, i := range g.loop {
			poly = append(poly, o.corners[i])
		}
	} else {
		poly = append(poly, o.corners...)
	}
	var other [24]geom.V
	next := other[:0]
	for k := range f.loop {
		a, b := s.corners[f.loop[k]], s.corners[f.loop[(k+1)%len(f.loop)]]
		in := f.n.Cross(b.Sub(a))
		next = next[:0]
		for i, p := range poly {
			q := poly[(i+1)%len(poly)]
			x, y := p.Sub(a).Dot(in), q.Sub(a).Dot(in)
			if x >= 0 {
				next = append(next, p)
			}
			if (x > 0 && y < 0 || x < 0 && y > 0) && len(poly) > 1 {
				next = append(next, p.Lerp(q, x/(x-y)))
			}
		}
		poly, next = next, poly
	}
	// The four that matter: the lowest, the one farthest from it, and those farthest to
	// both sides of the line between.
	var few [4]int
	for _, i := range spread(poly, f, few[:0]) {
		p := poly[i]
		h := f.n.Dot(p) - f.d
		if h-sum > reach {
			continue
		}
		t := touch{at: p.Sub(f.n.Mul(h / 2)), n: f.n, gap: h - sum}
		if swapped {
			t.n = t.n.Mul(-1)
		}
		list = append(list, t)
	}
	return list
}

func spread(poly []geom.V, f *face, few []int) []int {
	if len(poly) <= 4 {
		for i := range poly {
			few = append(few, i)
		}
		return few
	}
	pick := func(how func(p geom.V) float64) {
		best, at := math.Inf(-1), -1
		for i, p := range poly {
			if v := how(p); v > best && !slices.Contains(few, i) {
				best, at = v, i
			}
		}
		if at >= 0 {
			few = append(few, at)
		}
	}
	pick(func(p geom.V) float64 { return f.d - f.n.Dot(p) })
	a := poly[few[0]]
	pick(func(p geom.V) float64 { return p.Sub(a).Dot(p.Sub(a)) })
	across := f.n.Cross(poly[few[1]].Sub(a))
	pick(func(p geom.V) float64 { return p.Sub(a).Dot(across) })
	pick(func(p geom.V) float64 { return -p.Sub(a).Dot(across) })
	return few
}

// onEdges adds the two ends along which two parallel edges touch; not ok where there are
// none.
func onEdges(list []touch, a, b support, n geom.V, sum, reach float64) ([]touch, bool) {
	p, q, ok := edge(a, n)
	if !ok {
		return list, false
	}
	r, s, ok := edge(b, n.Mul(-1))
	if !ok {
		return list, false
	}
	u, w := q.Sub(p), s.Sub(r)
	l := u.Len()
	u = u.Mul(1 / l)
	if u.Cross(w).Len() > 0.05*w.Len() {
		return list, false
	}
	x, y := r.Sub(p).Dot(u), s.Sub(p).Dot(u)
	if x > y {
		r, s, x, y = s, r, y, x
	}
	lo, hi := max(x, 0), min(y, l)
	if !(hi > lo) {
		return list, false
	}
	for _, t := range [2]float64{lo, hi} {
		at, on := p.Add(u.Mul(t)), r.Lerp(s, (t-x)/(y-x))
		if g := on.Sub(at).Dot(n) - sum; g <= reach {
			list = append(list, touch{at: at.Lerp(on, 0.5), n: n, gap: g})
		}
	}
	return list, true
}

// edge is the two corners that lie farthest apart of those farthest along n.
func edge(s support, n geom.V) (p, q geom.V, ok bool) {
	p = s[s.far(n)]
	most, long := p.Dot(n)-0.0005, 0.001
	for _, c := range s {
		if c.Dot(n) < most {
			continue
		}
		if d := c.Sub(p).Len(); d > long {
			q, long, ok = c, d, true
		}
	}
	return p, q, ok
}

// against adds where the solid a touches what stands: triangle by triangle, the nearest
// first. Where it touches an edge or a corner of a triangle whose neighbour carries it
// already, that is no touch of its own: else things would stumble over the seams of a floor
// (Terdiman, Contact generation for meshes, 2012, from memory).
func against(list []touch, a *solid, stands *contact.Placed, reach float64, inner geom.V) []touch {
	type hit struct {
		s       *solid
		apart   float64
		q       geom.V
		onFace  bool
		corners [3]geom.V
	}
	var hits []hit
	far := a.round + skin + reach
	lo, hi := a.box.Min.Sub(geom.V{X: reach, Y: reach, Z: reach}), a.box.Max.Add(geom.V{X: reach, Y: reach, Z: reach})
	stands.Reach(geom.Identity, func(c, h geom.V) bool {
		return c.X+h.X < lo.X || c.Y+h.Y < lo.Y || c.Z+h.Z < lo.Z || c.X-h.X > hi.X || c.Y-h.Y > hi.Y || c.Z-h.Z > hi.Z
	}, func(t [3]geom.V) {
		for k := range 3 {
			if min(t[0].At(k), t[1].At(k), t[2].At(k)) > hi.At(k) ||
				max(t[0].At(k), t[1].At(k), t[2].At(k)) < lo.At(k) {
				return
			}
		}
		s := flat(t)
		if s == nil {
			return
		}
		p, q, apart := near(a.corners, s.corners, s.box.Center().Sub(a.box.Center()), far)
		if apart > far {
			return
		}
		n := q.Sub(p)
		hits = append(hits, hit{s: s, apart: apart, q: q, corners: t,
			onFace: apart < 1e-7 || math.Abs(n.Dot(s.faces[0].n)) > apart*(1-2e-4)})
	})
	slices.SortStableFunc(hits, func(x, y hit) int { return cmp.Compare(x.apart, y.apart) })
	done := map[geom.V]bool{}
	for _, h := range hits {
		if !h.onFace {
			carried := true
			for k, c := range h.corners {
				// The corners that the place lies on: those whose opposite side it does not.
				u, v := h.corners[(k+1)%3], h.corners[(k+2)%3]
				side := v.Sub(u)
				if l := side.Len(); l > 0 && h.q.Sub(u).Cross(side).Len() < 1e-6*l+1e-9 && h.q.Sub(c).Len() > 1e-9 {
					continue // on the side across from c
				}
				carried = carried && done[c]
			}
			if carried {
				continue
			}
		}
		list = touches(list, a, h.s, reach, inner)
		for _, c := range h.corners {
			done[c] = true
		}
	}
	return list
}

// flat is a triangle as a solid; nil when it has no area.
func flat(t [3]geom.V) *solid {
	n := t[1].Sub(t[0]).Cross(t[2].Sub(t[0])).Unit()
	if n == (geom.V{}) || !n.Finite() {
		return nil
	}
	d := n.Dot(t[0])
	return &solid{corners: support{t[0], t[1], t[2]},
		faces: []face{{n, d, oneWay}, {n.Mul(-1), -d, otherWay}}, twoway: true,
		box: geom.Empty().Add(t[0]).Add(t[1]).Add(t[2])}
}

var oneWay, otherWay = []int32{0, 1, 2}, []int32{2, 1, 0}
