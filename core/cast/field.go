package cast

import (
	"unsafe"

	"visator/core/bvh"
	"visator/core/geom"
)

// Field is what rays meet: stands, and the structure above them. It is built once; then any number of goroutines send
// rays into it.
type Field struct {
	Stands []Stand
	First  []uint32 // for each instance its first triangle in the merged mesh, or bvh.NoTriangle
	nodes  []bvh.Node
	order  []uint32  // stands in the order of the leaves
	boxes  []bvh.Box // of each of those
}

// Stand is something that a ray can be sent into: an instance, or the merged mesh.
type Stand struct {
	Tree     *Tree
	Box      geom.Box // in the scene
	Inv      geom.M   // from the scene into its own space; of the merged mesh that is the scene's
	Instance int32    // or Merged
	as       bool     // Inv changes nothing
}

// Build makes the structure above the stands.
func (f *Field) Build() {
	refs := make([]bvh.Ref, len(f.Stands))
	boxes := make([]bvh.Box, len(refs))
	for i := range refs {
		st := &f.Stands[i]
		st.as = st.Inv == geom.Identity
		// Boxes are float32: pad by the rounding of coordinates that large.
		box := &st.Box
		pad := 4e-7 * max(-box.Min.X, -box.Min.Y, -box.Min.Z, box.Max.X, box.Max.Y, box.Max.Z)
		var lo, hi [3]float32
		for k := range lo {
			lo[k], hi[k] = float32(box.Min.At(k)-pad), float32(box.Max.At(k)+pad)
		}
		boxes[i] = bvh.Box{Lo: lo, Hi: hi}
		refs[i] = bvh.NewRef(lo, hi, uint32(i))
	}
	f.nodes, f.order = bvh.Build(refs, 1)
	f.boxes = make([]bvh.Box, len(f.order))
	for i, k := range f.order {
		f.boxes[i] = boxes[k]
	}
}

// Tree is the structure of a mesh.
type Tree struct {
	nodes  []bvh.Node
	blocks []bvh.Block // in the order of the nodes
}

// AsksBit is above every triangle number of a block: a hit may be let through.
const AsksBit = 1 << 30

// NewTree builds the structure over primitives, triangles by their numbers and boxes, on threads threads; block gathers
// the triangles of a leaf, at most bvh.LeafSize.
func NewTree(refs []bvh.Ref, threads int, block func(ids []uint32) bvh.Block) *Tree {
	t := &Tree{}
	nodes, order := bvh.Build(refs, threads)
	t.nodes = nodes
	leaves := 0
	for i := range nodes {
		for _, c := range nodes[i].Child {
			if c&bvh.LeafBit != 0 && c != bvh.LeafBit {
				leaves++
			}
		}
	}
	t.blocks = make([]bvh.Block, 0, leaves)
	bvh.Huge(t.blocks)
	for i := range nodes {
		for k, c := range nodes[i].Child {
			if c&bvh.LeafBit == 0 || c == bvh.LeafBit {
				continue
			}
			first := c & bvh.LeafFirst
			nodes[i].Child[k] = bvh.LeafBit | 1<<bvh.LeafShift | uint32(len(t.blocks))
			t.blocks = append(t.blocks, block(order[first:first+c&^bvh.LeafBit>>bvh.LeafShift]))
		}
	}
	return t
}

// Like is the structure of the same triangles of which others may let light through, as asks tells.
func (t *Tree) Like(asks func(triangle uint32) bool) *Tree {
	return t.changed(func(b *bvh.Block, k int, id uint32) {
		if asks(id) {
			id |= AsksBit
		}
		b.ID[k] = id
	})
}

// Without is the structure without some of its triangles, whose places stay empty.
func (t *Tree) Without(gone func(triangle uint32) bool) *Tree {
	return t.changed(func(b *bvh.Block, k int, id uint32) {
		if !gone(id) {
			return
		}
		b.ID[k] = bvh.NoTriangle
		for a := range b.V {
			b.V[a][k], b.E1[a][k], b.E2[a][k] = 0, 0, 0
		}
	})
}

// changed is a structure of the same boxes, once each triangle, by its place in a block and its number, was changed.
func (t *Tree) changed(each func(b *bvh.Block, k int, id uint32)) *Tree {
	list := make([]bvh.Block, len(t.blocks))
	copy(list, t.blocks)
	for i := range list {
		for k, id := range list[i].ID {
			if id != bvh.NoTriangle {
				each(&list[i], k, id&^AsksBit)
			}
		}
	}
	return &Tree{t.nodes, list}
}

// Bytes is what the structure takes in memory.
func (t *Tree) Bytes() int {
	return cap(t.nodes)*int(unsafe.Sizeof(bvh.Node{})) + cap(t.blocks)*int(unsafe.Sizeof(bvh.Block{}))
}

// Blocks are the triangles of the structure.
func (t *Tree) Blocks() []bvh.Block { return t.blocks }
