package gltf

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"visator/core/geom"
	"visator/core/model"
)

// prim is the only primitive of a file made by triangle.
func (f *file) prim() map[string]any {
	return f.doc["meshes"].([]any)[0].(map[string]any)["primitives"].([]any)[0].(map[string]any)
}

func TestIndicesOfEveryComponentType(t *testing.T) {
	for kind, data := range map[int][]byte{
		5121: {2, 1, 0},
		5123: {2, 0, 1, 0, 0, 0},
		5125: {2, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0},
	} {
		f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
		f.prim()["indices"] = f.accessor(map[string]any{"bufferView": f.view(data, 0), "componentType": kind,
			"count": 3, "type": "SCALAR"})
		p := read(t, f.bytes()).Meshes[0].Parts[0]
		if got := p.Indices; len(got) != 3 || got[0] != 2 || got[1] != 1 || got[2] != 0 {
			t.Errorf("component type %d: %v", kind, got)
		}
	}
}

// KHR_mesh_quantization: positions as small integers, as they are or
// normalised by the rules of glTF 2.0, 3.11 (f = max(c/127, -1) and so on).
func TestQuantisedPositions(t *testing.T) {
	le := binary.LittleEndian
	for name, c := range map[string]struct {
		kind       int
		data       []byte
		stride     int
		normalised bool
		want       geom.V // of the second vertex
	}{
		"bytes": {5120, []byte{0, 0, 0, 0, 0x80, 5, 127, 0, 1, 1, 1, 0}, 4, false,
			geom.V{X: -128, Y: 5, Z: 127}},
		"bytes, normalised": {5120, []byte{0, 0, 0, 0, 0x80, 0, 127, 0, 1, 1, 1, 0}, 4, true,
			geom.V{X: -1, Y: 0, Z: 1}},
		"unsigned bytes": {5121, []byte{0, 0, 0, 0, 255, 51, 0, 0, 1, 1, 1, 0}, 4, true, geom.V{X: 1, Y: 0.2, Z: 0}},
		"shorts": {5122, func() (b []byte) {
			for _, v := range []int16{0, 0, 0, 0, -32768, 7, 32767, 0, 1, 1, 1, 0} {
				b = le.AppendUint16(b, uint16(v))
			}
			return
		}(), 8, true, geom.V{X: -1, Y: 7.0 / 32767, Z: 1}},
		"unsigned shorts": {5123, func() (b []byte) {
			for _, v := range []uint16{0, 0, 0, 0, 65535, 1000, 0, 0, 1, 1, 1, 0} {
				b = le.AppendUint16(b, v)
			}
			return
		}(), 8, false, geom.V{X: 65535, Y: 1000, Z: 0}},
	} {
		f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
		f.doc["extensionsRequired"] = []string{"KHR_mesh_quantization"}
		f.prim()["attributes"].(map[string]any)["POSITION"] = f.accessor(map[string]any{"bufferView": f.view(c.data,
			c.stride), "componentType": c.kind, "normalized": c.normalised, "count": 3, "type": "VEC3"})
		p := read(t, f.bytes()).Meshes[0].Parts[0]
		if got := p.Position(1); got.Sub(c.want).Len() > 1e-6 {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}

func TestMorphTargetsStandInTheirBindPose(t *testing.T) {
	f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	f.prim()["targets"] = []any{map[string]any{"POSITION": f.vec3(0, 0, 0, 4, 0, 0, 0, 0, 0)},
		map[string]any{"POSITION": f.vec3(0, 0, 8, 0, 0, 0, 0, 0, 0)}}
	f.doc["meshes"].([]any)[0].(map[string]any)["weights"] = []float64{0.5, 0.25}
	if b := read(t, f.bytes()).Bounds(); b.Max.Sub(geom.V{X: 3, Y: 1, Z: 2}).Len() > 1e-6 {
		t.Errorf("with the mesh's weights: %v", b)
	}
	f.doc["nodes"].([]any)[0].(map[string]any)["weights"] = []float64{1, 0} // a node's own weights win
	if b := read(t, f.bytes()).Bounds(); b.Max.Sub(geom.V{X: 5, Y: 1}).Len() > 1e-6 {
		t.Errorf("with the node's weights: %v", b)
	}
}

func TestLightsOfEveryKind(t *testing.T) {
	f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	f.doc["extensions"] = map[string]any{"KHR_lights_punctual": map[string]any{"lights": []any{
		map[string]any{"type": "directional", "intensity": 1000, "color": []float64{1, 0.5, 0.25}, "name": "sun"},
		map[string]any{"type": "point", "intensity": 60, "range": 12},
		map[string]any{"type": "spot", "spot": map[string]any{"outerConeAngle": 0.5}},
	}}}
	for i := range 3 {
		f.doc["nodes"] = append(f.doc["nodes"].([]any),
			map[string]any{"extensions": map[string]any{"KHR_lights_punctual": map[string]any{"light": i}}})
	}
	f.doc["scenes"] = []any{map[string]any{"nodes": []int{0, 1, 2, 3}}}
	m := read(t, f.bytes())
	if len(m.Lights) != 3 {
		t.Fatalf("%d lights", len(m.Lights))
	}
	if l := m.Lights[0]; l.Kind != model.Directional || l.Intensity != 1000 || l.Color != [3]float64{1, 0.5, 0.25} ||
		l.Name != "sun" {
		t.Errorf("%+v", l)
	}
	if l := m.Lights[1]; l.Kind != model.Point || l.Range != 12 || l.Color != [3]float64{1, 1, 1} {
		t.Errorf("%+v", l)
	}
	// Without them: one candela, an inner cone of 0 (KHR_lights_punctual).
	if l := m.Lights[2]; l.Kind != model.Spot || l.Intensity != 1 || l.Inner != 0 || l.Outer != 0.5 {
		t.Errorf("%+v", l)
	}
}

func TestCamerasOfBothKinds(t *testing.T) {
	f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	f.doc["cameras"] = []any{
		map[string]any{"type": "perspective", "name": "wide", "perspective": map[string]any{"yfov": 0.8, "znear": 0.1}},
		map[string]any{"type": "orthographic", "orthographic": map[string]any{"xmag": 2, "ymag": 3, "znear": 0.5,
			"zfar": 50}},
	}
	f.doc["nodes"] = append(f.doc["nodes"].([]any), map[string]any{"camera": 0}, map[string]any{"camera": 1})
	f.doc["scenes"] = []any{map[string]any{"nodes": []int{0, 1, 2}}}
	m := read(t, f.bytes())
	if c := m.Cameras[0]; c.YFov != 0.8 || c.Near != 0.1 || c.Far != 0 || c.Name != "wide" || c.Orthographic {
		t.Errorf("%+v", c)
	}
	if c := m.Cameras[1]; !c.Orthographic || c.YMag != 3 || c.Far != 50 {
		t.Errorf("%+v", c)
	}
}

func pictures(t *testing.T) (pngData, jpegData []byte) {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 3, 2))
	img.SetNRGBA(1, 1, color.NRGBA{200, 100, 50, 255})
	var a, b bytes.Buffer
	if png.Encode(&a, img) != nil || jpeg.Encode(&b, img, nil) != nil {
		t.Fatal("no pictures")
	}
	return a.Bytes(), b.Bytes()
}

