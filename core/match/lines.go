package match

import (
	"errors"
	"math"

	"visator/core/geom"
	"visator/core/optics"
)

// Line is a line drawn over a picture, along an edge that runs along one of the
// set's axes.
type Line struct {
	Axis           string // x, y or z
	X0, Y0, X1, Y1 float64
}

// Reasons why lines determine no camera.
var (
	ErrLines    = errors.New("it takes two lines or more along each of two axes")
	ErrParallel = errors.New("the lines along an axis are parallel in the picture: they meet nowhere, and tell no " +
		"focal length. Draw lines that run into the depth")
	ErrSquare = errors.New("no lens sees these two directions at a right angle: check which line runs along which axis")
)

var axes = map[string]geom.V{"x": {X: 1}, "y": {Y: 1}, "z": {Z: 1}}

// SolveLines finds aim, roll and focal length from lines along the set's axes.
// The camera's place is not in them: from's is kept. Of the two ways to look
// along an axis the one nearer to from's is taken.
//
// Lines along one axis meet where its direction is seen, in its vanishing point
// (A. Criminisi and others, Single View Metrology, 2000). Two such points p, q
// of directions at a right angle, from the middle of the picture in mm, give
// f² = -p·q; they give the rotation too. All lines together are then brought to
// the least squares distance of their ends.
func SolveLines(from optics.View, lines []Line, width float64) (Result, error) {
	by := map[string][]Line{}
	for _, l := range lines {
		if axes[l.Axis] == (geom.V{}) {
			return Result{}, errors.New("a line runs along x, y or z")
		}
		if math.Hypot(l.X1-l.X0, l.Y1-l.Y0) < 1e-4 || math.IsNaN(l.X0+l.X1+l.Y0+l.Y1) {
			return Result{}, errors.New("a line is too short to tell a direction")
		}
		by[l.Axis] = append(by[l.Axis], l)
	}
	var two []string
	for _, a := range []string{"x", "z", "y"} {
		if len(by[a]) >= 2 && len(two) < 2 {
			two = append(two, a)
		}
	}
	if len(two) < 2 {
		return Result{}, ErrLines
	}
	// In tangents for a focal length of the present one: only products change.
	w := from.Window()
	p, err := meet(by[two[0]], w)
	if err != nil {
		return Result{}, err
	}
	q, err := meet(by[two[1]], w)
	if err != nil {
		return Result{}, err
	}
	// Homogeneous: p.X/p.Z, p.Y/p.Z. With k the factor on the focal length,
	// p.X·q.X + p.Y·q.Y + k²·p.Z·q.Z = 0.
	k := 1.0
	flat := p.X*q.X + p.Y*q.Y
	if dd := p.Z * q.Z; math.Abs(dd) > 1e-9 {
		kk := -flat / dd
		if kk < 1e-4 || kk > 1e5 {
			return Result{}, ErrSquare
		}
		k = math.Sqrt(kk)
	} else {
		return Result{}, ErrParallel
	}
	v := from
	v.Focal *= k
	if v.Focal < 1 || v.Focal > 5000 {
		return Result{}, ErrSquare
	}
	// Directions in the camera: (x, y, -k) up to sign.
	dir := func(h geom.V) geom.V { return geom.V{X: h.X, Y: h.Y, Z: -k * h.Z}.Unit() }
	a, b := dir(p), dir(q)
	b = b.Sub(a.Mul(a.Dot(b))).Unit()
	c := a.Cross(b)
	wa, wb := axes[two[0]], axes[two[1]]
	wc := wa.Cross(wb)
	// Signs: four rotations; the one nearest to where the camera looked.
	best := math.Inf(1)
	was := from.Turn()
	found := v
	for _, sa := range []float64{1, -1} {
		for _, sb := range []float64{1, -1} {
			sc := sa * sb
			turn := func(e geom.V) geom.V { // camera to set
				return wa.Mul(sa * a.Dot(e)).Add(wb.Mul(sb * b.Dot(e))).Add(wc.Mul(sc * c.Dot(e)))
			}
			n := v
			n.Face(fromAxes(turn(geom.V{X: 1}), turn(geom.V{Y: 1}), turn(geom.V{Z: 1})))
			t := n.Turn()
			if d := 1 - math.Abs(t.X*was.X+t.Y*was.Y+t.Z*was.Z+t.W*was.W); d < best {
				best, found = d, n
			}
		}
	}
	of := func(v *optics.View) ([]float64, bool) {
		out := make([]float64, len(lines))
		for i := range lines {
			out[i] = lines[i].miss(v)
		}
		return out, true
	}
	// Turns and the focal length; the place stays.
	v, ok := leastTurn(found, of)
	if !ok {
		v = found
	}
	r := Result{View: v}
	sum := 0.0
	for i := range lines {
		e := width * math.Abs(lines[i].miss(&v))
		r.Each = append(r.Each, e)
		sum += e * e
	}
	r.Pixels = math.Sqrt(sum / float64(len(lines)))
	return r, v.Check()
}

