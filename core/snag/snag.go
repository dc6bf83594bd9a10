// Package snag measures a set and finds fault: things cut by the clipping
// planes, floating, sunk, far too big or small, maps that are missing.
package snag

import (
	"fmt"
	"math"

	"visator/core/geom"
	"visator/core/optics"
	"visator/core/unit"
)

// Snag is one thing that was measured and looks wrong.
type Snag struct {
	Step  string `json:"step"` // the step of work where it is mended
	What  string `json:"what"`
	ID    string `json:"id"`  // the placement, piece or arrival
	Fix   string `json:"fix"` // "" or a deed that mends it
	Label string `json:"label"`

	// What follows is of those that measure how a set stands.
	Kind   string   `json:"kind"` // floating, sunk, overlap, flush, below, twins, door, unseen, far, hole, budget
	Key    string   `json:"key"`  // names it while it lasts; "": it cannot be meant
	IDs    []string `json:"ids"`  // all of its things
	At     *geom.V  `json:"at"`   // where it is, metres
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

// floatGap is how far above everything a thing may end before it counts as
// floating: two centimetres are seen by the eye in a near shot.
const floatGap = 0.02

// Clipping finds what the near or far plane cuts of what is seen.
func Clipping(in unit.Ruler, v *optics.View, things []Thing, spans []optics.Span) (list []Snag) {
	for i, s := range spans {
		if !s.Seen {
			continue
		}
		switch {
		case s.Far > v.Far:
			list = append(list, Snag{Step: "frame", What: fmt.Sprintf("%s reaches to %s, the far plane is at %s", things[i].Name, in.Distance(s.Far), in.Distance(v.Far)), ID: things[i].ID, Fix: "fit", Label: "fit range"})
		case s.Near < v.Near && s.Far > 0:
			// A floor or terrain under the camera always reaches up to the lens.
			if things[i].Ground || s.Near == 0 {
				continue
			}
			list = append(list, Snag{Step: "frame", What: fmt.Sprintf("%s begins at %s, the near plane is at %s", things[i].Name, in.Distance(s.Near), in.Distance(v.Near)), ID: things[i].ID, Fix: "fit", Label: "fit range"})
		}
	}
	return list
}

// Gap is how far thing i ends above what is beneath it: the ground at height
// 0, or the box of another thing; 0 when it reaches into one.
func Gap(things []Thing, i int) float64 {
	gap, _ := gapBelow(boxesOf(things), i)
	return gap
}

func boxesOf(things []Thing) []geom.Box {
	boxes := make([]geom.Box, len(things))
	for i := range things {
		boxes[i] = things[i].Box.Apply(things[i].World)
	}
	return boxes
}

// gapBelow also says which thing is beneath; -1 is the ground.
func gapBelow(boxes []geom.Box, i int) (gap float64, on int) {
	b := boxes[i]
	gap, on = b.Min.Y, -1
	for j, o := range boxes {
		if j == i || o.IsEmpty() || o.Max.X < b.Min.X || o.Min.X > b.Max.X || o.Max.Z < b.Min.Z || o.Min.Z > b.Max.Z {
			continue
		}
		switch {
		case o.Max.Y >= b.Min.Y && o.Min.Y <= b.Max.Y: // reaches into its height: may carry or hold it
			return 0, j
		case o.Max.Y < b.Min.Y && b.Min.Y-o.Max.Y < gap:
			gap, on = b.Min.Y-o.Max.Y, j
		}
	}
	return gap, on
}

// Standing finds things that float: their lowest point lies above the ground
// at height 0 and above every other thing's box below them.
func Standing(in unit.Ruler, things []Thing) (list []Snag) {
	boxes := boxesOf(things)
	for i, b := range boxes {
		if things[i].Ground || b.IsEmpty() || b.Min.Y <= floatGap {
			continue
		}
		if gap, on := gapBelow(boxes, i); gap > floatGap {
			below := "the ground"
			if on >= 0 {
				below = things[on].Name
			}
			list = append(list, Snag{Step: "dress", What: fmt.Sprintf("%s floats %s above %s", things[i].Name, in.Distance(gap), below), ID: things[i].ID, Fix: "ground", Label: "put down"})
		}
	}
	return list
}

// Sizes finds pieces whose size, which nobody decided, is hardly that of
// anything people place.
func Sizes(in unit.Ruler, id, name string, size geom.V) (list []Snag) {
	top := size.Max()
	switch {
	case top > 2000 || top > 0 && top < 0.005:
		return []Snag{{Step: "size", What: fmt.Sprintf("%s measures %s: choose its unit", name, in.Distance(top)), ID: id, Fix: "sized", Label: "it is right"}}
	case math.IsNaN(top) || top == 0:
		return []Snag{{Step: "size", What: fmt.Sprintf("%s has no size", name), ID: id}}
	}
	return nil
}
