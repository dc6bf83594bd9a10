package lay

import (
	"math"
	"strings"
	"testing"

	"visator/core/geom"
)

// level is a floor of one height within a metre of the middle, and nothing beyond.
type level float64

func (l level) Under(x, z, from float64) (float64, geom.V, bool) {
	if math.Hypot(x, z) > 1 || float64(l) > from {
		return math.Inf(-1), geom.V{}, false
	}
	return float64(l), geom.V{Y: 1}, true
}

// A lamp lights what lies beneath it, or a floor at 0 where nothing does; it says what it gives there.
func TestALampLightsWhatLiesBeneathIt(t *testing.T) {
	l := (&Lamp{}).Default().(*Lamp)
	for _, c := range []struct{ x, floor, want float64 }{{0, 0.5, 0.5}, {2, 0.5, 0}, {0, 3, 0}} {
		l.At.X = c.x
		if got := l.Floor(level(c.floor)); got != c.want {
			t.Errorf("at %v over %v: %v", c.x, c.floor, got)
		}
	}
	laid := l.LayOver(0.2)
	want := 710 / (4 * math.Pi) / 4 // candela by the square of two metres
	if len(laid.Pools) != 2 || math.Abs(laid.Pools[0].Lux-want/2) > 1e-9 || len(laid.Hung) != 1 ||
		laid.Hung[0].At != l.At {
		t.Errorf("%+v", laid)
	}
	if !strings.Contains(laid.Said, "710 lm, 56.5 cd") || !strings.Contains(laid.Said, "14.1 lx at most") {
		t.Errorf("it says %q", laid.Said)
	}
	if l.On = false; l.LayOver(0).Said != "it does not burn" {
		t.Errorf("it says %q", l.LayOver(0).Said)
	}
}
