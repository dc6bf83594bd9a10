//go:build !(goexperiment.simd && amd64)

package bvh

func spread(refs []Ref, all, cen *bounds32) { spreadPortable(refs, all, cen) }

func (s *bins) fill(refs []Ref) { s.fillPortable(refs) }

func (s *bins) sides(count int) (best int, left, right bounds32) { return s.sidesPortable(count) }

func (s *bins) divide(refs []Ref, best int, cenL, cenR *bounds32) int {
	return s.dividePortable(refs, best, cenL, cenR)
}

func cut(refs []Ref) (mid int, left, right, cenL, cenR bounds32) { return cutPortable(refs) }
