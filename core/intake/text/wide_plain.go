//go:build !goexperiment.simd || !amd64

package text

// plain reads nothing here: where there are no wide registers the numbers are
// read one by one.
func plain(d []byte, out []float32) ([]float32, int) { return out, 0 }
