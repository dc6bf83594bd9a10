package rest

import (
	"visator/core/geom"
)

// support is a convex solid where it is: its corners in the set. What it is grown by is
// added by who asks.
type support []geom.V

func (s support) far(d geom.V) int {
	best, at := s[0].Dot(d), 0
	for i := 1; i < len(s); i++ {
		if x := s[i].Dot(d); x > best {
			best, at = x, i
		}
	}
	return at
}

// corner of the difference of two solids.
type corner struct {
	w, a, b geom.V // w = a - b
	i, j    int
}

// near is the shortest way between two solids: where it begins and ends, and how long it
// is; 0 when they have a point in common (Gilbert, Johnson and Keerthi, A Fast Procedure
// for Computing the Distance Between Complex Objects in Three-Dimensional Space, 1988;
// the nearest point of a simplex after Ericson, Real-Time Collision Detection, 2005).
// from is a guess of the direction from a to b; what is farther apart than enough is not
// told exactly.
func near(a, b support, from geom.V, enough float64) (p, q geom.V, apart float64) {
	d := from
	if d == (geom.V{}) {
		d = geom.V{Y: -1}
	}
	get := func(d geom.V) corner { // farthest of a - b along -d
		i, j := a.far(d), b.far(d.Mul(-1))
		return corner{w: a[i].Sub(b[j]), a: a[i], b: b[j], i: i, j: j}
	}
	var room [4]corner
	simplex := append(room[:0], get(d))
	v := simplex[0].w // a - b: it is made as short as can be
	var weights [4]float64
	weights[0] = 1
	for range 40 {
		vv := v.Dot(v)
		if vv < 1e-20 {
			return p, q, 0
		}
		c := get(v.Mul(-1))
		low := v.Dot(c.w) // what no point of the difference is nearer than, times |v|
		if low > 0 && low*low > enough*enough*vv {
			break
		}
		if vv-low <= 1e-9*vv+1e-18 {
			break
		}
		known := false
		for _, s := range simplex {
			known = known || s.i == c.i && s.j == c.j
		}
		if known {
			break
		}
		simplex = append(simplex, c)
		var inside bool
		var n int
		n, v, inside = nearest(simplex, &weights)
		simplex = simplex[:n]
		if inside {
			return p, q, 0
		}
		if v.Dot(v) >= vv {
			break // rounding: it gets no nearer
		}
	}
	for k, s := range simplex {
		p, q = p.Add(s.a.Mul(weights[k])), q.Add(s.b.Mul(weights[k]))
	}
	return p, q, p.Sub(q).Len()
}

// nearest is the point of a simplex nearest to the origin: the simplex becomes the corners
// it is made of, w their weights. inside: the origin lies in it.
func nearest(s []corner, w *[4]float64) (n int, v geom.V, inside bool) {
	switch len(s) {
	case 2:
		n = onLine(s, w)
	case 3:
		n = onTriangle(s, w)
	case 4:
		if n, inside = onTetrahedron(s, w); inside {
			return 4, geom.V{}, true
		}
	default:
		n, w[0] = 1, 1
	}
	for k := range n {
		v = v.Add(s[k].w.Mul(w[k]))
	}
	return n, v, false
}

func onLine(s []corner, w *[4]float64) int {
	e := s[1].w.Sub(s[0].w)
	t, l := -s[0].w.Dot(e), e.Dot(e)
	switch {
	case t <= 0 || l == 0:
		w[0] = 1
		return 1
	case t >= l:
		s[0], w[0] = s[1], 1
		return 1
	}
	w[0], w[1] = 1-t/l, t/l
	return 2
}

func onTriangle(s []corner, w *[4]float64) int {
	a, b, c := s[0].w, s[1].w, s[2].w
	ab, ac := b.Sub(a), c.Sub(a)
	d1, d2 := -ab.Dot(a), -ac.Dot(a)
	if d1 <= 0 && d2 <= 0 {
		w[0] = 1
		return 1
	}
	d3, d4 := -ab.Dot(b), -ac.Dot(b)
	if d3 >= 0 && d4 <= d3 {
		s[0], w[0] = s[1], 1
		return 1
	}
	vc := d1*d4 - d3*d2
	if vc <= 0 && d1 >= 0 && d3 <= 0 {
		return onLine(s[:2], w)
	}
	d5, d6 := -ab.Dot(c), -ac.Dot(c)
	if d6 >= 0 && d5 <= d6 {
		s[0], w[0] = s[2], 1
		return 1
	}
	vb := d5*d2 - d1*d6
	if vb <= 0 && d2 >= 0 && d6 <= 0 {
		s[1] = s[2]
		return onLine(s[:2], w)
	}
	va := d3*d6 - d5*d4
	if va <= 0 && d4-d3 >= 0 && d5-d6 >= 0 {
		s[0], s[1] = s[1], s[2]
		return onLine(s[:2], w)
	}
	sum := va + vb + vc
	if !(sum > 0) { // a line: the nearest of its three sides
		best := 0
		var keep [3][2]corner
		var with [3][4]float64
		var count [3]int
		least := -1.0
		for k := range 3 {
			keep[k] = [2]corner{s[k], s[(k+1)%3]}
			count[k] = onLine(keep[k][:], &with[k])
			var v geom.V
			for i := range count[k] {
				v = v.Add(keep[k][i].w.Mul(with[k][i]))
			}
			if l := v.Dot(v); least < 0 || l < least {
				least, best = l, k
			}
		}
		copy(s, keep[best][:])
		*w = with[best]
		return count[best]
	}
	w[0], w[1], w[2] = va/sum, vb/sum, vc/sum
	return 3
}

func onTetrahedron(s []corner, w *[4]float64) (n int, inside bool) {
	faces := [4][4]int{{0, 1, 2, 3}, {0, 2, 3, 1}, {0, 3, 1, 2}, {1, 3, 2, 0}}
	least := -1.0
	var best [3]corner
	var with [4]float64
	out := false
	for _, f := range faces {
		a, b, c, d := s[f[0]].w, s[f[1]].w, s[f[2]].w, s[f[3]].w
		m := b.Sub(a).Cross(c.Sub(a))
		o, e := -a.Dot(m), d.Sub(a).Dot(m)
		if o*e > 0 && e != 0 {
			continue // the origin lies on the inner side
		}
		out = true
		three := [3]corner{s[f[0]], s[f[1]], s[f[2]]}
		var x [4]float64
		k := onTriangle(three[:], &x)
		var v geom.V
		for i := range k {
			v = v.Add(three[i].w.Mul(x[i]))
		}
		if l := v.Dot(v); least < 0 || l < least {
			least, best, with, n = l, three, x, k
		}
	}
	if !out {
		return 4, true
	}
	copy(s, best[:])
	*w = with
	return n, false
}
