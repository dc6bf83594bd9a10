// Package ladder is the brightness of a picture on one logarithmic ruler, and the picture drawn by it.
package ladder

import (
	"image"
	"image/color"
	"math"
)

// Limits of the ruler, as powers of ten of cd/m²: starlight on snow to the sun's disc. Each step is a tenth.
const (
	From  = -4
	To    = 10
	Steps = (To - From) * 10
)

// MiddleGrey is the share of what is drawn as white that a meter takes for its subject (ISO 2721).
const MiddleGrey = 0.18

// Stops of what is burnt and what drowns, above and below middle grey: white itself, and what eight bits hardly show.
var (
	Burnt   = math.Log2(1 / MiddleGrey)
	Drowned = -6.0
)

// Ruler is how much of a picture is how bright.
type Ruler struct {
	Share   []float64 `json:"share"` // of the pixels, by tenths of a power of ten from 10^From cd/m²
	Burnt   float64   `json:"burnt"`
	Drowned float64   `json:"drowned"`
	Grey    float64   `json:"grey"` // cd/m² of middle grey
}

func luminance(p []float32) float64 {
	return 0.2126*float64(p[0]) + 0.7152*float64(p[1]) + 0.0722*float64(p[2])
}

// Of is the ruler of linear values, 3 a pixel in cd/m², of which white is drawn as white.
func Of(pix []float32, white float64) Ruler {
	r := Ruler{Share: make([]float64, Steps), Grey: white * MiddleGrey}
	n := len(pix) / 3
	if n == 0 {
		return r
	}
	one := 1 / float64(n)
	for i := range n {
		l := luminance(pix[3*i : 3*i+3])
		if l > 0 {
			if k := int(math.Floor((math.Log10(l) - From) * 10)); k >= 0 && k < Steps {
				r.Share[k] += one
			}
		}
		switch s := math.Log2(l / r.Grey); {
		case s >= Burnt:
			r.Burnt += one
		case !(s > Drowned):
			r.Drowned += one
		}
	}
	for k, s := range r.Share {
		r.Share[k] = math.Round(s*1e5) / 1e5
	}
	return r
}

// Way is by what a picture is drawn.
type Way string

// Ways: stops from middle grey, luminance in cd/m², and the illuminance of matt things in lux.
const (
	Stops Way = "stops"
	Cd    Way = "cd"
	Lux   Way = "lux"
)

// Picture draws linear values by heights, as maps draw land: below middle grey water, ever deeper, above it land,
// ever drier; a line at each step; violet what drowns and red what burns. Luminance and illuminance have a height for
// each third of a power of ten. albedo, 3 a pixel, is asked for by Lux alone: what falls on matt things is π times
// what they throw back, over it; what is darker than a hundredth is left out.
func Picture(way Way, pix, albedo []float32, w, h int, white float64) *image.RGBA {
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		l := luminance(pix[3*i : 3*i+3])
		c := color.RGBA{R: 20, G: 20, B: 20, A: 255}
		switch way {
		case Stops:
			c = Height(math.Log2(l / (white * MiddleGrey)))
		case Cd:
			c = third(l)
		case Lux:
			if a := luminance(albedo[3*i : 3*i+3]); a > 0.01 {
				c = third(math.Pi * l / a)
			}
		}
		out.SetRGBA(i%w, i/w, c)
	}
	return out
}

// third is the colour of a value by thirds of a power of ten about 100, from 0.1 to 100 000.
func third(v float64) color.RGBA {
	k := (math.Log10(v) - 2) * 3
	if !(k > -9) {
		return color.RGBA{R: 84, G: 40, B: 120, A: 255}
	}
	return tint(k, 9)
}

// Height is the colour of so many stops from middle grey.
func Height(stops float64) color.RGBA {
	switch {
	case stops >= Burnt:
		return color.RGBA{R: 226, G: 62, B: 44, A: 255}
	case !(stops > Drowned):
		return color.RGBA{R: 84, G: 40, B: 120, A: 255}
	}
	return tint(stops, 6)
}

// tint is a step of a map's heights, of so many on either side.
func tint(k float64, most float64) color.RGBA {
	step := math.Floor(k + 0.5)
	share := min(math.Abs(step)/most, 1)
	shade := 1.0
	if off := math.Abs(k - step); off > 0.46 { // the line between two heights
		shade = 0.75
	}
	mix := func(a, b [3]float64) color.RGBA {
		at := func(i int) uint8 { return uint8((a[i] + (b[i]-a[i])*share) * shade) }
		return color.RGBA{R: at(0), G: at(1), B: at(2), A: 255}
	}
	shore := [3]float64{150, 158, 140}
	if step < 0 {
		return mix(shore, [3]float64{6, 44, 70})
	}
	if step > 0 {
		return mix([3]float64{176, 160, 110}, [3]float64{250, 240, 214})
	}
	return mix(shore, shore)
}
