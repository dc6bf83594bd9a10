package subdivide

import (
	"fmt"
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/model"
)

// Smooth says how a model is made smoother.
type Smooth struct {
	Times int     `json:"times"` // that faces are divided, 1 to MostTimes
	By    string  `json:"by"`    // "quads", "triangles", or "": by what the model was made of
	Sharp float64 `json:"sharp"` // degrees between faces from which on an edge stays sharp; 180: none does
	Near  float64 `json:"near"`  // metres from a shot's lens within which alone it is divided; 0: everywhere
}

// Limits of a smoother model.
const (
	MostTimes     = 3
	MostTriangles = 1_000_000 // while it is made each takes up to 840 bytes, measured
)

// Check says what is impossible about it.
func (s *Smooth) Check() error {
	if s.Times < 1 || s.Times > MostTimes {
		return fmt.Errorf("faces are divided 1 to %d times", MostTimes)
	}
	if s.By != "" && s.By != "quads" && s.By != "triangles" {
		return fmt.Errorf("faces are divided as quads or as triangles, not as %.40q", s.By)
	}
	if !(s.Sharp >= 0 && s.Sharp <= 180) {
		return fmt.Errorf("edges stay sharp from an angle of 0 to 180 degrees on")
	}
	if !(s.Near >= 0 && s.Near <= 1e6) {
		return fmt.Errorf("faces are divided within 0 to 1,000 km of the lens")
	}
	return nil
}

// Model makes a model smoother. What is not divided is shared.
func Model(m *model.Model, s *Smooth) (*model.Model, error) {
	if err := s.Check(); err != nil {
		return nil, err
	}
	count := 0
	for i := range m.Meshes {
		for k := range m.Meshes[i].Parts {
			count += m.Meshes[i].Parts[k].Triangles()
		}
	}
	if count<<(2*s.Times) > 2*MostTriangles {
		return nil, fmt.Errorf("%d triangles divided %d times are more than %d: divide them less often", count, s.Times,
			MostTriangles)
	}
	out := *m
	out.Meshes = slices.Clone(m.Meshes)
	for i := range out.Meshes {
		out.Meshes[i].Parts = divide(out.Meshes[i].Parts, s)
	}
	return &out, nil
}

// divide makes the parts of a mesh smoother: where they meet they stay together.
func divide(parts []model.Part, s *Smooth) []model.Part {
	m := &mesh{sharp: map[pair]bool{}}
	known := map[[3]float32]int32{}
	by := s.By
	var list []face
	for i := range parts {
		if parts[i].Kind == model.Triangles {
			list = m.add(list, int32(i), &parts[i], known)
		}
	}
	if len(list) == 0 {
		return parts
	}
	paired := m.paired(list)
	if by == "" {
		by = "triangles"
		if 10*(len(list)-len(paired)) >= 4*len(list) { // nine triangles of ten are halves of quads
			by = "quads"
		}
	}
	if m.faces = list; by == "quads" {
		m.faces = paired
	}
	m.sharpen(s.Sharp)
	for range s.Times {
		if by == "quads" {
			m = m.quads()
		} else {
			m = m.triangles()
		}
	}
	m.at = m.limit()
	return m.parts(parts)
}

// add appends the triangles of a part to a list; corners at the same place are one vertex.
func (m *mesh) add(list []face, part int32, p *model.Part, known map[[3]float32]int32) []face {
	for t := 0; t+2 < len(p.Indices); t += 3 {
		f := face{n: 3, part: part}
		for k, i := range p.Indices[t : t+3] {
			at := [3]float32(p.Positions[3*i : 3*i+3])
			v, there := known[at]
			if !there {
				v = int32(len(m.at))
				known[at] = v
				m.at = append(m.at, p.Position(i))
			}
			f.v[k] = v
			a := &f.has[k]
			if p.UV != nil {
				copy(a[0:2], p.UV[2*i:2*i+2])
			}
			if p.UV1 != nil {
				copy(a[2:4], p.UV1[2*i:2*i+2])
			}
			if p.Colors != nil {
				copy(a[4:8], p.Colors[4*i:4*i+4])
			}
		}
		if f.v[0] != f.v[1] && f.v[1] != f.v[2] && f.v[2] != f.v[0] {
			list = append(list, f)
		}
	}
	return list
}

// flat is the cosine of the angle up to which two triangles may be halves of one quad.
const flat = 0.5

// paired are the faces with two triangles that follow each other and share an edge made one quad, as programs write
// quads into files that know triangles only.
func (m *mesh) paired(list []face) (out []face) {
	for i := 0; i < len(list); i++ {
		if i+1 < len(list) && list[i].part == list[i+1].part {
			if q, ok := m.joined(&list[i], &list[i+1]); ok {
				out = append(out, q)
				i++
				continue
			}
		}
		out = append(out, list[i])
	}
	return out
}

