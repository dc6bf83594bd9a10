package optics

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/model"
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
	near(t, "step at 1 km", DepthStep("24", 1000, 0.1, math.Inf(1)), 0.596, 0.001)
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

// Points all over a box that fall into the picture lie within its span, and
// the span is no wider than they are.
func TestSpanIsWhatIsSeenOfABox(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	seen := 0
	for range 300 {
		v := Default()
		v.Yaw, v.Pitch, v.Roll = r.Float64()*6, r.Float64()-0.5, r.Float64()
		box := geom.Box{Min: geom.V{X: -r.Float64() * 9, Y: -r.Float64(), Z: -r.Float64() * 9},
			Max: geom.V{X: r.Float64() * 9, Y: r.Float64() * 4, Z: r.Float64() * 9}}
		world := geom.Compose(geom.V{X: r.NormFloat64() * 8, Y: r.NormFloat64(), Z: r.NormFloat64() * 8},
			geom.Turn(geom.V{Y: 1}, r.Float64()*6), geom.V{X: 1, Y: 1, Z: 1})
		s := v.SpanOf(box, world)
		got := Span{Near: math.Inf(1), Left: 1, Top: 1}
		n := 0
		for range 4000 {
			in := geom.V{X: box.Min.X + r.Float64()*(box.Max.X-box.Min.X), Y: box.Min.Y +
				r.Float64()*(box.Max.Y-box.Min.Y), Z: box.Min.Z + r.Float64()*(box.Max.Z-box.Min.Z)}
			x, y, d, ok := v.Project(world.Point(in))
			if !ok || x < 0 || x > 1 || y < 0 || y > 1 {
				continue
			}
			n++
			got.Near, got.Far = min(got.Near, d), max(got.Far, d)
			got.Left, got.Right, got.Top, got.Bottom = min(got.Left, x), max(got.Right, x), min(got.Top, y),
				max(got.Bottom, y)
		}
		if n == 0 {
			continue
		}
		seen++
		const e = 1e-9
		if !s.Seen || got.Near < s.Near-e || got.Far > s.Far+e || got.Left < s.Left-e || got.Right > s.Right+e ||
			got.Top < s.Top-e || got.Bottom > s.Bottom+e {
			t.Fatalf("points reach over\n%+v, span\n%+v", got, s)
		}
		// Random points come near the ends but seldom up to them.
		if n > 1000 && (got.Near-s.Near > 0.3*(s.Far-s.Near) || s.Far-got.Far > 0.3*(s.Far-s.Near)) {
			t.Fatalf("a loose span\n%+v, points\n%+v", s, got)
		}
	}
	if seen < 50 {
		t.Fatalf("only %d boxes were in the picture", seen)
	}
}

// A wide floor under the lens is seen from where the lower edge of the
// picture meets it: eye height / tan(half the vertical angle), level camera.
func TestFloorIsSeenFromTheLowerEdgeOfThePicture(t *testing.T) {
	v := Default()
	v.Eye, v.Yaw, v.Pitch, v.Roll = geom.V{Y: 1.6}, 0, 0, 0
	_, h := v.FieldOfView()
	s := v.SpanOf(geom.Box{Min: geom.V{X: -50, Y: -1, Z: -50}, Max: geom.V{X: 50, Z: 50}}, geom.Identity)
	near(t, "near", s.Near, 1.6/math.Tan(h/2), 1e-9)
	near(t, "far", s.Far, 50, 1e-9)
}

// A bumpy land is seen from where its triangles are, found here by points all
// over it; its box begins at the lens.
func TestLandIsMeasuredByItsTriangles(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	const n = 40
	for range 20 {
		p := model.Part{Kind: model.Triangles}
		height := func(i, j int) float64 {
			return 3 * math.Sin(float64(i)*0.7+r.Float64()*0.2) * math.Cos(float64(j)*0.5)
		}
		for i := range n {
			for j := range n {
				p.Positions = append(p.Positions, float32(10*(i-n/2)), float32(height(i, j)), float32(10*(j-n/2)))
				if i+1 < n && j+1 < n {
					a := uint32(i*n + j)
					p.Indices = append(p.Indices, a, a+1, a+n, a+1, a+n+1, a+n)
				}
			}
		}
		node := model.NewNode("land")
		node.Mesh = 0
		land := &model.Model{Meshes: []model.Mesh{{Parts: []model.Part{p}}}, Nodes: []model.Node{node}, Roots: []int{0}}
		v := Default()
		v.Eye, v.Yaw, v.Pitch = geom.V{X: r.NormFloat64() * 20, Y: 8, Z: r.NormFloat64() * 20}, r.Float64()*6, -0.1
		s := v.SpanOfModel(land, geom.Identity)
		got := Span{Near: math.Inf(1), Far: 0}
		for k := 0; k < len(p.Indices); k += 3 {
			a, b, c := p.Position(p.Indices[k]), p.Position(p.Indices[k+1]), p.Position(p.Indices[k+2])
			for range 40 {
				x, y := r.Float64(), r.Float64()
				if x+y > 1 {
					x, y = 1-x, 1-y
				}
				px, py, d, ok := v.Project(a.Add(b.Sub(a).Mul(x)).Add(c.Sub(a).Mul(y)))
				if ok && px >= 0 && px <= 1 && py >= 0 && py <= 1 {
					got.Near, got.Far = min(got.Near, d), max(got.Far, d)
				}
			}
		}
		if !s.Seen || got.Near < s.Near-1e-6 || got.Far > s.Far+1e-6 || got.Near-s.Near > 2 || s.Far-got.Far > 6 {
			t.Errorf("points from %v to %v, span from %v to %v", got.Near, got.Far, s.Near, s.Far)
		}
		if box := v.SpanOf(land.Bounds(), geom.Identity); s.Near <= box.Near {
			t.Errorf("no better than the box: %v and %v", s.Near, box.Near)
		}
	}
	away := Default()
	away.Eye, away.Pitch = geom.V{Y: 50}, 1.2
	p := model.Part{Kind: model.Triangles, Positions: []float32{-9, 0, -9, 9, 0, -9, 0, 0, 9},
		Indices: []uint32{0, 1, 2}}
	node := model.NewNode("floor")
	node.Mesh = 0
	floor := &model.Model{Meshes: []model.Mesh{{Parts: []model.Part{p}}}, Nodes: []model.Node{node}, Roots: []int{0}}
	if s := away.SpanOfModel(floor, geom.Identity); s.Seen {
		t.Errorf("looking up, the floor is seen: %+v", s)
	}
}

func TestFaceIsTheInverseOfTurn(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 500 {
		v := Default()
		v.Yaw, v.Pitch, v.Roll = r.Float64()*6-3, r.Float64()*3-1.5, r.Float64()*6-3
		got := v
		got.Face(v.Turn())
		y, p, o := got.Yaw, got.Pitch, got.Roll
		if math.Abs(y-v.Yaw) > 1e-6 || math.Abs(p-v.Pitch) > 1e-6 || math.Abs(o-v.Roll) > 1e-6 {
			t.Fatalf("%v %v %v came back as %v %v %v", v.Yaw, v.Pitch, v.Roll, y, p, o)
		}
	}
}
