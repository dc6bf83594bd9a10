package optics

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// z²/(n·2^24) for a far plane far beyond (perspective depth mapping, OpenGL
// specification); the exact step against what rounding to a buffer does.
func TestDepthStepsAreWhatABufferTellsApart(t *testing.T) {
	near(t, "24 bits", DepthStep("24", 1000, 0.1, math.Inf(1)), 1000*1000/(0.1*math.Exp2(24)), 1e-9)
	const n, f = 0.25, 16000.0
	keep := map[string]func(z float64) float64{
		"24":       func(z float64) float64 { return math.Round(f / (f - n) * (1 - n/z) * (1<<24 - 1)) },
		"32f":      func(z float64) float64 { return float64(float32(f / (f - n) * (1 - n/z))) },
		"reversed": func(z float64) float64 { return float64(float32(n * (f - z) / (z * (f - n)))) },
	}
	for _, buffer := range Buffers {
		for _, z := range []float64{0.5, 3, 40, 900, 12000} {
			// The shortest way on after which the buffer surely holds another value is
			// found by looking; rounding may need a little less or more.
			step, first := DepthStep(buffer, z, n, f), keep[buffer](z)
			way := step / 64
			for keep[buffer](z+way) == first {
				way += step / 64
			}
			second := way
			for keep[buffer](z+second) == keep[buffer](z+way) {
				second += step / 64
			}
			if got := second - way; got < step*0.4 || got > step*2.1 {
				t.Errorf("%s at %v m: values are %.3g m apart, told %.3g", buffer, z, got, step)
			}
		}
	}
	if a, b := DepthStep("reversed", 1000, 0.01, 1e5),
		DepthStep("reversed", 1000, 10, 1e5); math.Abs(math.Log2(a/b)) > 1.01 {
		t.Errorf("a reversed buffer depends on its near plane: %v and %v", a, b)
	}
	for _, buffer := range []string{"24", "32f"} {
		need := NearFor(buffer, 500, 0.01, 5000)
		near(t, buffer, DepthStep("24", 500, need, 5000), 0.01, 1e-9)
	}
	if !math.IsInf(NearFor("24", 5000, 1e-7, 1e5), 1) {
		t.Error("a gap that no near plane parts is said to be parted")
	}
}

// ISO 12232, saturation-based speed: 1.2·2^EV cd/m². ISO 2720: log2(L·S/K).
func TestMeterAndSaturation(t *testing.T) {
	near(t, "saturation at EV 0", Saturation(0), 1.2, 1e-12)
	near(t, "saturation at EV 10", Saturation(10), 1228.8, 1e-9)
	near(t, "metered 4096 cd/m²", Metered(4096), 15, 0.001) // 4096·100/12.5 = 2^15
}

// f²/(N·(s-f)): 50 mm f/2 focused at 2 m draws infinity 0.641 mm wide.
func TestBlurOfWhatIsNotInFocus(t *testing.T) {
	near(t, "infinity", Blur(50, 2, 2, math.Inf(1)), 2500/(2*1950.0), 1e-9)
	near(t, "in focus", Blur(50, 2, 2, 2), 0, 1e-12)
	v := Default()
	v.Focal, v.FNumber, v.Focus = 50, 2, 2
	n, f := v.SharpZone()
	near(t, "at the near limit it is the circle of confusion", Blur(50, 2, 2, n), 0.03, 1e-9)
	near(t, "and at the far one", Blur(50, 2, 2, f), 0.03, 1e-9)
	v.Delivered = 3840
	near(t, "twice as large a picture", v.CircleOfConfusion(), 0.015, 1e-12)
}

func TestAllSharpMeetsBothLimits(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		v := Default()
		v.Focal = 18 + r.Float64()*60
		lo := 1 + r.Float64()*5
		hi := lo * (1.2 + r.Float64()*3)
		n, s, err := v.AllSharp(lo, hi)
		if err != nil {
			continue // it would take a smaller hole than lenses have
		}
		if n == 0.5 {
			continue // more is sharp than was asked for
		}
		v.FNumber, v.Focus = n, s
		a, b := v.SharpZone()
		near(t, "near", a, lo, 1e-9*lo)
		near(t, "far", b, hi, 1e-6*hi)
	}
	v := Default()
	n, s, err := v.AllSharp(3, math.Inf(1))
	if err != nil {
		t.Fatal(err)
	}
	near(t, "focus for half to infinity", s, 6, 1e-12)
	near(t, "which is the hyperfocal distance", Hyperfocal(v.Focal, n, v.CircleOfConfusion()), 6, 1e-9)
	for _, bad := range [][2]float64{{0, 3}, {5, 2}, {math.NaN(), 4}} {
		if _, _, err := v.AllSharp(bad[0], bad[1]); err == nil {
			t.Errorf("%v was accepted", bad)
		}
	}
}

