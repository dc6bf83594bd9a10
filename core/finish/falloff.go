package finish

import "visator/core/document"

var _ = step("falloff", Glass, func() Step { return &Falloff{} })

// Falloff darkens the edges of a picture as a simple lens does: a part of it that is seen at
// an angle from the axis gets the fourth power of the angle's cosine of the light (the
// cosine-fourth law of illumination; textbooks of photographic optics).
type Falloff struct {
	Amount float64 `json:"amount"` // 0: none, 1: all of it
}

// Fields are what it is described by.
func (f *Falloff) Fields() []document.Field {
	return []document.Field{document.Of(&f.Amount, document.Percent, "amount", "edge darkening", "edge darkening").
		In(0, 1).Sliding(0, 100, 1).Hinting("100 % is that of a simple lens of this focal length")}
}

// Apply darkens the edges.
func (f *Falloff) Apply(p *Pixels) {
	for y := range p.Height {
		for x := range p.Width {
			right, up := p.At(x, y)
			cos2 := 1 / (1 + right*right + up*up)
			k := float32(1 + f.Amount*(cos2*cos2-1))
			i := 3 * (y*p.Width + x)
			p.RGB[i], p.RGB[i+1], p.RGB[i+2] = p.RGB[i]*k, p.RGB[i+1]*k, p.RGB[i+2]*k
		}
	}
}
