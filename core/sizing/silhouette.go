package sizing

import (
	"math"
	"strconv"

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
const grid = 640

// maxPath is how long a path may be before it is drawn at half the resolution,
// down to the coarsest: foliage of many small holes is as well told apart then,
// and a set of hundreds of pieces stays light.
const (
	maxPath  = 12 << 10
	coarsest = 160
)

// Silhouette is the outline of a model after the transform top, as an SVG
// path in metres with y downwards (for Front and Right, y is minus the height). It is
// traced from a raster of all triangles without what their maps cut out, so holes
// and gaps show; it lies at most a 600th of its longer side outside what it shows,
// a 150th for foliage.
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
	if !(cell > 0) || math.IsInf(cell, 0) {
		return ""
	}
	r := newRaster(int((x1-x0)/cell)+4, int((y1-y0)/cell)+4, cell, x0-cell, y0-cell)
	var seen [][2]float64
	cuts := make([]*cut, len(m.Surfaces))
	for i := range m.Surfaces {
		cuts[i] = cutOf(m, &m.Surfaces[i])
	}
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
			seen = seen[:0]
			for v := range uint32(p.Vertices()) {
				x, y := flat(world.Point(p.Position(v)))
				seen = append(seen, [2]float64{(x - r.x0) / cell, (y - r.y0) / cell})
			}
			if hole, uv := cutOfPart(m, p, cuts); hole != nil {
				for t := 0; t+2 < len(p.Indices); t += 3 {
					var q, at [3][2]float64
					for k := range q {
						v := p.Indices[t+k]
						q[k], at[k] = seen[v], [2]float64{float64(uv[2*v]), float64(uv[2*v+1])}
					}
					r.fillCut(q, at, hole)
				}
				continue
			}
			for t := 0; t+2 < len(p.Indices); t += 3 {
				r.fill(seen[p.Indices[t]], seen[p.Indices[t+1]], seen[p.Indices[t+2]])
			}
		}
	})
	path := r.trace()
	for k := grid; len(path) > maxPath && k > coarsest; k /= 2 {
		r = r.half()
		path = r.trace()
	}
	return path
}

// cutOfPart is the cut of a part's surface with the coordinates that it goes by;
// nil when there is none.
func cutOfPart(m *model.Model, p *model.Part, cuts []*cut) (c *cut, uv []float32) {
	if p.Surface < 0 || p.Surface >= len(cuts) || cuts[p.Surface] == nil {
		return nil, nil
	}
	if uv = p.Coordinates(cuts[p.Surface].slot); uv == nil {
		return nil, nil
	}
	return cuts[p.Surface], uv
}

type raster struct {
	w, h   int
	cell   float64
	x0, y0 float64
	on     []bool
	from   []float64 // by row: where the triangle that is being filled begins
	to     []float64 // and ends
}

func newRaster(w, h int, cell, x0, y0 float64) *raster {
	return &raster{w: w, h: h, cell: cell, x0: x0, y0: y0, on: make([]bool, w*h), from: make([]float64, h),
		to: make([]float64, h)}
}

// half is the raster with cells of twice the side; what was seen stays seen.
func (r *raster) half() *raster {
	out := newRaster((r.w+1)/2, (r.h+1)/2, 2*r.cell, r.x0, r.y0)
	for y := range r.h {
		for x := range r.w {
			if r.on[y*r.w+x] {
				out.on[y/2*out.w+x/2] = true
			}
		}
	}
	return out
}

// fill marks the cells that a triangle touches, so that thin things do not
// vanish: in every row of cells from where its edges enter at the left to where
// they leave at the right.
func (r *raster) fill(a, b, c [2]float64) {
	first, last := r.rows(a, b, c)
	for y := first; y <= last; y++ {
		r.mark(y, r.from[y], r.to[y])
	}
}

// rows finds where a triangle begins and ends in every row of cells that it
// passes, first to last; none when it is not on the raster.
func (r *raster) rows(a, b, c [2]float64) (first, last int) {
	// By height, and compared by hand: min and max of floats, which mind zeros'
	// signs, take most of the time otherwise.
	if a[1] > b[1] {
		a, b = b, a
	}
	if b[1] > c[1] {
		b, c = c, b
	}
	if a[1] > b[1] {
		a, b = b, a
	}
	if h := float64(r.h); !(a[1] >= 0 && a[1] < h && b[1] >= 0 && b[1] < h && c[1] >= 0 && c[1] < h) { // not a number
		return 0, -1
	}
	first, last = int(a[1]), int(c[1])
	for y := first; y <= last; y++ {
		r.from[y], r.to[y] = math.Inf(1), math.Inf(-1)
	}
	r.walk(a, c)
	r.walk(a, b)
	r.walk(b, c)
	return first, last
}

