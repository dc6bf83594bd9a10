// Package mend measures the faults that downloaded meshes carry, and repairs
// them: faces inside out, shading normals, vertices that stand twice, faces
// without area, and surfaces that are the same under several names.
package mend

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/model"
)

// Kind is a repair that can be chosen.
type Kind string

// The repairs.
const (
	Winding    Kind = "winding"    // faces inside out
	Normals    Kind = "normals"    // shading normals
	Duplicates Kind = "duplicates" // vertices that stand twice
	Degenerate Kind = "degenerate" // faces without area
	Baked      Kind = "baked"      // scale or mirror in a node
	Surfaces   Kind = "surfaces"   // the same surface under several names
	Holes      Kind = "holes"      // counted, not closed
)

// Fault is what was measured.
type Fault struct {
	Kind  Kind   `json:"kind"`
	Count int    `json:"count"`
	Of    int    `json:"of,omitempty"` // how many there are in all, where that says something
	Say   string `json:"say"`
	Mend  string `json:"mend,omitempty"` // what the repair would do; empty: none is offered
}

// DefaultCrease is the angle between faces beyond which an edge stays sharp:
// common practice is 30 to 60 degrees.
const DefaultCrease = 40 * math.Pi / 180

// topology is how the triangles of a part hang together, by place.
type topology struct {
	p       *model.Part
	of      []uint32
	places  int
	edges   []edge // sorted
	shell   []int
	shells  int
	flat    []bool // triangles without area
	flatter int
}

// edge is one side of a triangle, its ends in order of their numbers.
type edge struct {
	a, b     uint32
	triangle uint32
	forward  bool // the triangle runs from a to b
}

func topologyOf(p *model.Part) *topology {
	t := &topology{p: p}
	t.of, t.places = p.Places()
	t.shell, t.shells = p.Shells()
	n := p.Triangles()
	t.flat = make([]bool, n)
	t.edges = make([]edge, 0, 3*n)
	for i := range n {
		v := p.Indices[3*i : 3*i+3]
		a, b, c := t.of[v[0]], t.of[v[1]], t.of[v[2]]
		if a == b || b == c || a == c || area(p, i) == 0 {
			t.flat[i] = true
			t.flatter++
			continue
		}
		for k, s := range [3]uint32{a, b, c} {
			e := [3]uint32{b, c, a}[k]
			t.edges = append(t.edges, edge{min(s, e), max(s, e), uint32(i), s < e})
		}
	}
	slices.SortFunc(t.edges, func(x, y edge) int {
		return cmp.Or(cmp.Compare(x.a, y.a), cmp.Compare(x.b, y.b), cmp.Compare(x.triangle, y.triangle))
	})
	return t
}

func area(p *model.Part, t int) float64 {
	a, b, c := p.Position(p.Indices[3*t]), p.Position(p.Indices[3*t+1]), p.Position(p.Indices[3*t+2])
	return b.Sub(a).Cross(c.Sub(a)).Len() / 2
}

// groups calls use for every edge with the triangles that share it.
func (t *topology) groups(use func(shared []edge)) {
	for i := 0; i < len(t.edges); {
		k := i + 1
		for k < len(t.edges) && t.edges[k].a == t.edges[i].a && t.edges[k].b == t.edges[i].b {
			k++
		}
		use(t.edges[i:k])
		i = k
	}
}

// insideOut tells which triangles must be turned over. Neighbours of a shell
// are first made to agree across the edges that exactly two share; a closed
// shell then must enclose a positive volume, the sum of a·(b×c)/6 (divergence
// theorem; Zhang and Chen, Efficient Feature Extraction for 2D/3D Objects in
// Mesh Representation, 2001). An open shell is left as most of it stands.
func (t *topology) insideOut() (turn []bool, count int) {
	n := t.p.Triangles()
	next := make([][]edge, n) // neighbours: triangle, and whether it agrees (forward)
	open := make([]bool, t.shells)
	t.groups(func(s []edge) {
		if len(s) != 2 {
			open[t.shell[s[0].triangle]] = true
			return
		}
		agree := s[0].forward != s[1].forward
		next[s[0].triangle] = append(next[s[0].triangle], edge{triangle: s[1].triangle, forward: agree})
		next[s[1].triangle] = append(next[s[1].triangle], edge{triangle: s[0].triangle, forward: agree})
	})
	turn = make([]bool, n)
	seen := make([]bool, n)
	var group []int
	for start := range n {
		if seen[start] || t.flat[start] {
			continue
		}
		group = append(group[:0], start)
		seen[start] = true
		for i := 0; i < len(group); i++ {
			at := group[i]
			for _, e := range next[at] {
				if !seen[e.triangle] {
					seen[e.triangle] = true
					turn[e.triangle] = turn[at] == e.forward // forward: the two agree as they are
					group = append(group, int(e.triangle))
				}
			}
		}
		if t.wrong(group, turn, open[t.shell[start]]) {
			for _, i := range group {
				turn[i] = !turn[i]
			}
		}
	}
	for _, f := range turn {
		if f {
			count++
		}
	}
	return turn, count
}

