package exchange

import (
	"bytes"
	"image"
	"image/png"
	"math"
	"reflect"
	"testing"

	"visator/core/intake/gltf"
	"visator/core/model"
	"visator/core/stage"
)

// What Khronos' extensions say of a surface comes back as it was written, with its maps; a plain surface names none.
func TestLayersComeBack(t *testing.T) {
	m := *stage.ShapeModel("box")
	s := model.DefaultSurface()
	s.Name, s.Specular, s.SpecularTint = "all", 0.7, [3]float64{0.9, 0.8, 0.7}
	s.Coat, s.CoatRoughness, s.CoatNormalScale = 0.6, 0.2, 0.5
	s.Sheen, s.SheenRoughness = [3]float64{0.1, 0.2, 0.3}, 0.4
	s.Brush, s.BrushTurn, s.Film, s.FilmIndex, s.FilmLeast, s.FilmMost = 0.5, 0.3, 0.8, 1.5, 120, 380
	s.Transmission, s.Solid, s.Absorb, s.AbsorbOver = 0.9, true, [3]float64{0.2, 0.5, 0.9}, 0.05
	s.IOR, s.Dispersion = 1.4, 0.3
	s.Leaf, s.LeafTint = 0.25, [3]float64{0.3, 0.6, 0.1}
	picture := new(bytes.Buffer)
	if err := png.Encode(picture, image.NewNRGBA(image.Rect(0, 0, 4, 4))); err != nil {
		t.Fatal(err)
	}
	m.Maps = []model.Map{{Name: "one", Mime: "image/png", Data: picture.Bytes(), Status: model.Embedded}}
	for _, role := range []model.Role{model.SpecularMap, model.SpecularTintMap, model.CoatMap, model.CoatRoughnessMap,
		model.CoatNormalMap, model.SheenMap, model.SheenRoughnessMap, model.BrushMap, model.FilmMap,
		model.FilmThicknessMap, model.LeafMap, model.LeafTintMap, model.TransmissionMap} {
		s.Slots[role] = model.Slot{Map: 0, Scale: [2]float64{1, 1}}
	}
	m.Surfaces = []model.Surface{s}
	var out bytes.Buffer
	if err := WriteGLB(&out, &m); err != nil {
		t.Fatal(err)
	}
	back, err := gltf.Read("all.glb", out.Bytes(), model.Folder{})
	if err != nil || len(back.Warnings) > 0 || len(back.Surfaces) != 1 {
		t.Fatalf("%v, %v", err, back.Warnings)
	}
	got := back.Surfaces[0]
	for role := range got.Slots {
		if (got.Slots[role].Map == model.None) != (s.Slots[role].Map == model.None) {
			t.Errorf("the map of %v", model.Role(role))
		}
	}
	got.Slots, s.Slots = [model.SlotCount]model.Slot{}, [model.SlotCount]model.Slot{}
	if math.Abs(got.BrushTurn-s.BrushTurn) > 1e-9 || !reflect.DeepEqual(got, s) {
		t.Errorf("%+v\nwas written as\n%+v", got, s)
	}
	plain := *stage.ShapeModel("box")
	out.Reset()
	if err := WriteGLB(&out, &plain); err != nil {
		t.Fatal(err)
	}
	if bytes.Contains(out.Bytes(), []byte("KHR_materials_")) {
		t.Error("a plain box names extensions")
	}
}
