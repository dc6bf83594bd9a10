package surface

import (
	"math"

	"visator/core/geom"
	"visator/core/model"
)

// Boxed is a part whose first coordinates are metres along the two axes of its mesh that each triangle faces least: as
// pictures lie that are thrown onto it from three sides. metres are those of a unit of the mesh. Corners are parted.
func Boxed(p *model.Part, metres float64) model.Part {
	return parted(p, func(face geom.V, corners [3]geom.V) (uv [3][2]float64) {
		for k, q := range corners {
			u, v, _, _ := fromSides(q, face) // a wall that is seen along z: up is up
			uv[k] = [2]float64{u * metres, v * metres}
		}
		return uv
	})
}

// Round is a part whose first coordinates run round the upright axis through the middle of its box, in metres along its
// mean radius, and down; what faces up or down has its coordinates from above. metres are those of a unit of the mesh.
// Pictures that repeat every tile metres meet behind: they are as much wider or narrower as that takes.
func Round(p *model.Part, metres, tile float64) model.Part {
	box := boxOf(p)
	mid, radius, whole := box.Center(), 0.0, 0.0
	side := func(face geom.V) bool { return math.Abs(face.Y) < 0.8*face.Len() }
	for t := 0; t+2 < len(p.Indices); t += 3 {
		if face, c := corners(p, t); side(face) {
			for _, q := range c {
				radius += face.Len() * math.Hypot(q.X-mid.X, q.Z-mid.Z) / 3
			}
			whole += face.Len()
		}
	}
	if whole > 0 {
		radius /= whole
	}
	if times := 2 * math.Pi * radius * metres / tile; times > 0 && times < 1e6 {
		radius *= max(math.Round(times), 1) / times
	}
	return parted(p, func(face geom.V, corners [3]geom.V) (uv [3][2]float64) {
		first := 0.0
		for k, q := range corners {
			u, v := q.X, q.Z
			if side(face) {
				turn := math.Atan2(q.X-mid.X, q.Z-mid.Z)
				if k == 0 {
					first = turn
				}
				turn += 2 * math.Pi * math.Round((first-turn)/(2*math.Pi)) // not back round the pole
				u, v = radius*turn, -q.Y
			}
			uv[k] = [2]float64{u * metres, v * metres}
		}
		return uv
	})
}

// boxOf is the box about the triangles of a part, which may have corners that none of them uses.
func boxOf(p *model.Part) geom.Box {
	box := geom.Empty()
	for _, i := range p.Indices {
		box = box.Add(p.Position(i))
	}
	return box
}

// onBox is a part whose first coordinates run from 0 to 1 over each side of its box.
func onBox(p *model.Part) model.Part {
	box := boxOf(p)
	size := box.Size()
	span := geom.V{X: 1 / max(size.X, 1e-30), Y: 1 / max(size.Y, 1e-30), Z: 1 / max(size.Z, 1e-30)}
	return parted(p, func(face geom.V, corners [3]geom.V) (uv [3][2]float64) {
		for k, q := range corners {
			u, v, along, down := fromSides(q.Sub(box.Min).Times(span), face)
			if down.Y < 0 { // a side, whose coordinates run down from 0
				v++
				if along.Dot(geom.V{Y: 1}.Cross(face)) < 0 {
					u = 1 - u // as it is read from outside
				}
			}
			uv[k] = [2]float64{u, v}
		}
		return uv
	})
}

// corners are those of the triangle whose indices begin at t, and its normal, twice as long as it is large.
func corners(p *model.Part, t int) (face geom.V, c [3]geom.V) {
	c = [3]geom.V{p.Position(p.Indices[t]), p.Position(p.Indices[t+1]), p.Position(p.Indices[t+2])}
	return c[1].Sub(c[0]).Cross(c[2].Sub(c[0])), c
}

// parted is a part whose triangles share no corners, with other first coordinates: those that lie gives for the corners
// of a triangle and its normal, of any length.
func parted(p *model.Part, lie func(face geom.V, corners [3]geom.V) [3][2]float64) model.Part {
	out := p.Apart()
	out.UV = make([]float32, 0, 2*len(out.Indices))
	for t := 0; t < len(out.Indices); t += 3 {
		for _, uv := range lie(corners(&out, t)) {
			out.UV = append(out.UV, float32(uv[0]), float32(uv[1]))
		}
	}
	return out
}
