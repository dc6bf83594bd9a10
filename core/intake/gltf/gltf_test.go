package gltf

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"
	"testing/fstest"

	"visator/core/geom"
	"visator/core/model"
)

// file assembles a glTF with one buffer, for the tests.
type file struct {
	doc map[string]any
	bin []byte
}

func newFile() *file {
	return &file{doc: map[string]any{"asset": map[string]any{"version": "2.0"}, "bufferViews": []any{},
		"accessors": []any{}}}
}

func (f *file) view(data []byte, stride int) int {
	for len(f.bin)%4 != 0 {
		f.bin = append(f.bin, 0)
	}
	v := map[string]any{"buffer": 0, "byteOffset": len(f.bin), "byteLength": len(data)}
	if stride > 0 {
		v["byteStride"] = stride
	}
	f.bin = append(f.bin, data...)
	list := append(f.doc["bufferViews"].([]any), v)
	f.doc["bufferViews"] = list
	return len(list) - 1
}

func (f *file) accessor(a map[string]any) int {
	list := append(f.doc["accessors"].([]any), a)
	f.doc["accessors"] = list
	return len(list) - 1
}

func floats(v ...float32) (b []byte) {
	for _, x := range v {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(x))
	}
	return b
}

func (f *file) vec3(v ...float32) int {
	return f.accessor(map[string]any{"bufferView": f.view(floats(v...), 0), "componentType": 5126, "count": len(v) / 3,
		"type": "VEC3"})
}

func (f *file) bytes() []byte {
	f.doc["buffers"] = []any{map[string]any{"byteLength": len(f.bin), "uri": "data:application/octet-stream;base64," +
		base64.StdEncoding.EncodeToString(f.bin)}}
	out, _ := json.Marshal(f.doc)
	return out
}

func (f *file) glb() []byte {
	f.doc["buffers"] = []any{map[string]any{"byteLength": len(f.bin)}}
	text, _ := json.Marshal(f.doc)
	for len(text)%4 != 0 {
		text = append(text, ' ')
	}
	le := binary.LittleEndian
	out := le.AppendUint32(le.AppendUint32([]byte("glTF"), 2), uint32(28+len(text)+len(f.bin)))
	out = append(le.AppendUint32(out, uint32(len(text))), "JSON"...)
	out = append(out, text...)
	out = append(le.AppendUint32(out, uint32(len(f.bin))), "BIN\x00"...)
	return append(out, f.bin...)
}

// triangle is a file with one primitive of the positions given.
func triangle(prim map[string]any, v ...float32) *file {
	f := newFile()
	p := map[string]any{"attributes": map[string]any{"POSITION": f.vec3(v...)}}
	for k, x := range prim {
		p[k] = x
	}
	f.doc["meshes"] = []any{map[string]any{"primitives": []any{p}}}
	f.doc["nodes"] = []any{map[string]any{"mesh": 0}}
	f.doc["scenes"] = []any{map[string]any{"nodes": []int{0}}}
	return f
}

