package bvh

// walks goes on with walks in turns, the one at number at first, until one of them meets a block, has nothing that
// waits any more or no room; see walk_amd64.s.
//
//go:noescape
func walks(list **Walk, n, at int) (which int, step uint32)

// next goes on until something is met.
func next(list []*Walk, at int) (which int, step Step) {
	if !wide {
		return at, list[at].nextPortable()
	}
	which, s := walks(&list[0], len(list), at)
	return which, Step(s)
}
