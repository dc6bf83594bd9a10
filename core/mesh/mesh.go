// Package mesh has the triangles of a mesh as rays meet them: their surfaces, and their structure. Lengths are metres.
package mesh

import (
	"fmt"
	"sync"

	"visator/core/bump"
	"visator/core/bvh"
	"visator/core/cast"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/skin"
)

// Mesh is the triangles of one model mesh. Many instances share it.
type Mesh struct {
	Box   geom.Box
	Parts []Part
	Count int        // triangles
	Like  *Mesh      // of the same triangles, with other surfaces; nil: none is known
	Tree  *cast.Tree // is there once Build was called
	lock  sync.Mutex
}

// Part is a run of triangles with one surface.
type Part struct {
	First   uint32 // number of its first triangle
	Model   *model.Part
	Surface *skin.Surface
	Alpha   bool        // hits may be let through
	Edges   *bump.Edges // near each triangle, where they look rounded
	of      []byte      // a sum of its corners and triangles; nil: not asked for yet
	// In a merged mesh only:
	World    *geom.M
	Instance int32
	Local    uint32 // number of its first triangle in the instance's own mesh
}

// corners are the places of triangle t of the part.
func (mp *Part) corners(t uint32) (a, b, c [3]float32) {
	idx := mp.Model.Indices[3*t : 3*t+3 : 3*t+3]
	pos := mp.Model.Positions
	i, j, k := 3*idx[0], 3*idx[1], 3*idx[2]
	a, b, c = [3]float32(pos[i:i+3]), [3]float32(pos[j:j+3]), [3]float32(pos[k:k+3])
	if mp.World != nil {
		a, b, c = mp.carry(a), mp.carry(b), mp.carry(c)
	}
	return
}

func (mp *Part) carry(p [3]float32) [3]float32 {
	return mp.World.Point(geom.V{X: float64(p[0]), Y: float64(p[1]), Z: float64(p[2])}).Float32()
}

// New gathers the triangles of a mesh. surfaces are those of its model; a
// part without one gets fallback.
func New(m *model.Mesh, surfaces []*skin.Surface, fallback *skin.Surface) (*Mesh, error) {
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
		out.Parts = append(out.Parts, Part{First: uint32(out.Count), Model: p, Surface: s, Alpha: s.SeeThrough()})
		out.Count += p.Triangles()
		out.Box = out.Box.Union(p.Bounds(&geom.Identity))
	}
	for i := range out.Parts {
		if out.Parts[i].Surface.M.Bevel > 0 {
			out.bevel(m)
			break
		}
	}
	if out.Count > bvh.LeafFirst {
		return nil, fmt.Errorf("mesh %q has %d triangles; split it", m.Name, out.Count)
	}
	return out, nil
}

// bevel finds the edges of a mesh that look rounded.
func (m *Mesh) bevel(of *model.Mesh) {
	at := map[*model.Part]*Part{}
	for i := range m.Parts {
		at[m.Parts[i].Model] = &m.Parts[i]
	}
	for i, e := range bump.HardEdges(of.Parts, func(i int) bool {
		mp := at[&of.Parts[i]]
		return mp != nil && mp.Surface.M.Bevel > 0
	}) {
		if mp := at[&of.Parts[i]]; mp != nil {
			mp.Edges = e
		}
	}
}

// worthKeeping is of how many triangles a structure is read sooner than built by so much that it is worth its room.
const worthKeeping = 4_000

// key names what the structure of the mesh is made of.
func (m *Mesh) key() string {
	return cast.Key(len(m.Parts), func(i int) (asks bool, world *geom.M, sum []byte) {
		mp := &m.Parts[i]
		mp.sums()
		return mp.Alpha, mp.World, mp.of
	})
}

// sums makes the part's sum, if it is not there.
func (mp *Part) sums() {
	if mp.of == nil {
		mp.of = cast.Sum(mp.Model.Positions, mp.Model.Indices)
	}
}

// Sums makes those of all parts: many instances of the mesh ask for them.
func (m *Mesh) Sums() {
	m.lock.Lock()
	defer m.lock.Unlock()
	for i := range m.Parts {
		m.Parts[i].sums()
	}
}

