package ply

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"
	"testing/fstest"
	"testing/iotest"

	"visator/core/geom"
	"visator/core/model"
)

const header = `ply
format %s 1.0
comment a quad and a triangle
element vertex 5
property float x
property float y
property double z
property uchar red
property uchar green
property uchar blue
element face 2
property list uchar int vertex_indices
end_header
`

var vertices = [][3]float64{{0, 0, 0}, {2, 0, 0}, {2, 1, 0}, {0, 1, 0}, {1, 3, 0.5}}
var faces = [][]int32{{0, 1, 2, 3}, {3, 2, 4}}

func sample(format string) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, header, format)
	order := binary.AppendByteOrder(binary.LittleEndian)
	if format == "binary_big_endian" {
		order = binary.BigEndian
	}
	for _, v := range vertices {
		if format == "ascii" {
			fmt.Fprintln(&b, v[0], v[1], v[2], 255, 128, 0)
			continue
		}
		raw := order.AppendUint32(nil, math.Float32bits(float32(v[0])))
		raw = order.AppendUint32(raw, math.Float32bits(float32(v[1])))
		raw = order.AppendUint64(raw, math.Float64bits(v[2]))
		b.Write(append(raw, 255, 128, 0))
	}
	for _, f := range faces {
		if format == "ascii" {
			fmt.Fprintln(&b, len(f), strings.Trim(fmt.Sprint(f), "[]"))
			continue
		}
		raw := []byte{byte(len(f))}
		for _, i := range f {
			raw = order.AppendUint32(raw, uint32(i))
		}
		b.Write(raw)
	}
	return b.Bytes()
}

func TestAllThreeFormsGiveTheSameModel(t *testing.T) {
	for _, format := range []string{"ascii", "binary_little_endian", "binary_big_endian"} {
		m, err := Read("a.ply", sample(format), model.Folder{})
		if err != nil {
			t.Fatalf("%s: %v", format, err)
		}
		p := m.Meshes[0].Parts[0]
		if w := m.Weigh(); w.Triangles != 3 || w.Vertices != 5 || m.Bounds().Max != (geom.V{X: 2, Y: 3, Z: 0.5}) {
			t.Errorf("%s: %+v %+v", format, w, m.Bounds())
		}
		// IEC 61966-2-1: 128/255 encoded is 0.2159 linear.
		if c := p.Colors[:4]; c[0] != 1 || math.Abs(float64(c[1])-0.2159) > 1e-4 || c[2] != 0 || c[3] != 1 {
			t.Errorf("%s: colours %v", format, c)
		}
	}
}

func TestPlainTrianglesAndStripsAndClouds(t *testing.T) {
	head := "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n"
	points := "0 0 0\n1 0 0\n0 1 0\n1 1 0\n"
	for name, c := range map[string]struct {
		text      string
		kind      model.Kind
		triangles int
		count     int
	}{
		"strip": {head + "element tristrips 1\nproperty list int int vertex_indices\nend_header\n" + points +
			"4 0 1 2 3\n", model.Triangles, 2, 6},
		"strips": {head + "element tristrips 1\nproperty list int int vertex_indices\nend_header\n" + points +
			"7 0 1 2 -1 1 2 3\n", model.Triangles, 2, 6},
		"cloud": {head + "end_header\n" + points, model.Points, 0, 4},
		"edges": {head + "element edge 1\nproperty int vertex1\nproperty int vertex2\nend_header\n" + points + "0 3\n",
			model.Lines, 0, 2},
		"other": {head + "element face 1\nproperty list uchar int vertex_index\nproperty int flags\nelement thing " +
			"2\nproperty list uchar float x\nend_header\n" + points + "3 0 1 2 7\n2 1.5 2\n0\n", model.Triangles, 1, 3},
	} {
		m, err := Read("a.ply", []byte(c.text), model.Folder{})
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		p := m.Meshes[0].Parts[0]
		if p.Kind != c.kind || m.Weigh().Triangles != c.triangles || len(p.Indices) != c.count {
			t.Errorf("%s: kind %v, %v", name, p.Kind, p.Indices)
		}
	}
}

func TestTextureCoordinatesOfFacesSplitTheirCorners(t *testing.T) {
	text := "ply\nformat ascii 1.0\ncomment TextureFile My Wood.png\nelement vertex 4\nproperty float x\nproperty " +
		"float y\nproperty float z\nelement face 2\nproperty list uchar int vertex_indices\nproperty list uchar float " +
		"texcoord\nend_header\n" +
		"0 0 0\n1 0 0\n1 1 0\n0 1 0\n3 0 1 2 6 0 0 1 0 1 1\n3 0 2 3 6 0 0 0.5 1 0 1\n"
	folder := model.Folder{Root: fstest.MapFS{"My Wood.png": {Data: []byte("\x89PNG\r\n\x1a\n0000")}}}
	m, err := Read("a.ply", []byte(text), folder)
	if err != nil {
		t.Fatal(err)
	}
	p := m.Meshes[0].Parts[0]
	if p.Vertices() != 5 || p.UV[1] != 1 || m.Maps[0].Status != model.Found || p.Surface != 0 {
		t.Errorf("%d vertices, uv %v, maps %+v", p.Vertices(), p.UV, m.Maps)
	}
}