// wrong decides whether a group that agrees in itself must be turned as a
// whole.
func (t *topology) wrong(group []int, turn []bool, open bool) bool {
	if open {
		turned := 0
		for _, i := range group {
			if turn[i] {
				turned++
			}
		}
		return 2*turned > len(group)
	}
	origin := t.p.Position(t.p.Indices[3*group[0]])
	volume := 0.0
	for _, i := range group {
		a, b, c := t.p.Position(t.p.Indices[3*i]).Sub(origin), t.p.Position(t.p.Indices[3*i+1]).Sub(origin),
			t.p.Position(t.p.Indices[3*i+2]).Sub(origin)
		v := a.Dot(b.Cross(c))
		if turn[i] {
			v = -v
		}
		volume += v
	}
	return volume < 0
}

// holes counts the closed loops of edges that only one triangle has.
func (t *topology) holes() int {
	next := map[uint32][]uint32{}
	t.groups(func(s []edge) {
		if len(s) == 1 {
			next[s[0].a] = append(next[s[0].a], s[0].b)
			next[s[0].b] = append(next[s[0].b], s[0].a)
		}
	})
	seen := map[uint32]bool{}
	loops := 0
	for start := range next {
		if seen[start] {
			continue
		}
		loops++
		stack := []uint32{start}
		seen[start] = true
		for len(stack) > 0 {
			at := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			for _, b := range next[at] {
				if !seen[b] {
					seen[b] = true
					stack = append(stack, b)
				}
			}
		}
	}
	return loops
}

// duplicates counts the vertices that agree with another in everything, and
// returns the first of each kind and where each goes.
func duplicates(p *model.Part) (first, to []uint32, count int) {
	first, to = p.Wedges()
	return first, to, p.Vertices() - len(first)
}

// badNormals counts vertices whose shading normal is missing, not of length
// one, or looks away from every face that uses it.
func badNormals(p *model.Part) int {
	if p.Normals == nil {
		return p.Vertices()
	}
	best := make([]float32, p.Vertices())
	for i := range best {
		best[i] = -2
	}
	for t := range p.Triangles() {
		v := p.Indices[3*t : 3*t+3]
		a, b, c := p.Position(v[0]), p.Position(v[1]), p.Position(v[2])
		n := b.Sub(a).Cross(c.Sub(a)).Unit()
		for _, i := range v {
			s := n.Dot(normal(p, i))
			best[i] = max(best[i], float32(s))
		}
	}
	bad := 0
	for i, b := range best {
		l := normal(p, uint32(i)).Len()
		if b > -2 && (b < -0.1 || math.Abs(l-1) > 0.02) {
			bad++
		}
	}
	return bad
}

func normal(p *model.Part, i uint32) geom.V {
	return geom.V{X: float64(p.Normals[3*i]), Y: float64(p.Normals[3*i+1]), Z: float64(p.Normals[3*i+2])}
}

// facets counts the edges that bend by 2 to 40 degrees, and those of them at which
// the shading normals of both faces are the faces' own.
func (t *topology) facets() (sharp, bends int) {
	p := t.p
	face := func(tri uint32) geom.V {
		v := p.Indices[3*tri : 3*tri+3]
		a, b, c := p.Position(v[0]), p.Position(v[1]), p.Position(v[2])
		return b.Sub(a).Cross(c.Sub(a)).Unit()
	}
	own := func(tri uint32, n geom.V) bool {
		for _, v := range p.Indices[3*tri : 3*tri+3] {
			if normal(p, v).Dot(n) < 0.9998 { // a degree
				return false
			}
		}
		return true
	}
	least, most := math.Cos(2*math.Pi/180), math.Cos(DefaultCrease)
	t.groups(func(shared []edge) {
		if len(shared) != 2 {
			return
		}
		a, b := face(shared[0].triangle), face(shared[1].triangle)
		if d := a.Dot(b); d > least || d < most {
			return
		}
		bends++
		if own(shared[0].triangle, a) && own(shared[1].triangle, b) {
			sharp++
		}
	})
	return sharp, bends
}

