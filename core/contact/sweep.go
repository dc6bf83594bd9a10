package contact

import (
	"math"
	"slices"

	"visator/core/geom"
)

// Placed is a body where it stands.
type Placed struct {
	*Body
	World geom.M
	Box   geom.Box // in the set
	inv   geom.M
	herd  *Herd // of many that stand as one; then the body has its box alone
}

// Place stands a body; a transform that flattens it, or a nil body, gives nil.
func Place(b *Body, world geom.M) *Placed {
	if b == nil {
		return nil
	}
	inv, ok := world.Affine()
	if !ok || !world.Finite() {
		return nil
	}
	p := &Placed{Body: b, World: world, inv: inv}
	p.Box = p.bounds()
	return p
}

// bounds is the box about the placed points: exact, by the tree, whose boxes
// beyond what was found already are passed over.
func (p *Placed) bounds() geom.Box {
	out := geom.Empty()
	var room [64]int32
	stack := append(room[:0], 0)
	for len(stack) > 0 {
		n := &p.nodes[stack[len(stack)-1]]
		stack = stack[:len(stack)-1]
		b := n.under(&p.World)
		if b.Min.X >= out.Min.X && b.Min.Y >= out.Min.Y && b.Min.Z >= out.Min.Z && b.Max.X <= out.Max.X &&
			b.Max.Y <= out.Max.Y && b.Max.Z <= out.Max.Z {
			continue
		}
		if n.count == 0 {
			stack = append(stack, n.first, n.first+1)
			continue
		}
		for _, t := range p.triangles[n.first : n.first+n.count] {
			for _, i := range t {
				out = out.Add(p.World.Point(p.point(i)))
			}
		}
	}
	return out
}

// under is the box about a transformed box (Arvo, Transforming Axis-Aligned
// Bounding Boxes, Graphics Gems, 1990).
func (n *node) under(m *geom.M) geom.Box {
	var c, h [3]float64
	for k := range 3 {
		c[k], h[k] = (float64(n.lo[k])+float64(n.hi[k]))/2, (float64(n.hi[k])-float64(n.lo[k]))/2
	}
	x, y, z := m[0]*c[0]+m[4]*c[1]+m[8]*c[2]+m[12], m[1]*c[0]+m[5]*c[1]+m[9]*c[2]+m[13],
		m[2]*c[0]+m[6]*c[1]+m[10]*c[2]+m[14]
	a := math.Abs(m[0])*h[0] + math.Abs(m[4])*h[1] + math.Abs(m[8])*h[2]
	b := math.Abs(m[1])*h[0] + math.Abs(m[5])*h[1] + math.Abs(m[9])*h[2]
	d := math.Abs(m[2])*h[0] + math.Abs(m[6])*h[1] + math.Abs(m[10])*h[2]
	return geom.Box{Min: geom.V{X: x - a, Y: y - b, Z: z - d}, Max: geom.V{X: x + a, Y: y + b, Z: z + d}}
}

// Moved is the body moved by d.
func (p *Placed) Moved(d geom.V) *Placed {
	q := *p
	q.World[12], q.World[13], q.World[14] = q.World[12]+d.X, q.World[13]+d.Y, q.World[14]+d.Z
	q.inv, _ = q.World.Affine()
	q.Box = geom.Box{Min: p.Box.Min.Add(d), Max: p.Box.Max.Add(d)}
	return &q
}

// Mass is the centre of mass in the set.
func (p *Placed) Mass() geom.V { return p.World.Point(p.Center) }

// Ray is where a ray meets the body, as Body.Ray, in the set.
func (p *Placed) Ray(o, d geom.V, limit float64) (float64, geom.V, bool) {
	if near, ok := p.Box.Hit(o, d); !ok || near > limit {
		return limit, geom.V{}, false
	}
	return p.Meet(o, d, limit)
}

