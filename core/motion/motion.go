// Package motion is how things change over a shot's time: where the camera goes,
// what it looks at and is focused on, and what moves along. Time is in seconds;
// frames exist only at the border.
package motion

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"

	"visator/core/geom"
	"visator/core/optics"
	"visator/core/plain"
)

// Move is what changes over a shot's time. The camera starts at the shot's own
// view and goes through Keys, or along Rail; without either it stays.
type Move struct {
	Rate     float64     `json:"rate"`     // frames a second
	Seconds  float64     `json:"seconds"`  // how long the move lasts at least, where the camera is done earlier
	Keys     []Key       `json:"keys"`     // in order
	Rail     *CameraPath `json:"rail"`     // where there are no keys
	Follow   string      `json:"follow"`   // the placement that stays at its place in the picture; "": none
	Pulls    []FocusKey  `json:"pulls"`    // marks of focus, in order of time
	Shake    *Shake      `json:"shake"`    // a camera held by hand
	Rides    []Animation `json:"rides"`    // what moves
	Flickers []Flicker   `json:"flickers"` // lights that flicker
	Plays    []Flipbook  `json:"plays"`    // cards that play pictures
}

// Key is a view that the camera comes to.
type Key struct {
	View    optics.View `json:"view"`
	Seconds float64     `json:"seconds"` // since the one before
	Easing  string      `json:"easing"`  // one of Easings: how it comes from the one before
	Curve   Curve       `json:"curve"`   // for easing "own"
	Shot    string      `json:"shot"`    // the kept shot whose view this was; "": none
}

// FocusKey is a mark of focus: at a time it lies on a placement, or at a distance.
type FocusKey struct {
	At     float64 `json:"at"` // seconds
	On     string  `json:"on"` // a placement; "": Metres counts
	Metres float64 `json:"metres"`
	Easing string  `json:"easing"` // how focus comes from the mark before
	Curve  Curve   `json:"curve"`
}

// Where is the middle of a thing at a time of the move, as it moves itself; ok is
// false when there is none.
type Where func(id string, t float64) (at geom.V, ok bool)

// Limits of a move.
const (
	MaxFrames = 36000 // ten minutes at 60 frames a second
	maxParts  = 200   // keys, marks, rides: more than anybody sets by hand
)

// UnmarshalJSON also reads moves of one view, as they were kept once.
func (m *Move) UnmarshalJSON(raw []byte) error {
	type bare Move
	// Laid over a move, a list takes the place of the old one: the decoder would
	// fill its entries into the old ones.
	var has struct{ Keys, Pulls, Rides, Flickers, Plays json.RawMessage }
	if err := json.Unmarshal(raw, &has); err != nil {
		return err
	}
	if has.Keys != nil {
		m.Keys = nil
	}
	if has.Pulls != nil {
		m.Pulls = nil
	}
	if has.Rides != nil {
		m.Rides = nil
	}
	if has.Flickers != nil {
		m.Flickers = nil
	}
	if has.Plays != nil {
		m.Plays = nil
	}
	in := struct {
		*bare
		To       *optics.View `json:"to"`
		Duration float64      `json:"duration"`
		Easing   string       `json:"easing"`
	}{bare: (*bare)(m)}
	if err := plain.Read(raw, &in); err != nil {
		return err
	}
	if in.To != nil {
		m.Keys = []Key{{View: *in.To, Seconds: in.Duration, Easing: in.Easing}}
	}
	return nil
}

// Check says what is impossible about a move.
func (m *Move) Check() error {
	if !(m.Rate >= 1 && m.Rate <= 240) {
		return errors.New("a move has 1 to 240 frames a second")
	}
	if !(m.Seconds >= 0 && m.Seconds <= maxSeconds) {
		return errors.New("a move lasts more than 0 s")
	}
	if len(m.Keys)+len(m.Pulls)+len(m.Rides)+len(m.Flickers)+len(m.Plays) > maxParts {
		return fmt.Errorf("a move has at most %d keys, focus marks and things that move", maxParts)
	}
	for i := range m.Keys {
		k := &m.Keys[i]
		if err := k.View.Check(); err != nil {
			return fmt.Errorf("view %d of the move: %w", i+1, err)
		}
		if !(k.Seconds > 0 && k.Seconds <= maxSeconds) {
			return fmt.Errorf("view %d of the move is reached after more than 0 s", i+1)
		}
		if err := checkEasing(k.Easing, k.Curve); err != nil {
			return err
		}
	}
	if m.Rail != nil {
		if err := m.Rail.check(); err != nil {
			return err
		}
	}
	for i := range m.Pulls {
		p := &m.Pulls[i]
		switch {
		case !(p.At >= 0 && p.At <= 1e6) || i > 0 && p.At <= m.Pulls[i-1].At:
			return errors.New("marks of focus follow one another in time, from 0 s on")
		case p.On == "" && !(p.Metres >= 1e-3 && p.Metres <= 1e7):
			return errors.New("a mark of focus lies on a thing, or 1 mm to 10000 km away")
		}
		if err := checkEasing(p.Easing, p.Curve); err != nil {
			return err
		}
	}
	if m.Shake != nil {
		if err := m.Shake.check(); err != nil {
			return err
		}
	}
	for i := range m.Rides {
		if err := m.Rides[i].check(); err != nil {
			return err
		}
	}
	for i := range m.Flickers {
		if err := m.Flickers[i].check(); err != nil {
			return err
		}
	}
	for i := range m.Plays {
		if err := m.Plays[i].check(); err != nil {
			return err
		}
	}
	if d := m.Duration(); !(d > 0) || d*m.Rate > MaxFrames+0.5 {
		return fmt.Errorf("a move lasts more than 0 s and has at most %d frames", MaxFrames)
	}
	return nil
}

