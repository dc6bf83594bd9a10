package obj

import (
	"encoding/binary"
	"math"
	"strings"
	"testing"
	"testing/fstest"
	"unicode/utf16"

	"visator/core/geom"
	"visator/core/model"
)

func read(t *testing.T, text string, files ...string) *model.Model {
	t.Helper()
	root := fstest.MapFS{}
	for i := 0; i+1 < len(files); i += 2 {
		root[files[i]] = &fstest.MapFile{Data: []byte(files[i+1])}
	}
	m, err := Read("test.obj", []byte(text), model.Folder{Root: root})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

const square = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n"

const png = "\x89PNG\r\n\x1a\n0000"

func TestEveryWayToWriteAFace(t *testing.T) {
	for name, text := range map[string]string{
		"plain": square + "f 1 2 3 4", "negative": square + "f -4 -3 -2 -1", "all three": square +
			"vt 0 0\nvn 0 0 1\nf 1/1/1 2/1/1 3/1/1 4/1/1",
		"no texture": square + "vn 0 0 1\nf 1//1 2//1 3//1 4//1", "trailing slash": square +
			"vt 0 0\nf 1/1/ 2/1/ 3/1/ 4/1/",
		"mixed":         square + "vt 0 0\nf 1/1 2 3/1 4",
		"free spacing":  strings.ReplaceAll(square, " ", "  \t ") + "  f\t1   2 3\t4  \n",
		"windows lines": strings.ReplaceAll(square+"f 1 2 3 4\n", "\n", "\r\n"),
		"old mac lines": strings.ReplaceAll(square+"f 1 2 3 4\n", "\n", "\r"),
		"continued":     square + "f 1 2 \\\n 3 4", "continued on windows": square + "f 1 2 \\\r\n 3 4",
		"comments": "# a\n" + square + "f 1 2 3 4 # the only one\n#end", "faces first": "f 1 2 3 4\n" + square,
	} {
		m := read(t, text)
		if w := m.Weigh(); w.Triangles != 2 {
			t.Errorf("%s: %d triangles", name, w.Triangles)
		}
		if s := m.Bounds().Size(); s != (geom.V{X: 1, Y: 1}) {
			t.Errorf("%s: size %v", name, s)
		}
	}
}

func TestNumbersInEveryNotation(t *testing.T) {
	m := read(t, "v +1.5e1 -.25 1e-3\nv 2. 0,5 123456789.125\nv 0 0 0\nf 1 2 3")
	want := []float32{15, -0.25, 0.001, 2, 0.5, 123456789.125, 0, 0, 0}
	for i, v := range m.Meshes[0].Parts[0].Positions {
		if v != want[i] {
			t.Errorf("number %d is %v, want %v", i, v, want[i])
		}
	}
}

func TestUTF16IsRead(t *testing.T) {
	for _, order := range []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian} {
		data := order.AppendUint16(nil, 0xfeff)
		for _, u := range utf16.Encode([]rune(square + "o Bänke\nf 1 2 3 4\n")) {
			data = order.AppendUint16(data, u)
		}
		m, err := Read("u.obj", data, model.Folder{})
		if err != nil || m.Meshes[0].Name != "Bänke" {
			t.Errorf("%v: %v", order, err)
		}
	}
}

// The area of the triangles of a concave polygon is the area of the polygon,
// and there are two fewer of them than corners.
func TestConcavePolygonsAreCutWithinTheirOutline(t *testing.T) {
	shapes := map[string][][2]float64{
		"L":     {{0, 0}, {3, 0}, {3, 1}, {1, 1}, {1, 3}, {0, 3}},
		"arrow": {{0, 0}, {2, 1}, {0, 2}, {0.5, 1}},
		"comb":  {{0, 0}, {7, 0}, {7, 3}, {6, 3}, {6, 1}, {5, 1}, {5, 3}, {4, 3}, {4, 1}, {3, 1}, {3, 3}, {0, 3}},
	}
	var star [][2]float64
	for i := range 14 {
		r, a := 1+float64(i%2)*1.5, 2*math.Pi*float64(i)/14
		star = append(star, [2]float64{r * math.Cos(a), r * math.Sin(a)})
	}
	shapes["star"] = star
	for name, pts := range shapes {
		var p model.Part
		area := 0.0
		face := make([]uint32, len(pts))
		for i, q := range pts {
			// Standing askew in space, so that no axis helps.
			v := geom.Turn(geom.V{X: 1, Y: 2, Z: 3}.Unit(), 1).Rotate(geom.V{X: q[0], Y: q[1]})
			p.Positions = append(p.Positions, float32(v.X), float32(v.Y), float32(v.Z))
			face[i] = uint32(i)
			n := pts[(i+1)%len(pts)]
			area += (q[0]*n[1] - n[0]*q[1]) / 2
		}
		out := model.Cut(&p, face, []uint32{uint32(len(face))})
		sum := 0.0
		for i := 0; i < len(out); i += 3 {
			a, b, c := p.Position(out[i]), p.Position(out[i+1]), p.Position(out[i+2])
			sum += b.Sub(a).Cross(c.Sub(a)).Len() / 2
		}
		if len(out) != 3*(len(pts)-2) || math.Abs(sum-area) > 1e-5 {
			t.Errorf("%s: %d triangles of area %v, want %d of %v", name, len(out)/3, sum, len(pts)-2, area)
		}
	}
}

