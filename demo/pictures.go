package demo

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
)

// picture draws size x size texels from a function of u, v in 0..1.
func picture(size int, at func(u, v float64) (r, g, b, a float64)) []byte {
	img := image.NewNRGBA(image.Rect(0, 0, size, size))
	for y := 0; y < size; y++ {
		for x := 0; x < size; x++ {
			r, g, b, a := at((float64(x)+0.5)/float64(size), (float64(y)+0.5)/float64(size))
			c := func(v float64) uint8 { return uint8(min(max(v, 0), 1)*255 + 0.5) }
			img.SetNRGBA(x, y, color.NRGBA{c(r), c(g), c(b), c(a)})
		}
	}
	var buf bytes.Buffer
	_ = png.Encode(&buf, img) // a picture in memory cannot fail
	return buf.Bytes()
}

// wrapped is noise that repeats over n cells.
func wrapped(seed uint64, u, v float64, n int) float64 {
	x, y := u*float64(n), v*float64(n)
	i, j := math.Floor(x), math.Floor(y)
	f, g := x-i, y-j
	f, g = f*f*(3-2*f), g*g*(3-2*g)
	at := func(i, j int) float64 {
		return chance(seed, uint64((i%n+n)%n), uint64((j%n+n)%n))
	}
	a, b := int(i), int(j)
	return (at(a, b)*(1-f)+at(a+1, b)*f)*(1-g) + (at(a, b+1)*(1-f)+at(a+1, b+1)*f)*g
}

func planks(r, g, b float64, boards int, seed uint64) []byte {
	return picture(256, func(u, v float64) (float64, float64, float64, float64) {
		board := math.Floor(u * float64(boards))
		edge := math.Abs(u*float64(boards)-board-0.5) * 2
		k := 0.75 + 0.25*wrapped(seed+uint64(board), u*3, v, 16) + 0.18*(chance(seed, uint64(board), 77)-0.5)
		k *= 0.92 + 0.16*wrapped(seed+9, u*8, v, 64)
		if edge > 0.93 {
			k *= 0.35
		}
		return r * k, g * k, b * k, 1
	})
}

func stones(r, g, b float64, rows int, seed uint64) []byte {
	return picture(256, func(u, v float64) (float64, float64, float64, float64) {
		row := math.Floor(v * float64(rows))
		x := u*float64(rows)/2 + math.Mod(row, 2)*0.5
		col := math.Mod(math.Floor(x), float64(rows)/2)
		dx, dy := math.Abs(x-math.Floor(x)-0.5)*2, math.Abs(v*float64(rows)-row-0.5)*2
		k := 0.7 + 0.4*chance(seed, uint64(row), uint64(col)) - 0.2*wrapped(seed, u, v, 48)
		if dx > 0.95 || dy > 0.88 {
			return 0.52, 0.5, 0.47, 1
		}
		return r * k, g * k, b * k, 1
	})
}

func speckle(r, g, b, depth float64, n int, seed uint64) []byte {
	return picture(256, func(u, v float64) (float64, float64, float64, float64) {
		k := 1 - depth + depth*(wrapped(seed, u, v, n)+wrapped(seed+1, u, v, n*3))
		return r * k, g * k, b * k, 1
	})
}

// dial is a clock's face: hours, minutes, and hands at half past six.
func dial() []byte {
	return picture(512, func(u, v float64) (float64, float64, float64, float64) {
		x, y := u*2-1, 1-v*2
		d, a := math.Hypot(x, y), math.Atan2(x, y)
		ink := false
		tick := math.Mod(a+2*math.Pi, math.Pi/6)
		tick = min(tick, math.Pi/6-tick) * d
		minute := math.Mod(a+2*math.Pi, math.Pi/30)
		minute = min(minute, math.Pi/30-minute) * d
		ink = ink || d > 0.66 && d < 0.86 && tick < 0.03 || d > 0.8 && d < 0.86 && minute < 0.008 || d > 0.93
		hand := func(turn, length, width float64) bool {
			s, c := math.Sincos(turn)
			along, side := x*s+y*c, x*c-y*s
			return along > -0.12 && along < length && math.Abs(side) < width
		}
		ink = ink || hand(math.Pi*(6.5/6), 0.48, 0.035) || hand(math.Pi, 0.74, 0.022) || d < 0.06
		if ink {
			return 0.05, 0.05, 0.06, 1
		}
		return 0.93, 0.91, 0.84, 1
	})
}

// blades is a tuft of grass cut out by its opacity.
func blades(seed uint64) []byte {
	r := rand.New(rand.NewPCG(seed, 1))
	type blade struct{ x, lean, h, w, tone float64 }
	var list []blade
	for range 26 {
		list = append(list, blade{0.08 + 0.84*r.Float64(), (r.Float64() - 0.5) * 0.5, 0.45 + 0.5*r.Float64(),
			0.012 + 0.014*r.Float64(), r.Float64()})
	}
	return picture(256, func(u, v float64) (float64, float64, float64, float64) {
		y := 1 - v
		for _, b := range list {
			if y < b.h && math.Abs(u-(b.x+b.lean*y*y)) < b.w*(1-y/b.h) {
				return 0.30 + 0.16*b.tone, 0.42 + 0.1*b.tone, 0.14 + 0.05*b.tone, 1
			}
		}
		return 0.35, 0.45, 0.17, 0
	})
}

// needles is a branch of a conifer cut out by its opacity.
func needles(seed uint64) []byte {
	return picture(256, func(u, v float64) (float64, float64, float64, float64) {
		half := 0.5 * math.Pow(math.Sin(math.Pi*min(max(v, 0), 1)), 0.6)
		x := math.Abs(u - 0.5)
		comb := math.Abs(math.Mod((v+x*0.7)*34, 1)-0.5) < 0.33
		on := x < 0.012 || x < half && comb && wrapped(seed, u, v, 24) > 0.2
		k := 0.65 + 0.5*wrapped(seed+3, u, v, 12)
		if !on {
			return 0.09, 0.19, 0.1, 0
		}
		return 0.11 * k, 0.24 * k, 0.13 * k, 1
	})
}
