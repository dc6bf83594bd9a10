package contact

import (
	"cmp"
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/join"
)

// partsMost is how many convex solids stand for a body at most: a bowl takes some
// thirty to be hollow to a few millimetres.
const partsMost = 40

// shellsMost is how many loose parts of a body begin as solids of their own.
const shellsMost = 24

// Parts are convex solids that together hold every triangle of the body: what is kept
// out of them is kept out of it. It is split into its loose parts and these by planes,
// the hollowest first, until nothing lies deeper in its solid than a hundredth of the
// body's size (at most 4 mm) or there are as many as there may be; hollow is how deep
// the deepest lies then, in metres. They are made once.
func (b *Body) Parts() (parts []*Convex, hollow float64) {
	b.once.Do(func() { b.parts, b.hollow = b.decompose() })
	return b.parts, b.hollow
}

type triangle = [3]geom.V

// lump is some triangles, their hull, and how deep within it the deepest of them lies:
// that of a closed shell from where it is seen, that of a sheet to either side.
type lump struct {
	of    []triangle
	sheet bool
	hull  *Convex
	deep  float64
	at    geom.V
	n     geom.V // of the triangle that lies deepest
}

func (b *Body) decompose() ([]*Convex, float64) {
	fine := min(0.01*b.Box.Size().Len(), 0.004)
	var lumps []*lump
	for _, s := range b.shells() {
		lumps = append(lumps, newLump(s.of, !s.closed))
	}
	lumps = apart(lumps)
	for len(lumps) < partsMost {
		worst := slices.IndexFunc(lumps, func(l *lump) bool { return l.deep > fine })
		if worst < 0 {
			break
		}
		for i, l := range lumps {
			if l.deep > lumps[worst].deep {
				worst = i
			}
		}
		x, y := lumps[worst].split()
		if x == nil {
			lumps[worst].deep = min(lumps[worst].deep, fine) // as good as it gets
			continue
		}
		lumps[worst] = x
		lumps = append(lumps, y)
	}
	out, hollow := make([]*Convex, len(lumps)), 0.0
	for i, l := range lumps {
		out[i], hollow = l.hull, max(hollow, l.deep)
	}
	return out, hollow
}

// shell is triangles that hang together.
type shell struct {
	of     []triangle
	box    geom.Box
	closed bool
}

// shells are the loose parts of the body; those beyond shellsMost, the smallest, are one.
func (b *Body) shells() []shell {
	sets := join.New(len(b.points))
	for i := range int32(b.count()) {
		t := b.triangle(i)
		sets.Join(t[0], t[1])
		sets.Join(t[0], t[2])
	}
	number := map[uint32]int{}
	var list []shell
	var edges []uint64
	for i := range int32(b.count()) {
		t := b.triangle(i)
		r := sets.Find(t[0])
		k, ok := number[r]
		if !ok {
			k = len(list)
			number[r] = k
			list, edges = append(list, shell{box: geom.Empty()}), append(edges, 0)
		}
		s := &list[k]
		s.of = append(s.of, triangle{b.point(t[0]), b.point(t[1]), b.point(t[2])})
		for i := range t {
			s.box = s.box.Add(b.point(t[i]))
		}
		edges[k] += around(t)
	}
	for k := range list {
		list[k].closed = edges[k] == 0
	}
	if len(list) <= shellsMost {
		return list
	}
	slices.SortStableFunc(list, func(x, y shell) int { return cmp.Compare(y.box.Size().Len(), x.box.Size().Len()) })
	rest := &list[shellsMost-1]
	for _, s := range list[shellsMost:] {
		rest.of, rest.closed = append(rest.of, s.of...), rest.closed && s.closed
	}
	return list[:shellsMost]
}

// apart leaves out what lies within another's hull altogether: nothing ever touches it.
func apart(lumps []*lump) []*lump {
	return slices.DeleteFunc(slices.Clone(lumps), func(l *lump) bool {
		return slices.ContainsFunc(lumps, func(o *lump) bool {
			return o != l && o.deep == 0 && len(o.hull.Faces) > 3 && !slices.ContainsFunc(l.hull.Points,
				func(p geom.V) bool {
					return o.hull.beyond(p) > 0
				})
		})
	})
}

func newLump(of []triangle, sheet bool) *lump {
	l := &lump{of: of, sheet: sheet, hull: NewConvex(corner(of))}
	if len(l.hull.Faces) < 4 {
		return l // flat: there is nothing to be deep in
	}
	for i := 0; i < len(of); i += 1 + len(of)/deepLooks {
		t := &of[i]
		n := normal(t)
		mid := t[0].Add(t[1]).Add(t[2]).Mul(1.0 / 3)
		for _, p := range [3]geom.V{mid, t[0], t[1]} {
			d := l.hull.below(p, l.deep)
			if sheet && n != (geom.V{}) {
				d = max(l.hull.leave(p, n), l.hull.leave(p, n.Mul(-1)))
			}
			if d > l.deep {
				l.deep, l.at, l.n = d, p, n
			}
		}
	}
	return l
}

