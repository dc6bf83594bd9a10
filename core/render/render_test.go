package render

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"visator/core/bvh"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/model"
	"visator/core/sky"
)

// kit builds small models for the tests.
type testScene struct {
	m model.Model
}

func (k *testScene) surface(set func(*model.Surface)) int {
	s := model.DefaultSurface()
	s.Metallic = 0
	set(&s)
	k.m.Surfaces = append(k.m.Surfaces, s)
	return len(k.m.Surfaces) - 1
}

func (k *testScene) add(p model.Part) int {
	k.m.Meshes = append(k.m.Meshes, model.Mesh{Parts: []model.Part{p}})
	n := model.NewNode("")
	n.Mesh = len(k.m.Meshes) - 1
	k.m.Nodes = append(k.m.Nodes, n)
	k.m.Roots = append(k.m.Roots, len(k.m.Nodes)-1)
	return len(k.m.Nodes) - 1
}

// quad spans a + u*e1 + v*e2.
func quad(surface int, a, e1, e2 geom.V) model.Part {
	p := model.Part{Surface: surface, Indices: []uint32{0, 1, 2, 0, 2, 3}}
	for _, q := range []geom.V{a, a.Add(e1), a.Add(e1).Add(e2), a.Add(e2)} {
		p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
	}
	p.UV = []float32{0, 1, 1, 1, 1, 0, 0, 0}
	return p
}

func floor(surface int, half float64) model.Part {
	return quad(surface, geom.V{X: -half, Z: half}, geom.V{X: 2 * half}, geom.V{Z: -2 * half})
}

func sphere(surface, n int, c geom.V, r float64) model.Part {
	p := model.Part{Surface: surface}
	for i := 0; i <= n; i++ {
		for j := 0; j <= 2*n; j++ {
			t, f := math.Pi*float64(i)/float64(n), math.Pi*float64(j)/float64(n)
			d := geom.V{X: math.Sin(t) * math.Cos(f), Y: math.Cos(t), Z: math.Sin(t) * math.Sin(f)}
			q := c.Add(d.Mul(r))
			p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
			p.Normals = append(p.Normals, float32(d.X), float32(d.Y), float32(d.Z))
		}
	}
	w := uint32(2*n + 1)
	for i := uint32(0); i < uint32(n); i++ {
		for j := uint32(0); j < uint32(2*n); j++ {
			a := i*w + j
			p.Indices = append(p.Indices, a, a+1, a+w, a+1, a+w+1, a+w)
		}
	}
	return p
}

func (k *testScene) build(t testing.TB) *Scene {
	t.Helper()
	s := &Scene{}
	if err := s.Place(&Library{Threads: 2}, &k.m, geom.Identity,
		func(n int) uint32 { return uint32(n + 1) }); err != nil {
		t.Fatal(err)
	}
	return s
}

// look returns a camera at eye that looks at to.
func look(eye, to geom.V, yfov float64) *Camera {
	z := eye.Sub(to).Unit()
	up := geom.V{Y: 1}
	if math.Abs(z.Y) > 0.999 {
		up = geom.V{Z: -1}
	}
	x := up.Cross(z).Unit()
	y := z.Cross(x)
	tan := math.Tan(yfov / 2)
	return &Camera{World: geom.M{x.X, x.Y, x.Z, 0, y.X, y.Y, y.Z, 0, z.X, z.Y, z.Z, 0, eye.X, eye.Y, eye.Z, 1},
		TanX: tan, TanY: tan}
}

