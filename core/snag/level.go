package snag

import (
	"math"

	"visator/core/unit"
)

var _ = frames(level)

// Angles of framing, ours: less is not seen, more is meant.
const (
	tiltLeast = 0.3 // degrees of pitch from which on verticals converge
	tiltMost  = 3.0 // up to which it looks like a mistake
	rollLeast = 0.1 // degrees
	rollMost  = 2.0
)

// level finds verticals that converge a little and horizons that are tilted a little.
func level(s *Seen, put told) {
	v := &s.View
	if p := math.Abs(unit.Degrees(v.Pitch)); p > tiltLeast && p < tiltMost && s.Still {
		put("converge", "", "straight", "make them parallel",
			"tilted by %.1f°, verticals converge a little: make them parallel, or tilt so that it is seen",
			unit.Degrees(v.Pitch))
	}
	if r := math.Abs(unit.Degrees(v.Roll)); r > rollLeast && r < rollMost {
		put("horizon", "", "level", "level it", "the horizon is tilted by %.1f°", unit.Degrees(v.Roll))
	}
}
