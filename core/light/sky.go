package light

import (
	"fmt"
	"math"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/sky"
)

// Heavens are what a computed sky is made of.
type Heavens struct {
	ClearTo  float64 `json:"clearTo"` // metres that one sees in the air of a clear sky
	Standard int     `json:"standard"`
	SkyK     float64 `json:"skyKelvin"` // of a standard sky
	Times    float64 `json:"skyTimes"`  // as bright as it is computed; 0: as it is
}

// defaultHeavens are a clear day's, and the sky that is all clouds.
func defaultHeavens() Heavens {
	return Heavens{ClearTo: sky.ClearAir, Standard: 1, SkyK: 6500, Times: 1}
}

// Fields are what computed skies are described by.
func (h *Heavens) Fields() []document.Field {
	of := document.Of
	return []document.Field{
		of(&h.ClearTo, document.Length, "clearTo", "clear air: seen as far as", "how far clear air lets see").
			In(1000, 330_000).Or("45 km").On("sky").If("sky",
			"hour").Named("How far one sees in the air of the clear sky").
			Hinting("45 km is a clear day, 15 km a hazy one"),
		of(&h.Standard, document.Count, "standard", "standard sky", "a standard sky").In(1,
			sky.Kinds).Or("1").On("sky").
			If("sky", "standard").Named("Standard sky, 1 to 16").Sliding(1, sky.Kinds, 1),
		of(&h.SkyK, document.Number, "skyKelvin", "colour", "the sky's colour").In(1000, 40000).Or("6500 K").
			Named("Colour of the standard sky in kelvin").Told("K", 0).On("sky").If("sky", "standard"),
		of(&h.Times, document.Number, "skyTimes", "times as bright", "how bright the sky is").In(0.001, 1000).Or("1").
			Named("Times as bright as computed").Told("", 2).On("times"),
	}
}

// settle gives a light that was kept before there were computed skies what they begin with.
func (h *Heavens) settle() {
	if *h == (Heavens{}) {
		*h = defaultHeavens()
	}
}

// Skylight is what a standard sky gives level ground, in lux, under a sun so high (radians): clear 0.8 + 15.5·√sin,
// partly cloudy 0.3 + 45·sin, overcast 0.3 + 21·sin klx (IES Lighting Handbook, daylighting); below the horizon it
// fades as the clear sky does.
func Skylight(kind int, elevation float64) float64 {
	sin := max(math.Sin(elevation), 0)
	klx := 0.3 + 21*sin
	switch {
	case kind > 10 && kind <= 15:
		klx = 0.8 + 15.5*math.Sqrt(sin)
	case kind > 4 && kind <= 10:
		klx = 0.3 + 45*sin
	}
	if elevation < 0 {
		at := func(e float64) float64 { return Luminance(sky.ClearSky(e, sky.ClearAir).Ground) }
		klx *= at(elevation) / at(0)
	}
	return klx * 1000
}

// Dome is the luminance of the sky by direction, in cd/m² of each channel; of a panorama none.
func (s *State) Dome() func(d geom.V) geom.V {
	bare := s.dome()
	if s.SkyFilter == "" {
		return bare
	}
	passes := Lets(s.SkyFilter)
	return func(d geom.V) geom.V { return bare(d).Times(passes) }
}

// dome is Dome before the filter.
func (s *State) dome() func(d geom.V) geom.V {
	h := s.Heavens
	h.settle()
	times := h.Times
	if times == 0 {
		times = 1
	}
	side := Direction(s.Azimuth, 0)
	switch s.Sky {
	case "hour":
		c := sky.ClearSky(s.Elevation, h.clear())
		return func(d geom.V) geom.V { return c.At(d, side).Mul(times) }
	case "standard":
		sun := Direction(s.Azimuth, max(s.Elevation, 0))
		kind := max(h.Standard, 1)
		lux := sky.OnGround(func(d geom.V) float64 { return sky.Standard(kind, d, sun) }, 48)
		c := Color(h.SkyK).Mul(times * Skylight(kind, s.Elevation) / lux)
		ground := c.Mul(0.2 * lux / math.Pi) // the reflectance of the earth, as under the clear sky
		return func(d geom.V) geom.V {
			l := c.Mul(sky.Standard(kind, d, sun))
			if d.Y < 0 {
				return l.Lerp(ground, min(1, -d.Y*8))
			}
			return l
		}
	}
	return s.twoColours
}

func (h *Heavens) clear() float64 {
	if h.ClearTo == 0 {
		return sky.ClearAir
	}
	return h.ClearTo
}

// SkyAt is the luminance of the sky along d; of a panorama none.
func (s *State) SkyAt(d geom.V) geom.V { return s.Dome()(d) }

// twoColours is the luminance of the two-colour sky along d: the horizon's colour
// to the zenith's with the square root of the height, which keeps the bright
// band near the ground narrow. Below the horizon the ground gives back three
// tenths of the horizon's light.
func (s *State) twoColours(d geom.V) geom.V {
	h, z := Hex(s.Horizon).Mul(s.Level), Hex(s.Zenith).Mul(s.Level)
	if d.Y < 0 {
		return h.Mul(1 - 0.7*min(1, -d.Y*8))
	}
	return h.Lerp(z, math.Sqrt(d.Y))
}

// BakeSky draws a sky that is no panorama as a latitude-longitude picture, 3 values a pixel.
func (s *State) BakeSky(w, h int) []float32 {
	dome := s.Dome()
	pix := make([]float32, 0, 3*w*h)
	for y := range h {
		for x := range w {
			c := dome(sky.Toward(x, y, w, h))
			pix = append(pix, float32(c.X), float32(c.Y), float32(c.Z))
		}
	}
	return pix
}

// SkySize is how fine a picture of the sky has to be: one of two colours is the same all around.
func (s *State) SkySize() (w, h int) {
	if s.Sky == "hour" || s.Sky == "standard" {
		return 256, 256
	}
	return 16, 256
}

// SkySaid is the sky in words.
func (s *State) SkySaid() string {
	switch s.Sky {
	case "panorama":
		return "panorama"
	case "hour":
		return fmt.Sprintf("clear, of the hour, in air that lets see %.0f km", s.Heavens.clear()/1000)
	case "standard":
		return fmt.Sprintf("standard sky %d, %s", s.Standard, sky.KindName(s.Standard))
	}
	return "two colours, " + s.Zenith + " over " + s.Horizon
}
