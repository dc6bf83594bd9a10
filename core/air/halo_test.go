package air

import (
	"math"
	"testing"

	"visator/core/geom"
)

// The halo of a lamp in thin even air is the sum of what each piece of the way scatters.
func TestHalo(t *testing.T) {
	a := &Air{Parts: []Part{{Sigma: 1e-4, Albedo: geom.V{X: 1, Y: 1, Z: 1}}}}
	for _, c := range []struct {
		at  geom.V
		far float64
	}{{geom.V{X: 2, Z: -10}, 40}, {geom.V{X: 0.3, Z: -3}, 4}, {geom.V{Y: 5, Z: 20}, 30}, {geom.V{X: 1, Z: -50}, 20}} {
		d := geom.V{Z: -1}
		want := 0.0
		const steps = 200_000
		for i := range steps {
			p := d.Mul(c.far * (float64(i) + 0.5) / steps)
			off := p.Sub(c.at)
			want += 1e-4 / (4 * math.Pi) / off.Dot(off) * c.far / steps
		}
		if got := a.Halo(geom.V{}, d, c.far, c.at); math.Abs(got-want) > 0.01*want {
			t.Errorf("%v: %.4g, want %.4g", c.at, got, want)
		}
	}
	if got := a.Halo(geom.V{}, geom.V{Z: -1}, math.Inf(1), geom.V{Z: -5}); !(got > 0) || math.IsInf(got, 0) {
		t.Errorf("through the lamp itself %v", got)
	}
	if got := (&Air{}).Halo(geom.V{}, geom.V{Z: -1}, 10, geom.V{X: 1}); got != 0 {
		t.Errorf("in clear air %v", got)
	}
}
