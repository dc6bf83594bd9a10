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
	Light    []document.Field            `json:"light"`
	Finish   []finish.Described          `json:"finish"` // the steps, in the order of the chain
}

// SchemaOf is that of this program.
func SchemaOf() Schema {
	day := light.Default()
	return Schema{lay.Schema(), document.Schema(&day), finish.Schema()}
}
