package cast

import (
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"io"
	"unsafe"

	"visator/core/bvh"
)

// A structure on disk: a head, then its nodes and blocks as they lie in memory, and a sum of all of it. It is no form
// to exchange: a program that lays them out in another way does not read it.
const (
	savedMark = "visator structure 1\n"
	savedEnd  = 4
	// mostSaved bounds what is taken into memory of a file: there are no more blocks than triangles.
	mostSaved = bvh.LeafFirst
)

var savedTable = crc32.MakeTable(crc32.Castagnoli)

// head is what a file begins with.
func (t *Tree) head() []byte {
	b := []byte(savedMark)
	b = binary.NativeEndian.AppendUint32(b, uint32(unsafe.Sizeof(bvh.Node{})))
	b = binary.NativeEndian.AppendUint32(b, uint32(unsafe.Sizeof(bvh.Block{})))
	b = binary.NativeEndian.AppendUint64(b, uint64(len(t.nodes)))
	return binary.NativeEndian.AppendUint64(b, uint64(len(t.blocks)))
}

// bytesOf are those of a list as it lies in memory.
func bytesOf[T any](list []T) []byte {
	if len(list) == 0 {
		return nil
	}
	return unsafe.Slice((*byte)(unsafe.Pointer(&list[0])), len(list)*int(unsafe.Sizeof(list[0])))
}

// Save writes the structure.
func (t *Tree) Save(w io.Writer) error {
	sum := uint32(0)
	for _, b := range [][]byte{t.head(), bytesOf(t.nodes), bytesOf(t.blocks)} {
		sum = crc32.Update(sum, savedTable, b)
		if _, err := w.Write(b); err != nil {
			return err
		}
	}
	_, err := w.Write(binary.NativeEndian.AppendUint32(nil, sum))
	return err
}

// SavedBytes is how long what Save writes is.
func (t *Tree) SavedBytes() int64 {
	return int64(len(t.head()) + len(bytesOf(t.nodes)) + len(bytesOf(t.blocks)) + savedEnd)
}

// Saved reads a structure of so many bytes that was saved: an error tells of anything that is not just what Save wrote
// on a machine such as this.
func Saved(r io.Reader, size int64) (*Tree, error) {
	t := &Tree{}
	head := make([]byte, len(t.head()))
	if _, err := io.ReadFull(r, head); err != nil {
		return nil, fmt.Errorf("a structure has no head: %w", err)
	}
	nodes := binary.NativeEndian.Uint64(head[len(head)-16:])
	blocks := binary.NativeEndian.Uint64(head[len(head)-8:])
	if nodes > mostSaved || blocks > mostSaved || int64(len(head))+int64(nodes)*int64(unsafe.Sizeof(bvh.Node{}))+
		int64(blocks)*int64(unsafe.Sizeof(bvh.Block{}))+savedEnd != size {
		return nil, fmt.Errorf("a structure of %d bytes is to have %d nodes and %d blocks", size, nodes, blocks)
	}
	t.nodes, t.blocks = make([]bvh.Node, nodes), make([]bvh.Block, blocks)
	bvh.Huge(t.nodes)
	bvh.Huge(t.blocks)
	if string(t.head()) != string(head) {
		return nil, fmt.Errorf("a structure has another form than this program's")
	}
	sum := crc32.Update(0, savedTable, head)
	for _, b := range [][]byte{bytesOf(t.nodes), bytesOf(t.blocks)} {
		if _, err := io.ReadFull(r, b); err != nil {
			return nil, fmt.Errorf("a structure ends early: %w", err)
		}
		sum = crc32.Update(sum, savedTable, b)
	}
	end := make([]byte, savedEnd)
	if _, err := io.ReadFull(r, end); err != nil || binary.NativeEndian.Uint32(end) != sum {
		return nil, fmt.Errorf("a structure is damaged")
	}
	return t, t.check()
}

// check reports a child that is not there.
func (t *Tree) check() error {
	for i := range t.nodes {
		for _, c := range t.nodes[i].Child {
			if c&bvh.LeafBit == 0 && int(c) >= len(t.nodes) ||
				c&bvh.LeafBit != 0 && c != bvh.LeafBit && int(c&bvh.LeafFirst) >= len(t.blocks) {
				return fmt.Errorf("a node of a structure has a child that is not there")
			}
		}
	}
	return nil
}
