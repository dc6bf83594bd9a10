package lay

import (
	"fmt"
	"math"

	"visator/core/air"
	"visator/core/light"
)

var _ = Kind("fog", func() Spec { return &Fog{} })

// Fog is a body of fog in the set.
type Fog struct{ light.Fog }

// Default is a fog as it begins.
func (*Fog) Default() Spec { return &Fog{light.DefaultFog()} }

// Drawn is by a click where it lies.
func (*Fog) Drawn() Drawing {
	return Drawing{Way: "point", Key: "at", Say: "click where it lies", Row: "light"}
}

// Lay is its air, and its outline for the plan.
func (f *Fog) Lay() *Laid {
	p := f.Air()
	var outline []P
	for _, q := range f.Outline() {
		outline = append(outline, P{X: q[0], Z: q[1]})
	}
	left := math.Exp(-p.Sigma * f.Wide)
	return &Laid{Air: []air.Part{p}, Strips: [][]P{outline},
		Said: fmt.Sprintf("across it %.0f %% of the contrast is left", 100*left)}
}
