package lay

import "visator/core/light"

var _ = kind("kept light", func() Spec { return &KeptLight{} })

// KeptLight is a light that is kept by name, to be tried on any shot.
type KeptLight struct {
	noFields
	Light light.State `json:"light"`
}

// Default is a kept light as it begins.
func (*KeptLight) Default() Spec { return &KeptLight{Light: light.Default()} }

// Check says what is impossible about it.
func (k *KeptLight) Check() error { return k.Light.Check() }
