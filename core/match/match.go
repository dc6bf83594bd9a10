// Package match finds the camera with which a picture was taken: from points
// whose places in the set are known, or from lines that run along the set's
// axes. Places in a picture are 0..1 from its left and top.
package match

import (
	"errors"
	"fmt"
	"math"
	"math/cmplx"
	"slices"

	"visator/core/geom"
	"visator/core/optics"
)

// Point is a place in the set with where it is seen.
type Point struct {
	At   geom.V  `json:"at"` // metres
	X, Y float64 // in the picture
}

// Result is a camera with how well it fits.
type Result struct {
	View   optics.View
	Pixels float64   // root mean square error, in pixels of a picture Width wide
	Each   []float64 // of each point or line, pixels
	Other  bool      // another camera fits about as well: more points would tell
}

// MinPoints is how many points determine a camera with an unknown focal length:
// seven unknowns, two equations each.
const MinPoints = 4

// Reasons why points determine no camera.
var (
	ErrFew   = fmt.Errorf("it takes %d points or more", MinPoints)
	ErrLine  = errors.New("the points lie on one line: add one that lies off it")
	ErrPlane = errors.New("the points lie on one plane that the camera faces straight, where a longer lens from " +
		"farther away shows the same: add a point off the plane, or give the focal length")
	ErrBehind   = errors.New("no camera sees these points there: check which place is which")
	ErrSame     = errors.New("two points lie at the same place")
	errMeasures = errors.New("a point lies nowhere")
)

// Solve finds the camera that sees points where they are: its place, aim, roll
// and, unless it is given, focal length. from gives sensor, aspect, shift and
// squeeze, and the focal length where it is given; width is that of the picture
// in pixels, for telling the error.
//
// For focal lengths from wide to long, three of the points place the camera
// (Grunert's solution, after R. Haralick and others, Review and Analysis of
// Solutions of the Three Point Perspective Pose Estimation Problem, 1994); the
// best of these are brought to the least squares error of all points
// (Levenberg, 1944; Marquardt, 1963).
func Solve(from optics.View, points []Point, focalGiven bool, width float64) (Result, error) {
	if err := check(points, focalGiven); err != nil {
		return Result{}, err
	}
	tri := widest(points)
	focals := []float64{from.Focal}
	if !focalGiven {
		focals = nil
		gate, _ := from.Gate()
		for f := 0.3; f < 15; f *= 1.25 { // 120° to 4° across
			focals = append(focals, f*gate)
		}
	}
	type start struct {
		view optics.View
		miss float64
	}
	var starts []start
	for _, f := range focals {
		v := from
		v.Focal = f
		for _, s := range threePoint(v, [3]Point{points[tri[0]], points[tri[1]], points[tri[2]]}) {
			starts = append(starts, start{s, miss(&s, points)})
		}
	}
	sooner := func(a, b start) int {
		if a.miss < b.miss {
			return -1
		}
		return 1
	}
	slices.SortFunc(starts, sooner)
	// A few steps show which of the starts lead on.
	starts = starts[:min(len(starts), 16)]
	for i := range starts {
		if v, ok := refine(starts[i].view, points, focalGiven, 6); ok {
			starts[i] = start{v, miss(&v, points)}
		}
	}
	slices.SortFunc(starts, sooner)
	var best Result
	best.Pixels = math.Inf(1)
	var all []Result
	for _, s := range starts[:min(len(starts), 5)] {
		v, ok := refine(s.view, points, focalGiven, 100)
		if !ok {
			continue
		}
		r := Result{View: v, Pixels: width * miss(&v, points)}
		all = append(all, r)
		if r.Pixels < best.Pixels {
			best = r
		}
	}
	if math.IsInf(best.Pixels, 1) {
		return best, ErrBehind
	}
	if !focalGiven && weak(best.View, points) {
		return best, ErrPlane
	}
	size := span(points)
	for i := range all {
		far := all[i].View.Eye.Sub(best.View.Eye).Len() > 0.02*size ||
			math.Abs(math.Log(all[i].View.Focal/best.View.Focal)) > 0.05
		if far && all[i].Pixels < 2*best.Pixels+0.5 {
			best.Other = true
		}
	}
	for _, p := range points {
		dx, dy, _ := residual(&best.View, p)
		best.Each = append(best.Each, width*math.Hypot(dx, dy))
	}
	if _, _, depth, ok := best.View.Project(points[0].At); ok {
		best.View.Focus = depth
	}
	return best, best.View.Check()
}

