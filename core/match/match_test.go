package match

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
)

// scene is a random camera and n points of a box that it sees; depth 0 puts them
// onto one plane.
func scene(r *rand.Rand, n int, depth float64) (optics.View, []Point) {
	for {
		v := optics.Default()
		v.Aspect = 1.5
		v.Focal = 18 * math.Exp(r.Float64()*1.8)
		v.Eye = geom.V{X: r.NormFloat64() * 6, Y: 1 + r.Float64()*4, Z: 6 + r.Float64()*10}
		v.AimAt(geom.V{X: r.NormFloat64() * 0.5, Y: 1})
		v.Roll = r.NormFloat64() * 0.2
		if r.Float64() < 0.3 {
			v.ShiftY, v.ShiftX = 4, -2
		}
		var out []Point
		for range n * 50 {
			p := geom.V{X: r.Float64()*6 - 3, Y: r.Float64() * 3, Z: depth * (r.Float64()*4 - 2)}
			x, y, _, ok := v.Project(p)
			if ok && x > 0 && x < 1 && y > 0 && y < 1 {
				out = append(out, Point{p, x, y})
			}
			if len(out) == n {
				return v, out
			}
		}
	}
}

// off says how far two cameras are apart: metres, radians, share of the focal
// length.
func off(a, b optics.View) (way, turn, focal float64) {
	f, g := a.Turn(), b.Turn()
	turn = max(f.Rotate(geom.V{Z: -1}).Sub(g.Rotate(geom.V{Z: -1})).Len(),
		f.Rotate(geom.V{Y: 1}).Sub(g.Rotate(geom.V{Y: 1})).Len())
	return a.Eye.Sub(b.Eye).Len(), turn, math.Abs(a.Focal/b.Focal - 1)
}

func TestCameraIsFoundFromPointsWithoutNoise(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, c := range []struct {
		name  string
		n     int
		depth float64
	}{{"six in space", 6, 1}, {"twenty in space", 20, 1}, {"eight on a wall", 8, 0}, {"five on a wall", 5, 0}} {
		for k := range 40 {
			v, points := scene(r, c.n, c.depth)
			from := optics.Default()
			from.Aspect, from.ShiftX, from.ShiftY = v.Aspect, v.ShiftX, v.ShiftY
			got, err := Solve(from, points, false, 1920)
			if errors.Is(err, ErrPlane) && c.depth == 0 {
				continue // it happened to face the wall straight
			}
			if err != nil {
				t.Fatalf("%s, %d: %v", c.name, k, err)
			}
			if got.Other {
				continue // five points may have two cameras
			}
			way, turn, focal := off(got.View, v)
			if way > 1e-6*20 || turn > 1e-6 || focal > 1e-6 || got.Pixels > 1e-5 {
				t.Errorf("%s, %d: off by %.2g m, %.2g rad, focal length %.2g, %.2g px", c.name, k, way, turn, focal,
					got.Pixels)
			}
		}
	}
}

func TestFourPointsWithAKnownLens(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	same := 0
	for k := range 60 {
		v, points := scene(r, 4, 1)
		got, err := Solve(v, points, true, 1920)
		if err != nil {
			t.Fatalf("%d: %v", k, err)
		}
		if got.Pixels > 1e-5 {
			t.Errorf("%d: %v px", k, got.Pixels)
		}
		if way, turn, _ := off(got.View, v); way < 1e-5 && turn < 1e-6 {
			same++
		}
	}
	if same < 55 {
		t.Errorf("%d of 60 are the camera that it was", same)
	}
}

// With noise of one pixel of 1920 the error falls as points are added, about by
// the root of their number.
func TestErrorFallsWithTheNumberOfPoints(t *testing.T) {
	median := func(n int) float64 {
		r := rand.New(rand.NewPCG(5, 6))
		var all []float64
		for range 60 {
			v, points := scene(r, n, 1)
			for i := range points {
				points[i].X += r.NormFloat64() / 1920
				points[i].Y += r.NormFloat64() / 1920 * v.Aspect
			}
			from := optics.Default()
			from.Aspect, from.ShiftX, from.ShiftY = v.Aspect, v.ShiftX, v.ShiftY
			got, err := Solve(from, points, false, 1920)
			if err != nil {
				continue
			}
			_, _, focal := off(got.View, v)
			all = append(all, focal)
		}
		lo := 0.0
		for k := range all { // the median by counting
			less := 0
			for _, x := range all {
				if x < all[k] {
					less++
				}
			}
			if less == len(all)/2 {
				lo = all[k]
			}
		}
		return lo
	}
	six, twelve, fifty := median(6), median(12), median(50)
	t.Logf("focal length is off by (median): 6 points %.2f %%, 12 points %.2f %%, 50 points %.2f %%", 100*six,
		100*twelve, 100*fifty)
	if !(fifty < twelve && twelve < six) || six > 0.1 || fifty > 0.01 {
		t.Errorf("6 points %v, 12 points %v, 50 points %v", six, twelve, fifty)
	}
}

