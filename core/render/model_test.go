package render

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/light"
	"visator/core/sky"
)

// hemisphere is a direction about +Z, evenly over the half sphere.
func hemisphere(r *rand.Rand) geom.V {
	z, phi := r.Float64(), 2*math.Pi*r.Float64()
	q := math.Sqrt(1 - z*z)
	return geom.V{X: q * math.Cos(phi), Y: q * math.Sin(phi), Z: z}
}

// surfacePoint is a point of a floor of one material, seen from a direction in
// the frame of the point.
func surfacePoint(t *testing.T, rough, metal float64, from geom.V) point {
	t.Helper()
	k := &testScene{}
	k.add(floor(k.surface(grey(1, rough, metal)), 5))
	s := k.build(t)
	s.Build()
	up := geom.V{X: from.X, Y: from.Z, Z: -from.Y} // the floor's normal is +Y
	ray := NewRay(up, up.Mul(-1))
	hit, ok := s.Closest(ray)
	if !ok {
		t.Fatal("the floor is missed")
	}
	return s.shade(&ray, &hit)
}

// The facets of a rough surface, projected onto it, cover it once (Walter et al.
// 2007, equation 4), and as seen from any side they cover what is seen of it
// (Heitz 2014, equation 14).
func TestFacetsCoverTheSurfaceOnce(t *testing.T) {
	for _, alpha := range []float64{0.05, 0.2, 0.5, 1} {
		for _, cos := range []float64{1, 0.7, 0.3} {
			o := geom.V{X: math.Sqrt(1 - cos*cos), Z: cos}
			var flat, seen float64
			// By the angle from the normal in steps that follow the lobe.
			const n, m = 2000, 64
			for i := range n {
				u := (float64(i) + 0.5) / n
				// tan² = α²u/(1-u) spreads them as the distribution does, whose
				// density over the sphere is D·cos.
				tan2 := alpha * alpha * u / (1 - u)
				z := 1 / math.Sqrt(1+tan2)
				q := math.Sqrt(1 - z*z)
				for j := range m {
					sin, c := math.Sincos(2 * math.Pi * (float64(j) + 0.5) / m)
					h := geom.V{X: q * c, Y: q * sin, Z: z}
					d := distribution(z, alpha)
					// du dφ/2π is alpha²·cos/(π (cos²α²+sin²)²)·dω, written out here
					// so that the density does not rest on what is tested.
					den := z*z*alpha*alpha + 1 - z*z
					density := alpha * alpha * z / (math.Pi * den * den)
					flat += d * z / density
					seen += smithG1(cos, alpha) * max(o.Dot(h), 0) * d / cos / density
				}
			}
			within(t, "projected", flat/(n*m), 1, 1e-6)
			within(t, "seen", seen/(n*m), 1, 0.01)
		}
	}
}

// Light takes the same way back: the reflection of a metal is the same with eye
// and light exchanged (Helmholtz).
func TestMetalsReflectTheSameBothWays(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 14))
	for range 60 {
		rough, a, b := 0.15+0.85*r.Float64(), hemisphere(r), hemisphere(r)
		if a.Z < 0.05 || b.Z < 0.05 {
			continue
		}
		there, back := surfacePoint(t, rough, 1, a), surfacePoint(t, rough, 1, b)
		f, _ := there.eval(back.wo)
		g, _ := back.eval(there.wo)
		// Each without its own cosine, and without what is given back for light
		// that left after more than one facet, which goes by the eye's side only.
		x, y := f.X/b.Z/there.boost.X, g.X/a.Z/back.boost.X
		if math.Abs(x-y) > 1e-6*max(x, y)+1e-12 {
			t.Errorf("roughness %.2f from %.2f to %.2f: %v and %v", rough, a, b, x, y)
		}
	}
}

// Nothing reflects more than it gets, from wherever it is looked at.
func TestNoSurfaceGivesMoreThanItGets(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 71))
	for _, metal := range []float64{0, 0.5, 1} {
		for _, rough := range []float64{0.05, 0.3, 0.6, 1} {
			for _, cos := range []float64{0.98, 0.6, 0.2} {
				pt := surfacePoint(t, rough, metal, geom.V{X: math.Sqrt(1 - cos*cos), Z: cos})
				sum := 0.0
				const n = 20_000
				for range n {
					_, w, _, ok := pt.sample(r.Float64(), r.Float64(), r.Float64())
					if ok {
						sum += light.Luminance(w)
					}
				}
				if got := sum / n; got > 1.02 || got < 0.8 {
					t.Errorf("white, metal %v, roughness %v, seen at cosine %v: gives back %.3f", metal, rough, cos,
						got)
				}
			}
		}
	}
}

// Published values: 4 % for glass of index 1.5, 2 % for water of 1.333 (Fresnel at
// right angles, ((n-1)/(n+1))²).
func TestReflectanceAtRightAngles(t *testing.T) {
	within(t, "glass", dielectricF0(1.5), 0.04, 1e-9)
	within(t, "water", dielectricF0(1.333), 0.02037, 1e-3)
	within(t, "diamond", dielectricF0(2.417), 0.1720, 1e-3)
}

// The quick exponential of the noise filter is within what it promises.
func TestQuickExponential(t *testing.T) {
	last := float32(1)
	for i := range 4001 {
		x := float32(i) / 100
		y := expNeg(x)
		if math.Abs(float64(y)-math.Exp(-float64(x))) > 0.01 || y > last {
			t.Fatalf("exp(-%v) is %v", x, y)
		}
		last = y
	}
}

// A glimpse is as bright as the picture, however small that is.
func TestAGlimpseIsAsBrightAsThePicture(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
	for _, side := range []int{1, 16, 32} {
		s := k.build(t)
		s.Env = &sky.Environment{Constant: geom.V{X: 2, Y: 2, Z: 2}}
		s.Build()
		var g *Film
		f, err := Render(context.Background(), s, look(geom.V{Y: 3}, geom.V{}, 0.5),
			Options{Width: side, Height: side, Samples: 8, Bounces: 1, Seed: 7, Progress: func(done, of int, f *Film) {
				if done == of {
					g = f.Glimpse(false)
				}
			}})
		if err != nil || g == nil {
			t.Fatal(err, "no glimpse at the end")
		}
		if want := max(side/2, 1); g.Width != want || g.Height != want {
			t.Errorf("a glimpse of %d is %d x %d", side, g.Width, g.Height)
		}
		within(t, "glimpse", mean(g), mean(f), 1e-4)
	}
}
