//go:build !amd64

package bvh

// Next goes on until something is met.
func (w *Walk) Next() Step { return w.nextPortable() }
