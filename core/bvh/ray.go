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

// Box is a box of float32 coordinates.
type Box struct{ Lo, Hi [3]float32 }

// Enters says whether the ray may meet what is in a box, nearer than T: wherever it does, and a hair beside.
func (r *Ray) Enters(b *Box) bool {
	const hair = 1 + 1e-6
	near, far := r.Min, r.T
	for k := range 3 {
		t0, t1 := (b.Lo[k]-r.O[k])*r.inv[k], (b.Hi[k]-r.O[k])*r.inv[k]
		near, far = max(near, min(t0, t1)), min(far, max(t0, t1)*hair)
	}
	return near <= far
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
