// Package sunlit knows where the sun reaches what a picture is lit by: in a room the patch of floor behind the window.
// Light that comes from there by a detour is looked for there, not all around. Lengths are metres.
package sunlit

import (
	"cmp"
	"math"
	"slices"

	"visator/core/geom"
)

// Note is a place that the sun reaches, and how much a picture made of it.
type Note struct {
	P      geom.V
	Weight float64
}

// Area is a plane that faces the sun, divided into rectangles: each is as likely to be chosen as what was noted behind
// it counts. (So rays are guided by histograms that divide where much is found: Jensen, Importance Driven Path Tracing
// using the Photon Map, 1995, and many since.)
type Area struct {
	to, t, b geom.V // to the middle of the sun, and along the plane
	at       float64
	cells    []cell
}

// cell is a rectangle of the plane.
type cell struct {
	lo, hi [2]float64
	axis   int
	cut    float64
	left   int32   // the second one is next to it; 0: it is not divided
	chance float64 // of it, among all
}

// Limits of the division.
const (
	leastNotes = 48   // fewer tell nothing
	fewNotes   = 6    // so many are not divided
	narrow     = 0.02 // metres; nothing is divided below
	ahead      = 0.25 // metres between what was noted and where rays begin
	border     = 0.05 // of the whole, beyond what was noted
	even       = 0.2  // of the chance goes by area
)

// Learn is the area before places in the light of a sun, or nil where there are too few.
func Learn(to geom.V, notes []Note) *Area {
	a := &Area{to: to, at: math.Inf(-1)}
	a.t, a.b = geom.Frame(to)
	list := make([]spot, 0, len(notes))
	whole := cell{lo: [2]float64{math.Inf(1), math.Inf(1)}, hi: [2]float64{math.Inf(-1), math.Inf(-1)}}
	for _, n := range notes {
		if !(n.Weight > 0) || math.IsInf(n.Weight, 0) || !n.P.Finite() {
			continue
		}
		s := spot{[2]float64{n.P.Dot(a.t), n.P.Dot(a.b)}, n.Weight}
		for k := range 2 {
			whole.lo[k], whole.hi[k] = min(whole.lo[k], s.at[k]), max(whole.hi[k], s.at[k])
		}
		a.at = max(a.at, n.P.Dot(to)+ahead)
		list = append(list, s)
	}
	if len(list) < leastNotes {
		return nil
	}
	for k := range 2 {
		more := border*(whole.hi[k]-whole.lo[k]) + narrow
		whole.lo[k], whole.hi[k] = whole.lo[k]-more, whole.hi[k]+more
	}
	if size := whole.size(); !(size > 0) || math.IsInf(size, 0) || math.IsInf(a.at, 0) {
		return nil
	}
	a.cells = append(a.cells, whole)
	a.divide(0, list)
	sum := 0.0
	for i := range a.cells {
		if a.cells[i].left == 0 {
			sum += a.cells[i].chance
		}
	}
	if !(sum > 0) || math.IsInf(sum, 0) {
		return nil
	}
	for i := range a.cells {
		if c := &a.cells[i]; c.left == 0 {
			c.chance = (1-even)*c.chance/sum + even*c.size()/whole.size()
		}
	}
	a.add(0)
	return a
}

type spot struct {
	at     [2]float64
	weight float64
}

func (c *cell) size() float64 { return (c.hi[0] - c.lo[0]) * (c.hi[1] - c.lo[1]) }

// divide divides a cell where half of what is in it lies on each side.
func (a *Area) divide(i int, list []spot) {
	c := a.cells[i]
	for _, s := range list {
		c.chance += s.weight
	}
	if c.axis = 0; c.hi[1]-c.lo[1] > c.hi[0]-c.lo[0] {
		c.axis = 1
	}
	a.cells[i] = c
	if len(list) <= fewNotes || c.hi[c.axis]-c.lo[c.axis] < 2*narrow {
		return
	}
	slices.SortFunc(list, func(p, q spot) int { return cmp.Compare(p.at[c.axis], q.at[c.axis]) })
	k := len(list) / 2
	c.cut = (list[k-1].at[c.axis] + list[k].at[c.axis]) / 2
	c.cut = min(max(c.cut, c.lo[c.axis]+narrow), c.hi[c.axis]-narrow)
	for k = 0; k < len(list) && list[k].at[c.axis] < c.cut; {
		k++
	}
	l, r := c, c
	l.hi[c.axis], r.lo[c.axis] = c.cut, c.cut
	l.chance, r.chance = 0, 0
	c.left = int32(len(a.cells))
	a.cells[i] = c
	a.cells = append(a.cells, l, r)
	a.divide(int(c.left), list[:k])
	a.divide(int(c.left)+1, list[k:])
}

// add sums up the chances of what a cell is divided into.
func (a *Area) add(i int) float64 {
	c := &a.cells[i]
	if c.left > 0 {
		c.chance = a.add(int(c.left)) + a.add(int(c.left)+1)
	}
	return c.chance
}

// Begin is where a ray from the sun begins, for numbers u and v in [0, 1).
func (a *Area) Begin(u, v float64) geom.V {
	c := &a.cells[0]
	for c.left > 0 {
		l := &a.cells[c.left]
		if share := l.chance / c.chance; u < share {
			c, u = l, u/share
		} else {
			c, u = &a.cells[c.left+1], (u-share)/(1-share)
		}
	}
	x := c.lo[0] + (c.hi[0]-c.lo[0])*min(u, 1)
	y := c.lo[1] + (c.hi[1]-c.lo[1])*v
	return a.t.Mul(x).Add(a.b.Mul(y)).Add(a.to.Mul(a.at))
}

// Density is how likely a ray from the sun along -d meets a place of a surface with the normal n, if nothing is in its
// way, per square metre of it; 0 where none would.
func (a *Area) Density(p, n, d geom.V) float64 {
	facing := d.Dot(a.to)
	below := a.at - p.Dot(a.to)
	if !(below > 0) || !(facing > 0.5) {
		return 0
	}
	q := p.Add(d.Mul(below / facing))
	at := [2]float64{q.Dot(a.t), q.Dot(a.b)}
	c := &a.cells[0]
	for k := range 2 {
		if at[k] < c.lo[k] || at[k] >= c.hi[k] {
			return 0
		}
	}
	for c.left > 0 {
		if at[c.axis] < c.cut {
			c = &a.cells[c.left]
		} else {
			c = &a.cells[c.left+1]
		}
	}
	return c.chance / c.size() * math.Abs(n.Dot(d)) / facing
}