// joined is the quad of two triangles that share an edge along which nothing changes.
func (m *mesh) joined(a, b *face) (q face, ok bool) {
	for i := range 3 {
		for k := range 3 {
			i1, k1 := (i+1)%3, (k+1)%3
			if a.v[i] != b.v[k1] || a.v[i1] != b.v[k] {
				continue
			}
			if a.has[i] != b.has[k1] || a.has[i1] != b.has[k] || m.normal(a).Dot(m.normal(b)) < flat {
				return q, false
			}
			i2, k2 := (i+2)%3, (k+2)%3
			return face{4, [4]int32{a.v[i], b.v[k2], a.v[i1], a.v[i2]},
				[4]attributes{a.has[i], b.has[k2], a.has[i1], a.has[i2]}, a.part}, a.v[i2] != b.v[k2]
		}
	}
	return q, false
}

// normal is that of a face, of length 1; zero of one without an area.
func (m *mesh) normal(f *face) geom.V {
	n := m.at[f.v[1]].Sub(m.at[f.v[0]]).Cross(m.at[f.v[2]].Sub(m.at[f.v[0]]))
	if f.n == 4 {
		n = m.at[f.v[2]].Sub(m.at[f.v[0]]).Cross(m.at[f.v[3]].Sub(m.at[f.v[1]]))
	}
	return n.Unit()
}

// sharpen makes edges sharp whose faces meet at so many degrees or more.
func (m *mesh) sharpen(degrees float64) {
	if degrees >= 180 {
		return
	}
	limit := math.Cos(degrees * math.Pi / 180)
	of, _ := m.edges()
	for p, e := range of {
		if e.faces == 2 && m.normal(&m.faces[e.of[0]]).Dot(m.normal(&m.faces[e.of[1]])) <= limit {
			m.sharp[p] = true
		}
	}
}

// corner is one of a part that is made: a vertex on one side of the sharp edges at it.
type corner struct {
	v, side int32
	has     attributes
}

// parts are the faces as triangles of the parts that they were made of, with normals that are smooth but at sharp
// edges.
func (m *mesh) parts(was []model.Part) []model.Part {
	sides, normals := m.sides()
	out := slices.Clone(was)
	index := make([]map[corner]uint32, len(was))
	for i := range out {
		if p := &out[i]; p.Kind == model.Triangles {
			p.Positions, p.Normals, p.Indices, index[i] = nil, nil, nil, map[corner]uint32{}
			if p.UV != nil {
				p.UV = []float32{}
			}
			if p.UV1 != nil {
				p.UV1 = []float32{}
			}
			if p.Colors != nil {
				p.Colors = []float32{}
			}
		}
	}
	for i := range m.faces {
		f := &m.faces[i]
		p, known := &out[f.part], index[f.part]
		var at [4]uint32
		for k := range f.n {
			c := corner{f.v[k], sides[i][k], f.has[k]}
			n, there := known[c]
			if !there {
				n = uint32(len(p.Positions) / 3)
				known[c] = n
				q, d := m.at[c.v], normals[c.side]
				p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
				p.Normals = append(p.Normals, float32(d.X), float32(d.Y), float32(d.Z))
				if p.UV != nil {
					p.UV = append(p.UV, c.has[0:2]...)
				}
				if p.UV1 != nil {
					p.UV1 = append(p.UV1, c.has[2:4]...)
				}
				if p.Colors != nil {
					p.Colors = append(p.Colors, c.has[4:8]...)
				}
			}
			at[k] = n
		}
		p.Indices = append(p.Indices, at[0], at[1], at[2])
		if f.n == 4 {
			p.Indices = append(p.Indices, at[0], at[2], at[3])
		}
	}
	return out
}

// sides numbers for each corner of each face the normal that it has: faces about a vertex that meet along edges which
// are not sharp share one.
func (m *mesh) sides() (of [][4]int32, normals []geom.V) {
	edges, order := m.edges()
	of = make([][4]int32, len(m.faces))
	up := []int32{} // union and find
	for i := range m.faces {
		for k := range m.faces[i].n {
			of[i][k] = int32(len(up))
			up = append(up, int32(len(up)))
		}
	}
	find := func(x int32) int32 {
		for up[x] != x {
			up[x] = up[up[x]]
			x = up[x]
		}
		return x
	}
	for _, p := range order {
		e := edges[p]
		if e.sharp {
			continue
		}
		f, g := &m.faces[e.of[0]], &m.faces[e.of[1]]
		for _, v := range [2]int32{p.a, p.b} {
			i, k := slices.Index(f.v[:f.n], v), slices.Index(g.v[:g.n], v)
			up[find(of[e.of[0]][i])] = find(of[e.of[1]][k])
		}
	}
	normals = make([]geom.V, len(up))
	for i := range m.faces {
		f := &m.faces[i]
		for k := range f.n {
			a, b := m.at[f.v[(k+1)%f.n]].Sub(m.at[f.v[k]]), m.at[f.v[(k+f.n-1)%f.n]].Sub(m.at[f.v[k]])
			angle := math.Acos(min(max(a.Unit().Dot(b.Unit()), -1), 1))
			of[i][k] = find(of[i][k])
			normals[of[i][k]] = normals[of[i][k]].Add(a.Cross(b).Unit().Mul(angle))
		}
	}
	for i := range normals {
		normals[i] = normals[i].Unit()
	}
	return of, normals
}
