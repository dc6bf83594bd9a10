package frame

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/optics"
)

// block is a box between two corners.
func block(lo, hi geom.V) *contact.Body {
	var p [][3]float32
	for i := range 8 {
		c := geom.Box{Min: lo, Max: hi}.Corner(i)
		p = append(p, [3]float32{float32(c.X), float32(c.Y), float32(c.Z)})
	}
	quads := [][4]uint32{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}}
	var tri [][3]uint32
	for _, q := range quads {
		tri = append(tri, [3]uint32{q[0], q[1], q[2]}, [3]uint32{q[0], q[2], q[3]})
	}
	return contact.Mesh(p, tri)
}

// sheet is a level rectangle that faces up.
func sheet(half float64) *contact.Body {
	h := float32(half)
	return contact.Mesh([][3]float32{{-h, 0, -h}, {h, 0, -h}, {h, 0, h}, {-h, 0, h}}, [][3]uint32{{0, 2, 1}, {0, 3, 2}})
}

func at(b *contact.Body, p geom.V) *contact.Placed { return contact.Place(b, geom.Translation(p)) }

// lump is a bumpy ball.
func lump(r *rand.Rand) *contact.Body {
	const n, m = 7, 10
	var p [][3]float32
	for i := range n {
		for j := range m {
			a, b := math.Pi*float64(i)/(n-1), 2*math.Pi*float64(j)/m
			s := 0.5 + 0.6*r.Float64()
			p = append(p, [3]float32{float32(s * math.Sin(a) * math.Cos(b)), float32(s * math.Cos(a)),
				float32(s * math.Sin(a) * math.Sin(b))})
		}
	}
	var tri [][3]uint32
	for i := range uint32(n - 1) {
		for j := range uint32(m) {
			a, b := i*m+j, i*m+(j+1)%m
			tri = append(tri, [3]uint32{a, b, a + m}, [3]uint32{b, b + m, a + m})
		}
	}
	return contact.Mesh(p, tri)
}

func randomSet(r *rand.Rand, n int) []Thing {
	bodies := []*contact.Body{lump(r), lump(r), block(geom.V{X: -0.5}, geom.V{X: 0.5, Y: 2, Z: 0.3})}
	var out []Thing
	for range n {
		d := 1.5 * math.Exp(r.Float64()*6)
		w := geom.Compose(geom.V{X: r.NormFloat64() * d, Y: r.Float64() * 3, Z: -d},
			geom.Turn(geom.V{X: r.NormFloat64(), Y: 1, Z: r.NormFloat64()}.Unit(), r.Float64()*6),
			geom.V{X: 0.3 + r.Float64(), Y: 0.3 + r.Float64()*3, Z: 0.3 + r.Float64()})
		out = append(out, Thing{ID: string(rune('a' + len(out))), Body: contact.Place(bodies[r.IntN(3)], w)})
	}
	return out
}

func randomView(r *rand.Rand) optics.View {
	v := optics.Default()
	v.Eye = geom.V{X: r.NormFloat64(), Y: 1.6, Z: 3}
	v.Yaw, v.Pitch, v.Roll = r.NormFloat64()*0.3, r.NormFloat64()*0.1, r.NormFloat64()*0.1
	v.Focal = 20 + r.Float64()*60
	if r.Float64() < 0.5 {
		v.ShiftX, v.ShiftY, v.Squeeze = r.NormFloat64()*4, r.NormFloat64()*4, 1+r.Float64()
	}
	return v
}

