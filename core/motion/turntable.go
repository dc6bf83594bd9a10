package motion

import (
	"math"

	"visator/core/geom"
	"visator/core/optics"
)

// Turntable is a move of a view once around an upright axis through a place, to the right of whoever looks at it from
// there: a view for each frame, so that the frame after the last is the first again. It lasts seconds, of so many
// frames each; nothing else moves by it.
func Turntable(v optics.View, about geom.V, seconds, rate float64) *Move {
	m := &Move{Rate: rate}
	n := max(int(math.Round(seconds*rate)), 1)
	out := v.Eye.Sub(about)
	for i := 1; i <= n; i++ {
		a := 2 * math.Pi * float64(i) / float64(n)
		sin, cos := math.Sincos(a)
		k := v
		k.Eye = about.Add(geom.V{X: out.X*cos + out.Z*sin, Y: out.Y, Z: out.Z*cos - out.X*sin})
		k.Yaw = v.Yaw + a
		m.Keys = append(m.Keys, Key{View: k, Seconds: 1 / rate, Easing: "linear"})
	}
	return m
}
