package render

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/surface"
)

// block is a body of one grey, from lo to hi.
func block(lo, hi geom.V) *model.Model {
	p := model.Part{Kind: model.Triangles}
	for f := range 6 {
		axis, high := f/2, f%2 == 1
		first := uint32(len(p.Positions) / 3)
		for k := range 4 {
			a, b := k&1, k>>1
			c := [3]bool{}
			c[axis], c[(axis+1)%3], c[(axis+2)%3] = high, a == 1, b == 1
			pick := func(i int, l, h float64) float32 {
				if c[i] {
					return float32(h)
				}
				return float32(l)
			}
			p.Positions = append(p.Positions, pick(0, lo.X, hi.X), pick(1, lo.Y, hi.Y), pick(2, lo.Z, hi.Z))
		}
		if high {
			p.Indices = append(p.Indices, first, first+1, first+3, first, first+3, first+2)
		} else {
			p.Indices = append(p.Indices, first, first+3, first+1, first, first+2, first+3)
		}
	}
	s := model.DefaultSurface()
	s.BaseColor, s.Metallic = [4]float64{0.2, 0.2, 0.2, 1}, 0
	n := model.NewNode("block")
	n.Mesh = 0
	p.Surface = 0
	return &model.Model{Nodes: []model.Node{n}, Roots: []int{0}, Meshes: []model.Mesh{{Parts: []model.Part{p}}},
		Surfaces: []model.Surface{s}}
}

// seenFrom is the mean base colour's green of what rays straight along d meet, about a place.
func seenFrom(t *testing.T, s *Scene, at, d geom.V) float64 {
	t.Helper()
	u, v := geom.Frame(d)
	sum, n := 0.0, 0
	for i := range 20 {
		for k := range 20 {
			p := at.Add(u.Mul(float64(i-10) * 2e-4)).Add(v.Mul(float64(k-10) * 2e-4))
			pt, _, ok := s.plain(NewRay(p.Sub(d.Mul(0.01)), d))
			if !ok {
				t.Fatalf("nothing is met at %v", p)
			}
			sum, n = sum+pt.place.Base.Y, n+1
		}
	}
	return sum / float64(n)
}

// Along its edges a block is rubbed bare, on its sides it is not, and not where another stands beside it; dirt lies
// where two blocks meet, and nowhere else.
func TestEdgesAreRubbedBareAndCornersAreDirty(t *testing.T) {
	scene := func(set func(w *surface.Wear)) *Scene {
		s, lib := &Scene{}, &Library{Threads: 1}
		for i, b := range [][2]geom.V{{{}, {X: 1, Y: 1, Z: 1}}, {{X: -2, Y: -0.2, Z: -2}, {X: 3, Y: 0, Z: 3}}} {
			if err := s.Place(lib, block(b[0], b[1]), geom.Identity, func(int) uint32 { return uint32(i + 1) }); err != nil {
				t.Fatal(err)
			}
		}
		w := surface.NewWear()
		set(&w)
		s.Weathers = []surface.Weather{w.Ready(nil, nil)}
		s.Build()
		return s
	}
	down, in := geom.V{Y: -1}, geom.V{Z: -1}
	middle, edge := geom.V{X: 0.5, Y: 1, Z: 0.5}, geom.V{X: 0.5, Y: 1, Z: 0.994}
	low, high := geom.V{X: 0.5, Y: 0.008, Z: 1}, geom.V{X: 0.5, Y: 0.5, Z: 1}

	s := scene(func(w *surface.Wear) { w.Edges, w.EdgesOf, w.EdgeReach = 1, "#ffffff", 0.03 })
	if a, b, c := seenFrom(t, s, middle, down), seenFrom(t, s, edge, down), seenFrom(t, s, high, in); math.Abs(a-0.2) > 1e-6 ||
		b < 0.5 || math.Abs(c-0.2) > 1e-6 {
		t.Errorf("%v in the middle, %v along the edge, %v on the side", a, b, c)
	}
	s = scene(func(w *surface.Wear) { w.Corners, w.DirtOf, w.CornerReach = 1, "#000000", 0.05 })
	if a, b, c := seenFrom(t, s, low, in), seenFrom(t, s, high, in), seenFrom(t, s, middle, down); a > 0.1 ||
		math.Abs(b-0.2) > 1e-6 || math.Abs(c-0.2) > 1e-6 {
		t.Errorf("%v in the corner, %v above it, %v on top", a, b, c)
	}
	// Brushed on in one place, it is nowhere else; taken away in one, it is everywhere else.
	spot := surface.Spot{At: middle, Radius: 0.2}
	far := geom.V{X: 0.1, Y: 1, Z: 0.1}
	s = scene(func(w *surface.Wear) { w.Dust, w.DustOf, w.Spots = 1, "#ffffff", []surface.Spot{spot} })
	if a, b := seenFrom(t, s, middle, down), seenFrom(t, s, far, down); a < 0.4 || math.Abs(b-0.2) > 1e-6 {
		t.Errorf("brushed on: %v there, %v elsewhere", a, b)
	}
	spot.Take = true
	s = scene(func(w *surface.Wear) { w.Dust, w.DustOf, w.Spots = 1, "#ffffff", []surface.Spot{spot} })
	if a, b := seenFrom(t, s, middle, down), seenFrom(t, s, far, down); b < 0.4 || math.Abs(a-0.2) > 1e-6 {
		t.Errorf("taken away: %v there, %v elsewhere", a, b)
	}
}

