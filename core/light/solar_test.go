package light

import (
	"math"
	"testing"
	"time"

	"visator/core/unit"
)

// The worked example of NREL/TP-560-34302, table A5.1: Golden, Colorado.
func TestTheSunOfTheWorkedExample(t *testing.T) {
	at := time.Date(2003, 10, 17, 12, 30, 30, 0, time.FixedZone("", -7*3600))
	s := Site{Latitude: unit.Radians(39.742476), Longitude: unit.Radians(-105.1786), Height: 1830.14, Pressure: 820,
		Degrees: 11}
	p := solar(at, s, 67)
	jm := (2452930.312847 + 67.0/86400 - 2451545) / 365250
	long, tilt := nutated(10 * jm)
	for what, x := range map[string][3]float64{ // is, should be, within
		"zenith":      {90 - unit.Degrees(p.Elevation), 50.11162, 6e-6},
		"azimuth":     {unit.Degrees(p.Azimuth), 194.34024, 6e-6},
		"longitude":   {unit.Degrees(unit.Turned(series(earthL, jm))), 24.0182616917, 1e-6},
		"latitude":    {unit.Degrees(series(earthB, jm)), -0.0001011219, 1e-9},
		"distance":    {p.Distance, 0.9965422974, 1e-9},
		"nutation":    {unit.Degrees(long), -0.00399840, 1e-7},
		"obliquity":   {unit.Degrees(tilt), 0.00166657, 1e-7},
		"mean tilt":   {unit.Degrees(obliquity(jm) + tilt), 23.440465, 1e-6},
		"ascension":   {unit.Degrees(p.ascension), 202.22704, 1e-5},
		"declination": {unit.Degrees(p.declination), -9.316179, 1e-5},
	} {
		if math.Abs(x[0]-x[1]) > x[2] {
			t.Errorf("%s is %.10f, in the example %.10f", what, x[0], x[1])
		}
	}
}

// Rise and set by the almanac's rule of thumb at the equinox: due east and west, twelve hours apart
// but for the air and the sun's half disc, which at the equator make 50 minutes of arc each side:
// 12 h 6 min 40 s.
func TestTheDayOfAnEquinox(t *testing.T) {
	p := Place{Day: "2026-03-20"} // 14:46 UTC is the equinox itself
	d := p.Today()
	if long := (d.Set - d.Rise) * 60; math.Abs(long-(12*60+400.0/60)) > 0.3 {
		t.Errorf("the day is %.2f minutes long", long)
	}
	// The equation of time is -7 min 24 s then (almanacs: -7.4 to -7.5 min).
	if late := (d.Noon - 12) * 60; math.Abs(late-7.4) > 0.2 {
		t.Errorf("noon is %.2f minutes late", late)
	}
	if az, _ := p.Sun(d.Rise); math.Abs(unit.Degrees(az)-90) > 0.3 {
		t.Errorf("it rises at %.2f degrees", unit.Degrees(az))
	}
	if math.Abs(unit.Degrees(d.Height)-90) > 0.4 {
		t.Errorf("it stands %.2f degrees high", unit.Degrees(d.Height))
	}
}

// At the arctic circle the sun does not set at midsummer, nor rise at midwinter a little further north.
func TestTheSunThatDoesNotSet(t *testing.T) {
	for day, up := range map[string]bool{"2026-06-21": true, "2026-12-21": false} {
		p := Place{Latitude: unit.Radians(70), Longitude: unit.Radians(20), Zone: 1, Day: day}
		d := p.Today()
		if !math.IsNaN(d.Rise) || !math.IsNaN(d.Set) || (d.Height > 0) != up {
			t.Errorf("%s: rise %v, set %v, %.1f high at noon", day, d.Rise, d.Set, unit.Degrees(d.Height))
		}
	}
	for _, p := range []Place{{Latitude: math.Pi / 2}, {Latitude: -math.Pi / 2, Day: "0001-01-01"},
		{Day: "6000-12-31", Longitude: -math.Pi, Zone: 14, Hour: 24}} {
		if az, el := p.Sun(p.Hour); math.IsNaN(az+el) || math.Abs(el) > math.Pi/2 {
			t.Errorf("%+v: %v, %v", p, az, el)
		}
		p.Today()
	}
}

