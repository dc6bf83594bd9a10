package optics

import (
	"errors"
	"math"

	"visator/core/geom"
)

// Ask is how a subject is to stand in the picture.
type Ask struct {
	X      float64 `json:"x"`      // of its middle, 0..1 from the left
	Y      float64 `json:"y"`      // of its middle, 0..1 from the top
	Height float64 `json:"height"` // share of the picture's height; 0: Width counts
	Width  float64 `json:"width"`  // share of the picture's width, where Height is 0
	How    string  `json:"how"`    // one of Ways
}

// Ways are what may change to frame a subject: the camera is moved, and keeps
// its aim and its lens; it is turned and its lens changes, and it keeps its
// place; or it is moved along the ground and turned, and keeps its height and
// its lens.
var Ways = []string{"move", "turn", "walk"}

// ErrNoView says that no view shows a subject as it was asked for.
var ErrNoView = errors.New("no view shows it so: ask for a smaller picture of it, or for another place")

// Compose is the view from which a subject, given by points of it, stands in
// the picture as asked.
//
// Moving is solved in closed form. With t a tangent of the window, what lies
// below the picture's line at t satisfies y - t·d <= eyeY - t·eyeD, whose left
// side has its largest value at one point of the subject wherever the eye is:
// the lines through its top and its bottom meet where the eye must be. Turning
// and walking go by Newton's method on three unknowns.
func (v View) Compose(points []geom.V, a Ask) (View, error) {
	switch {
	case len(points) == 0:
		return v, errors.New("the subject has no shape to frame")
	case !(a.X > -1 && a.X < 2 && a.Y > -1 && a.Y < 2):
		return v, errors.New("a place in the picture is 0 to 100 % from its left and top")
	case !(a.Height >= 0 && a.Height <= 20 && a.Width >= 0 && a.Width <= 20 && a.Height+a.Width > 0.001):
		return v, errors.New("a size in the picture is more than 0.1 % of it, up to 2000 %")
	}
	mid := geom.Empty()
	for _, p := range points {
		mid = mid.Add(p)
	}
	if mid.Size().Len() < 1e-9 {
		return v, errors.New("the subject has no size to frame")
	}
	var err error
	switch a.How {
	case "move", "":
		v, err = v.moveTo(points, a)
	case "turn":
		v.AimAt(mid.Center())
		v, err = v.newton(points, a, func(v View, p [3]float64) View {
			v.Yaw, v.Pitch, v.Focal = p[0], p[1], math.Exp(p[2])
			return v
		}, [3]float64{v.Yaw, v.Pitch, math.Log(v.Focal)}, mid.Size().Len())
	case "walk":
		// From where it stands now, along the line to the subject.
		c, eye := mid.Center(), v.Eye
		bearing := math.Atan2(eye.X-c.X, eye.Z-c.Z)
		r := math.Hypot(eye.X-c.X, eye.Z-c.Z)
		v.AimAt(c)
		sin, cos := math.Sincos(bearing)
		v, err = v.newton(points, a, func(v View, p [3]float64) View {
			v.Yaw, v.Pitch = p[0], p[1]
			d := math.Exp(p[2])
			v.Eye = geom.V{X: c.X + d*sin, Y: eye.Y, Z: c.Z + d*cos}
			return v
		}, [3]float64{v.Yaw, v.Pitch, math.Log(math.Max(r, 0.1))}, mid.Size().Len())
	default:
		return v, errors.New("a subject is framed by move, turn or walk")
	}
	if err != nil {
		return v, err
	}
	if _, _, depth, ok := v.Project(mid.Center()); ok {
		v.Focus = depth
	}
	return v, v.Check()
}

