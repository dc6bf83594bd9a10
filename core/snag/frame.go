package snag

import (
	"fmt"
	"math"
	"strings"

	"visator/core/frame"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/optics"
	"visator/core/unit"
)

// Seen is what a shot shows, as it was measured.
type Seen struct {
	In      unit.Ruler
	Shot    string // its ID; "" the working view
	Name    string
	View    optics.View // at the start
	Now     frame.Moment
	Range   frame.Range // over the move
	Figures frame.Figures
	CutNear []string // names of things that the planes cut, once each
	CutFar  []string
	Height  float64 // of the eye above what is beneath it; +Inf: nothing
	On      string
	Moves   bool
	Still   bool // the eye stays where it is

	// Its light; nil where nobody asks. Sky is what the sky gives level ground by itself, in lux.
	Light   *light.State
	Sky     float64
	Own     *OwnSun // the sun that its panorama holds; nil: none
	Metered float64 // the exposure value that a meter gives
	Lamps   []LitLamp
	Picture *frame.Picture

	stuck, within, withinID string // how the camera is stuck, in what by name and by ID; "": it is not
}

// told is a fault of a shot: what is wrong, with what (an ID, "" the shot itself), and what mends it.
type told func(kind, id, fix, label, format string, args ...any)

// framers find one kind of fault of a shot each, one a file: each puts itself in.
var framers []func(*Seen, told)

// frames puts one in.
func frames(f func(*Seen, told)) bool {
	framers = append(framers, f)
	return true
}

// Framing finds what is wrong with a shot.
func Framing(s *Seen) (list []Snag) {
	put := func(kind, id, fix, label, format string, args ...any) {
		n := Snag{Step: "frame", Kind: kind, ID: id, IDs: []string{}, Shot: s.Shot, Fix: fix, Label: label,
			Key: kind + ":" + s.Shot + ":" + id, What: s.Name + ": " + fmt.Sprintf(format, args...)}
		if id != "" {
			n.IDs = []string{id}
		}
		list = append(list, n)
	}
	s.stuck, s.within, s.withinID = s.Now.Scene.Stuck(&s.Now.View)
	for _, find := range framers {
		find(s, put)
	}
	return list
}

// land says whether a thing is ground.
func (s *Seen) land(id string) bool {
	for i := range s.Now.Scene.Things {
		if t := &s.Now.Scene.Things[i]; t.ID == id {
			return t.Land
		}
	}
	return false
}

func (s *Seen) nameOf(id string) string {
	for i := range s.Now.Scene.Things {
		if t := &s.Now.Scene.Things[i]; t.ID == id {
			return t.Name
		}
	}
	return "the subject"
}

// nearest is how near a thing's box comes to the eye.
func (s *Seen) nearest(id string) float64 {
	d := math.Inf(1)
	for i := range s.Now.Scene.Things {
		t := &s.Now.Scene.Things[i]
		if t.ID != id || t.Body == nil {
			continue
		}
		b, e := t.Body.Box, s.Now.View.Eye
		at := geom.V{X: min(max(e.X, b.Min.X), b.Max.X), Y: min(max(e.Y, b.Min.Y), b.Max.Y),
			Z: min(max(e.Z, b.Min.Z), b.Max.Z)}
		d = min(d, at.Sub(e).Len())
	}
	return d
}

// few names the first of a list, and counts the others.
func few(names []string) string {
	const most = 3
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
}
