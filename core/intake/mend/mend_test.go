package mend

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// ball is a sphere of n rings with shared vertices.
func ball(n int) model.Part {
	p := model.Part{Surface: model.None}
	for i := 0; i <= n; i++ {
		for k := range 2 * n {
			a, b := math.Pi*float64(i)/float64(n), math.Pi*float64(k)/float64(n)
			s := math.Sin(a)
			if i == 0 || i == n {
				s = 0
			}
			p.Positions = append(p.Positions, float32(s*math.Cos(b)), float32(math.Cos(a)), float32(-s*math.Sin(b)))
		}
	}
	at := func(i, k int) uint32 { return uint32(i*2*n + k%(2*n)) }
	for i := range n {
		for k := range 2 * n {
			if i > 0 {
				p.Indices = append(p.Indices, at(i, k), at(i+1, k), at(i, k+1))
			}
			if i < n-1 {
				p.Indices = append(p.Indices, at(i, k+1), at(i+1, k), at(i+1, k+1))
			}
		}
	}
	p.Normals = p.SmoothNormals()
	return p
}

func modelOf(parts ...model.Part) *model.Model {
	m := &model.Model{}
	m.Stand(model.Mesh{Parts: parts})
	return m
}

func count(m *model.Model, k Kind) int {
	for _, f := range Measure(m) {
		if f.Kind == k {
			return f.Count
		}
	}
	return 0
}

func outward(p *model.Part) (n int) {
	for t := range p.Triangles() {
		v := p.Indices[3*t:]
		a, b, c := p.Position(v[0]), p.Position(v[1]), p.Position(v[2])
		if b.Sub(a).Cross(c.Sub(a)).Dot(a.Add(b).Add(c)) > 0 {
			n++
		}
	}
	return n
}

func TestFacesInsideOutAreFoundAndTurned(t *testing.T) {
	whole := ball(12)
	if n := count(modelOf(whole), Winding); n != 0 {
		t.Fatalf("a good ball has %d faces inside out", n)
	}
	for name, hit := range map[string]func(t int) bool{"all": func(int) bool { return true },
		"some": func(t int) bool { return t%7 == 3 }, "most": func(t int) bool { return t%7 != 3 }} {
		p := ball(12)
		want := 0
		for i := range p.Triangles() {
			if hit(i) {
				p.Indices[3*i], p.Indices[3*i+1] = p.Indices[3*i+1], p.Indices[3*i]
				want++
			}
		}
		if name == "all" {
			for i := range p.Normals {
				p.Normals[i] = -p.Normals[i]
			}
		}
		m := modelOf(p)
		if n := count(m, Winding); n != want {
			t.Errorf("%s: %d faces inside out, want %d", name, n, want)
		}
		red := 0
		for _, p := range Marked(m).Meshes[0].Parts {
			if p.Surface == 0 {
				red += p.Triangles()
			}
		}
		if red != want {
			t.Errorf("%s: %d faces are marked red, want %d", name, red, want)
		}
		Apply(m, []Kind{Winding}, DefaultCrease)
		q := &m.Meshes[0].Parts[0]
		if n := outward(q); n != q.Triangles() {
			t.Errorf("%s: %d of %d look outwards after the repair", name, n, q.Triangles())
		}
		if n := badNormals(q); n != 0 {
			t.Errorf("%s: %d normals look away after the repair", name, n)
		}
	}
}