// Duration is how many seconds the move lasts.
func (m *Move) Duration() float64 {
	d := m.Seconds
	if len(m.Keys) > 0 {
		sum := 0.0
		for i := range m.Keys {
			sum += m.Keys[i].Seconds
		}
		return max(d, sum)
	}
	if m.Rail != nil {
		return max(d, m.Rail.Seconds)
	}
	return d
}

// Frames is the number of pictures of the move: the first at its start, the
// last one frame before its end, so that moves join without a doubled frame.
func (m *Move) Frames() int { return max(int(math.Round(m.Duration()*m.Rate)), 1) }

// At is the view at time t of the move from from. where says where things are;
// without it nothing is followed.
func (m *Move) At(from optics.View, t float64, where Where) optics.View {
	t = max(t, 0)
	v := m.camera(from, t)
	if p, ok := find(where, m.Follow, t); ok {
		first := m.camera(from, 0)
		x, y := 0.5, 0.5
		if q, ok := find(where, m.Follow, 0); ok {
			if px, py, _, ok := first.Project(q); ok {
				x, y = px, py
			}
		}
		v = hold(v, p, x, y)
	}
	m.focus(&v, t, where)
	if m.Shake != nil {
		m.Shake.add(&v, t)
	}
	if v.ByCamera {
		v.EV = optics.EV100(v.FNumber, v.Open(), v.Speed())
	}
	return v
}

func find(where Where, id string, t float64) (geom.V, bool) {
	if where == nil || id == "" {
		return geom.V{}, false
	}
	return where(id, t)
}

// camera is where the camera is at t by keys or rail alone.
func (m *Move) camera(from optics.View, t float64) optics.View {
	if len(m.Keys) == 0 {
		if m.Rail == nil {
			return from
		}
		return m.Rail.at(from, t)
	}
	for i := range m.Keys {
		k := &m.Keys[i]
		if t < k.Seconds || i == len(m.Keys)-1 {
			return between(from, k.View, Ease(k.Easing, k.Curve, t/k.Seconds))
		}
		t -= k.Seconds
		from = k.View
	}
	return from
}

// between is the view at share k of the way from a to b. The focal length and
// distances go by equal ratios, as they look even that way; the turn takes the
// shorter way. What is not a number is of the view where the move began.
func between(a, b optics.View, k float64) optics.View {
	v := a
	v.Eye = a.Eye.Lerp(b.Eye, k)
	ratio := func(p, q float64) float64 { return p * math.Pow(q/p, k) }
	line := func(p, q float64) float64 { return p + (q-p)*k }
	v.Focal, v.Focus, v.FNumber = ratio(a.Focal, b.Focal), ratio(a.Focus, b.Focus), ratio(a.FNumber, b.FNumber)
	v.Near, v.Far = ratio(a.Near, b.Near), ratio(a.Far, b.Far)
	v.Shutter, v.ISO = ratio(a.Open(), b.Open()), ratio(a.Speed(), b.Speed())
	v.EV, v.ShiftX, v.ShiftY = line(a.EV, b.EV), line(a.ShiftX, b.ShiftX), line(a.ShiftY, b.ShiftY)
	v.Face(geom.Slerp(a.Turn(), b.Turn(), k))
	return v
}

// hold turns a view until p falls on the place x, y of its picture.
func hold(v optics.View, p geom.V, x, y float64) optics.View {
	v.AimAt(p)
	if x == 0.5 && y == 0.5 && v.ShiftX == 0 && v.ShiftY == 0 {
		return v
	}
	for range 12 {
		px, py, _, ok := v.Project(p)
		if !ok {
			return v
		}
		h, u := v.FieldOfView()
		dx, dy := px-x, py-y
		if math.Abs(dx)+math.Abs(dy) < 1e-9 {
			return v
		}
		v.Yaw -= dx * h
		v.Pitch = min(max(v.Pitch-dy*u, -math.Pi/2), math.Pi/2)
	}
	return v
}

// focus sets the distance of focus at t.
func (m *Move) focus(v *optics.View, t float64, where Where) {
	depth := func(id string, metres float64) (float64, bool) {
		if id == "" {
			return metres, true
		}
		p, ok := find(where, id, t)
		if !ok {
			return 0, false
		}
		_, _, d, ok := v.Project(p)
		return max(d, 0.01), ok
	}
	if len(m.Pulls) == 0 {
		if d, ok := depth(v.FocusOn, 0); ok && v.FocusOn != "" {
			v.Focus = d
		}
		return
	}
	last := 0
	for i := range m.Pulls {
		if m.Pulls[i].At <= t {
			last = i
		}
	}
	a := &m.Pulls[last]
	from, ok := depth(a.On, a.Metres)
	if !ok {
		return
	}
	v.Focus = from
	if t <= a.At || last == len(m.Pulls)-1 {
		return
	}
	b := &m.Pulls[last+1]
	to, ok := depth(b.On, b.Metres)
	if !ok {
		return
	}
	v.Focus = from * math.Pow(to/from, Ease(b.Easing, b.Curve, (t-a.At)/(b.At-a.At)))
}
