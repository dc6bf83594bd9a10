package finish

import (
	"math"
	"strings"

	"visator/core/chroma"
	"visator/core/document"
	"visator/core/geom"
)

var (
	_ = step("hues", Grade, func() Step { return &Hues{} })
	_ = step("curve", Shown, func() Step { return &Curve{Shadows: 0.25, Middle: 0.5, Lights: 0.75, White: 1} })
)

// Hues turns hues against hues, and makes them stronger or paler: six about the circle, what lies between them in
// proportion. It works in OKLCH, so that lightness stays.
type Hues struct {
	Red     float64 `json:"red"` // turns, radians
	Yellow  float64 `json:"yellow"`
	Green   float64 `json:"green"`
	Cyan    float64 `json:"cyan"`
	Blue    float64 `json:"blue"`
	Magenta float64 `json:"magenta"`
	// How much stronger each is, in stops.
	MoreRed     float64 `json:"moreRed"`
	MoreYellow  float64 `json:"moreYellow"`
	MoreGreen   float64 `json:"moreGreen"`
	MoreCyan    float64 `json:"moreCyan"`
	MoreBlue    float64 `json:"moreBlue"`
	MoreMagenta float64 `json:"moreMagenta"`
}

func (h *Hues) all() (turn, more [6]*float64) {
	return [6]*float64{&h.Red, &h.Yellow, &h.Green, &h.Cyan, &h.Blue, &h.Magenta},
		[6]*float64{&h.MoreRed, &h.MoreYellow, &h.MoreGreen, &h.MoreCyan, &h.MoreBlue, &h.MoreMagenta}
}

// hueNames are the six, and hueAt where they lie in OKLab, radians: those of the primaries of Rec.709 and between.
var (
	hueNames = [6]string{"red", "yellow", "green", "cyan", "blue", "magenta"}
	hueAt    = func() (at [6]float64) {
		for i, c := range [6]geom.V{{X: 1}, {X: 1, Y: 1}, {Y: 1}, {Y: 1, Z: 1}, {Z: 1}, {X: 1, Z: 1}} {
			o := chroma.OK(c)
			at[i] = math.Atan2(o.B, o.A)
		}
		return at
	}()
)

// Fields are what it is described by.
func (h *Hues) Fields() (list []document.Field) {
	turn, more := h.all()
	for i, name := range hueNames {
		list = append(list,
			document.Of(turn[i], document.Angle, name, "turn "+name, "a turn of "+name).
				In(-math.Pi/3, math.Pi/3).Sliding(-60, 60, 1),
			document.Of(more[i], document.Number, "more"+strings.ToUpper(name[:1])+name[1:], name+" stronger",
				"the strength of "+name).In(-4, 2).Told("stops", 2).Sliding(-4, 2, 0.05))
	}
	return list
}

// Apply turns the hues of the picture.
func (h *Hues) Apply(p *Pixels) { p.each(h.Of) }

// Of is what it makes of a colour.
func (h *Hues) Of(c geom.V) geom.V {
	o := chroma.OK(c)
	strength := math.Hypot(o.A, o.B)
	if !(strength > 1e-9) {
		return c
	}
	hue := math.Atan2(o.B, o.A)
	// Between which two it lies, going up the circle.
	turn, stops := 0.0, 0.0
	turns, more := h.all()
	for i := range hueAt {
		next := (i + 1) % 6
		gap := around(hueAt[next] - hueAt[i])
		if off := around(hue - hueAt[i]); off < gap || off == 0 {
			k := off / gap
			k = k * k * (3 - 2*k)
			turn, stops = *turns[i]*(1-k)+*turns[next]*k, *more[i]*(1-k)+*more[next]*k
			break
		}
	}
	hue, strength = hue+turn, strength*math.Exp2(stops)
	v := chroma.Lab{L: o.L, A: strength * math.Cos(hue), B: strength * math.Sin(hue)}.Linear()
	return geom.V{X: max(v.X, 0), Y: max(v.Y, 0), Z: max(v.Z, 0)}
}

// around is an angle from 0 to a whole turn.
func around(a float64) float64 {
	if a = math.Mod(a, 2*math.Pi); a < 0 {
		a += 2 * math.Pi
	}
	return a
}

// Curve lays what a screen shows along a curve through five points, without overshooting between them (F. N. Fritsch
// and R. E. Carlson, Monotone piecewise cubic interpolation, 1980).
type Curve struct {
	Black   float64 `json:"black"` // what 0, a quarter, a half, three quarters and all of white become
	Shadows float64 `json:"shadows"`
	Middle  float64 `json:"middle"`
	Lights  float64 `json:"lights"`
	White   float64 `json:"white"`
}

// Fields are what it is described by.
func (c *Curve) Fields() []document.Field {
	of := func(at *float64, key string) document.Field {
		return document.Of(at, document.Percent, key, key, "where "+key+" lie").In(0, 1).Sliding(0, 100, 1)
	}
	return []document.Field{of(&c.Black, "black"), of(&c.Shadows, "shadows"), of(&c.Middle, "middle"),
		of(&c.Lights, "lights"), of(&c.White, "white")}
}

// At is what a value of the screen becomes, both 0 to 1.
func (c *Curve) At(x float64) float64 {
	return along([]float64{c.Black, c.Shadows, c.Middle, c.Lights, c.White}, x)
}

// along is where a place from 0 to 1 lies on a curve through points that are as far from one another, from the first to
// the last: what rises between them never falls.
func along(y []float64, x float64) float64 {
	last := len(y) - 1
	x = min(max(x, 0), 1) * float64(last)
	i := min(int(x), last-1)
	slope := func(i int) float64 {
		switch i {
		case 0:
			return y[1] - y[0]
		case last:
			return y[last] - y[last-1]
		}
		a, b := y[i]-y[i-1], y[i+1]-y[i]
		if a*b <= 0 {
			return 0
		}
		return 2 * a * b / (a + b) // the harmonic mean, which keeps what rises rising
	}
	// Slopes of the ends are cut so that the first and last piece do not overshoot either.
	t, a, b := x-float64(i), slope(i), slope(i+1)
	d := y[i+1] - y[i]
	if math.Abs(a) > 3*math.Abs(d) {
		a = 3 * d
	}
	if math.Abs(b) > 3*math.Abs(d) {
		b = 3 * d
	}
	t2, t3 := t*t, t*t*t
	return min(max(y[i]*(2*t3-3*t2+1)+a*(t3-2*t2+t)+y[i+1]*(3*t2-2*t3)+b*(t3-t2), 0), 1)
}

// Of is what it makes of a colour, linear before and after.
func (c *Curve) Of(v geom.V) geom.V {
	one := func(x float64) float64 { return Decode(c.At(Encode(x))) }
	return geom.V{X: one(v.X), Y: one(v.Y), Z: one(v.Z)}
}

// Apply lays the picture along the curve.
func (c *Curve) Apply(p *Pixels) { p.each(c.Of) }
