package cube

import (
	"bytes"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"visator/core/geom"
)

// Worked by hand: the example of a table of one dimension that turns a picture to its negative, with a domain of 0 to
// 255 as the specification shows domains; and one of three dimensions that swaps red and blue.
func TestTablesByHand(t *testing.T) {
	one, err := Read(strings.NewReader("# a negative\nTITLE \"negative\"\nLUT_1D_SIZE 2\nDOMAIN_MIN 0 0 0\n" +
		"DOMAIN_MAX 255 255 255\n1 1 1\n0 0 0\n"))
	if err != nil {
		t.Fatal(err)
	}
	if got := one.At(geom.V{X: 0, Y: 63.75, Z: 300}); got.Sub(geom.V{X: 1, Y: 0.75, Z: 0}).Len() > 1e-7 ||
		one.Title != "negative" {
		t.Errorf("%v, %q", got, one.Title)
	}
	three, err := Read(strings.NewReader("LUT_3D_SIZE 2\n0 0 0\n0 0 1\n0 1 0\n0 1 1\n1 0 0\n1 0 1\n1 1 0\n1 1 1\n"))
	if err != nil {
		t.Fatal(err)
	}
	if got := three.At(geom.V{X: 0.25, Y: 0.5, Z: 0.875}); got.Sub(geom.V{X: 0.875, Y: 0.5, Z: 0.25}).Len() > 1e-7 {
		t.Errorf("red and blue swapped: %v", got)
	}
}

func TestWhatIsNoTableIsToldByItsLine(t *testing.T) {
	for text, want := range map[string]string{
		"LUT_3D_SIZE 1\n0 0 0\n":               "line 1: a size of \"1\" cannot be",
		"LUT_1D_SIZE 2\n0 0 0\n":               "1 entries, its size asks for 2",
		"LUT_1D_SIZE 2\n0 0 0\n1 1 1\n1 1 1\n": "line 4: more than the 2 entries",
		"LUT_1D_SIZE 2\n0 0\n1 1 1\n":          "line 2: \"0 0\" are not three numbers",
		"LUT_1D_SIZE 2\n0 0 x\n1 1 1\n":        "line 2: \"x\" is no number",
		"LUT_1D_SIZE 2\n0 0 1e308\n1 1 1\n":    "line 2",
		"0 0 0\n":                              "line 1: numbers before the size",
		"":                                     "no .cube file",
		"LUT_1D_SIZE 2\nDOMAIN_MAX 0 1 1\n0 0 0\n1 1 1\n": "its domain",
		"LUT_1D_SIZE 2\nLUT_3D_SIZE 2\n":                  "line 2: a second size",
		"LUT_4D_SIZE 2\n":                                 "line 1: \"LUT_4D_SIZE\" is not known",
		"LUT_3D_SIZE 99999999999999999999\n":              "line 1: a size",
		"LUT_1D_SIZE 2\nDOMAIN_MIN 0 0\n0 0 0\n1 1 1\n":   "line 2",
	} {
		if _, err := Read(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", text, err, want)
		}
	}
}

// What is written is read again; a smooth function is met between entries to the square of their distance.
func TestTablesAreWrittenAndReadAgain(t *testing.T) {
	f := func(v geom.V) geom.V {
		return geom.V{X: v.X * v.X, Y: math.Sqrt(0.2 + v.Y*v.Z), Z: 1 - v.Z*v.X}
	}
	c := Of("a \"look\"", 33, f)
	var out bytes.Buffer
	if err := c.Write(&out); err != nil {
		t.Fatal(err)
	}
	got, err := Read(&out)
	if err != nil || got.Size != 33 || !got.Three || got.Title != "a look" {
		t.Fatal(got, err)
	}
	r := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		v := geom.V{X: r.Float64(), Y: r.Float64(), Z: r.Float64()}
		if d := got.At(v).Sub(f(v)).Len(); d > 0.002 {
			t.Fatalf("at %v off by %v", v, d)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add("LUT_1D_SIZE 2\n0 0 0\n1 1 1\n")
	f.Add("LUT_3D_SIZE 2\n0 0 0\n0 0 1\n0 1 0\n0 1 1\n1 0 0\n1 0 1\n1 1 0\n1 1 1\n")
	f.Fuzz(func(t *testing.T, text string) {
		c, err := Read(strings.NewReader(text))
		if err != nil {
			return
		}
		if v := c.At(geom.V{X: 0.3, Y: -1, Z: 2}); !v.Finite() {
			t.Errorf("%v", v)
		}
	})
}
