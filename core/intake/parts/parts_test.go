package parts

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// box is a box of a size that stands at a place, in its own coordinates.
func box(size, at geom.V, surface int) model.Part {
	p := model.Part{Surface: surface}
	for _, q := range [][4]int{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}} {
		base := uint32(p.Vertices())
		for _, i := range q {
			p.Positions = append(p.Positions, float32(at.X+size.X*float64(i&1)), float32(at.Y+size.Y*float64(i>>1&1)),
				float32(at.Z+size.Z*float64(i>>2)))
		}
		p.Indices = append(p.Indices, base, base+1, base+2, base, base+2, base+3)
	}
	return p
}

// tree is a group "cart" with a bed and two wheels that share a mesh, and a
// lone box beside it.
func tree() *model.Model {
	m := &model.Model{Surfaces: []model.Surface{model.DefaultSurface(), model.DefaultSurface(), model.DefaultSurface()}}
	m.Surfaces[0].Name, m.Surfaces[1].Name, m.Surfaces[2].Name = "wood", "wood", ""
	m.Meshes = []model.Mesh{{Name: "bed", Parts: []model.Part{box(geom.V{X: 2, Y: 1, Z: 1}, geom.V{}, 0),
		box(geom.V{X: 1, Y: 1, Z: 1}, geom.V{Y: 5}, 1)}},
		{Name: "wheel", Parts: []model.Part{box(geom.V{X: 1, Y: 1, Z: 0.2}, geom.V{}, 1)}},
		{Name: "lone", Parts: []model.Part{box(geom.V{X: 1, Y: 1, Z: 1}, geom.V{}, model.None)}}}
	add := func(name string, mesh int, local geom.M, children ...int) int {
		n := model.NewNode(name)
		n.Mesh, n.Local, n.Children = mesh, local, children
		m.Nodes = append(m.Nodes, n)
		return len(m.Nodes) - 1
	}
	bed := add("bed", 0, geom.Identity)
	w1, w2 := add("wheel", 1, geom.Translation(geom.V{X: 3})), add("wheel", 1, geom.Translation(geom.V{X: 6}))
	cart := add("cart/1", model.None, geom.Scaling(2), bed, w1, w2)
	m.Roots = []int{cart, add("", 2, geom.Translation(geom.V{X: -9}))}
	return m
}

func keys(list []Part) (out []string) {
	for _, p := range list {
		out = append(out, p.Key)
	}
	return out
}

func TestPartsAreListedWithKeysSizesAndShells(t *testing.T) {
	list := List(tree())
	if got := keys(list); !slices.Equal(got, []string{"cart-1/bed", "cart-1/wheel", "cart-1/wheel#2", "part"}) {
		t.Fatalf("%q", got)
	}
	bed := list[0]
	if bed.Triangles != 24 || bed.Shells != 2 || bed.Group != "cart-1" ||
		bed.Size.Sub(geom.V{X: 4, Y: 12, Z: 2}).Len() > 1e-6 || !slices.Equal(bed.Surfaces, []int{0, 1}) {
		t.Errorf("%+v", bed)
	}
	// Two boxes, each side four times as large under the group's scale:
	// 2(2·1+2·1+1·1)·4 + 6·4.
	if math.Abs(bed.Area-64) > 1e-4 {
		t.Errorf("area %v", bed.Area)
	}
	if list[3].Name != "lone" || list[3].Center.Sub(geom.V{X: -8.5, Y: 0.5, Z: 0.5}).Len() > 1e-6 {
		t.Errorf("%+v", list[3])
	}
	if got := SurfaceKeys(tree()); !slices.Equal(got, []string{"wood", "wood#2", "surface"}) {
		t.Errorf("%q", got)
	}
}

