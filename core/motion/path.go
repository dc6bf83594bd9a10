package motion

import (
	"errors"
	"math"
	"sort"

	"visator/core/geom"
)

// Path is a way through space, at one speed when it is asked by its length.
type Path struct {
	points []geom.V
	along  []float64 // length up to each point
}

// maxPoints bounds a drawn path.
const maxPoints = 1000

// steps is into how many pieces a curve between two drawn points is cut: the
// error of its length is below a thousandth.
const steps = 32

// maxPlace is how far from the set's middle anything lies, in metres.
const maxPlace = 1e7

// maxSeconds is how long anything takes: more than a week, frame by frame more than
// a move may have.
const maxSeconds = 1e6

// NewPath is the way through points: straight from one to the next, or along a
// centripetal Catmull-Rom curve through all of them, which makes no loops where
// they lie unevenly (C. Yuksel and others, On the Parameterization of
// Catmull-Rom Curves, 2009).
func NewPath(points []geom.V, smooth bool) (*Path, error) {
	if len(points) > maxPoints {
		return nil, errors.New("a path has at most 1000 points")
	}
	var list []geom.V
	for _, p := range points {
		if !p.Finite() || p.Len() > maxPlace {
			return nil, errors.New("a point of the path is nowhere: give its place in metres, at most 10000 km from " +
				"the middle")
		}
		if len(list) == 0 || p.Sub(list[len(list)-1]).Len() > 1e-9 {
			list = append(list, p)
		}
	}
	if len(list) < 2 {
		return nil, errors.New("a path has two points or more, at different places")
	}
	p := &Path{}
	if !smooth || len(list) == 2 {
		p.points = list
	} else {
		p.points = append(p.points, list[0])
		for i := 0; i+1 < len(list); i++ {
			b, c := list[i], list[i+1]
			a, d := b.Add(b.Sub(c)), c.Add(c.Sub(b)) // beyond the ends it goes on straight
			if i > 0 {
				a = list[i-1]
			}
			if i+2 < len(list) {
				d = list[i+2]
			}
			for k := 1; k <= steps; k++ {
				p.points = append(p.points, catmullRom(a, b, c, d, float64(k)/steps))
			}
		}
	}
	p.along = make([]float64, len(p.points))
	for i := 1; i < len(p.points); i++ {
		p.along[i] = p.along[i-1] + p.points[i].Sub(p.points[i-1]).Len()
	}
	return p, nil
}

// catmullRom is the point at share u between b and c, by the pyramid of Barry
// and Goldman with knots at the square roots of the distances.
func catmullRom(a, b, c, d geom.V, u float64) geom.V {
	t1 := math.Sqrt(b.Sub(a).Len())
	t2 := t1 + math.Sqrt(c.Sub(b).Len())
	t3 := t2 + math.Sqrt(d.Sub(c).Len())
	t := t1 + u*(t2-t1)
	mix := func(p, q geom.V, s, e float64) geom.V { return p.Mul((e - t) / (e - s)).Add(q.Mul((t - s) / (e - s))) }
	ab, bc, cd := mix(a, b, 0, t1), mix(b, c, t1, t2), mix(c, d, t2, t3)
	return mix(mix(ab, bc, 0, t2), mix(bc, cd, t1, t3), t1, t2)
}

// Length is how long the way is, in metres.
func (p *Path) Length() float64 { return p.along[len(p.along)-1] }

// At is the place at a share of the way, with the direction there, of length
// one. Before its beginning and after its end it goes on straight.
func (p *Path) At(share float64) (at, ahead geom.V) {
	s := share * p.Length()
	i := sort.SearchFloat64s(p.along, s)
	i = min(max(i, 1), len(p.points)-1)
	a, b := p.points[i-1], p.points[i]
	d := p.along[i] - p.along[i-1]
	ahead = b.Sub(a).Unit()
	return a.Add(ahead.Mul(s - p.along[i-1])), smoothHeading(p, i, (s-p.along[i-1])/d, ahead)
}

// smoothHeading turns evenly from piece to piece of a curve.
func smoothHeading(p *Path, i int, u float64, ahead geom.V) geom.V {
	if len(p.points) < 2*steps {
		return ahead
	}
	turn := func(i int) geom.V { // at point i
		a, b := p.points[max(i-1, 0)], p.points[min(i+1, len(p.points)-1)]
		return b.Sub(a).Unit()
	}
	h := turn(i-1).Lerp(turn(i), min(max(u, 0), 1))
	if h.Len() < 1e-9 {
		return ahead
	}
	return h.Unit()
}
