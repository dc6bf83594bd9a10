package render

import (
	"fmt"
	"math"
	"math/bits"

	"visator/core/geom"
	"visator/core/model"
)

// Mesh is the triangles of one model mesh. Many instances share it.
type Mesh struct {
	Box    geom.Box
	parts  []meshPart
	count  int        // triangles
	nodes  []wideNode // the structure is there once build was called
	blocks []block    // in the order of the nodes
}

// block is the triangles of a leaf as the intersection test wants them, all at
// once: for each axis a corner and two edges of each.
type block struct {
	v, e1, e2 [3][leafSize]float32
	// Triangle number within the mesh, with alphaBit where a hit may be let
	// through; or noTriangle.
	id [leafSize]uint32
}

// alphaBit is above every triangle number.
const alphaBit = 1 << 30

// meshPart is a run of triangles with one surface.
type meshPart struct {
	first   uint32 // number of its first triangle
	part    *model.Part
	surface *Surface
	alpha   bool // hits may be let through
	// In a merged mesh only:
	world    *geom.M
	instance int32
	local    uint32 // number of its first triangle in the instance's own mesh
}

// corners are the places of triangle t of the part.
func (mp *meshPart) corners(t uint32) (a, b, c [3]float32) {
	idx := mp.part.Indices[3*t : 3*t+3 : 3*t+3]
	pos := mp.part.Positions
	i, j, k := 3*idx[0], 3*idx[1], 3*idx[2]
	a, b, c = [3]float32(pos[i:i+3]), [3]float32(pos[j:j+3]), [3]float32(pos[k:k+3])
	if mp.world != nil {
		a, b, c = mp.carry(a), mp.carry(b), mp.carry(c)
	}
	return
}

func (mp *meshPart) carry(p [3]float32) [3]float32 {
	return f32(mp.world.Point(geom.V{X: float64(p[0]), Y: float64(p[1]), Z: float64(p[2])}))
}

// newMesh gathers the triangles of a mesh. surfaces are those of its model; a
// part without one gets fallback.
func newMesh(m *model.Mesh, surfaces []*Surface, fallback *Surface) (*Mesh, error) {
	out := &Mesh{Box: geom.Empty()}
	for i := range m.Parts {
		p := &m.Parts[i]
		if p.Triangles() == 0 {
			continue
		}
		s := fallback
		if p.Surface != model.None {
			s = surfaces[p.Surface]
		}
		out.parts = append(out.parts, meshPart{first: uint32(out.count), part: p, surface: s, alpha: s.seeThrough()})
		out.count += p.Triangles()
		out.Box = out.Box.Union(p.Bounds(&geom.Identity))
	}
	if out.count > leafFirst {
		return nil, fmt.Errorf("mesh %q has %d triangles; split it", m.Name, out.count)
	}
	return out, nil
}

// build makes the structure on threads threads, unless it is there.
func (m *Mesh) build(threads int) {
	if m.nodes != nil {
		return
	}
	refs := make([]primRef, m.count)
	for i := range m.parts {
		mp := &m.parts[i]
		for t := range uint32(mp.part.Triangles()) {
			p, q, r := mp.corners(t)
			var lo, hi [3]float32
			for a := range lo {
				lo[a], hi[a] = min(p[a], q[a], r[a]), max(p[a], q[a], r[a])
			}
			id := mp.first + t
			refs[id] = newRef(lo, hi, id)
		}
	}
	t := buildTree(refs, threads)
	m.nodes = widen(&t)
	m.blocks = make([]block, 0, m.count/2+1)
	for i := range m.nodes {
		for k, c := range m.nodes[i].child {
			if c&leafBit == 0 || c == leafBit {
				continue
			}
			first := c & leafFirst
			m.nodes[i].child[k] = leafBit | 1<<leafShift | uint32(len(m.blocks))
			m.blocks = append(m.blocks, m.block(t.order[first:first+c&^leafBit>>leafShift]))
		}
	}
}

// block gathers the triangles of a leaf. Places that stay empty hold triangles
// without extent, which nothing hits.
func (m *Mesh) block(ids []uint32) (b block) {
	for i := range b.id {
		b.id[i] = noTriangle
	}
	for i, id := range ids {
		mp := m.partOf(id)
		v, p, q := mp.corners(id - mp.first)
		if b.id[i] = id; mp.alpha {
			b.id[i] |= alphaBit
		}
		for a := range v {
			b.v[a][i], b.e1[a][i], b.e2[a][i] = v[a], p[a]-v[a], q[a]-v[a]
		}
	}
	return b
}

// partOf finds the part that holds triangle id.
func (m *Mesh) partOf(id uint32) *meshPart {
	lo, hi := 0, len(m.parts)-1
	for lo < hi {
		mid := (lo + hi + 1) / 2
		if m.parts[mid].first <= id {
			lo = mid
		} else {
			hi = mid - 1
		}
	}
	return &m.parts[lo]
}

