package skin

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// square is two triangles in the plane of X and Y, whose texture coordinates grow along X, and down along Y.
func square() model.Part {
	return model.Part{Positions: []float32{0, 0, 0, 2, 0, 0, 2, 2, 0, 0, 2, 0}, Indices: []uint32{0, 1, 2, 0, 2, 3},
		UV: []float32{0, 1, 1, 1, 1, 0, 0, 0}}
}

// The tangent goes where the first coordinate grows, the other where the picture goes up; a normal of the map that
// stands upright leaves the surface's own.
func TestTangents(t *testing.T) {
	p := square()
	for tri, e := range map[uint32][2]geom.V{0: {{X: 2}, {X: 2, Y: 2}}, 1: {{X: 2, Y: 2}, {Y: 2}}} {
		uv := At(&p, tri, 0.25, 0.5)
		tan, bit, ok := Tangent(geom.V{Z: 1}, &model.EmptySlot, &uv, &p, tri, e[0], e[1])
		if !ok || tan.Sub(geom.V{X: 1}).Len() > 1e-9 || bit.Sub(geom.V{Y: 1}).Len() > 1e-9 {
			t.Errorf("triangle %d: %v, %v, %v", tri, tan, bit, ok)
		}
	}
	uv := At(&p, 0, 0.25, 0.5) // a quarter of the second corner, half of the third
	if math.Abs(uv.U[0]-0.75) > 1e-7 || math.Abs(uv.V[0]-0.5) > 1e-7 {
		t.Errorf("coordinates %v, %v", uv.U[0], uv.V[0])
	}
	p.UV = nil
	if _, _, ok := Tangent(geom.V{Z: 1}, &model.EmptySlot, &uv, &p, 0, geom.V{X: 2}, geom.V{X: 2, Y: 2}); ok {
		t.Error("without coordinates there is no tangent")
	}
}

// Beer's law: after the length that the colour is told for, the colour is left; after twice, its square.
func TestKeepsByBeersLaw(t *testing.T) {
	s := Surface{M: model.DefaultSurface()}
	if s.Keeps(5) != white {
		t.Error("what takes up nothing keeps all")
	}
	s.M.Absorb, s.M.AbsorbOver = [3]float64{0.5, 0.2, 1}, 0.3
	for far, want := range map[float64]geom.V{0: white, 0.3: {X: 0.5, Y: 0.2, Z: 1}, 0.6: {X: 0.25, Y: 0.04, Z: 1}} {
		if got := s.Keeps(far); got.Sub(want).Len() > 1e-12 {
			t.Errorf("%v m: %v, want %v", far, got, want)
		}
	}
}

// A mask stops all or nothing by its cutoff, a blend as much as it says, with the opacity of the corners.
func TestOpacity(t *testing.T) {
	p := square()
	p.Colors = []float32{1, 1, 1, 0.4, 1, 1, 1, 0.4, 1, 1, 1, 0.4, 1, 1, 1, 0.4}
	uv := At(&p, 0, 0.2, 0.2)
	s := Surface{M: model.DefaultSurface()}
	for _, c := range []struct {
		alpha        model.Alpha
		cutoff, want float64
	}{{model.Blend, 0.5, 0.4}, {model.Mask, 0.5, 0}, {model.Mask, 0.3, 1}} {
		s.M.Alpha, s.M.Cutoff = c.alpha, c.cutoff
		if got := s.Opacity(&p, 0, 0.2, 0.2, &uv); math.Abs(got-c.want) > 1e-6 {
			t.Errorf("alpha %v, cutoff %v: %v, want %v", c.alpha, c.cutoff, got, c.want)
		}
	}
}