// maxMeasured bounds the triangles of a part that is looked at: beyond it the
// answer would take longer than an artist waits.
const maxMeasured = 5_000_000

// Measure finds the faults of a model. Parts of more than five million
// triangles are passed over.
func Measure(m *model.Model) []Fault {
	var turned, doubled, flat, holes, closed, bad, vertices, triangles, flatless, facets, bends int
	for i := range m.Meshes {
		for k := range m.Meshes[i].Parts {
			p := &m.Meshes[i].Parts[k]
			if p.Kind != model.Triangles || p.Triangles() == 0 || p.Triangles() > maxMeasured {
				continue
			}
			t := topologyOf(p)
			_, n := t.insideOut()
			turned += n
			flat += t.flatter
			h := t.holes()
			holes += h
			if h == 0 {
				closed++
			}
			_, _, d := duplicates(p)
			doubled += d
			bad += badNormals(p)
			if p.Normals == nil {
				flatless += p.Vertices()
			} else {
				f, b := t.facets()
				facets, bends = facets+f, bends+b
			}
			vertices += p.Vertices()
			triangles += p.Triangles()
		}
	}
	var out []Fault
	add := func(k Kind, n, of int, mend, format string, args ...any) {
		if n > 0 {
			out = append(out, Fault{k, n, of, fmt.Sprintf(format, args...), mend})
		}
	}
	add(Winding, turned, triangles, "turn them over", "%d of %d faces are inside out", turned, triangles)
	switch {
	case flatless > 0:
		add(Normals, bad, vertices, "make them from the faces, sharp beyond 40°",
			"%d of %d vertices have no shading normal", flatless, vertices)
	case bad == 0 && 2*facets > bends:
		add(Normals, facets, bends, "make it smooth, sharp beyond 40°",
			"it is drawn in facets: %d of the %d edges that bend by less than 40° look sharp", facets, bends)
	default:
		add(Normals, bad, vertices, "make them anew from the faces, sharp beyond 40°",
			"the shading normals of %d of %d vertices look away from their faces", bad, vertices)
	}
	add(Duplicates, doubled, vertices, "join them", "%d of %d vertices stand twice", doubled, vertices)
	add(Degenerate, flat, triangles, "leave them out", "%d of %d faces have no area", flat, triangles)
	if n, mirrored := baked(m); n > 0 {
		add(Baked, n, len(m.Nodes), "bring it into the mesh",
			"%d nodes scale what they hold unevenly or mirror it (%d)", n, mirrored)
	}
	if n := len(m.Surfaces) - len(different(m)); n > 0 {
		add(Surfaces, n, len(m.Surfaces), "make one of them",
			"%d of %d surfaces are the same as another under a different name", n, len(m.Surfaces))
	}
	add(Holes, holes, 0, "", "open borders: %d", holes)
	return out
}

// baked counts nodes that scale unevenly or mirror.
func baked(m *model.Model) (n, mirrored int) {
	m.Walk(func(_ int, node *model.Node, w geom.M) {
		if node.Mesh == model.None {
			return
		}
		l := [3]float64{geom.V{X: w[0], Y: w[1], Z: w[2]}.Len(), geom.V{X: w[4], Y: w[5], Z: w[6]}.Len(),
			geom.V{X: w[8], Y: w[9], Z: w[10]}.Len()}
		uneven := slices.Max(l[:]) > 1.001*slices.Min(l[:])
		if w.Det3() < 0 {
			mirrored++
		}
		if uneven || w.Det3() < 0 {
			n++
		}
	})
	return n, mirrored
}

// different are the surfaces that differ in more than their name: for each,
// the first index that has it.
func different(m *model.Model) map[model.Surface]int {
	out := map[model.Surface]int{}
	for i := range m.Surfaces {
		s := m.Surfaces[i]
		s.Name = ""
		if _, ok := out[s]; !ok {
			out[s] = i
		}
	}
	return out
}

