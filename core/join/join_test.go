package join

import (
	"math/rand/v2"
	"testing"
)

// What is joined at random hangs together as it does when every pair of names is changed
// one by one; a set is named by its lowest.
func TestSetsHangTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 50 {
		n := 1 + r.IntN(60)
		s, names := New(n), make([]int, n)
		for i := range names {
			names[i] = i
		}
		for range r.IntN(2 * n) {
			a, b := r.IntN(n), r.IntN(n)
			s.Join(uint32(a), uint32(b))
			for i, from, to := 0, max(names[a], names[b]), min(names[a], names[b]); i < n; i++ {
				if names[i] == from {
					names[i] = to
				}
			}
		}
		for i, want := range names {
			if got := s.Find(uint32(i)); int(got) != want {
				t.Fatalf("%d is in the set of %d, not of %d", i, got, want)
			}
		}
	}
}
