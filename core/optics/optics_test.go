package optics

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
)

func near(t *testing.T, what string, got, want, tol float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tol) {
		t.Errorf("%s: %v, want %v", what, got, want)
	}
}

// 2·atan(w/2f), any optics handbook.
func TestHorizontalFieldOfViewOfA36mmFrame(t *testing.T) {
	for focal, want := range map[float64]float64{24: 73.74, 35: 54.43, 50: 39.60, 85: 23.91, 120: 17.06} {
		v := Default()
		v.Focal, v.Aspect = focal, 1.5
		h, _ := v.FieldOfView()
		near(t, "degrees", h*180/math.Pi, want, 0.005)
	}
}

// S. Ray, Applied Photographic Optics: f²/(N·c)+f; half of it to infinity is
// sharp when focused there.
func TestHyperfocalDistance(t *testing.T) {
	near(t, "50 mm f/8", Hyperfocal(50, 8, 0.03), 10.467, 0.0005)
	v := Default()
	v.Focal, v.FNumber = 50, 8
	v.Focus = Hyperfocal(50, 8, 0.03)
	n, f := v.SharpZone()
	near(t, "half of it", n, v.Focus/2, 0.01)
	if !math.IsInf(f, 1) {
		t.Errorf("sharp to %v, want infinity", f)
	}
}

// ISO 2720; APEX: f/16, 1/100 s, ISO 100 is EV 14.64.
func TestExposureValue(t *testing.T) { near(t, "EV", EV100(16, 0.01, 100), 14.64, 0.005) }

func TestDepthStepOfA24BitBuffer(t *testing.T) {
	// perspective depth mapping, OpenGL specification: z² / (n · 2^24)
	near(t, "step at 1 km", DepthStep(1000, 0.1, 24), 0.596, 0.001)
}

func TestGateKeepsTheAspectWithinTheSensor(t *testing.T) {
	for _, a := range []float64{0.5, 1, 1.5, 16.0 / 9, 2.39} {
		v := Default()
		v.Aspect = a
		w, h := v.Gate()
		near(t, "aspect", w/h, a, 1e-12)
		if w > 36+1e-9 || h > 24+1e-9 {
			t.Errorf("gate %v x %v leaves the sensor", w, h)
		}
	}
}

func TestWhatIsAimedAtFallsIntoTheMiddle(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		v := Default()
		v.Roll = r.Float64()
		p := geom.V{X: r.NormFloat64() * 9, Y: r.NormFloat64() * 3, Z: r.NormFloat64() * 9}
		v.AimAt(p)
		x, y, d, ok := v.Project(p)
		near(t, "x", x, 0.5, 1e-9)
		near(t, "y", y, 0.5, 1e-9)
		near(t, "depth", d, p.Sub(v.Eye).Len(), 1e-9)
		if !ok {
			t.Fatal("behind the lens")
		}
	}
}

func TestFittedRangeCutsNothingThatIsSeen(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		v := Default()
		var spans []Span
		for range 20 {
			c := geom.V{X: r.NormFloat64() * 20, Y: r.Float64() * 4, Z: -math.Exp(r.Float64() * 9)}
			spans = append(spans, v.SpanOf(geom.Box{Min: c, Max: c.Add(geom.V{X: 1, Y: 2, Z: 1})}, geom.Identity))
		}
		n, f, ok := FitClip(spans, 0.01)
		if !ok {
			continue
		}
		for _, s := range spans {
			if s.Seen && (s.Near < n || s.Far > f) {
				t.Fatalf("%+v is cut by %v to %v", s, n, f)
			}
		}
	}
}

func TestImpossibleViewsAreRefused(t *testing.T) {
	for name, spoil := range map[string]func(*View){
		"focal length": func(v *View) { v.Focal = 0 }, "far before near": func(v *View) { v.Far = v.Near },
		"not a number": func(v *View) { v.Eye.X = math.NaN() }, "aperture": func(v *View) { v.FNumber = 0 },
	} {
		v := Default()
		spoil(&v)
		if v.Check() == nil {
			t.Errorf("%s was accepted", name)
		}
	}
	v := Default()
	if err := v.Check(); err != nil {
		t.Error(err)
	}
}