func shoot(t testing.TB, s *Scene, cam *Camera, side, samples, bounces int) *Film {
	t.Helper()
	s.Build()
	f, err := Render(context.Background(), s, cam, Options{Width: side, Height: side, Samples: samples,
		Bounces: bounces, Seed: 7})
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func mean(f *Film) float64 {
	sum := 0.0
	for i := 0; i < len(f.Color); i += 3 {
		sum += light.Luminance(geom.V{X: float64(f.Color[i]), Y: float64(f.Color[i+1]), Z: float64(f.Color[i+2])})
	}
	return sum / float64(len(f.Color)/3)
}

func within(t *testing.T, what string, got, want, share float64) {
	t.Helper()
	if !(math.Abs(got-want) <= share*math.Abs(want)) {
		t.Errorf("%s: %v, want %v within %v%%", what, got, want, share*100)
	}
}

func white(s *model.Surface) { s.BaseColor = [4]float64{1, 1, 1, 1} }

func grey(albedo, rough, metal float64) func(*model.Surface) {
	return func(s *model.Surface) {
		s.BaseColor, s.Roughness, s.Metallic = [4]float64{albedo, albedo, albedo, 1}, rough, metal
	}
}

// Lambert's law: luminance ρE/π. The sun gives E at normal incidence, also
// when its disk has a size.
func TestMatteFloorUnderTheSunHasLuminanceRhoEOverPi(t *testing.T) {
	for _, radius := range []float64{0, 0.00465} {
		for _, tilt := range []float64{0, math.Pi / 3} {
			k := &testScene{}
			k.add(floor(k.surface(grey(0.5, 1, 0)), 50))
			s := k.build(t)
			s.Suns = []Sun{{To: geom.V{X: math.Sin(tilt), Y: math.Cos(tilt)}, Lux: geom.V{X: 1e5, Y: 1e5, Z: 1e5},
				Radius: radius}}
			f := shoot(t, s, look(geom.V{Y: 3}, geom.V{}, 0.5), 8, 64, 0)
			within(t, "luminance", mean(f), 0.5*1e5*math.Cos(tilt)/math.Pi, 0.005)
		}
	}
}

// Inverse square and cosine law: ρI·cosθ/(πd²), θ the angle at the floor.
func TestMatteFloorUnderALampFollowsInverseSquareAndCosine(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.8, 1, 0)), 50))
	s := k.build(t)
	s.Lamps = []lamp.Lamp{{At: geom.V{X: 1, Y: 2}, Candela: geom.V{X: 100, Y: 100, Z: 100}}}
	f := shoot(t, s, look(geom.V{Y: 5}, geom.V{}, 0.001), 4, 16, 0)
	d2 := 5.0
	within(t, "luminance", mean(f), 0.8*100*(2/math.Sqrt(d2))/(math.Pi*d2), 0.005)
}

func TestSpotHasFullStrengthWithinItsInnerConeAndNoneBeyondTheOuter(t *testing.T) {
	l := lamp.Lamp{At: geom.V{Y: 1}, Dir: geom.V{Y: -1}, Candela: geom.V{X: 9, Y: 9, Z: 9}, Spot: true,
		CosInner: math.Cos(0.3), CosOuter: math.Cos(0.6)}
	at := func(angle float64) float64 {
		p := geom.V{X: math.Tan(angle)}
		e, _, d := l.Toward(p)
		return e.X * d * d
	}
	within(t, "middle", at(0), 9, 1e-9)
	within(t, "inner edge", at(0.29), 9, 1e-9)
	if v := at(0.45); v <= 0 || v >= 9 {
		t.Errorf("between the cones: %v", v)
	}
	if v := at(0.61); v != 0 {
		t.Errorf("beyond the outer cone: %v", v)
	}
}

// A closed surface in light that is the same from everywhere disappears when
// it reflects everything, whatever its roughness (white furnace test).
func TestWhiteFurnace(t *testing.T) {
	for _, c := range []struct {
		name         string
		rough, metal float64
		off          float64
	}{{"matte", 1, 0, 0.003}, {"satin", 0.5, 0, 0.02}, {"gloss", 0.1, 0, 0.02}, {"rough metal", 1, 1, 0.03}, {"metal",
		0.4, 1, 0.02}, {"mirror", 0, 1, 0.01}} {
		k := &testScene{}
		k.add(sphere(k.surface(grey(1, c.rough, c.metal)), 48, geom.V{}, 1))
		s := k.build(t)
		s.Env = &sky.Environment{Constant: geom.V{X: 3, Y: 3, Z: 3}}
		f := shoot(t, s, look(geom.V{Z: 6}, geom.V{}, 0.28), 12, 64, 4)
		within(t, c.name, mean(f), 3, c.off)
	}
}

// A square emitter parallel to the floor: the form factor from a point below
// its corner is (1/2π)(a/√(1+a²)·atan(b/√(1+a²)) + b/√(1+b²)·atan(a/√(1+b²)))
// with a, b the sides over the distance (Howell, catalog of configuration
// factors, B-3 as the differential limit of C-11); four of them about the middle.
func TestSquareEmitterFormFactor(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
	glow := k.surface(func(s *model.Surface) {
		s.BaseColor, s.Emissive = [4]float64{0, 0, 0, 1}, [3]float64{1000, 1000, 1000}
	})
	k.add(quad(glow, geom.V{X: -1, Y: 1.5, Z: -1}, geom.V{X: 2}, geom.V{Z: 2}))
	s := k.build(t)
	cam := look(geom.V{X: 4, Y: 1, Z: 0}, geom.V{}, 0.004)
	f := shoot(t, s, cam, 8, 256, 0)
	a := 1 / 1.5
	q := math.Sqrt(1 + a*a)
	form := 4 * (1 / (2 * math.Pi)) * (2 * a / q * math.Atan(a/q))
	within(t, "luminance", mean(f), 0.5*1000*form, 0.01)
}

