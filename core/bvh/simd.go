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

// sides finds after which bin it is best to divide so many primitives, and the boxes of both sides; -1: nowhere.
func (s *bins) sides(count int) (best int, left, right bounds32) {
	if !wideSIMD {
		return s.sidesPortable(count)
	}
	var onRight [binCount]bounds32
	none := emptyBounds()
	empty := archsimd.LoadFloat32x8((*[8]float32)(&none))
	acc := empty
	for i := s.n - 1; i > 0; i-- {
		acc = acc.Max(archsimd.LoadFloat32x8((*[8]float32)(&s.box[i])))
		acc.Store((*[8]float32)(&onRight[i]))
	}
	acc = empty
	var onLeft bounds32
	best, least, n := -1, Inf, 0
	for i := range s.n - 1 {
		acc = acc.Max(archsimd.LoadFloat32x8((*[8]float32)(&s.box[i])))
		n += int(s.count[i])
		if n == 0 || n == count {
			continue
		}
		acc.Store((*[8]float32)(&onLeft))
		if cost := onLeft.area()*blocks(n) + onRight[i+1].area()*blocks(count-n); cost < least {
			best, least, left, right = i, cost, onLeft, onRight[i+1]
		}
	}
	archsimd.ClearAVXUpperBits()
	return best, left, right
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

// cut is behind how many primitives of a list, a number that fills blocks, it is best to divide it, and the boxes of
// both sides and of their centres; -1: nowhere.
func cut(refs []Ref) (mid int, left, right, cenL, cenR bounds32) {
	if !wideSIMD {
		return cutPortable(refs)
	}
	var onRight [few / LeafSize]bounds32
	none := emptyBounds()
	empty := archsimd.LoadFloat32x8((*[8]float32)(&none))
	acc := empty
	for i := len(refs) - 1; i >= LeafSize; i-- {
		if acc = acc.Max(archsimd.LoadFloat32x8((*[8]float32)(&refs[i]))); i%LeafSize == 0 {
			acc.Store((*[8]float32)(&onRight[i/LeafSize]))
		}
	}
	acc = empty
	var onLeft bounds32
	mid, least := -1, Inf
	for i := LeafSize; i < len(refs); i += LeafSize {
		for k := i - LeafSize; k < i; k++ {
			acc = acc.Max(archsimd.LoadFloat32x8((*[8]float32)(&refs[k])))
		}
		acc.Store((*[8]float32)(&onLeft))
		r := &onRight[i/LeafSize]
		if cost := onLeft.area()*blocks(i) + r.area()*blocks(len(refs)-i); cost < least {
			mid, least, left, right = i, cost, onLeft, *r
		}
	}
	l, r := empty, empty
	for i := range refs {
		v := archsimd.LoadFloat32x8((*[8]float32)(&refs[i]))
		if v = v.Sub(v.Select128FromPair(1, 0, v)); i < mid {
			l = l.Max(v)
		} else {
			r = r.Max(v)
		}
	}
	l.Store((*[8]float32)(&cenL))
	r.Store((*[8]float32)(&cenR))
	archsimd.ClearAVXUpperBits()
	return mid, left, right, cenL, cenR
}
