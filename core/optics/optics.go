// Package optics is lens, framing, depth of field, exposure and clipping.
// Distances are metres, focal lengths and sensor sides millimetres, angles
// radians.
package optics

import (
	"errors"
	"math"

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
	}
	return nil
}

// Gate is the part of the sensor that the picture uses, in mm: as large as
// the aspect allows.
func (v *View) Gate() (w, h float64) {
	if v.Aspect > v.SensorW/v.SensorH {
		return v.SensorW, v.SensorW / v.Aspect
	}
	return v.SensorH * v.Aspect, v.SensorH
}

// FieldOfView returns the full horizontal and vertical angles: 2·atan(w/2f).
func (v *View) FieldOfView() (horizontal, vertical float64) {
	w, h := v.Gate()
	return 2 * math.Atan(w/(2*v.Focal)), 2 * math.Atan(h/(2*v.Focal))
}

// Turn is the rotation of the camera: roll first, then pitch, then yaw.
func (v *View) Turn() geom.Q {
	return geom.Turn(geom.V{Y: 1}, v.Yaw).Mul(geom.Turn(geom.V{X: 1}, v.Pitch)).Mul(geom.Turn(geom.V{Z: 1}, v.Roll))
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
	w, h := v.Gate()
	return 0.5 + q.X/depth*v.Focal/w, 0.5 - q.Y/depth*v.Focal/h, depth, true
}

// CircleOfConfusion is the blur that still counts as sharp, in mm: 0.03 mm on
// a 36 mm wide sensor, in proportion on others (common practice).
func (v *View) CircleOfConfusion() float64 { return 0.03 * v.SensorW / 36 }

// Hyperfocal is the focus distance from which on everything to infinity is
// sharp: f²/(N·c) + f (S. Ray, Applied Photographic Optics).
func Hyperfocal(focal, fNumber, circle float64) float64 {
	return (focal*focal/(fNumber*circle) + focal) / 1000
}

// SharpZone is the nearest and farthest distance that count as sharp; far is
// +Inf when it reaches the horizon (thin lens; S. Ray, as above).
func (v *View) SharpZone() (near, far float64) {
	h := Hyperfocal(v.Focal, v.FNumber, v.CircleOfConfusion())
	f, s := v.Focal/1000, v.Focus
	near = s * (h - f) / (h + s - 2*f)
	if s >= h {
		return near, math.Inf(1)
	}
	return near, s * (h - f) / (h - s)
}

// LensRadius is half the diameter of the aperture in metres.
func (v *View) LensRadius() float64 { return v.Focal / v.FNumber / 2000 }

// EV100 is the exposure value of an aperture, a time in seconds and a
// sensitivity: log2(N²/t · 100/S) (ISO 2720; APEX).
func EV100(fNumber, seconds, iso float64) float64 {
	return math.Log2(fNumber * fNumber / seconds * 100 / iso)
}

// DepthStep is the smallest difference in distance that a depth buffer of the
// given bits tells apart at z when the near plane is at n: z²/(n·2^bits), for
// a far plane far beyond z (perspective depth mapping, OpenGL specification).
func DepthStep(z, n float64, bits int) float64 { return z * z / (n * math.Exp2(float64(bits))) }

// FitClip proposes near and far planes that cut nothing of the spans that
// are seen, with 5 in 100 to spare. When something reaches up to the lens the
// near plane stays at nearest.
func FitClip(spans []Span, nearest float64) (near, far float64, ok bool) {
	near, far = math.Inf(1), 0
	for _, s := range spans {
		if s.Seen {
			near, far = min(near, s.Near), max(far, s.Far)
		}
	}
	if far <= 0 {
		return 0, 0, false
	}
	near = max(near*0.95, nearest)
	return near, max(far*1.05, near*1.1), true
}
