package bvh

import "math"

// Ray is a ray in the space of a mesh. d need not have unit length: t runs
// in the same units as the ray that it was made from.
type Ray struct {
	O, D [3]float32
	inv  [3]float32
	T    float32 // the nearest hit so far
	Min  float32
	near [3]uint8 // for each axis the row of Node.bounds that is met first
}

// Prepare is called after O or D was set, and before the ray meets anything.
func (r *Ray) Prepare() {
	for k := 0; k < 3; k++ {
		d := r.D[k]
		if d < 1e-20 && d > -1e-20 { // keep 0*inf out of the slab test
			if d = 1e-20; math.Signbit(float64(r.D[k])) {
				d = -1e-20
			}
		}
		r.inv[k] = 1 / d
		r.near[k] = uint8(2 * k)
		if d < 0 {
			r.near[k]++
		}
	}
}

// Inf is without end.
var Inf = float32(math.Inf(1))

// Way is by what rays go, in words.
func Way() string {
	if Wide() {
		return "vector instructions (AVX2)"
	}
	return "plain code"
}
