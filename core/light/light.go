// Package light is sun, sky and the colour of light. Illuminance is in lux,
// luminance in cd/m², colours are linear Rec.709.
package light

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"

	"visator/core/chroma"
	"visator/core/document"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/sky"
	"visator/core/unit"
)

// State is the light of a set: one sun and a sky.
type State struct {
	From  string `json:"from"` // where the sun comes from: "hand", "place", by place, day and hour; "": by hand
	Place        // kept also while the sun is set by hand
	Weather
	Heavens
	Behind
	Filters
	Lamps map[string]Burn `json:"lamps,omitempty"` // what it does with lamps of the set, by id

	SunOn     bool    `json:"sunOn"`
	Azimuth   float64 `json:"azimuth"`   // radians, clockwise from -Z (up on the plan)
	Elevation float64 `json:"elevation"` // radians above the horizon
	Lux       float64 `json:"lux"`       // at normal incidence
	Kelvin    float64 `json:"kelvin"`
	Size      float64 `json:"size"` // apparent diameter in radians

	Sky      string  `json:"sky"`      // "two" colours, clear by the "hour", a "standard" one, or a "panorama"
	Zenith   string  `json:"zenith"`   // #rrggbb
	Horizon  string  `json:"horizon"`  // #rrggbb
	Level    float64 `json:"level"`    // cd/m² of a sky colour of full white
	Panorama string  `json:"panorama"` // blob of a Radiance picture
	Turn     float64 `json:"turn"`     // radians about +Y
	Strength float64 `json:"strength"` // cd/m² of a panorama value of 1
	// A panorama's strength follows from what it gives level ground, in lux; 0: it is told. Its own sun is taken out.
	GroundLux float64 `json:"groundLux"`
	SunOut    bool    `json:"sunOut"`
}

// SunSize is the sun's apparent diameter, 0.53 degrees (astronomy handbooks).
const SunSize = 0.53 * math.Pi / 180

// Default is a clear day in the middle of the morning.
func Default() State {
	return State{Place: Place{Latitude: unit.Radians(47), Longitude: unit.Radians(8), Day: SomeDay, Hour: 10, Zone: 2},
		SunOn: true, Azimuth: 2.3, Elevation: 0.7, Lux: 80000, Kelvin: 5400, Size: SunSize,
		Sky: "two", Zenith: "#5a86c0", Horizon: "#c8d8e6", Level: 6000, Strength: 1000, Weather: DefaultWeather(),
		Heavens: defaultHeavens(), Behind: defaultBehind()}
}

// Check says what is impossible about a light state.
func (s *State) Check() error {
	if err := document.Check(s); err != nil {
		return err
	}
	if err := s.Place.Check(); err != nil {
		return err
	}
	if err := s.checkBurns(); err != nil {
		return err
	}
	if s.Sky == "panorama" && s.Panorama == "" {
		return errors.New("choose a panorama first: Radiance HDR or OpenEXR")
	}
	return s.Behind.check()
}

// Settle works out what follows from other fields: the sun of a place, a day and an hour, what was kept before
// there was air. What was
// set by hand since, before tells, makes it a sun by hand.
func (s *State) Settle(before *State) {
	s.Weather.settle()
	s.Heavens.settle()
	s.Behind.settle()
	if s.From != "place" {
		return
	}
	if s.Place == (Place{}) { // of a light that was kept before there were any
		s.Place = Default().Place
	}
	if s.Day == "" {
		s.Day = SomeDay
	}
	if before.From == "place" && before.Place == s.Place && (s.Azimuth != before.Azimuth ||
		s.Elevation != before.Elevation || s.Lux != before.Lux || s.Kelvin != before.Kelvin) {
		s.From = "hand"
		return
	}
	s.Azimuth, s.Elevation = s.Sun(s.Hour)
	s.Lux, s.Kelvin = Sunshine(s.Elevation)
	if s.Sky == "hour" { // of the same air as the sky
		c := sky.ClearSky(s.Elevation, s.Heavens.clear()).Sun
		s.Lux, s.Kelvin = math.Round(Luminance(c)), NearestKelvin(c)
	}
}