// meshHit is where a ray meets a mesh; u and v are barycentric coordinates
// of the second and third corner.
type meshHit struct {
	id   uint32
	u, v float32
}

// closest finds the nearest hit before r.t (or any, when r.any is set) and
// shortens r.t to it. pass, unless nil, is asked whether a see-through part
// lets the ray through; skip is a
// triangle that is not hit (the one that the ray leaves), or noTriangle.
func (m *Mesh) closest(r *ray32, h *meshHit, skip uint32, pass *passing) bool {
	if len(m.blocks) == 0 {
		return false
	}
	var room [stackSize]waiting
	stack := room[:]
	var enter [8]float32
	found := false
	top := 1 // the root, entered at once
	for top > 0 {
		top--
		if stack[top].t >= r.t {
			continue
		}
		at := stack[top].at
		for {
			if at&leafBit != 0 {
				if m.leaf(r, h, at&leafFirst, at&^leafBit>>leafShift, skip, pass) {
					if found = true; r.any {
						return true
					}
				}
				break
			}
			n := &m.nodes[at]
			mask := boxes(n, r, &enter)
			if mask == 0 {
				break
			}
			if len(stack)-top < 8 {
				stack = append(stack, make([]waiting, stackSize)...)
			}
			k := bits.TrailingZeros32(mask)
			mask &= mask - 1
			at = n.child[k&7]
			if mask == 0 {
				continue
			}
			// Of several children the nearest is next, the others wait in
			// order of distance.
			t, base := enter[k&7], top
			for ; mask != 0; mask &= mask - 1 {
				k = bits.TrailingZeros32(mask)
				c, ct := n.child[k&7], enter[k&7]
				if ct < t {
					c, ct, at, t = at, t, c, ct
				}
				i := top
				for ; i > base && stack[i-1].t < ct; i-- {
					stack[i] = stack[i-1]
				}
				stack[i].at, stack[i].t = c, ct
				top++
			}
		}
	}
	return found
}

// waiting is a node that a ray will enter at t, unless it hits before.
type waiting struct {
	at uint32
	t  float32
}

const noTriangle = math.MaxUint32

// leaf tests the triangles of n blocks.
func (m *Mesh) leaf(r *ray32, h *meshHit, at, n, skip uint32, pass *passing) bool {
	found := false
	var met blockHits
	for i := at; i < at+n; i++ {
		b := &m.blocks[i]
		for mask := b.meet(r, &met); mask != 0; mask &= mask - 1 {
			k := bits.TrailingZeros8(mask) & (leafSize - 1)
			id := b.id[k] &^ alphaBit
			if met.t[k] >= r.t || id == skip {
				continue
			}
			if pass != nil && b.id[k]&alphaBit != 0 && pass.lets(m.partOf(id), id, met.u[k], met.v[k]) {
				continue
			}
			r.t = met.t[k]
			h.id, h.u, h.v = id, met.u[k], met.v[k]
			if found = true; r.any {
				return true
			}
		}
	}
	return found
}

// blockHits are where a ray meets the triangles of a block.
type blockHits struct{ t, u, v [leafSize]float32 }

// The barycentric coordinates may be off by a rounding, so that no ray slips
// through between two triangles.
const (
	uvLow  = -1e-7
	uvHigh = 1.0000002
)

// meetPortable tests all triangles; bit k of the result says that the ray
// meets triangle k before r.t (Möller and Trumbore, Fast, Minimum Storage Ray
// / Triangle Intersection, 1997).
func (b *block) meetPortable(r *ray32, met *blockHits) (mask uint8) {
	for k := range leafSize {
		e1x, e1y, e1z := b.e1[0][k], b.e1[1][k], b.e1[2][k]
		e2x, e2y, e2z := b.e2[0][k], b.e2[1][k], b.e2[2][k]
		px, py, pz := r.d[1]*e2z-r.d[2]*e2y, r.d[2]*e2x-r.d[0]*e2z, r.d[0]*e2y-r.d[1]*e2x
		inv := 1 / (e1x*px + e1y*py + e1z*pz)
		sx, sy, sz := r.o[0]-b.v[0][k], r.o[1]-b.v[1][k], r.o[2]-b.v[2][k]
		u := (sx*px + sy*py + sz*pz) * inv
		if !(u >= uvLow && u <= uvHigh) { // also where the edges span nothing
			continue
		}
		qx, qy, qz := sy*e1z-sz*e1y, sz*e1x-sx*e1z, sx*e1y-sy*e1x
		v := (r.d[0]*qx + r.d[1]*qy + r.d[2]*qz) * inv
		t := (e2x*qx + e2y*qy + e2z*qz) * inv
		if v >= uvLow && u+v <= uvHigh && t > r.tmin && t < r.t {
			mask |= 1 << k
			met.t[k], met.u[k], met.v[k] = t, u, v
		}
	}
	return mask
}
