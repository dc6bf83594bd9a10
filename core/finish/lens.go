package finish

import (
	"math"

	"visator/core/document"
)

var (
	_ = step("distortion", Glass, func() Step { return &Distortion{} })
	_ = step("occlusion", Set, func() Step { return &Occlusion{} })
)

// Distortion bends what is straight, as lenses do: what is seen at a way of r from the middle, in halves of the
// diagonal, comes from r (1 + bend r²), the first term of D. C. Brown's radial distortion (Decentering Distortion of
// Lenses, 1966). Colours are spread across, in proportion to r: red least or most, green between, blue the other. The
// picture is enlarged as far as it takes that nothing beyond its edge is asked for.
type Distortion struct {
	Bend   float64 `json:"bend"`   // at the corners; above 0 a barrel, below a pincushion
	Fringe float64 `json:"fringe"` // thousandths by which blue lies farther than green, and green than red
}

// Fields are what it is described by.
func (d *Distortion) Fields() []document.Field {
	return []document.Field{
		document.Of(&d.Bend, document.Percent, "bend", "distortion", "distortion").In(-0.3, 0.5).Sliding(-20, 30, 0.5).
			Hinting("above 0 a barrel, below a pincushion"),
		document.Of(&d.Fringe, document.Number, "fringe", "colour fringes", "colour fringes").In(-10, 10).
			Told("‰", 1).Sliding(-5, 5, 0.1),
	}
}

// scales are by how much the ways of the three colours are multiplied; all that they reach lies in the picture.
func (d *Distortion) scales() (s [3]float64) {
	for k := range s {
		s[k] = (1 + (d.Fringe*float64(k-1)-math.Abs(d.Fringe))/1000) / (1 + max(d.Bend, 0))
	}
	return s
}

// Apply bends the picture.
func (d *Distortion) Apply(p *Pixels) {
	if d.Bend == 0 && d.Fringe == 0 {
		return
	}
	w, h := float64(p.Width), float64(p.Height)
	half := math.Hypot(w, h) / 2
	scales := d.scales()
	out := make([]float32, len(p.RGB))
	for y := range p.Height {
		for x := range p.Width {
			dx, dy := float64(x)+0.5-w/2, float64(y)+0.5-h/2
			r2 := (dx*dx + dy*dy) / (half * half)
			for k, s := range scales {
				s *= 1 + d.Bend*r2
				out[3*(y*p.Width+x)+k] = p.between(w/2+dx*s-0.5, h/2+dy*s-0.5, k)
			}
		}
	}
	p.RGB = out
}

// between is a channel between pixels, of which 0, 0 is the middle of the first: by cubics through them (E. Catmull
// and R. Rom, 1974), never beyond the four about the place, so that nothing rings about what shines.
func (p *Pixels) between(x, y float64, channel int) float32 {
	x0, y0 := math.Floor(x), math.Floor(y)
	wx, wy := cubic(x-x0), cubic(y-y0)
	at := func(i, j int) float64 {
		i, j = min(max(int(x0)+i, 0), p.Width-1), min(max(int(y0)+j, 0), p.Height-1)
		return float64(p.RGB[3*(j*p.Width+i)+channel])
	}
	sum := 0.0
	for j := range 4 {
		for i := range 4 {
			sum += wx[i] * wy[j] * at(i-1, j-1)
		}
	}
	a, b, c, d := at(0, 0), at(1, 0), at(0, 1), at(1, 1)
	return float32(min(max(sum, min(a, b, c, d)), max(a, b, c, d)))
}

// cubic are the weights of the four values about a place t, 0 to 1, between the second and the third.
func cubic(t float64) [4]float64 {
	t2, t3 := t*t, t*t*t
	return [4]float64{(-t3 + 2*t2 - t) / 2, (3*t3 - 5*t2 + 2) / 2, (-3*t3 + 4*t2 + t) / 2, (t3 - t2) / 2}
}

// Occlusion darkens what little of the sky reaches, by the layer of a picture that tells it (common practice of
// compositing: light that was rendered has it already, so that it is laid over by a part). Of a picture without that
// layer nothing is changed.
type Occlusion struct {
	Amount float64 `json:"amount"`
}

// Fields are what it is described by.
func (o *Occlusion) Fields() []document.Field {
	return []document.Field{document.Of(&o.Amount, document.Percent, "amount", "corners darkened",
		"how far corners are darkened").In(0, 1).Sliding(0, 100, 1).
		Hinting("of takes that have the layer occlusion")}
}

// Apply lays it over the picture.
func (o *Occlusion) Apply(p *Pixels) {
	if o.Amount == 0 || p.Unhidden == nil {
		return
	}
	for i, u := range p.Unhidden {
		k := float32(1 - o.Amount*(1-float64(u)))
		p.RGB[3*i], p.RGB[3*i+1], p.RGB[3*i+2] = p.RGB[3*i]*k, p.RGB[3*i+1]*k, p.RGB[3*i+2]*k
	}
}
