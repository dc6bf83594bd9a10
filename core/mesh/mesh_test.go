package mesh

import (
	"testing"

	"visator/core/cast"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/skin"
)

// strip is a part of n triangles along x, from a place on.
func strip(n int, from float32) model.Part {
	p := model.Part{Surface: model.None}
	for i := range n {
		x := from + float32(i)
		p.Positions = append(p.Positions, x, 0, 0, x+1, 0, 0, x, 1, 0)
		p.Indices = append(p.Indices, uint32(3*i), uint32(3*i+1), uint32(3*i+2))
	}
	return p
}

func made(t *testing.T, parts ...model.Part) *Mesh {
	t.Helper()
	m, err := New(&model.Mesh{Parts: parts}, nil, &skin.Surface{})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// Each triangle of a mesh belongs to its part, and is met where its corners are.
func TestTrianglesHaveTheirParts(t *testing.T) {
	m := made(t, strip(3, 0), model.Part{}, strip(5, 10))
	if m.Count != 8 || len(m.Parts) != 2 || m.Box.Max.X != 15 {
		t.Fatalf("%d triangles in %d parts, %v", m.Count, len(m.Parts), m.Box)
	}
	m.Build(1, nil)
	for id := range uint32(8) {
		mp, n, idx := m.Triangle(id)
		want := float64(id)
		if id >= 3 {
			want = float64(id) + 7
		}
		if got := mp.Model.Position(idx[0]).X; got != want || n != id-mp.First {
			t.Errorf("triangle %d is at %v, number %d of its part", id, got, n)
		}
		field := cast.Field{First: []uint32{0}, Stands: []cast.Stand{{Tree: m.Tree, Box: m.Box, Inv: geom.Identity}}}
		field.Build()
		q := cast.Quest{Ray: cast.New(geom.V{X: want + 0.2, Y: 0.2, Z: 3}, geom.V{Z: -1})}
		if field.Send(&q); !q.Met || q.Hit.Triangle != id {
			t.Errorf("a ray at triangle %d: %+v", id, q.Hit)
		}
	}
}

// What is merged stands where it stood, and each triangle tells of which instance it is, and which it was there.
func TestMergedMeshesKeepWhatTheyWere(t *testing.T) {
	a, b := made(t, strip(2, 0)), made(t, strip(3, 0))
	far := geom.Identity
	far[12] = 100
	all := &Mesh{Box: geom.Empty()}
	if f, g := all.Add(a, &geom.Identity, 4), all.Add(b, &far, 9); f != 0 || g != 2 {
		t.Fatalf("they begin at %d and %d", f, g)
	}
	all.Build(1, nil)
	if mp := all.PartOf(3); mp.Instance != 9 || 3-mp.First+mp.Local != 1 {
		t.Errorf("triangle 3 is of %d", mp.Instance)
	}
	if p, _, _ := all.Parts[1].corners(1); p != [3]float32{101, 0, 0} {
		t.Errorf("its corner is at %v", p)
	}
	if a.Parts[0].World != nil || all.Box.Max.X != 103 {
		t.Error("a mesh changed when it was merged")
	}
}

// Meshes are alike that share the memory of their triangles, whatever their surfaces.
func TestAlike(t *testing.T) {
	p := strip(2, 0)
	a, b, c := made(t, p), made(t, p), made(t, strip(2, 0))
	if !a.Alike(b) || a.Alike(c) || a.Alike(made(t, p, p)) {
		t.Error("told by their memory")
	}
	b.Like = a
	if b.Build(1, nil); b.Tree != a.Tree || a.Tree == nil {
		t.Error("alike meshes share a structure")
	}
}

// A library makes the meshes of a model once, knows those of the same triangles with other surfaces, and forgets what is
// not used any more.
func TestALibraryMakesMeshesOnce(t *testing.T) {
	of := func(p model.Part) *model.Model { return &model.Model{Meshes: []model.Mesh{{Parts: []model.Part{p}}}} }
	p := strip(3, 0)
	a, b, c := of(p), of(p), of(strip(3, 0))
	l := &Library{Threads: 1}
	var made [3][]*Mesh
	for i, m := range []*model.Model{a, b, c} {
		var err error
		if made[i], err = l.Meshes(m); err != nil {
			t.Fatal(err)
		}
	}
	if again, _ := l.Meshes(a); &again[0] != &made[0][0] {
		t.Error("a model's meshes are made twice")
	}
	if made[1][0].Like != made[0][0] || made[2][0].Like != nil {
		t.Error("which are alike")
	}
	clone := l.Clone()
	l.Keep(map[*model.Model]bool{b: true})
	if len(l.made) != 1 || len(l.shapes) != 1 || len(clone.made) != 3 {
		t.Errorf("%d models with %d shapes are left, %d in the clone", len(l.made), len(l.shapes), len(clone.made))
	}
}