// Names of helpers are the trade's habits, from memory; what is a thing is told by what
// it is.
func TestHelpersAreTold(t *testing.T) {
	one := geom.V{X: 1, Y: 1, Z: 1}
	for _, c := range []struct {
		name    string
		size    geom.V
		at      geom.V
		surface int // 0: painted, 1: grey
		many    int // boxes it is made of
		want    bool
	}{
		{"UCX_wall_01", one.Mul(3), geom.V{}, model.None, 1, true}, {"wall_collision", one.Mul(5), geom.V{X: 9}, 1, 30,
			true},
		{"col", geom.V{X: 4, Y: 4, Z: 4}, geom.V{}, 1, 1, true}, {"col", one, geom.V{X: 9}, 1, 1, false},
		{"Camera.Target", one.Mul(0.1), geom.V{X: 2}, 1, 1, true},
		{"lamp_helper", one.Mul(9), geom.V{}, model.None, 1, true},
		{"bone", geom.V{X: 0.1, Y: 0.5, Z: 0.1}, geom.V{}, model.None, 1, true},
		{"column", one, geom.V{}, 1, 1, false}, {"nullarbor rock", one, geom.V{}, 1, 1, false},
		{"trombone", one, geom.V{}, 1, 1, false},
		{"bottle_empty", one.Mul(0.3), geom.V{X: 3}, 1, 8, false}, {"archery_target", one, geom.V{X: 3}, 0, 1, false},
		{"dinosaur_bone", one, geom.V{X: 3}, 1, 20, false}, {"col_doric", geom.V{X: 1, Y: 5, Z: 1}, geom.V{X: 8}, 1, 1,
			false},
		{"wall_collision", one, geom.V{}, 0, 1, false},
	} {
		m := tree()
		m.Surfaces[0].BaseColor = [4]float64{0.5, 0.2, 0.1, 1}
		wall := box(one.Mul(4), geom.V{}, 0)
		for range 3 {
			b := box(one.Mul(4), geom.V{}, 0)
			for _, v := range b.Indices {
				wall.Indices = append(wall.Indices, uint32(wall.Vertices())+v)
			}
			wall.Positions = append(wall.Positions, b.Positions...)
		}
		m.Stand(model.Mesh{Name: "wall", Parts: []model.Part{wall}})
		thing := model.Mesh{Name: c.name}
		for range c.many {
			thing.Parts = append(thing.Parts, box(c.size, c.at, c.surface))
		}
		m.Stand(thing)
		list := List(m)
		if got := list[len(list)-1].Helper; (got != "") != c.want {
			t.Errorf("%q: helper %q, want %v", c.name, got, c.want)
		}
	}
	// Alone, it is what was meant, whatever it is called.
	m := &model.Model{}
	m.Stand(model.Mesh{Name: "UCX_wall", Parts: []model.Part{box(one, geom.V{}, model.None)}})
	m.Stand(model.Mesh{Name: "target", Parts: []model.Part{box(one, geom.V{}, model.None)}})
	for _, p := range List(m) {
		if p.Helper != "" {
			t.Errorf("%s is left out of a model that has nothing else: %s", p.Name, p.Helper)
		}
	}
	m.Meshes[0].Parts[0].Indices = nil
	if list := List(m); list[0].Helper == "" || list[1].Helper != "" {
		t.Errorf("a part without faces is no helper, or the last is one: %+v", list)
	}
}

func TestSplittingKeepsPlacesAndTriangles(t *testing.T) {
	for by, want := range map[string][]string{"surface": {"cart-1/bed/wood", "cart-1/bed/wood#2"},
		"shell": {"cart-1/bed/shell 1", "cart-1/bed/shell 2"}} {
		m := tree()
		m.Surfaces[1].Name = "iron"
		if by == "surface" {
			want[1] = "cart-1/bed/iron"
		}
		before, weight := m.Bounds(), m.Weigh().Triangles
		if err := Split(m, 0, by); err != nil {
			t.Fatal(err)
		}
		if got := keys(List(m)); !slices.Equal(got[:2], want) {
			t.Errorf("by %s: %q, want %q", by, got, want)
		}
		if m.Bounds() != before || m.Weigh().Triangles != weight {
			t.Errorf("by %s: %+v became %+v", by, before, m.Bounds())
		}
		if err := Split(m, 0, by); err == nil {
			t.Errorf("by %s: what holds nothing was split", by)
		}
	}
}

func TestManyShellsAreBounded(t *testing.T) {
	p := model.Part{Surface: model.None}
	for i := range 3 * maxPieces {
		b := box(geom.V{X: 1, Y: 1, Z: 1}, geom.V{X: float64(2 * i)}, 0)
		base := uint32(p.Vertices())
		p.Positions = append(p.Positions, b.Positions...)
		for _, v := range b.Indices {
			p.Indices = append(p.Indices, base+v)
		}
	}
	m := &model.Model{}
	m.Stand(model.Mesh{Name: "gravel", Parts: []model.Part{p}})
	if err := Split(m, 0, "shell"); err != nil {
		t.Fatal(err)
	}
	list := List(m)
	if len(list) != maxPieces || m.Weigh().Triangles != 12*3*maxPieces {
		t.Errorf("%d pieces, %d triangles", len(list), m.Weigh().Triangles)
	}
}

