package render

import (
	"fmt"
	"sync"

	"visator/core/bump"
	"visator/core/bvh"
	"visator/core/cast"
	"visator/core/geom"
	"visator/core/model"
)

// Mesh is the triangles of one model mesh. Many instances share it.
type Mesh struct {
	Box   geom.Box
	parts []meshPart
	count int   // triangles
	like  *Mesh // of the same triangles, with other surfaces; nil: none is known
	lock  sync.Mutex
	tree  *cast.Tree // is there once build was called
}

// meshPart is a run of triangles with one surface.
type meshPart struct {
	first   uint32 // number of its first triangle
	part    *model.Part
	surface *Surface
	alpha   bool        // hits may be let through
	of      []byte      // a sum of its corners and triangles; nil: not asked for yet
	edges   *bump.Edges // near each triangle, where they look rounded
	// In a merged mesh only:
	world    *geom.M
	instance int32
	local    uint32 // number of its first triangle in the instance's own mesh
}

// corners are the places of triangle t of the part.
func (mp *meshPart) corners(t uint32) (a, b, c [3]float32) {
	idx := mp.part.Indices[3*t : 3*t+3 : 3*t+3]
	pos := mp.part.Positions
	i, j, k := 3*idx[0], 3*idx[1], 3*idx[2]
	a, b, c = [3]float32(pos[i:i+3]), [3]float32(pos[j:j+3]), [3]float32(pos[k:k+3])
	if mp.world != nil {
		a, b, c = mp.carry(a), mp.carry(b), mp.carry(c)
	}
	return
}

func (mp *meshPart) carry(p [3]float32) [3]float32 {
	return mp.world.Point(geom.V{X: float64(p[0]), Y: float64(p[1]), Z: float64(p[2])}).Float32()
}

// newMesh gathers the triangles of a mesh. surfaces are those of its model; a
// part without one gets fallback.
func newMesh(m *model.Mesh, surfaces []*Surface, fallback *Surface) (*Mesh, error) {
	out := &Mesh{Box: geom.Empty()}
	for i := range m.Parts {
		p := &m.Parts[i]
		if p.Triangles() == 0 {
			continue
		}
		s := fallback
		if p.Surface != model.None {
			s = surfaces[p.Surface]
		}
		out.parts = append(out.parts, meshPart{first: uint32(out.count), part: p, surface: s, alpha: s.SeeThrough()})
		out.count += p.Triangles()
		out.Box = out.Box.Union(p.Bounds(&geom.Identity))
	}
	for i := range out.parts {
		if out.parts[i].surface.M.Bevel > 0 {
			out.bevel(m)
			break
		}
	}
	if out.count > bvh.LeafFirst {
		return nil, fmt.Errorf("mesh %q has %d triangles; split it", m.Name, out.count)
	}
	return out, nil
}

// bevel finds the edges of a mesh that look rounded.
func (m *Mesh) bevel(of *model.Mesh) {
	at := map[*model.Part]*meshPart{}
	for i := range m.parts {
		at[m.parts[i].part] = &m.parts[i]
	}
	for i, e := range bump.HardEdges(of.Parts, func(i int) bool {
		mp := at[&of.Parts[i]]
		return mp != nil && mp.surface.M.Bevel > 0
	}) {
		if mp := at[&of.Parts[i]]; mp != nil {
			mp.edges = e
		}
	}
}

// worthKeeping is of how many triangles a structure is read sooner than built by so much that it is worth its room.
const worthKeeping = 4_000

// key names what the structure of the mesh is made of.
func (m *Mesh) key() string {
	return cast.Key(len(m.parts), func(i int) (asks bool, world *geom.M, sum []byte) {
		mp := &m.parts[i]
		mp.sums()
		return mp.alpha, mp.world, mp.of
	})
}

// sums makes the part's sum, if it is not there.
func (mp *meshPart) sums() {
	if mp.of == nil {
		mp.of = cast.Sum(mp.part.Positions, mp.part.Indices)
	}
}

// sums makes those of all parts: many instances of the mesh ask for them.
func (m *Mesh) sums() {
	m.lock.Lock()
	defer m.lock.Unlock()
	for i := range m.parts {
		m.parts[i].sums()
	}
}

// build makes the structure on threads threads, unless it is there or kept. Scenes that share the mesh may ask at once.
func (m *Mesh) build(threads int, kept cast.Structures) {
	m.lock.Lock()
	defer m.lock.Unlock()
	if m.tree != nil {
		return
	}
	if m.like != nil {
		m.like.build(threads, kept)
		m.tree = m.recut()
		return
	}
	key := ""
	if kept != nil && m.count >= worthKeeping {
		key = m.key()
		if m.tree = kept.Load(key); m.tree != nil {
			return
		}
	}
	refs := make([]bvh.Ref, m.count)
	for i := range m.parts {
		mp := &m.parts[i]
		for t := range uint32(mp.part.Triangles()) {
			p, q, r := mp.corners(t)
			var lo, hi [3]float32
			for a := range lo {
				lo[a], hi[a] = min(p[a], q[a], r[a]), max(p[a], q[a], r[a])
			}
			id := mp.first + t
			refs[id] = bvh.NewRef(lo, hi, id)
		}
	}
	m.tree = cast.NewTree(refs, threads, m.block)
	if key != "" {
		kept.Save(key, m.tree)
	}
}

// recut is the structure of the mesh that this one is like, the same where the same parts let light through.
func (m *Mesh) recut() *cast.Tree {
	for i := range m.parts {
		if m.parts[i].alpha != m.like.parts[i].alpha {
			return m.like.tree.Like(func(id uint32) bool { return m.partOf(id).alpha })
		}
	}
	return m.like.tree
}

// block gathers the triangles of a leaf. Places that stay empty hold triangles
// without extent, which nothing hits.
func (m *Mesh) block(ids []uint32) (b bvh.Block) {
	for i := range b.ID {
		b.ID[i] = bvh.NoTriangle
	}
	for i, id := range ids {
		mp := m.partOf(id)
		v, p, q := mp.corners(id - mp.first)
		if b.ID[i] = id; mp.alpha {
			b.ID[i] |= cast.AsksBit
		}
		for a := range v {
			b.V[a][i], b.E1[a][i], b.E2[a][i] = v[a], p[a]-v[a], q[a]-v[a]
		}
	}
	return b
}

// partOf finds the part that holds triangle id.
func (m *Mesh) partOf(id uint32) *meshPart {
	lo, hi := 0, len(m.parts)-1
	for lo < hi {
		mid := (lo + hi + 1) / 2
		if m.parts[mid].first <= id {
			lo = mid
		} else {
			hi = mid - 1
		}
	}
	return &m.parts[lo]
}
