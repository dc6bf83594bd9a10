package model

import "visator/core/geom"

// between is what corners have, of so many numbers each, between those of a triangle: the k-th number.
func between(list []float32, wide, k uint32, idx []uint32, u, v float32) float64 {
	return float64((1-u-v)*list[wide*idx[0]+k] + u*list[wide*idx[1]+k] + v*list[wide*idx[2]+k])
}

// corners are the numbers of the corners of a triangle.
func (p *Part) corners(triangle uint32) []uint32 { return p.Indices[3*triangle : 3*triangle+3] }

// UVAt is the texture coordinate of a set, 0 or 1, within a triangle, by the barycentric coordinates u and v of its
// second and third corner; 0, 0 where there are none.
func (p *Part) UVAt(set int, triangle uint32, u, v float32) (x, y float64) {
	list := p.UV
	if set == 1 {
		list = p.UV1
	}
	if list == nil {
		return 0, 0
	}
	idx := p.corners(triangle)
	return between(list, 2, 0, idx, u, v), between(list, 2, 1, idx, u, v)
}

// ColorAt is the colour of vertices within a triangle; white without.
func (p *Part) ColorAt(triangle uint32, u, v float32) (c [4]float64) {
	if p.Colors == nil {
		return [4]float64{1, 1, 1, 1}
	}
	for k := range uint32(4) {
		c[k] = between(p.Colors, 4, k, p.corners(triangle), u, v)
	}
	return c
}

// NormalAt is that which the corners of a triangle tell within it, not of length one, if they tell one.
func (p *Part) NormalAt(triangle uint32, u, v float32) (n geom.V, ok bool) {
	if p.Normals == nil {
		return n, false
	}
	idx := p.corners(triangle)
	at := func(k uint32) float64 { return between(p.Normals, 3, k, idx, u, v) }
	return geom.V{X: at(0), Y: at(1), Z: at(2)}, true
}

// Layered says whether there is more to a surface than metal and roughness.
func (m *Surface) Layered() bool {
	d := DefaultSurface()
	return m.Specular != d.Specular || m.SpecularTint != d.SpecularTint || m.Coat > 0 || m.Sheen != d.Sheen ||
		m.Brush > 0 || m.Film > 0 || m.Leaf > 0 || m.Slots[SpecularMap].Map != None ||
		m.Slots[SpecularTintMap].Map != None
}

// Colored are the maps whose values are colours; those of all others are data.
var Colored = [SlotCount]bool{BaseColorMap: true, EmissiveMap: true, SpecularTintMap: true, SheenMap: true,
	LeafTintMap: true}
