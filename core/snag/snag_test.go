package snag

import (
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
	"visator/core/unit"
)

func box(name string, at, size geom.V) Thing {
	return Thing{ID: name, Name: name, Box: geom.Box{Min: geom.V{X: -size.X / 2, Z: -size.Z / 2}, Max: geom.V{X: size.X / 2, Y: size.Y, Z: size.Z / 2}}, World: geom.Translation(at), Size: size}
}

func TestWhatFloatsIsFoundAndWhatStandsOnAnotherThingIsNot(t *testing.T) {
	things := []Thing{
		box("table", geom.V{}, geom.V{X: 2, Y: 0.75, Z: 1}),
		box("mug", geom.V{Y: 0.75}, geom.V{X: 0.1, Y: 0.1, Z: 0.1}),
		box("bird", geom.V{X: 9, Y: 3}, geom.V{X: 0.1, Y: 0.1, Z: 0.1}),
		box("plate", geom.V{X: 0.5, Y: 0.85}, geom.V{X: 0.2, Y: 0.02, Z: 0.2}),
	}
	got := Standing(unit.InMetres, things)
	if len(got) != 2 || got[0].ID != "bird" || got[1].ID != "plate" || !strings.Contains(got[1].What, "table") {
		t.Errorf("got %+v", got)
	}
}

func TestWhatTheFarPlaneCutsIsFound(t *testing.T) {
	v := optics.Default()
	v.Far = 100
	things := []Thing{box("ridge", geom.V{Z: -5000}, geom.V{X: 4000, Y: 300, Z: 100}), box("bench", geom.V{Z: 2}, geom.V{X: 1.6, Y: 0.9, Z: 0.6}), box("behind", geom.V{Z: 5000}, geom.V{X: 1, Y: 1, Z: 1})}
	var spans []optics.Span
	for _, th := range things {
		spans = append(spans, v.SpanOf(th.Box, th.World))
	}
	got := Clipping(unit.InMetres, &v, things, spans)
	if len(got) != 1 || got[0].ID != "ridge" {
		t.Errorf("got %+v", got)
	}
}

func TestImpossibleSizesAreSnagsUntilDecided(t *testing.T) {
	big := geom.V{X: 9600, Y: 9600, Z: 9600}
	if len(Sizes(unit.InMetres, "m", "mug", big)) != 1 || len(Sizes(unit.InMetres, "m", "mug", geom.V{X: 0.1, Y: 0.1, Z: 0.1})) != 0 {
		t.Error("sizes are judged wrongly")
	}
}