func check(points []Point, focalGiven bool) error {
	least := MinPoints
	if focalGiven {
		least = 3
	}
	if len(points) < least {
		if focalGiven {
			return errors.New("it takes 3 points or more where the focal length is given")
		}
		return ErrFew
	}
	for i, p := range points {
		if !p.At.Finite() || math.IsNaN(p.X+p.Y) || math.Abs(p.X) > 100 || math.Abs(p.Y) > 100 {
			return errMeasures
		}
		for _, q := range points[:i] {
			if p.At.Sub(q.At).Len() < 1e-9 {
				return ErrSame
			}
		}
	}
	t := widest(points)
	a, b, c := points[t[0]], points[t[1]], points[t[2]]
	if size := span(points); b.At.Sub(a.At).Cross(c.At.Sub(a.At)).Len() < 1e-6*size*size {
		return ErrLine
	}
	if math.Abs((b.X-a.X)*(c.Y-a.Y)-(b.Y-a.Y)*(c.X-a.X)) < 1e-9 {
		return ErrLine
	}
	return nil
}

// span is the largest distance between two of the points.
func span(points []Point) (d float64) {
	for i, p := range points {
		for _, q := range points[:i] {
			d = max(d, p.At.Sub(q.At).Len())
		}
	}
	return d
}

// widest are the three points of the largest triangle in the picture.
func widest(points []Point) (best [3]int) {
	most := -1.0
	for i := range points {
		for j := range i {
			for k := range j {
				a, b, c := points[i], points[j], points[k]
				flat := math.Abs((b.X-a.X)*(c.Y-a.Y) - (b.Y-a.Y)*(c.X-a.X))
				solid := b.At.Sub(a.At).Cross(c.At.Sub(a.At)).Len()
				if s := flat * solid; s > most {
					most, best = s, [3]int{i, j, k}
				}
			}
		}
	}
	return best
}

// threePoint are the views of a known lens that see three points where they are:
// four at most.
func threePoint(v optics.View, p [3]Point) (out []optics.View) {
	w := v.Window()
	var j [3]geom.V // directions in the camera
	for i := range p {
		tx, ty := w.At(p[i].X, p[i].Y)
		j[i] = geom.V{X: tx, Y: ty, Z: -1}.Unit()
	}
	a2 := p[1].At.Sub(p[2].At).Dot(p[1].At.Sub(p[2].At))
	b2 := p[0].At.Sub(p[2].At).Dot(p[0].At.Sub(p[2].At))
	c2 := p[0].At.Sub(p[1].At).Dot(p[0].At.Sub(p[1].At))
	ca, cb, cc := j[1].Dot(j[2]), j[0].Dot(j[2]), j[0].Dot(j[1])
	q, r := (a2-c2)/b2, (a2+c2)/b2
	coeff := [5]float64{
		(1+q)*(1+q) - 4*a2/b2*cc*cc,
		4 * (-q*(1+q)*cb + 2*a2/b2*cc*cc*cb - (1-r)*ca*cc),
		2 * (q*q - 1 + 2*q*q*cb*cb + 2*(b2-c2)/b2*ca*ca - 4*r*ca*cb*cc + 2*(b2-a2)/b2*cc*cc),
		4 * (q*(1-q)*cb - (1-r)*ca*cc + 2*c2/b2*ca*ca*cb),
		(q-1)*(q-1) - 4*c2/b2*ca*ca,
	} // from the constant to the fourth power of v
	for _, x := range realRoots(coeff) {
		if x <= 0 {
			continue
		}
		den := 2 * (cc - x*ca)
		if math.Abs(den) < 1e-12 {
			continue
		}
		u := ((q-1)*x*x - 2*q*cb*x + 1 + q) / den
		s1 := b2 / (1 + x*x - 2*x*cb)
		if u <= 0 || s1 <= 0 {
			continue
		}
		s := math.Sqrt(s1)
		in := [3]geom.V{j[0].Mul(s), j[1].Mul(s * u), j[2].Mul(s * x)}
		if n, ok := align(v, in, [3]geom.V{p[0].At, p[1].At, p[2].At}); ok {
			out = append(out, n)
		}
	}
	return out
}

