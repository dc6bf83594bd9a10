package model

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/png"
	"math"
	"strings"
	"testing"
	"testing/fstest"

	"visator/core/geom"
)

// cube has a vertex of its own for each corner of each side, or eight in all.
func cube(shared bool) *Part {
	p := &Part{Kind: Triangles, Surface: None}
	corner := func(i int) geom.V { return geom.V{X: float64(i & 1), Y: float64(i >> 1 & 1), Z: float64(i >> 2)} }
	if shared {
		for i := range 8 {
			c := corner(i)
			p.Positions = append(p.Positions, float32(c.X), float32(c.Y), float32(c.Z))
		}
	}
	for _, q := range [][4]int{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}} {
		at := uint32(p.Vertices())
		for _, i := range q {
			if c := corner(i); !shared {
				p.Positions = append(p.Positions, float32(c.X), float32(c.Y), float32(c.Z))
			}
		}
		for _, k := range []uint32{0, 1, 2, 0, 2, 3} {
			if shared {
				p.Indices = append(p.Indices, uint32(q[k]))
			} else {
				p.Indices = append(p.Indices, at+k)
			}
		}
	}
	return p
}

// The corners of a cube with shared vertices point along the diagonals: three
// sides of equal angle meet there, however they were cut into triangles.
func TestSmoothNormalsAreWeightedByAngle(t *testing.T) {
	p := cube(true)
	n := p.SmoothNormals()
	for i := range 8 {
		d := p.Position(uint32(i)).Sub(geom.V{X: 0.5, Y: 0.5, Z: 0.5}).Unit()
		got := geom.V{X: float64(n[3*i]), Y: float64(n[3*i+1]), Z: float64(n[3*i+2])}
		if got.Sub(d).Len() > 1e-6 {
			t.Errorf("corner %d: %v, want %v", i, got, d)
		}
	}
	flat := cube(false)
	for i, v := range flat.SmoothNormals() {
		if math.Abs(float64(v)) > 1e-6 && math.Abs(math.Abs(float64(v))-1) > 1e-6 {
			t.Fatalf("a side's normal is slanted at %d: %v", i, v)
		}
	}
}

func TestUpTurnsBringTheirAxisUp(t *testing.T) {
	for up, axis := range map[Axis]geom.V{"X": {X: 1}, "Y": {Y: 1}, "Z": {Z: 1}} {
		m := UpTurn(up)
		if got := m.Dir(axis); got.Sub(geom.V{Y: 1}).Len() > 1e-12 {
			t.Errorf("%s becomes %v", up, got)
		}
		if math.Abs(m.Det3()-1) > 1e-12 {
			t.Errorf("%s: mirrored", up)
		}
	}
}

func TestBoundsAndWeightCountEveryInstance(t *testing.T) {
	m := &Model{Meshes: []Mesh{{Parts: []Part{*cube(true)}}}}
	for i := range 3 {
		n := NewNode("")
		n.Mesh, n.Local = 0, geom.Compose(geom.V{X: float64(10 * i)}, geom.Q{W: 1}, geom.V{X: 1, Y: 1, Z: 1})
		m.Nodes, m.Roots = append(m.Nodes, n), append(m.Roots, i)
	}
	if w := m.Weigh(); w.Triangles != 36 || w.Vertices != 24 || w.Parts != 3 {
		t.Errorf("%+v", w)
	}
	if b := m.Bounds(); b.Min != (geom.V{}) || b.Max != (geom.V{X: 21, Y: 1, Z: 1}) {
		t.Errorf("%+v", b)
	}
	turned := m.BoundsUnder(geom.Compose(geom.V{}, geom.Turn(geom.V{Y: 1}, math.Pi/2), geom.V{X: 1, Y: 1, Z: 1}))
	if turned.Size().Sub(geom.V{X: 1, Y: 1, Z: 21}).Len() > 1e-6 {
		t.Errorf("turned: %+v", turned)
	}
}

func TestReferencesStayInTheFolder(t *testing.T) {
	f := Folder{Root: fstest.MapFS{"set/maps/Red Wall.png": {Data: []byte("x")}, "set/a%20b.png": {Data: []byte("y")},
		"outside.png": {Data: []byte("z")}}, Dir: "set"}
	for ref, want := range map[string]string{"maps/Red Wall.png": "x", `maps\Red Wall.png`: "x",
		"maps/Red%20Wall.png": "x", "MAPS/red wall.PNG": "x", "./maps/Red Wall.png": "x",
		"maps/../maps/Red Wall.png": "x",
		"a%20b.png":                 "y", "../outside.png": "z"} {
		if got, err := f.Read(ref); err != nil || string(got) != want {
			t.Errorf("%s: %q, %v", ref, got, err)
		}
	}
	for _, ref := range []string{"../../outside.png", "/outside.png", "file:outside.png", "http://a/b", `C:\a.png`,
		"..%2f..%2foutside.png", "a\x00b"} {
		if got, err := f.Read(ref); !errors.Is(err, ErrOutside) {
			t.Errorf("%q: %q, %v", ref, got, err)
		}
	}
	f.Limit = 0
	if _, err := (Folder{}).Read("a.png"); err == nil {
		t.Error("the empty folder holds a file")
	}
}

func TestPicturesAreDecodedOrRefusedInWords(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	img.SetNRGBA(1, 0, color.NRGBA{10, 20, 30, 128})
	gray := image.NewGray(image.Rect(0, 0, 2, 2))
	gray.SetGray(1, 1, color.Gray{77})
	for _, c := range []struct {
		img  image.Image
		x, y int
		want color.NRGBA
	}{{img, 1, 0, color.NRGBA{10, 20, 30, 128}}, {gray, 1, 1, color.NRGBA{77, 77, 77, 255}}} {
		var buf bytes.Buffer
		if err := png.Encode(&buf, c.img); err != nil {
			t.Fatal(err)
		}
		got, err := DecodePicture(buf.Bytes(), "a.png")
		if err != nil || got.NRGBAAt(c.x, c.y) != c.want {
			t.Errorf("%v, %v", got, err)
		}
		for _, cut := range []int{0, 7, 20, buf.Len() - 20} {
			if _, err := DecodePicture(buf.Bytes()[:cut], "a.png"); err == nil || !strings.Contains(err.Error(),
				`"a.png"`) {
				t.Errorf("cut to %d: %v", cut, err)
			}
		}
		// The header claims sixteen thousand million pixels.
		lie := bytes.Clone(buf.Bytes())
		copy(lie[16:], []byte{0, 1, 0xf0, 0, 0, 1, 0xf0, 0})
		if _, err := DecodePicture(lie, "a.png"); err == nil {
			t.Error("a picture of 126976 x 126976 pixels was decoded")
		}
	}
	for data, want := range map[string]string{"\x89PNG\r\n\x1a\n": "image/png", "\xff\xd8\xff\xe0": "image/jpeg",
		"RIFF....WEBPVP8L": "image/webp", "GIF89a": ""} {
		if got := MimeOf([]byte(data)); got != want {
			t.Errorf("%q: %q", data, got)
		}
	}
}
