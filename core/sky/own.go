package sky

import (
	"math"

	"visator/core/geom"
)

// OwnSun is the sun that a panorama holds.
type OwnSun struct {
	To     geom.V  // towards it, in the picture as it lies: u = 0.5 is -Z
	Lux    geom.V  // what it gives a plane that faces it, for a strength of 1, per channel
	Radius float64 // radians of a disc of that size
}

// Limits of what is taken for a sun.
const (
	sunWidest = 6 * math.Pi / 180 // radians around the brightest place in which it is looked for: haze widens it
	sunShare  = 0.1               // of the brightest: what is above belongs to it
	sunBright = 30                // times as bright as the mean of the upper half it must be
)

// FindSun finds the sun of a panorama of w x h pixels, 3 values each: what is about as bright as its brightest place,
// near it; ok is false where nothing stands out, as under clouds.
func FindSun(pix []float32, w, h int) (s OwnSun, ok bool) {
	at := func(x, y int) geom.V {
		p := pix[3*(y*w+x):]
		return geom.V{X: float64(p[0]), Y: float64(p[1]), Z: float64(p[2])}
	}
	best, bx, by := 0.0, 0, 0
	mean, weight := 0.0, 0.0
	for y := range h / 2 {
		sin := math.Sin(math.Pi * (float64(y) + 0.5) / float64(h))
		for x := range w {
			l := luminance(at(x, y))
			mean, weight = mean+l*sin, weight+sin
			if l > best {
				best, bx, by = l, x, y
			}
		}
	}
	if weight == 0 || !(best > sunBright*mean/weight) {
		return s, false
	}
	peak := Toward(bx, by, w, h)
	solid := 0.0
	each(peak, w, h, func(x, y int, d geom.V, steradians float64) {
		c := at(x, y)
		if luminance(c) < sunShare*best {
			return
		}
		s.To = s.To.Add(d.Mul(luminance(c) * steradians))
		s.Lux = s.Lux.Add(c.Mul(steradians))
		solid += steradians
	})
	s.To = s.To.Unit()
	s.Radius = math.Acos(max(1-solid/(2*math.Pi), -1))
	return s, true
}

// WithoutSun is a panorama with its own sun taken out: what is brighter than its surroundings there becomes as bright
// as they are.
func WithoutSun(pix []float32, w, h int, s OwnSun) []float32 {
	out := append([]float32{}, pix...)
	ring, n := geom.V{}, 0.0
	each(s.To, w, h, func(x, y int, d geom.V, steradians float64) {
		if math.Acos(min(d.Dot(s.To), 1)) > 0.75*sunWidest {
			p := pix[3*(y*w+x):]
			ring = ring.Add(geom.V{X: float64(p[0]), Y: float64(p[1]), Z: float64(p[2])}.Mul(steradians))
			n += steradians
		}
	})
	if n == 0 {
		return out
	}
	ring = ring.Mul(1 / n)
	each(s.To, w, h, func(x, y int, _ geom.V, _ float64) {
		p := out[3*(y*w+x) : 3*(y*w+x)+3]
		p[0], p[1], p[2] = min(p[0], float32(ring.X)), min(p[1], float32(ring.Y)), min(p[2], float32(ring.Z))
	})
	return out
}

// each visits the pixels around a direction in which a sun is looked for.
func each(mid geom.V, w, h int, visit func(x, y int, d geom.V, steradians float64)) {
	cos := math.Cos(sunWidest)
	pixel := 2 * math.Pi / float64(w) * math.Pi / float64(h)
	for y := range h {
		theta := math.Pi * (float64(y) + 0.5) / float64(h)
		if math.Abs(theta-math.Acos(min(max(mid.Y, -1), 1))) > sunWidest+math.Pi/float64(h) {
			continue
		}
		for x := range w {
			if d := Toward(x, y, w, h); d.Dot(mid) >= cos {
				visit(x, y, d, pixel*math.Sin(theta))
			}
		}
	}
}
