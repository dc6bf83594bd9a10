//go:build !(goexperiment.simd && amd64)

package bvh

// Meet tests the eight boxes of a node.
func (n *Node) Meet(r *Ray, enter *[8]float32) uint32 { return n.meetPortable(r, enter) }

func spread(refs []Ref, all, cen *bounds32) { spreadPortable(refs, all, cen) }

func (s *bins) fill(refs []Ref) { s.fillPortable(refs) }

func (s *bins) divide(refs []Ref, best int, cenL, cenR *bounds32) int {
	return s.dividePortable(refs, best, cenL, cenR)
}

// Meet tests all triangles of a block.
func (b *Block) Meet(r *Ray, met *Hits) uint8 { return b.meetPortable(r, met) }