func read(t *testing.T, data []byte) *model.Model {
	t.Helper()
	m, err := Read("test.gltf", data, model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

var fan5 = []float32{0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, -1, 1, 0}

func TestAllPrimitiveModesAreJoinedAsTheSpecificationSays(t *testing.T) {
	// glTF 2.0, 3.7.2.1: five vertices give 5 points, 2 lines, 5 of a loop, 4
	// of a strip, 1 triangle of a list, 3 of a strip, 3 of a fan.
	for mode, want := range []struct {
		kind  model.Kind
		count int
	}{{model.Points, 5}, {model.Lines, 4}, {model.Lines, 10}, {model.Lines, 8}, {model.Triangles, 3}, {model.Triangles,
		9}, {model.Triangles, 9}} {
		p := read(t, triangle(map[string]any{"mode": mode}, fan5...).bytes()).Meshes[0].Parts[0]
		if p.Kind != want.kind || len(p.Indices) != want.count {
			t.Errorf("mode %d gives kind %d with %d indices, want %d with %d", mode, p.Kind, len(p.Indices), want.kind,
				want.count)
		}
	}
}

func TestStripsKeepTheirWinding(t *testing.T) {
	p := read(t, triangle(map[string]any{"mode": 5}, 0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0).bytes()).Meshes[0].Parts[0]
	for i := 0; i < len(p.Indices); i += 3 {
		a, b, c := p.Position(p.Indices[i]), p.Position(p.Indices[i+1]), p.Position(p.Indices[i+2])
		if b.Sub(a).Cross(c.Sub(a)).Z <= 0 {
			t.Errorf("triangle %d is turned over", i/3)
		}
	}
}

func TestStridedNormalisedAndSparseAccessors(t *testing.T) {
	f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	// Colours as normalised bytes, four apart with three used.
	col := f.accessor(map[string]any{"bufferView": f.view([]byte{255, 0, 51, 9, 0, 255, 0, 9, 0, 0, 255, 9}, 4),
		"componentType": 5121, "normalized": true, "count": 3, "type": "VEC3"})
	// Normals are all zero but for one that is set sparsely.
	nor := f.accessor(map[string]any{"componentType": 5126, "count": 3, "type": "VEC3",
		"sparse": map[string]any{"count": 1,
			"indices": map[string]any{"bufferView": f.view([]byte{2}, 0), "componentType": 5121},
			"values":  map[string]any{"bufferView": f.view(floats(0, 0, 1), 0)}}})
	prim := f.doc["meshes"].([]any)[0].(map[string]any)["primitives"].([]any)[0].(map[string]any)
	prim["attributes"].(map[string]any)["COLOR_0"], prim["attributes"].(map[string]any)["NORMAL"] = col, nor
	p := read(t, f.bytes()).Meshes[0].Parts[0]
	if got := p.Colors[:4]; got[0] != 1 || got[1] != 0 || math.Abs(float64(got[2])-0.2) > 1e-6 || got[3] != 1 {
		t.Errorf("colour %v", got)
	}
	if got := p.Normals[6:]; got[2] != 1 || p.Normals[2] != 0 {
		t.Errorf("normals %v", p.Normals)
	}
}

func TestNodesPlaceTheirMeshes(t *testing.T) {
	f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	f.doc["nodes"] = []any{
		map[string]any{"children": []int{1, 2}, "scale": []float64{2, 2, 2}},
		map[string]any{"mesh": 0, "translation": []float64{10, 0, 0}},
		map[string]any{"mesh": 0, "matrix": []float64{0, 0, -1, 0, 0, 1, 0, 0, 1, 0, 0, 0, 0, 5, 0, 1}},
	}
	m := read(t, f.bytes())
	if w := m.Weigh(); w.Triangles != 2 {
		t.Errorf("%d triangles, want one for each instance", w.Triangles)
	}
	b := m.Bounds()
	if b.Max.Sub(geom.V{X: 22, Y: 12, Z: 0}).Len() > 1e-9 || b.Min.Sub(geom.V{X: 0, Y: 0, Z: -2}).Len() > 1e-9 {
		t.Errorf("bounds %v", b)
	}
}

func TestSkinnedMeshesStandWhereTheirJointsPutThem(t *testing.T) {
	// One joint, a hundred times too small below a node that puts it right: the
	// mesh's own node must not count (glTF 2.0, 3.7.3.3).
	f := triangle(nil, 0, 0, 0, 100, 0, 0, 0, 100, 0)
	prim := f.doc["meshes"].([]any)[0].(map[string]any)["primitives"].([]any)[0].(map[string]any)
	joints := f.accessor(map[string]any{"bufferView": f.view(make([]byte, 12), 0), "componentType": 5121, "count": 3,
		"type": "VEC4"})
	weights := f.accessor(map[string]any{"bufferView": f.view(floats(1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0), 0),
		"componentType": 5126, "count": 3, "type": "VEC4"})
	prim["attributes"].(map[string]any)["JOINTS_0"], prim["attributes"].(map[string]any)["WEIGHTS_0"] = joints, weights
	f.doc["skins"] = []any{map[string]any{"joints": []int{1}}}
	f.doc["nodes"] = []any{map[string]any{"mesh": 0, "skin": 0, "translation": []float64{7, 7, 7}},
		map[string]any{"scale": []float64{0.01, 0.01, 0.01}}}
	f.doc["scenes"] = []any{map[string]any{"nodes": []int{0, 1}}}
	if s := read(t, f.bytes()).Bounds(); s.Max.Sub(geom.V{X: 1, Y: 1}).Len() > 1e-6 || s.Min.Len() > 1e-6 {
		t.Errorf("bounds %v", s)
	}
}

func TestSurfacesCamerasAndLights(t *testing.T) {
	f := triangle(map[string]any{"material": 0}, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	f.doc["materials"] = []any{map[string]any{"name": "glass", "alphaMode": "MASK", "alphaCutoff": 0.3,
		"emissiveFactor": []float64{1, 0.5, 0},
		"pbrMetallicRoughness": map[string]any{"baseColorTexture": map[string]any{"index": 0,
			"extensions": map[string]any{"KHR_texture_transform": map[string]any{"offset": []float64{0.1, 0.2},
				"rotation": 0.5, "scale": []float64{2, 3}}}}},
		"extensions": map[string]any{"KHR_materials_emissive_strength": map[string]any{"emissiveStrength": 40},
			"KHR_materials_transmission": map[string]any{"transmissionFactor": 0.9},
			"KHR_materials_ior":          map[string]any{"ior": 1.33}}}}
	f.doc["textures"] = []any{map[string]any{"source": 0, "sampler": 0}}
	f.doc["samplers"] = []any{map[string]any{"wrapS": 33071}}
	f.doc["images"] = []any{map[string]any{"uri": "maps/bark.png"}}
	f.doc["cameras"] = []any{map[string]any{"type": "perspective",
		"perspective": map[string]any{"yfov": 0.7, "znear": 0.1}}}
	f.doc["extensions"] = map[string]any{"KHR_lights_punctual": map[string]any{"lights": []any{map[string]any{"type": "spot", "intensity": 90, "spot": map[string]any{"innerConeAngle": 0.2}}}}}
	m := read(t, f.bytes())
	s := m.Surfaces[0]
	slot := s.Slots[model.BaseColorMap]
	if s.Alpha != model.Mask || s.Cutoff != 0.3 || s.Emissive != [3]float64{40, 20, 0} || s.Transmission != 0.9 ||
		s.IOR != 1.33 || slot.Scale != [2]float64{2, 3} || slot.Rotation != 0.5 || slot.WrapS != model.Clamp ||
		slot.WrapT != model.Repeat {
		t.Errorf("surface %+v", s)
	}
	if m.Maps[0].Status != model.Missing || m.Maps[0].Name != "maps/bark.png" {
		t.Errorf("map %+v", m.Maps[0])
	}
	if m.Cameras[0].YFov != 0.7 || m.Lights[0].Outer != math.Pi/4 || m.Lights[0].Intensity != 90 {
		t.Errorf("camera %+v, light %+v", m.Cameras[0], m.Lights[0])
	}
}

func TestBinaryAndTextGiveTheSameModel(t *testing.T) {
	f := triangle(nil, fan5...)
	if a, b := read(t, f.bytes()).Bounds(), read(t, f.glb()).Bounds(); a != b {
		t.Errorf("%v and %v", a, b)
	}
}

func TestBuffersBesideTheFile(t *testing.T) {
	f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	bin := f.bin
	f.bytes()
	f.doc["buffers"] = []any{map[string]any{"byteLength": len(bin), "uri": "my%20data.bin"}}
	data, _ := json.Marshal(f.doc)
	root := fstest.MapFS{"models/My Data.bin": {Data: bin}}
	m, err := Read("a.gltf", data, model.Folder{Root: root, Dir: "models"})
	if err != nil || m.Weigh().Triangles != 1 {
		t.Errorf("%v", err)
	}
}

// A path of the author's disk is no reason to refuse a model: the picture is missing,
// and the buffer is found again by its name.
func TestPathsOfTheAuthorsDisk(t *testing.T) {
	for _, uri := range []string{`C:\\work\\maps\\bark.png`, "C:/props/bark.png", "/home/ada/bark.png",
		"../../../bark.png", "file:///props/bark.png", "http://example.org/bark.png"} {
		f := triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0)
		f.doc["images"] = []any{map[string]any{"uri": strings.ReplaceAll(uri, `\\`, `\`)}}
		f.doc["textures"] = []any{map[string]any{"source": 0}}
		f.doc["materials"] = []any{map[string]any{"pbrMetallicRoughness": map[string]any{"baseColorTexture": map[string]any{"index": 0}}}}
		bin := f.bin
		f.bytes()
		f.doc["buffers"] = []any{map[string]any{"byteLength": len(bin), "uri": `D:\out\body.bin`}}
		data, _ := json.Marshal(f.doc)
		m, err := Read("a.gltf", data, model.Folder{Root: fstest.MapFS{"in/Body.bin": {Data: bin},
			"body.bin2": {Data: bin}}, Dir: "."})
		if err != nil || m.Weigh().Triangles != 1 || len(m.Maps) != 1 || m.Maps[0].Status != model.Missing {
			t.Errorf("%s: %v, %+v", uri, err, m)
			continue
		}
		if len(m.Warnings) != 1 || !strings.Contains(m.Warnings[0], "is not there: it lay on its author's disk") {
			t.Errorf("%s: said %q", uri, m.Warnings)
		}
	}
}

func TestWhatIsWrongIsNamedWithItsPlace(t *testing.T) {
	good := func() *file { return triangle(nil, 0, 0, 0, 1, 0, 0, 0, 1, 0) }
	set := func(key string, v any) []byte { f := good(); f.doc[key] = v; return f.bytes() }
	with := func(change func(f *file)) []byte { f := good(); change(f); return f.bytes() }
	external := func(uri string) []byte {
		f := good()
		f.bytes()
		f.doc["buffers"] = []any{map[string]any{"byteLength": 36, "uri": uri}}
		out, _ := json.Marshal(f.doc)
		return out
	}
	glb := good().glb()
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"unknown required extension": {set("extensionsRequired", []string{"ACME_secret"}), "ACME_secret"},
		"version one":                {set("asset", map[string]any{"version": "1.0"}), "asset.version"},
		"cut JSON":                   {good().bytes()[:100], "byte"},
		"cut GLB":                    {glb[:len(glb)-20], "bytes"},
		"lying chunk": {append(append([]byte{}, glb[:12]...),
			append([]byte{0xff, 0xff, 0xff, 0x7f}, glb[16:]...)...), "chunk"},
		"count beyond the data": {with(func(f *file) { f.doc["accessors"].([]any)[0].(map[string]any)["count"] = 1 << 30 }), "accessors[0]"},
		"count without any data": {with(func(f *file) {
			a := f.doc["accessors"].([]any)[0].(map[string]any)
			delete(a, "bufferView")
			a["count"] = 1 << 30
		}), "more data"},
		"negative count": {with(func(f *file) { f.doc["accessors"].([]any)[0].(map[string]any)["count"] = -3 }),
			"impossible count"},
		"view outside": {with(func(f *file) { f.doc["bufferViews"].([]any)[0].(map[string]any)["byteOffset"] = 1 << 40 }), "bufferViews[0]"},
		"cycle": {set("nodes",
			[]any{map[string]any{"children": []int{1}}, map[string]any{"children": []int{0}}}), "ancestor"},
		"two parents": {set("nodes",
			[]any{map[string]any{"children": []int{2}}, map[string]any{"children": []int{2}}, map[string]any{}}),
			"two parents"},
		"mesh that is not there":   {set("nodes", []any{map[string]any{"mesh": 7}}), "meshes[7]"},
		"not a number":             {triangle(nil, 0, 0, float32(math.NaN()), 1, 0, 0, 0, 1, 0).bytes(), "vertex 0"},
		"buffer above the folder":  {external("../secret.bin"), "out of the model's folder"},
		"buffer by scheme":         {external("http://example.org/a.bin"), "out of the model's folder"},
		"buffer by file scheme":    {external("file:///etc/passwd"), "out of the model's folder"},
		"buffer by absolute path":  {external("/etc/passwd"), "out of the model's folder"},
		"buffer that is not there": {external("gone.bin"), "gone.bin"},
		"wrong type":               {set("scene", "first"), "byte"},
	} {
		_, err := Read("bad.gltf", c.data, model.Folder{Root: fstest.MapFS{}})
		if err == nil {
			t.Errorf("%s was read", name)
			continue
		}
		if !strings.Contains(err.Error(), c.want) || !strings.HasPrefix(err.Error(), "bad.gltf: ") {
			t.Errorf("%s: %q does not name the file and %q", name, err, c.want)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add(triangle(nil, fan5...).glb())
	f.Add(triangle(map[string]any{"mode": 5}, fan5...).bytes())
	f.Add([]byte(`{"asset":{"version":"2.0"},"nodes":[{"children":[0]}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := Read("f", data, model.Folder{})
		if err != nil {
			return
		}
		// What was read can be walked and measured without surprises.
		m.Weigh()
		if b := m.Bounds(); !b.IsEmpty() && !(b.Min.Finite() && b.Max.Finite()) &&
			bytes.Contains(data, []byte("POSITION")) {
			for _, n := range m.Nodes {
				if !n.Local.Finite() {
					t.Fatal("a transform that is not finite was let in")
				}
			}
		}
		for _, mesh := range m.Meshes {
			for _, p := range mesh.Parts {
				for _, i := range p.Indices {
					if int(i) >= p.Vertices() {
						t.Fatalf("index %d of %d vertices", i, p.Vertices())
					}
				}
			}
		}
		_ = fmt.Sprint(m.Warnings)
	})
}