// Meet is Ray for who knows that the ray enters the body's box.
func (p *Placed) Meet(o, d geom.V, limit float64) (float64, geom.V, bool) {
	ray := p.Body.Ray
	if p.herd != nil {
		ray = p.herd.meet
	}
	t, n, ok := ray(p.inv.Point(o), p.inv.Dir(d), limit)
	if !ok {
		return t, n, false
	}
	return t, p.inv.NormalDir(n).Unit(), true
}

// Within reports whether a point of the set lies inside.
func (p *Placed) Within(q geom.V) bool {
	if p.herd != nil {
		return p.herd.within(p.inv.Point(q))
	}
	return p.Inside(p.inv.Point(q))
}

// along is the turn that brings direction d, of length one, to the third axis.
func along(d geom.V) geom.M {
	t, s := geom.Frame(d)
	return geom.M{t.X, s.X, d.X, 0, t.Y, s.Y, d.Y, 0, t.Z, s.Z, d.Z, 0, 0, 0, 0, 1}
}

// touch is a place where two triangles touch when the first is moved by t.
type touch struct {
	t float64
	p geom.V // on the second, in the turned space
}

// sweep tells, for pairs of triangles of a and b that touch when a is moved by
// some t in from..to along d, the lowest and the highest such t. met returns
// the range that is still of interest.
func sweep(a, b *Placed, turn *geom.M, from, to float64, met func(lo, hi touch) (from, to float64)) {
	work := math.MaxInt
	sweepFor(a, b, turn, from, to, &work, met)
}

// sweepFor is sweep for so much work, in pairs of triangles that are looked at; work
// is what is left of it, and nothing when it was cut short.
func sweepFor(a, b *Placed, turn *geom.M, from, to float64, work *int, met func(lo, hi touch) (from, to float64)) {
	type pair struct{ a, b int32 }
	ma, mb := turn.Mul(a.World), turn.Mul(b.World)
	var room [128]pair
	stack := append(room[:0], pair{0, 0})
	var ta, tb [leafSize][3]geom.V
	for len(stack) > 0 {
		at := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		na, nb := &a.nodes[at.a], &b.nodes[at.b]
		ba, bb := na.under(&ma), nb.under(&mb)
		if ba.Max.X < bb.Min.X || ba.Min.X > bb.Max.X || ba.Max.Y < bb.Min.Y || ba.Min.Y > bb.Max.Y ||
			bb.Max.Z-ba.Min.Z < from || bb.Min.Z-ba.Max.Z > to {
			continue
		}
		switch {
		case na.count > 0 && nb.count > 0:
			if *work -= int(na.count * nb.count); *work <= 0 {
				*work = 0
				return
			}
			for i, t := range a.triangles[na.first : na.first+na.count] {
				for k := range t {
					ta[i][k] = ma.Point(a.point(t[k]))
				}
			}
			for i, t := range b.triangles[nb.first : nb.first+nb.count] {
				for k := range t {
					tb[i][k] = mb.Point(b.point(t[k]))
				}
			}
			for i := range na.count {
				for j := range nb.count {
					if lo, hi, ok := span(&ta[i], &tb[j]); ok && hi.t >= from && lo.t <= to {
						from, to = met(lo, hi)
					}
				}
			}
		case nb.count > 0 || na.count == 0 && larger(&ba, &bb):
			stack = append(stack, pair{na.first, at.b}, pair{na.first + 1, at.b})
		default:
			stack = append(stack, pair{at.a, nb.first}, pair{at.a, nb.first + 1})
		}
	}
}

func larger(a, b *geom.Box) bool {
	s, t := a.Max.Sub(a.Min), b.Max.Sub(b.Min)
	return s.X+s.Y+s.Z >= t.X+t.Y+t.Z
}

