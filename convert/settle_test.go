package convert

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"visator/core/geom"
	"visator/core/model"
)

func grey(t *testing.T, v uint8) []byte {
	t.Helper()
	img := image.NewGray(image.Rect(0, 0, 4, 4))
	for i := range img.Pix {
		img.Pix[i] = v
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

func sample(t *testing.T, rel string) []byte {
	t.Helper()
	models(t) // skips without the collection
	data, err := os.ReadFile(filepath.Join(testModels, rel))
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// An FBX with seven maps, on its author's paths: each is found by its name and put where
// it belongs, gloss turned into roughness; the one without a place is told.
func TestEveryMapOfAFileIsFoundOrTold(t *testing.T) {
	need(t)
	root := fstest.MapFS{"in/box.fbx": {Data: sample(t, "FBX/maxPbrMaterial_specGloss.fbx")}}
	for i, n := range []string{"albedo", "normal", "emission", "occlusion", "opacity", "specular", "glossiness"} {
		root["other/"+n+".png"] = &fstest.MapFile{Data: grey(t, uint8(40+20*i))}
	}
	m, err := Read(t.Context(), root, "in/box.fbx")
	if err != nil {
		t.Fatal(err)
	}
	s := &m.Surfaces[0]
	for role, want := range map[model.Role]uint8{model.BaseColorMap: 40, model.NormalMap: 60, model.EmissiveMap: 80,
		model.OcclusionMap: 100, model.OpacityMap: 120, model.RoughnessMap: 255 - 160} {
		at := s.Slots[role].Map
		if at == model.None || m.Maps[at].Status != model.Found {
			t.Errorf("%s is not there: %+v", role, s.Slots[role])
			continue
		}
		img, err := m.Maps[at].Picture()
		if err != nil {
			t.Fatal(err)
		}
		if c := img.NRGBAAt(1, 1); c != (color.NRGBA{want, want, want, 255}) {
			t.Errorf("%s is %v, want %d", role, c, want)
		}
	}
	if s.Roughness != 1 || s.Alpha != model.Blend {
		t.Errorf("roughness %v, alpha %v", s.Roughness, s.Alpha)
	}
	if len(m.Warnings) != 1 || !strings.Contains(m.Warnings[0], "specular.png") {
		t.Errorf("told: %q", m.Warnings)
	}
}

// Cameras and lights stand where the file has them: those of a file that the converter
// dumps as text, with its own matrices.
func TestCamerasAndLightsComeThrough(t *testing.T) {
	need(t)
	m, err := Read(t.Context(), fstest.MapFS{"a.fbx": {Data: sample(t, "FBX/global_settings.fbx")}}, "a.fbx")
	if err != nil {
		t.Fatal(err)
	}
	if m.Unit != model.StatedUnit(5) || m.Up != "Y" {
		t.Errorf("unit %+v, up %s", m.Unit, m.Up)
	}
	seen := map[string]geom.M{}
	m.Walk(func(_ int, n *model.Node, w geom.M) {
		if n.Camera != model.None || n.Light != model.None {
			seen[n.Name] = w
		}
	})
	for name, at := range map[string]geom.V{"Camera.001": {X: 37.405659, Y: 26.718327, Z: 32.538200},
		"Lamp.001": {X: 20.381226, Y: 29.519310, Z: -5.027270}} {
		if w, ok := seen[name]; !ok || w.Point(geom.V{}).Sub(at).Len() > 1e-5 {
			t.Errorf("%s stands at %v, want %v", name, w.Point(geom.V{}), at)
		}
	}
	// The camera looks along the X of its node there, which is (-3.26, -2.23, -3.07).
	world := seen["Camera.001"]
	look := world.Dir(geom.V{Z: -1}).Unit()
	if d := look.Dot(geom.V{X: -3.257792, Y: -2.226355, Z: -3.070853}.Unit()); d < 1-1e-9 {
		t.Errorf("the camera looks along %v", look)
	}
	// 49.13° across at 16:9, as the file says (0.858 rad).
	if c := m.Cameras[0]; math.Abs(2*math.Atan(math.Tan(c.YFov/2)*c.Aspect)-0.858) > 1e-3 {
		t.Errorf("%+v", c)
	}
}

// Units and axes as FBX states them, in both spellings.
func TestFBXStatesItsUnit(t *testing.T) {
	str := func(s string) string { return "S" + string(binary.LittleEndian.AppendUint32(nil, uint32(len(s)))) + s }
	binaryOf := func(unit float64, up int32) []byte {
		b := "Kaydara FBX Binary  \x00\x1a\x00" + str("UpAxis") + str("int") + str("Integer") + str("") + "I"
		b += string(binary.LittleEndian.AppendUint32(nil, uint32(up)))
		b += str("UnitScaleFactor") + str("double") + str("Number") + str("") + "D"
		return append([]byte(b), binary.LittleEndian.AppendUint64(nil, math.Float64bits(unit))...)
	}
	for name, c := range map[string]struct {
		data []byte
		m    float64
		up   model.Axis
	}{
		"inches": {binaryOf(2.54, 2), 0.0254, "Z"},
		"metres": {[]byte("; FBX 7.3\nP: \"UpAxis\", \"int\", \"Integer\", \"\",1\nP: \"UnitScaleFactor\", " +
			"\"double\", \"Number\", \"\",100\n"), 1, "Y"},
		"old": {[]byte("Property: \"UpAxis\", \"int\", \"\",2\nProperty: \"UnitScaleFactor\", \"double\", \"\",1\n"),
			0.01, "Z"},
		"nothing":    {[]byte("; FBX 7.3\n"), 0, ""},
		"cut":        {binaryOf(2.54, 7)[:90], 0, ""},
		"impossible": {binaryOf(math.Inf(1), -1), 0, ""},
	} {
		m, up := fbxSettings(c.data)
		if math.Abs(m-c.m) > 1e-12 || up != c.up {
			t.Errorf("%s: %v, %q", name, m, up)
		}
	}
}

// The converter breaks off at lamps in glTF with packed meshes: they come through.
func TestPackedMeshesWithLamps(t *testing.T) {
	need(t)
	var doc map[string]any
	if err := json.Unmarshal(sample(t, "glTF2/draco/2CylinderEngine.gltf"), &doc); err != nil {
		t.Fatal(err)
	}
	nodes := doc["nodes"].([]any)
	doc["extensions"] = map[string]any{"KHR_lights_punctual": map[string]any{"lights": []any{map[string]any{"type": "point", "name": "bulb", "intensity": 40}}}}
	doc["extensionsUsed"] = append(doc["extensionsUsed"].([]any), "KHR_lights_punctual")
	doc["nodes"] = append(nodes, map[string]any{"name": "bulb", "translation": []float64{1, 2, 3},
		"extras":     map[string]any{"a": 1},
		"extensions": map[string]any{"KHR_lights_punctual": map[string]any{"light": 0}}})
	scene := doc["scenes"].([]any)[0].(map[string]any)
	scene["nodes"] = append(scene["nodes"].([]any), len(nodes))
	data, err := json.Marshal(doc)
	if err != nil {
		t.Fatal(err)
	}
	root := fstest.MapFS{"a.gltf": {Data: data}}
	for _, b := range doc["buffers"].([]any) {
		if uri, _ := b.(map[string]any)["uri"].(string); uri != "" && !strings.HasPrefix(uri, "data:") {
			root[uri] = &fstest.MapFile{Data: sample(t, "glTF2/draco/"+uri)}
		}
	}
	m, err := Any(t.Context(), root, "a.gltf", "a.gltf")
	if err != nil {
		t.Fatal(err)
	}
	at := geom.V{}
	m.Walk(func(_ int, n *model.Node, w geom.M) {
		if n.Light != model.None {
			at = w.Point(geom.V{})
		}
	})
	if len(m.Lights) != 1 || m.Lights[0].Intensity != 40 || at.Sub(geom.V{X: 1, Y: 2, Z: 3}).Len() > 1e-9 ||
		m.Weigh().Triangles == 0 {
		t.Errorf("lights %+v at %v", m.Lights, at)
	}
	if m.Unit.From != "format" {
		t.Errorf("unit %+v", m.Unit)
	}
}

// What cannot be followed is an error, not a panic, and nothing is allotted by its word.
func FuzzAccount(f *testing.F) {
	head := make([]byte, assbinHeader)
	u := func(v ...uint32) (b []byte) {
		for _, x := range v {
			b = binary.LittleEndian.AppendUint32(b, x)
		}
		return b
	}
	node := slices.Concat(u(chunkNode, 84, 1), []byte("a"), make([]byte, 64), u(0, 0, 0))
	f.Add(slices.Concat(head, u(chunkScene, uint32(28+len(node)), 0, 0, 0, 0, 0, 0, 0), node))
	f.Add(slices.Concat(head, u(chunkScene, 200, 0, 1, 1, 0, 0, 1, 1, chunkMaterial, 1<<31, 1<<31)))
	f.Add(slices.Concat(head, u(chunkScene, 90, 0, 0, 0, 0, 0, 0, 1, chunkCamera, 60, 1), []byte("c"),
		make([]byte, 52)))
	f.Fuzz(func(t *testing.T, data []byte) {
		a, err := readAccount(bytes.NewReader(data))
		if err != nil {
			return
		}
		m := &model.Model{}
		a.settle(m, model.Folder{})
		m.Weigh()
	})
}

// What the converter saw in a file and did not bring is said, thing by thing, by what
// it means.
func TestWhatTheConverterLosesIsSaid(t *testing.T) {
	m := &model.Model{}
	m.Surfaces = append(m.Surfaces, model.DefaultSurface())
	m.Surfaces[0].Name = "brass"
	a := &account{placed: 3,
		surfaces: []surfaceAccount{{name: "brass", maps: []mapAccount{{"shine.png", 2}, {"around.png", 3},
			{"mirror.png", 11}, {"sheen.png", 19},
			{"coat.png", 20}, {"*0", 6}, {"", 1}, {"odd.png", 99}}}},
		cameras: []cameraAccount{{name: "wide"}},
		lights:  []lightAccount{{name: "sky", kind: 4}, {name: "lamp", kind: pointLight}},
	}
	a.settle(m, model.Folder{Root: fstest.MapFS{}})
	want := []string{
		"3 of 3 things in it were lost by the converter: compare it with its picture",
		`the camera "wide" states no angle of view; it was left out`,
		`the light "sky" is of a kind that is not known here (ambient, or an area); it was left out`,
		"lights of this format have no unit; their strength is a guess",
		`the map "shine.png" of brass has no place here: where it shines more or less will not show`,
		`the map "around.png" of brass has no place here: it changes the light of the surroundings only`,
		`the map "mirror.png" of brass has no place here: mirrored surroundings are computed here, not painted`,
		`the map "sheen.png" of brass has no place here: its cloth sheen will not show`,
		`the map "coat.png" of brass has no place here: its clear coat will not show`,
		"a map that lies in the file, normal of brass, was lost by the converter: point at it under Maps",
	}
	if !slices.Equal(m.Warnings, want) {
		t.Errorf("said: %q", m.Warnings)
	}
}