func TestPointsThatDetermineNoCamera(t *testing.T) {
	v := optics.Default()
	v.Eye, v.Yaw, v.Pitch = geom.V{Y: 1.5, Z: 8}, 0, 0
	see := func(list ...geom.V) (out []Point) {
		for _, p := range list {
			x, y, _, _ := v.Project(p)
			out = append(out, Point{p, x, y})
		}
		return out
	}
	for name, c := range map[string]struct {
		points []Point
		want   error
	}{
		"three":     {see(geom.V{}, geom.V{X: 1}, geom.V{Y: 1}), ErrFew},
		"on a line": {see(geom.V{}, geom.V{X: 1}, geom.V{X: 2}, geom.V{X: 3}, geom.V{X: -1}), ErrLine},
		"faced straight": {see(geom.V{X: -2}, geom.V{X: 2}, geom.V{X: 2, Y: 3}, geom.V{X: -2, Y: 3}, geom.V{Y: 1}),
			ErrPlane},
		"twice": {see(geom.V{}, geom.V{X: 1}, geom.V{X: 1}, geom.V{Y: 1}), ErrSame},
	} {
		if _, err := Solve(v, c.points, false, 1920); !errors.Is(err, c.want) {
			t.Errorf("%s: %v, want %v", name, err, c.want)
		}
	}
}

func TestCameraIsFoundFromLinesAlongTheAxes(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	solved := 0
	for range 60 {
		v, _ := scene(r, 4, 1)
		line := func(axis string, p geom.V) Line {
			q := p.Add(axes[axis].Mul(2))
			x0, y0, _, _ := v.Project(p)
			x1, y1, _, _ := v.Project(q)
			return Line{axis, x0, y0, x1, y1}
		}
		lines := []Line{line("x", geom.V{X: -2}), line("x", geom.V{X: -2, Y: 2, Z: 1}), line("x", geom.V{Y: 1, Z: -2}),
			line("z", geom.V{X: -2, Z: -1}), line("z", geom.V{X: 2, Y: 2, Z: -1}), line("y", geom.V{X: 1, Z: 1})}
		from := v
		from.Focal *= 1.7
		from.Yaw += 0.1
		from.Pitch -= 0.05
		got, err := SolveLines(from, lines, 1920)
		if err != nil {
			continue // a line across the view vanishes nowhere
		}
		solved++
		_, turn, focal := off(got.View, v)
		if turn > 1e-6 || focal > 1e-6 || got.Pixels > 1e-5 {
			t.Errorf("off by %.2g rad, focal length %.2g, %.2g px", turn, focal, got.Pixels)
		}
		// A post of 2 m tells how high the camera is.
		fx, fy, _, _ := v.Project(geom.V{X: 1})
		hx, hy, _, _ := v.Project(geom.V{X: 1, Y: 2})
		up, err := Rise(got.View, fx, fy, hx, hy, 2)
		if err != nil || math.Abs(up.Eye.Y-v.Eye.Y) > 1e-4 {
			t.Errorf("stands %v m high, want %v (%v)", up.Eye.Y, v.Eye.Y, err)
		}
	}
	if solved < 50 {
		t.Errorf("%d of 60 solved", solved)
	}
	v := optics.Default()
	for name, lines := range map[string][]Line{
		"one axis": {{"x", 0, 0, 1, 0.1}, {"x", 0, 1, 1, 0.9}},
		"parallel": {{"x", 0, 0.1, 1, 0.1}, {"x", 0, 0.9, 1, 0.9}, {"z", 0.2, 0, 0.4, 0.5}, {"z", 0.8, 0, 0.6, 0.5}},
		"a dot":    {{"x", 0.5, 0.5, 0.5, 0.5}},
	} {
		if _, err := SolveLines(v, lines, 1920); err == nil {
			t.Errorf("%s was accepted", name)
		}
	}
}

func FuzzSolve(f *testing.F) {
	f.Add(0.1, 0.2, 0.9, 0.3, 0.5, 0.8, 0.2, 0.7, 1.0)
	f.Fuzz(func(t *testing.T, a, b, c, d, e, g, h, i, z float64) {
		points := []Point{{geom.V{X: -1}, a, b}, {geom.V{X: 1}, c, d}, {geom.V{Y: 2, Z: z}, e, g},
			{geom.V{X: 1, Y: 2}, h, i}, {geom.V{Z: z}, b, h}}
		r, err := Solve(optics.Default(), points, false, 1920)
		if err == nil && (math.IsNaN(r.Pixels) || r.View.Check() != nil) {
			t.Fatalf("%+v", r)
		}
	})
}
