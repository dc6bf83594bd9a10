package render

import (
	"cmp"
	"slices"

	"visator/core/bvh"
	"visator/core/geom"
	"visator/core/mesh"
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
	mesh  *mesh.Mesh
	world geom.M
}

// mergedAfter is the merged mesh of a scene before as far as it stands, how many of its triangles are gone, and how
// many instances came since it was made; nil: all is to be merged anew. The scene's First are told of what stands.
func (s *Scene) mergedAfter(before *Scene) (m *mesh.Mesh, gone, loose int) {
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
			gone += before.Instances[i].Mesh.Count
		}
	}
	if gone > old.Count/mostGone || loose > mostLoose {
		return nil, 0, 0
	}
	m = &mesh.Mesh{Box: old.Box, Parts: slices.Clone(old.Parts), Count: old.Count, Tree: old.Tree}
	for i := range m.Parts {
		mp := &m.Parts[i]
		if mp.Instance < 0 {
			continue
		}
		if mp.Instance = int32(now[mp.Instance]); mp.Instance >= 0 {
			mp.World = &s.Instances[mp.Instance].World
		}
	}
	if gone > before.gone {
		type run struct{ from, to uint32 }
		var dead []run // that are gone now, in their order
		for i := range m.Parts {
			if mp := &m.Parts[i]; mp.Instance < 0 && old.Parts[i].Instance >= 0 {
				dead = append(dead, run{mp.First, mp.First + uint32(mp.Model.Triangles())})
			}
		}
		least, most := dead[0].from, dead[len(dead)-1].to
		m.Tree = old.Tree.Without(func(id uint32) bool {
			if id < least || id >= most {
				return false
			}
			i, at := slices.BinarySearchFunc(dead, id, func(r run, id uint32) int { return cmp.Compare(r.from, id) })
			return at || i > 0 && id < dead[i-1].to
		})
	}
	return m, gone, loose
}
