package render

import (
	"math"
	"slices"

	"visator/core/bvh"
	"visator/core/geom"
)

// MergeLimit bounds the triangles that are merged: each takes about a hundred
// bytes there.
const MergeLimit = 2_000_000

// merge puts instances into one mesh in the scene's space, as far as they are
// not too many: rays then pass through one tree instead of many that overlap.
// The rest stay instances. first receives for each instance the number of its
// first triangle in the merged mesh, or bvh.NoTriangle.
func (s *Scene) merge(first []uint32) *Mesh {
	order := make([]int, 0, len(s.Instances))
	copies := map[*Mesh]int{}
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
	weight := func(i int) int { return s.Instances[i].Mesh.count * copies[s.Instances[i].Mesh] }
	slices.SortStableFunc(order, func(a, b int) int { return weight(a) - weight(b) })
	m := &Mesh{Box: geom.Empty()}
	for _, i := range order {
		in := &s.Instances[i]
		if m.count+in.Mesh.count > MergeLimit {
			break
		}
		if s.kept != nil {
			in.Mesh.sums()
		}
		first[i] = uint32(m.count)
		m.Box = m.Box.Union(in.Mesh.Box.Apply(in.World))
		for _, mp := range in.Mesh.parts {
			mp.local, mp.first, mp.instance, mp.world = mp.first, uint32(m.count), int32(i), &in.World
			m.parts = append(m.parts, mp)
			m.count += mp.part.Triangles()
		}
	}
	if m.count == 0 {
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
