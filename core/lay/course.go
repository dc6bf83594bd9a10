package lay

import (
	"math"
	"sort"
)

// course is a line on the plan that can be walked along by its length.
type course struct {
	points []P
	at     []float64 // how far along each point lies
	closed bool
}

// newCourse is the line through points; a smooth one goes through them as a
// centripetal Catmull-Rom curve, which makes no loops and no cusps (Yuksel,
// Schaefer and Keyser, Parameterization and Applications of Catmull-Rom Curves,
// 2011).
func newCourse(points []P, smooth, closed bool) *course {
	c := &course{closed: closed}
	if smooth && len(points) > 2 {
		points = smoothed(points, closed)
	}
	if closed {
		points = append(append([]P{}, points...), points[0])
	}
	for _, p := range points {
		if n := len(c.points); n > 0 {
			d := p.sub(c.points[n-1]).len()
			if d < 1e-9 {
				continue
			}
			c.at = append(c.at, c.at[n-1]+d)
		} else {
			c.at = append(c.at, 0)
		}
		c.points = append(c.points, p)
	}
	return c
}

// steps is how many pieces of a smooth line lie between two of its points: its
// corners are then of some degrees.
const steps = 12

func smoothed(p []P, closed bool) (out []P) {
	n := len(p)
	get := func(i int) P {
		switch {
		case closed:
			return p[(i+n)%n]
		case i < 0:
			return p[0].mul(2).sub(p[1])
		case i >= n:
			return p[n-1].mul(2).sub(p[n-2])
		}
		return p[i]
	}
	spans := n - 1
	if closed {
		spans = n
	}
	for i := range spans {
		a, b, c, d := get(i-1), get(i), get(i+1), get(i+2)
		ta := 0.0
		tb := ta + max(math.Sqrt(b.sub(a).len()), 1e-6)
		tc := tb + max(math.Sqrt(c.sub(b).len()), 1e-6)
		td := tc + max(math.Sqrt(d.sub(c).len()), 1e-6)
		for k := range steps {
			t := tb + (tc-tb)*float64(k)/steps
			mix := func(p, q P, from, to float64) P {
				return p.mul((to - t) / (to - from)).add(q.mul((t - from) / (to - from)))
			}
			a1, a2, a3 := mix(a, b, ta, tb), mix(b, c, tb, tc), mix(c, d, tc, td)
			out = append(out, mix(mix(a1, a2, ta, tc), mix(a2, a3, tb, td), tb, tc))
		}
	}
	if !closed {
		out = append(out, p[n-1])
	}
	return out
}

func (c *course) length() float64 {
	if len(c.at) == 0 {
		return 0
	}
	return c.at[len(c.at)-1]
}

// walk is the place s along, and the direction there.
func (c *course) walk(s float64) (p, dir P) {
	if len(c.points) < 2 {
		return c.points[0], P{X: 1}
	}
	i := sort.SearchFloat64s(c.at, s)
	i = min(max(i, 1), len(c.points)-1)
	a, b := c.points[i-1], c.points[i]
	t := (s - c.at[i-1]) / (c.at[i] - c.at[i-1])
	return a.lerp(b, min(max(t, 0), 1)), b.sub(a).unit()
}

// foot is the place of the line that is nearest to p: how far along it lies, how
// far p is from it, on the right above 0.
func (c *course) foot(p P) (along, aside float64) {
	best := math.Inf(1)
	for i := 0; i+1 < len(c.points); i++ {
		a, b := c.points[i], c.points[i+1]
		n := nearest(a, b, p)
		if d := p.sub(n).len(); d < best {
			best = d
			along = c.at[i] + n.sub(a).len()
			aside = math.Copysign(d, b.sub(a).cross(p.sub(a)))
		}
	}
	return along, aside
}
