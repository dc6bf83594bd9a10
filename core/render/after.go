package render

import (
	"cmp"
	"slices"

	"visator/core/bvh"
	"visator/core/geom"
	"visator/core/plain"
)

// How much may differ from what was merged before it is merged anew: one in so many triangles gone, and so many
// instances on their own, in which rays are looked for one by one.
const (
	mostGone  = 8
	mostLoose = 128
)

// standing is what stands where.
type standing struct {
	mesh  *Mesh
	world geom.M
}

// mergedAfter is the merged mesh of a scene before as far as it stands, how many of its triangles are gone, and how
// many instances came since it was made; nil: all is to be merged anew. The scene's First are told of what stands.
func (s *Scene) mergedAfter(before *Scene) (m *Mesh, gone, loose int) {
	if before == nil || before.merged == nil {
		return nil, 0, 0
	}
	old, first := before.merged, s.field.First
	all := func(of []Instance) (list []standing) {
		for i := range of {
			list = append(list, standing{of[i].Mesh, of[i].World})
		}
		return list
	}
	now, was := plain.Pairs(all(before.Instances), all(s.Instances))
	for i, at := range was {
		if first[i] = bvh.NoTriangle; at >= 0 {
			first[i] = before.field.First[at]
		} else {
			loose++
		}
	}
	gone, loose = before.gone, loose+before.loose
	for i, at := range now {
		if at < 0 && before.field.First[i] != bvh.NoTriangle {
			gone += before.Instances[i].Mesh.count
		}
	}
	if gone > old.count/mostGone || loose > mostLoose {
		return nil, 0, 0
	}
	m = &Mesh{Box: old.Box, parts: slices.Clone(old.parts), count: old.count, tree: old.tree}
	for i := range m.parts {
		mp := &m.parts[i]
		if mp.instance < 0 {
			continue
		}
		if mp.instance = int32(now[mp.instance]); mp.instance >= 0 {
			mp.world = &s.Instances[mp.instance].World
		}
	}
	if gone > before.gone {
		type run struct{ from, to uint32 }
		var dead []run // that are gone now, in their order
		for i := range m.parts {
			if mp := &m.parts[i]; mp.instance < 0 && old.parts[i].instance >= 0 {
				dead = append(dead, run{mp.first, mp.first + uint32(mp.part.Triangles())})
			}
		}
		least, most := dead[0].from, dead[len(dead)-1].to
		m.tree = old.tree.Without(func(id uint32) bool {
			if id < least || id >= most {
				return false
			}
			i, at := slices.BinarySearchFunc(dead, id, func(r run, id uint32) int { return cmp.Compare(r.from, id) })
			return at || i > 0 && id < dead[i-1].to
		})
	}
	return m, gone, loose
}
