package frame

import (
	"math"

	"visator/core/geom"
	"visator/core/optics"
)

// small is the share of its distance up to which a thing is measured by its box:
// what a box is too large by is below a handle's width on any drawing of it.
const small = 0.08

// Spans measures all things in a view: how far they reach and where they fall in
// the picture. Small ones are measured by their boxes, others by their
// triangles, and so is what the view's planes may cut.
func (s *Scene) Spans(v *optics.View) []optics.Span {
	out := make([]optics.Span, len(s.Things))
	to, tx, ty := v.Upright()
	const run = 64
	rows((len(out)+run-1)/run, func(k int) {
		for i := k * run; i < min((k+1)*run, len(out)); i++ {
			b := s.Things[i].Body
			if b == nil {
				out[i].Behind = true
				continue
			}
			c := to.Point(s.center[i])
			if d := -c.Z; d+s.radius[i] <= 0 {
				out[i].Behind = true
				continue
			}
			out[i] = v.SpanOf(b.Body.Box, b.World)
			if out[i].Seen && (s.radius[i] > small*-c.Z || out[i].Near < v.Near || out[i].Far > v.Far) {
				s.exact(i, to, tx, ty, &out[i])
			}
		}
	})
	return out
}

// exact brings a span to what is seen of a thing's triangles.
func (s *Scene) exact(i int, to geom.M, tx, ty float64, span *optics.Span) {
	n := optics.Span{Near: math.Inf(1), Far: math.Inf(-1), Left: 1, Top: 1, Seen: true}
	var poly, room [12]geom.V
	s.Things[i].Body.Reach(to, func(c, h geom.V) bool {
		d := -c.Z
		reachX, reachY := h.X+tx*h.Z, h.Y+ty*h.Z
		if d+h.Z <= 0 || c.X-tx*d > reachX || -c.X-tx*d > reachX || c.Y-ty*d > reachY || -c.Y-ty*d > reachY {
			return true
		}
		lo := d - h.Z
		if lo <= 0 || lo < n.Near || d+h.Z > n.Far {
			return false
		}
		// Does it reach beyond what is known of the picture?
		x0, x1, y0, y1 := c.X-h.X, c.X+h.X, c.Y-h.Y, c.Y+h.Y
		left, right := min(x0/lo, x0/(d+h.Z)), max(x1/lo, x1/(d+h.Z))
		low, high := min(y0/lo, y0/(d+h.Z)), max(y1/lo, y1/(d+h.Z))
		return 0.5+left/(2*tx) >= n.Left && 0.5+right/(2*tx) <= n.Right && 0.5-high/(2*ty) >= n.Top && 0.5-low/(2*ty) <= n.Bottom
	}, func(tri [3]geom.V) {
		for _, p := range optics.ClipSides(append(poly[:0], tri[:]...), room[:0], tx, ty) {
			d := -p.Z
			n.Near, n.Far = min(n.Near, d), max(n.Far, d)
			if d > 0 {
				x, y := 0.5+p.X/d/(2*tx), 0.5-p.Y/d/(2*ty)
				n.Left, n.Right, n.Top, n.Bottom = min(n.Left, x), max(n.Right, x), min(n.Top, y), max(n.Bottom, y)
			}
		}
	})
	if n.Far <= 0 {
		span.Seen = false // its box is seen, it is not
		return
	}
	n.Height = max(n.Bottom-n.Top, 0)
	*span = n
}