// Fields are what a light is described by.
func (s *State) Fields() []document.Field {
	return append([]document.Field{
		document.Of(&s.SunOn, document.Yes, "sunOn", "sun", "").On("head"),
		document.Of(&s.From, document.Choice, "from", "sun", "the sun is set by").Among("hand", "place").Or("hand").
			On("head"),
		document.Of(&s.Azimuth, document.Angle, "azimuth", "direction", "the sun's direction").In(-1e4, 1e4).
			Named("Sun direction in degrees").On("sun").Sliding(0, 360, 1),
		document.Of(&s.Elevation, document.Angle, "elevation", "elevation", "the sun's elevation").In(-math.Pi/2,
			math.Pi/2).
			Named("Sun elevation in degrees").On("sun").Sliding(-5, 90, 0.5),
		document.Of(&s.Lux, document.Number, "lux", "strength", "sunlight").In(0, 1e6).
			Named("Sun strength in lux").Told("lx", 0).On("sun"),
		document.Of(&s.Kelvin, document.Number, "kelvin", "colour", "colour temperature").In(1000, 40000).
			Named("Sun colour in kelvin").Told("K", 0).On("sun"),
		document.Of(&s.Size, document.Angle, "size", "apparent size", "the sun's apparent size").In(0, math.Pi/2).
			Named("Sun apparent size in degrees").Told("", 2).On("sun").
			Hinting("0.53° is the sun itself; larger softens its shadows"),
		document.Of(&s.Sky, document.Choice, "sky", "sky", "the sky is").Among("two", "hour", "standard",
			"panorama").On("head"),
		document.Of(&s.Zenith, document.Swatch, "zenith", "overhead", "").
			Named("Sky colour overhead").On("sky").If("sky", "two"),
		document.Of(&s.Horizon, document.Swatch, "horizon", "horizon", "").
			Named("Sky colour at the horizon").On("sky").If("sky", "two"),
		document.Of(&s.Level, document.Number, "level", "brightness", "sky luminance").In(0, 1e7).
			Named("Sky brightness").Told("cd/m²", 0).On("sky").If("sky", "two"),
		document.Of(&s.Turn, document.Angle, "turn", "turn", "the panorama's turn").In(-1e4, 1e4).
			Named("Panorama turn in degrees").On("sky").If("sky", "panorama"),
		document.Of(&s.Strength, document.Number, "strength", "strength", "a panorama's luminance").In(0,
			1e7).
			Named("Panorama strength").Told("cd/m²", 2).On("sky").If("sky", "panorama").
			Hinting("of a picture value of 1"),
		document.Of(&s.GroundLux, document.Number, "groundLux", "or gives the ground", "what a panorama gives").
			In(0, 1e7).Named("Lux that the panorama gives level ground, 0 is by its strength").Told("lx", 0).On("sky").
			If("sky", "panorama").Hinting("0: by its strength"),
		document.Of(&s.SunOut, document.Yes, "sunOut", "its own sun is taken out", "").On("sky").If("sky", "panorama"),
	}, slices.Concat(s.Place.Fields(), s.Heavens.Fields(), s.Behind.Fields(), s.Filters.fields(),
		s.Weather.Fields())...)
}

// Sunlight is what the sun gives at normal incidence, in lux of each channel: the one place
// that knows what becomes of its fields. Nothing while it is off.
func (s *State) Sunlight() geom.V {
	if !s.SunOn {
		return geom.V{}
	}
	return Color(s.Kelvin).Mul(s.Lux).Times(Lets(s.SunFilter))
}

// Luminance of a linear Rec.709 colour (ITU-R BT.709).
func Luminance(c geom.V) float64 { return 0.2126*c.X + 0.7152*c.Y + 0.0722*c.Z }

// Direction is the unit vector towards a source at the azimuth (clockwise
// from -Z seen from above) and elevation.
func Direction(azimuth, elevation float64) geom.V {
	c := math.Cos(elevation)
	return geom.V{X: c * math.Sin(azimuth), Y: math.Sin(elevation), Z: -c * math.Cos(azimuth)}
}

// Towards is the azimuth and elevation of a direction: Direction turned round.
func Towards(d geom.V) (azimuth, elevation float64) {
	d = d.Unit()
	return math.Atan2(d.X, -d.Z), math.Asin(min(max(d.Y, -1), 1))
}

// NearestKelvin is the colour temperature, 1000 to 40000 K, whose colour is most like
// one that is given in linear Rec.709, by ratios of its parts; 6504 for black.
func NearestKelvin(c geom.V) float64 {
	if !(c.X > 0 || c.Y > 0 || c.Z > 0) {
		return 6504
	}
	off := func(k float64) float64 {
		p := Color(k)
		return c.Mul(1 / (c.X + c.Y + c.Z)).Sub(p.Mul(1 / (p.X + p.Y + p.Z))).Len()
	}
	best := 6504.0
	for mired := 25.0; mired <= 1000; mired++ { // even steps to the eye (CIE: reciprocal megakelvin)
		if k := 1e6 / mired; off(k) < off(best) {
			best = k
		}
	}
	return math.Round(best)
}

// Color is the colour of a black body with luminance 1; what lies outside of
// the colours of Rec.709 is clipped.
func Color(kelvin float64) geom.V {
	x, y := chroma.Planckian(kelvin)
	c := rec709(x/y, 1, (1-x-y)/y)
	return c.Mul(1 / Luminance(c))
}

// rec709 is a colour of CIE XYZ in linear Rec.709 (IEC 61966-2-1); what lies outside is clipped.
func rec709(x, y, z float64) geom.V {
	c := chroma.ToRec709.Of(geom.V{X: x, Y: y, Z: z})
	return geom.V{X: max(c.X, 0), Y: max(c.Y, 0), Z: max(c.Z, 0)}
}

// HexOf is a colour of linear Rec.709 as #rrggbb, brought to the edges of what that can tell.
func HexOf(c geom.V) string {
	ch := func(v float64) int { return int(math.Round(255 * finish.Encode(v))) }
	return fmt.Sprintf("#%02x%02x%02x", ch(c.X), ch(c.Y), ch(c.Z))
}

// Hex decodes #rrggbb to linear Rec.709; what is not a colour is black.
func Hex(s string) geom.V {
	if !document.IsColor(s) {
		return geom.V{}
	}
	n, _ := strconv.ParseUint(s[1:], 16, 32)
	ch := func(shift int) float64 { return finish.Decode(float64(n>>shift&255) / 255) }
	return geom.V{X: ch(16), Y: ch(8), Z: ch(0)}
}
