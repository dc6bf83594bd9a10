package takes

import (
	"slices"
	"testing"
)

// Every frame is made once; the ends first, then what lies widest apart.
func TestFramesAreMadeEarly(t *testing.T) {
	for n := range 200 {
		order := early(n)
		all := slices.Clone(order)
		slices.Sort(all)
		if len(all) != n || n > 0 && (all[0] != 0 || all[n-1] != n-1 || len(slices.Compact(all)) != n) {
			t.Fatalf("of %d frames: %v", n, order)
		}
	}
	if got := early(9); !slices.Equal(got, []int{0, 8, 4, 2, 6, 1, 3, 5, 7}) {
		t.Errorf("of nine frames: %v", got)
	}
	// After k frames no gap is wider than twice the narrowest that k can leave.
	order := early(257)
	for k := 2; k < 257; k++ {
		made := slices.Clone(order[:k])
		slices.Sort(made)
		widest := 0
		for i := 1; i < k; i++ {
			widest = max(widest, made[i]-made[i-1])
		}
		if least := (256 + k - 2) / (k - 1); widest > 2*least {
			t.Fatalf("after %d frames a gap of %d is left, %d could be", k, widest, least)
		}
	}
}