// span is for which moves along the third axis the triangle a touches b. Where
// their projections overlap, the way from a to b is linear: its extremes are at
// the corners of the overlap, which are corners of the one within the other and
// crossings of their edges.
func span(a, b *[3]geom.V) (lo, hi touch, ok bool) {
	if max(a[0].X, a[1].X, a[2].X) < min(b[0].X, b[1].X, b[2].X) || min(a[0].X, a[1].X, a[2].X) > max(b[0].X, b[1].X,
		b[2].X) ||
		max(a[0].Y, a[1].Y, a[2].Y) < min(b[0].Y, b[1].Y, b[2].Y) || min(a[0].Y, a[1].Y, a[2].Y) > max(b[0].Y, b[1].Y,
		b[2].Y) {
		return lo, hi, false
	}
	lo.t, hi.t = math.Inf(1), math.Inf(-1)
	put := func(t float64, p geom.V) {
		if t < lo.t {
			lo = touch{t, p}
		}
		if t > hi.t {
			hi = touch{t, p}
		}
	}
	for i := range 3 {
		if h, in := over(a[i].X, a[i].Y, b); in {
			put(h-a[i].Z, geom.V{X: a[i].X, Y: a[i].Y, Z: h})
		}
		if h, in := over(b[i].X, b[i].Y, a); in {
			put(b[i].Z-h, b[i])
		}
	}
	for i := range 3 {
		p, q := &a[i], &a[(i+1)%3]
		px, py := q.X-p.X, q.Y-p.Y
		for j := range 3 {
			r, s := &b[j], &b[(j+1)%3]
			rx, ry := s.X-r.X, s.Y-r.Y
			det := px*ry - py*rx
			if det == 0 {
				continue
			}
			dx, dy := r.X-p.X, r.Y-p.Y
			u, v := (dx*ry-dy*rx)/det, (dx*py-dy*px)/det
			if u < 0 || u > 1 || v < 0 || v > 1 {
				continue
			}
			h := r.Z + v*(s.Z-r.Z)
			put(h-(p.Z+u*(q.Z-p.Z)), geom.V{X: r.X + v*rx, Y: r.Y + v*ry, Z: h})
		}
	}
	return lo, hi, lo.t <= hi.t
}

// over is the third coordinate of the triangle's plane at x, y, where that lies
// within the triangle's projection.
func over(x, y float64, t *[3]geom.V) (h float64, in bool) {
	a := (t[1].X-x)*(t[2].Y-y) - (t[1].Y-y)*(t[2].X-x)
	b := (t[2].X-x)*(t[0].Y-y) - (t[2].Y-y)*(t[0].X-x)
	c := (t[0].X-x)*(t[1].Y-y) - (t[0].Y-y)*(t[1].X-x)
	if (a < 0 || b < 0 || c < 0) && (a > 0 || b > 0 || c > 0) {
		return 0, false
	}
	if sum := a + b + c; sum != 0 {
		return (a*t[0].Z + b*t[1].Z + c*t[2].Z) / sum, true
	}
	return 0, false
}

// First is how far a moves along d, of length one, until it first touches b, at
// most limit; 0 when they touch already. at is where on b.
func First(a, b *Placed, d geom.V, limit float64) (t float64, at geom.V, ok bool) {
	turn := along(d)
	t = limit
	sweep(a, b, &turn, 0, limit, func(lo, _ touch) (float64, float64) {
		if x := max(lo.t, 0); x <= t {
			t, at, ok = x, lo.p, true
		}
		return 0, t
	})
	if ok {
		at = turn.NormalDir(at) // a turn's inverse is its transpose
	}
	return t, at, ok
}

// upright is the direction in which surfaces are hardly ever seen on edge.
var upright = geom.V{Y: 1}

// Meet reports whether the surfaces of a and b have a point in common.
func Meet(a, b *Placed) bool {
	if !a.Box.Meets(&b.Box, 0) {
		return false
	}
	met, turn := false, along(upright)
	sweep(a, b, &turn, 0, 0, func(_, _ touch) (float64, float64) {
		met = true
		return math.Inf(1), math.Inf(-1) // nothing more is of interest
	})
	return met
}