// Another way: declination and equation of time by Spencer's series (1971), good to some tenths of a
// degree, and the spherical triangle, over a year and the earth.
func TestTheSunByShorterSeries(t *testing.T) {
	for n := range 400 {
		at := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(n) * 21 * time.Hour)
		s := Site{Latitude: unit.Radians(float64(n%17)*10 - 80), Longitude: unit.Radians(float64(n%36)*10 - 180)}
		g := 2 * math.Pi * (float64(at.YearDay()) - 1 + float64(at.Hour())/24) / 365
		dec := 0.006918 - 0.399912*math.Cos(g) + 0.070257*math.Sin(g) - 0.006758*math.Cos(2*g) +
			0.000907*math.Sin(2*g) - 0.002697*math.Cos(3*g) + 0.00148*math.Sin(3*g)
		eot := 229.18 * (0.000075 + 0.001868*math.Cos(g) - 0.032077*math.Sin(g) - 0.014615*math.Cos(2*g) -
			0.040849*math.Sin(2*g))
		h := unit.Radians(15*(float64(at.Hour())+float64(at.Minute())/60+eot/60-12)) + s.Longitude
		want := math.Asin(math.Sin(s.Latitude)*math.Sin(dec) + math.Cos(s.Latitude)*math.Cos(dec)*math.Cos(h))
		if got := Solar(at, s); math.Abs(unit.Degrees(got.True-want)) > 0.6 {
			t.Fatalf("%v at %.0f, %.0f: %.2f degrees high, by Spencer %.2f", at, unit.Degrees(s.Latitude),
				unit.Degrees(s.Longitude),
				unit.Degrees(got.True), unit.Degrees(want))
		}
	}
}

// The handbook's sunlight (IES: 127.5 klx exp(-0.21 / sin h)), to a tenth where the air is as flat
// as the formula takes it; and the sun is the redder the lower it stands.
func TestSunshine(t *testing.T) {
	last := 0.0
	for h := 1.0; h <= 90; h++ {
		lux, kelvin := Sunshine(unit.Radians(h))
		if want := 127500 * math.Exp(-0.21/math.Sin(unit.Radians(h))); h >= 10 && math.Abs(lux/want-1) > 0.1 {
			t.Errorf("%v degrees: %.0f lx, in the handbook %.0f", h, lux, want)
		}
		if kelvin < last {
			t.Errorf("%v degrees: %v K, lower it was %v", h, kelvin, last)
		}
		last = kelvin
	}
	// Common practice: about 5500 K at noon, about 2000 K when it comes up, none below.
	if _, k := Sunshine(math.Pi / 2); k < 5000 || k > 5900 {
		t.Errorf("overhead it has %v K", k)
	}
	if lux, k := Sunshine(unit.Radians(0.3)); k > 2600 || lux <= 0 || lux > 3000 {
		t.Errorf("at the horizon it has %v lx, %v K", lux, k)
	}
	if lux, _ := Sunshine(unit.Radians(-1)); lux != 0 {
		t.Errorf("below the horizon it gives %v lx", lux)
	}
}

func TestTheSunOfAPlace(t *testing.T) {
	before := Default()
	s := before
	s.From, s.Hour = "place", 18
	s.Settle(&before)
	// West of the middle in the evening, by its own light.
	if s.Azimuth < math.Pi || s.Azimuth > 2*math.Pi || s.Lux == before.Lux || s.Check() != nil {
		t.Fatalf("%+v, %v", s, s.Check())
	}
	turned := s
	turned.North = 1
	turned.Settle(&s)
	if math.Abs(turned.Azimuth-s.Azimuth-1) > 1e-9 || turned.Elevation != s.Elevation {
		t.Errorf("with north elsewhere it stands at %v, before at %v", turned.Azimuth, s.Azimuth)
	}
	byHand := s
	byHand.Azimuth = 1
	byHand.Settle(&s)
	if byHand.From != "hand" || byHand.Azimuth != 1 || byHand.Day != s.Day {
		t.Errorf("set by hand it is %+v", byHand)
	}
	for _, day := range []string{"yesterday", "2026-02-30", "9999-01-01", "2026-1-1"} {
		wrong := s
		wrong.Day = day
		if wrong.Check() == nil {
			t.Errorf("%q is taken for a day", day)
		}
	}
}