func (v View) moveTo(points []geom.V, a Ask) (View, error) {
	w := v.Window()
	turn := v.Turn()
	right, up, ahead := turn.Rotate(geom.V{X: 1}), turn.Rotate(geom.V{Y: 1}), turn.Rotate(geom.V{Z: -1})
	// Places along the camera's axes; the eye's are what is looked for.
	at := make([][3]float64, len(points))
	for i, p := range points {
		at[i] = [3]float64{p.Dot(right), p.Dot(up), p.Dot(ahead)}
	}
	// The side that is given, first, fixes how far away; the middle of the other
	// one then how far aside.
	given, other := 1, 0
	share, lo, hi, mid := a.Height, w.Bottom, w.Top, 1-a.Y
	otherMid, otherLo, otherHi := a.X, w.Left, w.Right
	if a.Height == 0 {
		given, other = 0, 1
		share, lo, hi, mid = a.Width, w.Left, w.Right, a.X
		otherMid, otherLo, otherHi = 1-a.Y, w.Bottom, w.Top
	}
	t1, t0 := lo+(mid+share/2)*(hi-lo), lo+(mid-share/2)*(hi-lo)
	most, least := math.Inf(-1), math.Inf(1)
	for _, p := range at {
		most, least = math.Max(most, p[given]-t1*p[2]), math.Min(least, p[given]-t0*p[2])
	}
	// side - t1·d = most, side - t0·d = least
	d := (most - least) / (t0 - t1)
	side := most + t1*d
	for _, p := range at {
		if p[2]-d < 1e-6 {
			return v, ErrNoView
		}
	}
	want := otherLo + otherMid*(otherHi-otherLo)
	middle := func(x float64) float64 {
		l, r := math.Inf(1), math.Inf(-1)
		for _, p := range at {
			t := (p[other] - x) / (p[2] - d)
			l, r = math.Min(l, t), math.Max(r, t)
		}
		return (l+r)/2 - want
	}
	// The middle falls as the eye goes on: its place lies between two bounds.
	l, r := math.Inf(1), math.Inf(-1)
	for _, p := range at {
		x := p[other] - want*(p[2]-d)
		l, r = math.Min(l, x), math.Max(r, x)
	}
	for range 200 {
		m := (l + r) / 2
		if middle(m) > 0 {
			l = m
		} else {
			r = m
		}
		if r-l < 1e-12*math.Max(1, math.Abs(m)) {
			break
		}
	}
	x := (l + r) / 2
	if given == 0 {
		side, x = x, side // up was looked for
	}
	v.Eye = right.Mul(x).Add(up.Mul(side)).Add(ahead.Mul(d))
	return v, nil
}

// Extent is where points fall in the picture, and how far the nearest lies
// along the axis; ok is false when one of them lies behind the lens.
func (v *View) Extent(points []geom.V) (left, right, top, bottom, near float64, ok bool) {
	m, tx, ty := v.Upright()
	left, right, top, bottom, near = math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1), math.Inf(1)
	for _, p := range points {
		q := m.Point(p)
		d := -q.Z
		if d < 1e-9 {
			return 0, 0, 0, 0, d, false
		}
		x, y := 0.5+q.X/d/(2*tx), 0.5-q.Y/d/(2*ty)
		left, right, top, bottom, near = math.Min(left, x), math.Max(right, x), math.Min(top, y), math.Max(bottom, y),
			math.Min(near, d)
	}
	return left, right, top, bottom, near, true
}

