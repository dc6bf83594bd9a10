package bvh

import (
	"unsafe"

	"golang.org/x/sys/unix"
)

// Huge asks the system to keep a large list in pages of 2 MB: rays go to and fro in it, and would look up another small
// page at nearly every step. What the system makes of it changes no value.
func Huge[T any](list []T) {
	const page = 2 << 20
	size := uintptr(cap(list)) * unsafe.Sizeof(*new(T))
	if size < 2*page {
		return
	}
	start := unsafe.Pointer(unsafe.SliceData(list))
	from := uintptr(start)
	first, last := (from+page-1)&^(page-1), (from+size)&^(page-1)
	if last > first { // it is only slower without
		_ = unix.Madvise(unsafe.Slice((*byte)(unsafe.Add(start, first-from)), last-first), unix.MADV_HUGEPAGE)
	}
}
