package light

import (
	"testing"

	"visator/core/geom"
	"visator/core/sky"
)

// Filters take of sun and sky what they say, whatever the sky is, and two of them what both let through.
func TestFilters(t *testing.T) {
	for _, kind := range []string{"two", "hour", "standard"} {
		s := Default()
		s.Sky = kind
		d := geom.V{X: 0.6, Y: 0.8}
		sun, dome := s.Sunlight(), s.Dome()(d)
		s.SunFilter, s.SkyFilter = "#ff0000", "#bcbcbc" // red alone; half of the light, about
		if got := s.Sunlight(); got != (geom.V{X: sun.X}) {
			t.Errorf("%s: the sun is %v, was %v", kind, got, sun)
		}
		half := Hex("#bcbcbc").X
		if got := s.Dome()(d); got.Sub(dome.Mul(half)).Len() > 1e-9*dome.Len() || half < 0.48 || half > 0.52 {
			t.Errorf("%s: the sky is %v, was %v", kind, got, dome)
		}
		pix := s.BakeSky(16, 16)
		if got, want := float64(pix[0]), s.Dome()(sky.Toward(0, 0, 16, 16)).X; got < 0.999*want || got > 1.001*want {
			t.Errorf("%s: it is drawn with %v, want %v", kind, got, want)
		}
		if s.Check() != nil {
			t.Error(s.Check())
		}
		s.SkyFilter = "green"
		if s.Check() == nil {
			t.Error("a filter of no colour")
		}
	}
	for in, want := range map[[2]string]string{{"", ""}: "", {"#102030", ""}: "#102030", {"", "#102030"}: "#102030",
		{"#ffffff", "#80a0c0"}: "#80a0c0", {"#bcbcbc", "#bcbcbc"}: "#8a8a8a", {"#ff0000", "#00ff00"}: "#000000"} {
		if got := Filtered(in[0], in[1]); got != want {
			t.Errorf("%v let %s through, want %s", in, got, want)
		}
	}
}