// What is drawn through a window is where Project says, for shifted, squeezed and
// rolled lenses; and Upright shears the shift away.
func TestWindowProjectAndUprightAgree(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		v := Default()
		v.Yaw, v.Pitch, v.Roll = r.Float64()*6, r.Float64()-0.5, r.NormFloat64()
		v.ShiftX, v.ShiftY, v.Squeeze, v.Aspect = r.NormFloat64()*6, r.NormFloat64()*6, 1+r.Float64(), 1+1.5*r.Float64()
		x, y, d := r.Float64(), r.Float64(), 0.5+r.Float64()*50
		p := v.Eye.Add(v.Ray(x, y).Mul(d))
		gx, gy, gd, ok := v.Project(p)
		if !ok || math.Abs(gx-x) > 1e-9 || math.Abs(gy-y) > 1e-9 || math.Abs(gd-d) > 1e-9*d {
			t.Fatalf("%v, %v at %v came back as %v, %v at %v", x, y, d, gx, gy, gd)
		}
		m, tx, ty := v.Upright()
		q := m.Point(p)
		if math.Abs(0.5+q.X/d/(2*tx)-x) > 1e-9 || math.Abs(0.5-q.Y/d/(2*ty)-y) > 1e-9 {
			t.Fatalf("upright: %v", q)
		}
	}
	v := Default()
	v.Squeeze, v.Aspect, v.SensorW, v.SensorH = 2, 2.4, 24, 20 // a 2x lens on a gate of 1.2
	w := v.Window()
	near(t, "width over height", (w.Right-w.Left)/(w.Top-w.Bottom), 2.4, 1e-12)
	near(t, "it sees twice as wide", w.Right, 2*12/v.Focal, 1e-12)
}

// Straight shows the middle of the picture where it was, with verticals parallel.
func TestShiftKeepsVerticalsParallel(t *testing.T) {
	v := Default()
	v.Pitch = 0.15
	s, high := v.Straight()
	if s.Pitch != 0 || high {
		t.Errorf("%+v, too high: %v", s, high)
	}
	ahead := v.Eye.Add(v.Forward().Mul(20))
	x, y, _, _ := s.Project(ahead)
	near(t, "across", x, 0.5, 1e-12)
	near(t, "down", y, 0.5, 1e-9)
	x0, _, _, _ := s.Project(geom.V{X: 3, Y: 0, Z: -10})
	x1, _, _, _ := s.Project(geom.V{X: 3, Y: 9, Z: -10})
	near(t, "a post is upright", x0, x1, 1e-12)
	v.Pitch, v.Focal = 0.6, 50
	if _, high := v.Straight(); !high {
		t.Error("34 mm of shift are said to be had")
	}
}

func TestDollyZoomKeepsTheSize(t *testing.T) {
	v := Default()
	v.Focus = 4
	at := v.Eye.Add(v.Forward().Mul(4))
	top := at.Add(geom.V{Y: 1})
	_, y0, _, _ := v.Project(top)
	w := v.With(85, true)
	_, y1, d, _ := w.Project(top)
	near(t, "height", y1, y0, 1e-12)
	near(t, "distance", d, 4*85/35.0, 1e-9)
	near(t, "focus", w.Focus, d, 1e-9)
}

func TestHorizonOfARolledCamera(t *testing.T) {
	v := Default()
	l, r, ok := v.Horizon()
	if !ok {
		t.Fatal("no horizon")
	}
	near(t, "level", l, 0.5, 1e-12)
	near(t, "level", r, 0.5, 1e-12)
	v.Yaw, v.Pitch, v.Roll = 1, 0.1, 0.05
	l, r, _ = v.Horizon()
	for x, y := range map[float64]float64{0: l, 1: r} { // the ray through it is level
		near(t, fmt.Sprint("at ", x), v.Ray(x, y).Y, 0, 1e-12)
	}
}

