package lay

import (
	"errors"
	"fmt"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/light"
)

var _ = Kind("fixture", func() Spec { return &Fixture{} })

// Fixture is a lamp that a piece carries: it burns wherever the piece stands. Its place and aim are metres about the
// pivot of the piece, as it was sized.
type Fixture struct {
	Piece string `json:"piece"`
	light.Lamp
	Out document.Names `json:"out"` // things by id whose lamp is out
}

// MaxHung is how many lamps one fixture hangs: a town's streets.
const MaxHung = 5000

// Default is a fixture as it begins.
func (*Fixture) Default() Spec {
	f := &Fixture{Lamp: light.DefaultLamp(), Out: document.Names{}}
	f.At = geom.V{}
	f.To = geom.V{Y: -1}
	return f
}

// Fields are what a fixture is described by.
func (f *Fixture) Fields() []document.Field {
	return append(f.Lamp.Fields(), document.Of(&f.Piece, document.Text, "piece", "piece", "its piece").
		In(0, document.MaxName).On("links"), document.Of(&f.Out, document.List, "out", "out on", "what is out").
		In(0, MaxHung).On("links"))
}

// Check says what is impossible about a fixture.
func (f *Fixture) Check() error {
	if !f.At.Finite() || !f.To.Finite() {
		return errors.New("a lamp hangs within its piece")
	}
	return f.Lamp.Check()
}

// Stand is something that carries a lamp.
type Stand struct {
	ID         string // of the thing; of what an element lays the element's, with its number
	World      geom.M // from metres about the pivot to the set
	By         float64
	Out        bool // its lamp is out
	light.Burn      // as the shot has it
}

// Hang is the fixture on all that carries it, with the pools of the first of its lamps.
func (f *Fixture) Hang(stands []Stand, on Beneath) *Laid {
	l := &Laid{}
	const drawn = 24 // of which pools are drawn
	burn := 0
	for i := range stands {
		if i == MaxHung {
			break
		}
		s := &stands[i]
		h := light.Hung{Of: s.ID, Own: f.Burn(), Out: s.Out, Lamp: f.Lamp}
		h.At, h.To = s.World.Point(f.At), s.World.Point(f.To)
		h.Radius, h.Length, h.Width, h.Height = f.Radius*s.By, f.Length*s.By, f.Width*s.By, f.Height*s.By
		h.On, h.Dim = s.On && !s.Out, s.Dim
		if h.On {
			burn++
		}
		l.Hung = append(l.Hung, h)
		if i < drawn && h.On {
			floor := 0.0
			if y, _, ok := on.Under(h.At.X, h.At.Z, h.At.Y); ok {
				floor = y
			}
			pools, _ := h.Pools(floor)
			l.Pools = append(l.Pools, pools...)
		}
	}
	l.Said = fmt.Sprintf("%s each on %d things, %d burn", told(f.Lumen(), "lm"), len(stands), burn)
	if len(stands) > MaxHung {
		l.Said += fmt.Sprintf(": the first %d of them", MaxHung)
	}
	return l
}