// Apply does the chosen repairs on a model whose meshes it may change. crease
// is the angle in radians beyond which edges stay sharp.
func Apply(m *model.Model, kinds []Kind, crease float64) {
	has := func(k Kind) bool { return slices.Contains(kinds, k) }
	if has(Baked) {
		bake(m)
	}
	if has(Surfaces) {
		joinSurfaces(m)
	}
	for i := range m.Meshes {
		parts := slices.Clone(m.Meshes[i].Parts)
		for k := range parts {
			p := &parts[k]
			if p.Kind != model.Triangles || p.Triangles() == 0 {
				continue
			}
			if has(Degenerate) {
				flat := topologyOf(p).flat
				*p = p.Only(func(t int) bool { return !flat[t] })
			}
			if has(Winding) {
				turnOver(p)
			}
			if has(Normals) {
				*p = Creased(p, crease)
			}
			if has(Duplicates) {
				first, to, n := duplicates(p)
				if n > 0 {
					indices := make([]uint32, len(p.Indices))
					for c, v := range p.Indices {
						indices[c] = to[v]
					}
					*p = p.Keep(first, indices)
				}
			}
		}
		m.Meshes[i].Parts = parts
	}
}

// Marked returns the model for a picture in which the faces that are inside out
// have a warm red surface of their own. m is not changed.
func Marked(m *model.Model) *model.Model {
	out := *m
	red := model.DefaultSurface()
	red.Name, red.BaseColor, red.Metallic, red.DoubleSided = "inside out", [4]float64{0.8, 0.12, 0.05, 1}, 0, true
	out.Surfaces = append(slices.Clone(m.Surfaces), red)
	out.Meshes = slices.Clone(m.Meshes)
	for i := range out.Meshes {
		var list []model.Part
		for _, p := range m.Meshes[i].Parts {
			if p.Kind != model.Triangles || p.Triangles() == 0 || p.Triangles() > maxMeasured {
				list = append(list, p)
				continue
			}
			turn, n := topologyOf(&p).insideOut()
			if n < p.Triangles() {
				list = append(list, p.Only(func(t int) bool { return !turn[t] }))
			}
			if n > 0 {
				bad := p.Only(func(t int) bool { return turn[t] })
				bad.Surface, bad.Colors = len(out.Surfaces)-1, nil
				list = append(list, bad)
			}
		}
		out.Meshes[i].Parts = list
	}
	return &out
}

func turnOver(p *model.Part) {
	turn, n := topologyOf(p).insideOut()
	if n == 0 {
		return
	}
	p.Indices = slices.Clone(p.Indices)
	facing := make([]int8, p.Vertices()) // of the faces that use a vertex: 1 stay, 2 turn, 3 both
	for t, f := range turn {
		for _, v := range p.Indices[3*t : 3*t+3] {
			facing[v] |= map[bool]int8{false: 1, true: 2}[f]
		}
		if f {
			p.Indices[3*t+1], p.Indices[3*t+2] = p.Indices[3*t+2], p.Indices[3*t+1]
		}
	}
	if p.Normals == nil {
		return
	}
	// A vertex whose faces all turn has a normal that turns, when it looked
	// the way its faces did.
	away := *p
	p.Normals = slices.Clone(p.Normals)
	best := make([]float64, p.Vertices())
	for t := range p.Triangles() {
		v := p.Indices[3*t : 3*t+3]
		a, b, c := p.Position(v[0]), p.Position(v[1]), p.Position(v[2])
		n := b.Sub(a).Cross(c.Sub(a)).Unit()
		for _, i := range v {
			best[i] += n.Dot(normal(&away, i))
		}
	}
	for i, b := range best {
		if b < 0 && facing[i] != 1 {
			for k := range 3 {
				p.Normals[3*i+k] = -p.Normals[3*i+k]
			}
		}
	}
}

