package contact

import (
	"math"
	"slices"

	"visator/core/geom"
)

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
		na, nb := a.node(at.a), b.node(at.b)
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
			for i := range na.count {
				for k, v := range a.triangle(na.first + i) {
					ta[i][k] = ma.Point(a.point(v))
				}
			}
			for i := range nb.count {
				for k, v := range b.triangle(nb.first + i) {
					tb[i][k] = mb.Point(b.point(v))
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
func (p *Placed) some() geom.V { return p.World.Point(p.point(p.triangle(0)[0])) }

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
		na, nb := a.node(at.a), b.node(at.b)
		ba, bb := na.under(&ma), nb.under(&mb)
		if !ba.Meets(&bb, reach) {
			continue
		}
		switch {
		case na.count > 0 && nb.count > 0:
			for i := range nb.count {
				t := b.triangle(nb.first + i)
				tb := [3]geom.V{mb.Point(b.point(t[0])), mb.Point(b.point(t[1])), mb.Point(b.point(t[2]))}
				for j := range na.count {
					s := a.triangle(na.first + j)
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
