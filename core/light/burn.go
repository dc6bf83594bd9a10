package light

import "fmt"

// Burn is what a shot does with a lamp of its set, in the place of what the lamp itself says.
type Burn struct {
	On  bool    `json:"on"`
	Dim float64 `json:"dim"`
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
