package snag

import (
	"strings"
	"testing"

	"visator/core/optics"
	"visator/core/surface"
	"visator/core/unit"
)

// Each fault of a surface is found where it is, and not where it is not: one sound surface, and one change at a time.
func TestSurfacesNobodyBelieves(t *testing.T) {
	sound := func() Dressing {
		m := surface.New()
		m.Base = "#8a6a4a"
		return Dressing{Piece: "p", Name: "crate", Thing: "t", Surface: "planks", Scale: 1, Size: 2, Material: m,
			Mean: "#8a6a4a", Span: optics.Span{Near: 4, Far: 6, Seen: true}}
	}
	board := []surface.Swatch{{Color: "#8a6a4a", Share: 1}}
	v := optics.Default()
	for _, c := range []struct {
		kind  string
		board bool
		set   func(d *Dressing)
	}{
		{"", true, func(*Dressing) {}},
		{"unlikely", false, func(d *Dressing) { d.Base = "#020202" }},
		{"unlikely", false, func(d *Dressing) { d.Base = "#ffffff" }},
		{"unlikely", false, func(d *Dressing) { d.Metal = 0.5 }},
		{"unlikely", false, func(d *Dressing) { d.Metal, d.Base = 1, "#404040" }},
		{"", false, func(d *Dressing) { d.Base, d.Maps = "#ffffff", []string{"base"} }},
		{"mirror floor", false, func(d *Dressing) { d.Ground, d.Rough = true, 0.01 }},
		{"", false, func(d *Dressing) { d.Rough = 0.01 }},
		{"", false, func(d *Dressing) { d.Ground, d.Rough, d.Maps = true, 0, []string{"roughness"} }},
		{"dim glow", false, func(d *Dressing) { d.Glow = 1 }},
		{"", false, func(d *Dressing) { d.Glow = 300 }},
		{"undecided", false, func(d *Dressing) { d.Surface, d.Base = "Material.001", "#b4b4b4" }},
		{"undecided", false, func(d *Dressing) { d.Surface, d.Base = "", "#b4b4b4" }},
		{"", false, func(d *Dressing) { d.Surface = "Material.001" }},
		{"", false, func(d *Dressing) { d.Surface, d.Base, d.Decided = "Material.001", "#b4b4b4", true }},
		{"off the palette", true, func(d *Dressing) { d.Mean = "#2040ff" }},
		{"", false, func(d *Dressing) { d.Mean = "#2040ff" }},
		{"", true, func(d *Dressing) { d.Mean, d.Span.Seen = "#2040ff", false }},
		{"repeats", false, func(d *Dressing) { d.Maps, d.Tile, d.Size = []string{"base"}, 0.1, 10 }},
		{"", false, func(d *Dressing) { d.Maps, d.Tile, d.Size, d.Broken = []string{"base"}, 0.1, 10, true }},
		{"", false, func(d *Dressing) { d.Maps, d.Tile, d.Size, d.Span.Near = []string{"base"}, 0.1, 10, 400 }},
		{"", false, func(d *Dressing) { d.Maps, d.Tile, d.Size = []string{"base"}, 0.5, 10 }},
	} {
		d := sound()
		c.set(&d)
		var palette []surface.Swatch
		if c.board {
			palette = board
		}
		var kinds []string
		for _, s := range Surfaces(unit.RulerOf("m"), &v, []Dressing{d}, palette) {
			kinds = append(kinds, s.Kind)
			if s.Step != "surface" || s.ID != "t" || !strings.Contains(s.What, "crate") {
				t.Errorf("%+v", s)
			}
		}
		if got := strings.Join(kinds, ", "); got != c.kind {
			t.Errorf("%q is told, not %q, of %+v", got, c.kind, d)
		}
	}
	// Bricks of one name in two sizes, on two pieces; of twice the size on a thing half as large they are alike.
	a, b := sound(), sound()
	b.Piece, b.Name = "q", "wall"
	a.Maps, a.Tile = []string{"base"}, 0.5
	b.Maps, b.Tile = []string{"base"}, 1
	list := Surfaces(unit.RulerOf("m"), &v, []Dressing{a, b}, nil)
	if len(list) != 1 || list[0].Kind != "other pattern" || !strings.Contains(list[0].What, "on crate") {
		t.Errorf("%+v", list)
	}
	if b.Scale = 0.5; len(Surfaces(unit.RulerOf("m"), &v, []Dressing{a, b}, nil)) != 0 {
		t.Error("alike is not alike")
	}
}
