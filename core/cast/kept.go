package cast

import (
	"crypto/sha256"
	"encoding/hex"
	"strconv"

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
		if b = strconv.AppendBool(b[:0], asks); world != nil {
			b = append(b, bytesOf(world[:])...)
		}
		h.Write(append(b, sum...))
	}
	return hex.EncodeToString(h.Sum(nil))
}

// Sum is one of triangles: of their corners and their numbers.
func Sum(positions []float32, indices []uint32) []byte {
	h := sha256.New()
	h.Write(strconv.AppendInt(nil, int64(len(positions)), 10))
	h.Write(bytesOf(positions))
	h.Write(bytesOf(indices))
	return h.Sum(nil)
}