// A subject framed by each of the ways stands where it was asked for, exactly.
func TestComposedSubjectsStandWhereTheyWereAskedFor(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	solved := 0
	for range 400 {
		v := Default()
		v.Eye = geom.V{X: r.NormFloat64() * 3, Y: 1 + r.Float64(), Z: 8 + r.NormFloat64()}
		v.Yaw, v.Pitch, v.Roll = r.NormFloat64()*0.2, r.NormFloat64()*0.1, r.NormFloat64()*0.05
		v.ShiftY = r.NormFloat64() * 2
		var points []geom.V
		for range 12 {
			points = append(points, geom.V{X: r.NormFloat64() * 0.4, Y: r.Float64() * 1.8, Z: r.NormFloat64()*0.4 - 3})
		}
		a := Ask{X: 0.25 + r.Float64()*0.5, Y: 0.35 + r.Float64()*0.3, Height: 0.2 + r.Float64()*0.5,
			How: Ways[r.IntN(3)]}
		if r.Float64() < 0.3 {
			a.Width, a.Height = a.Height/2, 0
		}
		got, err := v.Compose(points, a)
		if err != nil {
			continue
		}
		solved++
		left, right, top, bottom, _, ok := got.Extent(points)
		if !ok || math.Abs((left+right)/2-a.X) > 1e-5 || math.Abs((top+bottom)/2-a.Y) > 1e-5 || a.Height > 0 &&
			math.Abs(bottom-top-a.Height) > 1e-4 || a.Width > 0 && math.Abs(right-left-a.Width) > 1e-4 {
			t.Fatalf("%+v: it stands at %v, %v, %v x %v", a, (left+right)/2, (top+bottom)/2, right-left, bottom-top)
		}
		switch a.How {
		case "move":
			if got.Yaw != v.Yaw || got.Pitch != v.Pitch || got.Focal != v.Focal {
				t.Error("moving changed the aim or the lens")
			}
		case "turn":
			if got.Eye != v.Eye {
				t.Error("turning moved the camera")
			}
		case "walk":
			if got.Eye.Y != v.Eye.Y || got.Focal != v.Focal {
				t.Error("walking changed the height of the eye or the lens")
			}
		}
	}
	if solved < 380 {
		t.Errorf("%d of 400 solved", solved)
	}
	for name, a := range map[string]Ask{"no size": {X: 0.5, Y: 0.5},
		"a way that is none": {X: 0.5, Y: 0.5, Height: 0.5, How: "fly"}} {
		v := Default()
		if _, err := v.Compose([]geom.V{{}, {Y: 1}}, a); err == nil {
			t.Errorf("%s was accepted", name)
		}
	}
}

func TestFilesCamerasKeepTheirRoll(t *testing.T) {
	v := Default()
	v.Yaw, v.Pitch, v.Roll, v.Focal = 0.7, -0.2, 0.3, 50
	_, high := v.FieldOfView()
	got, ok := FromCamera(&model.Camera{YFov: high, Aspect: v.Aspect, Near: 0.5, Far: 90}, v.World(), 1)
	if !ok || math.Abs(got.Yaw-0.7) > 1e-9 || math.Abs(got.Pitch+0.2) > 1e-9 || math.Abs(got.Roll-0.3) > 1e-9 ||
		math.Abs(got.Focal-50) > 1e-9 || got.Near != 0.5 || got.Far != 90 {
		t.Errorf("%+v", got)
	}
	if _, ok := FromCamera(&model.Camera{Orthographic: true}, geom.Identity, 1); ok {
		t.Error("an orthographic camera became a lens")
	}
}

func BenchmarkCompose(b *testing.B) {
	v := Default()
	r := rand.New(rand.NewPCG(1, 1))
	var points []geom.V
	for range 96 {
		points = append(points, geom.V{X: r.NormFloat64(), Y: r.Float64() * 2, Z: r.NormFloat64()})
	}
	for _, how := range Ways {
		b.Run(how, func(b *testing.B) {
			for b.Loop() {
				if _, err := v.Compose(points, Ask{X: 0.4, Y: 0.5, Height: 0.5, How: how}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// A scale on a camera's node says nothing of its planes; focus and f-number come along.
func TestACamerasNodeIsNotItsUnit(t *testing.T) {
	c := &model.Camera{YFov: 0.5, Aspect: 1.5, Near: 10, Far: 5000, Focus: 300, FNumber: 2.8}
	for _, scale := range []float64{1, 7, 0.01} {
		world := geom.Translation(geom.V{Y: 2})
		world = world.Mul(geom.Scaling(scale))
		v, ok := FromCamera(c, world, 0.01)
		if !ok || math.Abs(v.Near-0.1) > 1e-12 || math.Abs(v.Far-50) > 1e-9 || math.Abs(v.Focus-3) > 1e-12 ||
			v.FNumber != 2.8 {
			t.Errorf("scale %v: %+v", scale, v)
		}
	}
}
