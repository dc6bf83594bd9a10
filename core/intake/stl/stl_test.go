package stl

import (
	"encoding/binary"
	"math"
	"strings"
	"testing"

	"visator/core/geom"
)

const solid = "solid a block\n facet normal 0 0 1\n  outer loop\n   vertex 0 0 0\n   vertex 2 0 0\n   vertex 0 3 " +
	"1e0\n  endloop\n endfacet\nendsolid a block\n"

// binaryOf packs triangles as the binary form has them.
func binaryOf(header string, attribute uint16, corners ...float32) []byte {
	b := make([]byte, 84)
	copy(b, header)
	binary.LittleEndian.PutUint32(b[80:], uint32(len(corners)/9))
	for i := 0; i < len(corners); i += 9 {
		b = append(b, make([]byte, 12)...)
		for _, v := range corners[i : i+9] {
			b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v))
		}
		b = binary.LittleEndian.AppendUint16(b, attribute)
	}
	return b
}

func TestBothFormsGiveTheSameModel(t *testing.T) {
	for form, data := range map[string][]byte{"ascii": []byte(solid),
		"binary":                 binaryOf("made by hand", 0, 0, 0, 0, 2, 0, 0, 0, 3, 1),
		"binary that says solid": binaryOf("solid but binary", 0, 0, 0, 0, 2, 0, 0, 0, 3, 1)} {
		m, err := Read("a.stl", data)
		if err != nil {
			t.Fatalf("%s: %v", form, err)
		}
		if w, b := m.Weigh(), m.Bounds(); w.Triangles != 1 || b.Max != (geom.V{X: 2, Y: 3, Z: 1}) || m.Up != "Z" ||
			m.Unit.From != "assumed" {
			t.Errorf("%s: %+v %+v", form, w, b)
		}
	}
}

func TestSeveralSolidsAreSeveralParts(t *testing.T) {
	m, err := Read("a.stl", []byte(solid+strings.ReplaceAll(solid, "block", "lid")))
	if err != nil || len(m.Meshes) != 2 || m.Nodes[1].Name != "a lid" {
		t.Errorf("%v, %+v", err, m.Nodes)
	}
}

func TestFacetColoursAreRead(t *testing.T) {
	m, err := Read("a.stl", binaryOf("", 0x8000|31<<10, 0, 0, 0, 1, 0, 0, 0, 1, 0))
	if err != nil || len(m.Meshes[0].Parts[0].Colors) != 12 || m.Meshes[0].Parts[0].Colors[0] != 1 ||
		m.Meshes[0].Parts[0].Colors[1] != 0 {
		t.Errorf("%v, %v", err, m.Meshes[0].Parts[0].Colors)
	}
}

func TestWhatIsWrongIsSaid(t *testing.T) {
	whole := binaryOf("", 0, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	for name, c := range map[string]struct {
		data []byte
		say  string
	}{
		"cut":   {whole[:100], "announces 1 facets, 0 are there"},
		"short": {whole[:50], "too few"},
		"none":  {whole[:84][:80:80], "too few"},
		"nan":   {binaryOf("", 0, 0, 0, 0, float32(math.NaN()), 0, 0, 0, 1, 0), "not a finite number"},
		"words": {[]byte("solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 up\n"), "line 4: \"up\" is not a number"},
		"corners": {[]byte("solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nendloop\nendfacet\nendsolid"),
			"a facet of 1 corners"},
		"unended":   {[]byte(strings.TrimSuffix(solid, "endsolid a block\n")), "ends before"},
		"no facets": {[]byte("solid nothing\nendsolid nothing"), "holds no facets"},
	} {
		if _, err := Read("a.stl", c.data); err == nil || !strings.Contains(err.Error(), c.say) ||
			!strings.HasPrefix(err.Error(), "a.stl") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(solid))
	f.Add(binaryOf("x", 0x8fff, 0, 0, 0, 1, 0, 0, 0, 1, 0))
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := Read("f.stl", data)
		if err != nil {
			return
		}
		for i := range m.Meshes {
			if err := m.Meshes[i].Parts[0].Check("part"); err != nil {
				t.Error(err)
			}
		}
	})
}
