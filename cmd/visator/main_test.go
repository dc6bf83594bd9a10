package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/model"
)

// call calls the program as a shell would, in this process.
func call(t *testing.T, args ...string) (status int, out, errs string) {
	t.Helper()
	read := func(to **os.File) func() string {
		r, w, err := os.Pipe()
		if err != nil {
			t.Fatal(err)
		}
		old := *to
		*to = w
		done := make(chan string)
		go func() {
			b, _ := io.ReadAll(r)
			done <- string(b)
		}()
		return func() string { *to = old; w.Close(); return <-done }
	}
	o, e := read(&os.Stdout), read(&os.Stderr)
	status = dispatch(t.Context(), args)
	return status, o(), e()
}

// stage writes a scene: a grey floor of albedo 0.5 a hundred metres wide,
// under a light, seen from above.
func stage(t *testing.T, light model.Light, at geom.M) string {
	t.Helper()
	p := model.Part{Kind: model.Triangles, Surface: 0, Positions: []float32{-50, 0, -50, 50, 0, -50, 50, 0, 50, -50, 0,
		50}, Normals: []float32{0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0}, Indices: []uint32{0, 2, 1, 0, 3, 2}}
	s := model.DefaultSurface()
	s.Name, s.BaseColor, s.Roughness, s.Metallic = "matte", [4]float64{0.5, 0.5, 0.5, 1}, 1, 0
	down := geom.Turn(geom.V{X: 1}, -1.5707963267948966)
	floor, cam, lamp := model.NewNode("floor"), model.NewNode("eye"), model.NewNode("lamp")
	floor.Mesh, cam.Camera, lamp.Light = 0, 0, 0
	cam.Local, lamp.Local = geom.Compose(geom.V{Y: 4}, down, geom.V{X: 1, Y: 1, Z: 1}), at
	m := &model.Model{Meshes: []model.Mesh{{Parts: []model.Part{p}}}, Surfaces: []model.Surface{s},
		Nodes: []model.Node{floor, cam, lamp}, Roots: []int{0, 1, 2},
		Cameras: []model.Camera{{Name: "above", YFov: 0.1, Aspect: 1, Near: 0.1, Far: 100}},
		Lights:  []model.Light{light}}
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, m); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "stage.glb")
	if err := os.WriteFile(path, buf.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

var sun = model.Light{Kind: model.Directional, Color: [3]float64{1, 1, 1}, Intensity: 1000}

func down() geom.M {
	return geom.Compose(geom.V{Y: 3}, geom.Turn(geom.V{X: 1}, -1.5707963267948966), geom.V{X: 1, Y: 1, Z: 1})
}

func TestCallsThatAreWrongSayWhyInOneLine(t *testing.T) {
	file := stage(t, sun, down())
	out := filepath.Join(t.TempDir(), "a.exr")
	busy, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer busy.Close()
	_, port, _ := net.SplitHostPort(busy.Addr().String())
	for name, c := range map[string]struct {
		args   []string
		status int
		words  string
	}{
		"unknown command":   {[]string{"paint"}, 2, "is not a command"},
		"no file":           {[]string{"inspect"}, 2, "name at least one file"},
		"missing file":      {[]string{"render", "gone.glb", "--out", out}, 1, "gone.glb"},
		"no such camera":    {[]string{"render", file, "--camera", "left", "--out", out}, 1, `no camera "left"`},
		"no pixels":         {[]string{"render", file, "--size", "0x0", "--out", out}, 2, "0 x 0"},
		"negative samples":  {[]string{"render", file, "--samples", "-1", "--out", out}, 2, "-1 samples"},
		"unknown pass":      {[]string{"render", file, "--passes", "heat", "--out", out}, 2, `"heat"`},
		"passes in a PNG":   {[]string{"render", file, "--passes", "depth", "--out", out + ".png"}, 2, "need an .exr"},
		"wrong picture":     {[]string{"render", file, "--out", "a.gif"}, 2, ".exr or .png"},
		"unknown flag":      {[]string{"render", file, "--colour", "red", "--out", out}, 2, "colour"},
		"light of words":    {[]string{"render", file, "--background", "a,b,c", "--out", out}, 2, "--background"},
		"no such panorama":  {[]string{"render", file, "--environment", "gone.hdr", "--out", out}, 1, "gone.hdr"},
		"bench of nothing":  {[]string{"bench"}, 2, "bench rays FILE"},
		"worker of nobody":  {[]string{"worker", "--jobs", "0"}, 2, "--jobs"},
		"a port is taken":   {[]string{"serve", "--port", port}, 1, "choose another with --port"},
		"a folder is named": {[]string{"render", t.TempDir(), "--out", out}, 1, "no model in it"},
	} {
		status, stdout, stderr := call(t, c.args...)
		if status != c.status || !strings.Contains(stderr, c.words) || strings.Count(strings.TrimSpace(stderr),
			"\n") != 0 || stdout != "" {
			t.Errorf("%s: status %d, %q, %q", name, status, stdout, stderr)
		}
	}
	if _, err := os.Stat(out); err == nil {
		t.Error("a wrong call left a picture")
	}
}

func TestEveryCommandHasHelp(t *testing.T) {
	status, out, _ := call(t, "help")
	if status != 0 {
		t.Errorf("help: %d", status)
	}
	for _, c := range commands() {
		if !strings.Contains(out, c.name) {
			t.Errorf("help does not list %s", c.name)
		}
		if status, out, _ := call(t, c.name, "--help"); status != 0 || !strings.Contains(out, "visator "+c.name) {
			t.Errorf("%s --help: %d %q", c.name, status, out)
		}
	}
}

func TestInspectTellsOneLineForEachFile(t *testing.T) {
	file := stage(t, sun, down())
	status, out, _ := call(t, "inspect", "--json", file, "gone.obj", file)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	if status != 1 || len(lines) != 3 {
		t.Fatalf("status %d, %d lines: %s", status, len(lines), out)
	}
	var r struct {
		OK                          bool
		Format, UpAxis              string
		Triangles, Vertices, Parts  int
		Materials, Cameras, Lights  int
		Unit                        struct{ Name, From string }
		Bounds                      struct{ Min, Max [3]float64 }
		Size                        struct{ Width, Height, Depth float64 }
		Textures, Warnings, Nothing []any
	}
	if err := json.Unmarshal([]byte(lines[0]), &r); err != nil {
		t.Fatal(err)
	}
	if !r.OK || r.Format != "GLB" || r.Triangles != 2 || r.Vertices != 4 || r.Parts != 1 || r.Materials != 1 ||
		r.Cameras != 1 || r.Lights != 1 || r.UpAxis != "Y" || r.Unit.Name != "metre" || r.Unit.From != "format" {
		t.Errorf("%s", lines[0])
	}
	if r.Bounds.Min != [3]float64{-50, 0, -50} || r.Bounds.Max != [3]float64{50, 0, 50} || r.Size.Width != 100 ||
		r.Size.Depth != 100 || r.Textures == nil || r.Warnings == nil {
		t.Errorf("%s", lines[0])
	}
	if !strings.Contains(lines[1], `"ok":false`) || !strings.Contains(lines[1], "gone.obj") {
		t.Errorf("%s", lines[1])
	}
}

// The same seed gives the same bytes on any number of threads, passes and all.
func TestSizesAreProposedALineForEachFile(t *testing.T) {
	dir := t.TempDir()
	file := func(name string, w, h, d float64) string {
		var b strings.Builder
		for k := range 8 {
			fmt.Fprintf(&b, "v %g %g %g\n", w*float64(k&1), h*float64(k>>1&1), d*float64(k>>2))
		}
		b.WriteString("f 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n")
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(b.String()), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	files := []string{file("dining_chair.obj", 46, 90, 52), file("kitchen_table.obj", 160, 75, 90),
		file("asset_7.obj", 40, 70, 50), filepath.Join(dir, "gone.obj"), file("point.obj", 0, 0, 0)}
	status, out, _ := call(t, append([]string{"size", "--json"}, files...)...)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	if status != 1 || len(lines) != len(files) {
		t.Fatalf("status %d, %d lines: %s", status, len(lines), out)
	}
	for i, line := range lines {
		var l struct {
			File, Error string
			Confident   bool
			Candidates  []struct {
				MetresPerUnit float64
				UpAxis        string
				Size          struct{ Width, Height, Depth float64 }
				Score         float64
				Reasons       []string
			}
		}
		if err := json.Unmarshal([]byte(line), &l); err != nil || l.File != files[i] {
			t.Fatalf("%v: %s", err, line)
		}
		if i > 2 {
			if l.Error == "" {
				t.Errorf("nothing is said of %s: %s", files[i], line)
			}
			continue
		}
		if len(l.Candidates) < 3 {
			t.Fatalf("%s", line)
		}
		c := l.Candidates[0]
		if c.MetresPerUnit != 0.01 || c.UpAxis != "Y" || c.Size.Height < 0.6 || c.Size.Height > 1 ||
			c.Score <= l.Candidates[1].Score || len(c.Reasons) == 0 || !l.Confident && i < 2 {
			t.Errorf("%s", line)
		}
	}
	if status, out, errs := call(t, append([]string{"size"}, files[:3]...)...); status != 0 || errs != "" ||
		!strings.Contains(out, "one unit is 0.01 m, +Y up: 0.46 m wide, 0.90 m high, 0.52 m deep") {
		t.Errorf("status %d: %s%s", status, out, errs)
	}
}

func TestTheSameSeedGivesTheSameFile(t *testing.T) {
	file := stage(t, model.Light{Kind: model.Point, Color: [3]float64{1, 0.8, 0.6}, Intensity: 400}, down())
	dir := t.TempDir()
	picture := func(name string, more ...string) []byte {
		out := filepath.Join(dir, name)
		if status, _, errs := call(t,
			append([]string{"render", file, "--size", "40x30", "--samples", "4", "--background", "1,1,2", "--out", out},
				more...)...); status != 0 {
			t.Fatal(errs)
		}
		data, err := os.ReadFile(out)
		if err != nil {
			t.Fatal(err)
		}
		return data
	}
	one := picture("one.exr", "--threads", "1", "--seed", "5", "--passes", "depth,normal,albedo,objectId")
	if !bytes.Equal(one, picture("two.exr", "--threads", "3", "--seed", "5", "--passes",
		"depth,normal,albedo,objectId")) {
		t.Error("three threads make another picture than one")
	}
	if bytes.Equal(one, picture("three.exr", "--seed", "6", "--passes", "depth,normal,albedo,objectId")) {
		t.Error("another seed makes the same picture")
	}
	for _, channel := range []string{"Z", "normal.X", "albedo.R", "objectId.V"} {
		if !bytes.Contains(one[:2000], []byte(channel+"\x00")) {
			t.Errorf("the channel %s is missing", channel)
		}
	}
	if png := picture("four.png", "--camera", "above", "--no-denoise", "--fstop", "2.8", "--focus",
		"4"); !bytes.HasPrefix(png, []byte("\x89PNG")) {
		t.Error("not a PNG")
	}
}

func TestABenchModelIsReadAndHit(t *testing.T) {
	path := filepath.Join(t.TempDir(), "ring.obj")
	if status, _, errs := call(t, "bench", "model", "20", path); status != 0 {
		t.Fatal(errs)
	}
	status, out, _ := call(t, "inspect", "--json", path)
	if status != 0 || !strings.Contains(out, `"triangles":800`) {
		t.Errorf("%d %s", status, out)
	}
	if status, out, _ := call(t, "bench", "read", path); status != 0 || !strings.Contains(out, "read in") {
		t.Errorf("%d %s", status, out)
	}
}
