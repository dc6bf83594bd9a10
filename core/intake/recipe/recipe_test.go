package recipe

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/png"
	"math"
	"slices"
	"strings"
	"testing"

	"visator/core/geom"
	named "visator/core/intake/maps"
	"visator/core/intake/mend"
	"visator/core/intake/parts"
	"visator/core/model"
	"visator/core/subdivide"
)

// box has a vertex of its own for each corner of each side.
func box(name string, size geom.V, at geom.V, surface int) model.Mesh {
	p := model.Part{Name: name, Surface: surface}
	for _, q := range [][4]int{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}} {
		base := uint32(p.Vertices())
		for _, i := range q {
			p.Positions = append(p.Positions, float32(at.X+size.X*float64(i&1)), float32(at.Y+size.Y*float64(i>>1&1)),
				float32(at.Z+size.Z*float64(i>>2)))
			p.UV = append(p.UV, float32(i&1), float32(i>>1&1))
		}
		p.Indices = append(p.Indices, base, base+1, base+2, base, base+2, base+3)
	}
	return model.Mesh{Name: name, Parts: []model.Part{p}}
}

// barrow is a small group: a bed with two surfaces and two loose boards, two
// wheels, a helper.
func barrow() *model.Model {
	m := &model.Model{}
	for _, n := range []string{"wood", "iron"} {
		s := model.DefaultSurface()
		s.Name = n
		m.Surfaces = append(m.Surfaces, s)
	}
	bed := box("bed", geom.V{X: 1, Y: 0.1, Z: 0.5}, geom.V{}, 0)
	bed.Parts = append(bed.Parts, box("edge", geom.V{X: 1, Y: 0.02, Z: 0.02}, geom.V{Y: 0.2}, 1).Parts[0])
	second := box("board", geom.V{X: 0.9, Y: 0.1, Z: 0.1}, geom.V{Y: 1}, 0)
	p, q := &bed.Parts[0], second.Parts[0]
	base := uint32(p.Vertices())
	p.Positions, p.UV = append(p.Positions, q.Positions...), append(p.UV, q.UV...)
	for _, i := range q.Indices {
		p.Indices = append(p.Indices, base+i)
	}
	m.Stand(bed)
	m.Stand(box("wheel", geom.V{X: 0.4, Y: 0.4, Z: 0.1}, geom.V{X: 2}, 1))
	m.Stand(box("wheel", geom.V{X: 0.4, Y: 0.4, Z: 0.1}, geom.V{X: 3}, 1))
	m.Stand(box("helper_target", geom.V{X: 9, Y: 9, Z: 9}, geom.V{}, model.None))
	return m
}

func names(m *model.Model) (out []string) {
	m.Walk(func(_ int, n *model.Node, _ geom.M) {
		if n.Mesh != model.None {
			out = append(out, n.Name)
		}
	})
	return out
}

func none(string) ([]byte, error) { return nil, errors.New("no blobs here") }

func TestPartsAreDroppedNamedSplitAndJoined(t *testing.T) {
	for name, c := range map[string]struct {
		r    Recipe
		want []string
	}{
		"helpers go":  {Recipe{}, []string{"bed", "wheel", "wheel"}},
		"helper kept": {Recipe{Keep: []string{"helper_target"}}, []string{"bed", "wheel", "wheel", "helper_target"}},
		"drop, name": {Recipe{Drop: []string{"wheel#2"}, Names: map[string]string{"wheel": "front wheel"}},
			[]string{"bed", "front wheel"}},
		"by surface": {Recipe{Split: map[string]string{"bed": "surface"}, Drop: []string{"bed/iron"}},
			[]string{"wood", "wheel", "wheel"}},
		"by shell": {Recipe{Split: map[string]string{"bed": "shell"}, Names: map[string]string{"bed/shell 2": "board"}},
			[]string{"shell 1", "board", "shell 3", "wheel", "wheel"}},
		"joined":   {Recipe{Join: []Joint{{"wheels", []string{"wheel", "wheel#2"}}}}, []string{"bed", "wheels"}},
		"lost key": {Recipe{Drop: []string{"gone"}}, []string{"bed", "wheel", "wheel"}},
	} {
		src := barrow()
		m, err := c.r.Apply(src, none)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if got := names(m); !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
		if w := src.Weigh(); w.Parts != 5 || len(src.Nodes) != 4 {
			t.Errorf("%s: the original was changed: %+v", name, w)
		}
		if name == "lost key" && len(m.Warnings) != 1 {
			t.Errorf("warnings %q", m.Warnings)
		}
	}
	// Splitting and joining keep every triangle.
	r := Recipe{Split: map[string]string{"bed": "shell"},
		Join: []Joint{{"all", []string{"bed/shell 1", "bed/shell 2", "bed/shell 3", "wheel"}}},
		Keep: []string{"helper_target"}}
	m, err := r.Apply(barrow(), none)
	if err != nil || m.Weigh().Triangles != barrow().Weigh().Triangles || m.Bounds() != barrow().Bounds() {
		t.Errorf("%v: %+v", err, m.Weigh())
	}
}