// The edge of a block whose edges look rounded looks between its sides, a radius away it looks as they do; a block whose
// edges are not rounded looks as its sides do everywhere. Its size in the set counts, not that in the file.
func TestEdgesOfABlockLookRounded(t *testing.T) {
	for _, scale := range []float64{1, 0.1} {
		for _, bevel := range []float64{0, 0.02} {
			m := block(geom.V{}, geom.V{X: 1, Y: 1, Z: 1}.Mul(1/scale))
			m.Surfaces[0].Bevel = bevel
			s, lib := &Scene{}, &Library{Threads: 1}
			if err := s.Place(lib, m, geom.Scaling(scale), func(int) uint32 { return 1 }); err != nil {
				t.Fatal(err)
			}
			s.Build()
			for _, far := range []float64{0.0005, 0.01, 0.015, 0.03} {
				pt, _, ok := s.plain(NewRay(geom.V{X: 0.5, Y: 2, Z: 1 - far}, geom.V{Y: -1}))
				if !ok {
					t.Fatal("nothing is met")
				}
				want := 0.0
				if bevel > 0 {
					want = 45 * max(1-far/bevel, 0)
				}
				if got := math.Atan2(pt.n.Z, pt.n.Y) * 180 / math.Pi; math.Abs(got-want) > 0.1 {
					t.Errorf("%v a unit, by %v: %v from the edge it is turned by %v°, not %v°", scale, bevel, far, got, want)
				}
			}
		}
	}
}

// A picture that is thrown from a camera onto blocks at several distances is seen from there as it is: what each ray
// meets has the colour of the picture where the ray goes through it.
func TestAThrownPictureIsSeenAsItIs(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for y := range 64 {
		for x := range 64 {
			img.SetNRGBA(x, y, color.NRGBA{uint8(4 * x), uint8(4 * y), 60, 255})
		}
	}
	var data bytes.Buffer
	if err := png.Encode(&data, img); err != nil {
		t.Fatal(err)
	}
	cam := Camera{Near: 0.1, TanX: 0.4, TanY: 0.4, World: geom.Translation(geom.V{X: 0.3, Y: 0.5, Z: 5})}
	s, lib := &Scene{}, &Library{Threads: 1}
	for i, z := range []float64{-30, -1, 1} {
		m := block(geom.V{X: -20 + float64(i)*20.2, Y: -20, Z: z - 1}, geom.V{X: 20, Y: 20, Z: z})
		m.Maps = []model.Map{{Name: "p", Status: model.Embedded, Mime: "image/png", Data: data.Bytes()}}
		mat := surface.New()
		mat.Base, mat.Lay = "#ffffff", surface.AsThrown
		mat.Maps = map[string]surface.Map{"base": {Blob: "p"}}
		mat.Thrown = model.Throw{From: geom.V{X: 0.3, Y: 0.5, Z: 5}, Right: geom.V{X: 1}, Up: geom.V{Y: 1}, Wide: 0.8,
			High: 0.8}
		mat.Apply(&m.Surfaces[0], map[string]int{"base": 0}, 0)
		if err := s.Place(lib, m, geom.Identity, func(int) uint32 { return uint32(i + 1) }); err != nil {
			t.Fatal(err)
		}
	}
	s.Build()
	met := map[uint32]bool{}
	for y := 0.1; y < 0.95; y += 0.2 {
		for x := 0.1; x < 0.95; x += 0.2 {
			f, ok := s.Find(cam.Ray(x, y, 0.5, 0.5))
			if !ok {
				t.Fatalf("nothing is met at %v %v", x, y)
			}
			met[f.ID] = true
			linear := func(c float64) float64 { return math.Pow((c+0.055)/1.055, 2.4) } // IEC 61966-2-1
			want := geom.V{X: linear((64*x - 0.5) * 4 / 255), Y: linear((64*y - 0.5) * 4 / 255)}
			if math.Abs(f.Base.X-want.X) > 0.02 || math.Abs(f.Base.Y-want.Y) > 0.02 {
				t.Errorf("at %v %v it is %v, not %v", x, y, f.Base, want)
			}
		}
	}
	if len(met) < 2 {
		t.Errorf("%v were met", met)
	}
}
