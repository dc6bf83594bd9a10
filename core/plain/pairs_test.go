package plain

import (
	"slices"
	"testing"
)

// Equal ones are paired in their order, each with one; what is nowhere else is alone.
func TestPairs(t *testing.T) {
	now, before := Pairs([]string{"a", "b", "a", "c", "a"}, []string{"a", "d", "a", "c", "c"})
	if !slices.Equal(now, []int{0, -1, 2, 3, -1}) || !slices.Equal(before, []int{0, -1, 2, 3, -1}) {
		t.Errorf("%v, %v", now, before)
	}
	if now, before := Pairs([]int{}, []int{}); len(now)+len(before) != 0 {
		t.Error("nothing is paired with something")
	}
	now, before = Pairs([]float64{1, 2, 3}, []float64{3, 2, 1})
	if !slices.Equal(now, []int{2, 1, 0}) || !slices.Equal(before, []int{2, 1, 0}) {
		t.Errorf("turned about: %v, %v", now, before)
	}
}
