package snag

import (
	"testing"

	"visator/core/geom"
	"visator/core/unit"
)

func TestImpossibleSizesAreSnagsUntilDecided(t *testing.T) {
	big := geom.V{X: 9600, Y: 9600, Z: 9600}
	if len(Sizes(unit.InMetres, "m", "mug", big)) != 1 ||
		len(Sizes(unit.InMetres, "m", "mug", geom.V{X: 0.1, Y: 0.1, Z: 0.1})) != 0 {
		t.Error("sizes are judged wrongly")
	}
}
