// Package optics is lens, framing, depth of field, exposure and clipping.
// Distances are metres, focal lengths and sensor sides millimetres, angles
// radians.
package optics

import (
	"errors"
	"math"
	"slices"
	"strings"

	"visator/core/geom"
)

// View is a camera: where it stands, where it looks, through what. With all
// angles zero it looks along -Z, which the plan shows as up.
type View struct {
	Eye     geom.V  `json:"eye"`
	Yaw     float64 `json:"yaw"`   // about +Y, counter-clockwise seen from above
	Pitch   float64 `json:"pitch"` // up is positive
	Roll    float64 `json:"roll"`  // counter-clockwise for who looks through it
	Focal   float64 `json:"focal"` // mm
	SensorW float64 `json:"sensorW"`
	SensorH float64 `json:"sensorH"`
	Aspect  float64 `json:"aspect"` // width over height of the picture
	Near    float64 `json:"near"`
	Far     float64 `json:"far"`
	Focus   float64 `json:"focus"` // along the view axis
	FNumber float64 `json:"fNumber"`
	EV      float64 `json:"ev"` // EV100 that the picture is exposed for

	ShiftX    float64 `json:"shiftX"`    // mm that the lens is moved to the right of the sensor's middle
	ShiftY    float64 `json:"shiftY"`    // and up
	Squeeze   float64 `json:"squeeze"`   // how much wider an anamorphic lens sees than a round one; 0 is 1
	Shutter   float64 `json:"shutter"`   // seconds that it is open; 0: 1/50
	ISO       float64 `json:"iso"`       // 0: 100
	ByCamera  bool    `json:"byCamera"`  // EV follows from f-number, shutter and ISO; else it is held
	Delivered float64 `json:"delivered"` // pixels across of the delivered picture, for what counts as sharp; 0: 1920
	Depth     string  `json:"depth"`     // the depth buffer that clipping is fitted for, one of Buffers; "": the first
	FocusOn   string  `json:"focusOn"`   // the placement that focus follows; "": none
	Subject   string  `json:"subject"`   // the placement that the picture is about; "": none
	Guides    string  `json:"guides"`    // guides that are drawn over the lens view, by their names, parted by commas
	Mask      float64 `json:"mask"`      // width over height of the letterbox; 0: none
	CutMeant  bool    `json:"cutMeant"`  // what the clipping planes cut is cut on purpose
	CutWalls  string  `json:"cutWalls"`  // things that this shot does not show, their IDs parted by commas
}

// Default is a standing person's view through a 35 mm lens on a 36 x 24 mm
// sensor (eye level 1.5 to 1.7 m is common practice).
func Default() View {
	return View{Eye: geom.V{Y: 1.6, Z: 8}, Focal: 35, SensorW: 36, SensorH: 24, Aspect: 16.0 / 9,
		Near: 0.1, Far: 1000, Focus: 8, FNumber: 8, EV: 12}
}

// Check says what is impossible about a view.
func (v *View) Check() error {
	bad := func(x, lo, hi float64) bool { return !(x >= lo && x <= hi) }
	switch {
	case !v.Eye.Finite() || v.Eye.Len() > 1e7:
		return errors.New("the camera stands nowhere: give its place in metres")
	case bad(v.Yaw, -1e4, 1e4) || bad(v.Pitch, -math.Pi/2, math.Pi/2) || bad(v.Roll, -math.Pi, math.Pi):
		return errors.New("the camera's aim is not possible: pitch is -90 to 90 degrees, roll -180 to 180")
	case bad(v.Focal, 1, 5000):
		return errors.New("focal length must be 1 to 5000 mm")
	case bad(v.SensorW, 1, 500) || bad(v.SensorH, 1, 500):
		return errors.New("sensor sides must be 1 to 500 mm")
	case bad(v.Aspect, 0.1, 10):
		return errors.New("aspect must be 0.1 to 10")
	case bad(v.Near, 1e-4, 1e6):
		return errors.New("the near plane must be 0.1 mm to 1000 km from the lens")
	case bad(v.Far, 1e-3, 1e7) || v.Far <= v.Near:
		return errors.New("the far plane must lie beyond the near plane, up to 10000 km from the lens")
	case bad(v.Focus, 1e-3, 1e7):
		return errors.New("focus must be 1 mm to 10000 km from the lens")
	case bad(v.FNumber, 0.5, 256):
		return errors.New("f-number must be 0.5 to 256")
	case bad(v.EV, -20, 40):
		return errors.New("exposure must be EV -20 to 40")
	case bad(v.ShiftX, -200, 200) || bad(v.ShiftY, -200, 200):
		return errors.New("shift must be -200 to 200 mm")
	case v.Squeeze != 0 && bad(v.Squeeze, 0.5, 4):
		return errors.New("squeeze must be 0.5 to 4; 1 is a round lens")
	case v.Shutter != 0 && bad(v.Shutter, 1e-6, 3600):
		return errors.New("the shutter must be open for a millionth of a second to an hour")
	case v.ISO != 0 && bad(v.ISO, 1, 1e7):
		return errors.New("ISO must be 1 to 10 000 000")
	case v.Delivered != 0 && bad(v.Delivered, 16, 65536):
		return errors.New("the delivered picture must be 16 to 65536 pixels wide")
	case v.Depth != "" && !slices.Contains(Buffers, v.Depth):
		return errors.New("the depth buffer is one of " + strings.Join(Buffers, ", "))
	case v.Mask != 0 && bad(v.Mask, 0.1, 10):
		return errors.New("the letterbox must be 0.1 to 10 wide for a height of 1")
	case len(v.Guides) > 200 || len(v.FocusOn) > 100 || len(v.Subject) > 100 || len(v.CutWalls) > 10000:
		return errors.New("guides, focus, subject and cut things are named, not described")
	}
	if v.ByCamera {
		v.EV = min(max(EV100(v.FNumber, v.Open(), v.Speed()), -20), 40)
	}
	return nil
}

