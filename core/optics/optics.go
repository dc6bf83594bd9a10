// Package optics is lens, framing, depth of field, exposure and clipping.
// Distances are metres, focal lengths and sensor sides millimetres, angles
// radians.
package optics

import (
	"errors"
	"math"
	"reflect"
	"slices"

	"visator/core/document"
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

	ShiftX    float64        `json:"shiftX"`    // mm that the lens is moved to the right of the sensor's middle
	ShiftY    float64        `json:"shiftY"`    // and up
	Squeeze   float64        `json:"squeeze"`   // how much wider an anamorphic lens sees than a round one; 0 is 1
	Shutter   float64        `json:"shutter"`   // seconds that it is open; 0: 1/50
	ISO       float64        `json:"iso"`       // 0: 100
	ByCamera  bool           `json:"byCamera"`  // EV follows from f-number, shutter and ISO; else it is held
	Delivered float64        `json:"delivered"` // pixels across that are delivered, for what counts as sharp; 0: 1920
	Depth     string         `json:"depth"`     // the buffer that clipping is fitted for, one of Buffers; "": the first
	FocusOn   string         `json:"focusOn"`   // the placement that focus follows; "": none
	Subject   string         `json:"subject"`   // the placement that the picture is about; "": none
	Guides    document.Names `json:"guides"`    // that are drawn over the lens view, by their names; null: thirds
	Mask      float64        `json:"mask"`      // width over height of the letterbox; 0: none
	CutMeant  bool           `json:"cutMeant"`  // what the clipping planes cut is cut on purpose
	CutWalls  document.Names `json:"cutWalls"`  // things that this shot does not show, by their IDs
}

// Default is a standing person's view through a 35 mm lens on a 36 x 24 mm
// sensor (eye level 1.5 to 1.7 m is common practice).
func Default() View {
	return View{Eye: geom.V{Y: 1.6, Z: 8}, Focal: 35, SensorW: 36, SensorH: 24, Aspect: 16.0 / 9,
		Near: 0.1, Far: 1000, Focus: 8, FNumber: 8, EV: 12}
}

// Fields are what a view is described by.
func (v *View) Fields() []document.Field {
	number, length, angle := document.Number, document.Length, document.Angle
	return []document.Field{
		document.Of(&v.Eye.X, length, "eye.x", "along x", "the camera's place").In(-MaxAway, MaxAway).On("place"),
		document.Of(&v.Eye.Y, length, "eye.y", "height", "the camera's height").In(-MaxAway, MaxAway).On("place"),
		document.Of(&v.Eye.Z, length, "eye.z", "along z", "the camera's place").In(-MaxAway, MaxAway).On("place"),
		document.Of(&v.Yaw, angle, "yaw", "turn", "the camera's turn").In(-1e4, 1e4).On("place"),
		document.Of(&v.Pitch, angle, "pitch", "tilt", "the camera's tilt").In(-math.Pi/2, math.Pi/2).On("place"),
		document.Of(&v.Roll, angle, "roll", "roll", "the camera's roll").In(-math.Pi, math.Pi).On("place"),
		document.Of(&v.Focal, number, "focal", "focal length", "focal length").In(1, 5000).Told("mm", 2).On("lens"),
		document.Of(&v.SensorW, number, "sensorW", "sensor width", "sensor width").In(1, 500).Told("mm", 2).On("lens"),
		document.Of(&v.SensorH, number, "sensorH", "sensor height", "sensor height").In(1, 500).Told("mm", 2).
			On("lens"),
		document.Of(&v.Aspect, number, "aspect", "aspect", "aspect").In(0.1, 10).Told(": 1", 3).On("lens"),
		document.Of(&v.ShiftX, number, "shiftX", "shift right", "shift").In(-200, 200).Told("mm", 2).On("lens"),
		document.Of(&v.ShiftY, number, "shiftY", "shift up", "shift").In(-200, 200).Told("mm", 2).On("lens"),
		document.Of(&v.Squeeze, number, "squeeze", "squeeze", "squeeze").In(0.5, 4).Or("a round lens").On("lens"),
		document.Of(&v.Near, length, "near", "near plane", "the near plane").In(1e-4, 1e6).On("range"),
		document.Of(&v.Far, length, "far", "far plane", "the far plane").In(1e-3, MaxAway).On("range"),
		document.Of(&v.Depth, document.Choice, "depth", "depth buffer", "the depth buffer is").Among(Buffers...).
			Or(Buffers[0]).On("range"),
		document.Of(&v.CutMeant, document.Yes, "cutMeant", "what the planes cut is meant", "").On("range"),
		document.Of(&v.Focus, length, "focus", "focus", "focus").In(1e-3, MaxAway).On("focus"),
		document.Of(&v.FocusOn, document.Thing, "focusOn", "follows", "what is in focus").In(0, 100).On("focus"),
		document.Of(&v.FNumber, number, "fNumber", "f-number", "f-number").In(0.5, 256).On("focus"),
		document.Of(&v.Delivered, number, "delivered", "delivered width", "the delivered width").In(16, 65536).
			Told("px", 0).Or("1920 px").On("focus"),
		document.Of(&v.ByCamera, document.Yes, "byCamera", "exposed by the camera", "").On("exposure"),
		document.Of(&v.EV, number, "ev", "exposure", "exposure").In(minEV, maxEV).Told("EV", 2).On("exposure"),
		document.Of(&v.Shutter, number, "shutter", "shutter", "the shutter's time").In(1e-6, 3600).Told("s", 6).
			Or("1/50 s").On("exposure"),
		document.Of(&v.ISO, number, "iso", "ISO", "ISO").In(1, 1e7).Or("100").On("exposure"),
		document.Of(&v.Subject, document.Thing, "subject", "subject", "what the picture is about").In(0, 100).
			On("picture"),
		document.Of(&v.Guides, document.List, "guides", "guides", "guides").In(0, 20).On("picture"),
		document.Of(&v.Mask, number, "mask", "letterbox", "the letterbox").In(0.1, 10).Told(": 1", 3).Or("none").
			On("picture"),
		document.Of(&v.CutWalls, document.List, "cutWalls", "cut away", "things that a shot does without").In(0, 1000).
			On("picture"),
	}
}

// MaxAway is how far anything lies from the middle of a set, in metres: sets lie on this earth.
const MaxAway = 1e7

// Exposures that are kept, as EV100: starlight is about -6, the sun's disc 30 and more (common
// practice).
const minEV, maxEV = -20, 40

// Check says what is impossible about a view.
func (v *View) Check() error {
	if err := document.Check(v); err != nil {
		return err
	}
	if v.Eye.Len() > MaxAway {
		return errors.New("the camera stands nowhere: give its place in metres")
	}
	if v.Far <= v.Near {
		return errors.New("the far plane must lie beyond the near plane, up to 10000 km from the lens")
	}
	return nil
}

// Settle works out what follows from other fields: a camera that exposes by itself tells how, and
// nothing that is cut away is told in one way.
func (v *View) Settle() {
	if len(v.CutWalls) == 0 {
		v.CutWalls = nil
	}
	if v.ByCamera {
		v.EV = min(max(EV100(v.FNumber, v.Open(), v.Speed()), minEV), maxEV)
	}
}

// Equal says whether two views are the same.
func (v *View) Equal(o *View) bool { return reflect.DeepEqual(v, o) }

// Cut reports whether the shot does without a thing.
func (v *View) Cut(id string) bool {
	return slices.Contains(v.CutWalls, id)
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
