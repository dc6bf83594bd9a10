package lay

import (
	"math"
	"testing"

	"visator/core/air"
	"visator/core/geom"
)

// A bank of fog stands on its foot: within it the air is as dense as it says, beyond clear; turned, its outline is too.
func TestABankOfFog(t *testing.T) {
	f := (&Fog{}).Default().(*Fog)
	f.Shape, f.At, f.Wide, f.Deep, f.High, f.Sees = "box", geom.V{X: 10, Y: 1}, 6, 2, 3, 20
	for _, turn := range []float64{0, math.Pi / 2} {
		f.Turn = turn
		l := f.Lay()
		a := air.Air{Parts: l.Air}
		want := math.Pow(0.05, 6.0/20)
		along, across := geom.V{X: 1}, geom.V{Z: 1}
		if turn > 0 {
			along, across = across, along
		}
		mid := geom.V{X: 10, Y: 2}
		for d, share := range map[geom.V]float64{along: want, across: math.Pow(0.05, 2.0/20)} {
			if got := a.Through(mid.Sub(d.Mul(50)), d, 100); math.Abs(got-share) > 1e-9 {
				t.Errorf("turned %v, along %v: %v comes through, want %v", turn, d, got, share)
			}
		}
		if a.Sigma(geom.V{X: 10, Y: 0.9}) != 0 || a.Sigma(geom.V{X: 10, Y: 4.1}) != 0 || !(a.Sigma(geom.V{X: 10,
			Y: 3.9}) > 0) {
			t.Error("it does not stand on its foot")
		}
		far := 0.0
		for _, p := range l.Strips[0] {
			if turn > 0 {
				far = max(far, math.Abs(p.Z))
			} else {
				far = max(far, math.Abs(p.X-10))
			}
		}
		if math.Abs(far-3) > 1e-9 {
			t.Errorf("turned %v its outline reaches %v m", turn, far)
		}
	}
	f.Shape = "ball"
	a := air.Air{Parts: f.Lay().Air}
	if a.Sigma(geom.V{X: 10, Y: 2.5}) == 0 || a.Sigma(geom.V{X: 10, Y: 3.9, Z: 2.9}) != 0 {
		t.Error("a ball of fog is none")
	}
}
