package main

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"visator/core/model"
)

// What is laid aside goes on: to the same bytes, and not as another picture.
func TestAPictureGoesOn(t *testing.T) {
	file := stage(t, model.Light{Kind: model.Point, Color: [3]float64{1, 0.8, 0.6}, Intensity: 400}, down())
	dir := t.TempDir()
	made := func(out string, more ...string) []byte {
		t.Helper()
		out = filepath.Join(dir, out)
		args := append([]string{"render", file, "--size", "32x32", "--bounces", "1", "--out", out}, more...)
		if status, _, errs := call(t, args...); status != 0 {
			t.Fatalf("%v: %s", args, errs)
		}
		data, err := os.ReadFile(out)
		if err != nil {
			t.Fatal(err)
		}
		return data
	}
	film := filepath.Join(dir, "lamp.film")
	first := made("a.exr", "--samples", "20", "--resume", film)
	more := made("b.exr", "--samples", "50", "--resume", film)
	if whole := made("c.exr", "--samples", "50"); !bytes.Equal(more, whole) || bytes.Equal(first, whole) {
		t.Error("20 samples and 30 more are another picture than 50")
	}
	refused := func(want string, more ...string) {
		t.Helper()
		args := append([]string{"render", file, "--size", "32x32", "--bounces", "1", "--out",
			filepath.Join(dir, "d.exr")}, more...)
		if status, _, errs := call(t, args...); status == 0 || !strings.Contains(errs, want) {
			t.Errorf("%v: status %d, %q", more, status, errs)
		}
	}
	refused("of another picture", "--samples", "60", "--resume", film, "--seed", "2")
	if err := os.WriteFile(film, []byte("no film"), 0o600); err != nil {
		t.Fatal(err)
	}
	refused(film, "--resume", film)
	refused("X0,Y0,X1,Y1", "--region", "1,2,3")
	refused("is none of a picture", "--region", "0,0,33,4")
	refused("0 to 100 percent", "--until-noise", "-1")
	if part := made("e.exr", "--region", "4,5,20,21"); len(part) >= len(first) {
		t.Errorf("a quarter of the picture takes %d bytes, the whole %d", len(part), len(first))
	}
}
