package main

import (
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"visator/core/exchange"
	shapes "visator/core/stage"
	"visator/core/surface"
)

// A picture that is three quarters of one colour and a quarter of another has that palette.
func TestPaletteOfAPicture(t *testing.T) {
	m := image.NewNRGBA(image.Rect(0, 0, 40, 10))
	for i := range 400 {
		c := color.NRGBA{200, 40, 30, 255}
		if i%40 < 10 {
			c = color.NRGBA{20, 60, 140, 255}
		}
		m.SetNRGBA(i%40, i/40, c)
	}
	file := filepath.Join(t.TempDir(), "board.png")
	f, err := os.Create(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := png.Encode(f, m); err != nil {
		t.Fatal(err)
	}
	f.Close()
	status, out, errs := call(t, "palette", file, "--colours", "3", "--json")
	var got struct{ Colours []surface.Swatch }
	if err := json.Unmarshal([]byte(out), &got); status != 0 || err != nil || len(got.Colours) != 2 {
		t.Fatal(status, out, errs, err)
	}
	if got.Colours[0].Color != "#c8281e" || math.Abs(got.Colours[0].Share-0.75) > 1e-9 || got.Colours[1].Color != "#143c8c" {
		t.Errorf("%+v", got)
	}
	for _, args := range [][]string{{"palette"}, {"palette", file, "--colours", "2"}, {"palette", "nothing.png"},
		{"palette", "surface_test.go"}} {
		if status, _, errs := call(t, args...); status == 0 || errs == "" {
			t.Errorf("%v: %d %s", args, status, errs)
		}
	}
}

func TestSurfacesOfAModel(t *testing.T) {
	m := shapes.ShapeModel("box")
	m.Surfaces[0].Name, m.Surfaces[0].Metallic, m.Surfaces[0].Coat = "paint", 0.5, 0.25
	file := filepath.Join(t.TempDir(), "box.glb")
	f, err := os.Create(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := exchange.WriteGLB(f, m); err != nil {
		t.Fatal(err)
	}
	f.Close()
	status, out, errs := call(t, "surface", "--json", file)
	var l surfaceLine
	if err := json.Unmarshal([]byte(out), &l); status != 0 || err != nil {
		t.Fatal(status, errs, err)
	}
	if l.Surface != "paint" || l.Material.Coat != 0.25 || l.Share != 1 || !strings.Contains(l.Doubts, "50 % metal") {
		t.Errorf("%+v", l)
	}
}

// onlyColor is a small picture of one colour.
func onlyColor(c color.NRGBA) *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, 4, 4))
	for i := range 16 {
		m.SetNRGBA(i%4, i/4, c)
	}
	return m
}
