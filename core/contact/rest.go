package contact

import (
	"math"
	"slices"

	"visator/core/geom"
)

// Reach bounds how far a thing falls or is lifted: no set is higher.
const Reach = 20_000 // metres

// Down is how far a must move up (negative: down) to rest on what is beneath:
// on others, or on the ground at height 0 when there is nothing. What it
// reaches into it is lifted out of first. on is which of others carries it; -1
// is the ground.
func Down(a *Placed, others []*Placed) (up float64, on int) {
	near := beside(a, others)
	lift, ok := Clear(a, pick(others, near), geom.V{Y: 1}, Reach)
	if !ok {
		lift = 0
	}
	moved := a
	if lift > 0 {
		moved = a.Moved(geom.V{Y: lift})
	}
	fall, on := math.Inf(1), -1
	for _, i := range near {
		if t, _, ok := First(moved, others[i], geom.V{Y: -1}, min(fall, Reach)); ok && t < fall {
			fall, on = t, i
		}
	}
	if on < 0 {
		return -a.Box.Min.Y, -1
	}
	return lift - fall, on
}

// beside are those of others whose boxes lie above or beneath a's.
func beside(a *Placed, others []*Placed) (list []int) {
	for i, b := range others {
		if a.Box.Max.X >= b.Box.Min.X && a.Box.Min.X <= b.Box.Max.X && a.Box.Max.Z >= b.Box.Min.Z &&
			a.Box.Min.Z <= b.Box.Max.Z {
			list = append(list, i)
		}
	}
	return list
}

func pick(from []*Placed, which []int) []*Placed {
	out := make([]*Placed, len(which))
	for i, k := range which {
		out[i] = from[k]
	}
	return out
}

// Toward is how far a moves along d, of length one, until it touches one of
// others, and which; false when nothing is met within limit.
func Toward(a *Placed, others []*Placed, d geom.V, limit float64) (t float64, on int, ok bool) {
	t, on = limit, -1
	for i, b := range others {
		if x, _, met := First(a, b, d, t); met && x <= t {
			t, on, ok = x, i, true
		}
	}
	return t, on, ok
}

// Hull is the convex hull of points seen from above, turning from X to Z
// (Andrew, Another Efficient Algorithm for Convex Hulls in Two Dimensions,
// 1979). It has no more points than are needed.
func Hull(points []geom.V) []geom.V {
	p := slices.Clone(points)
	slices.SortFunc(p, func(a, b geom.V) int {
		switch {
		case a.X != b.X:
			return int(math.Copysign(1, a.X-b.X))
		case a.Z != b.Z:
			return int(math.Copysign(1, a.Z-b.Z))
		}
		return 0
	})
	p = slices.CompactFunc(p, func(a, b geom.V) bool { return a.X == b.X && a.Z == b.Z })
	if len(p) < 3 {
		return p
	}
	half := func(p []geom.V) (h []geom.V) {
		for _, q := range p {
			for len(h) > 1 {
				a, b := h[len(h)-2], h[len(h)-1]
				if (b.X-a.X)*(q.Z-a.Z)-(b.Z-a.Z)*(q.X-a.X) > 0 {
					break
				}
				h = h[:len(h)-1]
			}
			h = append(h, q)
		}
		return h[:len(h)-1]
	}
	lower := half(p)
	slices.Reverse(p)
	return append(lower, half(p)...)
}