// meet is where lines meet in the window, as homogeneous coordinates of length
// one: the direction that is most nearly on all of them.
func meet(lines []Line, w optics.Window) (geom.V, error) {
	var m [3][3]float64
	for _, l := range lines {
		x0, y0 := w.At(l.X0, l.Y0)
		x1, y1 := w.At(l.X1, l.Y1)
		n := geom.V{X: x0, Y: y0, Z: 1}.Cross(geom.V{X: x1, Y: y1, Z: 1})
		n = n.Mul(1 / math.Hypot(n.X, n.Y))
		length := math.Hypot(x1-x0, y1-y0) // long lines are better known
		for i := range 3 {
			for k := range 3 {
				m[i][k] += length * length * n.At(i) * n.At(k)
			}
		}
	}
	// The eigenvector of the smallest value, by inverse iteration.
	x := geom.V{X: 0.3, Y: 0.5, Z: 0.7}
	for range 100 {
		rows := make([][]float64, 3)
		for i := range 3 {
			rows[i] = []float64{m[i][0], m[i][1], m[i][2], x.At(i)}
			rows[i][i] += 1e-12
		}
		y, ok := gauss(rows)
		if !ok {
			break
		}
		n := geom.V{X: y[0], Y: y[1], Z: y[2]}.Unit()
		if n.Sub(x).Len() < 1e-14 || n.Add(x).Len() < 1e-14 {
			x = n
			break
		}
		x = n
	}
	return x, nil
}

// miss is how far the ends of a line lie off the line from its middle to where
// its axis vanishes, in picture widths.
func (l Line) miss(v *optics.View) float64 {
	q := v.Turn()
	q.X, q.Y, q.Z = -q.X, -q.Y, -q.Z // from the set to the camera
	d := q.Rotate(axes[l.Axis])
	w := v.Window()
	x0, y0 := w.At(l.X0, l.Y0)
	x1, y1 := w.At(l.X1, l.Y1)
	mx, my := (x0+x1)/2, (y0+y1)/2
	// The vanishing point (d.X, d.Y)/-d.Z seen from the middle, up to length.
	dx, dy := d.X+mx*d.Z, d.Y+my*d.Z
	if n := math.Hypot(dx, dy); n > 1e-15 {
		dx, dy = dx/n, dy/n
	}
	return ((x1-x0)*dy - (y1-y0)*dx) / 2 / (w.Right - w.Left)
}

// leastTurn is least for aim, roll and focal length only.
func leastTurn(v optics.View, of func(*optics.View) ([]float64, bool)) (optics.View, bool) {
	eye := v.Eye
	// Ways count nothing: their columns are zero, and damping keeps them so.
	out, ok := least(v, 7, 100, 0, of)
	out.Eye = eye
	return out, ok
}

// Rise is how high the camera stands when a length of the set, upright on the
// ground, is seen from foot to head: with its place on the ground.
func Rise(v optics.View, footX, footY, headX, headY, metres float64) (optics.View, error) {
	out, _, err := rise(v, footX, footY, headX, headY, metres)
	return out, err
}

// RiseFrom is Rise for a length whose foot's place is known: then so is where the
// camera stands.
func RiseFrom(v optics.View, footX, footY, headX, headY, metres float64, foot geom.V) (optics.View, error) {
	out, way, err := rise(v, footX, footY, headX, headY, metres)
	if err != nil {
		return v, err
	}
	out.Eye = foot.Sub(way)
	return out, out.Check()
}

// rise gives the way from the eye to the foot, too.
func rise(v optics.View, footX, footY, headX, headY, metres float64) (out optics.View, way geom.V, err error) {
	if !(metres > 0) {
		return v, way, errors.New("a height is more than 0")
	}
	// Both rays from the eye; foot at y = 0, head straight above it.
	f, h := v.Ray(footX, footY), v.Ray(headX, headY)
	if f.Y > -1e-6*f.Len() {
		return v, way, errors.New("its foot must be seen below the horizon")
	}
	// At the foot's distance along the ground, the head's ray is so much higher.
	flat := math.Hypot(f.X, f.Z)
	tilt := h.Y / math.Max(math.Hypot(h.X, h.Z), 1e-12)
	drop := f.Y / math.Max(flat, 1e-12)
	if tilt-drop <= 1e-9 {
		return v, way, errors.New("its head must be seen above its foot")
	}
	d := metres / (tilt - drop)
	v.Eye.Y = -drop * d
	return v, f.Mul(d / math.Max(flat, 1e-12)), v.Check()
}