func TestCreasesStaySharp(t *testing.T) {
	// A cube with shared corners: 40 degrees keep its edges, 100 smooth them.
	var p model.Part
	for i := range 8 {
		p.Positions = append(p.Positions, float32(i&1), float32(i>>1&1), float32(i>>2))
	}
	for _, q := range [][4]uint32{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}} {
		p.Indices = append(p.Indices, q[0], q[1], q[2], q[0], q[2], q[3])
	}
	sharp := Creased(&p, 40*math.Pi/180)
	if sharp.Vertices() != 24 {
		t.Errorf("%d vertices with sharp edges, want 24", sharp.Vertices())
	}
	for i := range sharp.Vertices() {
		n := normal(&sharp, uint32(i))
		if m := max(math.Abs(n.X), math.Abs(n.Y), math.Abs(n.Z)); math.Abs(m-1) > 1e-6 {
			t.Fatalf("normal %v of a flat side is slanted", n)
		}
	}
	smooth := Creased(&p, 100*math.Pi/180)
	if smooth.Vertices() != 8 {
		t.Errorf("%d vertices when all is smooth, want 8", smooth.Vertices())
	}
	// Three sides of equal angle meet in each corner: its normal is the diagonal.
	for i := range 8 {
		d := smooth.Position(uint32(i)).Sub(geom.V{X: 0.5, Y: 0.5, Z: 0.5}).Unit()
		if normal(&smooth, uint32(i)).Sub(d).Len() > 1e-5 {
			t.Errorf("corner %d: %v, want %v", i, normal(&smooth, uint32(i)), d)
		}
	}
}

func TestDuplicatesDegeneratesAndHoles(t *testing.T) {
	whole := ball(10)
	soup := model.Part{Surface: model.None}
	for _, v := range whole.Indices {
		soup.Positions = append(soup.Positions, whole.Positions[3*v:3*v+3]...)
		soup.Indices = append(soup.Indices, uint32(len(soup.Indices)))
	}
	n := uint32(soup.Vertices())
	soup.Positions = append(soup.Positions, 0, 0, 0, 1, 0, 0, 2, 0, 0)
	soup.Indices = append(soup.Indices, n, n+1, n+2, 0, 0, 1)
	m := modelOf(soup)
	if d := count(m, Degenerate); d != 2 {
		t.Errorf("%d faces without area, want 2", d)
	}
	places := 2 + 9*20 + 3 // two poles, nine rings, and the line
	if d := count(m, Duplicates); d != soup.Vertices()-places {
		t.Errorf("%d stand twice, want %d", d, soup.Vertices()-places)
	}
	Apply(m, []Kind{Degenerate, Duplicates}, DefaultCrease)
	p := &m.Meshes[0].Parts[0]
	if p.Triangles() != whole.Triangles() || p.Vertices() != places-3 || count(m, Holes) != 0 {
		t.Errorf("%d triangles, %d vertices, %d holes", p.Triangles(), p.Vertices(), count(m, Holes))
	}
	open := p.Only(func(t int) bool { return t != 0 && t != 150 })
	if h := count(modelOf(open), Holes); h != 2 {
		t.Errorf("%d open borders, want 2", h)
	}
}

func TestScaleIsBakedAndSurfacesAreJoined(t *testing.T) {
	m := modelOf(ball(6))
	m.Nodes[0].Local = geom.M{0: -2, 5: 1, 10: 1, 12: 5, 15: 1}
	a := model.DefaultSurface()
	b, c := a, a
	a.Name, b.Name, c.Name, c.Roughness = "a", "b", "c", 0.3
	m.Surfaces = []model.Surface{a, b, c}
	m.Meshes[0].Parts[0].Surface = 1
	before := m.Bounds()
	if count(m, Baked) != 1 || count(m, Surfaces) != 1 {
		t.Errorf("%+v", Measure(m))
	}
	Apply(m, []Kind{Baked, Surfaces}, DefaultCrease)
	after := m.Bounds()
	if count(m, Baked) != 0 || after.Min.Sub(before.Min).Len() > 1e-6 || after.Max.Sub(before.Max).Len() > 1e-6 {
		t.Errorf("%+v became %+v", before, after)
	}
	p := &m.Meshes[1].Parts[0]
	if p.Surface != 0 || count(m, Winding) != 0 {
		t.Errorf("surface %d, %d inside out", p.Surface, count(m, Winding))
	}
}

