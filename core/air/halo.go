package air

import (
	"math"

	"visator/core/geom"
)

// Halo is the luminance, in cd/m² for each candela, that a lamp at a place gives the air along the way from o along the
// unit vector d as far as far, about: scattered once and all around, by air that is as dense all along as where the way
// passes the lamp nearest (the integral of the inverse square along a line: the difference of two arc tangents).
func (a *Air) Halo(o, d geom.V, far float64, at geom.V) float64 {
	const least = 0.05 // metres from a lamp within which it is not brighter: its own size
	to := at.Sub(o)
	t := to.Dot(d)
	h := max(to.Sub(d.Mul(t)).Len(), least)
	near := min(max(t, 0), far)
	angle := math.Atan(t/h) + math.Pi/2
	if !math.IsInf(far, 1) {
		angle = math.Atan(t/h) + math.Atan((far-t)/h)
	}
	return a.Sigma(o.Add(d.Mul(near))) * a.Through(o, d, near) * angle / (4 * math.Pi * h)
}
