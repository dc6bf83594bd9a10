//go:build !amd64

package bvh

// next goes on until something is met.
func next(list []*Walk, at int) (which int, step Step) { return at, list[at].nextPortable() }