func TestPicturesAreMadeLarger(t *testing.T) {
	src := barrow()
	for i := range src.Surfaces {
		src.Surfaces[i].Slots[model.BaseColorMap] = model.Slot{Scale: [2]float64{2, 3}}
	}
	src.Maps = []model.Map{{Name: "a.png"}}
	keys := parts.SurfaceKeys(src)
	r := Recipe{Repeat: map[string]float64{keys[0]: 2}}
	m, err := r.Apply(src, none)
	if err != nil {
		t.Fatal(err)
	}
	if a, b := m.Surfaces[0].Slots[model.BaseColorMap].Scale,
		m.Surfaces[1].Slots[model.BaseColorMap].Scale; a != [2]float64{1, 1.5} || b != [2]float64{2, 3} {
		t.Errorf("scales %v and %v", a, b)
	}
	if src.Surfaces[0].Slots[model.BaseColorMap].Scale != [2]float64{2, 3} {
		t.Error("the original was changed")
	}
	for _, bad := range []float64{0, -1, math.NaN(), math.Inf(1)} {
		if (&Recipe{Repeat: map[string]float64{"a": bad}}).Check() == nil {
			t.Errorf("%v times was accepted", bad)
		}
	}
}

func picture(t *testing.T, w, h int, at func(x, y int) color.NRGBA) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.SetNRGBA(x, y, at(x, y))
		}
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

func TestMapsAreChosenByContent(t *testing.T) {
	packed := picture(t, 2, 2, func(x, y int) color.NRGBA { return color.NRGBA{10, 20, 30, 255} })
	holes := picture(t, 8, 8, func(x, y int) color.NRGBA {
		v := uint8(255 * (x % 2))
		return color.NRGBA{v, v, v, 255}
	})
	blobs := map[string][]byte{"p": packed, "o": holes}
	fetch := func(h string) ([]byte, error) { return blobs[h], nil }
	var r Recipe
	r.Set("wood", named.Roughness, Choice{Blob: "p", Name: "a_ORM.png", Channel: 2})
	r.Set("wood", named.Metallic, Choice{Blob: "p", Name: "a_ORM.png", Channel: 3, Invert: true})
	r.Set("wood", named.Normal, Choice{Blob: "p", Name: "a_N.png", Flip: true})
	r.Set("wood", named.Opacity, Choice{Blob: "o", Name: "a_mask.png"})
	src := barrow()
	m, err := r.Apply(src, fetch)
	if err != nil {
		t.Fatal(err)
	}
	s := m.Surfaces[0]
	for role, want := range map[model.Role]color.NRGBA{model.RoughnessMap: {20, 20, 20, 255},
		model.MetallicMap: {225, 225, 225, 255}, model.NormalMap: {10, 235, 30, 255}} {
		img, err := m.Maps[s.Slots[role].Map].Picture()
		if err != nil || img.NRGBAAt(0, 0) != want {
			t.Errorf("%v: %v, %v", role, img.NRGBAAt(0, 0), err)
		}
	}
	if s.Alpha != model.Mask || s.Roughness != 1 || src.Surfaces[0].Slots[model.NormalMap].Map != model.None {
		t.Errorf("%+v", s)
	}
	r.Set("wood", named.Normal, Choice{})
	if m, _ = r.Apply(src, fetch); m.Surfaces[0].Slots[model.NormalMap].Map != model.None {
		t.Error("a slot that is left empty has a map")
	}
	if _, err := r.Apply(src, none); err == nil || !strings.Contains(err.Error(), "wood") {
		t.Errorf("a picture that cannot be fetched: %v", err)
	}
}

func TestAPackedMapIsTakenApartWhenOneHalfIsReplaced(t *testing.T) {
	src := barrow()
	src.Maps = []model.Map{{Name: "mr.png", Status: model.Embedded,
		Data: picture(t, 1, 1, func(int, int) color.NRGBA { return color.NRGBA{0, 70, 80, 255} })}}
	src.Surfaces[1].Slots[model.MetalRoughMap].Map = 0
	var r Recipe
	r.Set("iron", named.Roughness, Choice{Blob: "x", Name: "r.png"})
	m, err := r.Apply(src, func(string) ([]byte, error) {
		return picture(t, 1, 1, func(int, int) color.NRGBA { return color.NRGBA{9, 9, 9, 255} }), nil
	})
	if err != nil {
		t.Fatal(err)
	}
	s := m.Surfaces[1]
	metal, err := m.Maps[s.Slots[model.MetallicMap].Map].Picture()
	if err != nil || metal.NRGBAAt(0, 0).R != 80 || s.Slots[model.MetalRoughMap].Map != model.None {
		t.Errorf("%v, %+v", err, s.Slots)
	}
}

