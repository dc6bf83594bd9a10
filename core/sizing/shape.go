package sizing

import (
	"math"

	"visator/core/geom"
	"visator/core/model"
)

// Shape is what a model's form says about which way is up: nothing in it
// depends on its size. Axes are those of the file, in the order x, y, z.
type Shape struct {
	Centre   [3]float64 // of the surface, within the bounds, 0 to 1
	Low      [3]foot    // what would touch the ground with this axis up
	High     [3]foot    // what would, upside down
	Mirrored [3]float64 // how much of it is where its mirror image is, 0 to 1
	Turned   [3]float64 // how much of it is where it is after a quarter turn, 0 to 1; 0 where its sides differ
	// how far above its lowest point it would rest with this axis up, in units of the file: roots and
	// bolts lie below
	Rest  [3]float64
	Known bool // there was a surface to look at
}

// foot is the part of a model at one end of an axis.
type foot struct {
	Spread  float64 // its rectangle, as a share of the rectangle of the whole
	Carries bool    // the centre stands over it
}

const (
	cells    = 20     // of the grid that mirror images are compared in, along each axis
	soleSize = 0.02   // how much of the height counts as touching the ground
	sampled  = 50_000 // triangles looked at, of a model of more
)

// looker gathers the shape of a model.
type looker struct {
	box       geom.Box
	size, per [3]float64 // the extents, and one over them
	sum       geom.V
	area      float64
	grid      []bool
	low, high [3]geom.Box         // within the bounds, 0 to 1
	below     [3][heights]float64 // area that faces down, by height
	sole      [3][heights]float64 // the same, times the height, 0 to 1
	all       [3][heights]float64 // all area, by height
}

// heights is into how many heights a model is cut to find the plane on which it
// rests.
const heights = 200

// ShapeOf looks at a model. box is its bounds in the coordinates of the file.
func ShapeOf(m *model.Model, box geom.Box) Shape {
	l := &looker{box: box, grid: make([]bool, cells*cells*cells)}
	size := box.Size()
	l.size = [3]float64{size.X, size.Y, size.Z}
	for a := range 3 {
		l.low[a], l.high[a] = geom.Empty(), geom.Empty()
		if l.size[a] > 1e-300 {
			l.per[a] = 1 / l.size[a]
		}
	}
	total := m.Weigh().Triangles
	step := 3 * max(int(total)/sampled, 1)
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Mesh == model.None {
			return
		}
		for i := range m.Meshes[n.Mesh].Parts {
			if p := &m.Meshes[n.Mesh].Parts[i]; p.Kind == model.Triangles {
				l.look(p, &world, step)
			}
		}
	})
	if l.area <= 0 || box.IsEmpty() {
		return Shape{}
	}
	return l.shape()
}

// within are the coordinates of a point in the bounds, 0 to 1; 0.5 along an
// axis in which the model is flat.
func (l *looker) within(p geom.V) (out [3]float64) {
	q := p.Sub(l.box.Min)
	for a, v := range [3]float64{q.X, q.Y, q.Z} {
		out[a] = 0.5
		if l.per[a] > 0 {
			out[a] = min(max(v*l.per[a], 0), 1)
		}
	}
	return out
}

func (l *looker) look(p *model.Part, world *geom.M, step int) {
	for t := 0; t+2 < len(p.Indices); t += step {
		a, b, c := world.Point(p.Position(p.Indices[t])), world.Point(p.Position(p.Indices[t+1])),
			world.Point(p.Position(p.Indices[t+2]))
		area := b.Sub(a).Cross(c.Sub(a)).Len() / 2
		if !(area > 0) || math.IsInf(area, 0) {
			continue
		}
		l.area += area
		l.sum = l.sum.Add(a.Add(b).Add(c).Mul(area / 3))
		u, v, w := l.within(a), l.within(b), l.within(c)
		n := b.Sub(a).Cross(c.Sub(a)).Mul(0.5 / area)
		for k, down := range [3]float64{-n.X, -n.Y, -n.Z} {
			middle := (u[k] + v[k] + w[k]) / 3
			h := min(int(middle*heights), heights-1)
			l.all[k][h] += area
			if down > 0.95 {
				l.below[k][h] += area
				l.sole[k][h] += area * middle
			}
		}
		l.touch(&u)
		l.touch(&v)
		l.touch(&w)
		l.fill(&u, &v, &w)
	}
}

func (l *looker) touch(q *[3]float64) {
	v := geom.V{X: q[0], Y: q[1], Z: q[2]}
	for a := range 3 {
		if q[a] <= soleSize {
			l.low[a] = l.low[a].Add(v)
		}
		if q[a] >= 1-soleSize {
			l.high[a] = l.high[a].Add(v)
		}
	}
}