// deepLooks is at how many triangles of a lump is looked for the deepest: more would
// find it deeper by less than a triangle is large.
const deepLooks = 700

// corner are the different corners of triangles.
func corner(of []triangle) []geom.V {
	seen := make(map[geom.V]bool, len(of))
	points := make([]geom.V, 0, len(of))
	for i := range of {
		for _, p := range of[i] {
			if !seen[p] {
				seen[p] = true
				points = append(points, p)
			}
		}
	}
	return points
}

// below is how deep p lies in the hull; what is less than enough is not told exactly.
func (c *Convex) below(p geom.V, enough float64) float64 {
	d := math.Inf(1)
	for i := range c.Faces {
		if d = min(d, c.Faces[i].D-c.Faces[i].N.Dot(p)); d <= enough {
			return d
		}
	}
	return d
}

// leave is how far it is from p, within the hull, along d until it is left.
func (c *Convex) leave(p, d geom.V) float64 {
	t := math.Inf(1)
	for i := range c.Faces {
		if f := &c.Faces[i]; f.N.Dot(d) > 1e-9 {
			t = min(t, max(f.D-f.N.Dot(p), 0)/f.N.Dot(d))
		}
	}
	return t
}

// split cuts a lump in two by the plane that leaves the least air in the hulls, of some
// through the place that lies deepest and through the middle; nil when there is none.
func (l *lump) split() (x, y *lump) {
	type plane struct {
		n geom.V
		d float64
	}
	var planes []plane
	mid := l.hull.Box.Center()
	for _, n := range [4]geom.V{{X: 1}, {Y: 1}, {Z: 1}, l.n} {
		for _, p := range [3]geom.V{l.at.Add(n.Mul(2e-4)), l.at.Sub(n.Mul(2e-4)), mid} {
			planes = append(planes, plane{n, n.Dot(p)})
		}
	}
	few := l.of
	if most := 250; len(few) > most { // some of them tell where to cut as well
		few = nil
		for i := range most {
			few = append(few, l.of[i*len(l.of)/most])
		}
	}
	// The volume, and where that is the same halves that are alike and compact are better
	// than a sliver off.
	size, volume := l.hull.Box.Size().Len(), l.hull.volume()
	air := func(of []triangle) float64 {
		points, box := corner(of), geom.Empty()
		for _, p := range points {
			box = box.Add(p)
		}
		across := box.Size().Len()
		c := hullOf(points, across, 48)
		c.Box = box
		return c.volume() + 0.05*volume*across*across/(size*size)
	}
	best, at := math.Inf(1), -1
	for i, p := range planes {
		a, b := cut(few, p.n, p.d)
		if len(a) == 0 || len(b) == 0 {
			continue
		}
		if v := air(a) + air(b); v < best {
			best, at = v, i
		}
	}
	if at < 0 {
		return nil, nil
	}
	a, b := cut(l.of, planes[at].n, planes[at].d)
	if len(a) == 0 || len(b) == 0 {
		return nil, nil
	}
	return newLump(a, l.sheet), newLump(b, l.sheet)
}

// volume of the hull in m³: pyramids from its middle to its faces.
func (c *Convex) volume() (sum float64) {
	mid := c.Box.Center()
	for i := range c.Faces {
		f := &c.Faces[i]
		for k := 1; k+1 < len(f.Loop); k++ {
			a, b, d := c.Points[f.Loop[0]].Sub(mid), c.Points[f.Loop[k]].Sub(mid), c.Points[f.Loop[k+1]].Sub(mid)
			sum += a.Dot(b.Cross(d)) / 6
		}
	}
	return sum
}

// cut parts triangles at the plane n·p = d: what lies before it and what lies behind,
// those across it cut into both.
func cut(of []triangle, n geom.V, d float64) (before, behind []triangle) {
	for i := range of {
		t := &of[i]
		s := [3]float64{n.Dot(t[0]) - d, n.Dot(t[1]) - d, n.Dot(t[2]) - d}
		switch {
		case s[0] <= 0 && s[1] <= 0 && s[2] <= 0:
			before = append(before, *t)
			continue
		case s[0] >= 0 && s[1] >= 0 && s[2] >= 0:
			behind = append(behind, *t)
			continue
		}
		var a, b []geom.V
		for k := range 3 {
			p, q := t[k], t[(k+1)%3]
			u, v := s[k], s[(k+1)%3]
			if u <= 0 {
				a = append(a, p)
			}
			if u >= 0 {
				b = append(b, p)
			}
			if u*v < 0 {
				c := p.Lerp(q, u/(u-v))
				a, b = append(a, c), append(b, c)
			}
		}
		for k := 1; k+1 < len(a); k++ {
			before = append(before, triangle{a[0], a[k], a[k+1]})
		}
		for k := 1; k+1 < len(b); k++ {
			behind = append(behind, triangle{b[0], b[k], b[k+1]})
		}
	}
	return before, behind
}
