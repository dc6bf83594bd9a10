package motion

import (
	"errors"
	"math"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/optics"
)

// CameraPath is the way that a camera rolls on.
type CameraPath struct {
	Kind    string   `json:"kind"`   // one of Rails
	Points  []geom.V `json:"points"` // of a path or dolly line; where the shot's eye is not on it, it moves by as much
	Smooth  bool     `json:"smooth"`
	Center  geom.V   `json:"center"` // of a crane's foot, of a turntable
	Angle   float64  `json:"angle"`  // radians that a turntable or a crane's arm turns, counter-clockwise from above
	Rise    float64  `json:"rise"`   // radians that a crane's arm rises
	Seconds float64  `json:"seconds"`
	Easing  string   `json:"easing"`
	Curve   Curve    `json:"curve"`
	Look    string   `json:"look"` // "": the aim stays; ahead: it turns with the way; center: at Center
}

// Rails are the kinds: along a drawn path; straight on a dolly line; at the end
// of a crane's arm, which turns and rises about its foot; around a turntable.
var Rails = []string{"path", "dolly", "crane", "turntable"}

func (r *CameraPath) check() error {
	switch {
	case !slices.Contains(Rails, r.Kind):
		return errors.New("a camera rolls on one of: " + strings.Join(Rails, ", "))
	case !(r.Seconds > 0 && r.Seconds <= maxSeconds):
		return errors.New("rolling takes more than 0 s")
	case r.Look != "" && r.Look != "ahead" && r.Look != "center":
		return errors.New("on a rail the camera keeps its aim, looks ahead or at the center")
	case !r.Center.Finite() || r.Center.Len() > maxPlace || !(math.Abs(r.Angle) <= 1000) ||
		!(math.Abs(r.Rise) <= math.Pi):
		return errors.New("a crane or turntable has a center and turns by so many degrees")
	}
	if r.Kind == "path" || r.Kind == "dolly" {
		if _, err := NewPath(r.Points, r.Smooth); err != nil {
			return err
		}
	}
	return checkEasing(r.Easing, r.Curve)
}

// Way is the eye's path along the rail, from from's own.
func (r *CameraPath) at(from optics.View, t float64) optics.View {
	k := Ease(r.Easing, r.Curve, t/r.Seconds)
	v := from
	switch r.Kind {
	case "path", "dolly":
		p, err := NewPath(r.Points, r.Smooth && r.Kind == "path")
		if err != nil {
			return from
		}
		start, first := p.At(0)
		at, ahead := p.At(k)
		v.Eye = from.Eye.Add(at.Sub(start))
		if r.Look == "ahead" {
			v.Yaw = from.Yaw + heading(ahead) - heading(first)
			v.Pitch = min(max(from.Pitch+rise(ahead)-rise(first), -math.Pi/2), math.Pi/2)
		}
	case "crane":
		arm := from.Eye.Sub(r.Center)
		flat := math.Hypot(arm.X, arm.Z)
		length := arm.Len()
		up := math.Atan2(arm.Y, flat) + r.Rise*k
		way := math.Atan2(arm.X, arm.Z) + r.Angle*k
		v.Eye = r.Center.Add(geom.V{X: length * math.Cos(up) * math.Sin(way), Y: length * math.Sin(up),
			Z: length * math.Cos(up) * math.Cos(way)})
		if r.Look == "ahead" { // the head turns with the arm
			v.Yaw = from.Yaw + r.Angle*k
		}
	case "turntable":
		arm := from.Eye.Sub(r.Center)
		turn := geom.Turn(geom.V{Y: 1}, r.Angle*k)
		v.Eye = r.Center.Add(turn.Rotate(arm))
		v.Yaw = from.Yaw + r.Angle*k // the whole view turns, as if the table did
	}
	if r.Look == "center" {
		v.AimAt(r.Center)
	}
	return v
}

// heading is the yaw of a camera that looks along d, rise its pitch.
func heading(d geom.V) float64 { return math.Atan2(-d.X, -d.Z) }
func rise(d geom.V) float64    { return math.Atan2(d.Y, math.Hypot(d.X, d.Z)) }
