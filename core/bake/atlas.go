// Package bake writes what surfaces are made of as they stand, worn and with their patterns, into pictures that any
// program can show.
package bake

import (
	"cmp"
	"math"
	"math/bits"
	"slices"
)

// leastCell is how many texels wide a cell of an atlas is at least: two triangles, with a rim about each.
const leastCell = 8

// cell is a square of an atlas that two triangles share, one below and one above its diagonal.
type cell struct {
	x, y, side int
	of         [2]int // triangles; -1: none
}

// atlas lays triangles with so large areas, in square metres, into a square of at most side x side texels: each gets a
// cell with a side of a power of two, of the size that texels of so many metres ask for, and all are packed along the
// Morton curve, the largest first, which leaves no gaps between them. It returns the side that is filled, and how large
// a texel became; 0: there are too many.
func atlas(areas []float64, texel float64, side int) (cells []cell, filled int, became float64) {
	if len(areas) == 0 {
		return nil, 0, 0
	}
	order := make([]int, len(areas))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(areas[b], areas[a]) })
	for ; ; texel *= math.Sqrt2 {
		cells = cells[:0]
		sum, least := 0, true
		for i := 0; i < len(order); i += 2 {
			c := cell{side: leastCell, of: [2]int{order[i], -1}}
			if i+1 < len(order) {
				c.of[1] = order[i+1]
			}
			// A right triangle with so large legs has that area.
			for c.side < side && float64(c.side-4)*texel < math.Sqrt(2*areas[order[i]]) {
				c.side *= 2
				least = false
			}
			sum += c.side * c.side
			cells = append(cells, c)
		}
		if sum <= side*side {
			break
		}
		if least {
			return nil, 0, 0
		}
	}
	at := 0 // along the curve, in least cells
	for i := range cells {
		c := &cells[i]
		c.x, c.y = leastCell*along(at), leastCell*along(at>>1)
		at += (c.side / leastCell) * (c.side / leastCell)
		filled = max(filled, c.x+c.side, c.y+c.side)
	}
	return cells, 1 << bits.Len(uint(filled-1)), texel
}

// along is every other bit of a place on the Morton curve.
func along(at int) (x int) {
	for i := range 31 {
		x |= at >> (2 * i) & 1 << i
	}
	return x
}

// corners are where those of the lower or the upper triangle of a cell lie in the atlas, in texels: a texel within the
// cell's rim, and two from the diagonal, so that what lies beside it is not mixed in.
func (c *cell) corners(upper bool) [3][2]float64 {
	x, y, s := float64(c.x), float64(c.y), float64(c.side)
	if upper {
		return [3][2]float64{{x + s - 1.5, y + s - 1.5}, {x + 2.5, y + s - 1.5}, {x + s - 1.5, y + 2.5}}
	}
	return [3][2]float64{{x + 1.5, y + 1.5}, {x + s - 4.5, y + 1.5}, {x + 1.5, y + s - 4.5}}
}

// place is where the middle of a texel of a cell lies on its triangle: barycentric coordinates of the second and third
// corner, brought onto it; upper tells which of the two.
func (c *cell) place(px, py int) (u, v float64, upper bool) {
	upper = px-c.x+py-c.y >= c.side-1
	q := c.corners(upper)
	legU, legV := q[1][0]-q[0][0], q[2][1]-q[0][1]
	u, v = (float64(px)+0.5-q[0][0])/legU, (float64(py)+0.5-q[0][1])/legV
	u, v = max(u, 0), max(v, 0)
	if sum := u + v; sum > 1 {
		u, v = u/sum, v/sum
	}
	return u, v, upper
}
