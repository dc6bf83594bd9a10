package render

import (
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
		s.Weathers = []surface.Weather{w.Ready(nil)}
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
