package light

import (
	"math"
	"testing"
)

// Places lie on the earth, from north to south, and their clocks agree with the sun to two hours: it stands highest
// between ten and two o'clock at an equinox, and where it should by the latitude.
func TestPlacesToChoose(t *testing.T) {
	seen, last := map[string]bool{}, math.Pi/2
	for _, s := range Places() {
		p := Place{Latitude: s.Latitude, Longitude: s.Longitude, Zone: s.Zone, Day: "2026-03-20"}
		if err := p.Check(); err != nil || seen[s.Name] || s.Latitude > last {
			t.Errorf("%s: %v", s.Name, err)
		}
		seen[s.Name], last = true, s.Latitude
		best, at := -1.0, 0.0
		for h := 8.0; h <= 16; h += 0.1 {
			if _, el := p.Sun(h); el > best {
				best, at = el, h
			}
		}
		if at < 10 || at > 14.2 || math.Abs(best-(math.Pi/2-math.Abs(s.Latitude))) > 0.02 {
			t.Errorf("%s: the sun stands highest at %.1f h, %.3f", s.Name, at, best)
		}
	}
	if len(seen) < 30 {
		t.Errorf("%d places", len(seen))
	}
}
