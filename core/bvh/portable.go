//go:build !(goexperiment.simd && amd64)

package render

func boxes(n *wideNode, r *ray32, enter *[8]float32) uint32 { return boxesPortable(n, r, enter) }

func spread(refs []primRef, all, cen *bounds32) { spreadPortable(refs, all, cen) }

func (s *bins) fill(refs []primRef) { s.fillPortable(refs) }

func (s *bins) divide(refs []primRef, best int, cenL, cenR *bounds32) int {
	return s.dividePortable(refs, best, cenL, cenR)
}

func (b *block) meet(r *ray32, met *blockHits) uint8 { return b.meetPortable(r, met) }
