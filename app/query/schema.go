package query

import (
	"visator/core/document"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/layers"
	"visator/core/light"
	"visator/core/optics"
	"visator/core/stage"
)

// Schema is what documents are made of, with what they begin with.
type Schema struct {
	Elements  map[string][]document.Field `json:"elements"` // by kind
	Drawn     map[string]lay.Drawing      `json:"drawn"`    // how kinds are drawn that say so
	Light     []document.Field            `json:"light"`
	Places    []light.Spot                `json:"places"`    // on the earth, to choose
	Finish    []finish.Described          `json:"finish"`    // the steps, in the order of the chain
	Encodings []string                    `json:"encodings"` // of pictures, how their values are written
	Layers    [][2]string                 `json:"layers"`    // of pictures, that can be asked for, and what they are

	View       []document.Field `json:"view"`
	Settings   []document.Field `json:"settings"` // of shots and sets, beside their view and light
	Shot       []document.Field `json:"shot"`
	Set        []document.Field `json:"set"`
	Placement  []document.Field `json:"placement"`
	Production []document.Field `json:"production"`
}

// SchemaOf is that of this program.
func SchemaOf() Schema {
	day, view, usual := light.Default(), optics.Default(), stage.Usual()
	return Schema{
		Elements: lay.Schema(), Drawn: lay.Drawings(), Light: document.Schema(&day), Places: light.Places(),
		Finish: finish.Schema(), Encodings: finish.Encodings(), Layers: layers.Kinds[:],
		View: document.Schema(&view), Settings: document.Schema(&stage.ShotSettings{}),
		Shot: document.Schema(&stage.Shot{}), Set: document.Schema(&stage.Scene{}),
		Placement:  document.Schema(&stage.Placement{Scale: geom.V{X: 1, Y: 1, Z: 1}}),
		Production: document.Schema(&usual),
	}
}