// fill marks the cells that a triangle passes through, as finely as the grid
// asks for.
func (l *looker) fill(u, v, w *[3]float64) {
	span := 0.0
	for k := range 3 {
		span = max(span, math.Abs(u[k]-v[k]), math.Abs(u[k]-w[k]), math.Abs(v[k]-w[k]))
	}
	n := min(int(span*cells*1.5), 2*cells) // of a small one its first corner will do
	for i := 0; i <= n; i++ {
		for j := 0; i+j <= n; j++ {
			s, t := float64(i)/float64(max(n, 1)), float64(j)/float64(max(n, 1))
			at := 0
			for k := range 3 {
				x := u[k] + (v[k]-u[k])*s + (w[k]-u[k])*t
				at = at*cells + min(int(x*cells), cells-1)
			}
			l.grid[at] = true
		}
	}
}

func (l *looker) shape() Shape {
	s := Shape{Known: true, Centre: l.within(l.sum.Mul(1 / l.area))}
	for a := range 3 {
		s.Low[a], s.High[a] = s.footOf(l.low[a], a), s.footOf(l.high[a], a)
		s.Rest[a] = l.rest(a)
	}
	var same, all, turned [3]int
	for x := range cells {
		for y := range cells {
			for z := range cells {
				if !l.grid[(x*cells+y)*cells+z] {
					continue
				}
				for a, at := range [3]int{((cells-1-x)*cells+y)*cells + z, (x*cells+cells-1-y)*cells + z,
					(x*cells+y)*cells + cells - 1 - z} {
					all[a]++
					if l.grid[at] {
						same[a]++
					}
				}
				for a, at := range [3]int{(x*cells+z)*cells + cells - 1 - y, (z*cells+y)*cells + cells - 1 - x,
					(y*cells+cells-1-x)*cells + z} {
					if l.grid[at] {
						turned[a]++
					}
				}
			}
		}
	}
	for a := range 3 {
		s.Mirrored[a] = float64(same[a]) / float64(max(all[a], 1))
		if u, v := l.size[(a+1)%3], l.size[(a+2)%3]; math.Abs(u-v) < 0.01*max(u, v) {
			s.Turned[a] = float64(turned[a]) / float64(max(all[a], 1))
		}
	}
	return s
}

// rest is the height above the lowest point of the widest plane that faces down
// in the lowest sixth, if less than a tenth of the model's surface lies below it
// and it is wider than all that faces down there; else 0.
func (l *looker) rest(a int) float64 {
	const least = 2 // heights: less than a hundredth is no more than unevenness
	best, under := 0, 0.0
	for h := range heights / 6 {
		if l.below[a][h] > l.below[a][best] {
			best = h
		}
	}
	lower := 0.0
	for h := range best {
		under += l.all[a][h]
		lower += l.below[a][h]
	}
	if best < least || under > 0.1*l.area || lower > 0.5*l.below[a][best] || l.below[a][best] < 0.01*l.area {
		return 0
	}
	return l.sole[a][best] / l.below[a][best] * l.size[a]
}

// footOf is the foot that a box within the bounds makes with axis a up.
func (s *Shape) footOf(b geom.Box, a int) foot {
	if b.IsEmpty() {
		return foot{}
	}
	lo, hi := [3]float64{b.Min.X, b.Min.Y, b.Min.Z}, [3]float64{b.Max.X, b.Max.Y, b.Max.Z}
	f := foot{Spread: 1, Carries: true}
	for k := range 3 {
		if k != a {
			f.Spread *= hi[k] - lo[k]
			f.Carries = f.Carries && s.Centre[k] >= lo[k]-0.02 && s.Centre[k] <= hi[k]+0.02
		}
	}
	return f
}

// Upright is the logarithm of how much likelier the shape is with axis a up
// than with any axis: things stand on a foot that carries them and is no
// smaller than their top, are heavier below, are their own mirror image from
// left to right rather than from top to bottom, and what is turned on a lathe
// stands on its axis. The weights are the makers' judgement, checked by the
// tests of the proposals.
func (s *Shape) Upright(a int) float64 {
	if !s.Known {
		return 0
	}
	b, c := (a+1)%3, (a+2)%3
	v := 0.0
	if s.Low[a].Carries {
		v += 0.8 + min(s.Low[a].Spread/0.3, 1) // on an edge or a point nothing stands
	}
	v += math.Sqrt(s.Low[a].Spread) - math.Sqrt(s.High[a].Spread)
	v += 1.5 * (0.5 - s.Centre[a])
	v += 2 * ((s.Mirrored[b]+s.Mirrored[c])/2 - s.Mirrored[a])
	v += 3 * s.Turned[a]
	return v
}

// RestWith is Rest with an axis up.
func (s *Shape) RestWith(up model.Axis) float64 {
	for a, name := range axes {
		if name == up {
			return s.Rest[a]
		}
	}
	return 0
}
