package obj

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"testing/fstest"

	"visator/core/model"
)

// surface reads one material library through a model that uses it.
func surface(t *testing.T, mtl string, files ...string) (*model.Model, model.Surface) {
	t.Helper()
	m := read(t, "mtllib a.mtl\n"+square+"usemtl s\nf 1 2 3 4\n", append(files, "a.mtl", "newmtl s\n"+mtl)...)
	if len(m.Surfaces) == 0 || m.Meshes[0].Parts[0].Surface == model.None {
		t.Fatalf("no surface: %v", m.Warnings)
	}
	return m, m.Surfaces[m.Meshes[0].Parts[0].Surface]
}

func TestStatementsOfAMaterial(t *testing.T) {
	for name, c := range map[string]struct {
		mtl string
		ok  func(s model.Surface) bool
	}{
		"colour": {"Kd 0.5 0.25 0.125",
			func(s model.Surface) bool { return s.BaseColor == [4]float64{0.5, 0.25, 0.125, 1} }},
		"one number for three": {"Kd 0.5",
			func(s model.Surface) bool { return s.BaseColor == [4]float64{0.5, 0.5, 0.5, 1} }},
		"physical": {"Pr 0.3\nPm 1",
			func(s model.Surface) bool { return s.Roughness == 0.3 && s.Metallic == 1 }},
		// Walter et al. 2007: alpha = sqrt(2/(n+2)); roughness = sqrt(alpha).
		"shininess": {"Ns 198", func(s model.Surface) bool { return math.Abs(s.Roughness-math.Sqrt(0.1)) < 1e-12 }},
		"dissolve": {"d 0.25",
			func(s model.Surface) bool { return s.BaseColor[3] == 0.25 && s.Alpha == model.Blend }},
		"transparency": {"Tr 0.75",
			func(s model.Surface) bool { return s.BaseColor[3] == 0.25 && s.Alpha == model.Blend }},
		"opaque":   {"d 1\nTr 0", func(s model.Surface) bool { return s.Alpha == model.Opaque }},
		"emission": {"Ke 3 2 1", func(s model.Surface) bool { return s.Emissive == [3]float64{3, 2, 1} }},
		"index":    {"Ni 1.33", func(s model.Surface) bool { return s.IOR == 1.33 }},
		"upper case": {"KD 1 0 0\nPR 0.4",
			func(s model.Surface) bool { return s.BaseColor[0] == 1 && s.Roughness == 0.4 }},
		"nonsense stays": {"Kd red green blue\nPr NaN\nPm",
			func(s model.Surface) bool { return !math.IsNaN(s.Roughness) && s.Metallic == 0 }},
		"no halo mistake": {"d -halo 0.5", func(s model.Surface) bool { return s.BaseColor[3] == 0.5 }},
	} {
		if _, s := surface(t, c.mtl+"\n"); !c.ok(s) {
			t.Errorf("%s: %+v", name, s)
		}
	}
}

func TestMapsAreFoundHoweverTheyAreNamed(t *testing.T) {
	for name, c := range map[string]struct {
		statement, file string
		role            model.Role
	}{
		"plain":            {"map_Kd red.png", "red.png", model.BaseColorMap},
		"spaces":           {"map_Kd dull red wall.png", "dull red wall.png", model.BaseColorMap},
		"windows path":     {`map_Kd maps\red.png`, "maps/red.png", model.BaseColorMap},
		"other case":       {"map_Kd RED.PNG", "red.png", model.BaseColorMap},
		"options":          {"map_Kd -s 2 3 1 -o 0.5 0.25 0 -mm 0 1 red.png", "red.png", model.BaseColorMap},
		"few numbers":      {"map_Kd -s 2 red.png", "red.png", model.BaseColorMap},
		"normal":           {"norm wall_n.png", "wall_n.png", model.NormalMap},
		"normal as a bump": {"map_Bump -bm 0.5 wall_normal.png", "wall_normal.png", model.NormalMap},
		"bump":             {"bump wall_b.png", "wall_b.png", model.HeightMap},
		"roughness":        {"map_Pr r.png", "r.png", model.RoughnessMap},
		"metal":            {"map_Pm m.png", "m.png", model.MetallicMap},
		"sheen":            {"map_Ps s.png", "s.png", model.SheenMap},
		"lacquer":          {"map_Pc c.png", "c.png", model.CoatMap},
		"rough lacquer":    {"map_Pcr c.png", "c.png", model.CoatRoughnessMap},
		"opacity":          {"map_d o.png", "o.png", model.OpacityMap},
		"emission":         {"map_Ke e.png", "e.png", model.EmissiveMap},
	} {
		m, s := surface(t, c.statement+"\n", c.file, png)
		at := s.Slots[c.role].Map
		if at == model.None || m.Maps[at].Status != model.Found {
			t.Errorf("%s: %+v %v", name, m.Maps, m.Warnings)
		}
	}
	_, s := surface(t, "map_Kd -s 2 3 1 -o 0.5 0.25 0 -clamp on red.png\nmap_Bump -bm 0.5 n_normal.png\n", "red.png",
		png, "n_normal.png", png)
	slot := s.Slots[model.BaseColorMap]
	if slot.Scale != [2]float64{2, 3} || slot.Offset != [2]float64{0.5, -0.25} || slot.WrapS != model.Clamp ||
		s.NormalScale != 0.5 {
		t.Errorf("%+v, normal %v", slot, s.NormalScale)
	}
}

