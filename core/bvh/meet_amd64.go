package bvh

import "golang.org/x/sys/cpu"

// wide says that rays meet eight boxes, and four triangles, with one instruction each step: where the processor has
// those of AVX2 and FMA. It is not asked of the toolchain: the few instructions are written out.
var wide = cpu.X86.HasAVX2 && cpu.X86.HasFMA

// Wide says whether rays go by vector instructions.
func Wide() bool { return wide }

// Plainly makes rays go by plain code, to measure it, and returns what makes them go as before.
func Plainly() (back func()) {
	was := wide
	wide = false
	return func() { wide = was }
}

//go:noescape
func meetWide(n *Node, r *Ray, enter *[8]float32) uint32

// Meet tests the eight boxes of a node; bit k of the result says that the ray meets box k, and enter[k] where.
func (n *Node) Meet(r *Ray, enter *[8]float32) uint32 {
	if !wide {
		return n.meetPortable(r, enter)
	}
	return meetWide(n, r, enter)
}
