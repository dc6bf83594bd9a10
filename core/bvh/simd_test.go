//go:build goexperiment.simd && amd64

package bvh

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Structures are the same whichever way they are built, lists of a few and of many, with boxes that lie in one place.
func TestBothWaysBuildTheSame(t *testing.T) {
	if !wideSIMD {
		t.Skip("this machine has one way")
	}
	defer func() { wideSIMD = true }()
	r := rand.New(rand.NewPCG(21, 22))
	for _, n := range []int{1, 4, 5, 31, 32, 33, 200, 5000} {
		refs := make([]Ref, n)
		for i := range refs {
			var lo, hi [3]float32
			for a := range lo {
				lo[a] = float32(r.IntN(9)) - 4 + float32(r.IntN(2))*r.Float32() // many share a centre
				hi[a] = lo[a] + r.Float32()
			}
			refs[i] = NewRef(lo, hi, uint32(i))
		}
		wideSIMD = true
		nodes, order := Build(slices.Clone(refs), 1)
		wideSIMD = false
		plain, plainOrder := Build(slices.Clone(refs), 1)
		if !slices.Equal(nodes, plain) || !slices.Equal(order, plainOrder) {
			t.Errorf("%d boxes: the two ways build %d and %d nodes that are not the same", n, len(nodes), len(plain))
		}
	}
}