// webp is a picture of one pixel, lossless: the smallest WebP there is
// (its bytes from memory of the format's container specification).
var webp = []byte("RIFF\x1a\x00\x00\x00WEBPVP8L\x0d\x00\x00\x00\x2f\x00\x00\x00\x10\x07\x10\x11\x11\x88\x88\xfe\x07\x00")

func TestPicturesInAndBesideTheFile(t *testing.T) {
	pngData, jpegData := pictures(t)
	f := triangle(map[string]any{"material": 0}, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	f.doc["images"] = []any{
		map[string]any{"bufferView": f.view(pngData, 0), "mimeType": "image/png", "name": "inside"},
		map[string]any{"uri": "maps/dull%20red.jpg"},
		map[string]any{"uri": "gone.png"},
		map[string]any{"bufferView": f.view(webp, 0), "mimeType": "image/webp"},
	}
	f.doc["textures"] = []any{map[string]any{"source": 0}, map[string]any{"source": 1}, map[string]any{"source": 2},
		map[string]any{"extensions": map[string]any{"EXT_texture_webp": map[string]any{"source": 3}}}}
	f.doc["materials"] = []any{map[string]any{
		"pbrMetallicRoughness": map[string]any{"baseColorTexture": map[string]any{"index": 0},
			"metallicRoughnessTexture": map[string]any{"index": 1}},
		"normalTexture": map[string]any{"index": 2}, "emissiveTexture": map[string]any{"index": 3},
	}}
	folder := model.Folder{Root: fstest.MapFS{"maps/dull red.jpg": {Data: jpegData}}}
	m, err := Read("test.gltf", f.bytes(), folder)
	if err != nil {
		t.Fatal(err)
	}
	slots := m.Surfaces[0].Slots
	for role, want := range map[model.Role]model.Status{model.BaseColorMap: model.Embedded,
		model.MetalRoughMap: model.Found, model.NormalMap: model.Missing, model.EmissiveMap: model.Embedded} {
		at := slots[role].Map
		if at == model.None || m.Maps[at].Status != want {
			t.Errorf("%v: map %d", role, at)
			continue
		}
		if want == model.Missing {
			continue
		}
		if img, err := m.Maps[at].Picture(); err != nil || img.Rect.Empty() {
			t.Errorf("%v: %v", role, err)
		}
	}
}

func TestExtensionsThatAreNotKnown(t *testing.T) {
	f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	f.doc["extensionsUsed"] = []string{"EXT_made_up", "MSFT_texture_dds"}
	if w := strings.Join(read(t, f.bytes()).Warnings, "\n"); !strings.Contains(w, "EXT_made_up") ||
		!strings.Contains(w, "MSFT_texture_dds") {
		t.Errorf("warnings: %s", w)
	}
	for _, e := range []string{"EXT_made_up", "MSFT_texture_dds"} {
		f.doc["extensionsRequired"] = []string{e}
		if _, err := Read("test.gltf", f.bytes(), model.Folder{}); err == nil || !strings.Contains(err.Error(), e) {
			t.Errorf("%s: %v", e, err)
		}
	}
}

// Each extension that is not read is told by what its loss means, and only where it
// means something; one that is required refuses the file.
func TestEachExtensionIsToldByItsConsequence(t *testing.T) {
	f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	for e, what := range consequence {
		f.doc["extensionsUsed"] = []string{e}
		var want []string
		if what != "" {
			want = []string{what + " (" + e + ")"}
		}
		if w := read(t, f.bytes()).Warnings; !slices.Equal(w, want) {
			t.Errorf("%s: told %q", e, w)
		}
	}
}

// A file that was cut anywhere, or has any one byte changed, is an error or a
// model, never a panic; and a cut one is never read as if it were whole.
func TestDamagedFilesDoNoHarm(t *testing.T) {
	f := triangle(nil, fan5...)
	f.prim()["mode"] = 6
	data := f.glb()
	for n := range len(data) {
		if m, err := Read("cut.glb", data[:n], model.Folder{}); err == nil {
			t.Fatalf("cut to %d of %d bytes it was read: %d triangles", n, len(data), m.Weigh().Triangles)
		} else if !strings.HasPrefix(err.Error(), "cut.glb: ") {
			t.Fatalf("cut to %d: %v", n, err)
		}
	}
	r := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		bad := bytes.Clone(data)
		for range 1 + r.IntN(3) {
			bad[r.IntN(len(bad))] = byte(r.Uint32())
		}
		if m, err := Read("bad.glb", bad, model.Folder{}); err == nil {
			if b := m.Bounds(); !b.IsEmpty() && (math.IsNaN(b.Max.X) || math.IsInf(b.Max.X, 0)) {
				t.Fatalf("bounds %v were let in", b)
			}
		}
	}
}

