package air

import (
	"math"
	"testing"

	"visator/core/geom"
)

// The halo of a lamp in thin even air is the sum of what each piece of the way scatters.
func TestHalo(t *testing.T) {
	down := func(way geom.V) float64 { return max(-way.Y, 0) }
	for _, c := range []struct {
		at    geom.V
		far   float64
		ahead float64
		along func(geom.V) float64
	}{{geom.V{X: 2, Z: -10}, 40, 0, nil}, {geom.V{X: 0.3, Z: -3}, 4, 0, nil}, {geom.V{Y: 5, Z: 20}, 30, 0, nil},
		{geom.V{X: 1, Z: -50}, 20, 0, nil}, {geom.V{X: 2, Z: -10}, 40, 0.6, nil}, {geom.V{Y: 3, Z: -10}, 40, 0.6, down}} {
		a := &Air{Parts: []Part{{Sigma: 1e-4, Albedo: geom.V{X: 1, Y: 1, Z: 1}, Mean: c.ahead}}}
		d := geom.V{Z: -1}
		want := 0.0
		const steps = 200_000
		for i := range steps {
			p := d.Mul(c.far * (float64(i) + 0.5) / steps)
			off := p.Sub(c.at)
			much := a.Parts[0].Phase(off.Unit(), d.Mul(-1))
			if c.along != nil {
				much *= c.along(off.Unit())
			}
			want += 1e-4 * much / off.Dot(off) * c.far / steps
		}
		if got := a.Halo(geom.V{}, d, c.far, c.at, c.along); math.Abs(got-want) > (0.01+0.1*c.ahead)*want {
			t.Errorf("%v: %.4g, want %.4g", c.at, got, want)
		}
	}
	a := &Air{Parts: []Part{{Sigma: 1e-4, Albedo: geom.V{X: 1, Y: 1, Z: 1}}}}
	if got := a.Halo(geom.V{}, geom.V{Z: -1}, math.Inf(1), geom.V{Z: -5}, nil); !(got > 0) || math.IsInf(got, 0) {
		t.Errorf("through the lamp itself %v", got)
	}
	if got := (&Air{}).Halo(geom.V{}, geom.V{Z: -1}, 10, geom.V{X: 1}, nil); got != 0 {
		t.Errorf("in clear air %v", got)
	}
}
