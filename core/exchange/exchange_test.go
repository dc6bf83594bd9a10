package exchange

import (
	"bytes"
	"image"
	"image/png"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/intake/obj"
	"visator/core/model"
)

func sample() *model.Model {
	s := model.DefaultSurface()
	s.Name, s.Emissive, s.Transmission, s.IOR, s.Alpha = "glow", [3]float64{30, 15, 0}, 0.5, 1.4, model.Mask
	s.Slots[model.BaseColorMap].Map, s.Slots[model.BaseColorMap].Scale = 0, [2]float64{2, 2}
	p := model.Part{Positions: []float32{0, 0, 0, 1, 0, 0, 0, 2, 0, 1, 2, 0.5},
		Normals: []float32{0, 0, 2, 0, 0, 1, 0, 0, 0, 0, 0, 1}, UV: []float32{0, 0, 1, 0, 0, 1, 1, 1},
		Colors: []float32{1, 0, 0, 1, 0, 1, 0, 1, 0, 0, 1, 1, 1, 1, 1, 2}, Indices: []uint32{0, 1, 2, 1, 3, 2}}
	m := &model.Model{Name: "sample", Surfaces: []model.Surface{s},
		Meshes:  []model.Mesh{{Name: "mesh", Parts: []model.Part{p}}, {Name: "nothing"}},
		Cameras: []model.Camera{{Name: "c", YFov: 0.8, Aspect: 1.5, Near: 0.1, Far: 50}},
		Lights:  []model.Light{{Kind: model.Spot, Color: [3]float64{1, 1, 1}, Intensity: 5, Inner: 0.1, Outer: 0.4}}}
	var pic bytes.Buffer
	_ = png.Encode(&pic, pictureOf(4, 4))
	m.Maps = []model.Map{{Name: "bark.png", Status: model.Embedded, Mime: "image/png", Data: pic.Bytes()}}
	n, c := model.NewNode("thing"), model.NewNode("camera")
	n.Mesh, n.Local = 0, geom.Compose(geom.V{X: 3}, geom.Turn(geom.V{Y: 1}, 1), geom.V{X: 1, Y: 2, Z: 1})
	c.Camera, c.Light = 0, 0
	n.Children = []int{1}
	m.Nodes, m.Roots = []model.Node{n, c}, []int{0}
	return m
}

