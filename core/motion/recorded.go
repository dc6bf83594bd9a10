package motion

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"visator/core/geom"
	"visator/core/optics"
)

// Recorded is a move as it comes out, frame by frame, whatever it was made of: for programs that know nothing of keys
// and rails.
type Recorded struct {
	Rate   float64         `json:"rate"` // frames a second
	Frames []RecordedFrame `json:"frames"`
}

// RecordedFrame is one frame of it.
type RecordedFrame struct {
	View  optics.View       `json:"view"`
	Moved map[string]geom.M `json:"moved,omitempty"` // by the names of things, how each is moved from where it stands
}

// Limits of a file: a move of ten minutes and 60 frames a second, in which some things move.
const (
	MaxRecorded      = 36_000
	maxRecordedBytes = 512 << 20
)

// ReadRecorded reads a recorded move.
func ReadRecorded(r io.Reader) (*Recorded, error) {
	var m Recorded
	if err := json.NewDecoder(io.LimitReader(r, maxRecordedBytes)).Decode(&m); err != nil {
		return nil, fmt.Errorf("it is no recorded move: %w", err)
	}
	switch {
	case len(m.Frames) == 0:
		return nil, errors.New("it has no frames")
	case len(m.Frames) > MaxRecorded:
		return nil, fmt.Errorf("it has %d frames, more than %d", len(m.Frames), MaxRecorded)
	case !(m.Rate >= 1 && m.Rate <= 240):
		return nil, fmt.Errorf("%v frames a second cannot be: 1 to 240", m.Rate)
	}
	for i := range m.Frames {
		if err := m.Frames[i].View.Check(); err != nil {
			return nil, fmt.Errorf("frame %d: %w", i+1, err)
		}
		for name, by := range m.Frames[i].Moved {
			if !by.Finite() {
				return nil, fmt.Errorf("frame %d: %.40q is moved to nowhere", i+1, name)
			}
		}
	}
	return &m, nil
}

// At is the move at a place among its frames, counted from 0: between two of them in proportion, beyond its ends as
// there.
func (m *Recorded) At(frame float64) RecordedFrame {
	last := float64(len(m.Frames) - 1)
	frame = min(max(frame, 0), last)
	i := int(frame)
	a := m.Frames[i]
	t := frame - float64(i)
	if t == 0 {
		return a
	}
	b := &m.Frames[i+1]
	out := RecordedFrame{View: between(a.View, b.View, t)}
	for name, from := range a.Moved {
		to, ok := b.Moved[name]
		if !ok {
			to = geom.Identity
		}
		if out.Moved == nil {
			out.Moved = map[string]geom.M{}
		}
		var mix geom.M
		for k := range mix {
			mix[k] = from[k] + t*(to[k]-from[k])
		}
		out.Moved[name] = mix
	}
	return out
}
