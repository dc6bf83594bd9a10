package main

import (
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// A rendered picture is finished as its chain says: in the light of a warm lamp balanced it is bluer, cut to proportions
// it has black above; what is no step, or no picture, is refused, and nothing is written.
func TestFinishing(t *testing.T) {
	scene, dir := stage(t, sun, down()), t.TempDir()
	exr, out := filepath.Join(dir, "p.exr"), filepath.Join(dir, "p.png")
	if status, _, errs := call(t, "render", scene, "--size", "16x16", "--samples", "4", "--out", exr); status != 0 {
		t.Fatal(errs)
	}
	seen := func(chain string) (top, red, blue uint32) {
		t.Helper()
		args := []string{"finish", exr, "--ev", "12", "--out", out}
		if chain != "" {
			path := filepath.Join(dir, "chain.json")
			if err := os.WriteFile(path, []byte(chain), 0o600); err != nil {
				t.Fatal(err)
			}
			args = append(args, "--chain", path)
		}
		if status, _, errs := call(t, args...); status != 0 {
			t.Fatal(chain, errs)
		}
		f, err := os.Open(out)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		m, err := png.Decode(f)
		if err != nil || m.Bounds().Dx() != 16 {
			t.Fatal(m, err)
		}
		_, top, _, _ = m.At(8, 0).RGBA()
		red, _, blue, _ = m.At(8, 8).RGBA()
		return top, red, blue
	}
	top, red, blue := seen("")
	if top == 0 || red == 0 || red != blue {
		t.Fatalf("it begins as %d %d %d", top, red, blue)
	}
	if _, r, b := seen(`{"white": {"kelvin": 3000}}`); b <= r {
		t.Errorf("balanced for a warm lamp it is %d red, %d blue", r, b)
	}
	if top, _, _ := seen(`{"letterbox": {"on": true, "aspect": 2}}`); top != 0 {
		t.Errorf("cut to 2:1 its top is %d", top)
	}
	bad := filepath.Join(dir, "bad.json")
	if err := os.WriteFile(bad, []byte(`{"sparkle": {}}`), 0o600); err != nil {
		t.Fatal(err)
	}
	none := filepath.Join(dir, "none.png")
	for want, args := range map[string][]string{"sparkle": {"finish", exr, "--chain", bad, "--out", none},
		"name one": {"finish", exr}, "OpenEXR": {"finish", bad, "--out", none},
		"focal": {"finish", exr, "--focal", "0", "--out", none}} {
		if status, _, errs := call(t, args...); status == 0 || !strings.Contains(errs, want) {
			t.Errorf("%v: %d %s", args, status, errs)
		}
	}
	if _, err := os.Stat(none); err == nil {
		t.Error("something was written")
	}
}