// Build makes the structure on threads threads, unless it is there or kept. Scenes that share the mesh may ask at once.
func (m *Mesh) Build(threads int, kept cast.Structures) {
	m.lock.Lock()
	defer m.lock.Unlock()
	if m.Tree != nil {
		return
	}
	if m.Like != nil {
		m.Like.Build(threads, kept)
		m.Tree = m.recut()
		return
	}
	key := ""
	if kept != nil && m.Count >= worthKeeping {
		key = m.key()
		if m.Tree = kept.Load(key); m.Tree != nil {
			return
		}
	}
	refs := make([]bvh.Ref, m.Count)
	for i := range m.Parts {
		mp := &m.Parts[i]
		for t := range uint32(mp.Model.Triangles()) {
			p, q, r := mp.corners(t)
			var lo, hi [3]float32
			for a := range lo {
				lo[a], hi[a] = min(p[a], q[a], r[a]), max(p[a], q[a], r[a])
			}
			id := mp.First + t
			refs[id] = bvh.NewRef(lo, hi, id)
		}
	}
	m.Tree = cast.NewTree(refs, threads, m.block)
	if key != "" {
		kept.Save(key, m.Tree)
	}
}

// recut is the structure of the mesh that this one is like, the same where the same parts let light through.
func (m *Mesh) recut() *cast.Tree {
	for i := range m.Parts {
		if m.Parts[i].Alpha != m.Like.Parts[i].Alpha {
			return m.Like.Tree.Like(func(id uint32) bool { return m.PartOf(id).Alpha })
		}
	}
	return m.Like.Tree
}

// block gathers the triangles of a leaf. Places that stay empty hold triangles
// without extent, which nothing hits.
func (m *Mesh) block(ids []uint32) (b bvh.Block) {
	for i := range b.ID {
		b.ID[i] = bvh.NoTriangle
	}
	for i, id := range ids {
		mp := m.PartOf(id)
		v, p, q := mp.corners(id - mp.First)
		if b.ID[i] = id; mp.Alpha {
			b.ID[i] |= cast.AsksBit
		}
		for a := range v {
			b.V[a][i], b.E1[a][i], b.E2[a][i] = v[a], p[a]-v[a], q[a]-v[a]
		}
	}
	return b
}

// PartOf finds the part that holds triangle id.
func (m *Mesh) PartOf(id uint32) *Part {
	lo, hi := 0, len(m.Parts)-1
	for lo < hi {
		mid := (lo + hi + 1) / 2
		if m.Parts[mid].First <= id {
			lo = mid
		} else {
			hi = mid - 1
		}
	}
	return &m.Parts[lo]
}

// Add puts the triangles of another mesh, as it stands in the scene, into one that is merged of several, and returns
// the number of the first of them.
func (m *Mesh) Add(of *Mesh, world *geom.M, instance int) (first int) {
	first = m.Count
	m.Box = m.Box.Union(of.Box.Apply(*world))
	for _, mp := range of.Parts {
		mp.Local, mp.First, mp.Instance, mp.World = mp.First, uint32(m.Count), int32(instance), world
		m.Parts = append(m.Parts, mp)
		m.Count += mp.Model.Triangles()
	}
	return first
}

// Alike says whether another mesh is made of the same triangles, in the same memory.
func (m *Mesh) Alike(o *Mesh) bool {
	if len(m.Parts) != len(o.Parts) {
		return false
	}
	for i := range m.Parts {
		p, q := m.Parts[i].Model, o.Parts[i].Model
		if &p.Positions[0] != &q.Positions[0] || len(p.Indices) != len(q.Indices) || &p.Indices[0] != &q.Indices[0] {
			return false
		}
	}
	return true
}

// Triangle is the part that a triangle belongs to, its number there, and its corners.
func (m *Mesh) Triangle(id uint32) (mp *Part, t uint32, idx []uint32) {
	mp = m.PartOf(id)
	t = id - mp.First
	return mp, t, mp.Model.Indices[3*t : 3*t+3]
}
