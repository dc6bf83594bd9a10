package main

import (
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestPicturesAreCompared(t *testing.T) {
	dir := t.TempDir()
	picture := func(name string, w, h int, c color.NRGBA) string {
		m := image.NewNRGBA(image.Rect(0, 0, w, h))
		for i := range w * h {
			m.SetNRGBA(i%w, i/w, c)
		}
		f, err := os.Create(filepath.Join(dir, name))
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		if err := png.Encode(f, m); err != nil {
			t.Fatal(err)
		}
		return f.Name()
	}
	a, b := picture("a.png", 20, 10, color.NRGBA{90, 90, 90, 255}), picture("b.png", 20, 10, color.NRGBA{130, 60, 90, 255})
	heat := filepath.Join(dir, "heat.png")
	status, out, errs := call(t, "compare", a, b, "--json", "--heat", heat)
	var d struct{ Mean, Most, Seen float64 }
	if status != 0 || json.Unmarshal([]byte(out), &d) != nil || !(d.Mean > 10) || d.Seen < 0.99 {
		t.Errorf("status %d, %s %s", status, out, errs)
	}
	if info, err := os.Stat(heat); err != nil || info.Size() == 0 {
		t.Errorf("the heat: %v", err)
	}
	if status, out, _ := call(t, "compare", a, a); status != 0 || !strings.HasPrefix(out, "0.000 apart") {
		t.Errorf("with itself: %s", out)
	}
	small := picture("c.png", 2, 2, color.NRGBA{})
	for _, args := range [][]string{{a}, {a, small}, {a, filepath.Join(dir, "none.png")}} {
		if status, _, errs := call(t, append([]string{"compare"}, args...)...); status == 0 || errs == "" {
			t.Errorf("%v: status %d, %q", args, status, errs)
		}
	}
}
