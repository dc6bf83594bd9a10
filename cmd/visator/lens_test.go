package main

import (
	"bytes"
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/optics"
	stages "visator/core/stage"
)

// 50 mm, f/8, c 0.03 mm: 10.467 m (S. Ray, Applied Photographic Optics); 39.60° on
// 36 mm (2·atan(w/2f), any optics handbook).
func TestLensTellsItsFieldsAndSharpness(t *testing.T) {
	status, out, errs := call(t, "lens", "--focal", "50", "--fstop", "8", "--coc", "0.03", "--json")
	var l lensLine
	if status != 0 || json.Unmarshal([]byte(out), &l) != nil {
		t.Fatalf("%d %s %s", status, out, errs)
	}
	if math.Abs(l.Hyperfocal-10.467) > 0.0005 || math.Abs(l.Horizontal-39.60) > 0.005 || l.SharpFar != nil ||
		math.Abs(l.SharpNear-l.Focus/2) > 1e-9 || math.Abs(l.BlurAtInfinity-0.03) > 1e-9 {
		t.Errorf("%+v", l)
	}
	for args, want := range map[string]string{"--focal 0": "focal length must be",
		"--focal 50 --aspect -1": "aspect must be", "--focal 50 --sensor 36": "not of the form",
		"--focal 50 --focus 0.01": "does not focus nearer", "--focal 50 x": "not asked for", "--focal fifty": "fifty"} {
		status, _, errs := call(t, append([]string{"lens"}, strings.Fields(args)...)...)
		if status != 2 || !strings.Contains(errs, want) || strings.Count(errs, "\n") != 1 {
			t.Errorf("%s: %d %q", args, status, errs)
		}
	}
}

func TestClipFitsTheRangeOfAScene(t *testing.T) {
	box := stages.ShapeModel("box") // a metre each way, on the ground
	m := &model.Model{Meshes: box.Meshes, Surfaces: box.Surfaces,
		Cameras: []model.Camera{{Name: "eye", YFov: 0.6, Aspect: 1.5, Near: 0.1, Far: 100}}}
	put := func(name string, z, s float64) {
		n := model.NewNode(name)
		n.Mesh, n.Local = 0, geom.Compose(geom.V{Y: -s / 2, Z: z}, geom.Q{W: 1}, geom.V{X: s, Y: s, Z: s})
		m.Roots, m.Nodes = append(m.Roots, len(m.Nodes)), append(m.Nodes, n)
	}
	put("near box", -5, 1)
	put("far box", -1000, 200)
	put("behind", 50, 1)
	eye := model.NewNode("eye")
	eye.Camera = 0
	m.Roots, m.Nodes = append(m.Roots, len(m.Nodes)), append(m.Nodes, eye)
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, m); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "scene.glb")
	if err := os.WriteFile(file, buf.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	status, out, errs := call(t, "clip", file, "--at", "100", "--json")
	var l clipLine
	if status != 0 || json.Unmarshal([]byte(out), &l) != nil {
		t.Fatalf("%d %s %s", status, out, errs)
	}
	if math.Abs(l.Seen.Near-4.5) > 1e-6 || math.Abs(l.Seen.Far-1100) > 1e-3 || l.First != "near box" ||
		l.Last != "far box" {
		t.Errorf("%+v", l)
	}
	if len(l.Fitted.CutByNear)+len(l.Fitted.CutByFar) != 0 || strings.Join(l.Given.CutByFar, " ") != "far box" ||
		len(l.Given.CutByNear) != 0 {
		t.Errorf("fitted %+v, given %+v", l.Fitted, l.Given)
	}
	if want := optics.DepthStep("24", 100, l.Fitted.Near, l.Fitted.Far); len(l.Steps) != 1 ||
		math.Abs(l.Steps[0].Step-want) > 1e-12 || l.Steps[0].Given < 10*want {
		t.Errorf("%+v, want %v", l.Steps, want)
	}
	for args, want := range map[string]string{file + " --camera 4": "no camera",
		file + " --depth 16": "--depth is one of", file + " --at x": "not a distance", "nothing.glb": "nothing.glb",
		"": "name one scene"} {
		if status, _, errs := call(t, append([]string{"clip"}, strings.Fields(args)...)...); status == 0 ||
			!strings.Contains(errs, want) {
			t.Errorf("%s: %d %q", args, status, errs)
		}
	}
}
