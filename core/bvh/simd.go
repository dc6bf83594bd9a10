//go:build goexperiment.simd && amd64

package bvh

import "simd/archsimd"

var wideSIMD = archsimd.X86.AVX2() && archsimd.X86.FMA()

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
