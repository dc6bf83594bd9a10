//go:build !amd64

package bvh

// Wide says whether rays go by vector instructions.
func Wide() bool { return false }

// Plainly makes rays go by plain code, to measure it, and returns what makes them go as before.
func Plainly() (back func()) { return func() {} }

// Meet tests the eight boxes of a node; bit k of the result says that the ray meets box k, and enter[k] where.
func (n *Node) Meet(r *Ray, enter *[8]float32) uint32 { return n.meetPortable(r, enter) }
