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
	each := func(tri [3]geom.V) {
		for _, p := range optics.ClipSides(append(poly[:0], tri[:]...), room[:0], tx, ty) {
			d := -p.Z
			n.Near, n.Far = min(n.Near, d), max(n.Far, d)
			if d > 0 {
				x, y := 0.5+p.X/d/(2*tx), 0.5-p.Y/d/(2*ty)
				n.Left, n.Right, n.Top, n.Bottom = min(n.Left, x), max(n.Right, x), min(n.Top, y), max(n.Bottom, y)
			}
		}
	}
	outside := func(c, h geom.V) bool {
		d := -c.Z
		reachX, reachY := h.X+tx*h.Z, h.Y+ty*h.Z
		return d+h.Z <= 0 || c.X-tx*d > reachX || -c.X-tx*d > reachX || c.Y-ty*d > reachY || -c.Y-ty*d > reachY
	}
	// Where a box lies in the picture at most, and whether it is all before the lens.
	window := func(c, h geom.V) (left, right, top, bottom float64, before bool) {
		lo, hi := -c.Z-h.Z, -c.Z+h.Z
		if lo <= 0 {
			return 0, 1, 0, 1, false
		}
		x0, x1, y0, y1 := c.X-h.X, c.X+h.X, c.Y-h.Y, c.Y+h.Y
		return 0.5 + min(x0/lo, x0/hi)/(2*tx), 0.5 + max(x1/lo, x1/hi)/(2*tx), 0.5 - max(y1/lo, y1/hi)/(2*ty),
			0.5 - min(y0/lo, y0/hi)/(2*ty), true
	}
	body := s.Things[i].Body
	if body.Copies() > 1 {
		// Of many each end is looked for by itself, from that side: then little is left
		// to look at.
		for _, end := range []struct {
			toward geom.V
			beyond func(c, h geom.V) bool // a box may reach farther than what is known
		}{
			{geom.V{Z: 1}, func(c, h geom.V) bool { return -c.Z-h.Z < n.Near }},
			{geom.V{Z: -1}, func(c, h geom.V) bool { return -c.Z+h.Z > n.Far }},
			{geom.V{X: -1},
				func(c, h geom.V) bool { l, _, _, _, ok := window(c, h); return n.Left > 0 && (!ok || l < n.Left) }},
			{geom.V{X: 1},
				func(c, h geom.V) bool { _, r, _, _, ok := window(c, h); return n.Right < 1 && (!ok || r > n.Right) }},
			{geom.V{Y: 1},
				func(c, h geom.V) bool { _, _, t, _, ok := window(c, h); return n.Top > 0 && (!ok || t < n.Top) }},
			{geom.V{Y: -1},
				func(c, h geom.V) bool {
					_, _, _, b, ok := window(c, h)
					return n.Bottom < 1 && (!ok || b > n.Bottom)
				}},
		} {
			body.ReachFrom(to, end.toward, func(c, h geom.V) bool { return outside(c, h) || !end.beyond(c, h) }, each)
		}
	} else {
		body.Reach(to, func(c, h geom.V) bool {
			if outside(c, h) {
				return true
			}
			left, right, top, bottom, before := window(c, h)
			if !before || -c.Z-h.Z < n.Near || -c.Z+h.Z > n.Far {
				return false
			}
			return left >= n.Left && right <= n.Right && top >= n.Top && bottom <= n.Bottom
		}, each)
	}
	if n.Far <= 0 {
		span.Seen = false // its box is seen, it is not
		return
	}
	n.Height = max(n.Bottom-n.Top, 0)
	*span = n
}