// Creased returns the part with new shading normals: at each corner the mean
// of the faces around its place that lie within the crease angle of its own
// face, weighted by their angles there (Thürmer and Wüthrich, Computing Vertex
// Normals from Polygonal Facets, 1998). Corners that then differ become
// vertices of their own.
func Creased(p *model.Part, crease float64) model.Part {
	of, places := p.Places()
	n := p.Triangles()
	faces := make([]geom.V, n)
	weight := make([]float64, 3*n)
	start := make([]uint32, places+1)
	for t := range n {
		var v [3]geom.V
		for k := range v {
			v[k] = p.Position(p.Indices[3*t+k])
			start[of[p.Indices[3*t+k]]+1]++
		}
		faces[t] = v[1].Sub(v[0]).Cross(v[2].Sub(v[0])).Unit()
		for k := range v {
			a, b := v[(k+1)%3].Sub(v[k]), v[(k+2)%3].Sub(v[k])
			weight[3*t+k] = math.Atan2(a.Cross(b).Len(), a.Dot(b))
		}
	}
	for i := range places {
		start[i+1] += start[i]
	}
	corners := make([]uint32, 3*n) // by place
	fill := slices.Clone(start)
	for c, v := range p.Indices[:3*n] {
		corners[fill[of[v]]] = uint32(c)
		fill[of[v]]++
	}
	limit := math.Cos(crease)
	normals := make([]float32, 0, 9*n)
	for c, v := range p.Indices[:3*n] {
		own := faces[c/3]
		var sum geom.V
		around := corners[start[of[v]]:start[of[v]+1]]
		if len(around) > maxAround { // a fan of thousands: its own face is near enough
			around = nil
		}
		for _, o := range around {
			if f := faces[o/3]; f.Dot(own) >= limit {
				sum = sum.Add(f.Mul(weight[o]))
			}
		}
		if sum = sum.Unit(); sum == (geom.V{}) {
			if sum = own; sum == (geom.V{}) {
				sum.Y = 1
			}
		}
		normals = append(normals, float32(sum.X), float32(sum.Y), float32(sum.Z))
	}
	keys := make([][]uint32, 3)
	for k := range keys {
		keys[k] = make([]uint32, 3*n)
		for c := range keys[k] {
			keys[k][c] = math.Float32bits(normals[3*c+k])
		}
	}
	first, to := model.Weld(p.Indices[:3*n], p.Vertices(), keys...)
	from := make([]uint32, len(first))
	for i, c := range first {
		from[i] = p.Indices[c]
	}
	out := p.Keep(from, to)
	out.Normals = model.Gather(normals, 3, first)
	return out
}

// maxAround bounds the faces around one place: a cone's tip has some hundred.
const maxAround = 4096

// bake brings the scale and mirroring of nodes into their meshes, so that no
// node scales any more. Every node gets a mesh of its own where it does.
func bake(m *model.Model) {
	world := make([]geom.M, len(m.Nodes))
	var held []int
	m.Walk(func(i int, n *model.Node, w geom.M) {
		world[i] = w
		if n.Mesh != model.None {
			held = append(held, i)
		}
	})
	for _, i := range held {
		mesh := model.Mesh{Name: m.Meshes[m.Nodes[i].Mesh].Name, Parts: slices.Clone(m.Meshes[m.Nodes[i].Mesh].Parts)}
		for k := range mesh.Parts {
			mesh.Parts[k] = mesh.Parts[k].Moved(&world[i])
		}
		m.Meshes = append(m.Meshes, mesh)
		n := model.NewNode(m.Nodes[i].Name)
		n.Mesh = len(m.Meshes) - 1
		m.Nodes[i].Mesh = model.None
		m.Nodes = append(m.Nodes, n)
		m.Roots = append(m.Roots, len(m.Nodes)-1)
	}
}

func joinSurfaces(m *model.Model) {
	first := different(m)
	for i := range m.Meshes {
		m.Meshes[i].Parts = slices.Clone(m.Meshes[i].Parts)
		for k := range m.Meshes[i].Parts {
			if p := &m.Meshes[i].Parts[k]; p.Surface != model.None {
				s := m.Surfaces[p.Surface]
				s.Name = ""
				p.Surface = first[s]
			}
		}
	}
	// The others are gone: what is left moves up.
	to := make([]int, len(m.Surfaces))
	var kept []model.Surface
	for i := range m.Surfaces {
		s := m.Surfaces[i]
		s.Name = ""
		if first[s] == i {
			to[i] = len(kept)
			kept = append(kept, m.Surfaces[i])
		}
	}
	for i := range m.Meshes {
		for k := range m.Meshes[i].Parts {
			if p := &m.Meshes[i].Parts[k]; p.Surface != model.None {
				p.Surface = to[p.Surface]
			}
		}
	}
	m.Surfaces = kept
}