// Inside a matte sphere of albedo ρ that emits L the luminance is the same
// everywhere: L/(1-ρ) (Howell, catalog, C-interior of a sphere: every form
// factor is the share of area).
func TestInteriorOfAUniformSphere(t *testing.T) {
	k := &testScene{}
	s1 := k.surface(func(s *model.Surface) {
		s.BaseColor, s.Emissive = [4]float64{0.5, 0.5, 0.5, 1}, [3]float64{10, 10, 10}
	})
	k.add(sphere(s1, 40, geom.V{}, 2))
	f := shoot(t, k.build(t), look(geom.V{X: 0.5}, geom.V{Z: -1}, 1), 8, 256, 30)
	within(t, "luminance", mean(f), 20, 0.015)
}

func TestShadowIsWhereTheBlockerIs(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
	k.add(quad(k.surface(grey(0.5, 1, 0)), geom.V{X: 0, Y: 1, Z: -5}, geom.V{X: 5}, geom.V{Z: 10}))
	s := k.build(t)
	s.Suns = []Sun{{To: geom.V{Y: 1}, Lux: geom.V{X: 1000, Y: 1000, Z: 1000}}}
	s.Build()
	// Seen from below the blocker, left is lit and right is not.
	f, err := Render(context.Background(), s, look(geom.V{Y: 0.5}, geom.V{}, 1),
		Options{Width: 16, Height: 16, Samples: 1, Bounces: 0})
	if err != nil {
		t.Fatal(err)
	}
	for x := 0; x < 16; x++ {
		v := f.Color[3*(8*16+x)]
		if x < 8 && v < 100 || x >= 8 && v != 0 {
			t.Errorf("column %d has %v", x, v)
		}
	}
}

// A point at camera coordinates (x, y, -z) falls on ((x/z)/tan+1)/2 of the width.
func TestProjectionAndDepth(t *testing.T) {
	k := &testScene{}
	k.add(sphere(k.surface(white), 24, geom.V{X: 1, Y: 0.5, Z: -4}, 0.05))
	s := k.build(t)
	cam := look(geom.V{}, geom.V{Z: -1}, math.Pi/2)
	s.Build()
	f, err := Render(context.Background(), s, cam, Options{Width: 400, Height: 400, Samples: 1})
	if err != nil {
		t.Fatal(err)
	}
	var sx, sy, n float64
	nearest := math.Inf(1)
	for i, id := range f.Object {
		if id == 0 {
			if !math.IsInf(float64(f.Depth[i]), 1) {
				t.Fatal("the background has a depth")
			}
			continue
		}
		sx, sy, n = sx+float64(i%400)+0.5, sy+float64(i/400)+0.5, n+1
		nearest = min(nearest, float64(f.Depth[i]))
	}
	if math.Abs(sx/n-250) > 0.5 || math.Abs(sy/n-175) > 0.5 {
		t.Errorf("the ball is at %v, %v; want 250, 175", sx/n, sy/n)
	}
	within(t, "depth of the nearest point", nearest, 3.95, 0.001)
}

// Near and far planes cut what the camera sees, along its axis, but neither
// shadows nor reflections.
func TestPlanesCutWhatIsSeenButNotItsShadow(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
	k.add(quad(k.surface(grey(0.5, 1, 0)), geom.V{X: -20, Y: 1, Z: -20}, geom.V{X: 40}, geom.V{Z: 40}))
	s := k.build(t)
	s.Suns = []Sun{{To: geom.V{Y: 1}, Lux: geom.V{X: 1000, Y: 1000, Z: 1000}}}
	cam := look(geom.V{Y: 3}, geom.V{}, 1)
	cam.Near = 2.5 // beyond the roof, before the floor
	f := shoot(t, s, cam, 8, 1, 0)
	if f.Object[0] != 1 || f.Color[0] != 0 {
		t.Errorf("sees object %v of luminance %v; want the floor, in the roof's shadow", f.Object[0], f.Color[0])
	}
	cam.Near, cam.Far = 0.1, 1.9
	if f = shoot(t, s, cam, 8, 1, 0); f.Object[0] != 0 {
		t.Error("the far plane cut nothing")
	}
}