func TestWhatIsWrongIsSaid(t *testing.T) {
	whole := sample("binary_little_endian")
	vertex := strings.Replace(fmt.Sprintf(header, "ascii"), "element vertex 5", "element vertex 1", 1)
	for name, c := range map[string]struct{ text, say string }{
		"no ply":     {"obj", "does not begin"},
		"no end":     {"ply\nformat ascii 1.0\n", "no end"},
		"format":     {"ply\nformat cipher 1.0\nend_header\n", "not one of PLY"},
		"line":       {"ply\nformat ascii 1.0\nnonsense here\nend_header\n", "line 3"},
		"cut vertex": {string(whole[:len(whole)-70]), "ends within vertex"},
		"cut face":   {string(whole[:len(whole)-5]), "ends within face 1"},
		"lie": {strings.Replace(string(whole), "element vertex 5", "element vertex 2000000000", 1),
			"announces 2000000000"},
		"word":     {vertex + "0 0 up 1 1 1\n", "line 14"},
		"index":    {vertex + "0 0 0 1 1 1\n3 0 1 2\n3 0 0 0\n", "names vertex 1, there are 1"},
		"no place": {"ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nend_header\n1\n", "no x, y and z"},
		"nothing":  {"ply\nformat ascii 1.0\nend_header\n", "no vertices"},
	} {
		if _, err := Read("a.ply", []byte(c.text), model.Folder{}); err == nil || !strings.Contains(err.Error(),
			c.say) || !strings.HasPrefix(err.Error(), "a.ply") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// A file of several windows, whose faces are triangles at first and then not,
// read in small bites.
func TestLargeFilesAreReadInWindows(t *testing.T) {
	const n, odd = 150_000, 120_000 // vertices and faces; the face that is a quad
	for name, order := range map[string]binary.AppendByteOrder{"little": binary.LittleEndian, "big": binary.BigEndian} {
		data := fmt.Appendf(nil,
			"ply\nformat binary_%s_endian 1.0\nelement vertex %d\nproperty float x\nproperty float "+
				"y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face %d\nproperty "+
				"list uchar uint vertex_indices\nend_header\n", name, n, n)
		for i := range n {
			for _, v := range []float32{float32(i), float32(i) / 2, 1} {
				data = order.AppendUint32(data, math.Float32bits(v))
			}
			data = append(data, byte(i), 0, 255)
		}
		for i := range n {
			corners := []uint32{uint32(i), uint32((i + 1) % n), uint32((i + 7) % n)}
			if i == odd {
				corners = append(corners, uint32(i+9))
			}
			data = append(data, byte(len(corners)))
			for _, c := range corners {
				data = order.AppendUint32(data, c)
			}
		}
		m, err := ReadStream("big.ply", iotest.HalfReader(bytes.NewReader(data)), int64(len(data)), model.Folder{})
		if err != nil {
			t.Fatal(err)
		}
		p := &m.Meshes[0].Parts[0]
		if p.Vertices() != n || len(p.Indices) != 3*(n+1) {
			t.Fatalf("%s: %d vertices, %d indices", name, p.Vertices(), len(p.Indices))
		}
		for i := range n {
			if p.Positions[3*i] != float32(i) || p.Positions[3*i+1] != float32(i)/2 ||
				p.Colors[4*i] != model.Linear8(byte(i)) {
				t.Fatalf("%s: vertex %d is %v", name, i, p.Position(uint32(i)))
			}
		}
		if last := p.Indices[len(p.Indices)-3:]; last[0] != n-1 || last[1] != 0 || last[2] != 6 {
			t.Errorf("%s: the last face is %v", name, last)
		}
		for _, cut := range []int{1 << 20, len(data) - 5} {
			if _, err := ReadStream("cut.ply", bytes.NewReader(data[:cut]), int64(cut), model.Folder{}); err == nil ||
				!strings.Contains(err.Error(), "ends within") {
				t.Errorf("%s cut at %d: %v", name, cut, err)
			}
			if _, err := ReadStream("cut.ply", bytes.NewReader(data[:cut]), int64(len(data)),
				model.Folder{}); err == nil {
				t.Errorf("%s: shorter than it says, and read", name)
			}
		}
		broken := io.MultiReader(bytes.NewReader(data[:1<<20]), iotest.ErrReader(errors.New("the disk is gone")))
		if _, err := ReadStream("a.ply", broken, int64(len(data)), model.Folder{}); err == nil ||
			!strings.Contains(err.Error(), "the disk is gone") {
			t.Errorf("a failing disk: %v", err)
		}
	}
}

func FuzzRead(f *testing.F) {
	for _, format := range []string{"ascii", "binary_little_endian", "binary_big_endian"} {
		f.Add(sample(format))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := Read("f.ply", data, model.Folder{})
		if err != nil {
			return
		}
		if err := m.Meshes[0].Parts[0].Check("part"); err != nil {
			t.Error(err)
		}
	})
}
