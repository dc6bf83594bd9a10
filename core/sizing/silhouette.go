package sizing

import (
	"fmt"
	"math"
	"strings"

	"visator/core/geom"
	"visator/core/model"
)

// Side is the direction from which a silhouette is seen.
type Side int

const (
	Front Side = iota // along -Z: X to the right, Y up
	Top               // along -Y: X to the right, Z down
	Right             // along -X: Z to the left, Y up
)

// grid is the resolution of a silhouette along its longer side: finer than
// the pixels of the largest drawing of one piece.
const grid = 320

// Silhouette is the outline of a model after the transform top, as an SVG
// path in metres with y downwards (for Front and Right, y is minus the height). It is
// traced from a raster of all triangles, so holes and gaps show.
func Silhouette(m *model.Model, top geom.M, side Side) string {
	box := m.BoundsUnder(top)
	if box.IsEmpty() {
		return ""
	}
	flat := func(p geom.V) (x, y float64) {
		switch side {
		case Top:
			return p.X, p.Z
		case Right:
			return -p.Z, -p.Y
		}
		return p.X, -p.Y
	}
	x0, y0 := flat(box.Min)
	x1, y1 := flat(box.Max)
	x0, x1, y0, y1 = min(x0, x1), max(x0, x1), min(y0, y1), max(y0, y1)
	cell := max(x1-x0, y1-y0) / grid
	if cell <= 0 {
		return ""
	}
	r := &raster{cell: cell, x0: x0 - cell, y0: y0 - cell, w: int((x1-x0)/cell) + 4, h: int((y1-y0)/cell) + 4}
	r.on = make([]bool, r.w*r.h)
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Mesh == model.None {
			return
		}
		world = top.Mul(world)
		for i := range m.Meshes[n.Mesh].Parts {
			p := &m.Meshes[n.Mesh].Parts[i]
			if p.Kind != model.Triangles {
				continue
			}
			for t := 0; t+2 < len(p.Indices); t += 3 {
				var q [3][2]float64
				for c := range q {
					x, y := flat(world.Point(p.Position(p.Indices[t+c])))
					q[c] = [2]float64{(x - r.x0) / cell, (y - r.y0) / cell}
				}
				r.fill(q)
			}
		}
	})
	return r.trace()
}

type raster struct {
	w, h   int
	cell   float64
	x0, y0 float64
	on     []bool
}

// fill marks the cells whose middle a triangle covers, and those that its
// corners and edges touch, so that thin things do not vanish.
func (r *raster) fill(q [3][2]float64) {
	lo, hi := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, p := range q {
		for k := range p {
			lo[k], hi[k] = min(lo[k], p[k]), max(hi[k], p[k])
		}
	}
	ax, ay := max(int(lo[0]), 0), max(int(lo[1]), 0)
	bx, by := min(int(hi[0]), r.w-1), min(int(hi[1]), r.h-1)
	if bx-ax <= 1 && by-ay <= 1 { // small: it marks the cell of its middle
		cx, cy := int((q[0][0]+q[1][0]+q[2][0])/3), int((q[0][1]+q[1][1]+q[2][1])/3)
		if cx >= 0 && cy >= 0 && cx < r.w && cy < r.h {
			r.on[cy*r.w+cx] = true
		}
		return
	}
	side := func(a, b [2]float64, x, y float64) float64 {
		return (b[0]-a[0])*(y-a[1]) - (b[1]-a[1])*(x-a[0])
	}
	for y := ay; y <= by; y++ {
		for x := ax; x <= bx; x++ {
			px, py := float64(x)+0.5, float64(y)+0.5
			s0, s1, s2 := side(q[0], q[1], px, py), side(q[1], q[2], px, py), side(q[2], q[0], px, py)
			if s0 >= 0 && s1 >= 0 && s2 >= 0 || s0 <= 0 && s1 <= 0 && s2 <= 0 {
				r.on[y*r.w+x] = true
			}
		}
	}
	for k := range q {
		a, b := q[k], q[(k+1)%3]
		n := int(math.Hypot(b[0]-a[0], b[1]-a[1])) + 1
		for i := 0; i <= n; i++ {
			t := float64(i) / float64(n)
			x, y := int(a[0]+(b[0]-a[0])*t), int(a[1]+(b[1]-a[1])*t)
			if x >= 0 && y >= 0 && x < r.w && y < r.h {
				r.on[y*r.w+x] = true
			}
		}
	}
}