func TestInventoryAndNeeds(t *testing.T) {
	m := barrow()
	m.Maps = []model.Map{{Name: "tex/wood_diff.jpg", Status: model.Missing}}
	m.Surfaces[0].Slots[model.BaseColorMap].Map = 0
	inv := Take(m, []string{"a.obj", "tex/iron_rough.png", "tex/wood_nor_gl.png"})
	if len(inv.Parts) != 4 || inv.Parts[0].Shells != 3 || inv.Parts[3].Helper == "" || inv.Surfaces[1].Uses != 3 ||
		len(inv.Tray) != 2 {
		t.Errorf("%+v", inv)
	}
	var r Recipe
	if r.Lacks(&inv) != 1 {
		t.Errorf("lacks %d", r.Lacks(&inv))
	}
	for _, match := range named.Find(r.Needs(&inv),
		[]string{"tex/iron_rough.png", "tex/wood_nor_gl.png", "tex/Wood_Albedo.png"}, 2) {
		r.Set(inv.Surfaces[match.Need.Surface].Key, match.Need.Role, Choose(match, "b", nil))
	}
	if r.Lacks(&inv) != 0 || r.Maps["wood"][named.BaseColor].Name != "tex/Wood_Albedo.png" ||
		r.Maps["wood"][named.Normal].Blob == "" || r.Maps["iron"][named.Roughness].Blob == "" {
		t.Errorf("%+v", r.Maps)
	}
}

func TestARecipeIsCarriedOverToANewerVersion(t *testing.T) {
	old := Take(barrow(), nil)
	next := barrow()
	next.Nodes[0].Name = "BED"     // found by name
	next.Nodes[2].Name = "roue_02" // found by shape
	next.Nodes = next.Nodes[:3]    // the helper is gone
	next.Roots = next.Roots[:3]
	next.Stand(box("lamp", geom.V{X: 0.1, Y: 0.3, Z: 0.1}, geom.V{}, 1))
	next.Surfaces[1].Name = "steel"
	fresh := Take(next, nil)
	r := Recipe{Drop: []string{"wheel#2", "bed/iron"}, Names: map[string]string{"bed": "platform",
		"helper_target": "x"}, Split: map[string]string{"bed": "surface"}, Mend: []mend.Kind{mend.Normals}}
	r.Set("wood", named.BaseColor, Choice{Blob: "b"})
	r.Set("iron", named.BaseColor, Choice{Blob: "c"})
	got, rep := r.CarryOver(&old, &fresh)
	if !slices.Equal(got.Drop, []string{"roue_02", "BED/iron"}) || got.Names["BED"] != "platform" ||
		got.Split["BED"] != "surface" || got.Maps["wood"][named.BaseColor].Blob != "b" || len(got.Mend) != 1 {
		t.Errorf("%+v", got)
	}
	if !slices.Equal(rep.Gone, []string{"helper_target"}) || !slices.Equal(rep.Fresh, []string{"lamp"}) ||
		len(rep.Lost) != 2 || len(rep.Pairs) != 2 {
		t.Errorf("%+v", rep)
	}
}

func TestRecipesThatCannotBeAreRefused(t *testing.T) {
	for name, r := range map[string]Recipe{"split": {Split: map[string]string{"a": "colour"}},
		"name": {Names: map[string]string{"a": ""}}, "join": {Join: []Joint{{"a", []string{"b"}}}},
		"mend": {Mend: []mend.Kind{"paint"}}, "crease": {Crease: 200},
		"role": {Maps: map[string]map[named.Role]Choice{"a": {"smell": {}}}}} {
		if r.Check() == nil {
			t.Errorf("%s was accepted", name)
		}
	}
	if err := (&Recipe{Crease: 30, Mend: []mend.Kind{mend.Baked}}).Check(); err != nil {
		t.Error(err)
	}
}

