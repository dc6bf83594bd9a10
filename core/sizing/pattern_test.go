package sizing

import (
	"bytes"
	"image"
	"image/png"
	"math"
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/unit"
)

// floor is a square of side metres on which a picture repeats so many times
// along each side.
func floor(t *testing.T, side, times float64, pixels int, surface string) *model.Model {
	t.Helper()
	var buf bytes.Buffer
	if err := png.Encode(&buf, image.NewGray(image.Rect(0, 0, pixels, pixels))); err != nil {
		t.Fatal(err)
	}
	s := model.DefaultSurface()
	s.Name, s.Slots[model.BaseColorMap] = surface, model.Slot{Scale: [2]float64{1, 1}}
	a, b := float32(side), float32(times)
	m := &model.Model{Format: "OBJ", Up: "Y", Unit: model.Unit{MetresPerUnit: 1, From: "assumed"},
		Surfaces: []model.Surface{s},
		Maps:     []model.Map{{Name: "a.png", Status: model.Found, Mime: "image/png", Data: buf.Bytes()}}}
	m.Stand(model.Mesh{Name: "floor",
		Parts: []model.Part{{Name: "floor", Surface: 0, Positions: []float32{0, 0, 0, a, 0, 0, a, 0, a, 0, 0, a},
			UV: []float32{0, 0, b, 0, b, b, 0, b}, Indices: []uint32{0, 2, 1, 0, 3, 2}}}})
	return m
}

// A floor of 4 m with four repeats of 512 pixels: a repeat is a metre, with 512
// texels.
func TestRepeatsAndTexelsAreMeasured(t *testing.T) {
	m := floor(t, 4, 4, 512, "OakPlanks_02")
	p := Patterns(m)
	if len(p) != 1 || math.Abs(p[0].Repeat-1) > 1e-6 || math.Abs(p[0].Texels()-512) > 1e-3 ||
		p[0].Surface != "OakPlanks_02" {
		t.Fatalf("%+v", p)
	}
	m.Surfaces[0].Slots[model.BaseColorMap].Scale = [2]float64{2, 2}
	m.Nodes[0].Local = geom.Scaling(3)
	if p = Patterns(m); math.Abs(p[0].Repeat-1.5) > 1e-6 {
		t.Errorf("twice as often on thrice the size: %v", p[0].Repeat)
	}
	// A map that goes by the second coordinates is measured by them.
	m.Surfaces[0].Slots[model.BaseColorMap].Set = 1
	if p = Patterns(m); len(p) != 0 {
		t.Errorf("without second coordinates: %+v", p)
	}
	part := &m.Meshes[0].Parts[0]
	part.UV1 = []float32{0, 0, 1, 0, 1, 1, 0, 1}
	if p = Patterns(m); len(p) != 1 || math.Abs(p[0].Repeat-6) > 1e-6 || p[0].Aspect != 1 {
		t.Errorf("once on 12 m, twice as often: %+v", p)
	}
	m.Surfaces[0].Slots[model.BaseColorMap].Set = 0
	if s := SubjectOf(m, "floor"); len(s.texels()) != 1 {
		t.Errorf("%+v", s.Patterns)
	}
	m.Surfaces[0].Slots[model.BaseColorMap] = model.EmptySlot
	if p = Patterns(m); len(p) != 0 {
		t.Errorf("without a map: %+v", p)
	}
}

func TestRepeatsAreJudgedByWhatTheyShow(t *testing.T) {
	for _, c := range []struct {
		surface string
		metres  float64
		wrong   bool
	}{{"OakPlanks_02", 1.6, false}, {"OakPlanks_02", 16, true}, {"red_brick", 0.1, true}, {"Ziegel", 2, false},
		{"fabric", 20, true}, {"Material.001", 900, false}} {
		p := Pattern{Surface: c.surface}
		if got := p.Judge(unit.InMetres, c.metres); (got != "") != c.wrong || c.wrong &&
			!strings.Contains(got, "one repeat of") {
			t.Errorf("%s at %v m: %q", c.surface, c.metres, got)
		}
	}
}
