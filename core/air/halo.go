package air

import (
	"math"

	"visator/core/geom"
)

// haloParts is in how many parts of its angle a halo is looked at.
const haloParts = 6

// Halo is the luminance, in cd/m² for each candela, that a lamp at a place gives the air along the way from o along
// the unit vector d as far as far, about: scattered once, by air that is as dense all along as where the way passes
// the lamp nearest (the integral of the inverse square along a line: the difference of two arc tangents). along is
// how much of it the lamp sends out along a way, 1 being a candela; nil: all around alike. It, and how much is
// scattered ahead, are looked for in the middle of each sixth of the angle.
func (a *Air) Halo(o, d geom.V, far float64, at geom.V, along func(way geom.V) float64) float64 {
	const least = 0.05 // metres from a lamp within which it is not brighter: its own size
	to := at.Sub(o)
	t := to.Dot(d)
	h := max(to.Sub(d.Mul(t)).Len(), least)
	near := min(max(t, 0), far)
	from, upto := -math.Atan(t/h), math.Pi/2
	if !math.IsInf(far, 1) {
		upto = math.Atan((far - t) / h)
	}
	p := o.Add(d.Mul(near))
	met := Part{}
	sigma := a.Sigma(p)
	for i := range a.Parts {
		if s := a.Parts[i].at(p); s > 0 {
			met.Mean += a.Parts[i].Mean * s / sigma
		}
	}
	sent := 0.0
	for k := range haloParts {
		way := o.Add(d.Mul(t + h*math.Tan(from+(upto-from)*(float64(k)+0.5)/haloParts))).Sub(at).Unit()
		much := 1.0
		if along != nil {
			much = along(way)
		}
		sent += much * met.Phase(way, d.Mul(-1)) / haloParts
	}
	return sigma * a.Through(o, d, near) * (upto - from) * sent / h
}
