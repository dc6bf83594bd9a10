package light

import (
	"math"
	"testing"
)

// From daylight of 5500 K to lamps of 3200 K it is 131 mired (10^6/3200 - 10^6/5500), and back the same; a gel takes
// light, the more the farther it shifts, and none takes none.
func TestGels(t *testing.T) {
	if got := Shifted(5500, 1e6/3200-1e6/5500); math.Abs(got-3200) > 1e-9 {
		t.Errorf("shifted to %v K", got)
	}
	if got := 1e6/Shifted(3200, -131) - 1e6/5500; math.Abs(got) > 1 {
		t.Errorf("off by %v mired", got)
	}
	last := 1.0
	for _, mired := range []float64{-30, -80, -131, -200} {
		p := Passes(3200, Shifted(3200, mired))
		if !(p < last && p > 0.05) {
			t.Errorf("%v mired lets %v through, after %v", mired, p, last)
		}
		last = p
	}
	// Lamp light made daylight loses more than half of it, daylight made lamp light less: blue gels are darker than
	// orange ones (common practice: about 0.35 and 0.55 are printed on them).
	blue, orange := Passes(3200, 5500), Passes(5500, 3200)
	if !(blue < 0.55 && orange > blue && orange < 0.9) {
		t.Errorf("blue %v, orange %v", blue, orange)
	}
	l := DefaultLamp()
	plain := l.Lumen()
	l.Mired = 100
	if got := l.Luminous(); !(l.Lumen() < plain) || got.Z/got.X >= Color(l.Kelvin).Z/Color(l.Kelvin).X {
		t.Errorf("behind an orange gel %v lm of %v, %v", l.Lumen(), plain, got)
	}
	if Passes(3000, 3000) != 1 || Shifted(1000, 1e9) != 1000 || Shifted(30000, -1e9) != 40000 {
		t.Error("the ends are not the ends")
	}
}