// Overlap reports whether a and b reach into one another: their surfaces meet,
// or one lies within the other.
func Overlap(a, b *Placed) bool {
	return Meet(a, b) || a.Box.Meets(&b.Box, 0) && (b.Within(a.some()) || a.Within(b.some()))
}

// some is a point of the body's surface.
func (p *Placed) some() geom.V { return p.World.Point(p.point(p.triangles[0][0])) }

// Clear is how far a must move along d, of length one, to be out of all of
// others: 0 when it reaches into none; at most limit, and false when that is
// not far enough.
func Clear(a *Placed, others []*Placed, d geom.V, limit float64) (float64, bool) {
	work := math.MaxInt
	return clearFor(a, others, d, limit, &work)
}

// clearFor is Clear for so much work; false when that was not enough.
func clearFor(a *Placed, others []*Placed, d geom.V, limit float64, work *int) (float64, bool) {
	turn := along(d)
	type interval struct{ lo, hi float64 }
	var list []interval
	for _, b := range others {
		sweepFor(a, b, &turn, 0, limit, work, func(lo, hi touch) (float64, float64) {
			list = append(list, interval{lo.t, hi.t})
			return 0, limit
		})
	}
	if *work == 0 {
		return limit, false
	}
	slices.SortFunc(list, func(x, y interval) int {
		switch {
		case x.lo < y.lo:
			return -1
		case x.lo > y.lo:
			return 1
		}
		return 0
	})
	const skin = 1e-9
	t := 0.0
	within := func() bool {
		moved := a.Moved(d.Mul(t + skin))
		return slices.ContainsFunc(others, func(b *Placed) bool {
			return moved.Box.Meets(&b.Box, 0) && (b.Closed && b.Within(moved.some()) || a.Closed &&
				moved.Within(b.some()))
		})
	}
	for _, i := range list {
		if i.lo > t+skin && !within() {
			return t, true // free between what it left and what comes
		}
		t = max(t, i.hi)
	}
	return min(t, limit), t < limit && !within()
}

// Depth is how far a and b reach into one another: the shortest of the moves of
// a that set them apart, along up, the axes of both, the line of their centres
// and the mean direction of the surfaces that meet. It is the depth itself
// where one of these is the shortest way out, as for spheres, boxes and slabs;
// else a little more than it. out is that move; nothing when they do not meet.
func Depth(a, b *Placed) (depth float64, out geom.V) {
	depth, out, _ = DepthFor(a, b, DepthWork)
	return depth, out
}

// DepthWork is how many pairs of triangles Depth looks at: about a tenth of a second.
// Two fine bodies that stand in one another could take minutes.
const DepthWork = 500_000

// DepthFor is Depth for so much work, in pairs of triangles that are looked at; not
// whole when that was too little to search all directions: then the depth may be
// less than what was found.
func DepthFor(a, b *Placed, work int) (depth float64, out geom.V, whole bool) {
	if !Overlap(a, b) {
		return 0, geom.V{}, true
	}
	// Out of the other's box is out of it: no way is longer than that.
	depth = math.Inf(1)
	for k := range 3 {
		for _, t := range []float64{b.Box.Max.At(k) - a.Box.Min.At(k), b.Box.Min.At(k) - a.Box.Max.At(k)} {
			if math.Abs(t) < depth {
				depth, out = math.Abs(t), [3]geom.V{{X: t}, {Y: t}, {Z: t}}[k]
			}
		}
	}
	others := []*Placed{b}
	for _, d := range ways(a, b) {
		if t, ok := clearFor(a, others, d, depth, &work); ok && t < depth {
			depth, out = t, d.Mul(t)
		}
		if work == 0 {
			return depth, out, false
		}
	}
	return depth, out, true
}

