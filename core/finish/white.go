package finish

import (
	"visator/core/chroma"
	"visator/core/document"
	"visator/core/geom"
)

var _ = step("white", Balance, func() Step { return &White{Kelvin: daylight} })

// daylight is the colour temperature that is left as it is: that of the picture's own white, D65, which lies a little
// above the locus of black bodies. Tints are told from there.
const (
	daylight = 6504
	greener  = 0.0032
)

// White makes white what is white in the light of a colour temperature, as the eye gets used to it (Bradford).
type White struct {
	Kelvin float64 `json:"kelvin"`
	Tint   float64 `json:"tint"` // thousandths of CIE 1960 above that of daylight: of light that is greener
}

// Fields are what it is described by.
func (w *White) Fields() []document.Field {
	return []document.Field{
		document.Of(&w.Kelvin, document.Number, "kelvin", "white is light of", "a colour temperature").In(1700, 25000).
			Told("K", 0).Sliding(2000, 12000, 50),
		document.Of(&w.Tint, document.Number, "tint", "greener than that by", "a tint").In(-100, 100).Told("", 1).
			Sliding(-40, 40, 1).Hinting("below 0: more magenta; in thousandths of CIE 1960"),
	}
}

// Apply balances the picture.
func (w *White) Apply(p *Pixels) {
	if w.Kelvin == daylight && w.Tint == 0 {
		return
	}
	m := chroma.Adapted(chroma.White(w.Kelvin, greener+w.Tint/1000), chroma.White(daylight, greener))
	m = m.Mul(&chroma.FromRec709)
	m = chroma.ToRec709.Mul(&m)
	p.each(func(c geom.V) geom.V {
		c = m.Of(c)
		return geom.V{X: max(c.X, 0), Y: max(c.Y, 0), Z: max(c.Z, 0)}
	})
}

// WhiteOf is the balance in which a linear colour of Rec.709 is grey.
func WhiteOf(c geom.V) White {
	kelvin, off := chroma.Nearest(chroma.FromRec709.Of(c))
	return White{Kelvin: min(max(kelvin, 1700), 25000), Tint: min(max(1000*(off-greener), -100), 100)}
}

// each makes every pixel another.
func (p *Pixels) each(f func(c geom.V) geom.V) {
	for i := 0; i+2 < len(p.RGB); i += 3 {
		c := f(geom.V{X: float64(p.RGB[i]), Y: float64(p.RGB[i+1]), Z: float64(p.RGB[i+2])})
		p.RGB[i], p.RGB[i+1], p.RGB[i+2] = float32(c.X), float32(c.Y), float32(c.Z)
	}
}
