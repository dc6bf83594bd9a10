package query

import (
	"fmt"
	"math"

	"visator/core/air"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/optics"
)

// AirState is what the air of a set leaves to be seen.
type AirState struct {
	Said string       `json:"said"`
	Left [][2]float64 `json:"left"` // along the axis of the lens: metres, and the share of contrast that is left
	// For the lens view: of each layer what a metre takes at its base, over how many metres it thins to 1/e, and its
	// base; and the luminance that much air has ahead, about.
	Layers [][3]float64 `json:"layers"`
	Glow   geom.V       `json:"glow"` // of the sky
	Sun    geom.V       `json:"sun"`  // lux that the sun gives the air, by what it scatters
	Mean   float64      `json:"mean"` // cosine of scattering
	Albedo geom.V       `json:"albedo"`
}

// domes are the skies of lights: their luminance by direction.
type domes func(s *light.State) func(d geom.V) geom.V

// airState is the air before a view. It is clear where nothing is said.
func airState(s *light.State, dome domes, v *optics.View) (out AirState) {
	a := s.Medium()
	if a == nil {
		return out
	}
	ahead := v.Forward()
	for _, p := range a.Parts {
		out.Layers = append(out.Layers, [3]float64{p.Sigma, p.Thin, p.Base})
	}
	g, _ := s.AirGlow(v.Eye, dome(s))
	out.Glow, out.Sun, out.Mean = g.Sky, g.Sun, g.Mean()
	out.Albedo = g.Albedo()
	const farthest = 1e5
	for d := 0.1; d <= farthest; d *= math.Pow(10, 1.0/8) {
		out.Left = append(out.Left, [2]float64{rounded(d), rounded(a.Through(v.Eye, ahead, d))})
	}
	out.Said = fmt.Sprintf("ahead, %s", seenAs(func(d float64) float64 { return a.Through(v.Eye, ahead, d) }))
	if s.SunOn {
		at := v.Eye
		at.Y = s.FogAt
		share := a.Through(at, light.Direction(s.Azimuth, s.Elevation), math.Inf(1))
		out.Said += fmt.Sprintf("; %.2g %% of the sun comes through to the ground unscattered", 100*share)
	}
	return out
}

// seenAs says at which distance a twentieth of the contrast is left.
func seenAs(left func(d float64) float64) string {
	lo, hi := 0.0, 1e6
	if left(hi) > air.Threshold {
		return fmt.Sprintf("%.0f %% of the contrast is left at any distance", 100*left(hi))
	}
	for range 60 {
		if mid := (lo + hi) / 2; left(mid) > air.Threshold {
			lo = mid
		} else {
			hi = mid
		}
	}
	if hi >= 995 {
		return fmt.Sprintf("contrast falls to 5 %% at %.2g km", hi/1000)
	}
	return fmt.Sprintf("contrast falls to 5 %% at %.2g m", hi)
}

// rounded is a figure as finely as it is drawn: four digits after the point.
func rounded(x float64) float64 { return math.Round(x*1e4) / 1e4 }