// ways are the directions in which a may come free of b.
func ways(a, b *Placed) []geom.V {
	var list []geom.V
	add := func(d geom.V) {
		d = d.Unit()
		if d == (geom.V{}) || !d.Finite() ||
			slices.ContainsFunc(list, func(e geom.V) bool { return d.Dot(e) > 1-1e-9 }) {
			return
		}
		list = append(list, d)
	}
	// The likeliest first: what is found bounds the search along the others.
	var mean geom.V
	turn := along(upright)
	met := 0
	meetTriangles(a, b, &turn, func(n geom.V) bool {
		mean = mean.Add(n)
		met++
		return met < 1024 // a direction needs no more
	})
	add(mean)
	add(a.Mass().Sub(b.Mass()))
	add(geom.V{Y: 1})
	add(geom.V{Y: -1})
	for _, m := range []*geom.M{&a.World, &b.World} {
		for k := range 3 {
			d := geom.V{X: m[4*k], Y: m[4*k+1], Z: m[4*k+2]}
			add(d)
			add(d.Mul(-1))
		}
	}
	return list
}

// meetTriangles tells the outward normal of each triangle of b that meets one
// of a, while more is wanted.
func meetTriangles(a, b *Placed, turn *geom.M, more func(n geom.V) bool) {
	pairs(a, b, turn, 0, func(ta, tb *[3]geom.V, t [3]uint32) bool {
		lo, hi, ok := span(ta, tb)
		return !ok || lo.t > 0 || hi.t < 0 || more(b.inv.NormalDir(b.area(t)))
	})
}

// pairs tells triangles of a and b whose boxes come within reach of one another,
// in the turned space, while more are wanted; t are the corners of b's.
func pairs(a, b *Placed, turn *geom.M, reach float64, more func(ta, tb *[3]geom.V, t [3]uint32) bool) {
	ma, mb := turn.Mul(a.World), turn.Mul(b.World)
	type pair struct{ a, b int32 }
	var room [128]pair
	stack := append(room[:0], pair{0, 0})
	for len(stack) > 0 {
		at := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		na, nb := &a.nodes[at.a], &b.nodes[at.b]
		ba, bb := na.under(&ma), nb.under(&mb)
		if !ba.Meets(&bb, reach) {
			continue
		}
		switch {
		case na.count > 0 && nb.count > 0:
			for _, t := range b.triangles[nb.first : nb.first+nb.count] {
				tb := [3]geom.V{mb.Point(b.point(t[0])), mb.Point(b.point(t[1])), mb.Point(b.point(t[2]))}
				for _, s := range a.triangles[na.first : na.first+na.count] {
					ta := [3]geom.V{ma.Point(a.point(s[0])), ma.Point(a.point(s[1])), ma.Point(a.point(s[2]))}
					if !more(&ta, &tb, t) {
						return
					}
				}
			}
		case nb.count > 0 || na.count == 0 && larger(&ba, &bb):
			stack = append(stack, pair{na.first, at.b}, pair{na.first + 1, at.b})
		default:
			stack = append(stack, pair{at.a, nb.first}, pair{at.a, nb.first + 1})
		}
	}
}

// Flush is the area, in m², over which surfaces of a and b lie in one plane and
// face the same way, at most skin apart: there a picture cannot tell which is in
// front. What rests on another faces the other way and does not count. at is
// within the largest such place.
func Flush(a, b *Placed, skin float64) (area float64, at geom.V) {
	if !a.Box.Meets(&b.Box, skin) {
		return 0, at
	}
	most := 0.0
	pairs(a, b, &geom.Identity, skin, func(ta, tb *[3]geom.V, _ [3]uint32) bool {
		na, nb := normal(ta), normal(tb)
		if na.Dot(nb) < 1-1e-5 || na.Y < -0.99 {
			return true
		}
		for _, p := range ta {
			if math.Abs(p.Sub(tb[0]).Dot(nb)) > skin {
				return true
			}
		}
		x, mid := shared(ta, tb, nb)
		area += x
		if x > most {
			most, at = x, mid
		}
		return true
	})
	return area, at
}