func TestMapsThatLeadOutOfTheFolderAreNotFollowed(t *testing.T) {
	for _, ref := range []string{"../../secret.png", "/etc/secret.png", `C:\secret.png`,
		"http://example.org/secret.png", "file:///etc/secret.png"} {
		m, err := Read("test.obj", []byte("mtllib a.mtl\n"+square+"usemtl s\nf 1 2 3 4\n"),
			model.Folder{Root: fstest.MapFS{
				"a.mtl": {Data: []byte("newmtl s\nmap_Kd " + ref + "\n")}, "etc/secret.png": {Data: []byte(png)}}})
		if err != nil {
			t.Fatal(err)
		}
		for _, mp := range m.Maps {
			if mp.Status != model.Missing {
				t.Errorf("%s: %+v", ref, mp)
			}
		}
	}
}

// What is random in everything but its truth: the triangles of a polygon cover
// as much as the polygon, for every simple outline.
func TestTrianglesCoverTheirPolygon(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	for range 400 {
		n := 3 + r.IntN(20)
		var text strings.Builder
		area := 0.0
		var xs, ys []float64
		for i := range n { // star-shaped about the origin, so simple, but seldom convex
			a, d := 2*math.Pi*float64(i)/float64(n), 0.2+r.Float64()
			xs, ys = append(xs, d*math.Cos(a)), append(ys, d*math.Sin(a))
			fmt.Fprintf(&text, "v %.6f %.6f %.6f\n", xs[i], ys[i], xs[i]*0.3) // on a slope
		}
		for i := range n {
			j := (i + 1) % n
			area += (xs[i]*ys[j] - xs[j]*ys[i]) / 2
		}
		text.WriteString("f")
		for i := range n {
			fmt.Fprintf(&text, " %d", i+1)
		}
		p := read(t, text.String()).Meshes[0].Parts[0]
		got := 0.0
		for i := 0; i+2 < len(p.Indices); i += 3 {
			a, b, c := p.Position(p.Indices[i]), p.Position(p.Indices[i+1]), p.Position(p.Indices[i+2])
			z := b.Sub(a).Cross(c.Sub(a)).Z / 2
			if z < -1e-9 {
				t.Fatalf("a triangle of\n%s is turned over", text.String())
			}
			got += z
		}
		if p.Triangles() != n-2 || math.Abs(got-area) > 1e-5 {
			t.Fatalf("%d triangles cover %v of %v:\n%s", p.Triangles(), got, area, text.String())
		}
	}
}

// A damaged file is an error that names its line, or a model; never a panic.
func TestDamagedTextDoesNoHarm(t *testing.T) {
	whole := []byte("mtllib a.mtl\ng one\n" + square +
		"vt 0 0\nvt 1 1\nvn 0 0 1\nusemtl s\ns 1\nf 1/1/1 2/2/1 3/1/1\nf -1 -2 -3\nl 1 2\np 3\n")
	r := rand.New(rand.NewPCG(3, 4))
	refused := 0
	for range 6000 {
		bad := bytes.Clone(whole)
		for range 1 + r.IntN(4) {
			bad[r.IntN(len(bad))] = "0123456789./- vfgslp\n\\#ntex\x00\xff"[r.IntN(29)]
		}
		m, err := Read("bad.obj", bad, model.Folder{})
		if err != nil {
			if refused++; !strings.HasPrefix(err.Error(), "bad.obj: ") {
				t.Fatalf("%v", err)
			}
			continue
		}
		for _, mesh := range m.Meshes {
			for _, p := range mesh.Parts {
				for _, i := range p.Indices {
					if int(i) >= p.Vertices() {
						t.Fatalf("index %d of %d in\n%s", i, p.Vertices(), bad)
					}
				}
			}
		}
	}
	if refused < 100 {
		t.Errorf("only %d damaged files were refused", refused)
	}
}

// The statements that extend the format for physically based shading, as they are published with it (from memory).
func TestPhysicallyBasedStatements(t *testing.T) {
	_, s := surface(t, "Pr 0.3\nPm 0.8\nPs 0.4\nPc 0.9\nPcr 0.2\naniso -0.5\nanisor 0.25\n", "x.png", png)
	if s.Roughness != 0.3 || s.Metallic != 0.8 || s.Sheen != [3]float64{0.4, 0.4, 0.4} || s.Coat != 0.9 ||
		s.CoatRoughness != 0.2 || s.Brush != 0.5 || math.Abs(s.BrushTurn-math.Pi/2) > 1e-12 {
		t.Errorf("%+v", s)
	}
	if m, s := surface(t, "Pc 7\nPs x\n", "x.png", png); s.Coat != 1 || len(m.Warnings) == 0 {
		t.Errorf("%v %v", s.Coat, m.Warnings)
	}
}
