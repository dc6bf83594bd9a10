// Package join tells what hangs together: sets that are joined two by two (Tarjan and van
// Leeuwen, Worst-Case Analysis of Set Union Algorithms, 1984: paths are halved).
package join

// Sets are things numbered from 0, each in a set of its own at first.
type Sets []uint32

// New is n sets of one thing each.
func New(n int) Sets {
	s := make(Sets, n)
	for i := range s {
		s[i] = uint32(i)
	}
	return s
}

// Find names the set of a thing by one thing in it, the same for all of them: the one
// with the lowest number.
func (s Sets) Find(i uint32) uint32 {
	for s[i] != i {
		s[i] = s[s[i]]
		i = s[i]
	}
	return i
}

// Join makes the sets of two things one.
func (s Sets) Join(i, j uint32) {
	x, y := s.Find(i), s.Find(j)
	s[max(x, y)] = min(x, y)
}
