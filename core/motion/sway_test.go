package motion

import (
	"math"
	"testing"

	"visator/core/geom"
)

// Plants lean with the wind, more in more of it, tall ones swing slowly; the foot stays where it is, and in still air
// nothing moves.
func TestPlantsSway(t *testing.T) {
	at := geom.V{X: 3, Y: 2, Z: -5}
	mean := func(v float64) (lean, off float64) {
		s := Sway{Wind: geom.V{X: v}, Gusts: 0.5, Seed: 3}
		const n = 4000
		for i := range n {
			x, z := s.Lean(at, 8, float64(i)*0.1)
			lean, off = lean+x/n, off+z/n
		}
		return lean, off
	}
	two, _ := mean(4)
	four, off := mean(8)
	if r := four / two; r < 3.3 || r > 4.7 || math.Abs(off) > 0.1*four || !(two > 0) {
		t.Errorf("twice the wind leans %.2f times as far, %v to the side", r, off)
	}
	if x, _ := mean(60); x > mostLean*1.01 {
		t.Errorf("a gale leans it by %v", x)
	}
	if x, z := (&Sway{Gusts: 1}).Lean(at, 8, 3); x != 0 || z != 0 {
		t.Error("it moves in still air")
	}
	s := Sway{Wind: geom.V{X: 6, Z: 6}, Gusts: 0.3}
	turns := func(high float64) (n int) {
		was, up := 0.0, false
		for i := range 6000 {
			x, _ := s.Lean(at, high, float64(i)*0.01)
			if i > 1 && x > was != up {
				up = !up
				n++
			}
			was = x
		}
		return n
	}
	if short, tall := turns(0.5), turns(12); short < 3*tall || tall < 10 {
		t.Errorf("in a minute grass turns %d times, a tree %d", short, tall)
	}
	m := s.Bent(at, 8, 1.7)
	if d := m.Point(at).Sub(at).Len(); d > 1e-12 {
		t.Errorf("its foot moves by %v", d)
	}
	x, z := s.Lean(at, 8, 1.7)
	top := at.Add(geom.V{Y: 8})
	if d := m.Point(top).Sub(top.Add(geom.V{X: 8 * x, Z: 8 * z})).Len(); d > 1e-9 {
		t.Errorf("its top is %v off", d)
	}
}
