//go:build !amd64

package clean

// run adds the tap to the pixels from x = from to before to.
func (t *tap) run(from, to int) { t.runPortable(from, to) }
