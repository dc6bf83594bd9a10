package surface

import (
	"math"

	"visator/core/model"
)

// Boxed is a part whose first coordinates are metres along the two axes of its mesh that each triangle faces least: as
// pictures lie that are thrown onto it from three sides. metres are those of a unit of the mesh. Corners are parted.
func Boxed(p *model.Part, metres float64) model.Part {
	out := *p
	n := len(p.Indices) / 3 * 3
	out.Indices = make([]uint32, n)
	out.Positions, out.UV = make([]float32, 0, 3*n), make([]float32, 0, 2*n)
	take := func(from []float32, width int) (list []float32) {
		if from == nil {
			return nil
		}
		list = make([]float32, 0, width*n)
		for _, i := range p.Indices[:n] {
			list = append(list, from[width*int(i):width*int(i)+width]...)
		}
		return list
	}
	out.Normals, out.UV1, out.Colors = take(p.Normals, 3), take(p.UV1, 2), take(p.Colors, 4)
	for i := range out.Indices {
		out.Indices[i] = uint32(i)
	}
	for t := 0; t < n; t += 3 {
		a, b, c := p.Position(p.Indices[t]), p.Position(p.Indices[t+1]), p.Position(p.Indices[t+2])
		face := b.Sub(a).Cross(c.Sub(a))
		x, y, z := math.Abs(face.X), math.Abs(face.Y), math.Abs(face.Z)
		for k := range 3 {
			q := p.Position(p.Indices[t+k])
			out.Positions = append(out.Positions, float32(q.X), float32(q.Y), float32(q.Z))
			u, v := q.X, -q.Y // a wall that is seen along z: up is up
			switch {
			case y >= x && y >= z:
				u, v = q.X, q.Z
			case x >= z:
				u, v = q.Z, -q.Y
			}
			out.UV = append(out.UV, float32(u*metres), float32(v*metres))
		}
	}
	return out
}