func TestJoiningBakesPlacesAndKeepsSurfacesApart(t *testing.T) {
	m := tree()
	before := m.Bounds()
	Join(m, []int{0, 1, 2}, "cart")
	Prune(m)
	list := List(m)
	if got := keys(list); !slices.Equal(got, []string{"part", "cart"}) {
		t.Fatalf("%q", got)
	}
	if m.Bounds() != before || list[1].Triangles != 48 || len(list[1].Surfaces) != 2 || len(m.Meshes) != 2 {
		t.Errorf("%+v, %d meshes", list[1], len(m.Meshes))
	}
}

func TestPruneLeavesOutWhatNothingUses(t *testing.T) {
	m := tree()
	m.Maps = []model.Map{{Name: "a"}, {Name: "b"}, {Name: "c"}}
	m.Surfaces[0].Slots[model.BaseColorMap].Map = 2
	m.Surfaces[2].Slots[model.BaseColorMap].Map = 0 // on no part
	m.Nodes[1].Mesh, m.Nodes[2].Mesh = model.None, model.None
	Prune(m)
	if len(m.Maps) != 1 || m.Maps[0].Name != "c" || m.Surfaces[0].Slots[model.BaseColorMap].Map != 0 ||
		m.Surfaces[2].Slots[model.BaseColorMap].Map != model.None {
		t.Errorf("maps %+v", m.Maps)
	}
	if len(m.Meshes) != 2 || len(m.Nodes[3].Children) != 1 {
		t.Errorf("%d meshes, children %v", len(m.Meshes), m.Nodes[3].Children)
	}
}

func TestPartsOfANewerVersionAreFound(t *testing.T) {
	shape := func(key string, x, y, z float64) Part {
		s := geom.V{X: x, Y: y, Z: z}
		return Part{Key: key, Name: key, Triangles: 12, Size: s, Area: 2 * (x*y + y*z + x*z)}
	}
	old := []Part{shape("a", 1, 2, 3), shape("b", 1, 1, 1), shape("Lid", 5, 1, 1), shape("old", 9, 1, 4)}
	fresh := []Part{shape("lid", 5, 1, 1.2), shape("b", 7, 7, 1), shape("renamed", 200, 300, 100),
		shape("new", 1, 8, 8)}
	pairs, gone, extra := Match(old, fresh)
	want := []Pair{{"b", "b", "key"}, {"Lid", "lid", "name"}, {"a", "renamed", "shape"}}
	if !slices.Equal(pairs, want) || len(gone) != 1 || gone[0].Key != "old" || len(extra) != 1 ||
		extra[0].Key != "new" {
		t.Errorf("%+v, gone %+v, new %+v", pairs, keys(gone), keys(extra))
	}
	if d := Alike(&old[0], &fresh[2]); d > 1e-9 { // turned and a hundred times larger
		t.Errorf("the same shape differs by %v", d)
	}
	if !math.IsInf(Alike(&old[0], &Part{}), 1) {
		t.Error("a shape is like nothing")
	}
}

// Whatever is split and joined, no triangle is lost and every key is unique.
func FuzzSplitAndJoin(f *testing.F) {
	f.Add(uint8(1), uint8(2), true)
	f.Fuzz(func(t *testing.T, a, b uint8, shells bool) {
		m := tree()
		Detach(m)
		by := map[bool]string{true: "shell", false: "surface"}[shells]
		want := m.Weigh().Triangles
		_ = Split(m, int(a)%len(m.Nodes), by)
		Join(m, []int{int(b) % len(m.Nodes), int(a) % len(m.Nodes)}, fmt.Sprint("joined ", b))
		if got := m.Weigh().Triangles; got != want && int(a)%5 != int(b)%5 {
			t.Errorf("%d triangles became %d", want, got)
		}
		seen := map[string]bool{}
		for _, p := range List(m) {
			if seen[p.Key] {
				t.Errorf("the key %q comes twice", p.Key)
			}
			seen[p.Key] = true
		}
	})
}
