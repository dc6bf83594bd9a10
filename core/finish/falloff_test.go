package finish

import (
	"math"
	"testing"

	"visator/core/optics"
)

// At 45 degrees from the axis a quarter of the light is left, at 60 a sixteenth: the fourth
// powers of the cosines (cosine-fourth law).
func TestFalloffIsThatOfASimpleLens(t *testing.T) {
	for degrees, want := range map[float64]float64{0: 1, 45: 0.25, 60: 1.0 / 16} {
		at := math.Tan(degrees * math.Pi / 180)
		p := &Pixels{Width: 1, Height: 1, RGB: []float32{8, 4, 2}, Window: optics.Window{Left: at - 1, Right: at + 1,
			Bottom: -1, Top: 1}}
		(&Falloff{Amount: 1}).Apply(p)
		for c, lit := range []float64{8, 4, 2} {
			near(t, "falloff", float64(p.RGB[c]), lit*want, 1e-6)
		}
	}
}
