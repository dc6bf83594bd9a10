package snag

import (
	"math"

	"visator/core/geom"
)

var _ = frames(gap)

// Limits of light through gaps: ours.
const (
	gapLeast = 0.01 // of what is seen under a roof: from there on it is told
	gapMost  = 0.5  // where more is open there is no floor yet, which is told otherwise
	gapRays  = 24
	gapSteep = 5 * math.Pi / 180 // below the horizon: what is flatter passes over ground that ends somewhere
)

// gap finds places under a roof that light reaches from below the set, where a floor does not meet a wall or ends
// before it: in the real place there is ground.
func gap(s *Seen, put told) {
	if s.Light == nil {
		return
	}
	scene := s.Now.Scene
	var dirs []geom.V // evenly over what is below
	low := math.Sin(gapSteep)
	for i := range gapRays {
		dirs = append(dirs, geom.Spiral(i, -(low+(1-low)*(float64(i)+0.5)/gapRays)))
	}
	covered, reached := 0, 0
	var at geom.V
	s.places(func(_ int, p, n geom.V) {
		if _, roof := scene.Ray(p, geom.V{Y: 1}, 0.01, math.Inf(1), nil); !roof {
			return
		}
		covered++
		for _, d := range dirs {
			if d.Dot(n) <= 0.05 {
				continue
			}
			if _, stopped := scene.Ray(p, d, 0.01, math.Inf(1), nil); !stopped {
				reached++
				at = p
				return
			}
		}
	})
	if share := float64(reached) / math.Max(float64(covered), 1); reached > 2 && share > gapLeast && share < gapMost {
		put("gap", "", "", "", "light comes from below the set to %.0f %% of what is seen under a roof, at %s from "+
			"the lens: close the gap between floor and wall, or lay ground", 100*share,
			s.In.Distance(at.Sub(s.View.Eye).Len()))
	}
}
