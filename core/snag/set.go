package snag

import (
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/optics"
	"visator/core/unit"
)

// Set is a set as it was measured, for those that find fault with how it is dressed.
type Set struct {
	In     unit.Ruler
	Solids []Solid       // all that is seen, as it is felt
	Stands []Stand       // the placements among them, as pictures judge them
	Views  []optics.View // of the shots that were kept; the working view when there are none
	Names  []string      // of the views
	Kept   bool          // there are shots that were kept
	Floor  bool          // below the horizon the sky has nothing of its own to show
	Rooms  []Room        // what has doors
}

// Stand is a placement as the pictures of a set's shots judge it.
type Stand struct {
	ID, Name, Piece  string
	Box              geom.Box // about its pivot
	World            geom.M
	Yaw, Pitch, Roll float64
	Scale            float64
	Tint             string
	Land             bool
}

// Room is an element with doors that swing.
type Room struct {
	ID, Name string
	Swings   []lay.Swing
}

// finder finds one kind of fault.
type finder func(*Set) []Snag

// finders are all of them, one a file: each puts itself in.
var finders []finder

// finds puts a finder in.
func finds(f finder) bool {
	finders = append(finders, f)
	return true
}

// Dressed are the faults of how a set is dressed that need more than what touches what.
func Dressed(s *Set) (list []Snag) {
	for _, find := range finders {
		list = append(list, find(s)...)
	}
	return list
}
