package cast

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"math"
	"slices"

	"visator/core/geom"
)

// Structures keeps structures of meshes, by what they are made of: one that is kept needs not be built. Both are
// called from any goroutine.
type Structures interface {
	Load(key string) *Tree // nil: it is not there
	Save(key string, t *Tree)
}

// form is the way in which structures are built: others have other names.
const form = "visator structure, built the second way"

// Key names the structure of parts of a mesh: whether hits on a part may be let through, where it is carried to (nil:
// nowhere), and the Sum of its triangles.
func Key(parts int, part func(i int) (asks bool, world *geom.M, sum []byte)) string {
	h := sha256.New()
	h.Write([]byte(form))
	var b []byte
	for i := range parts {
		asks, world, sum := part(i)
		b = b[:0]
		for _, is := range []bool{asks, world != nil} {
			n := byte(0)
			if is {
				n = 1
			}
			b = append(b, n)
		}
		if world != nil {
			for _, v := range world {
				b = binary.LittleEndian.AppendUint64(b, math.Float64bits(v))
			}
		}
		h.Write(append(b, sum...))
	}
	return hex.EncodeToString(h.Sum(nil))
}

// Sum is one of triangles: of their corners and their numbers.
func Sum(positions []float32, indices []uint32) []byte {
	h := sha256.New()
	b := binary.LittleEndian.AppendUint64(nil, uint64(len(positions)))
	for c := range slices.Chunk(positions, 4096) {
		for _, v := range c {
			b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v))
		}
		h.Write(b)
		b = b[:0]
	}
	for c := range slices.Chunk(indices, 4096) {
		for _, v := range c {
			b = binary.LittleEndian.AppendUint32(b, v)
		}
		h.Write(b)
		b = b[:0]
	}
	return h.Sum(nil)
}
