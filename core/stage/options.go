package stage

import (
	"visator/core/document"
	"visator/core/unit"
)

// Options are a production's own settings.
type Options struct {
	Unit   string `json:"unit"`   // by which lengths are told, and meant where none is typed; see unit.ByName
	Budget int    `json:"budget"` // triangles that the lens view may draw
}

// Fields are what a production is described by.
func (o *Options) Fields() []document.Field {
	return []document.Field{
		document.Of(&o.Unit, document.Unit, "unit", "unit", ""),
		document.Of(&o.Budget, document.Count, "budget", "triangles drawn", "what the lens view draws").
			In(1000, 20_000_000).Told("triangles", 0),
	}
}

// Check says what is impossible about them.
func (o *Options) Check() error { return document.Check(o) }

// Usual is what a production begins with. WebGL in software takes 0.6 s a frame for 200 000
// triangles.
func Usual() Options { return Options{Unit: unit.Metre.Name, Budget: 250_000} }
