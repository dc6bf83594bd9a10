package surface

import (
	"math"
	"strings"
	"testing"

	"visator/core/model"
)

// What a surface is made of comes back when it is made of that again: to the step of an 8-bit colour.
func TestAMaterialTakenOffAndPutOn(t *testing.T) {
	s := model.DefaultSurface()
	s.Name, s.BaseColor, s.Metallic, s.Roughness = "oak", [4]float64{0.3, 0.2, 0.1, 0.7}, 0, 0.4
	s.Coat, s.CoatRoughness, s.Sheen, s.SheenRoughness = 0.5, 0.1, [3]float64{0.2, 0.1, 0}, 0.3
	s.Transmission, s.IOR, s.Solid, s.AbsorbOver, s.Absorb = 0.5, 1.33, true, 0.2, [3]float64{0.1, 0.5, 0.9}
	s.Emissive, s.Alpha, s.Cutoff, s.DoubleSided = [3]float64{500, 250, 0}, model.Mask, 0.3, true
	s.Film, s.FilmMost, s.FilmIndex, s.Leaf, s.Brush, s.BrushTurn = 0.2, 300, 1.4, 0.1, 0.6, 1
	m := asCame(&s, 0.5)
	if err := m.Check(); err != nil {
		t.Fatal(err)
	}
	back := model.DefaultSurface()
	back.Name, back.BaseColor[3] = "pine", 0.7
	m.Apply(&back, nil, 0)
	if back.Name != "pine" {
		t.Errorf("it is called %q", back.Name)
	}
	near := func(what string, a, b float64) {
		if math.Abs(a-b) > 0.004+0.01*math.Abs(b) {
			t.Errorf("%s: %v, want %v", what, a, b)
		}
	}
	for c := range 3 {
		near("base", back.BaseColor[c], s.BaseColor[c])
		near("sheen", back.Sheen[c], s.Sheen[c])
		near("absorb", back.Absorb[c], s.Absorb[c])
		near("glow", back.Emissive[c], s.Emissive[c])
	}
	for what, v := range map[string][2]float64{"roughness": {back.Roughness, s.Roughness}, "coat": {back.Coat, s.Coat},
		"metal": {back.Metallic, 0}, "clear": {back.Transmission, 0.5}, "index": {back.IOR, 1.33},
		"over": {back.AbsorbOver, 0.2}, "cutoff": {back.Cutoff, 0.3}, "film": {back.FilmMost, 300},
		"leaf": {back.Leaf, 0.1}, "brush": {back.Brush, 0.6}, "turn": {back.BrushTurn, 1}, "alpha": {back.BaseColor[3], 0.7}} {
		near(what, v[0], v[1])
	}
	if back.Alpha != model.Mask || !back.DoubleSided || !back.Solid {
		t.Errorf("%+v", back)
	}
}

// Planks stay as wide as they are: coordinates that run 0 to 1 over 3 metres show a picture of 0.5 m six times.
func TestPicturesKeepTheirTrueSize(t *testing.T) {
	m := New()
	m.Tile, m.Tall, m.Along = 0.5, 2, 0.1
	m.Maps = map[string]Map{"base": {Blob: "x"}}
	s := model.DefaultSurface()
	m.Apply(&s, map[string]int{"base": 3}, 3)
	slot := s.Slots[model.BaseColorMap]
	if slot.Map != 3 || math.Abs(slot.Scale[0]-6) > 1e-12 || math.Abs(slot.Scale[1]-3) > 1e-12 ||
		math.Abs(slot.Offset[0]-0.2) > 1e-12 {
		t.Errorf("%+v", slot)
	}
	// Where the coordinates' length is not known they stay as they run.
	was := model.DefaultSurface()
	was.Slots[model.BaseColorMap] = model.Slot{Map: 0, Scale: [2]float64{2, 2}}
	m.Apply(&was, map[string]int{"base": 3}, 0)
	if slot := was.Slots[model.BaseColorMap]; slot.Map != 3 || slot.Scale != [2]float64{2, 2} {
		t.Errorf("%+v", slot)
	}
}

func TestWhatCannotBe(t *testing.T) {
	for _, set := range []func(m *Material){func(m *Material) { m.Base = "red" }, func(m *Material) { m.Rough = 1.5 },
		func(m *Material) { m.Index = math.NaN() }, func(m *Material) { m.Glow = 1e308 },
		func(m *Material) { m.Maps = map[string]Map{"colour": {Blob: "x"}} },
		func(m *Material) { m.Maps = map[string]Map{"base": {}} }, func(m *Material) { m.Lay = "sideways" }} {
		m := New()
		set(&m)
		if m.Check() == nil {
			t.Errorf("%+v", m)
		}
	}
	for want, set := range map[string]func(m *Material){"soot": func(m *Material) { m.Base = "#080808" },
		"snow": func(m *Material) { m.Base = "#ffffff" }, "% metal": func(m *Material) { m.Metal = 0.5 },
		"mirrors": func(m *Material) { m.Metal, m.Base = 1, "#444444" }} {
		m := New()
		set(&m)
		if got := m.Likely(); !strings.Contains(got, want) {
			t.Errorf("%q, want %q", got, want)
		}
	}
	m := New()
	if got := m.Likely(); got != "" {
		t.Errorf("as it begins: %q", got)
	}
}
