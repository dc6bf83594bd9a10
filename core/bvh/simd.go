//go:build goexperiment.simd && amd64

package bvh

import "simd/archsimd"

var wideSIMD = archsimd.X86.AVX2() && archsimd.X86.FMA()

// row widens the eight bytes at a place of the grid to floats.
func row(n *Node, at uint) archsimd.Float32x8 {
	return archsimd.LoadUint8x16((*[16]uint8)(n.grid[at : at+16])).ExtendLo8ToUint32().AsInt32x8().ConvertToFloat32()
}

// Meet tests the eight boxes of a node with one instruction each step, where
// the processor has them.
func (n *Node) Meet(r *Ray, enter *[8]float32) uint32 {
	if !wideSIMD {
		return n.meetPortable(r, enter)
	}
	a0, b0 := n.scale[0]*r.inv[0], (n.origin[0]-r.O[0])*r.inv[0]
	a1, b1 := n.scale[1]*r.inv[1], (n.origin[1]-r.O[1])*r.inv[1]
	a2, b2 := n.scale[2]*r.inv[2], (n.origin[2]-r.O[2])*r.inv[2]
	x, y, z := 8*uint(r.near[0]&1), 8*uint(r.near[1]&1), 8*uint(r.near[2]&1)
	a, b := archsimd.BroadcastFloat32x8(a0), archsimd.BroadcastFloat32x8(b0)
	t0 := row(n, x).MulAdd(a, b)
	t1 := row(n, x^8).MulAdd(a, b)
	a, b = archsimd.BroadcastFloat32x8(a1), archsimd.BroadcastFloat32x8(b1)
	t0 = t0.Max(row(n, 16+y).MulAdd(a, b))
	t1 = t1.Min(row(n, 16+y^8).MulAdd(a, b))
	a, b = archsimd.BroadcastFloat32x8(a2), archsimd.BroadcastFloat32x8(b2)
	t0 = t0.Max(row(n, 32+z).MulAdd(a, b))
	t1 = t1.Min(row(n, 32+z^8).MulAdd(a, b))
	t0 = t0.Max(archsimd.BroadcastFloat32x8(r.Min))
	t1 = t1.Mul(archsimd.BroadcastFloat32x8(1.0000004))
	mask := t0.LessEqual(t1).And(t0.Less(archsimd.BroadcastFloat32x8(r.T)))
	t0.Store(enter)
	bits := uint32(mask.ToBits())
	archsimd.ClearAVXUpperBits()
	return bits
}

// Meet tests all triangles of a block at once.
func (b *Block) Meet(r *Ray, met *Hits) uint8 {
	if !wideSIMD {
		return b.meetPortable(r, met)
	}
	dx, dy, dz := archsimd.BroadcastFloat32x4(r.D[0]), archsimd.BroadcastFloat32x4(r.D[1]),
		archsimd.BroadcastFloat32x4(r.D[2])
	e2x, e2y, e2z := archsimd.LoadFloat32x4(&b.E2[0]), archsimd.LoadFloat32x4(&b.E2[1]),
		archsimd.LoadFloat32x4(&b.E2[2])
	px := dy.Mul(e2z).Sub(dz.Mul(e2y))
	py := dz.Mul(e2x).Sub(dx.Mul(e2z))
	pz := dx.Mul(e2y).Sub(dy.Mul(e2x))
	e1x, e1y, e1z := archsimd.LoadFloat32x4(&b.E1[0]), archsimd.LoadFloat32x4(&b.E1[1]),
		archsimd.LoadFloat32x4(&b.E1[2])
	inv := archsimd.BroadcastFloat32x4(1).Div(e1x.Mul(px).Add(e1y.Mul(py)).Add(e1z.Mul(pz)))
	sx := archsimd.BroadcastFloat32x4(r.O[0]).Sub(archsimd.LoadFloat32x4(&b.V[0]))
	sy := archsimd.BroadcastFloat32x4(r.O[1]).Sub(archsimd.LoadFloat32x4(&b.V[1]))
	sz := archsimd.BroadcastFloat32x4(r.O[2]).Sub(archsimd.LoadFloat32x4(&b.V[2]))
	u := sx.Mul(px).Add(sy.Mul(py)).Add(sz.Mul(pz)).Mul(inv)
	qx := sy.Mul(e1z).Sub(sz.Mul(e1y))
	qy := sz.Mul(e1x).Sub(sx.Mul(e1z))
	qz := sx.Mul(e1y).Sub(sy.Mul(e1x))
	v := dx.Mul(qx).Add(dy.Mul(qy)).Add(dz.Mul(qz)).Mul(inv)
	t := e2x.Mul(qx).Add(e2y.Mul(qy)).Add(e2z.Mul(qz)).Mul(inv)
	low := archsimd.BroadcastFloat32x4(uvLow)
	mask := u.GreaterEqual(low).And(v.GreaterEqual(low)).And(u.Add(v).LessEqual(archsimd.BroadcastFloat32x4(uvHigh))).
		And(t.Greater(archsimd.BroadcastFloat32x4(r.Min))).And(t.Less(archsimd.BroadcastFloat32x4(r.T)))
	bits := mask.ToBits()
	if bits != 0 {
		t.Store(&met.T)
		u.Store(&met.U)
		v.Store(&met.V)
	}
	return bits
}

// spread finds the box around all primitives, and around their centres.
func spread(refs []Ref, all, cen *bounds32) {
	if !wideSIMD {
		spreadPortable(refs, all, cen)
		return
	}
	a, c := archsimd.LoadFloat32x8((*[8]float32)(all)), archsimd.LoadFloat32x8((*[8]float32)(cen))
	for i := range refs {
		v := archsimd.LoadFloat32x8((*[8]float32)(&refs[i]))
		a, c = a.Max(v), c.Max(v.Sub(v.Select128FromPair(1, 0, v)))
	}
	a.Store((*[8]float32)(all))
	c.Store((*[8]float32)(cen))
	archsimd.ClearAVXUpperBits()
}

// fill counts the primitives into the bins.
func (s *bins) fill(refs []Ref) {
	if !wideSIMD {
		s.fillPortable(refs)
		return
	}
	for i := range refs {
		k := s.of(&refs[i]) & (binCount - 1)
		s.count[k]++
		box := (*[8]float32)(&s.box[k])
		archsimd.LoadFloat32x8(box).Max(archsimd.LoadFloat32x8((*[8]float32)(&refs[i]))).Store(box)
	}
	archsimd.ClearAVXUpperBits()
}

// divide moves the primitives of bins up to best to the front and returns how
// many they are, and the boxes of both sides' centres.
func (s *bins) divide(refs []Ref, best int, cenL, cenR *bounds32) int {
	if !wideSIMD {
		return s.dividePortable(refs, best, cenL, cenR)
	}
	l, r := archsimd.LoadFloat32x8((*[8]float32)(cenL)), archsimd.LoadFloat32x8((*[8]float32)(cenR))
	i, j := 0, len(refs)-1
	for i <= j {
		at := (*[8]float32)(&refs[i])
		v := archsimd.LoadFloat32x8(at)
		// Lower corner (negated) less upper corner, and the other way round.
		c := v.Sub(v.Select128FromPair(1, 0, v))
		if s.of(&refs[i]) <= best {
			l = l.Max(c)
			i++
		} else {
			r = r.Max(c)
			to := (*[8]float32)(&refs[j])
			archsimd.LoadFloat32x8(to).Store(at)
			v.Store(to)
			j--
		}
	}
	l.Store((*[8]float32)(cenL))
	r.Store((*[8]float32)(cenR))
	archsimd.ClearAVXUpperBits()
	return i
}