func TestAGLBComesBackAsItWasWritten(t *testing.T) {
	var buf bytes.Buffer
	m := sample()
	if err := WriteGLB(&buf, m); err != nil {
		t.Fatal(err)
	}
	back, err := gltf.Read("a.glb", buf.Bytes(), model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	if a, b := m.Bounds(), back.Bounds(); a.Min.Sub(b.Min).Len()+a.Max.Sub(b.Max).Len() > 1e-6 {
		t.Errorf("bounds %v, were %v", b, a)
	}
	s := back.Surfaces[0]
	if s.Name != "glow" || math.Abs(s.Emissive[0]-30) > 1e-9 || s.Transmission != 0.5 || s.IOR != 1.4 ||
		s.Alpha != model.Mask || s.Slots[model.BaseColorMap].Scale != [2]float64{2, 2} {
		t.Errorf("surface %+v", s)
	}
	if back.Cameras[0].YFov != 0.8 || back.Lights[0].Outer != 0.4 || !bytes.Equal(back.Maps[0].Data, m.Maps[0].Data) {
		t.Error("camera, light or map changed")
	}
}

func TestTheKhronosValidatorFindsNoErrorInAWrittenGLB(t *testing.T) {
	node, err := exec.LookPath("node")
	if _, missing := os.Stat("../../e2e/validator/node_modules"); err != nil || missing != nil {
		if os.Getenv("VISATOR_FULL") != "" {
			t.Fatal("the validator is missing: make need-test installs it")
		}
		t.Skip("needs the Khronos validator: make need-test installs it")
	}
	var buf bytes.Buffer
	if err := WriteGLB(&buf, sample()); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "a.glb")
	if err := os.WriteFile(path, buf.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command(node, "../../e2e/validator/check.mjs", path).CombinedOutput()
	if err != nil || !strings.Contains(string(out), `"errors":0,`) {
		t.Errorf("%v: %s", err, out)
	}
}

func TestAnOBJComesBackAsItWasWritten(t *testing.T) {
	var buf bytes.Buffer
	m := sample()
	if err := WriteOBJ(&buf, m, geom.Scaling(100), ""); err != nil {
		t.Fatal(err)
	}
	back, err := obj.Read("a.obj", buf.Bytes(), model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	if a, b := m.Bounds().Size().Mul(100), back.Bounds().Size(); a.Sub(b).Len() > 1e-3 || back.Weigh().Triangles != 2 {
		t.Errorf("size %v, was %v", b, a)
	}
}

func TestHDRPicturesComeBackToOnePartIn128(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	pix := make([]float32, 3*20*7)
	for i := range pix {
		pix[i] = float32(math.Exp(r.NormFloat64() * 3))
	}
	var buf bytes.Buffer
	if err := WriteHDR(&buf, pix, 20, 7); err != nil {
		t.Fatal(err)
	}
	back, w, h, err := ReadHDR(&buf)
	if err != nil || w != 20 || h != 7 {
		t.Fatalf("%d x %d, %v", w, h, err)
	}
	for i := range pix { // eight bits of mantissa are shared by a pixel
		top := max(pix[i/3*3], pix[i/3*3+1], pix[i/3*3+2])
		if math.Abs(float64(back[i]-pix[i])) > float64(top)/127 {
			t.Fatalf("value %d is %v, was %v", i, back[i], pix[i])
		}
	}
}

func TestRunLengthHDR(t *testing.T) {
	line := []byte{2, 2, 0, 8}
	for _, v := range []byte{128, 64, 32, 129} {
		line = append(line, 128+8, v)
	}
	pix, _, _, err := ReadHDR(strings.NewReader("#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 1 +X 8\n" + string(line)))
	if err != nil || pix[0] != 1 || pix[1] != 0.5 || pix[2] != 0.25 || len(pix) != 24 {
		t.Errorf("%v, %v", pix, err)
	}
	for name, bad := range map[string]string{"empty": "", "no size": "#?RADIANCE\n\n",
		"cut": "#?RADIANCE\n\n-Y 9 +X 9\nabc", "huge": "#?RADIANCE\n\n-Y 999999 +X 999999\n",
		"run too long": "#?RADIANCE\n\n-Y 1 +X 8\n\x02\x02\x00\x08\xff\x01"} {
		if _, _, _, err := ReadHDR(strings.NewReader(bad)); err == nil {
			t.Errorf("%s was read", name)
		}
	}
}

func TestEXRIsReadByTheFormatsOwnTools(t *testing.T) {
	tool, err := exec.LookPath("exrheader")
	if err != nil {
		if os.Getenv("VISATOR_FULL") != "" {
			t.Fatal("install Debian's package openexr")
		}
		t.Skip("needs Debian's package openexr")
	}
	const w, h = 37, 35 // not a multiple of the block's lines
	color, depth := make([]float32, 3*w*h), make([]float32, w*h)
	for i := range color {
		color[i] = float32(i) * 0.25
	}
	var buf bytes.Buffer
	if err := WriteEXR(&buf, w, h, append(RGB("", color), Channel{Name: "Z", Data: depth, Stride: 1})); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "a.exr")
	if err := os.WriteFile(path, buf.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command(tool, path).CombinedOutput()
	if err != nil || !strings.Contains(string(out), "Z, 32-bit floating-point") {
		t.Errorf("%v: %s", err, out)
	}
	// exrinfo -s decodes every block.
	if tool, err = exec.LookPath("exrinfo"); err == nil {
		if out, err := exec.Command(tool, "-s", path).CombinedOutput(); err != nil {
			t.Errorf("%v: %s", err, out)
		}
	}
	if err := WriteEXR(&buf, 100, 100, RGB("", color)); err == nil {
		t.Error("too few values were accepted")
	}
}

func TestGreyMapsArePackedTheGLTFWay(t *testing.T) {
	m := sample()
	s := &m.Surfaces[0]
	pic := func(v uint8) int {
		img := pictureOf(2, 2)
		for i := range img.Pix {
			img.Pix[i] = v
			if i%4 == 3 {
				img.Pix[i] = 255
			}
		}
		var buf bytes.Buffer
		_ = png.Encode(&buf, img)
		m.Maps = append(m.Maps, model.Map{Mime: "image/png", Data: buf.Bytes(), Status: model.Found})
		return len(m.Maps) - 1
	}
	s.Slots[model.RoughnessMap].Map, s.Slots[model.MetallicMap].Map, s.Slots[model.OpacityMap].Map = pic(100), pic(200),
		pic(50)
	PackMaps(m)
	got, err := m.Maps[s.Slots[model.MetalRoughMap].Map].Picture()
	if err != nil || got.Pix[1] != 100 || got.Pix[2] != 200 {
		t.Errorf("packed %v, %v", got.Pix[:4], err)
	}
	base, err := m.Maps[s.Slots[model.BaseColorMap].Map].Picture()
	if err != nil || base.Pix[3] != 50 {
		t.Errorf("opacity %v, %v", base.Pix[:4], err)
	}
}

func FuzzReadHDR(f *testing.F) {
	f.Add([]byte("#?RADIANCE\n\n-Y 1 +X 8\n\x02\x02\x00\x08\x88\x01\x88\x01\x88\x01\x88\x01"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if pix, w, h, err := ReadHDR(bytes.NewReader(data)); err == nil && len(pix) != 3*w*h {
			t.Fatalf("%d values for %d x %d", len(pix), w, h)
		}
	})
}

func pictureOf(w, h int) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range img.Pix {
		img.Pix[i] = 255
	}
	return img
}