// Counts that lie cost no memory: the error comes before the allocation.
func TestLyingCountsAreRefusedBeforeTheyCost(t *testing.T) {
	for name, a := range map[string]map[string]any{
		"two thousand million, no data": {"componentType": 5126, "count": 2_000_000_000, "type": "VEC3"},
		"sparse on nothing": {"componentType": 5126, "count": 2_000_000_000, "type": "VEC3",
			"sparse": map[string]any{"count": 1, "indices": map[string]any{"bufferView": 0, "componentType": 5121},
				"values": map[string]any{"bufferView": 0}}},
		"negative": {"bufferView": 0, "componentType": 5126, "count": -3, "type": "VEC3"},
		"stride that overlaps the end": {"bufferView": 0, "byteOffset": 30, "componentType": 5126, "count": 3,
			"type": "VEC3"},
	} {
		f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
		f.prim()["attributes"].(map[string]any)["POSITION"] = f.accessor(a)
		data := f.bytes()
		if m, err := Read("lie.gltf", data, model.Folder{}); err == nil {
			t.Errorf("%s: read, %d vertices", name, m.Weigh().Vertices)
		}
	}
}

func TestErrorsSpeakTheFilesLanguage(t *testing.T) {
	for text, want := range map[string]string{
		`{"asset":{"version":"1.0"},"accessors":{"a":{}}}`: `asset.version is "1.0"`,
		`{"accessors":{"a":{"count":3}},"meshes":{}}`:      `asset.version is "1.0"`,
		`{"asset":{"version":"2.0"},"materials":[{"normalTexture":{"scale":"strong"}}]}`: "materials.normalTexture.scale " +
			"at byte",
		`{"asset":{"version":"2.0"},"scenes":[}`: "not valid JSON at byte",
		`{"asset":{"version":"3.0"}}`:            "only glTF 2.0 is read",
	} {
		if _, err := Read("a.gltf", []byte(text), model.Folder{}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

// Two points whose places came through the compression of
// EXT_meshopt_compression with its exponential filter.
func TestCompressedViewsAreUnpacked(t *testing.T) {
	raw, err := os.ReadFile("../meshopt/testdata/vectors.json")
	if err != nil {
		t.Fatal(err)
	}
	var v map[string]string
	if err := json.Unmarshal(raw, &v); err != nil {
		t.Fatal(err)
	}
	packed, _ := base64.StdEncoding.DecodeString(v["exp"])
	doc := `{"asset":{"version":"2.0"},"extensionsUsed":["EXT_meshopt_compression"],"extensionsRequired":["EXT_meshopt_compression"],"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],
"meshes":[{"primitives":[{"mode":0,"attributes":{"POSITION":0}}]}],"accessors":[{"bufferView":0,"componentType":5126,"count":2,"type":"VEC3"}],
"bufferViews":[{"buffer":1,"byteLength":24,"extensions":{"EXT_meshopt_compression":{"buffer":0,"byteLength":%d,"byteStride":12,"count":%d,"mode":"ATTRIBUTES","filter":"EXPONENTIAL"}}}],
"buffers":[{"uri":"data:application/octet-stream;base64,%s","byteLength":%[1]d},{"byteLength":24}]}`
	m := read(t, fmt.Appendf(nil, doc, len(packed), 2, v["exp"]))
	if b := m.Bounds(); math.Abs(b.Max.Y-1000) > 1 || math.Abs(b.Min.Z+7) > 0.01 || len(m.Warnings) > 0 {
		t.Errorf("%+v, %q", b, m.Warnings)
	}
	if _, err := Read("a.gltf", fmt.Appendf(nil, doc, len(packed), 9_000_000, v["exp"]), model.Folder{}); err == nil ||
		!strings.Contains(err.Error(), "bufferViews[0], EXT_meshopt_compression") {
		t.Errorf("a claim of nine million vertices: %v", err)
	}
	draco := `{"asset":{"version":"2.0"},"extensionsRequired":["KHR_draco_mesh_compression"]}`
	if _, err := Read("a.gltf", []byte(draco), model.Folder{}); !errors.Is(err, ErrDraco) {
		t.Errorf("%v", err)
	}
}