// Nothing that is seen is cut: wherever a ray through the picture meets
// anything lies between the fitted planes. And no tighter range would do: at
// both ends lies a point of a triangle that falls into the picture.
func TestFittedRangeCutsNothingAndIsTight(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	met := 0
	for k := range 24 {
		s := NewScene(randomSet(r, 60))
		var moments []Moment
		for range 5 {
			moments = append(moments, Moment{randomView(r), s})
		}
		g := RangeOf(moments)
		if !g.Seen {
			continue
		}
		near, far := optics.FitClip(g.Near, g.Far, 1e-3)
		if near < g.Near*(1-optics.ClipMargin)-1e-9 || far > g.Far*(1+optics.ClipMargin)+1e-9 {
			t.Fatalf("%d: planes at %v and %v for %v to %v", k, near, far, g.Near, g.Far)
		}
		lo, hi := math.Inf(1), 0.0
		for _, m := range moments {
			v := m.View
			for range 600 {
				d := v.Ray(r.Float64(), r.Float64())
				for i := range s.Things { // every surface along the ray, hidden or not, by brute force
					for from := 0.0; ; {
						h, _, ok := s.Things[i].Body.Ray(v.Eye.Add(d.Mul(from)), d, math.Inf(1))
						if !ok {
							break
						}
						from += h + 1e-9
						lo, hi = min(lo, from), max(hi, from)
						met++
					}
				}
			}
			// Points of the triangles that fall into the picture, for tightness.
			for i := range s.Things {
				s.Things[i].Body.Reach(geom.Identity, func(geom.V, geom.V) bool { return false }, func(tri [3]geom.V) {
					for range 6 {
						a, b := r.Float64(), r.Float64()
						if a+b > 1 {
							a, b = 1-a, 1-b
						}
						if r.Float64() < 0.5 {
							a, b = math.Round(a), 0
						}
						x, y, d, ok := v.Project(tri[0].Add(tri[1].Sub(tri[0]).Mul(a)).Add(tri[2].Sub(tri[0]).Mul(b)))
						if ok && x >= 0 && x <= 1 && y >= 0 && y <= 1 {
							lo, hi = min(lo, d), max(hi, d)
						}
					}
				})
			}
		}
		if lo < g.Near-1e-6*g.Near || hi > g.Far*(1+1e-6) {
			t.Fatalf("%d: seen from %v to %v, range %v to %v", k, lo, hi, g.Near, g.Far)
		}
		if lo > g.Near*1.15 || hi < g.Far*0.9 {
			t.Errorf("%d: seen from %v to %v only, range %v to %v", k, lo, hi, g.Near, g.Far)
		}
	}
	if met < 10000 {
		t.Errorf("only %d surfaces were met", met)
	}
}

// The tree finds what asking every thing finds.
func TestRaysMeetWhatIsNearest(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	things := randomSet(r, 200)
	things[7].Rides = true
	s := NewScene(things)
	for range 3000 {
		v := randomView(r)
		d := v.Ray(r.Float64(), r.Float64())
		best, which := math.Inf(1), -1
		for i := range things {
			if h, _, ok := things[i].Body.Ray(v.Eye, d, best); ok {
				best, which = h, i
			}
		}
		h, ok := s.Ray(v.Eye, d, 0, math.Inf(1), nil)
		if ok != (which >= 0) || ok && (h.Thing != which || math.Abs(h.T-best) > 1e-9) {
			t.Fatalf("met %v %v, want %d at %v", h, ok, which, best)
		}
	}
}

// Spans by the tree are those of all triangles.
func TestSpansAreThoseOfTheTriangles(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	seen := 0
	for range 30 {
		s := NewScene(randomSet(r, 40))
		v := randomView(r)
		to, tx, ty := v.Upright()
		for i, got := range s.Spans(&v) {
			if !got.Seen || s.radius[i] <= small*distance(&v, s.center[i]) {
				continue
			}
			want := optics.Span{Near: math.Inf(1), Left: 1, Top: 1}
			s.Things[i].Body.Reach(to, func(geom.V, geom.V) bool { return false }, func(tri [3]geom.V) {
				var a, b [12]geom.V
				for _, p := range optics.ClipSides(append(a[:0], tri[:]...), b[:0], tx, ty) {
					d := -p.Z
					want.Near, want.Far = min(want.Near, d), max(want.Far, d)
					x, y := 0.5+p.X/d/(2*tx), 0.5-p.Y/d/(2*ty)
					want.Left, want.Right, want.Top, want.Bottom = min(want.Left, x), max(want.Right, x),
						min(want.Top, y), max(want.Bottom, y)
				}
			})
			seen++
			for _, d := range []float64{got.Near - want.Near, got.Far - want.Far, got.Left - want.Left,
				got.Right - want.Right, got.Top - want.Top, got.Bottom - want.Bottom} {
				if math.Abs(d) > 1e-9 {
					t.Fatalf("%+v, want %+v", got, want)
				}
			}
		}
	}
	if seen < 100 {
		t.Errorf("only %d were seen", seen)
	}
}

// A poster 2 mm before a wall 100 m away flickers with the near plane at 0.1 m,
// where 24 bits tell 6 mm apart (z²/(n·2^24)), and does not with it at 1 m.
func TestFlickerIsFoundWhereTheBufferIsTooCoarse(t *testing.T) {
	wall := block(geom.V{X: -20, Y: -5, Z: -1}, geom.V{X: 20, Y: 20})
	poster := block(geom.V{X: -8, Z: 0.001}, geom.V{X: 8, Y: 8, Z: 0.002})
	s := NewScene([]Thing{{ID: "wall", Name: "wall", Body: at(wall, geom.V{Z: -100})},
		{ID: "poster", Name: "poster", Body: at(poster, geom.V{Z: -100})}})
	v := optics.Default()
	v.Eye, v.Near, v.Far = geom.V{Y: 4}, 0.1, 1000
	list := s.Flickers(&v, 64, 36)
	if len(list) != 1 || s.Things[list[0].A].ID != "poster" || math.Abs(list[0].Gap-0.002) > 1e-6 ||
		list[0].Share < 0.01 {
		t.Fatalf("%+v", list)
	}
	if n := optics.NearFor("24", list[0].Distance, list[0].Gap, v.Far); math.Abs(optics.DepthStep("24",
		list[0].Distance, n, v.Far)-list[0].Gap) > 1e-9 {
		t.Errorf("the near plane at %v does not tell them apart", n)
	}
	v.Near = 1
	if list := s.Flickers(&v, 64, 36); len(list) != 0 {
		t.Errorf("near plane at 1 m: %+v", list)
	}
	v.Near, v.Depth = 0.1, "reversed"
	if list := s.Flickers(&v, 64, 36); len(list) != 0 {
		t.Errorf("reversed: %+v", list)
	}
}

