package keep

import (
	"encoding/json"
	"testing"

	"visator/core/document"
	"visator/core/lay"
	"visator/core/surface"
)

// Each kind begins with what is possible, is known by its name, and comes back as it was written.
func TestKindsBegin(t *testing.T) {
	for _, name := range []string{"kept light", "material", "wear", "board"} {
		create := lay.Kinds[name]
		if create == nil {
			t.Fatalf("%s is not known", name)
		}
		begun := create().Default()
		if err := begun.Check(); err != nil {
			t.Errorf("%s begins with what is impossible: %v", name, err)
		}
		seen := map[string]bool{}
		for _, f := range document.Schema(begun) {
			if seen[f.Key] || f.Label == "" {
				t.Errorf("%s: the field %q comes twice, or has no label", name, f.Key)
			}
			seen[f.Key] = true
		}
		raw, err := json.Marshal(begun)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := (&lay.Element{Kind: name, Spec: raw}).Read(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Materials and wear come in the order of their elements, without those that are hidden; what cannot be is refused.
func TestWornInOrder(t *testing.T) {
	element := func(kind string, spec any, hidden bool) *lay.Element {
		raw, err := json.Marshal(spec)
		if err != nil {
			t.Fatal(err)
		}
		return &lay.Element{ID: kind, Kind: kind, Spec: raw, Hidden: hidden}
	}
	of := func(base string) any {
		m := (&Material{}).Default().(*Material)
		m.Base, m.On = base, []surface.On{{Thing: "box"}}
		return m
	}
	wet := (&Wear{}).Default().(*Wear)
	wet.Wet = 0.5
	list := []*lay.Element{element("material", of("#111111"), false), element("wear", wet, false),
		element("material", of("#222222"), true), element("material", of("#333333"), false), element("wear", wet, true)}
	worn, by, err := Worn(list)
	if err != nil || len(worn) != 2 || worn[0].Base != "#111111" || worn[1].Base != "#333333" {
		t.Errorf("%+v, %v", worn, err)
	}
	if m := surface.For(surface.Matching(worn, "box", ""), "any"); m == nil || m.Base != "#333333" {
		t.Errorf("what comes later does not count: %+v", m)
	}
	if len(by) != 2 || by[&worn[0].Material] != "material" {
		t.Errorf("by which element: %v", by)
	}
	weathers, err := Weathers(list)
	if err != nil || len(weathers) != 1 || weathers[0].Wet != 0.5 {
		t.Errorf("%+v, %v", weathers, err)
	}
	b := (&Board{}).Default().(*Board)
	b.Palette = []surface.Swatch{{Color: "red", Share: 1}}
	if b.Check() == nil {
		t.Error("a palette of no colour")
	}
	b = (&Board{}).Default().(*Board)
	b.Pictures = []BoardPicture{{}}
	if b.Check() == nil {
		t.Error("a picture without content")
	}
}
