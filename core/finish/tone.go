package finish

import (
	"math"

	"visator/core/document"
	"visator/core/geom"
)

var _ = step("tone", Tone, func() Step {
	return &Toned{By: tones[0], Minus6: 0.03, Minus4: 0.09, Minus2: 0.235, Grey: 0.461, Plus2: 0.75, Plus4: 0.93}
})

// Toned says how what is brighter than white comes within it.
type Toned struct {
	By string `json:"by"`
	// Of an own curve: what of a screen's values, 0 to 1, light so many stops from middle grey gets; at 8 stops below
	// it is black, at 6 above white.
	Minus6 float64 `json:"minus6"`
	Minus4 float64 `json:"minus4"`
	Minus2 float64 `json:"minus2"`
	Grey   float64 `json:"grey"`
	Plus2  float64 `json:"plus2"`
	Plus4  float64 `json:"plus4"`
}

// tones are the ways: the neutral one of Khronos; one like a film print, by the fit of K. Narkowicz to the curve of the
// Academy (ACES filmic tone mapping curve, 2016), at 0.6 of the exposure as he gives it; by the logarithm of light,
// with
// primaries brought together before, so that what is very bright goes to white and keeps its hue on the way (the
// principle published with AgX, T. Sobotka); plain: what is above white is white; by an own curve over stops.
var tones = []string{"neutral", "as a film print", "by its logarithm", "plain", "by an own curve"}

// Fields are what it is described by.
func (t *Toned) Fields() []document.Field {
	of := func(at *float64, key, label string) document.Field {
		return document.Of(at, document.Percent, key, label, label).In(0, 1).Sliding(0, 100, 1).If("by", tones[4])
	}
	return []document.Field{document.Of(&t.By, document.Choice, "by",
		"bright things are brought within white", "a tone").
		Among(tones...),
		of(&t.Minus6, "minus6", "6 stops below grey"), of(&t.Minus4, "minus4", "4 stops below grey"),
		of(&t.Minus2, "minus2", "2 stops below grey"), of(&t.Grey, "grey", "middle grey"),
		of(&t.Plus2, "plus2", "2 stops above grey"), of(&t.Plus4, "plus4", "4 stops above grey")}
}

// Of an own curve: from how many stops below to how many above middle grey it goes.
const ownBelow, ownAbove = 8.0, 6.0

// own is what the own curve makes of a linear value.
func (t *Toned) own(x float64) float64 {
	stops := math.Log2(max(x, 1e-10) / middle)
	points := []float64{0, t.Minus6, t.Minus4, t.Minus2, t.Grey, t.Plus2, t.Plus4, 1}
	return Decode(along(points, (stops+ownBelow)/(ownBelow+ownAbove)))
}

// Apply brings the picture within 0 to 1.
func (t *Toned) Apply(p *Pixels) {
	switch t.By {
	case tones[1]:
		p.each(func(c geom.V) geom.V { return geom.V{X: filmPrint(c.X), Y: filmPrint(c.Y), Z: filmPrint(c.Z)} })
	case tones[2]:
		p.each(logarithmic)
	case tones[3]:
		p.each(func(c geom.V) geom.V { return geom.V{X: min(c.X, 1), Y: min(c.Y, 1), Z: min(c.Z, 1)} })
	case tones[4]:
		p.each(func(c geom.V) geom.V { return geom.V{X: t.own(c.X), Y: t.own(c.Y), Z: t.own(c.Z)} })
	default:
		p.tone()
	}
}

// filmPrint is Narkowicz's fit.
func filmPrint(x float64) float64 {
	x *= 0.6
	return min(max(x*(2.51*x+0.03)/(x*(2.43*x+0.59)+0.14), 0), 1)
}

// Of the logarithmic tone: how far primaries are brought together, how many stops below and above middle grey are told
// apart, and how steep the middle is.
const (
	together  = 0.16
	below     = 10.0
	above     = 6.5
	middle    = 0.18
	steepness = 2.4
)

// logarithmic is the tone of a colour: primaries brought together, the stops about grey onto 0 to 1, along a curve that
// is steep in the middle and flat at its ends, and primaries apart again. Middle grey stays.
func logarithmic(c geom.V) geom.V {
	mean := (c.X + c.Y + c.Z) / 3
	one := func(x float64) float64 {
		x = x + together*(mean-x)
		stops := math.Log2(max(x, 1e-10) / middle)
		return curve(min(max((stops+below)/(below+above), 0), 1))
	}
	r := geom.V{X: one(c.X), Y: one(c.Y), Z: one(c.Z)}
	mean = (r.X + r.Y + r.Z) / 3
	back := func(x float64) float64 { return min(max((x-together*mean)/(1-together), 0), 1) }
	return geom.V{X: back(r.X), Y: back(r.Y), Z: back(r.Z)}
}

// curve is a curve through 0, middle grey and 1: on both sides of grey a power of the way that is left, of the same
// slope where they meet, in values as the screen has them, then linear.
func curve(x float64) float64 {
	const pivot = below / (below + above)
	grey := Encode(middle)
	y := 0.0
	if x < pivot {
		y = grey * math.Pow(x/pivot, steepness*pivot/grey)
	} else {
		y = 1 - (1-grey)*math.Pow((1-x)/(1-pivot), steepness*(1-pivot)/(1-grey))
	}
	return Decode(y)
}