// The blur circle of a thin lens: a point at distance z is spread in the
// plane of focus zf over A·|z-zf|/z (similar triangles; Ray, Applied
// Photographic Optics), here measured as the spread of rays.
func TestBlurCircleOfTheThinLens(t *testing.T) {
	cam := look(geom.V{}, geom.V{Z: -1}, 0.5)
	cam.Open(2, 4)
	f := 0.012 / math.Tan(0.25)
	within(t, "lens radius", cam.LensRadius, f/4, 1e-12)
	r := rand.New(rand.NewPCG(1, 1))
	for _, z := range []float64{1, 2, 4, 9} {
		widest := 0.0
		for range 4000 {
			ray := cam.Ray(0.5, 0.5, r.Float64(), r.Float64())
			p := ray.O.Add(ray.D.Mul((z + ray.O.Z) / -ray.D.Z))
			widest = max(widest, math.Hypot(p.X, p.Y))
		}
		want := cam.LensRadius * math.Abs(z-4) / 4
		if math.Abs(widest-want) > 0.02*cam.LensRadius {
			t.Errorf("at %v m the cone of light is %v wide, want %v", z, widest, want)
		}
	}
}

// A reflection model that is sampled well gives the same albedo by its own
// samples as by uniform directions.
func TestReflectionSamplingAgreesWithItsValues(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 5))
	for _, c := range []struct{ rough, metal, trans float64 }{{0.3, 0, 0}, {0.7, 1, 0}, {1, 0, 0}, {0.5, 0, 0.6}} {
		k := &testScene{}
		i := k.surface(grey(0.7, c.rough, c.metal))
		k.m.Surfaces[i].Transmission = c.trans
		k.add(floor(i, 5))
		s := k.build(t)
		s.Build()
		ray := NewRay(geom.V{X: 1, Y: 1}, geom.V{X: -1, Y: -1.2}.Unit())
		hit, _ := s.Closest(ray)
		pt := s.shade(&ray, &hit)
		var own, uniform float64
		const n = 200_000
		for range n {
			if _, w, _, ok := pt.sample(r.Float64(), r.Float64(), r.Float64()); ok {
				own += light.Luminance(w)
			}
			z, phi := 2*r.Float64()-1, 2*math.Pi*r.Float64()
			q := math.Sqrt(1 - z*z)
			f, _ := pt.eval(geom.V{X: q * math.Cos(phi), Y: z, Z: q * math.Sin(phi)})
			uniform += light.Luminance(f) * 4 * math.Pi
		}
		within(t, "albedo", own/n, uniform/n, 0.02)
	}
}

func TestMaskedAndBlendedSurfacesLetLightAndShadowRaysThrough(t *testing.T) {
	for _, alpha := range []model.Alpha{model.Blend, model.Mask} {
		k := &testScene{}
		k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
		k.add(quad(k.surface(func(s *model.Surface) {
			s.Alpha, s.BaseColor = alpha, [4]float64{0, 0, 0, 0.25}
		}), geom.V{X: -20, Y: 1, Z: -20}, geom.V{X: 40}, geom.V{Z: 40}))
		s := k.build(t)
		s.Suns = []Sun{{To: geom.V{Y: 1}, Lux: geom.V{X: 1000, Y: 1000, Z: 1000}}}
		f := shoot(t, s, look(geom.V{Y: 3}, geom.V{}, 0.2), 16, 256, 0)
		want := 500 / math.Pi // cut out wholly: below the cutoff
		if alpha == model.Blend {
			want *= 0.75 * 0.75 // once for the shadow ray, once for the camera's
		}
		within(t, "luminance", mean(f), want, 0.03)
	}
}

