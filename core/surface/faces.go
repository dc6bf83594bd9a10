package surface

import (
	"fmt"
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/model"
)

// Faces are some of a model's, picked by a place on one of them: what belongs to it is found anew on each version of
// the model.
type Faces struct {
	At    geom.V  `json:"at"`    // metres about the piece's pivot
	By    string  `json:"by"`    // see FaceWays
	Angle float64 `json:"angle"` // degrees from one face to the next, up to which they belong together
}

// FaceWays are what belongs to a face: its part with its surface, what is connected with it, or what is connected and
// turns by no more than an angle from face to face.
var FaceWays = []string{"part", "connected", "angle"}

// None tells that no faces were picked: all of the surface is meant.
func (f *Faces) None() bool { return *f == Faces{} }

// Check says what is impossible about it.
func (f *Faces) Check() error {
	switch {
	case !slices.Contains(FaceWays, f.By):
		return fmt.Errorf("faces are picked by %v, not by %.40q", FaceWays, f.By)
	case !f.At.Finite() || f.At.Len() > 1e6:
		return fmt.Errorf("the place of a face lies within 1,000 km of its piece")
	case !(f.Angle >= 0 && f.Angle <= 180):
		return fmt.Errorf("faces belong together up to an angle of 0 to 180 degrees")
	}
	return nil
}

// Group is which triangles of a part of a mesh belong to some faces.
type Group struct {
	Mesh, Part int
	In         []bool // by triangle
	Count      int
	Area       float64 // square metres
}

// Find finds faces on a model that top brings to metres; false: it has none.
func (f *Faces) Find(m *model.Model, top geom.M) (g Group, ok bool) {
	best, first := math.Inf(1), 0
	world := geom.M{}
	m.Walk(func(_ int, n *model.Node, w geom.M) {
		if n.Mesh == model.None {
			return
		}
		all := top.Mul(w)
		for k := range m.Meshes[n.Mesh].Parts {
			p := &m.Meshes[n.Mesh].Parts[k]
			if p.Kind != model.Triangles {
				continue
			}
			for t := 0; t+2 < len(p.Indices); t += 3 {
				_, c := corners(p, t)
				at := geom.Triangle{all.Point(c[0]), all.Point(c[1]), all.Point(c[2])}
				if d := f.At.Sub(at.Nearest(f.At)).Len(); d < best {
					best, first, world = d, t/3, all
					g.Mesh, g.Part = n.Mesh, k
				}
			}
		}
	})
	if math.IsInf(best, 1) {
		return g, false
	}
	p := &m.Meshes[g.Mesh].Parts[g.Part]
	switch g.In = make([]bool, len(p.Indices)/3); f.By {
	case FaceWays[0]:
		for i := range g.In {
			g.In[i] = true
		}
	default:
		limit := -2.0
		if f.By == FaceWays[2] {
			limit = math.Cos(f.Angle*math.Pi/180) - 1e-9
		}
		grow(p, first, limit, g.In)
	}
	for t, in := range g.In {
		if in {
			g.Count++
			_, c := corners(p, 3*t)
			g.Area += world.Dir(c[1].Sub(c[0])).Cross(world.Dir(c[2].Sub(c[0]))).Len() / 2
		}
	}
	return g, true
}

// grow marks the triangles that hang together with the first: over edges at which the cosine between two normals is
// limit or more. Corners at the same place are one.
func grow(p *model.Part, first int, limit float64, in []bool) {
	type edge struct{ a, b int32 }
	at := map[[3]float32]int32{}
	vertex := func(i uint32) int32 {
		q := [3]float32(p.Positions[3*i : 3*i+3])
		v, known := at[q]
		if !known {
			v = int32(len(at))
			at[q] = v
		}
		return v
	}
	of := map[edge][]int32{}
	sides := make([][3]edge, len(in))
	normals := make([]geom.V, len(in))
	for t := range in {
		var v [3]int32
		for k := range v {
			v[k] = vertex(p.Indices[3*t+k])
		}
		for k := range v {
			a, b := v[k], v[(k+1)%3]
			e := edge{min(a, b), max(a, b)}
			sides[t][k] = e
			of[e] = append(of[e], int32(t))
		}
		face, _ := corners(p, 3*t)
		normals[t] = face.Unit()
	}
	in[first] = true
	for front := []int32{int32(first)}; len(front) > 0; {
		t := front[len(front)-1]
		front = front[:len(front)-1]
		for _, e := range sides[t] {
			for _, o := range of[e] {
				if !in[o] && normals[t].Dot(normals[o]) >= limit {
					in[o] = true
					front = append(front, o)
				}
			}
		}
	}
}

// part gives faces a surface of their own, a copy of that which they have: its number is told. Meshes that have none of
// them are shared with the model that it was.
func (f *Faces) part(m *model.Model, top geom.M) (int, bool) {
	g, ok := f.Find(m, top)
	if !ok {
		return 0, false
	}
	was := &m.Meshes[g.Mesh].Parts[g.Part]
	rest, own := *was, *was
	rest.Indices, own.Indices = nil, nil
	for t, in := range g.In {
		to := &rest
		if in {
			to = &own
		}
		to.Indices = append(to.Indices, was.Indices[3*t:3*t+3]...)
	}
	s := model.DefaultSurface()
	if was.Surface != model.None {
		s = m.Surfaces[was.Surface]
	}
	own.Surface = len(m.Surfaces)
	m.Surfaces = append(m.Surfaces, s)
	m.Meshes = slices.Clone(m.Meshes)
	parts := slices.Clone(m.Meshes[g.Mesh].Parts)
	if parts[g.Part] = own; len(rest.Indices) > 0 {
		parts[g.Part] = rest
		parts = append(parts, own)
	}
	m.Meshes[g.Mesh].Parts = parts
	return own.Surface, true
}
