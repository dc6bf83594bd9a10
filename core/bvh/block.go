package bvh

import "math"

// Block is the triangles of a leaf as the intersection test wants them, all at
// once: for each axis a corner and two edges of each.
type Block struct {
	V, E1, E2 [3][LeafSize]float32
	// Triangle number within the mesh, with alphaBit where a hit may be let
	// through; or NoTriangle.
	ID [LeafSize]uint32
}

// NoTriangle is the number of no triangle.
const NoTriangle = math.MaxUint32

// Hits are where a ray meets the triangles of a block.
type Hits struct{ T, U, V [LeafSize]float32 }

// The barycentric coordinates may be off by a rounding, so that no ray slips
// through between two triangles.
const (
	uvLow  = -1e-7
	uvHigh = 1.0000002
)

// Meet tests all triangles; bit k of the result says that the ray
// meets triangle k before r.T (Möller and Trumbore, Fast, Minimum Storage Ray
// / Triangle Intersection, 1997).
func (b *Block) Meet(r *Ray, met *Hits) (mask uint8) {
	for k := range LeafSize {
		e1x, e1y, e1z := b.E1[0][k], b.E1[1][k], b.E1[2][k]
		e2x, e2y, e2z := b.E2[0][k], b.E2[1][k], b.E2[2][k]
		px, py, pz := r.D[1]*e2z-r.D[2]*e2y, r.D[2]*e2x-r.D[0]*e2z, r.D[0]*e2y-r.D[1]*e2x
		inv := 1 / (e1x*px + e1y*py + e1z*pz)
		sx, sy, sz := r.O[0]-b.V[0][k], r.O[1]-b.V[1][k], r.O[2]-b.V[2][k]
		u := (sx*px + sy*py + sz*pz) * inv
		if !(u >= uvLow && u <= uvHigh) { // also where the edges span nothing
			continue
		}
		qx, qy, qz := sy*e1z-sz*e1y, sz*e1x-sx*e1z, sx*e1y-sy*e1x
		v := (r.D[0]*qx + r.D[1]*qy + r.D[2]*qz) * inv
		t := (e2x*qx + e2y*qy + e2z*qz) * inv
		if v >= uvLow && u+v <= uvHigh && t > r.Min && t < r.T {
			mask |= 1 << k
			met.T[k], met.U[k], met.V[k] = t, u, v
		}
	}
	return mask
}