func TestSameSeedGivesTheSameBytesOnAnyNumberOfThreads(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 0.4, 0)), 20))
	k.add(sphere(k.surface(grey(0.8, 0.2, 1)), 16, geom.V{Y: 1}, 1))
	s := k.build(t)
	s.Env = &sky.Environment{Constant: geom.V{X: 1, Y: 2, Z: 3}}
	s.Build()
	render := func(threads int, seed uint64) *Film {
		f, err := Render(context.Background(), s, look(geom.V{X: 2, Y: 3, Z: 4}, geom.V{Y: 1}, 0.8),
			Options{Width: 70, Height: 50, Samples: 6, Bounces: 3, Threads: threads, Seed: seed, Denoise: true})
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	one, five := render(1, 9), render(5, 9)
	if !slices.Equal(one.Color, five.Color) || !slices.Equal(one.Depth, five.Depth) {
		t.Error("one thread and five give different pictures")
	}
	if slices.Equal(one.Color, render(2, 10).Color) {
		t.Error("another seed gives the same picture")
	}
}

// Denoising takes away noise and keeps the mean.
func TestDenoisingComesNearerToTheTruth(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
	k.add(sphere(k.surface(grey(0.8, 1, 0)), 24, geom.V{Y: 1}, 1))
	s := k.build(t)
	s.Env = &sky.Environment{Constant: geom.V{X: 1, Y: 1, Z: 1}}
	s.Build()
	make := func(samples int, denoise bool) *Film {
		f, err := Render(context.Background(), s, look(geom.V{X: 2, Y: 3, Z: 4}, geom.V{Y: 1}, 0.8),
			Options{Width: 64, Height: 64, Samples: samples, Bounces: 2, Denoise: denoise, Seed: uint64(samples)})
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	truth, raw, clean := make(512, false), make(8, false), make(8, true)
	off := func(f *Film) (e float64) {
		for i := range f.Color {
			e += math.Pow(float64(f.Color[i]-truth.Color[i]), 2)
		}
		return e
	}
	if a, b := off(clean), off(raw); a > b/2 {
		t.Errorf("squared error %v after denoising, %v before", a, b)
	}
	within(t, "mean", mean(clean), mean(truth), 0.02)
}

func TestCancelledRenderReturnsSoon(t *testing.T) {
	k := &testScene{}
	k.add(floor(k.surface(white), 20))
	s := k.build(t)
	s.Env = &sky.Environment{Constant: geom.V{X: 1, Y: 1, Z: 1}}
	s.Build()
	ctx, cancel := context.WithCancel(context.Background())
	f, err := Render(ctx, s, look(geom.V{Y: 3}, geom.V{}, 1),
		Options{Width: 64, Height: 64, Samples: MaxSamples, Progress: func(done, _ int, _ *Film) {
			if done >= 3 {
				cancel()
			}
		}})
	if err == nil || f == nil || f.Samples < 3 {
		t.Errorf("got film %v, error %v", f != nil, err)
	}
}

func TestImpossibleOptionsAreRefused(t *testing.T) {
	for _, o := range []Options{{Width: 0, Height: 1, Samples: 1}, {Width: 1, Height: 1},
		{Width: 1, Height: 1, Samples: -1}, {Width: 1, Height: 1, Samples: 1, Bounces: -1},
		{Width: MaxSide + 1, Height: 1, Samples: 1}} {
		if _, err := Render(context.Background(), &Scene{}, &Camera{}, o); err == nil {
			t.Errorf("%+v was accepted", o)
		}
	}
}

// The tree finds what a search through all triangles finds.
func TestClosestHitsAgreeWithASearchThroughAllTriangles(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 7))
	k := &testScene{}
	i := k.surface(white)
	p := model.Part{Surface: i}
	for v := 0; v < 3000; v++ {
		c := geom.V{X: r.NormFloat64() * 3, Y: r.NormFloat64(), Z: r.NormFloat64() * 9}
		for range 3 {
			p.Positions = append(p.Positions, float32(c.X+r.NormFloat64()*0.3), float32(c.Y+r.NormFloat64()*0.3),
				float32(c.Z))
			p.Indices = append(p.Indices, uint32(len(p.Indices)))
		}
	}
	k.add(p)
	s := k.build(t)
	s.Build()
	mesh := s.Instances[0].Mesh
	for n := 0; n < 2000; n++ {
		d := geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}.Unit()
		if n%10 == 0 {
			d = geom.V{Z: 1} // along an axis: zeros in the direction
		}
		ray := NewRay(geom.V{X: r.NormFloat64() * 4, Y: r.NormFloat64() * 2, Z: r.NormFloat64() * 9}, d)
		hit, ok := s.Closest(ray)
		r32 := bvh.Ray{O: ray.O.Float32(), D: ray.D.Float32(), T: bvh.Inf}
		r32.Prepare()
		all := false
		blocks := mesh.Tree.Blocks()
		for i := range blocks {
			var met bvh.Hits
			for mask, k := blocks[i].Meet(&r32, &met), 0; mask != 0; mask, k = mask>>1, k+1 {
				if mask&1 == 1 {
					all, r32.T = true, min(r32.T, met.T[k])
				}
			}
		}
		if ok != all || ok && math.Abs(hit.T-float64(r32.T)) > 1e-5*hit.T {
			t.Fatalf("ray %d: tree says %v at %v, search %v at %v", n, ok, hit.T, all, r32.T)
		}
	}
}

