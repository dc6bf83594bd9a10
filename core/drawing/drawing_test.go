package drawing

import (
	"bytes"
	"encoding/xml"
	"image"
	"image/color"
	"image/png"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

func sample() *Drawing {
	d := &Drawing{Title: "a <sheet> & more", W: 100, H: 60}
	d.Area(Area{Points: Rect(10, 10, 20, 10), Fill: 0.5})
	d.Line(Line{Points: []Point{{5, 30}, {95, 30}}, Width: 1, Dash: []float64{10, 10}})
	d.Text(Text{X: 50, Y: 50, Words: "8' 6\" & 2.59 m", Size: 5, Anchor: Middle})
	pic := image.NewGray(image.Rect(0, 0, 2, 1))
	pic.SetGray(0, 0, color.Gray{0})
	pic.SetGray(1, 0, color.Gray{255})
	d.Image(Image{X: 70, Y: 5, W: 20, H: 10, Picture: pic})
	return d
}

func TestPixelsLieWhereTheDrawingSays(t *testing.T) {
	var buf bytes.Buffer
	if err := sample().WritePNG(&buf, 254); err != nil { // ten pixels a millimetre
		t.Fatal(err)
	}
	m, err := png.Decode(&buf)
	if err != nil || m.Bounds().Dx() != 1000 || m.Bounds().Dy() != 600 {
		t.Fatalf("%v, %v", m.Bounds(), err)
	}
	for at, want := range map[image.Point]int{{200, 150}: 128, {95, 150}: 255, {310, 150}: 255, {100, 300}: 0,
		{200, 300}: 255, {300, 300}: 0, {720, 100}: 0, {880, 100}: 255} {
		y := color.GrayModel.Convert(m.At(at.X, at.Y)).(color.Gray).Y
		if math.Abs(float64(y)-float64(want)) > 2 {
			t.Errorf("at %v the grey is %d, want %d", at, y, want)
		}
	}
	dark := 0
	for x := 300; x < 700; x++ {
		if color.GrayModel.Convert(m.At(x, 490)).(color.Gray).Y < 100 {
			dark++
		}
	}
	if dark < 10 {
		t.Error("no words")
	}
}

func TestSVGIsWellFormedAndEscaped(t *testing.T) {
	var buf bytes.Buffer
	if err := sample().WriteSVG(&buf); err != nil {
		t.Fatal(err)
	}
	dec := xml.NewDecoder(bytes.NewReader(buf.Bytes()))
	words := ""
	for {
		tok, err := dec.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		if c, ok := tok.(xml.CharData); ok {
			words += string(c)
		}
	}
	if !strings.Contains(words, "8' 6\" & 2.59 m") || !strings.Contains(words, "a <sheet> & more") {
		t.Errorf("words %q", words)
	}
}

// pdftotext and pdfinfo, of another maker, read what was written.
func TestPDFIsReadByAnother(t *testing.T) {
	var a, b bytes.Buffer
	if err := sample().WritePDF(&a); err != nil {
		t.Fatal(err)
	}
	if err := sample().WritePDF(&b); err != nil || !bytes.Equal(a.Bytes(), b.Bytes()) {
		t.Error("the same drawing gives other bytes")
	}
	file := filepath.Join(t.TempDir(), "a.pdf")
	if err := os.WriteFile(file, a.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("pdftotext", file, "-").CombinedOutput()
	if err != nil || !strings.Contains(string(out), "8' 6\" & 2.59 m") {
		t.Errorf("%v: %s", err, out)
	}
	if out, err = exec.Command("pdfinfo", file).CombinedOutput(); err != nil || !strings.Contains(string(out),
		"Pages:           1") || !strings.Contains(string(out), "283.46 x 170.08 pts") {
		t.Errorf("%v: %s", err, out)
	}
}

func TestLinesAreCutAtTheBorder(t *testing.T) {
	d := &Drawing{W: 100, H: 100}
	d.LineWithin(Line{Points: []Point{{-50, 50}, {150, 50}, {150, 80}, {50, 80}}}, 0, 0, 100, 100)
	if len(d.Lines) != 2 || d.Lines[0].Points[0] != (Point{0, 50}) || d.Lines[0].Points[1] != (Point{100, 50}) ||
		d.Lines[1].Points[0] != (Point{100, 80}) {
		t.Errorf("%+v", d.Lines)
	}
	d.AreaWithin(Area{Points: Rect(-10, -10, 20, 20)}, 0, 0, 100, 100)
	if len(d.Areas) != 1 {
		t.Fatal("no area")
	}
	for _, p := range d.Areas[0].Points {
		if p.X < 0 || p.Y < 0 || p.X > 10 || p.Y > 10 {
			t.Errorf("%v lies outside", p)
		}
	}
}
