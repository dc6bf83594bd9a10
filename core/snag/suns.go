package snag

import (
	"math"

	"visator/core/geom"
	"visator/core/light"
)

var _ = frames(suns)

// OwnSun is the sun in the picture of a panorama.
type OwnSun struct {
	To  geom.V  // towards it, in the set
	Lux float64 // at normal incidence
}

// Limits of suns: ours.
const (
	sunsApart  = 10 * math.Pi / 180 // from which on they are seen to stand apart
	secondSun  = 0.1                // of the other's light: from there on its shadows are seen
	sunsSilent = 100                // lux below which a sun throws no shadow that is seen by day
)

// suns finds lights of which there can be but one: a panorama's sun that stands where the set's does not, and shadows
// of two suns.
func suns(s *Seen, put told) {
	if s.Light == nil || s.Own == nil || !s.Light.SunOn {
		return
	}
	lux := light.Luminance(s.Light.Sunlight())
	to := light.Direction(s.Light.Azimuth, s.Light.Elevation)
	if lux < sunsSilent || s.Own.Lux < sunsSilent {
		return
	}
	apart := math.Acos(min(max(to.Dot(s.Own.To), -1), 1))
	if apart < sunsApart {
		if !s.Light.SunOut {
			put("suns", "", "", "", "the sun shines twice: by itself with %.0f lx and in the panorama with %.0f lx; "+
				"take the panorama's out", lux, s.Own.Lux)
		}
		return
	}
	const degrees = 180 / math.Pi
	if !s.Light.SunOut && min(lux, s.Own.Lux) > secondSun*max(lux, s.Own.Lux) {
		put("suns", "", "", "", "shadows of two suns: the set's, and the panorama's %.0f° beside it", apart*degrees)
		return
	}
	put("sun aside", "", "", "", "the panorama's sun stands %.0f° beside the set's: turn the panorama, or lay the sun "+
		"onto it", apart*degrees)
}
