package light

import (
	"errors"
	"fmt"
	"math"
	"time"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/unit"
)

// Place is where on the earth a set lies, and when it is seen there.
type Place struct {
	Latitude  float64 `json:"latitude"`  // radians, north positive
	Longitude float64 `json:"longitude"` // radians, east positive
	North     float64 `json:"north"`     // radians, clockwise from -Z (up on the plan)
	Day       string  `json:"day"`       // 2026-10-17
	Hour      float64 `json:"hour"`      // of the clock there
	Zone      float64 `json:"zone"`      // hours that the clock is before universal time
}

// dayForm is how a day is written (ISO 8601).
const dayForm = "2006-01-02"

// SomeDay is the day of a place that has none yet: the longest in the north.
const SomeDay = "2026-06-21"

// Fields are what a place is described by.
func (p *Place) Fields() []document.Field {
	of := document.Of
	return []document.Field{
		of(&p.Latitude, document.Angle, "latitude", "latitude", "a latitude").In(-math.Pi/2, math.Pi/2).
			Named("Latitude in degrees, north positive").On("place").If("from", "place").Told("", 4).
			Hinting("north positive"),
		of(&p.Longitude, document.Angle, "longitude", "longitude", "a longitude").In(-math.Pi, math.Pi).
			Named("Longitude in degrees, east positive").On("place").If("from", "place").Told("", 4).
			Hinting("east positive"),
		of(&p.North, document.Angle, "north", "north on the plan", "north").In(-1e4, 1e4).
			Named("North in degrees, clockwise from up on the plan").On("place").If("from", "place"),
		of(&p.Day, document.Text, "day", "day", "a day").In(0, float64(len(dayForm))).
			Named("Day, as 2026-10-17").On("place").If("from", "place"),
		of(&p.Hour, document.Number, "hour", "hour", "the hour").In(0, 24).
			Named("Hour of the clock").Told("h", 2).On("place").If("from", "place").Sliding(0, 24, 0.05),
		of(&p.Zone, document.Number, "zone", "clock before UTC", "a time zone").In(-12, 14).
			Named("Hours that the clock is before universal time").Told("h", 2).On("place").If("from", "place"),
	}
}

// Check says what is impossible about a place.
func (p *Place) Check() error {
	if p.Day == "" {
		return nil
	}
	day, err := time.Parse(dayForm, p.Day)
	if err != nil {
		return fmt.Errorf("%q is no day: write it as 2026-10-17", p.Day)
	}
	if y := day.Year(); y < 1 || y > 6000 {
		return errors.New("the sun is known from the year 1 to 6000")
	}
	return nil
}

// At is the moment of an hour of the day.
func (p *Place) At(hour float64) time.Time {
	day, err := time.Parse(dayForm, p.Day)
	if err != nil {
		day, _ = time.Parse(dayForm, SomeDay)
	}
	return day.Add(time.Duration((hour - p.Zone) * float64(time.Hour)))
}

// Site is the place with the air of a standard day.
func (p *Place) Site() Site {
	return Site{Latitude: p.Latitude, Longitude: p.Longitude, Pressure: SeaPressure, Degrees: SeaDegrees}
}

// Sun is where the sun stands on the plan at an hour: its azimuth clockwise from -Z, and its
// elevation.
func (p *Place) Sun(hour float64) (azimuth, elevation float64) {
	s := Solar(p.At(hour), p.Site())
	return unit.Turned(s.Azimuth + p.North), s.Elevation
}

// Twilight is how far below the horizon the sun's middle is when the blue hour begins, in radians
// (civil twilight).
const Twilight = 6 * math.Pi / 180

// Heights of the sun's middle, without air, at which hours of the day begin and end.
const (
	risen  = -50.0 / 60 * math.Pi / 180 // its upper edge, as the air bends it (almanacs)
	golden = 6 * math.Pi / 180          // common practice
	dusk   = -4 * math.Pi / 180         // between blue and golden: common practice
)

// SunDay is what a day is for who photographs, in hours of the clock: may be before 0 or after 24
// where the clock is far from the sun; NaN where the sun does not come so low, or so high.
type SunDay struct {
	Dawn   float64 // 6 degrees below the horizon: the blue hour begins
	Blue   float64 // 4 degrees below: it ends, and the golden hour begins
	Rise   float64
	Gold   float64 // 6 degrees above: the golden hour ends
	Noon   float64 // it stands highest
	Late   float64 // the golden hour of the evening begins,
	Set    float64
	Ends   float64 // ends,
	Night  float64 // and the blue one too
	Height float64 // at noon, without air: radians above the horizon
}

