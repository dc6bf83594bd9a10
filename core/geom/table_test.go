package geom

import (
	"math"
	"testing"
)

// Between entries a table is a straight line, and beyond its ends it stays.
func TestRow(t *testing.T) {
	table := []float64{1, 3, 2}
	for x, want := range map[float64]float64{-1: 1, 0: 1, 0.25: 2, 0.5: 3, 0.75: 2.5, 1: 2, 7: 2} {
		if got := Row(table, x); got != want {
			t.Errorf("at %v: %v, want %v", x, got, want)
		}
	}
}

// What is drawn by the cosine lies on the side of its normal, and its cosines are 2/3 on the mean: ∫cos²/π over the half
// space.
func TestCosine(t *testing.T) {
	n := V{X: 1, Y: -2, Z: 3}.Unit()
	sum := 0.0
	const many = 100
	for i := range many * many {
		d := Cosine(n, (float64(i%many)+0.5)/many, (float64(i/many)+0.5)/many)
		if math.Abs(d.Len()-1) > 1e-12 || d.Dot(n) < 0 {
			t.Fatalf("%v", d)
		}
		sum += d.Dot(n) / (many * many)
	}
	if math.Abs(sum-2.0/3) > 1e-4 {
		t.Errorf("mean cosine %v", sum)
	}
}
