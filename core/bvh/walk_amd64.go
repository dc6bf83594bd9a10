package bvh

// walk goes on with a walk until a block is met, nothing waits any more or there is no room; see walk_amd64.s.
//
//go:noescape
func walk(w *Walk) uint32

// Next goes on until something is met.
func (w *Walk) Next() Step {
	if !wide {
		return w.nextPortable()
	}
	return Step(walk(w))
}
