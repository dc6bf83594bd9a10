package match

import (
	"math"

	"visator/core/geom"
	"visator/core/optics"
)

// moved is a view changed by small steps: three turns about its own axes, three
// ways, and the logarithm of the focal length.
func moved(v optics.View, d []float64) optics.View {
	turn := geom.V{X: d[0], Y: d[1], Z: d[2]}
	if a := turn.Len(); a > 0 {
		v.Face(v.Turn().Mul(geom.Turn(turn.Mul(1/a), a)))
	}
	v.Eye = v.Eye.Add(geom.V{X: d[3], Y: d[4], Z: d[5]})
	if len(d) > 6 {
		v.Focal *= math.Exp(d[6])
	}
	return v
}

// refine brings a view to the least squares error of points.
func refine(v optics.View, points []Point, focalGiven bool, rounds int) (optics.View, bool) {
	n := 7
	if focalGiven {
		n = 6
	}
	scale := span(points)
	return least(v, n, rounds, scale, func(v *optics.View) ([]float64, bool) {
		out := make([]float64, 0, 2*len(points))
		for _, p := range points {
			dx, dy, ok := residual(v, p)
			if !ok {
				return nil, false
			}
			out = append(out, dx, dy)
		}
		return out, true
	})
}

// least brings a view to the least squares of residuals, by n steps of moved;
// ways count in units of scale. It takes rounds steps at most.
func least(v optics.View, n, rounds int, scale float64, of func(*optics.View) ([]float64, bool)) (optics.View, bool) {
	r, ok := of(&v)
	if !ok {
		return v, false
	}
	lambda := 1e-3
	for range rounds {
		j, ok := jacobian(v, n, scale, of)
		if !ok {
			return v, false
		}
		a, g := make([][]float64, n), make([]float64, n)
		for p := range n {
			a[p] = make([]float64, n)
			for q := range n {
				for k := range r {
					a[p][q] += j[k][p] * j[k][q]
				}
			}
			for k := range r {
				g[p] -= j[k][p] * r[k]
			}
		}
		now, better := square(r), false
		for range 12 {
			m := make([][]float64, n)
			for p := range n {
				m[p] = append(append([]float64{}, a[p]...), g[p])
				m[p][p] += lambda * (a[p][p] + 1e-12)
			}
			step, fine := gauss(m)
			if !fine {
				lambda *= 10
				continue
			}
			next := moved(v, inMetres(step, scale))
			if s, ok := of(&next); ok && square(s) < now {
				v, r, better = next, s, true
				lambda = max(lambda/10, 1e-12)
				break
			}
			lambda *= 10
		}
		if !better || now-square(r) < 1e-12*now || now < 1e-28 {
			break
		}
	}
	return v, !math.IsNaN(v.Focal) && v.Eye.Finite()
}

func inMetres(step []float64, scale float64) []float64 {
	out := append([]float64{}, step...)
	for k := 3; k < 6 && k < len(out); k++ {
		out[k] *= scale
	}
	return out
}

// jacobian is how the residuals change by each step, by central differences.
func jacobian(v optics.View, n int, scale float64, of func(*optics.View) ([]float64, bool)) ([][]float64, bool) {
	const h = 1e-6
	var out [][]float64
	for p := range n {
		d := make([]float64, max(n, 6))
		d[p] = h
		up := moved(v, inMetres(d, scale))
		d[p] = -h
		down := moved(v, inMetres(d, scale))
		a, ok1 := of(&up)
		b, ok2 := of(&down)
		if !ok1 || !ok2 {
			return nil, false
		}
		if out == nil {
			out = make([][]float64, len(a))
			for k := range out {
				out[k] = make([]float64, n)
			}
		}
		for k := range a {
			out[k][p] = (a[k] - b[k]) / (2 * h)
		}
	}
	return out, true
}

func square(r []float64) (s float64) {
	for _, x := range r {
		s += x * x
	}
	return s
}

// gauss solves linear equations whose right sides are the last column.
func gauss(m [][]float64) ([]float64, bool) {
	n := len(m)
	for c := range n {
		p := c
		for r := c; r < n; r++ {
			if math.Abs(m[r][c]) > math.Abs(m[p][c]) {
				p = r
			}
		}
		if math.Abs(m[p][c]) < 1e-300 {
			return nil, false
		}
		m[c], m[p] = m[p], m[c]
		for r := range n {
			if r != c {
				k := m[r][c] / m[c][c]
				for q := c; q <= n; q++ {
					m[r][q] -= k * m[c][q]
				}
			}
		}
	}
	x := make([]float64, n)
	for i := range x {
		x[i] = m[i][n] / m[i][i]
	}
	return x, true
}

// weak reports whether focal length and distance cannot be told apart: the
// equations for all seven unknowns have almost no solution of their own.
func weak(v optics.View, points []Point) bool {
	j, ok := jacobian(v, 7, span(points), func(v *optics.View) ([]float64, bool) {
		var out []float64
		for _, p := range points {
			dx, dy, ok := residual(v, p)
			if !ok {
				return nil, false
			}
			out = append(out, dx, dy)
		}
		return out, true
	})
	if !ok {
		return false
	}
	// The focal length's column, less all that the others can make of it (Gram
	// and Schmidt): what is left is what tells it.
	column := func(c int) []float64 {
		out := make([]float64, len(j))
		for k := range j {
			out[k] = j[k][c]
		}
		return out
	}
	var base [][]float64
	less := func(x []float64) []float64 {
		for range 2 {
			for _, b := range base {
				d := 0.0
				for k := range x {
					d += x[k] * b[k]
				}
				for k := range x {
					x[k] -= d * b[k]
				}
			}
		}
		return x
	}
	for c := range 6 {
		x := less(column(c))
		if l := math.Sqrt(square(x)); l > 1e-9 {
			for k := range x {
				x[k] /= l
			}
			base = append(base, x)
		}
	}
	focal := column(6)
	whole := math.Sqrt(square(focal))
	return math.Sqrt(square(less(focal))) < weakShare*whole
}

// weakShare is the share of the focal length's effect on the picture that must be
// its own: below it, a pixel of noise makes the focal length anything.
const weakShare = 0.003
