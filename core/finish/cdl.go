package finish

import (
	"math"

	"visator/core/document"
	"visator/core/geom"
)

var _ = step("grade", Grade, func() Step {
	return &CDL{SlopeR: 1, SlopeG: 1, SlopeB: 1, PowerR: 1, PowerG: 1, PowerB: 1, Saturation: 1}
})

// CDL is a grade as the American Society of Cinematographers writes it (ASC CDL 1.2): each channel times its slope,
// plus its offset, to its power, then the saturation about the luma of Rec.709. It works on linear light, of which 1 is
// what exposure makes white; what is below black is black, what is above white stays.
type CDL struct {
	SlopeR     float64 `json:"slopeR"`
	SlopeG     float64 `json:"slopeG"`
	SlopeB     float64 `json:"slopeB"`
	OffsetR    float64 `json:"offsetR"`
	OffsetG    float64 `json:"offsetG"`
	OffsetB    float64 `json:"offsetB"`
	PowerR     float64 `json:"powerR"`
	PowerG     float64 `json:"powerG"`
	PowerB     float64 `json:"powerB"`
	Saturation float64 `json:"saturation"`
}

// Fields are what it is described by.
func (c *CDL) Fields() []document.Field {
	of := func(at *float64, key, label string, from, to, step float64) document.Field {
		return document.Of(at, document.Number, key, label, label).In(from, to).Told("", 3).
			Sliding(from, min(to, 2), step)
	}
	return []document.Field{
		of(&c.SlopeR, "slopeR", "slope of red", 0, 10, 0.01), of(&c.SlopeG, "slopeG", "slope of green", 0, 10, 0.01),
		of(&c.SlopeB, "slopeB", "slope of blue", 0, 10, 0.01),
		of(&c.OffsetR, "offsetR", "offset of red", -0.2, 0.2, 0.001),
		of(&c.OffsetG, "offsetG", "offset of green", -0.2, 0.2, 0.001),
		of(&c.OffsetB, "offsetB", "offset of blue", -0.2, 0.2, 0.001),
		of(&c.PowerR, "powerR", "power of red", 0.1, 10, 0.01),
		of(&c.PowerG, "powerG", "power of green", 0.1, 10, 0.01),
		of(&c.PowerB, "powerB", "power of blue", 0.1, 10, 0.01),
		of(&c.Saturation, "saturation", "saturation", 0, 4, 0.01),
	}
}

// Of is what it makes of a colour.
func (c *CDL) Of(v geom.V) geom.V {
	one := func(x, slope, offset, power float64) float64 {
		return math.Pow(max(x*slope+offset, 0), power)
	}
	r := geom.V{X: one(v.X, c.SlopeR, c.OffsetR, c.PowerR), Y: one(v.Y, c.SlopeG, c.OffsetG, c.PowerG),
		Z: one(v.Z, c.SlopeB, c.OffsetB, c.PowerB)}
	luma := 0.2126*r.X + 0.7152*r.Y + 0.0722*r.Z
	at := func(x float64) float64 { return max(luma+c.Saturation*(x-luma), 0) }
	return geom.V{X: at(r.X), Y: at(r.Y), Z: at(r.Z)}
}

// Apply grades the picture.
func (c *CDL) Apply(p *Pixels) { p.each(c.Of) }
