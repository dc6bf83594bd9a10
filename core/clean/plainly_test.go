//go:build amd64

package clean

import (
	"testing"
	"unsafe"

	"visator/core/bvh"
)

// plainly does something by plain code.
func plainly(do func()) {
	defer bvh.Plainly()()
	do()
}

// What is written in assembler knows where the fields of planes lie.
func TestFieldsLieWhereTheyAreRead(t *testing.T) {
	var p planes
	for name, at := range map[string][2]uintptr{"albedo": {unsafe.Offsetof(p.albedo), 24},
		"near": {unsafe.Offsetof(p.near), 48}, "light": {unsafe.Offsetof(p.light), 56},
		"variance": {unsafe.Offsetof(p.variance), 80}, "luma": {unsafe.Offsetof(p.luma), 88},
		"sharp": {unsafe.Offsetof(p.sharp), 96}, "sums": {unsafe.Offsetof(p.sums), 104},
		"weight": {unsafe.Offsetof(p.weight), 144}, "kernel": {unsafe.Offsetof(p.kernel), 152},
		"nearness": {unsafe.Offsetof(p.nearness), 156}} {
		if at[0] != at[1] {
			t.Errorf("%s lies at %d, it is read at %d", name, at[0], at[1])
		}
	}
}