func TestWhatFillsThePicture(t *testing.T) {
	man := block(geom.V{X: -0.25, Z: -0.15}, geom.V{X: 0.25, Y: 1.75, Z: 0.15})
	things := []Thing{
		{ID: "ground", Name: "ground", Body: at(sheet(100), geom.V{}), Land: true},
		{ID: "man", Name: "man", Body: at(man, geom.V{Z: -5}), Figure: true},
		{ID: "post", Name: "post", Body: at(block(geom.V{X: -0.05}, geom.V{X: 0.05, Y: 3, Z: 0.1}), geom.V{Z: -2})},
		{ID: "wall", Name: "wall", Body: at(block(geom.V{X: -9}, geom.V{X: 9, Y: 3, Z: 0.2}), geom.V{Z: -25})},
	}
	s := NewScene(things)
	v := optics.Default()
	v.Eye, v.Focal, v.Focus, v.Subject = geom.V{Y: 1.7}, 24, 5, "man"
	f := s.FiguresOf(&v, s.Draw(&v, 160, 90), s.Spans(&v))
	sub := f.Subject
	if sub == nil {
		t.Fatal("no subject")
	}
	// The face lies 4.85 m off: its height is 1.75·24/(4.85·20.25) of the picture.
	if want := 1.75 * 24 / (4.85 * 20.25); math.Abs(sub.Height-want) > 0.02 {
		t.Errorf("it is %v high, want about %v", sub.Height, want)
	}
	// The post hides 0.1 m at 1.9 m: 0.26 m of the face of 0.5 m.
	if math.Abs(sub.Hidden-0.5) > 0.06 || len(sub.By) != 1 || sub.By[0].ID != "post" {
		t.Errorf("hidden %v by %+v", sub.Hidden, sub.By)
	}
	if sub.Behind == nil || math.Abs(*sub.Behind-(24.8-5.15)) > 3 {
		t.Errorf("behind it: %v", sub.Behind)
	}
	heads := 0
	for _, n := range f.Notes {
		if n.Kind == "head" {
			heads++
		}
	}
	if heads != 1 {
		t.Errorf("the horizon at 1.7 m goes through the head of a man of 1.75 m: %+v", f.Notes)
	}
	sum := f.Sky
	for _, c := range f.Cover {
		sum += c.Share
	}
	if math.Abs(sum-1) > 1e-9 || math.Abs(f.Foreground+f.Middle+f.Background-1) > 1e-9 {
		t.Errorf("shares sum to %v, layers to %v", sum, f.Foreground+f.Middle+f.Background)
	}
	if len(f.Empty) == 0 || !strings.Contains(strings.Join(f.Empty, " "), "bottom") {
		t.Errorf("empty: %v", f.Empty)
	}
}

func TestTouchingEdgesAndSilhouettes(t *testing.T) {
	v := optics.Default()
	v.Eye, v.Focal, v.SensorW, v.SensorH, v.Aspect = geom.V{Y: 1}, 18, 36, 24, 1.5
	// At 10 m the picture is 20 m wide: a box up to 9.95 m ends 0.25 % before the edge.
	s := NewScene([]Thing{
		{ID: "edge", Name: "edge", Body: at(block(geom.V{X: 7, Z: -0.5}, geom.V{X: 9.95, Y: 3}), geom.V{Z: -10})},
		{ID: "left", Name: "left", Body: at(block(geom.V{X: -4, Z: -0.5}, geom.V{X: -1, Y: 3}), geom.V{Z: -10})},
		{ID: "far", Name: "far", Body: at(block(geom.V{X: -1.98, Z: -0.1}, geom.V{X: 4, Y: 5}), geom.V{Z: -20})},
	})
	f := s.FiguresOf(&v, s.Draw(&v, 160, 106), s.Spans(&v))
	var kinds []string
	for _, n := range f.Notes {
		kinds = append(kinds, n.Kind+" "+strings.Join(n.IDs, "+"))
	}
	if got := strings.Join(kinds, ", "); got != "edge edge, tangent left+far" {
		t.Errorf("%s: %+v", got, f.Notes)
	}
}