// Instances that are merged into one tree are hit as they are one by one.
func TestMergedInstancesAreHitLikeSingleOnes(t *testing.T) {
	k := &testScene{}
	k.add(sphere(k.surface(white), 12, geom.V{}, 1))
	r := rand.New(rand.NewPCG(5, 6))
	both := [2]*Scene{{}, {apart: true}}
	for range 60 {
		at := geom.V{X: r.NormFloat64() * 20, Y: r.NormFloat64() * 3, Z: r.NormFloat64() * 20}
		top := geom.Compose(at, geom.Turn(geom.V{Y: 1}, r.Float64()*6), geom.V{X: 1, Y: 0.3 + r.Float64(), Z: -1})
		for _, s := range both {
			if err := s.Place(&Library{}, &k.m, top, func(n int) uint32 { return uint32(n + 1) }); err != nil {
				t.Fatal(err)
			}
		}
	}
	both[0].Build()
	both[1].Build()
	if len(both[0].meshes) != 1 || len(both[1].meshes) != 60 {
		t.Fatalf("%d and %d stands", len(both[0].meshes), len(both[1].meshes))
	}
	hits := 0
	for range 4000 {
		ray := NewRay(geom.V{X: r.NormFloat64() * 30, Y: r.NormFloat64() * 4, Z: r.NormFloat64() * 30},
			geom.V{X: r.NormFloat64(), Y: r.NormFloat64() * 0.1, Z: r.NormFloat64()}.Unit())
		a, okA := both[0].Closest(ray)
		b, okB := both[1].Closest(ray)
		if okA != okB || okA && math.Abs(a.T-b.T) > 1e-4*(1+a.T) {
			t.Fatalf("%+v: merged %+v (%v), single %+v (%v)", ray, a, okA, b, okB)
		}
		if !okA {
			continue
		}
		hits++
		// At an edge either neighbour may be met.
		if a.Instance == b.Instance && a.Triangle != b.Triangle {
			pa, pb := both[0].shade(&ray, &a), both[1].shade(&ray, &b)
			if pa.p.Sub(pb.p).Len() > 1e-3 {
				t.Fatalf("triangle %d at %v, single %d at %v", a.Triangle, pa.p, b.Triangle, pb.p)
			}
		}
		// The ray goes on from where it left: it does not meet the same triangle.
		next := ray
		next.FromInstance, next.FromTriangle = int32(a.Instance), a.Triangle
		if again, ok := both[0].Closest(next); ok && again.Instance == a.Instance && again.Triangle == a.Triangle {
			t.Fatalf("triangle %d was met again", a.Triangle)
		}
	}
	if hits < 150 {
		t.Fatalf("only %d hits", hits)
	}
}

// Far from the origin the digits of float32 do not hold a small thing: it
// stays an instance.
func TestSmallThingsFarAwayAreNotMerged(t *testing.T) {
	k := &testScene{}
	k.add(sphere(k.surface(white), 8, geom.V{}, 0.1))
	s := &Scene{}
	for _, x := range []float64{10, 20, 50_000} {
		if err := s.Place(&Library{}, &k.m, geom.Compose(geom.V{X: x}, geom.Q{W: 1}, geom.V{X: 1, Y: 1, Z: 1}),
			func(int) uint32 { return 1 }); err != nil {
			t.Fatal(err)
		}
	}
	s.Build()
	if s.field.First[0] == bvh.NoTriangle || s.field.First[1] == bvh.NoTriangle || s.field.First[2] != bvh.NoTriangle {
		t.Errorf("first triangles %v", s.field.First)
	}
	for _, x := range []float64{10, 20, 50_000} {
		hit, ok := s.Closest(NewRay(geom.V{X: x, Z: 2}, geom.V{Z: -1}))
		if !ok || math.Abs(hit.T-1.9) > 0.01 {
			t.Errorf("at %v m: %+v %v", x, hit, ok)
		}
	}
}
