package lay

import "math"

// noise is smooth chance over the plane, -1..1 and 0 on whole numbers: gradient
// noise (Perlin, Improving Noise, SIGGRAPH 2002) with hashed gradients.
func noise(seed uint64, x, z float64) float64 {
	ix, iz := math.Floor(x), math.Floor(z)
	fx, fz := x-ix, z-iz
	ease := func(t float64) float64 { return t * t * t * (t*(t*6-15) + 10) }
	corner := func(dx, dz float64) float64 {
		sin, cos := math.Sincos(2 * math.Pi * hash(seed, int64(ix+dx), int64(iz+dz)))
		return cos*(fx-dx) + sin*(fz-dz)
	}
	u, w := ease(fx), ease(fz)
	a := corner(0, 0) + u*(corner(1, 0)-corner(0, 0))
	b := corner(0, 1) + u*(corner(1, 1)-corner(0, 1))
	return math.Sqrt2 * (a + w*(b-a))
}

// rough adds noise of ever smaller size: each octave is half as large and half
// as high (fractional Brownian motion, H = 1; Mandelbrot and Van Ness, 1968).
func rough(seed uint64, x, z float64, octaves int) float64 {
	sum, k := 0.0, 1.0
	for o := range octaves {
		sum += k * noise(seed+uint64(o)*31, x/k, z/k)
		k /= 2
	}
	return sum
}
