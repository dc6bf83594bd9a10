// Package motion is how things change over a shot's time. Time is in
// seconds; frames exist only at the border.
package motion

import (
	"errors"
	"math"

	"visator/core/geom"
	"visator/core/optics"
)

// Move takes the camera from a shot's view to another one.
type Move struct {
	To       optics.View `json:"to"`
	Duration float64     `json:"duration"` // seconds
	Easing   string      `json:"easing"`   // one of Easings
	Rate     float64     `json:"rate"`     // frames a second
}

// Easings are the ways to go: at one speed, or with a soft start and end, or
// only with one of them.
var Easings = []string{"linear", "smooth", "slow start", "slow end"}

// MaxFrames bounds a move: ten minutes at 60 frames a second.
const MaxFrames = 36000

// Check says what is impossible about a move.
func (m *Move) Check() error {
	if err := m.To.Check(); err != nil {
		return err
	}
	if !(m.Duration > 0 && m.Rate >= 1 && m.Rate <= 240) || m.Frames() > MaxFrames {
		return errors.New("a move lasts more than 0 s, at 1 to 240 frames a second, and has at most 36000 frames")
	}
	for _, e := range Easings {
		if m.Easing == e {
			return nil
		}
	}
	return errors.New("the easing is linear, smooth, slow start or slow end")
}

// Frames is the number of pictures of the move: the first at its start, the
// last one frame before its end, so that moves join without a doubled frame.
func (m *Move) Frames() int { return max(int(math.Round(m.Duration*m.Rate)), 1) }

// Ease maps the share of time to the share of the way, both 0 to 1.
func Ease(name string, t float64) float64 {
	t = min(max(t, 0), 1)
	switch name {
	case "smooth": // zero speed at both ends: 3t² - 2t³
		return t * t * (3 - 2*t)
	case "slow start":
		return t * t
	case "slow end":
		return t * (2 - t)
	}
	return t
}

// At is the view at time t of the move from from. The focal length and
// distances go by equal ratios, as they look even that way; the turn takes
// the shorter way.
func (m *Move) At(from optics.View, t float64) optics.View {
	k := Ease(m.Easing, t/m.Duration)
	a, b := from, m.To
	v := from
	v.Eye = a.Eye.Lerp(b.Eye, k)
	ratio := func(p, q float64) float64 { return p * math.Pow(q/p, k) }
	v.Focal, v.Focus, v.FNumber = ratio(a.Focal, b.Focal), ratio(a.Focus, b.Focus), ratio(a.FNumber, b.FNumber)
	v.Near, v.Far = ratio(a.Near, b.Near), ratio(a.Far, b.Far)
	v.EV = a.EV + (b.EV-a.EV)*k
	v.Yaw, v.Pitch, v.Roll = angles(geom.Slerp(a.Turn(), b.Turn(), k))
	return v
}

// angles takes a camera's rotation apart into yaw, pitch and roll.
func angles(q geom.Q) (yaw, pitch, roll float64) {
	f, r, u := q.Rotate(geom.V{Z: -1}), q.Rotate(geom.V{X: 1}), q.Rotate(geom.V{Y: 1})
	pitch = math.Asin(min(max(f.Y, -1), 1))
	if math.Abs(f.Y) > 1-1e-9 { // straight up or down: all turning is yaw
		return math.Atan2(-r.Z, r.X), pitch, 0
	}
	return math.Atan2(-f.X, -f.Z), pitch, math.Atan2(r.Y, u.Y)
}
