// Package snag measures a set and finds fault: things cut by the clipping
// planes, floating, sunk, far too big or small, maps that are missing.
package snag

import (
	"fmt"
	"math"

	"visator/core/geom"
	"visator/core/unit"
)

// Snag is one thing that was measured and looks wrong.
type Snag struct {
	Step  string `json:"step"` // the step of work where it is mended
	What  string `json:"what"`
	ID    string `json:"id"`   // the placement, piece or arrival
	Shot  string `json:"shot"` // the kept shot that it is about; "": none, or the working view
	Fix   string `json:"fix"`  // "" or a deed that mends it
	Label string `json:"label"`

	// What follows is of those that measure how a set stands.
	// floating, sunk, overlap, flush, below, twins, door, unseen, far, hole, budget, and those of
	// framing
	Kind   string   `json:"kind"`
	Key    string   `json:"key"` // names it while it lasts; "": it cannot be meant
	IDs    []string `json:"ids"` // all of its things
	At     *geom.V  `json:"at"`  // where it is, metres
	Number float64  `json:"number"`
	Meant  string   `json:"meant"` // the element that says that it is meant; "": it is not
}

// Thing is a placement as it is measured.
type Thing struct {
	ID, Name string
	Box      geom.Box // in the piece, metres
	World    geom.M
	Size     geom.V // metres, as placed
	Ground   bool   // carries others: large and flat, or terrain
}

// Sizes finds pieces whose size, which nobody decided, is hardly that of
// anything people place.
func Sizes(in unit.Ruler, id, name string, size geom.V) (list []Snag) {
	top := size.Max()
	switch {
	case top > 2000 || top > 0 && top < 0.005:
		return []Snag{{Step: "size", What: fmt.Sprintf("%s measures %s: choose its unit", name, in.Distance(top)),
			ID: id, Fix: "sized", Label: "it is right"}}
	case math.IsNaN(top) || top == 0:
		return []Snag{{Step: "size", What: fmt.Sprintf("%s has no size", name), ID: id}}
	}
	return nil
}