// newton solves for three unknowns that make a view; size is about that of the
// subject in metres.
func (v View) newton(points []geom.V, a Ask, with func(View, [3]float64) View, p [3]float64,
	size float64) (View, error) {
	miss := func(p [3]float64) (out [3]float64, ok bool) {
		n := with(v, p)
		l, r, t, b, near, ok := n.Extent(points)
		if !ok || near < size*1e-6 || n.Focal < 0.1 || n.Focal > 1e5 {
			return out, false
		}
		out = [3]float64{(l+r)/2 - a.X, (t+b)/2 - a.Y, math.Log((b - t) / a.Height)}
		if a.Height == 0 {
			out[2] = math.Log((r - l) / a.Width)
		}
		return out, true
	}
	norm := func(f [3]float64) float64 { return math.Sqrt(f[0]*f[0] + f[1]*f[1] + f[2]*f[2]) }
	f, ok := miss(p)
	for k := 0; !ok && k < 40; k++ { // too near to see all of it: step back or widen
		if a.How == "turn" {
			return v, errors.New("the camera stands within it: it cannot be framed from there")
		}
		p[2] += 0.3
		f, ok = miss(p)
	}
	for range 60 {
		if !ok || norm(f) < 1e-10 {
			break
		}
		var j [3][3]float64
		const h = 1e-6
		for k := range 3 {
			q := p
			q[k] += h
			g, fine := miss(q)
			if !fine {
				return v, ErrNoView
			}
			for i := range 3 {
				j[i][k] = (g[i] - f[i]) / h
			}
		}
		step, fine := solve3(j, f)
		if !fine {
			return v, ErrNoView
		}
		better := false
		for damp := 1.0; damp > 1e-4; damp /= 2 {
			q := [3]float64{p[0] - damp*step[0], p[1] - damp*step[1], p[2] - damp*step[2]}
			if g, fine := miss(q); fine && math.Abs(q[1]) < math.Pi/2 && norm(g) < norm(f) {
				p, f, better = q, g, true
				break
			}
		}
		if !better {
			break
		}
	}
	if !ok || norm(f) > 1e-5 {
		return v, ErrNoView
	}
	return with(v, p), nil
}

// solve3 solves three linear equations by Cramer's rule.
func solve3(m [3][3]float64, b [3]float64) (x [3]float64, ok bool) {
	col := func(k int) geom.V { return geom.V{X: m[0][k], Y: m[1][k], Z: m[2][k]} }
	r := geom.V{X: b[0], Y: b[1], Z: b[2]}
	det := col(0).Dot(col(1).Cross(col(2)))
	if math.Abs(det) < 1e-15 {
		return x, false
	}
	return [3]float64{r.Dot(col(1).Cross(col(2))) / det, col(0).Dot(r.Cross(col(2))) / det,
		col(0).Dot(col(1).Cross(r)) / det}, true
}

// With is the view through another focal length. Where the size of what is in
// focus is kept the camera moves along its axis in the same ratio (a dolly
// zoom): sizes in the picture go by focal length over distance.
func (v View) With(focal float64, keepSize bool) View {
	if keepSize {
		k := focal / v.Focal
		v.Eye = v.Eye.Add(v.Forward().Mul(v.Focus * (1 - k)))
		v.Focus *= k
	}
	v.Focal = focal
	return v
}

// ShiftMost is the share of the sensor's height up to which shift lenses move:
// 12 mm of 24 (common practice).
const ShiftMost = 0.5

// Straight is the level view that shows the same by shifting the lens instead
// of tilting the camera, so that verticals stay parallel: shift = f·tan(pitch).
// high says that it takes more shift than lenses have.
func (v View) Straight() (out View, high bool) {
	up := v.Focal * math.Tan(v.Pitch)
	v.ShiftY += up
	v.Pitch, v.Roll = 0, 0
	return v, math.Abs(v.ShiftY) > ShiftMost*v.SensorH
}

// Horizon is where the horizon crosses the picture's left and right edge, 0..1
// from its top: what lies at the height of the eye, infinitely far away. ok is
// false when the camera looks straight up or down.
func (v *View) Horizon() (left, right float64, ok bool) {
	w := v.Window()
	turn := v.Turn()
	// The directions (tx, ty, -1) that are level: n·(tx, ty, -1) = 0, with n the
	// camera's coordinates of up.
	n := geom.V{X: turn.Rotate(geom.V{X: 1}).Y, Y: turn.Rotate(geom.V{Y: 1}).Y, Z: turn.Rotate(geom.V{Z: 1}).Y}
	if math.Abs(n.Y) < 1e-6 {
		return 0, 0, false
	}
	at := func(tx float64) float64 { return (w.Top - (n.Z-n.X*tx)/n.Y) / (w.Top - w.Bottom) }
	return at(w.Left), at(w.Right), true
}
