//go:build !goexperiment.simd || !amd64

package text

// plain reads nothing here: where there are no wide registers the numbers are
// read one by one.
func plain(_ []byte, i int, out []float32, _ int, _ bool) ([]float32, int) { return out, i }
