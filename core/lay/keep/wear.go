package keep

import (
	"visator/core/lay"
	"visator/core/surface"
)

var _ = lay.Kind("wear", func() lay.Spec { return &Wear{} })

// Wear is what weather does to a set, or to some things of it.
type Wear struct{ surface.Wear }

// Default is wear as it begins.
func (*Wear) Default() lay.Spec { return &Wear{surface.NewWear()} }

// Weathers are the wear of a set, in their order; what is hidden does nothing.
func Weathers(list []*lay.Element) (out []surface.Wear, err error) {
	err = each(list, "wear", func(_ *lay.Element, w *Wear) { out = append(out, w.Wear) })
	return out, err
}
