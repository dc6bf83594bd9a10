package render

import (
	"math"
	"slices"

	"visator/core/bvh"
	"visator/core/geom"
	"visator/core/mesh"
)

// MergeLimit bounds the triangles that are merged: each takes about a hundred
// bytes there.
const MergeLimit = 2_000_000

// merge puts instances into one mesh in the scene's space, as far as they are
// not too many: rays then pass through one tree instead of many that overlap.
// The rest stay instances. first receives for each instance the number of its
// first triangle in the merged mesh, or bvh.NoTriangle.
func (s *Scene) merge(first []uint32) *mesh.Mesh {
	order := make([]int, 0, len(s.Instances))
	copies := map[*mesh.Mesh]int{}
	for i := range s.Instances {
		first[i] = bvh.NoTriangle
		copies[s.Instances[i].Mesh]++
		if !s.apart && s.keepsDigits(&s.Instances[i]) {
			order = append(order, i)
		}
	}
	if len(order) < 2 {
		return nil
	}
	// Those first that weigh little with all their copies.
	weight := func(i int) int { return s.Instances[i].Mesh.Count * copies[s.Instances[i].Mesh] }
	slices.SortStableFunc(order, func(a, b int) int { return weight(a) - weight(b) })
	m := &mesh.Mesh{Box: geom.Empty()}
	for _, i := range order {
		in := &s.Instances[i]
		if m.Count+in.Mesh.Count > MergeLimit {
			break
		}
		if s.kept != nil {
			in.Mesh.Sums()
		}
		first[i] = uint32(m.Add(in.Mesh, &in.World, i))
	}
	if m.Count == 0 {
		return nil
	}
	return m
}

// keepsDigits reports whether an instance can be told in float32 coordinates
// of the scene: to 20 micrometres, or to a hundred-thousandth of its size.
func (s *Scene) keepsDigits(in *Instance) bool {
	box := in.Mesh.Box.Apply(in.World)
	far := max(-box.Min.X, -box.Min.Y, -box.Min.Z, box.Max.X, box.Max.Y, box.Max.Z)
	return far*math.Exp2(-24) < max(2e-5, 1e-5*box.Size().Len())
}
