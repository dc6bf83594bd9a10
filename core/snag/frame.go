package snag

import (
	"fmt"
	"math"
	"strings"

	"visator/core/frame"
	"visator/core/geom"
	"visator/core/optics"
	"visator/core/unit"
)

// Seen is what a shot shows, as it was measured.
type Seen struct {
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
}

// Thresholds of framing, ours: less is not seen, more is meant.
const (
	tiltLeast   = 0.3 // degrees of pitch from which on verticals converge
	tiltMost    = 3.0 // up to which it looks like a mistake
	rollLeast   = 0.1 // degrees
	rollMost    = 2.0
	tooLow      = 0.12 // metres of eye height: lower than a mouse's view is seldom meant
	abovePeople = 1.85 // from here
	belowStairs = 2.6  // to here it is nobody's eye and no crane's
	blockedMost = 0.6  // of the picture that one near thing may take
	hiddenMost  = 0.5  // of the subject
)

// Framing finds what is wrong with a shot.
func Framing(in unit.Ruler, s *Seen) (list []Snag) {
	v := &s.View
	put := func(kind, id, fix, label, format string, args ...any) {
		n := Snag{Step: "frame", Kind: kind, ID: id, IDs: []string{}, Shot: s.Shot, Fix: fix, Label: label,
			Key: kind + ":" + s.Shot + ":" + id, What: s.Name + ": " + fmt.Sprintf(format, args...)}
		if id != "" {
			n.IDs = []string{id}
		}
		list = append(list, n)
	}
	if !v.CutMeant {
		if n := len(s.CutNear); n > 0 {
			put("cut near", "", "fit", "fit range", "the near plane at %s cuts %s", in.Distance(v.Near), few(s.CutNear))
		}
		if n := len(s.CutFar); n > 0 {
			put("cut far", "", "fit", "fit range", "the far plane at %s cuts %s, seen to %s", in.Distance(v.Far), few(s.CutFar),
				in.Distance(s.Range.Far))
		}
	}
	kind, name, id := s.Now.Scene.Stuck(&s.Now.View)
	switch kind {
	case "within":
		put("within", id, "", "", "the camera is inside %s", name)
	case "under":
		put("under", id, "eye", "up to eye level", "the camera is under %s", name)
	}
	f := &s.Figures
	blocked := false
	for _, c := range f.Cover {
		if kind == "" && c.Share > blockedMost && !s.land(c.ID) && s.nearest(c.ID) < 0.25*max(v.Focus, 1) &&
			c.ID != v.Subject {
			put("wall", c.ID, "", "", "the camera looks against %s, which fills %.0f %% of the picture", c.Name, 100*c.Share)
			blocked = true
		}
	}
	if sub := f.Subject; sub != nil {
		name := s.nameOf(sub.ID)
		switch {
		case sub.Hidden >= 1 && len(sub.By) == 0:
			put("hidden", sub.ID, "", "", "%s, the subject, is not in the picture", name)
		case sub.Hidden > hiddenMost && !blocked:
			who := ""
			if len(sub.By) > 0 {
				who = " by " + sub.By[0].Name
			}
			put("hidden", sub.ID, "", "", "%s, the subject, is hidden%s to %.0f %%", name, who, 100*sub.Hidden)
		}
		if sub.Hidden < 1 && sub.Sharp <= 0 { // nothing of it is sharp
			put("soft", sub.ID, "focus", "focus on it", "%s, the subject, is out of focus", name)
		}
	}
	if p := math.Abs(unit.Degrees(v.Pitch)); p > tiltLeast && p < tiltMost && s.Still {
		put("converge", "", "straight", "make them parallel",
			"tilted by %.1f°, verticals converge a little: make them parallel, or tilt so that it is seen",
			unit.Degrees(v.Pitch))
	}
	if r := math.Abs(unit.Degrees(v.Roll)); r > rollLeast && r < rollMost {
		put("horizon", "", "level", "level it", "the horizon is tilted by %.1f°", unit.Degrees(v.Roll))
	}
	if h := s.Height; kind == "" && (h < tooLow && h >= 0 || h > abovePeople && h < belowStairs) {
		put("eye", "", "eye", "to eye level", "the eye is %s above %s, where no one's is", in.Distance(h), s.On)
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
