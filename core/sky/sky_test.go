package sky

import (
	"fmt"
	"math"
	"testing"

	"visator/core/geom"
)

const degree = math.Pi / 180

// Sky 16 is the overcast sky of old: (1 + 2·sin γ)/3 of what is overhead (CIE); sky 1 is within a fifth of it, a third at
// the horizon as it is; sky 5 is even; the others
// are what the standard's formula gives where its parts are simple: overhead 1, and all brightest towards the sun
// that have a corona.
func TestStandardSkies(t *testing.T) {
	sun := geom.V{X: math.Cos(0.7), Y: math.Sin(0.7)}
	for g := 0.0; g <= 90; g += 5 {
		d := geom.V{X: math.Cos(g * degree), Y: math.Sin(g * degree)}
		within(t, fmt.Sprint("overcast at ", g), Standard(16, d, sun), (1+2*d.Y)/3, 1e-12)
		within(t, fmt.Sprint("steeply overcast at ", g), Standard(1, d, sun), (1+2*d.Y)/3, 0.21)
		within(t, fmt.Sprint("even at ", g), Standard(5, d, sun), 1, 1e-12)
	}
	for k := 1; k <= Kinds; k++ {
		within(t, fmt.Sprint("overhead, sky ", k), Standard(k, geom.V{Y: 1}, sun), 1, 1e-12)
		within(t, fmt.Sprint("below the horizon, sky ", k), Standard(k, geom.V{X: 0.6, Y: -0.8}, sun),
			Standard(k, geom.V{X: 1}, sun), 1e-12)
		at, away := Standard(k, sun, sun), Standard(k, geom.V{X: -sun.X, Y: sun.Y}, sun)
		if even := k == 1 || k == 3 || k == 5 || k == 16; even && at != away || !even && !(at > away) {
			t.Errorf("sky %d: %v towards the sun, %v from it", k, at, away)
		}
		if KindName(k) == "" {
			t.Errorf("sky %d has no name", k)
		}
	}
	// Sky 12, the sun 45 degrees high, 90 degrees from it at the same height: worked out by hand from the table.
	over, side := 45*degree, geom.V{Z: math.Cos(45 * degree), Y: math.Sin(45 * degree)}
	s := geom.V{X: math.Cos(over), Y: math.Sin(over)}
	f := func(x float64) float64 {
		return 1 + 10*(math.Exp(-3*x)-math.Exp(-3*math.Pi/2)) + 0.45*math.Cos(x)*math.Cos(x)
	}
	phi := func(z float64) float64 { return 1 - math.Exp(-0.32/math.Cos(z)) }
	within(t, "sky 12", Standard(12, side, s), f(60*degree)*phi(45*degree)/(f(45*degree)*phi(0)), 1e-9)
}

// Sun and clear sky give the ground what the handbook's formulas have: 127.5·exp(-0.21/sin h) klx before a plane that
// faces the sun, 0.8 + 15.5·√sin h klx of the sky (IES Lighting Handbook, daylighting), within 15 %.
func TestClearSkiesGiveWhatTheHandbookHas(t *testing.T) {
	for _, h := range []float64{10, 15, 20, 30, 45, 60, 80} {
		c := ClearSky(h*degree, ClearAir)
		sin := math.Sin(h * degree)
		sun := luminance(c.Sun)
		within(t, fmt.Sprint("sun at ", h), sun, 127_500*math.Exp(-0.21/sin), 0.15)
		within(t, fmt.Sprint("sky at ", h), luminance(c.Ground)-sun*sin, 800+15_500*math.Sqrt(sin), 0.15)
	}
}

// By day the sky is blue overhead and paler at the horizon, the low sun red; in hazier air the sun gives less and the
// sky more; twilight fades, and the earth is dark below.
func TestColoursOfTheDay(t *testing.T) {
	side := geom.V{X: 1}
	noon := ClearSky(50*degree, ClearAir)
	up, low := noon.At(geom.V{Y: 1}, side), noon.At(geom.V{Z: math.Cos(0.05), Y: math.Sin(0.05)}, side)
	if !(up.Z > 1.5*up.X) || !(low.Z/low.X < up.Z/up.X) || !(luminance(low) > luminance(up)) {
		t.Errorf("overhead %v, at the horizon %v", up, low)
	}
	dawn := ClearSky(3*degree, ClearAir)
	if !(dawn.Sun.X > 2*dawn.Sun.Z) || !(luminance(dawn.Sun) < luminance(noon.Sun)/10) {
		t.Errorf("the low sun is %v", dawn.Sun)
	}
	hazy := ClearSky(50*degree, 10_000)
	sky := func(c *Clear) float64 { return luminance(c.Ground) - luminance(c.Sun)*math.Sin(50*degree) }
	if !(luminance(hazy.Sun) < luminance(noon.Sun)) || !(sky(hazy) > sky(noon)) {
		t.Errorf("in haze: sun %v of %v, sky %v of %v", hazy.Sun, noon.Sun, sky(hazy), sky(noon))
	}
	last := math.Inf(1)
	for h := 2.0; h >= -12; h -= 2 {
		lux := luminance(ClearSky(h*degree, ClearAir).Ground)
		if !(lux < last) || !(lux >= 0) {
			t.Errorf("%v degrees: %v lx, after %v", h, lux, last)
		}
		last = lux
	}
	// At the end of civil twilight a clear sky gives about 3.4 lx (illumination tables of almanacs, memory): here within
	// a factor of three.
	if lux := luminance(ClearSky(-6*degree, ClearAir).Ground); lux < 1.1 || lux > 10 {
		t.Errorf("civil twilight ends at %v lx", lux)
	}
	if ClearSky(math.NaN(), ClearAir) == nil || ClearSky(0.3, math.Inf(1)) == nil {
		t.Error("there is no sky for a height that is none")
	}
}

func BenchmarkClearSky(b *testing.B) {
	m := newMedium(ClearAir)
	for i := 0; b.Loop(); i++ {
		m.sky(float64(i%90) * degree)
	}
}

func BenchmarkAirOfAClearSky(b *testing.B) {
	for b.Loop() {
		newMedium(ClearAir)
	}
}
