// Package keep is kinds of elements that lay nothing: decisions about a set, such as a light that is kept by name, what
// surfaces are made of, and what weather does.
package keep

import (
	"visator/core/document"
	"visator/core/lay"
	"visator/core/light"
)

// each visits the elements of a kind that count, in their order: what is hidden does not.
func each[T lay.Spec](list []*lay.Element, kind string, visit func(e *lay.Element, spec T)) error {
	for _, e := range list {
		if e.Kind != kind || e.Hidden {
			continue
		}
		s, err := e.Read()
		if err != nil {
			return err
		}
		visit(e, s.(T))
	}
	return nil
}

var _ = lay.Kind("kept light", func() lay.Spec { return &KeptLight{} })

// KeptLight is a light that is kept by name, to be tried on any shot.
type KeptLight struct {
	Light light.State `json:"light"`
}

// Default is a kept light as it begins.
func (*KeptLight) Default() lay.Spec { return &KeptLight{Light: light.Default()} }

// Check says what is impossible about it.
func (k *KeptLight) Check() error { return k.Light.Check() }

// Fields are none that a panel shows.
func (*KeptLight) Fields() []document.Field { return nil }
