package light

import (
	"image"
	"image/color"
	"math"

	"visator/core/geom"
	"visator/core/unit"
)

// Kind is a lamp as it is taken from the shelf.
type Kind struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Says string `json:"says"` // what it is in real places
	Lamp Lamp   `json:"lamp"`
}

// Kinds are the lamps that everybody has. What they give is common practice, from lamp makers' tables of each sort: a
// candle about 12 lm, tungsten 12 to 15 lm/W, fluorescent tubes of 36 W 3350 lm, discharge street lamps of 70 W
// 6000 lm; kelvin as they are sold.
func Kinds() []Kind {
	of := func(id, name, says string, set func(l *Lamp)) Kind {
		l := DefaultLamp()
		set(&l)
		return Kind{id, name, says, l}
	}
	down := func(l *Lamp, y float64) { l.At, l.To = geom.V{Y: y}, geom.V{} }
	return []Kind{
		of("candle", "candle", "a flame, 12 lm at 1900 K, unsteady", func(l *Lamp) {
			down(l, 1)
			l.Radius, l.Output, l.Kelvin, l.Hertz, l.Depth = 0.008, 12, 1900, 4, 0.25
		}),
		of("bulb", "bulb", "a tungsten bulb of 60 W, 710 lm at 2700 K", func(*Lamp) {}),
		of("globe", "globe", "a glass ball 30 cm across, 1500 lm", func(l *Lamp) { l.Radius, l.Output = 0.15, 1500 }),
		of("downlight", "downlight", "a cone of 40° from the ceiling, 900 lm at 3000 K", func(l *Lamp) {
			down(l, 2.5)
			l.Shape, l.Angle, l.Edge, l.Output, l.Kelvin = "cone", unit.Radians(40), 0.4, 900, 3000
		}),
		of("street", "street lamp", "a cone of 140° at 6 m, 6000 lm at 2000 K", func(l *Lamp) {
			down(l, 6)
			l.Shape, l.Angle, l.Edge, l.Output, l.Kelvin, l.Radius = "cone", unit.Radians(140), 0.3, 6000, 2000, 0.12
		}),
		of("head", "narrow beam", "a cone of 12°, 50,000 cd at 5600 K", func(l *Lamp) {
			l.At, l.To = geom.V{Y: 2.5, Z: 4}, geom.V{Y: 1}
			l.Shape, l.Angle, l.Edge, l.Output, l.In, l.Kelvin, l.Radius = "cone", unit.Radians(12), 0.5, 50_000, "cd",
				5600, 0.1
		}),
		of("tube", "fluorescent tube", "1.2 m of 36 W, 3350 lm at 4000 K", func(l *Lamp) {
			l.At, l.To = geom.V{Y: 2.5}, geom.V{X: 1, Y: 2.5}
			l.Shape, l.Length, l.Radius, l.Output, l.Kelvin = "tube", 1.2, 0.013, 3350, 4000
		}),
		of("soft", "soft square", "a metre across, 10,000 lm at 5600 K, for faces and things", func(l *Lamp) {
			l.At, l.To = geom.V{Y: 2.2, Z: 2}, geom.V{Y: 1}
			l.Shape, l.Width, l.Height, l.Output, l.Kelvin, l.Seen = "rectangle", 1, 1, 10_000, 5600, false
		}),
		of("window", "window", "1.2 by 1.5 m of overcast sky at 3000 cd/m², 6500 K", func(l *Lamp) {
			l.At, l.To = geom.V{Y: 1.6, Z: 2}, geom.V{Y: 1.2}
			l.Shape, l.Width, l.Height, l.In, l.Output, l.Kelvin = "rectangle", 1.2, 1.5, "cd", 3000*1.2*1.5, 6500
		}),
		of("disc", "dish", "a disc 55 cm across, 4000 lm at 5600 K", func(l *Lamp) {
			l.At, l.To = geom.V{Y: 2.2, Z: 2}, geom.V{Y: 1}
			l.Shape, l.Radius, l.Output, l.Kelvin, l.Seen = "disc", 0.275, 4000, 5600, false
		}),
		of("measured", "measured", "as a photometric file says: .ies or .ldt", func(l *Lamp) {
			down(l, 2.5)
			l.Shape = "measured"
		}),
	}
}

// Portrait is a picture of a lamp by its light, w by h pixels: hung half a metre before a wall, aimed down along it,
// or a metre away and aimed at it where its kind is meant for that; as bright as suits, in its own colour.
func (l *Lamp) Portrait(w, h int) *image.NRGBA {
	one := *l
	one.On, one.Dim, one.Reach = true, 1, 0
	one.At = geom.V{Y: 0.55, Z: 0.5}
	switch l.Shape {
	case "rectangle", "disc":
		one.At = geom.V{Y: 0, Z: 1.2}
		one.To = geom.V{}
	case "tube":
		one.To = one.At.Add(geom.V{X: 1})
	case "cone":
		one.To = one.At.Sub(geom.V{Y: 1, Z: 0.12})
		if l.Angle < unit.Radians(30) { // a beam: across it
			one.At, one.To = geom.V{X: -1, Y: 1.2, Z: 2.5}, geom.V{}
		}
	default:
		one.To = one.At.Sub(geom.V{Y: 1, Z: 0.12})
	}
	give := one.Gives()
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	lux := make([]float64, w*h)
	most := 0.0
	for i := range lux {
		p := geom.V{X: (float64(i%w) + 0.5 - float64(w)/2) / float64(h) * 2, Y: 1 - (float64(i/w)+0.5)/float64(h)*2}
		lux[i] = give(p, geom.V{Z: 1})
		most = max(most, lux[i])
	}
	kelvin, _ := one.gelled()
	c := Color(kelvin)
	if one.Tint != "" {
		c = c.Times(Hex(one.Tint))
	}
	c = c.Mul(1 / max(c.Max(), 1e-9))
	for i, e := range lux {
		v := 0.04
		if most > 0 {
			v += e / most
		}
		ch := func(x float64) uint8 { return uint8(255*math.Pow(min(x*v/1.04, 1), 1/2.2) + 0.5) }
		out.SetNRGBA(i%w, i/w, color.NRGBA{ch(c.X), ch(c.Y), ch(c.Z), 255})
	}
	return out
}