// Cut reports whether the shot does without a thing.
func (v *View) Cut(id string) bool {
	return v.CutWalls != "" && slices.Contains(strings.Split(v.CutWalls, ","), id)
}

// squeeze is how much wider than high the lens draws.
func (v *View) squeeze() float64 {
	if v.Squeeze == 0 {
		return 1
	}
	return v.Squeeze
}

// Gate is the part of the sensor that the picture uses, in mm: as large as
// the aspect allows. An anamorphic lens uses a narrower part, which is made
// wider again.
func (v *View) Gate() (w, h float64) {
	aspect := v.Aspect / v.squeeze()
	if aspect > v.SensorW/v.SensorH {
		return v.SensorW, v.SensorW / aspect
	}
	return v.SensorH * aspect, v.SensorH
}

// Window is the picture at a distance of one metre before the lens, in metres
// from the view axis: what a pyramid through its edges shows. Without shift it
// lies even about the axis.
type Window struct {
	Left   float64 `json:"left"`
	Right  float64 `json:"right"`
	Bottom float64 `json:"bottom"`
	Top    float64 `json:"top"`
}

// Window is the picture's window: half the gate over the focal length to each
// side, moved by the shift and widened by the squeeze.
func (v *View) Window() Window {
	w, h := v.Gate()
	s := v.squeeze()
	return Window{s * (v.ShiftX - w/2) / v.Focal, s * (v.ShiftX + w/2) / v.Focal, (v.ShiftY - h/2) / v.Focal,
		(v.ShiftY + h/2) / v.Focal}
}

// Half is half the window's width and height; Mid its middle.
func (w Window) Half() (x, y float64) { return (w.Right - w.Left) / 2, (w.Top - w.Bottom) / 2 }

// Mid is the middle of the window.
func (w Window) Mid() (x, y float64) { return (w.Right + w.Left) / 2, (w.Top + w.Bottom) / 2 }

// At is the point of the window at a place of the picture, 0..1 from its left
// and top.
func (w Window) At(x, y float64) (tx, ty float64) {
	return w.Left + x*(w.Right-w.Left), w.Top - y*(w.Top-w.Bottom)
}

// FieldOfView returns the full horizontal and vertical angles: 2·atan(w/2f)
// without shift.
func (v *View) FieldOfView() (horizontal, vertical float64) {
	w := v.Window()
	return math.Atan(w.Right) - math.Atan(w.Left), math.Atan(w.Top) - math.Atan(w.Bottom)
}

// Turn is the rotation of the camera: roll first, then pitch, then yaw.
func (v *View) Turn() geom.Q {
	return geom.Turn(geom.V{Y: 1}, v.Yaw).Mul(geom.Turn(geom.V{X: 1}, v.Pitch)).Mul(geom.Turn(geom.V{Z: 1}, v.Roll))
}

// Face turns the view to a rotation, and takes it apart into yaw, pitch and roll.
func (v *View) Face(q geom.Q) {
	f, r, u := q.Rotate(geom.V{Z: -1}), q.Rotate(geom.V{X: 1}), q.Rotate(geom.V{Y: 1})
	v.Pitch = math.Asin(min(max(f.Y, -1), 1))
	if math.Abs(f.Y) > 1-1e-9 { // straight up or down: all turning is yaw
		v.Yaw, v.Roll = math.Atan2(-r.Z, r.X), 0
		return
	}
	v.Yaw, v.Roll = math.Atan2(-f.X, -f.Z), math.Atan2(r.Y, u.Y)
}

// World is the transform from camera to world.
func (v *View) World() geom.M { return geom.Compose(v.Eye, v.Turn(), geom.V{X: 1, Y: 1, Z: 1}) }

// Forward is the unit vector along the view axis.
func (v *View) Forward() geom.V { return v.Turn().Rotate(geom.V{Z: -1}) }

// AimAt turns the view towards p and keeps its roll.
func (v *View) AimAt(p geom.V) {
	d := p.Sub(v.Eye)
	v.Yaw = math.Atan2(-d.X, -d.Z)
	v.Pitch = math.Atan2(d.Y, math.Hypot(d.X, d.Z))
}

// Project returns where p falls in the picture (0..1 from the left and from
// the top) and its distance along the view axis. Nothing behind the lens
// falls anywhere: ok is false.
func (v *View) Project(p geom.V) (x, y, depth float64, ok bool) {
	m := v.World()
	inv, _ := m.Affine()
	q := inv.Point(p)
	depth = -q.Z
	if depth <= 0 {
		return 0, 0, depth, false
	}
	w := v.Window()
	return (q.X/depth - w.Left) / (w.Right - w.Left), (w.Top - q.Y/depth) / (w.Top - w.Bottom), depth, true
}

// Ray is the direction from the eye through a place of the picture, 0..1 from
// its left and top; its length along the view axis is one.
func (v *View) Ray(x, y float64) geom.V {
	tx, ty := v.Window().At(x, y)
	return v.Turn().Rotate(geom.V{X: tx, Y: ty, Z: -1})
}
