package surface

import (
	"errors"

	"visator/core/document"
)

// On is where a material counts: on a surface of all that shows a piece, or of one thing alone.
type On struct {
	Piece   string `json:"piece,omitempty"`   // "": of Thing alone
	Surface string `json:"surface,omitempty"` // its name; "": all
	Thing   string `json:"thing,omitempty"`   // "": all that show the piece
	Faces   Faces  `json:"faces,omitzero"`    // those alone; zero: all of the surface
}

// MaxOn is on how many places one material counts: a town's worth of things.
const MaxOn = 20_000

// Worn is a material with where it counts.
type Worn struct {
	Material
	On []On `json:"on"`
}

// Check says what is impossible about it.
func (w *Worn) Check() error {
	if err := w.Material.Check(); err != nil {
		return err
	}
	if len(w.On) > MaxOn {
		return errors.New("a material counts on at most 20,000 surfaces: put it on the pieces instead")
	}
	for _, on := range w.On {
		if len(on.Piece) > document.MaxName || len(on.Thing) > document.MaxName || len(on.Surface) > document.MaxName {
			return errors.New("where a material counts is named, not described")
		}
		if !on.Faces.None() {
			if err := on.Faces.Check(); err != nil {
				return err
			}
		}
		if on.Piece == "" && on.Thing == "" {
			return errors.New("a material counts on a piece or on a thing")
		}
	}
	return nil
}

// Match is a material that may count on a thing.
type Match struct {
	On
	*Material
}

// Matching are the materials of a list that may count on a thing that shows a piece, in their order.
func Matching(list []*Worn, thing, piece string) (out []Match) {
	for _, w := range list {
		for _, on := range w.On {
			if on.Thing == thing && thing != "" || on.Thing == "" && on.Piece == piece && piece != "" {
				out = append(out, Match{on, &w.Material})
			}
		}
	}
	return out
}

// For is the material of a surface, but for faces that have one of their own: what is said of the thing counts before
// what is said of its piece, what is said of the surface before what is said of all, and what comes later before what
// comes first; nil: as it came.
func For(matches []Match, surface string) *Material {
	best := -1
	var out *Material
	for _, m := range matches {
		if m.Surface != "" && m.Surface != surface || !m.Faces.None() {
			continue
		}
		rank := 0
		if m.Thing != "" {
			rank = 2
		}
		if m.Surface != "" {
			rank++
		}
		if rank >= best {
			best, out = rank, m.Material
		}
	}
	return out
}
