package bump

import (
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/model"
)

// Edges are the hard edges near each triangle of a part: by them its corners look rounded.
type Edges struct {
	first []uint32 // of each triangle, and one more
	near  []uint32
	list  *[]edge
}

// edge is a hard edge: its ends, the way in which what is rounded looks at it, and half of the angle by which its
// faces turn.
type edge struct {
	a, b, mean geom.V
	half       float64
}

// least is how far faces turn at a hard edge, radians: less is how round things are made of flat faces.
const least = 20 * math.Pi / 180

// HardEdges are those of the parts of a mesh, in their order: edges at which faces turn by 20° or more and that are not
// shaded as smooth. Parts that are not asked for have none told.
func HardEdges(parts []model.Part, asked func(part int) bool) []*Edges {
	type side struct {
		n      geom.V // of the face
		at     [2]geom.V
		shaded [2]geom.V
		count  int
		other  geom.V // of the second face
		smooth bool
	}
	type key [2][3]float32
	place := func(p *model.Part, i uint32) [3]float32 { return [3]float32(p.Positions[3*i : 3*i+3]) }
	shade := func(p *model.Part, i uint32, face geom.V) geom.V {
		if p.Normals == nil {
			return face
		}
		return geom.V{X: float64(p.Normals[3*i]), Y: float64(p.Normals[3*i+1]), Z: float64(p.Normals[3*i+2])}
	}
	sides := map[key]*side{}
	var order []*side
	each := func(visit func(part int, t int, p *model.Part, idx []uint32)) {
		for i := range parts {
			if p := &parts[i]; p.Kind == model.Triangles {
				for t := 0; t+2 < len(p.Indices); t += 3 {
					visit(i, t/3, p, p.Indices[t:t+3])
				}
			}
		}
	}
	each(func(_, _ int, p *model.Part, idx []uint32) {
		face := p.Position(idx[1]).Sub(p.Position(idx[0])).Cross(p.Position(idx[2]).Sub(p.Position(idx[0]))).Unit()
		if face == (geom.V{}) {
			return
		}
		for k := range 3 {
			i, j := idx[k], idx[(k+1)%3]
			a, b := place(p, i), place(p, j)
			if slices.Compare(b[:], a[:]) < 0 {
				i, j, a, b = j, i, b, a
			}
			s := sides[key{a, b}]
			if s == nil {
				s = &side{n: face, at: [2]geom.V{p.Position(i), p.Position(j)},
					shaded: [2]geom.V{shade(p, i, face), shade(p, j, face)}}
				sides[key{a, b}] = s
				order = append(order, s)
			} else if s.count == 1 {
				s.other = face
				s.smooth = p.Normals != nil && shade(p, i, face).Dot(s.shaded[0]) > 0.999 &&
					shade(p, j, face).Dot(s.shaded[1]) > 0.999
			}
			s.count++
		}
	})
	var hard []edge
	about := map[[3]float32][]uint32{} // by the places of their ends
	for _, s := range order {
		turn := math.Acos(min(max(s.n.Dot(s.other), -1), 1))
		if s.count != 2 || s.smooth || turn < least || turn > math.Pi-0.01 {
			continue
		}
		i := uint32(len(hard))
		hard = append(hard, edge{s.at[0], s.at[1], s.n.Add(s.other).Unit(), turn / 2})
		for _, q := range s.at {
			key := [3]float32{float32(q.X), float32(q.Y), float32(q.Z)}
			about[key] = append(about[key], i)
		}
	}
	out := make([]*Edges, len(parts))
	if len(hard) == 0 {
		return out
	}
	each(func(part, t int, p *model.Part, idx []uint32) {
		if !asked(part) {
			return
		}
		e := out[part]
		if e == nil {
			e = &Edges{list: &hard}
			out[part] = e
		}
		e.first = append(e.first, uint32(len(e.near)))
		begin := len(e.near)
		for _, i := range idx {
			for _, k := range about[place(p, i)] {
				if !slices.Contains(e.near[begin:], k) && len(e.near)-begin < mostNear {
					e.near = append(e.near, k)
				}
			}
		}
	})
	for _, e := range out {
		if e != nil {
			e.first = append(e.first, uint32(len(e.near)))
		}
	}
	return out
}

// mostNear bounds the edges that are asked about at a place: more meet at the tip of a cone alone.
const mostNear = 24

// Round is the normal n at a place on triangle t, turned as a fillet of a radius would turn it: by none where that
// begins, a radius from a hard edge, and by half of the angle of the faces at the edge, evenly between.
func (e *Edges) Round(t uint32, at, n geom.V, radius float64) geom.V {
	if e == nil || radius <= 0 {
		return n
	}
	sum := n
	for _, k := range e.near[e.first[t]:e.first[t+1]] {
		g := &(*e.list)[k]
		d := g.b.Sub(g.a)
		along := min(max(at.Sub(g.a).Dot(d)/max(d.Dot(d), 1e-300), 0), 1)
		far := at.Sub(g.a.Add(d.Mul(along))).Len()
		if far >= radius {
			continue
		}
		tan := g.mean.Sub(n.Mul(n.Dot(g.mean))).Unit()
		// A face that only touches the edge with a corner, or looks another way, has no part in it.
		if n.Dot(g.mean) < math.Cos(g.half)-0.05 {
			continue
		}
		sum = sum.Add(tan.Mul(math.Tan((1 - far/radius) * g.half)))
	}
	return sum.Unit()
}
