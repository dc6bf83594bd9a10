// Package bake writes what surfaces are made of as they stand, worn and with their patterns, into pictures that any
// program can show.
package bake

import (
	"cmp"
	"math"
	"math/bits"
	"slices"
)

// leastCell is how many texels wide and high a cell of an atlas is at least: two triangles, with a rim about each.
const leastCell = 8

// cell is a rectangle of an atlas that two triangles share, one below and one above its diagonal.
type cell struct {
	x, y, wide, high int
	of               [2]int // triangles; -1: none
}

// atlas lays triangles, of each the lengths of two sides that are to lie along the axes, in metres, into a square of at
// most side x side texels: each gets a cell with sides of powers of two, of the size that texels of so many metres ask
// for, and cells lie in rows, the highest first. It returns the side that is filled, and how large a texel became; 0:
// there are too many.
func atlas(legs [][2]float64, texel float64, side int) (cells []cell, filled int, became float64) {
	if len(legs) == 0 {
		return nil, 0, 0
	}
	order := make([]int, len(legs))
	for ; ; texel *= math.Sqrt2 {
		size := make([][2]int, len(legs))
		least := true
		for i := range legs {
			order[i] = i
			for k := range 2 {
				size[i][k] = leastCell
				for size[i][k] < side && float64(size[i][k]-4)*texel < legs[i][k] {
					size[i][k] *= 2
					least = false
				}
			}
		}
		slices.SortStableFunc(order, func(a, b int) int {
			return cmp.Or(cmp.Compare(size[b][1], size[a][1]), cmp.Compare(size[b][0], size[a][0]))
		})
		cells = cells[:0]
		x, y, row, wide := 0, 0, 0, 0
		for i := 0; i < len(order) && y+row <= side; i += 2 {
			c := cell{wide: size[order[i]][0], high: size[order[i]][1], of: [2]int{order[i], -1}}
			if i+1 < len(order) {
				c.of[1] = order[i+1]
				c.wide = max(c.wide, size[order[i+1]][0])
			}
			if x+c.wide > side {
				x, y, row = 0, y+row, 0
			}
			row = max(row, c.high)
			c.x, c.y = x, y
			x += c.wide
			wide = max(wide, x)
			cells = append(cells, c)
		}
		if y+row <= side {
			return cells, 1 << bits.Len(uint(max(wide, y+row)-1)), texel
		}
		if least {
			return nil, 0, 0
		}
	}
}

// corners are where those of the lower or the upper triangle of a cell lie in the atlas, in texels: a texel within the
// cell's rim, and two from the diagonal, so that what lies beside it is not mixed in.
func (c *cell) corners(upper bool) [3][2]float64 {
	x, y, w, h := float64(c.x), float64(c.y), float64(c.wide), float64(c.high)
	// How far back along a leg the diagonal is passed by two texels.
	slope := math.Hypot(w, h)
	backX, backY := 1.5+2*slope/h*0.75, 1.5+2*slope/w*0.75
	if backX > w-3 {
		backX = w - 3
	}
	if backY > h-3 {
		backY = h - 3
	}
	if upper {
		return [3][2]float64{{x + w - 1.5, y + h - 1.5}, {x + backX, y + h - 1.5}, {x + w - 1.5, y + backY}}
	}
	return [3][2]float64{{x + 1.5, y + 1.5}, {x + w - backX, y + 1.5}, {x + 1.5, y + h - backY}}
}

// place is where the middle of a texel of a cell lies on its triangle: barycentric coordinates of the second and third
// corner, brought onto it; upper tells which of the two.
func (c *cell) place(px, py int) (u, v float64, upper bool) {
	upper = (float64(px-c.x)+0.5)/float64(c.wide)+(float64(py-c.y)+0.5)/float64(c.high) >= 1
	q := c.corners(upper)
	legU, legV := q[1][0]-q[0][0], q[2][1]-q[0][1]
	u, v = (float64(px)+0.5-q[0][0])/legU, (float64(py)+0.5-q[0][1])/legV
	u, v = max(u, 0), max(v, 0)
	if sum := u + v; sum > 1 {
		u, v = u/sum, v/sum
	}
	return u, v, upper
}
