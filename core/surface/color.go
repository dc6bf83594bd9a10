// Package surface is what things are made of: materials, and the palettes that a production is held against. Colours
// are linear Rec.709, 0 to 1, where nothing else is said.
package surface

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"visator/core/chroma"
	"visator/core/document"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/light"
)

// Lab is a colour by lightness and two opponent axes.
type Lab = chroma.Lab

// CIE is a colour in CIELAB for D65, lightness 0 to 100.
func CIE(c geom.V) Lab {
	f := func(t float64) float64 {
		if t > 216.0/24389 {
			return math.Cbrt(t)
		}
		return (24389.0/27*t + 16) / 116
	}
	x := f((0.4124564*c.X + 0.3575761*c.Y + 0.1804375*c.Z) / 0.95047)
	y := f(0.2126729*c.X + 0.7151522*c.Y + 0.0721750*c.Z)
	z := f((0.0193339*c.X + 0.1191920*c.Y + 0.9503041*c.Z) / 1.08883)
	return Lab{L: 116*y - 16, A: 500 * (x - y), B: 200 * (y - z)}
}

// Apart is how different two colours of CIELAB look: CIEDE2000 (CIE 142-2001), in the form of Sharma, Wu and Dalal (The
// CIEDE2000 color-difference formula: implementation notes, 2005). About 1 is just seen, side by side.
func Apart(p, q Lab) float64 {
	const deg = math.Pi / 180
	c7 := math.Pow((math.Hypot(p.A, p.B)+math.Hypot(q.A, q.B))/2, 7)
	g := 0.5 * (1 - math.Sqrt(c7/(c7+6103515625))) // 25 to the seventh
	a1, a2 := (1+g)*p.A, (1+g)*q.A
	c1, c2 := math.Hypot(a1, p.B), math.Hypot(a2, q.B)
	hue := func(a, b float64) float64 {
		if a == 0 && b == 0 {
			return 0
		}
		h := math.Atan2(b, a) / deg
		if h < 0 {
			h += 360
		}
		return h
	}
	h1, h2 := hue(a1, p.B), hue(a2, q.B)
	dh, mean := 0.0, h1+h2
	if c1*c2 != 0 {
		dh = h2 - h1
		switch {
		case dh > 180:
			dh -= 360
		case dh < -180:
			dh += 360
		}
		switch {
		case math.Abs(h1-h2) <= 180+1e-9: // opposite hues are told apart by no rounding
			mean /= 2
		case h1+h2 < 360:
			mean = (mean + 360) / 2
		default:
			mean = (mean - 360) / 2
		}
	}
	dl, dc := q.L-p.L, c2-c1
	dH := 2 * math.Sqrt(c1*c2) * math.Sin(dh/2*deg)
	l, c := (p.L+q.L)/2, (c1+c2)/2
	t := 1 - 0.17*math.Cos((mean-30)*deg) + 0.24*math.Cos(2*mean*deg) + 0.32*math.Cos((3*mean+6)*deg) -
		0.20*math.Cos((4*mean-63)*deg)
	c7 = math.Pow(c, 7)
	rc := 2 * math.Sqrt(c7/(c7+6103515625))
	rt := -math.Sin(60*math.Exp(-math.Pow((mean-275)/25, 2))*deg) * rc
	sl := 1 + 0.015*(l-50)*(l-50)/math.Sqrt(20+(l-50)*(l-50))
	sc, sh := 1+0.045*c, 1+0.015*c*t
	x, y, z := dl/sl, dc/sc, dH/sh
	return math.Sqrt(max(x*x+y*y+z*z+rt*y*z, 0))
}

// ParseColor reads a colour as it is usually written: #rgb and #rrggbb, rgb(), hsl() and oklch() of CSS Color 4, and
// linear(r g b). What lies beyond Rec.709 is brought to its edge.
func ParseColor(text string) (c geom.V, err error) {
	s := strings.ToLower(strings.TrimSpace(text))
	wrong := func() (geom.V, error) {
		return geom.V{}, fmt.Errorf("%.60q is no colour: write #8a8a7a, rgb(138 138 122), hsl(60 6%% 51%%), "+
			"oklch(0.63 0.02 107), linear(0.25 0.25 0.2) or 2700 K", text)
	}
	if hex, ok := strings.CutPrefix(s, "#"); ok {
		if len(hex) == 3 {
			hex = string([]byte{hex[0], hex[0], hex[1], hex[1], hex[2], hex[2]})
		}
		if hex = "#" + hex; !document.IsColor(hex) {
			return wrong()
		}
		return light.Hex(hex), nil
	}
	if warm, is := strings.CutSuffix(s, "k"); is { // the colour of what glows as hot as that
		k, err := strconv.ParseFloat(strings.TrimSpace(warm), 64)
		if err != nil || !(k >= 1000 && k <= 40000) {
			return geom.V{}, fmt.Errorf("%.60q is no colour: a temperature is 1000 K to 40000 K", text)
		}
		c = light.Color(k)
		return c.Mul(1 / c.Max()), nil
	}
	name, rest, ok := strings.Cut(s, "(")
	rest, closed := strings.CutSuffix(rest, ")")
	parts := strings.FieldsFunc(rest, func(r rune) bool { return r == ',' || r == ' ' || r == '\t' })
	if !ok || !closed || len(parts) != 3 {
		return wrong()
	}
	// What a hundred per cent stand for, of each part.
	whole := map[string][3]float64{"rgb": {255, 255, 255}, "hsl": {360, 1, 1}, "oklch": {1, 0.4, 360},
		"linear": {1, 1, 1}}[name]
	if whole[0] == 0 {
		return wrong()
	}
	var v [3]float64
	for i, p := range parts {
		times := 1.0
		if q, is := strings.CutSuffix(p, "%"); is {
			p, times = q, whole[i]/100
		}
		p = strings.TrimSuffix(p, "deg")
		if v[i], err = strconv.ParseFloat(p, 64); err != nil || math.IsNaN(v[i]) || math.IsInf(v[i], 0) {
			return wrong()
		}
		v[i] *= times
	}
	switch name {
	case "rgb":
		c = geom.V{X: finish.Decode(v[0] / 255), Y: finish.Decode(v[1] / 255), Z: finish.Decode(v[2] / 255)}
	case "hsl":
		h := math.Mod(math.Mod(v[0], 360)+360, 360) / 30
		a := v[1] * min(v[2], 1-v[2])
		of := func(n float64) float64 {
			k := math.Mod(n+h, 12)
			return finish.Decode(v[2] - a*max(-1, min(k-3, 9-k, 1)))
		}
		c = geom.V{X: of(0), Y: of(8), Z: of(4)}
	case "oklch":
		sin, cos := math.Sincos(v[2] * math.Pi / 180)
		c = Lab{L: v[0], A: v[1] * cos, B: v[1] * sin}.Linear()
	case "linear":
		c = geom.V{X: v[0], Y: v[1], Z: v[2]}
	}
	of := func(x float64) float64 { return min(max(x, 0), 1) }
	return geom.V{X: of(c.X), Y: of(c.Y), Z: of(c.Z)}, nil
}
