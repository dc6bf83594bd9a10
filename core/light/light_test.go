package light

import (
	"math"
	"testing"

	"visator/core/geom"
)

func TestWarmLightIsRedderAndAllLightHasLuminanceOne(t *testing.T) {
	for _, k := range []float64{1500, 2700, 5400, 6500, 12000} {
		c := Color(k)
		if l := 0.2126*c.X + 0.7152*c.Y + 0.0722*c.Z; math.Abs(l-1) > 1e-9 {
			t.Errorf("%v K has luminance %v", k, l)
		}
	}
	if w, c := Color(2700), Color(9000); w.X/w.Z < 2 || c.X > c.Z {
		t.Errorf("2700 K is %v, 9000 K is %v", w, c)
	}
}

func TestAzimuthRunsClockwiseFromTheTopOfThePlan(t *testing.T) {
	for az, want := range map[float64]geom.V{0: {Z: -1}, math.Pi / 2: {X: 1}, math.Pi: {Z: 1}} {
		if got := Direction(az, 0); got.Sub(want).Len() > 1e-12 {
			t.Errorf("azimuth %v points to %v, want %v", az, got, want)
		}
	}
	if got := Direction(1, math.Pi/2); got.Sub(geom.V{Y: 1}).Len() > 1e-12 {
		t.Errorf("straight up is %v", got)
	}
}

func TestSkyRunsFromTheHorizonsToTheZenithsColour(t *testing.T) {
	s := Default()
	if got, want := s.SkyAt(geom.V{Y: 1}), Hex(s.Zenith).Mul(s.Level); got.Sub(want).Len() > 1e-9 {
		t.Errorf("zenith %v, want %v", got, want)
	}
	if got, want := s.SkyAt(geom.V{X: 1}), Hex(s.Horizon).Mul(s.Level); got.Sub(want).Len() > 1e-9 {
		t.Errorf("horizon %v, want %v", got, want)
	}
	if len(s.BakeSky(8, 4)) != 96 {
		t.Error("the baked sky has the wrong size")
	}
}

func TestImpossibleLightIsRefused(t *testing.T) {
	for name, spoil := range map[string]func(*State){
		"lux": func(s *State) { s.Lux = -1 }, "kelvin": func(s *State) { s.Kelvin = 0 },
		"colour":       func(s *State) { s.Zenith = "blue" },
		"no panorama":  func(s *State) { s.Sky = "panorama" },
		"not a number": func(s *State) { s.Elevation = math.NaN() },
	} {
		s := Default()
		if spoil(&s); s.Check() == nil {
			t.Errorf("%s was accepted", name)
		}
	}
}

// What a direction and a colour came from is found again.
func TestASunIsFoundAgain(t *testing.T) {
	for _, c := range [][2]float64{{0, 0}, {2.3, 0.7}, {-1, -0.2}, {3, 1.5}} {
		if az, el := Towards(Direction(c[0], c[1])); math.Abs(az-c[0]) > 1e-9 || math.Abs(el-c[1]) > 1e-9 {
			t.Errorf("%v came back as %v, %v", c, az, el)
		}
	}
	for _, k := range []float64{1800, 2700, 3200, 5400, 6504, 9300, 20000} {
		if got := NearestKelvin(Color(k).Mul(3)); math.Abs(1e6/got-1e6/k) > 1.5 {
			t.Errorf("%v K came back as %v K", k, got)
		}
	}
	if NearestKelvin(geom.V{}) != 6504 {
		t.Error("black has a temperature")
	}
}
