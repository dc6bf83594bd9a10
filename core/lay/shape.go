package lay

import (
	"visator/core/geom"
	"visator/core/model"
)

// shape gathers faces into a model in the set's coordinates, with flat normals
// and texture coordinates in metres.
type shape struct {
	m     *model.Model
	parts map[string]int
}

func newShape(name string) *shape {
	n := model.NewNode(name)
	n.Mesh = 0
	return &shape{parts: map[string]int{}, m: &model.Model{Name: name, Format: "built-in", Up: "Y",
		Unit:   model.Unit{Name: "metre", MetresPerUnit: 1, From: "format"},
		Meshes: []model.Mesh{{Name: name}}, Nodes: []model.Node{n}, Roots: []int{0}}}
}

// paint is a plain surface: a colour, linear, and a roughness.
type paint struct {
	name  string
	color [3]float64
	rough float64
	tune  func(*model.Surface)
}

var plaster = paint{name: "wall", color: [3]float64{0.55, 0.55, 0.55}, rough: 0.9}

func (s *shape) into(p paint) *model.Part {
	i, ok := s.parts[p.name]
	if !ok {
		f := model.DefaultSurface()
		f.Name, f.Metallic, f.Roughness, f.BaseColor = p.name, 0, p.rough, [4]float64{p.color[0], p.color[1],
			p.color[2], 1}
		if p.tune != nil {
			p.tune(&f)
		}
		i = len(s.m.Meshes[0].Parts)
		s.parts[p.name] = i
		s.m.Surfaces = append(s.m.Surfaces, f)
		s.m.Meshes[0].Parts = append(s.m.Meshes[0].Parts, model.Part{Name: p.name, Surface: i})
	}
	return &s.m.Meshes[0].Parts[i]
}

func vertex(p *model.Part, at, n geom.V, u, v float64) uint32 {
	p.Positions = append(p.Positions, float32(at.X), float32(at.Y), float32(at.Z))
	p.Normals = append(p.Normals, float32(n.X), float32(n.Y), float32(n.Z))
	p.UV = append(p.UV, float32(u), float32(v))
	return uint32(len(p.Positions)/3 - 1)
}

// face adds a flat polygon, counter-clockwise seen from its front.
func (s *shape) face(with paint, corners ...geom.V) {
	p := s.into(with)
	var n geom.V
	for i, a := range corners {
		b := corners[(i+1)%len(corners)]
		n = n.Add(geom.V{X: (a.Y - b.Y) * (a.Z + b.Z), Y: (a.Z - b.Z) * (a.X + b.X), Z: (a.X - b.X) * (a.Y + b.Y)})
	}
	n = n.Unit()
	// Walls measure along and up, floors along X and Z.
	t := geom.V{Y: 1}.Cross(n).Unit()
	up := n.Cross(t)
	if t == (geom.V{}) {
		t, up = geom.V{X: 1}, geom.V{Z: -1}
	}
	idx := make([]uint32, len(corners))
	for i, c := range corners {
		idx[i] = vertex(p, c, n, c.Dot(t), -c.Dot(up))
	}
	p.Indices = append(p.Indices, model.Cut(p, idx, []uint32{uint32(len(idx))})...)
}

// prism stands a plan outline from y0 to y1: closed, seen from outside.
func (s *shape) prism(with paint, y0, y1 float64, outline ...P) {
	if Area(outline) < 0 { // turn it from Z to X, so that its walls face outwards
		outline = reversed(outline)
	}
	n := len(outline)
	top, bottom := make([]geom.V, n), make([]geom.V, n)
	for i, p := range outline {
		bottom[i] = geom.V{X: p.X, Y: y0, Z: p.Z}
		top[n-1-i] = geom.V{X: p.X, Y: y1, Z: p.Z}
	}
	s.face(with, top...)
	s.face(with, bottom...)
	for i, p := range outline {
		q := outline[(i+1)%n]
		s.face(with, geom.V{X: p.X, Y: y0, Z: p.Z}, geom.V{X: p.X, Y: y1, Z: p.Z}, geom.V{X: q.X, Y: y1, Z: q.Z},
			geom.V{X: q.X, Y: y0, Z: q.Z})
	}
}

func reversed(list []P) []P {
	out := make([]P, len(list))
	for i, p := range list {
		out[len(list)-1-i] = p
	}
	return out
}

// made is the model, nil when it has no face.
func (s *shape) made() *model.Model {
	if len(s.m.Meshes[0].Parts) == 0 {
		return nil
	}
	return s.m
}