// Whatever triangles come: repairs end, and what is left can be used.
func TestOneOfTheSameSurfacesIsLeft(t *testing.T) {
	m := modelOf(ball(6), ball(6), ball(6))
	for i, n := range []string{"a", "b", "c"} {
		s := model.DefaultSurface()
		if s.Name = n; i == 1 {
			s.Roughness = 0.3
		}
		m.Surfaces = append(m.Surfaces, s)
	}
	for i := range m.Meshes {
		for k := range m.Meshes[i].Parts {
			m.Meshes[i].Parts[k].Surface = (i + k) % 3
		}
	}
	Apply(m, []Kind{Surfaces}, DefaultCrease)
	if len(m.Surfaces) != 2 || count(m, Surfaces) != 0 {
		t.Errorf("%d surfaces are left, %d the same", len(m.Surfaces), count(m, Surfaces))
	}
	for i := range m.Meshes {
		for k := range m.Meshes[i].Parts {
			if want := []int{0, 1, 0}[(i+k)%3]; m.Meshes[i].Parts[k].Surface != want {
				t.Errorf("part %d has surface %d, want %d", i+k, m.Meshes[i].Parts[k].Surface, want)
			}
		}
	}
}

func FuzzApply(f *testing.F) {
	f.Add(uint64(1), 20, 10)
	f.Fuzz(func(t *testing.T, seed uint64, triangles, vertices int) {
		if triangles < 1 || triangles > 300 || vertices < 1 || vertices > 300 {
			return
		}
		r := rand.New(rand.NewPCG(seed, 1))
		p := model.Part{Surface: model.None}
		for range 3 * vertices {
			p.Positions = append(p.Positions, float32(r.IntN(4)))
		}
		for range 3 * triangles {
			p.Indices = append(p.Indices, uint32(r.IntN(vertices)))
		}
		m := modelOf(p)
		Measure(m)
		Apply(m, []Kind{Baked, Surfaces, Degenerate, Winding, Normals, Duplicates}, r.Float64()*math.Pi)
		for _, mesh := range m.Meshes {
			for i := range mesh.Parts {
				if err := mesh.Parts[i].Check("part"); err != nil {
					t.Error(err)
				}
			}
		}
		if again := count(m, Degenerate); again != 0 {
			t.Errorf("%d faces without area are left", again)
		}
	})
}

func TestRepairsLeaveTheOriginalAlone(t *testing.T) {
	p := ball(5)
	pos, idx := slices.Clone(p.Positions), slices.Clone(p.Indices)
	m := modelOf(p)
	Apply(m, []Kind{Degenerate, Winding, Normals, Duplicates}, DefaultCrease)
	if !slices.Equal(pos, p.Positions) || !slices.Equal(idx, p.Indices) {
		t.Error("the lists that the model came with were written to")
	}
}

// A ball that is drawn in facets has valid normals, and can be smoothed; its sharp box
// is not told. Of surfaces that are the same one is left.
func TestFacetsCanBeSmoothed(t *testing.T) {
	b := ball(24)
	facet := Creased(&b, 0)
	m := modelOf(facet)
	if n := count(m, Normals); n == 0 {
		t.Error("facets are not told")
	}
	Apply(m, []Kind{Normals}, DefaultCrease)
	if n := count(m, Normals); n != 0 {
		t.Errorf("%d facets are left", n)
	}
	// Of a ball the normals are its places.
	p := &m.Meshes[0].Parts[0]
	for i := range uint32(p.Vertices()) {
		if d := normal(p, i).Dot(p.Position(i).Unit()); d < 0.99 {
			t.Fatalf("vertex %d: normal off by %v", i, math.Acos(d))
		}
	}
	smooth := Creased(&b, DefaultCrease)
	if n := count(modelOf(smooth), Normals); n != 0 {
		t.Errorf("a smooth ball has %d facets", n)
	}
}
