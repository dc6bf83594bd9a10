package snag

import (
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/unit"
)

func box(name string, at, size geom.V) Thing {
	return Thing{ID: name, Name: name, Box: geom.Box{Min: geom.V{X: -size.X / 2, Z: -size.Z / 2},
		Max: geom.V{X: size.X / 2, Y: size.Y, Z: size.Z / 2}}, World: geom.Translation(at), Size: size}
}

func TestWhatIsNotAsLargeAsItsKindIsASnag(t *testing.T) {
	if s := Implausible(unit.InMetres, "d", "front door", geom.V{X: 9, Y: 21, Z: 0.4}); len(s) != 1 ||
		s[0].Step != "size" || !strings.Contains(s[0].What,
		"front door is 21.0 m high; nine of ten of its kind (door) are 1.95 m to 2.35 m") {
		t.Errorf("%+v", s)
	}
	for name, size := range map[string]geom.V{"front door": {X: 0.9, Y: 2.1, Z: 0.1}, "asset 12": {X: 90, Y: 90, Z: 90},
		"door handle": {X: 0.02, Y: 0.1, Z: 0.1}, "door lying": {X: 2.1, Y: 0.05, Z: 0.9}} {
		if s := Implausible(unit.InMetres, "x", name, size); len(s) != 0 {
			t.Errorf("%s: %+v", name, s)
		}
	}
}

func TestNeighboursThatCannotBothBeRightAreFound(t *testing.T) {
	chair := geom.V{X: 0.5, Y: 0.9, Z: 0.5}
	low := geom.V{X: 1.6, Y: 0.3, Z: 0.9} // lower than the seat
	got := Beside(unit.InMetres, []Thing{box("chair", geom.V{}, chair), box("dining table", geom.V{X: 1.2}, low),
		box("asset", geom.V{Z: 0.5}, geom.V{X: 9, Y: 9, Z: 9})})
	if len(got) != 1 || got[0].ID != "dining table" || !strings.Contains(got[0].What,
		"dining table is 0.30 m high beside chair of 0.90 m") {
		t.Errorf("%+v", got)
	}
	// Half as large as it should be is found as twice as large is.
	for _, k := range []float64{0.5, 2} {
		wrong := chair.Mul(k)
		if got := Beside(unit.InMetres,
			[]Thing{box("chair", geom.V{}, wrong),
				box("dining table", geom.V{X: 1.2}, geom.V{X: 1.6, Y: 0.75, Z: 0.9})}); len(got) != 1 ||
			got[0].ID != "chair" {
			t.Errorf("a chair %v times as large: %+v", k, got)
		}
	}
	for name, things := range map[string][]Thing{
		"right": {box("chair", geom.V{}, chair), box("dining table", geom.V{X: 1.2},
			geom.V{X: 1.6, Y: 0.75, Z: 0.9})},
		"far off": {box("chair", geom.V{}, chair), box("dining table", geom.V{X: 9}, low)},
		"alike": {box("oak tree", geom.V{}, geom.V{X: 3, Y: 18, Z: 3}),
			box("birch tree", geom.V{X: 2}, geom.V{X: 3, Y: 3, Z: 3})},
	} {
		if s := Beside(unit.InMetres, things); len(s) != 0 {
			t.Errorf("%s: %+v", name, s)
		}
	}
}

func TestStretchedThingsAreFound(t *testing.T) {
	a, b := box("crate", geom.V{}, geom.V{X: 1, Y: 1, Z: 1}), box("box", geom.V{}, geom.V{X: 1, Y: 1, Z: 1})
	a.World = geom.Compose(geom.V{X: 3}, geom.Turn(geom.V{Y: 1}, 0.7), geom.V{X: 1.2, Y: 1.5, Z: 1.2})
	b.World = geom.Compose(geom.V{X: 3}, geom.Turn(geom.V{X: 1}, 0.7), geom.V{X: 2, Y: 2.01, Z: 2})
	got := Stretched([]Thing{a, b})
	if len(got) != 1 || got[0].ID != "crate" || !strings.Contains(got[0].What,
		"its height by 25 % more than its width") {
		t.Errorf("%+v", got)
	}
}
