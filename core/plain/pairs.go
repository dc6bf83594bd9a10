package plain

// Pairs finds for each of two lists which of the other it is equal to, or -1: equal ones in their order, each once.
func Pairs[T comparable](was, is []T) (now, before []int) {
	now, before = make([]int, len(was)), make([]int, len(is))
	free := map[T][]int{}
	for i := len(was) - 1; i >= 0; i-- { // so that the first is taken first
		now[i] = -1
		free[was[i]] = append(free[was[i]], i)
	}
	for i, v := range is {
		list := free[v]
		if before[i] = -1; len(list) > 0 {
			at := list[len(list)-1]
			now[at], before[i], free[v] = i, at, list[:len(list)-1]
		}
	}
	return now, before
}