// What is split is split again; its own normal map is measured and can be turned; notes
// about what is not missing any more go; a picture that is used is not told as unused.
func TestDecisionsDoWhatTheySay(t *testing.T) {
	r := Recipe{Split: map[string]string{"bed": "surface", "bed/wood": "shell"}}
	out, err := r.Apply(barrow(), none)
	if err != nil || !slices.Equal(names(out), []string{"shell 1", "shell 2", "iron", "wheel", "wheel"}) {
		t.Errorf("split and split again: %q, %v, %q", names(out), err, out.Warnings)
	}

	m := barrow()
	// Bumps with green down: n = (-dz/dx, +dz/dy) where up is meant.
	bumps := func(sign float64) []byte {
		return picture(t, 64, 64, func(x, y int) color.NRGBA {
			fx, fy := float64(x)/64*4*math.Pi, float64(y)/64*4*math.Pi
			nx, ny := -0.5*math.Cos(fx)*math.Sin(fy), sign*0.5*math.Sin(fx)*math.Cos(fy)
			l := math.Sqrt(nx*nx + ny*ny + 1)
			b := func(v float64) uint8 { return uint8(math.Round((v/l + 1) * 127.5)) }
			return color.NRGBA{b(nx), b(ny), b(1), 255}
		})
	}
	m.Maps = []model.Map{{Name: "tex/wood_n.png", Status: model.Found, Mime: "image/png", Data: bumps(-1)},
		{Name: "C:\\gone.png", Status: model.Missing}}
	m.Surfaces[0].Slots[model.NormalMap].Map = 0
	m.Surfaces[1].Slots[model.BaseColorMap].Map = 1
	m.Warn("the map %.200q is not there", "C:\\gone.png")
	inv := Take(m, []string{"tex/wood_n.png", "tex/other.png"})
	cell := inv.Surfaces[0].Cells[named.Normal]
	other := barrow()
	other.Maps = []model.Map{{Name: "n", Status: model.Found, Mime: "image/png", Data: bumps(1)}}
	other.Surfaces[0].Slots[model.NormalMap].Map = 0
	up := Take(other, nil).Surfaces[0].Cells[named.Normal]
	if cell.Down == up.Down || cell.Say == "" || up.Say == "" {
		t.Errorf("its own normal map: %+v, turned %+v", cell, up)
	}
	if !slices.Equal(inv.Tray, []string{"tex/other.png"}) {
		t.Errorf("unused: %q", inv.Tray)
	}
	turned := Recipe{Turned: []string{"wood"}}
	out, err = turned.Apply(m, none)
	if err != nil {
		t.Fatal(err)
	}
	was, _ := m.Maps[0].Picture()
	is, err := out.Maps[out.Surfaces[0].Slots[model.NormalMap].Map].Picture()
	if err != nil {
		t.Fatal(err)
	}
	for i := range was.Pix {
		if want := was.Pix[i]; i%4 == 1 && is.Pix[i] != 255-want || i%4 != 1 && is.Pix[i] != want {
			t.Fatalf("byte %d: %d, was %d", i, is.Pix[i], want)
		}
	}
	if len(out.Warnings) != 1 {
		t.Errorf("still missing: %q", out.Warnings)
	}
	// Filled by hand, it is not missing any more.
	turned.Set("iron", named.BaseColor, Choice{Blob: "b", Name: "tex/other.png"})
	out, err = turned.Apply(m, func(string) ([]byte, error) { return bumps(1), nil })
	if err != nil || len(out.Warnings) != 0 {
		t.Errorf("%v, %q", err, out.Warnings)
	}
	if left := turned.Unused(inv.Tray); len(left) != 0 {
		t.Errorf("unused: %q", left)
	}
}

// A piece in another of the variants in which it comes has its surfaces, and one whose faces are divided has four times
// as many; the file's own model stays as it was.
func TestVariantsAndDividedFaces(t *testing.T) {
	src := barrow()
	src.Variants = []string{"old", "new"}
	src.Meshes[1].Parts[0].Variants = map[int]int{1: 0}
	was := src.Weigh().Triangles
	plain, err := (&Recipe{}).Apply(src, nil)
	if err != nil {
		t.Fatal(err)
	}
	r := Recipe{Variant: "new", Smooth: &subdivide.Smooth{Times: 1, Sharp: 30}}
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	m, err := r.Apply(src, nil)
	if err != nil {
		t.Fatal(err)
	}
	if n, w := m.Weigh().Triangles, plain.Weigh().Triangles; n != 4*w || src.Weigh().Triangles != was {
		t.Errorf("%d triangles of %d", n, w)
	}
	of := func(m *model.Model) (list []int) {
		m.Walk(func(_ int, n *model.Node, _ geom.M) {
			if n.Mesh != model.None && n.Name == "wheel" {
				list = append(list, m.Meshes[n.Mesh].Parts[0].Surface)
			}
		})
		return list
	}
	if a, b := of(plain), of(m); !slices.Equal(a, []int{1, 1}) || !slices.Equal(b, []int{0, 1}) {
		t.Errorf("the wheels are of %v, then of %v", a, b)
	}
	for _, bad := range []Recipe{{Variant: strings.Repeat("x", 300)}, {Smooth: &subdivide.Smooth{Times: 9}}} {
		if bad.Check() == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	old, fresh := Take(src, nil), Take(barrow(), nil)
	out, rep := r.CarryOver(&old, &fresh)
	if out.Variant != "" || out.Smooth == nil || len(rep.Lost) != 1 || !strings.Contains(rep.Lost[0], "new") {
		t.Errorf("%+v %+v", out, rep)
	}
}