func TestWhereACameraCannotBe(t *testing.T) {
	s := NewScene([]Thing{
		{ID: "ground", Name: "ground", Body: at(sheet(100), geom.V{}), Land: true},
		{ID: "shed", Name: "shed", Body: at(block(geom.V{X: -1, Z: -1}, geom.V{X: 1, Y: 2, Z: 1}), geom.V{})},
	})
	v := optics.Default()
	for want, eye := range map[string]geom.V{"within": {Y: 1}, "under": {X: 5, Y: -0.5}, "": {X: 5, Y: 1}} {
		v.Eye = eye
		if kind, _, _ := s.Stuck(&v); kind != want {
			t.Errorf("at %v: %q, want %q", eye, kind, want)
		}
	}
	if i, ok := s.Through(&v, geom.V{X: -5, Y: 1}, geom.V{X: 5, Y: 1}); !ok || s.Things[i].ID != "shed" {
		t.Error("the way through the shed is free")
	}
	if _, ok := s.Through(&v, geom.V{X: -5, Y: 3}, geom.V{X: 5, Y: 3}); ok {
		t.Error("the way over the shed is not free")
	}
}

// A grey ground lit by a sun of 10000 lx from above throws back 0.18·E/π.
func TestMeterReadsTheGround(t *testing.T) {
	s := NewScene([]Thing{{ID: "ground", Body: at(sheet(1000), geom.V{}), Land: true}})
	v := optics.Default()
	v.Eye, v.Pitch = geom.V{Y: 2}, -1.2
	p := s.Draw(&v, 32, 18)
	got := s.Meter(&v, p, 10000, geom.V{Y: 1}, func(geom.V) float64 { return 0 })
	if want := 0.18 * 10000 / math.Pi; math.Abs(got/want-1) > 1e-6 {
		t.Errorf("%v cd/m², want %v", got, want)
	}
	got = s.Meter(&v, p, 0, geom.V{Y: 1}, func(geom.V) float64 { return 1000 })
	if want := 0.18 * 1000.0; math.Abs(got/want-1) > 1e-6 { // an even sky gives E = πL
		t.Errorf("under the sky %v cd/m², want %v", got, want)
	}
}

// yard is 5,000 stones of 500 bodies, of 10,000 triangles each, on a ground.
func yard() []Thing {
	r := rand.New(rand.NewPCG(1, 2))
	var bodies []*contact.Body
	for range 20 { // what differs beyond them is their size
		bodies = append(bodies, stone(r, 71))
	}
	things := []Thing{{ID: "ground", Name: "ground", Body: at(sheet(100), geom.V{}), Land: true}}
	for i := range 5000 {
		w := geom.Compose(geom.V{X: 1.8 * float64(i%71-35), Y: 0.3, Z: -1.8 * float64(i/71)},
			geom.Turn(geom.V{Y: 1}, r.Float64()*6), geom.V{X: 1, Y: 1, Z: 1}.Mul(0.6+0.4*r.Float64()))
		id := fmt.Sprint("stone ", i)
		things = append(things, Thing{ID: id, Name: id, Body: contact.Stand(bodies[i%20], w)})
	}
	return things
}

// stone is a ball of about 2·n² triangles.
func stone(r *rand.Rand, n int) *contact.Body {
	var p [][3]float32
	for i := 0; i <= n; i++ {
		for j := range n {
			a, b := math.Pi*float64(i)/float64(n), 2*math.Pi*float64(j)/float64(n)
			s := 0.5 + 0.04*math.Sin(3*b+r.Float64()*0.1)*math.Sin(2*a)
			p = append(p, [3]float32{float32(s * math.Sin(a) * math.Cos(b)), float32(s * math.Cos(a)),
				float32(s * math.Sin(a) * math.Sin(b))})
		}
	}
	var tri [][3]uint32
	w := uint32(n)
	for i := range w {
		for j := range w {
			a, b := i*w+j, i*w+(j+1)%w
			tri = append(tri, [3]uint32{a, b, a + w}, [3]uint32{b, b + w, a + w})
		}
	}
	return contact.Mesh(p, tri)
}

func yardView(i int) optics.View {
	v := optics.Default()
	v.Eye = geom.V{Y: 1.7, Z: 3 - float64(i)*0.02}
	v.Yaw = float64(i) * 0.002
	return v
}

func BenchmarkFitRange(b *testing.B) {
	s := NewScene(yard())
	var moments []Moment
	for i := range 240 {
		moments = append(moments, Moment{yardView(i), s})
	}
	for b.Loop() {
		RangeOf(moments)
	}
}

func BenchmarkFigures(b *testing.B) {
	things := yard()
	v := yardView(0)
	v.Subject = "stone 500"
	for b.Loop() {
		s := NewScene(things)
		s.FiguresOf(&v, s.Draw(&v, 96, 54), s.Spans(&v))
	}
}
