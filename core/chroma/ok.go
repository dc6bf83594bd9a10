package chroma

import (
	"math"

	"visator/core/geom"
)

// Lab is a colour by lightness and two opponent axes: OKLab (Ottosson, A perceptual color space for image processing,
// 2020), or CIELAB (CIE 15) of D65.
type Lab struct{ L, A, B float64 }

// OK is a colour in OKLab, lightness 0 to 1.
func OK(c geom.V) Lab {
	l := math.Cbrt(0.4122214708*c.X + 0.5363325363*c.Y + 0.0514459929*c.Z)
	m := math.Cbrt(0.2119034982*c.X + 0.6806995451*c.Y + 0.1073969566*c.Z)
	s := math.Cbrt(0.0883024619*c.X + 0.2817188376*c.Y + 0.6299787005*c.Z)
	return Lab{0.2104542553*l + 0.7936177850*m - 0.0040720468*s, 1.9779984951*l - 2.4285922050*m + 0.4505937099*s,
		0.0259040371*l + 0.7827717662*m - 0.8086757660*s}
}

// Linear is the linear colour of one in OKLab, which may lie beyond Rec.709.
func (o Lab) Linear() geom.V {
	cube := func(x float64) float64 { return x * x * x }
	l := cube(o.L + 0.3963377774*o.A + 0.2158037573*o.B)
	m := cube(o.L - 0.1055613458*o.A - 0.0638541728*o.B)
	s := cube(o.L - 0.0894841775*o.A - 1.2914855480*o.B)
	return geom.V{X: 4.0767416621*l - 3.3077115913*m + 0.2309699292*s,
		Y: -1.2684380046*l + 2.6097574011*m - 0.3413193965*s, Z: -0.0041960863*l - 0.7034186147*m + 1.7076147010*s}
}