// align stands a view so that three points in its space fall on three of the set.
func align(v optics.View, in, to [3]geom.V) (optics.View, bool) {
	base := func(p [3]geom.V) (m [3]geom.V, ok bool) {
		x := p[1].Sub(p[0])
		n := x.Cross(p[2].Sub(p[0]))
		if x.Len() < 1e-12 || n.Len() < 1e-12 {
			return m, false
		}
		x, n = x.Unit(), n.Unit()
		return [3]geom.V{x, n.Cross(x), n}, true
	}
	a, ok1 := base(in)
	b, ok2 := base(to)
	if !ok1 || !ok2 {
		return v, false
	}
	// R = b · aᵀ
	turn := func(p geom.V) geom.V {
		return b[0].Mul(a[0].Dot(p)).Add(b[1].Mul(a[1].Dot(p))).Add(b[2].Mul(a[2].Dot(p)))
	}
	v.Face(fromAxes(turn(geom.V{X: 1}), turn(geom.V{Y: 1}), turn(geom.V{Z: 1})))
	v.Eye = to[0].Sub(v.Turn().Rotate(in[0]))
	return v, true
}

// fromAxes is the rotation that brings the axes to x, y and z (S. Shepperd,
// Quaternion from Rotation Matrix, 1978).
func fromAxes(x, y, z geom.V) geom.Q {
	t := x.X + y.Y + z.Z
	switch {
	case t >= max(x.X, y.Y, z.Z):
		return geom.Q{X: y.Z - z.Y, Y: z.X - x.Z, Z: x.Y - y.X, W: 1 + t}.Unit()
	case x.X >= max(y.Y, z.Z):
		return geom.Q{X: 1 + x.X - y.Y - z.Z, Y: y.X + x.Y, Z: z.X + x.Z, W: y.Z - z.Y}.Unit()
	case y.Y >= z.Z:
		return geom.Q{X: y.X + x.Y, Y: 1 + y.Y - x.X - z.Z, Z: z.Y + y.Z, W: z.X - x.Z}.Unit()
	}
	return geom.Q{X: z.X + x.Z, Y: z.Y + y.Z, Z: 1 + z.Z - x.X - y.Y, W: x.Y - y.X}.Unit()
}

// realRoots are those of a polynomial of the fourth degree, constant first
// (all roots at once: E. Durand, 1960; I. Kerner, 1966).
func realRoots(c [5]float64) (out []float64) {
	n := 4
	for n > 0 && math.Abs(c[n]) < 1e-14 {
		n--
	}
	if n == 0 {
		return nil
	}
	z := make([]complex128, n)
	for i := range z {
		z[i] = cmplx.Pow(complex(0.4, 0.9), complex(float64(i), 0))
	}
	at := func(x complex128) complex128 {
		s := complex(1, 0)
		for k := n - 1; k >= 0; k-- {
			s = s*x + complex(c[k]/c[n], 0)
		}
		return s
	}
	for range 200 {
		moved := 0.0
		for i := range z {
			d := complex(1, 0)
			for k := range z {
				if k != i {
					d *= z[i] - z[k]
				}
			}
			if d == 0 {
				d = 1e-30
			}
			step := at(z[i]) / d
			z[i] -= step
			moved = max(moved, cmplx.Abs(step))
		}
		if moved < 1e-14 {
			break
		}
	}
	for _, x := range z {
		// Double roots split into a pair that is a little off the line.
		if math.Abs(imag(x)) < 1e-4*max(1, cmplx.Abs(x)) {
			out = append(out, real(x))
		}
	}
	return out
}

// residual is how far from its place a point is seen, in picture widths.
func residual(v *optics.View, p Point) (dx, dy float64, ok bool) {
	x, y, _, ok := v.Project(p.At)
	return x - p.X, (y - p.Y) / v.Aspect, ok
}

// miss is the root mean square of the residuals; +Inf where a point lies behind.
func miss(v *optics.View, points []Point) float64 {
	sum := 0.0
	for _, p := range points {
		dx, dy, ok := residual(v, p)
		if !ok {
			return math.Inf(1)
		}
		sum += dx*dx + dy*dy
	}
	return math.Sqrt(sum / float64(len(points)))
}
