package sky

import (
	"fmt"
	"math"

	"visator/core/geom"
)

// Kinds is how many standard skies there are: the last is the overcast sky of old, (1 + 2·sin γ)/3.
const Kinds = 16

// standard are the coefficients a to e of the standard skies 1 to 15 (ISO 15469:2004 / CIE S 011, table 1).
var standard = [Kinds - 1]struct {
	a, b, c, d, e float64
	name          string
}{
	{4, -0.7, 0, -1, 0, "overcast, three times as bright overhead, even all around"},
	{4, -0.7, 2, -1.5, 0.15, "overcast, a little brighter towards the sun"},
	{1.1, -0.8, 0, -1, 0, "overcast, somewhat brighter overhead, even all around"},
	{1.1, -0.8, 2, -1.5, 0.15, "overcast, somewhat brighter overhead and towards the sun"},
	{0, -1, 0, -1, 0, "of one luminance"},
	{0, -1, 2, -1.5, 0.15, "partly cloudy, even in height, a little brighter towards the sun"},
	{0, -1, 5, -2.5, 0.3, "partly cloudy, even in height, brighter about the sun"},
	{0, -1, 10, -3, 0.45, "partly cloudy, even in height, with a corona"},
	{-1, -0.55, 2, -1.5, 0.15, "partly cloudy, the sun hidden"},
	{-1, -0.55, 5, -2.5, 0.3, "partly cloudy, brighter about the sun"},
	{-1, -0.55, 10, -3, 0.45, "white-blue, with a corona"},
	{-1, -0.32, 10, -3, 0.45, "clear, clean air"},
	{-1, -0.32, 16, -3, 0.3, "clear, hazy air"},
	{-1, -0.15, 16, -3, 0.3, "cloudless, hazy, with a broad corona"},
	{-1, -0.15, 24, -2.8, 0.15, "white-blue and hazy, with a broad corona"},
}

// KindName is what standard sky k, 1 to 16, is like.
func KindName(k int) string {
	if k < 1 || k > Kinds {
		return fmt.Sprintf("no sky %d", k)
	}
	if k == Kinds {
		return "overcast as it was defined first, three times as bright overhead"
	}
	return standard[k-1].name
}

// Standard is the luminance of standard sky k, 1 to 16, along d, as a share of that overhead, where the sun is along
// sun: L/Lz = f(χ)·φ(Z) / (f(Zs)·φ(0)), φ(Z) = 1 + a·exp(b/cos Z), f(χ) = 1 + c·(exp(dχ) - exp(dπ/2)) + e·cos²χ
// (ISO 15469). Below the horizon it is that of the horizon.
func Standard(k int, d, sun geom.V) float64 {
	if k >= Kinds {
		return (1 + 2*max(d.Y, 0)) / 3
	}
	q := &standard[max(k, 1)-1]
	gradation := func(cos float64) float64 {
		if cos <= 1e-4 {
			return 1
		}
		return 1 + q.a*math.Exp(q.b/cos)
	}
	scattered := func(angle float64) float64 {
		c := math.Cos(angle)
		return 1 + q.c*(math.Exp(q.d*angle)-math.Exp(q.d*math.Pi/2)) + q.e*c*c
	}
	if d.Y < 0 { // the horizon below the place that is asked for
		d.Y = 0
		if d = d.Unit(); d == (geom.V{}) {
			d = geom.V{Z: -1}
		}
	}
	between := math.Acos(min(max(d.Dot(sun), -1), 1))
	over := math.Acos(min(max(sun.Y, -1), 1))
	return scattered(between) * gradation(d.Y) / (scattered(over) * gradation(1))
}

// OnGround is the illuminance that a sky of the luminances give along a direction, in cd/m², gives to level ground:
// the integral over the upper half, by steps of so many a quarter.
func OnGround(give func(d geom.V) float64, steps int) (lux float64) {
	for i := range steps {
		z := math.Pi / 2 * (float64(i) + 0.5) / float64(steps)
		sin, cos := math.Sincos(z)
		for k := range 4 * steps {
			s, c := math.Sincos(math.Pi / 2 * (float64(k) + 0.5) / float64(steps))
			lux += give(geom.V{X: sin * c, Y: cos, Z: sin * s}) * cos * sin
		}
	}
	step := math.Pi / 2 / float64(steps)
	return lux * step * step
}