func normal(t *[3]geom.V) geom.V { return t[1].Sub(t[0]).Cross(t[2].Sub(t[0])).Unit() }

// shared is the area that two triangles of one plane have in common, and its
// middle: a is cut by the sides of b (Sutherland and Hodgman, Reentrant Polygon
// Clipping, 1974).
func shared(a, b *[3]geom.V, n geom.V) (area float64, mid geom.V) {
	var room [9]geom.V
	list := append(room[:0], a[0], a[1], a[2])
	for i := range 3 {
		p := b[i]
		in := n.Cross(b[(i+1)%3].Sub(p))
		var next [9]geom.V
		out := next[:0]
		for k, q := range list {
			r := list[(k+1)%len(list)]
			x, y := q.Sub(p).Dot(in), r.Sub(p).Dot(in)
			if x >= 0 {
				out = append(out, q)
			}
			if (x >= 0) != (y >= 0) {
				out = append(out, q.Lerp(r, x/(x-y)))
			}
		}
		if len(out) < 3 {
			return 0, mid
		}
		list = append(room[:0], out...)
	}
	for k := 1; k+1 < len(list); k++ {
		area += list[k].Sub(list[0]).Cross(list[k+1].Sub(list[0])).Len() / 2
	}
	for _, p := range list {
		mid = mid.Add(p.Mul(1 / float64(len(list))))
	}
	return area, mid
}

// Shared is the volume that both a and b fill, in m³: columns through a grid of
// side cells over where their boxes overlap. 0 where one of them is open.
func Shared(a, b *Placed, side int) float64 {
	if !a.Closed || !b.Closed || !a.Box.Meets(&b.Box, 0) {
		return 0
	}
	lo := geom.V{X: max(a.Box.Min.X, b.Box.Min.X), Y: min(a.Box.Min.Y, b.Box.Min.Y) - 1,
		Z: max(a.Box.Min.Z, b.Box.Min.Z)}
	hi := geom.V{X: min(a.Box.Max.X, b.Box.Max.X), Z: min(a.Box.Max.Z, b.Box.Max.Z)}
	dx, dz := (hi.X-lo.X)/float64(side), (hi.Z-lo.Z)/float64(side)
	var sum float64
	var ta, tb []float64
	for i := range side {
		for j := range side {
			// Off the middle, where columns would run along the diagonals of squares.
			o := geom.V{X: lo.X + (float64(i)+0.4837)*dx, Y: lo.Y, Z: lo.Z + (float64(j)+0.5291)*dz}
			ta, tb = a.column(o, ta[:0]), b.column(o, tb[:0])
			for k := 0; k+1 < len(ta); k += 2 {
				for l := 0; l+1 < len(tb); l += 2 {
					sum += max(min(ta[k+1], tb[l+1])-max(ta[k], tb[l]), 0)
				}
			}
		}
	}
	return sum * dx * dz
}

// column lists where a line upwards from o goes in and out.
func (p *Placed) column(o geom.V, list []float64) []float64 {
	p.crossings(p.inv.Point(o), p.inv.Dir(geom.V{Y: 1}), func(t float64) { list = append(list, t) })
	slices.Sort(list)
	return list
}

// Near reports whether a touches b, or would when moved by reach along an axis.
func Near(a, b *Placed, reach float64) bool {
	if !a.Box.Meets(&b.Box, reach) {
		return false
	}
	for k := range 3 {
		var d geom.V
		switch k {
		case 0:
			d.Y = 1
		case 1:
			d.X = 1
		default:
			d.Z = 1
		}
		turn, met := along(d), false
		sweep(a, b, &turn, -reach, reach, func(_, _ touch) (float64, float64) {
			met = true
			return math.Inf(1), math.Inf(-1)
		})
		if met {
			return true
		}
	}
	return false
}

