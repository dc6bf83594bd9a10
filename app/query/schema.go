package query

import (
	"visator/core/document"
	"visator/core/finish"
	"visator/core/lay"
	"visator/core/light"
)

// Schema is what documents are made of, with what they begin with.
type Schema struct {
	Elements map[string][]document.Field `json:"elements"` // by kind
	Drawn    map[string]lay.Drawing      `json:"drawn"`    // how kinds are drawn that say so
	Light    []document.Field            `json:"light"`
	Finish   []finish.Described          `json:"finish"` // the steps, in the order of the chain
}

// SchemaOf is that of this program.
func SchemaOf() Schema {
	day := light.Default()
	return Schema{lay.Schema(), lay.Drawings(), document.Schema(&day), finish.Schema()}
}
