package ladder

import (
	"math"
	"testing"
)

// flat are pixels of some luminances.
func flat(l ...float64) (pix []float32) {
	for _, x := range l {
		pix = append(pix, float32(x), float32(x), float32(x))
	}
	return pix
}

// Each pixel stands on the ruler where its luminance is, and what burns and drowns is counted.
func TestEveryPixelIsOnTheRuler(t *testing.T) {
	r := Of(flat(18, 18, 100, 1e-5, 0, 250, math.Inf(1), 0.2), 100)
	sum := 0.0
	for _, s := range r.Share {
		sum += s
	}
	if k := int((math.Log10(18) - From) * 10); math.Abs(r.Share[k]-0.25) > 1e-9 {
		t.Errorf("a quarter is at 18 cd/m²: %v", r.Share[k])
	}
	if math.Abs(sum-5.0/8) > 1e-4 || math.Abs(r.Burnt-3.0/8) > 1e-9 || math.Abs(r.Drowned-3.0/8) > 1e-9 ||
		r.Grey != 18 {
		t.Errorf("%v on it, %v burnt, %v drowned, grey %v", sum, r.Burnt, r.Drowned, r.Grey)
	}
	if r := Of(nil, 100); len(r.Share) != Steps || r.Burnt != 0 {
		t.Errorf("%+v", r)
	}
}

// A stop is a step of the map; what burns and what drowns has a colour of its own; illuminance is π times luminance
// over what a matt thing throws back.
func TestHeightsOfAMap(t *testing.T) {
	for _, c := range [][2]float64{{0, 0.3}, {1, 1.4}, {-3, -2.7}} {
		if Height(c[0]) != Height(c[1]) {
			t.Errorf("%v and %v stops differ", c[0], c[1])
		}
	}
	seen := map[[3]uint8]float64{}
	for s := -7.0; s <= 4; s++ {
		c := Height(s)
		if was, ok := seen[[3]uint8{c.R, c.G, c.B}]; ok && (s < 3 && s > -6) {
			t.Errorf("%v and %v stops are drawn alike", s, was)
		}
		seen[[3]uint8{c.R, c.G, c.B}] = s
	}
	a := Picture(Lux, flat(10), flat(0.5), 1, 1, 100).RGBAAt(0, 0)
	if b := Picture(Cd, flat(20*math.Pi), nil, 1, 1, 100).RGBAAt(0, 0); a != b {
		t.Errorf("62.8 lx is %v, as cd/m² %v", a, b)
	}
	if c := Picture(Stops, flat(math.NaN()), nil, 1, 1, 100).RGBAAt(0, 0); c != Height(-100) {
		t.Errorf("what is no number is %v", c)
	}
}
