package light

import (
	"fmt"
	"strings"
)

// Burn is what a shot does with a lamp of its set, in the place of what the lamp itself says.
type Burn struct {
	On  bool    `json:"on"`
	Dim float64 `json:"dim"`
}

// Burn is how a lamp burns by itself.
func (l *Lamp) Burn() Burn { return Burn{l.On, l.Dim} }

// Carried names the lamp of a fixture that one thing carries; of "" is the element itself.
func Carried(element, of string) string {
	if of == "" {
		return element
	}
	return element + "/" + of
}

// Element is the element that a lamp of a name belongs to: of a carried one its fixture.
func Element(id string) string {
	element, _, _ := strings.Cut(id, "/")
	return element
}

// Hung is a lamp that hangs in the set: of what it is, and as it burns in the shot that is open.
type Hung struct {
	Of  string // the thing that carries it, by id; "": the element itself
	Own Burn   // as it burns where no shot says otherwise
	Out bool   // it is out on what carries it, whatever a shot says
	Lamp
}

// InShot is the lamp as another shot has it; element is the one that hangs it.
func (h Hung) InShot(s *State, element string) Hung {
	h.On, h.Dim = h.Own.On, h.Own.Dim
	h.Lamp = s.InShot(h.Lamp, element, Carried(element, h.Of))
	h.On = h.On && !h.Out
	return h
}

// maxBurns is how many lamps a shot does something with: as many as a rig holds.
const maxBurns = 10_000

// InShot is a lamp as the shot has it; ids name it, from all of its kind to itself alone.
func (s *State) InShot(l Lamp, ids ...string) Lamp {
	for _, id := range ids {
		if b, ok := s.Lamps[id]; ok {
			l.On, l.Dim = b.On, b.Dim
		}
	}
	return l
}

func (s *State) checkBurns() error {
	if len(s.Lamps) > maxBurns {
		return fmt.Errorf("a shot does something with %d lamps at most", maxBurns)
	}
	for id, b := range s.Lamps {
		if !(b.Dim >= 0 && b.Dim <= maxDim) {
			return fmt.Errorf("lamp %.40q is dimmed to 0 to %d %%, not %v", id, 100*maxDim, 100*b.Dim)
		}
	}
	return nil
}
