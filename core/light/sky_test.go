package light

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/sky"
	"visator/core/unit"
)

// Every computed sky gives level ground what it says, as the picture of it does that the renderer has.
func TestSkiesGiveTheGroundWhatTheySay(t *testing.T) {
	for _, c := range []struct {
		kind int
		klx  float64 // at 30 degrees
	}{{1, 0.3 + 21*0.5}, {7, 0.3 + 45*0.5}, {12, 0.8 + 15.5*math.Sqrt(0.5)}} {
		s := Default()
		s.Sky, s.Standard, s.Elevation, s.Times = "standard", c.kind, unit.Radians(30), 1
		w, h := s.SkySize()
		e := sky.New(s.BakeSky(w, h), w, h, 1, 0)
		lux := sky.OnGround(func(d geom.V) float64 { return Luminance(e.At(d)) }, 90)
		if math.Abs(lux/1000-c.klx) > 0.01*c.klx {
			t.Errorf("sky %d gives %v klx, want %v", c.kind, lux/1000, c.klx)
		}
		if s.Times = 2; math.Abs(Luminance(s.SkyAt(geom.V{Y: 1}))-2*Luminance(e.At(geom.V{Y: 1}))) > 0.01*lux {
			t.Errorf("sky %d twice as bright is not", c.kind)
		}
	}
	s := Default()
	s.Sky, s.From = "hour", "place"
	before := Default()
	s.Settle(&before)
	c := sky.ClearSky(s.Elevation, sky.ClearAir)
	if math.Abs(s.Lux-Luminance(c.Sun)) > 1 || s.Kelvin < 4000 || s.Kelvin > 7000 {
		t.Errorf("by the hour the sun gives %v lx at %v K", s.Lux, s.Kelvin)
	}
	if night := Skylight(1, -0.1); !(night > 0 && night < Skylight(1, 0)) {
		t.Errorf("below the horizon an overcast sky gives %v lx", night)
	}
	var old State // as it was kept before there were any
	old.Sky = "standard"
	if l := old.SkyAt(geom.V{Y: 1}); !(Luminance(l) > 0) {
		t.Error("a sky of an old light is black")
	}
}