// Today is what the place's day is.
func (p *Place) Today() SunDay {
	site := p.Site()
	high := func(h float64) float64 { return Solar(p.At(h), site).True }
	d := SunDay{}
	const step = 0.25 // hours: the sun moves by 4 degrees at most
	best := 0.0
	for h := 0.0; h <= 24; h += step {
		if high(h) > high(best) {
			best = h
		}
	}
	lo, hi := best-step, best+step // thirds: it is highest once between
	for range 40 {
		a, b := lo+(hi-lo)/3, hi-(hi-lo)/3
		if high(a) < high(b) {
			lo = a
		} else {
			hi = b
		}
	}
	d.Noon = (lo + hi) / 2
	d.Height = high(d.Noon)
	cross := func(level float64, before bool) float64 {
		from, to := d.Noon-12, d.Noon
		if !before {
			from, to = d.Noon+12, d.Noon
		}
		if high(from) > level || high(to) < level {
			return math.NaN()
		}
		for range 50 { // from is below, to above
			if mid := (from + to) / 2; high(mid) < level {
				from = mid
			} else {
				to = mid
			}
		}
		return (from + to) / 2
	}
	d.Dawn, d.Night = cross(-Twilight, true), cross(-Twilight, false)
	d.Blue, d.Ends = cross(dusk, true), cross(dusk, false)
	d.Rise, d.Set = cross(risen, true), cross(risen, false)
	d.Gold, d.Late = cross(golden, true), cross(golden, false)
	return d
}

// Clock is an hour as a clock tells it.
func Clock(hour float64) string {
	const day = 24 * 60
	m := (int(math.Round(hour*60))%day + day) % day
	return fmt.Sprintf("%02d:%02d", m/60, m%60)
}

// AirMass is how much more air lies before the sun than overhead (Kasten and Young, Revised optical
// air mass tables, 1989); elevation in radians, of the true sun.
func AirMass(elevation float64) float64 {
	e := max(unit.Degrees(elevation), -1)
	return 1 / (math.Sin(unit.Radians(e)) + 0.50572*math.Pow(e+6.07995, -1.6364))
}

// Outside and clear are sunlight without air, in lux, and what clear air takes of it for each air
// mass (IES Lighting Handbook, daylighting: 127.5 klx exp(-0.21 / sin h)).
const (
	Outside  = 127_500.0
	clearAir = 0.21
)

// Sunshine is what a sun in clear air gives a plane that faces it, in lux, and its colour in
// kelvin; none when it is below the horizon.
func Sunshine(elevation float64) (lux, kelvin float64) {
	if elevation < risen {
		return 0, 2000
	}
	m := AirMass(elevation)
	lux = Outside * math.Exp(-clearAir*m)
	// The lower half of the disc sets first.
	if half := SunSize / 2; elevation < half {
		lux *= max((elevation-risen)/(half-risen), 0)
	}
	return lux, NearestKelvin(rgbOf(func(nm float64) float64 {
		um := nm / 1000
		molecules := 0.008735 * math.Pow(um, -4.08) // Leckner 1978
		haze := 0.05 * math.Pow(um, -1.3)           // Ångström: a clear day
		return planck(nm, 5778) * math.Exp(-m*(molecules+haze))
	}))
}

// planck is a black body's radiance at a wavelength, by its own peak's scale.
func planck(nm, kelvin float64) float64 {
	return math.Pow(nm/500, -5) / (math.Exp(1.438777e7/(nm*kelvin)) - 1)
}

// rgbOf is the colour of a spectrum in linear Rec.709, by the CIE 1931 observer as Wyman, Sloan and
// Shirley fitted it (Simple Analytic Approximations to the CIE XYZ Color Matching Functions, 2013).
func rgbOf(spectrum func(nm float64) float64) geom.V {
	lobe := func(nm, middle, below, above float64) float64 {
		wide := below
		if nm > middle {
			wide = above
		}
		d := (nm - middle) / wide
		return math.Exp(-d * d / 2)
	}
	var x, y, z float64
	for nm := 380.0; nm <= 780; nm += 5 {
		s := spectrum(nm)
		x += s * (1.056*lobe(nm, 599.8, 37.9, 31.0) + 0.362*lobe(nm, 442.0, 16.0, 26.7) -
			0.065*lobe(nm, 501.1, 20.4, 26.2))
		y += s * (0.821*lobe(nm, 568.8, 46.9, 40.5) + 0.286*lobe(nm, 530.9, 16.3, 31.1))
		z += s * (1.217*lobe(nm, 437.0, 11.8, 36.0) + 0.681*lobe(nm, 459.0, 26.0, 13.8))
	}
	return rec709(x, y, z)
}
