package main

import (
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"visator/core/model"
)

// A floor that a file says is red is red, with a picture as the picture is, and clean or sooty as it says; what the scene
// has not, and what no surface is, is refused with a word that tells it.
func TestSurfacesInTheirPlace(t *testing.T) {
	file := stage(t, sun, down())
	dir := t.TempDir()
	at := func(name, text string) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	seen := func(over string, more ...string) (r, g, b uint32) {
		t.Helper()
		out := filepath.Join(dir, "out.png")
		args := []string{"render", file, "--size", "8x8", "--samples", "16", "--ev", "11", "--out", out}
		if over != "" {
			args = append(args, "--surfaces", over)
		}
		args = append(args, more...)
		if status, _, errs := call(t, args...); status != 0 {
			t.Fatalf("%s: %s", over, errs)
		}
		f, err := os.Open(out)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		m, err := png.Decode(f)
		if err != nil {
			t.Fatal(err)
		}
		r, g, b, _ = m.At(4, 4).RGBA()
		return r >> 8, g >> 8, b >> 8
	}
	r0, g0, _ := seen("")
	if r0 != g0 {
		t.Errorf("grey is %d %d", r0, g0)
	}
	if r, g, b := seen(at("red.json", `{"surfaces": {"matte": {"base": "#a02020"}}}`)); r < 2*g || r < 2*b {
		t.Errorf("red is %d %d %d", r, g, b)
	}
	pic, err := os.Create(filepath.Join(dir, "blue.png"))
	if err != nil {
		t.Fatal(err)
	}
	if err := png.Encode(pic, onlyColor(color.NRGBA{20, 20, 160, 255})); err != nil {
		t.Fatal(err)
	}
	pic.Close()
	if r, g, b := seen(at("blue.json", `{"surfaces": {"matte": {"base": "#ffffff", "tile": 0.5,
		"maps": {"base": "blue.png"}}}}`)); b < 2*g || b < 2*r {
		t.Errorf("blue is %d %d %d", r, g, b)
	}
	if _, g, _ := seen(at("wet.json", `{"wear": [{"dust": 1, "dustOf": "#000000"}]}`)); g >= g0 {
		t.Errorf("sooty it is %d, clean %d", g, g0)
	}
	if _, g, _ := seen(at("other.json", `{"wear": [{"dust": 1, "dustOf": "#000000", "only": ["lamp"]}]}`)); g != g0 {
		t.Errorf("what is not meant is %d, clean %d", g, g0)
	}
	if _, g, _ := seen(at("floor.json", `{"wear": [{"dust": 1, "dustOf": "#000000", "only": ["floor"]}]}`)); g >= g0 {
		t.Errorf("what is meant is %d, clean %d", g, g0)
	}
	// In a light that comes from elsewhere things are as dirty.
	lit := at("rig.json", `{"form": "visator light 1", "light": {"sunOn": true, "from": "hand", "elevation": 0.8,
		"lux": 30000}}`)
	_, clean, _ := seen("", "--light", lit)
	if _, g, _ := seen(at("sooty.json", `{"wear": [{"dust": 1, "dustOf": "#000000"}]}`), "--light", lit); g >= clean {
		t.Errorf("sooty in the light of a rig it is %d, clean %d", g, clean)
	}
	for text, want := range map[string]string{
		`{"surfaces": {"silk": {}}}`:                              `no surface "silk"; it has matte`,
		`{"surfaces": {"matte": {"base": "reddish"}}}`:            "matte",
		`{"surfaces": {"matte": {"shine": 1}}}`:                   "shine",
		`{"surfaces": {"matte": {"rough": 7}}}`:                   "roughness",
		`{"surfaces": {"matte": {"maps": {"smell": "a.png"}}}}`:   "smell",
		`{"surfaces": {"matte": {"maps": {"base": "gone.png"}}}}`: "gone.png",
		`{"wear": [{"wet": 2}]}`:                                  "wear 1",
		`{"wear": [{"wet": 1, "only": ["nobody"]}]}`:              `nothing named "nobody"`,
		`{"rain": 1}`: "rain",
		`{} {}`:       "follows",
		``:            "bad.json",
	} {
		status, _, errs := call(t, "render", file, "--size", "8x8", "--out", filepath.Join(dir, "bad.png"), "--surfaces",
			at("bad.json", text))
		if status == 0 || !strings.Contains(errs, want) || !strings.Contains(errs, "bad.json") {
			t.Errorf("%s: %d %s", text, status, errs)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "bad.png")); err == nil {
		t.Error("something was rendered")
	}
	// What is named counts with all that lies below it: a thing of a set that is handed out is a node with its model
	// below.
	m := &model.Model{Nodes: []model.Node{model.NewNode("thing"), model.NewNode("its body"), model.NewNode("other")}}
	m.Nodes[0].Children = []int{1}
	if on, err := numbered(m, []string{"thing"}); err != nil || len(on) != 2 || !on[1] || !on[2] {
		t.Error(on, err)
	}
	if on, err := numbered(m, nil); on != nil || err != nil {
		t.Error("none named is not all")
	}
}
