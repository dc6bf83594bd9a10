package lay

import (
	"fmt"

	"visator/core/document"
	"visator/core/light"
)

var _ = Kind("lamp", func() Spec { return &Lamp{} })

// Lamp is a lamp that hangs or stands in the set by itself.
type Lamp struct{ light.Lamp }

// Default is a lamp as it begins.
func (*Lamp) Default() Spec { return &Lamp{light.DefaultLamp()} }

// Drawn is by a click beneath where it hangs.
func (*Lamp) Drawn() Drawing {
	return Drawing{Way: "point", Key: "at", Say: "click where it hangs", Row: "light"}
}

// Fields are what a lamp is described by.
func (l *Lamp) Fields() []document.Field { return l.Lamp.Fields() }

// Check says what is impossible about a lamp.
func (l *Lamp) Check() error {
	if !l.At.Finite() || !l.To.Finite() {
		return fmt.Errorf("a lamp hangs within %.0f km of the middle", maxPlace/1000.0)
	}
	return l.Lamp.Check()
}

// Floor is how high what lies beneath a lamp is; 0 where nothing does.
func (l *Lamp) Floor(on Beneath) float64 {
	if y, _, ok := on.Under(l.At.X, l.At.Z, l.At.Y); ok {
		return y
	}
	return 0
}

// LayOver is a lamp with its pools on a level floor beneath it.
func (l *Lamp) LayOver(floor float64) *Laid {
	pools, most := l.Pools(floor)
	c := light.Luminance(l.Luminous())
	said := fmt.Sprintf("%s, %s in the middle of its beam", told(l.Lumen(), "lm"), told(c, "cd"))
	switch {
	case !l.On:
		said = "it does not burn"
	case l.Shape == "measured" && l.Web == nil:
		said = "it shines once it has a photometric file: LM-63 (.ies) or EULUMDAT (.ldt)"
	case most > 0:
		said += fmt.Sprintf("; %s at most on what is %.2f m below, with nothing between", told(most, "lx"),
			l.At.Y-floor)
	}
	if soft := l.Penumbra(l.At.Y-floor, 1); soft > 0 && l.On {
		said += fmt.Sprintf("; what is a metre above that throws a shadow with an edge %.2g m wide", soft)
	}
	if l.Web != nil && l.On {
		across, along := l.Web.Spread(0.5)
		said += fmt.Sprintf("; %s measures a beam of %.0f by %.0f°", l.FileName, across, along)
		if d := l.Web.Doubts(); len(d) > 0 {
			said += "; doubtful: " + d[0]
		}
	}
	return &Laid{Hung: []light.Hung{{Lamp: l.Lamp}}, Pools: pools, Said: said}
}

// told is a figure of light to three digits.
func told(x float64, unit string) string {
	switch {
	case x >= 99.95 || x == 0:
		return fmt.Sprintf("%.0f %s", x, unit)
	case x >= 9.995:
		return fmt.Sprintf("%.1f %s", x, unit)
	}
	return fmt.Sprintf("%.3g %s", x, unit)
}