// walk widens the rows that an edge passes, which runs from a down to b.
func (r *raster) walk(a, b [2]float64) {
	y, last := int(a[1]), int(b[1])
	slope := 0.0
	if y < last {
		slope = (b[0] - a[0]) / (b[1] - a[1])
	}
	for at := a[0]; y <= last; y++ {
		next := b[0]
		if y < last {
			next = a[0] + (float64(y+1)-a[1])*slope
		}
		low, high := at, next
		if low > high {
			low, high = high, low
		}
		if low < r.from[y] {
			r.from[y] = low
		}
		if high > r.to[y] {
			r.to[y] = high
		}
		at = next
	}
}

func (r *raster) mark(y int, from, to float64) {
	if !(from >= 0 && to < float64(r.w)) { // not a number
		return
	}
	row := r.on[y*r.w:][:r.w]
	for x := int(from); x <= int(to); x++ {
		row[x] = true
	}
}

func (r *raster) at(x, y int) bool { return x >= 0 && y >= 0 && x < r.w && y < r.h && r.on[y*r.w+x] }

// trace draws the outlines of what is filled as an SVG path.
func (r *raster) trace() string {
	var out []byte
	r.loops(func(loop [][2]int) {
		for i, p := range loop {
			out = append(out, "ML"[min(i, 1)])
			out = r.point(out, p[0], p[1])
		}
		out = append(out, 'Z')
	})
	return string(out)
}

// loops walks around every filled area with the area at its right, and tells the corners:
// straight runs are one line.
func (r *raster) loops(tell func(loop [][2]int)) {
	done := make([]bool, (r.w+1)*(r.h+1)) // edges that run to the right: every loop has one
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
			if !edge(x, y, 0) || done[y*(r.w+1)+x] {
				continue
			}
			loop := [][2]int{{x, y}}
			cx, cy, d, first := x, y, 0, true
			for first || cx != x || cy != y || d != 0 {
				if d == 0 {
					done[cy*(r.w+1)+cx] = true
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
			tell(smooth(loop))
		}
	}
}

// Outline is what flat triangles cover together, traced as Silhouette is: loops about what
// is filled and, turning the other way, about its holes. each is asked for the triangles
// twice; what is not finite is left out. wide is how large they are, at most.
func Outline(each func(draw func(a, b, c [2]float64)), wide float64) (out [][][2]float64) {
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	each(func(a, b, c [2]float64) {
		for _, p := range [3][2]float64{a, b, c} {
			if math.Abs(p[0]) <= wide && math.Abs(p[1]) <= wide {
				x0, y0, x1, y1 = min(x0, p[0]), min(y0, p[1]), max(x1, p[0]), max(y1, p[1])
			}
		}
	})
	cell := max(x1-x0, y1-y0) / grid
	if !(cell > 0) || math.IsInf(cell, 0) {
		return nil
	}
	r := newRaster(int((x1-x0)/cell)+4, int((y1-y0)/cell)+4, cell, x0-cell, y0-cell)
	at := func(p [2]float64) [2]float64 { return [2]float64{(p[0] - r.x0) / cell, (p[1] - r.y0) / cell} }
	each(func(a, b, c [2]float64) { r.fill(at(a), at(b), at(c)) })
	r.loops(func(loop [][2]int) {
		line := make([][2]float64, len(loop))
		for i, p := range loop {
			line[i] = [2]float64{r.x0 + float64(p[0])*cell, r.y0 + float64(p[1])*cell}
		}
		out = append(out, line)
	})
	return out
}

// point writes a corner to a tenth of a cell or finer.
func (r *raster) point(out []byte, x, y int) []byte {
	how, digits := byte('f'), max(int(math.Ceil(-math.Log10(r.cell)))+1, 0)
	if digits > 15 || r.cell > 1e15 {
		how, digits = 'g', -1
	}
	out = strconv.AppendFloat(out, r.x0+float64(x)*r.cell, how, digits, 64)
	out = append(out, ' ')
	return strconv.AppendFloat(out, r.y0+float64(y)*r.cell, how, digits, 64)
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