func (r *raster) at(x, y int) bool { return x >= 0 && y >= 0 && x < r.w && y < r.h && r.on[y*r.w+x] }

// trace walks around every filled area with the area at its right, and draws
// straight runs as one line.
func (r *raster) trace() string {
	var out strings.Builder
	done := make([]bool, (r.w+1)*(r.h+1)*4)
	dx, dy := [4]int{1, 0, -1, 0}, [4]int{0, 1, 0, -1}
	// An edge runs from a corner in direction d with a filled cell at its right.
	edge := func(x, y, d int) bool {
		switch d {
		case 0:
			return r.at(x, y) && !r.at(x, y-1)
		case 1:
			return r.at(x-1, y) && !r.at(x, y)
		case 2:
			return r.at(x-1, y-1) && !r.at(x-1, y)
		}
		return r.at(x, y-1) && !r.at(x-1, y-1)
	}
	for y := 0; y <= r.h; y++ {
		for x := 0; x <= r.w; x++ {
			if !edge(x, y, 0) || done[(y*(r.w+1)+x)*4] {
				continue
			}
			loop := [][2]int{{x, y}}
			cx, cy, d, first := x, y, 0, true
			for first || cx != x || cy != y || d != 0 {
				if first || !done[(cy*(r.w+1)+cx)*4+d] {
					done[(cy*(r.w+1)+cx)*4+d] = true
				}
				cx, cy = cx+dx[d], cy+dy[d]
				next := d
				for _, turn := range [3]int{3, 0, 1} { // left, straight, right
					if edge(cx, cy, (d+turn)%4) {
						next = (d + turn) % 4
						break
					}
				}
				first = false
				if next != d {
					loop = append(loop, [2]int{cx, cy})
				}
				d = next
			}
			for i, p := range smooth(loop) {
				fmt.Fprintf(&out, "%c%s", "ML"[min(i, 1)], r.point(p[0], p[1]))
			}
			out.WriteString("Z")
		}
	}
	return out.String()
}

func (r *raster) point(x, y int) string {
	return fmt.Sprintf("%.4g %.4g", r.x0+float64(x)*r.cell, r.y0+float64(y)*r.cell)
}

// smooth leaves out the corners of a closed outline that lie within a cell of
// the line that the others make, so that slanted edges are no stairs (Douglas
// and Peucker, 1973).
func smooth(loop [][2]int) [][2]int {
	if len(loop) < 5 {
		return loop
	}
	far, most := 0, 0
	for i, p := range loop {
		if d := (p[0]-loop[0][0])*(p[0]-loop[0][0]) + (p[1]-loop[0][1])*(p[1]-loop[0][1]); d > most {
			far, most = i, d
		}
	}
	closed := append(append([][2]int{}, loop...), loop[0])
	keep := make([]bool, len(closed))
	keep[0], keep[far] = true, true
	thin(closed, keep, 0, far)
	thin(closed, keep, far, len(closed)-1)
	var out [][2]int
	for i := range loop {
		if keep[i] {
			out = append(out, loop[i])
		}
	}
	if len(out) < 3 { // a sliver stays as it was traced
		return loop
	}
	return out
}

// thin marks the corners between a and b that are needed.
func thin(line [][2]int, keep []bool, a, b int) {
	const off = 0.95 // cells; a stair of one cell lies at most 0.71 off its slope
	dx, dy := float64(line[b][0]-line[a][0]), float64(line[b][1]-line[a][1])
	length := math.Hypot(dx, dy)
	at, most := -1, off
	for i := a + 1; i < b; i++ {
		px, py := float64(line[i][0]-line[a][0]), float64(line[i][1]-line[a][1])
		d := math.Hypot(px, py)
		if length > 0 {
			d = math.Abs(px*dy-py*dx) / length
		}
		if d > most {
			at, most = i, d
		}
	}
	if at >= 0 {
		keep[at] = true
		thin(line, keep, a, at)
		thin(line, keep, at, b)
	}
}