func TestGroupsAndSurfacesMakeParts(t *testing.T) {
	m := read(t, "mtllib my things.mtl\n"+square+"o seat of oak\nusemtl dark oak\nf 1 2 3\nusemtl iron\nf 1 3 4\no "+
		"leg\nf 1 2 4\n",
		"my things.mtl", "newmtl dark oak\nKd 0.3 0.2 0.1\nmap_Kd -s 2 3 1 -o 0.5 0.25 0 C:\\work\\maps\\Oak "+
			"Planks.PNG\nnewmtl iron\nPr 0.25\nPm 1\nd 0.5\n", "oak planks.png", png)
	if len(m.Meshes) != 2 || m.Meshes[0].Name != "seat of oak" || len(m.Meshes[0].Parts) != 2 ||
		len(m.Meshes[1].Parts) != 1 {
		t.Fatalf("meshes %+v", m.Meshes)
	}
	oak, iron := m.Surfaces[m.Meshes[0].Parts[0].Surface], m.Surfaces[m.Meshes[0].Parts[1].Surface]
	slot := oak.Slots[model.BaseColorMap]
	if oak.Name != "dark oak" || slot.Scale != [2]float64{2, 3} || slot.Offset[0] != 0.5 ||
		m.Maps[slot.Map].Status != model.Found {
		t.Errorf("oak %+v, maps %+v", slot, m.Maps)
	}
	if iron.Roughness != 0.25 || iron.Metallic != 1 || iron.BaseColor[3] != 0.5 || iron.Alpha != model.Blend {
		t.Errorf("iron %+v", iron)
	}
	if m.Unit.From != "assumed" {
		t.Errorf("unit %+v", m.Unit)
	}
}

func TestSmoothingGroupsRoundAndSplitEdges(t *testing.T) {
	roof := "v 0 0 0\nv 1 0 0\nv 1 1 1\nv 0 1 1\nv 1 0 2\nv 0 0 2\n"
	smooth := read(t, roof+"s 1\nf 1 2 3 4\nf 4 3 5 6\n").Meshes[0].Parts[0]
	if smooth.Vertices() != 6 {
		t.Errorf("smooth: %d vertices, want 6 shared ones", smooth.Vertices())
	}
	split := read(t, roof+"s 1\nf 1 2 3 4\ns 2\nf 4 3 5 6\n").Meshes[0].Parts[0]
	if split.Vertices() != 8 {
		t.Errorf("split: %d vertices, want 8", split.Vertices())
	}
	flat := read(t, roof+"s off\nf 1 2 3 4\nf 4 3 5 6\n").Meshes[0].Parts[0]
	if flat.Normals != nil {
		t.Error("faces without smoothing got shading normals")
	}
}

func TestMissingThingsAreWarningsAndNotTheEnd(t *testing.T) {
	m := read(t, "mtllib gone.mtl\n"+square+"usemtl nowhere\nf 1 2 3\n")
	if len(m.Warnings) != 2 || !strings.Contains(m.Warnings[0], "line 1") || !strings.Contains(m.Warnings[0],
		"gone.mtl") {
		t.Errorf("warnings %q", m.Warnings)
	}
	m = read(t, "mtllib a.mtl\n"+square+"usemtl m\nf 1 2 3\n", "a.mtl", "newmtl m\nmap_Kd ../../etc/passwd\n")
	if m.Maps[0].Status != model.Missing || !strings.Contains(strings.Join(m.Warnings, " "),
		"lay on its author's disk") {
		t.Errorf("maps %+v, warnings %q", m.Maps, m.Warnings)
	}
}

func TestWhatIsWrongIsNamedWithItsLine(t *testing.T) {
	for name, c := range map[string][2]string{
		"index past the end": {square + "f 1 2 9", "9"}, "index zero": {square + "f 0 1 2",
			"line 5"}, "too negative": {square + "f -5 1 2", "line 5"},
		"letters": {square + "f a b c", "line 5"}, "not a number": {"v 0 zero 0", "line 1"},
		"NaN": {"v nan 0 0\n", "line 1"}, "two coordinates": {"v 1 2\n", "line 1"},
		"texture past the end": {square + "vt 0 0\nf 1/7 2/1 3/1", "7"}, "nothing": {"# only words\n", "no vertices"},
		"huge index": {square + "f 99999999999999999999 1 2", "line 5"},
	} {
		_, err := Read("bad.obj", []byte(c[0]), model.Folder{})
		if err == nil || !strings.Contains(err.Error(), c[1]) || !strings.HasPrefix(err.Error(), "bad.obj: ") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(square + "vt 0 0\nvn 0 0 1\ns 1\no a\nusemtl b\nf 1/1/1 2 3//1 4\nl 1 2\np 3\n"))
	f.Add([]byte("\xff\xfev\x00 \x001\x00"))
	f.Add([]byte("v 1 2 3 4\\\n5 6\nf -1 -1 -1 -1 -1"))
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := Read("f.obj", data, model.Folder{})
		if err != nil {
			return
		}
		for _, mesh := range m.Meshes {
			for _, p := range mesh.Parts {
				for _, i := range p.Indices {
					if int(i) >= p.Vertices() {
						t.Fatalf("index %d of %d vertices", i, p.Vertices())
					}
				}
				for _, v := range p.Positions {
					if v-v != 0 {
						t.Fatal("a coordinate is not a number")
					}
				}
				if p.UV != nil && len(p.UV) != 2*p.Vertices() || p.Normals != nil && len(p.Normals) != 3*p.Vertices() {
					t.Fatal("attributes and vertices differ in number")
				}
			}
		}
	})
}
