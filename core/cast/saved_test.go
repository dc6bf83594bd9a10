package cast

import (
	"bytes"
	"hash/crc32"
	"math/rand/v2"
	"testing"

	"visator/core/bvh"
)

// some is a structure of triangles by chance.
func some(n int) *Tree {
	r := rand.New(rand.NewPCG(4, uint64(n)))
	refs := make([]bvh.Ref, n)
	corners := make([][3]float32, n)
	for i := range refs {
		c := [3]float32{r.Float32(), r.Float32(), r.Float32()}
		corners[i] = c
		refs[i] = bvh.NewRef(c, [3]float32{c[0] + 0.1, c[1] + 0.1, c[2]}, uint32(i))
	}
	return NewTree(refs, 1, func(ids []uint32) (b bvh.Block) {
		for k := range b.ID {
			b.ID[k] = bvh.NoTriangle
		}
		for k, id := range ids {
			b.ID[k] = id
			for a := range b.V {
				b.V[a][k] = corners[id][a]
			}
			b.E1[0][k], b.E2[1][k] = 0.1, 0.1
		}
		return b
	})
}

// TestSavedIsTheSame: what is read has the nodes and blocks of what was saved, bit by bit.
func TestSavedIsTheSame(t *testing.T) {
	for _, n := range []int{0, 1, 5, 3000} {
		was := some(n)
		var b bytes.Buffer
		if err := was.Save(&b); err != nil {
			t.Fatal(err)
		}
		if int64(b.Len()) != was.SavedBytes() {
			t.Errorf("%d bytes were written, %d said", b.Len(), was.SavedBytes())
		}
		is, err := Saved(bytes.NewReader(b.Bytes()), int64(b.Len()))
		if err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(bytesOf(is.nodes), bytesOf(was.nodes)) || !bytes.Equal(bytesOf(is.blocks), bytesOf(was.blocks)) {
			t.Errorf("of %d triangles something else is read", n)
		}
	}
}

// FuzzSaved holds whatever a file is: nothing is taken that leads out of what is there.
func FuzzSaved(f *testing.F) {
	var b bytes.Buffer
	if err := some(40).Save(&b); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes(), false)
	f.Add(b.Bytes()[:30], true)
	far := bytes.Clone(b.Bytes())
	far[len(some(40).head())+96] = 0x77 // the low byte of a child
	f.Add(far, true)
	f.Fuzz(func(t *testing.T, raw []byte, summed bool) {
		if summed && len(raw) > savedEnd { // as if it had been written so
			sum := crc32.Checksum(raw[:len(raw)-savedEnd], savedTable)
			raw = append(bytes.Clone(raw[:len(raw)-savedEnd]), byte(sum), byte(sum>>8), byte(sum>>16), byte(sum>>24))
		}
		tree, err := Saved(bytes.NewReader(raw), int64(len(raw)))
		if err == nil && tree.check() != nil {
			t.Error("a child that is not there is taken")
		}
	})
}