// Where is the middle of what the boxes of a and b share.
func Where(a, b *Placed) geom.V {
	at := geom.Box{Min: geom.V{X: max(a.Box.Min.X, b.Box.Min.X), Y: max(a.Box.Min.Y, b.Box.Min.Y),
		Z: max(a.Box.Min.Z, b.Box.Min.Z)},
		Max: geom.V{X: min(a.Box.Max.X, b.Box.Max.X), Y: min(a.Box.Max.Y, b.Box.Max.Y),
			Z: min(a.Box.Max.Z, b.Box.Max.Z)}}
	return at.Center()
}

// Stand is Place with a looser box, made of the body's own: enough where many
// copies are only looked at.
func Stand(b *Body, world geom.M) *Placed {
	if b == nil {
		return nil
	}
	inv, ok := world.Affine()
	if !ok || !world.Finite() {
		return nil
	}
	return &Placed{Body: b, World: world, inv: inv, Box: b.Box.Apply(world)}
}

// Reach visits the triangles of the body by its tree, in the space that to
// brings the set into. skip is asked for the middle and the half sizes of boxes
// in that space; what it skips is not visited.
func (p *Placed) Reach(to geom.M, skip func(c, h geom.V) bool, each func(tri [3]geom.V)) {
	if p.herd != nil {
		p.herd.reach(to.Mul(p.World), geom.V{Z: 1}, skip, each)
		return
	}
	p.Body.reach(to.Mul(p.World), skip, each)
}

// reach is Reach of a body; m brings its own space to where skip and each look.
func (b *Body) reach(m geom.M, skip func(c, h geom.V) bool, each func(tri [3]geom.V)) {
	var room [64]int32
	stack := append(room[:0], 0)
	for len(stack) > 0 {
		n := &b.nodes[stack[len(stack)-1]]
		stack = stack[:len(stack)-1]
		box := n.under(&m)
		if skip(box.Center(), box.Size().Mul(0.5)) {
			continue
		}
		if n.count == 0 {
			stack = append(stack, n.first, n.first+1)
			continue
		}
		for _, t := range b.triangles[n.first : n.first+n.count] {
			each([3]geom.V{m.Point(b.point(t[0])), m.Point(b.point(t[1])), m.Point(b.point(t[2]))})
		}
	}
}

// Outer is points of the body in the set that lie farthest out in many
// directions: its shape from afar, and never beyond it.
func (p *Placed) Outer() []geom.V {
	var out []geom.V
	seen := map[int]bool{}
	for i := range outerWays {
		best, at := math.Inf(-1), -1
		d := p.World.Dir(outerWays[i])
		local := geom.V{X: p.World.Dir(geom.V{X: 1}).Dot(d), Y: p.World.Dir(geom.V{Y: 1}).Dot(d),
			Z: p.World.Dir(geom.V{Z: 1}).Dot(d)}
		if p.herd != nil {
			out = append(out, p.World.Point(p.herd.outer(local)))
			continue
		}
		for k, q := range p.points {
			if s := local.X*float64(q[0]) + local.Y*float64(q[1]) + local.Z*float64(q[2]); s > best {
				best, at = s, k
			}
		}
		if at >= 0 && !seen[at] {
			seen[at] = true
			out = append(out, p.World.Point(p.point(uint32(at))))
		}
	}
	return out
}

// outerWays are directions spread evenly over the sphere (a Fibonacci lattice,
// R. Swinbank and R. J. Purser, 2006).
var outerWays = func() (list [96]geom.V) {
	for i := range list {
		y := 1 - (2*float64(i)+1)/float64(len(list))
		r := math.Sqrt(1 - y*y)
		sin, cos := math.Sincos(float64(i) * math.Pi * (3 - math.Sqrt(5)))
		list[i] = geom.V{X: r * cos, Y: y, Z: r * sin}
	}
	return list
}()
