package optics

import (
	"errors"
	"fmt"
	"math"
)

// Delivery is the width of a delivered picture for which a blur of 0.03 mm on a
// 36 mm wide sensor counts as sharp: 1.6 pixels of 1920 (0.03 mm is common
// practice; that it goes with full HD is ours).
const Delivery = 1920

// CircleOfConfusion is the blur that still counts as sharp, in mm on the
// sensor: 0.03 mm on a 36 mm wide one, in proportion on others (common
// practice), and less where the picture is delivered larger than Delivery.
func (v *View) CircleOfConfusion() float64 {
	c := 0.03 * v.SensorW / 36
	if v.Delivered > 0 {
		c *= Delivery / v.Delivered
	}
	return c
}

// Hyperfocal is the focus distance from which on everything to infinity is
// sharp: f²/(N·c) + f (S. Ray, Applied Photographic Optics).
func Hyperfocal(focal, fNumber, circle float64) float64 {
	return (focal*focal/(fNumber*circle) + focal) / 1000
}

// SharpZone is the nearest and farthest distance that count as sharp; far is
// +Inf when it reaches the horizon (thin lens; S. Ray, as above).
func (v *View) SharpZone() (near, far float64) {
	return SharpZone(v.Focal, v.FNumber, v.CircleOfConfusion(), v.Focus)
}

// SharpZone is that of a lens of a focal length and a circle of confusion in
// mm, focused at focus metres.
func SharpZone(focal, fNumber, circle, focus float64) (near, far float64) {
	h := Hyperfocal(focal, fNumber, circle)
	f, s := focal/1000, focus
	near = s * (h - f) / (h + s - 2*f)
	if s >= h {
		return near, math.Inf(1)
	}
	return near, s * (h - f) / (h - s)
}

// Blur is the diameter of the disk, in mm on the sensor, that a point at
// distance z is drawn as: f/N · |z-s|/z · f/(s-f), s the focus distance
// (S. Ray, as above). At infinity it is f²/(N·(s-f)).
func Blur(focal, fNumber, focus, z float64) float64 {
	f := focal / 1000
	away := 1.0
	if !math.IsInf(z, 1) {
		away = math.Abs(z-focus) / z
	}
	return focal / fNumber * away * f / math.Max(focus-f, 1e-9)
}

// LensRadius is half the diameter of the aperture in metres.
func (v *View) LensRadius() float64 { return v.Focal / v.FNumber / 2000 }

// AllSharp is the aperture and the focus distance with which all from near to
// far metres counts as sharp; far may be +Inf. Both limits of SharpZone are
// met: s = 2·n·r/(n+r), N = f²/(c·H) with H = 2(s-f)/(s·(1/n-1/r)).
func (v *View) AllSharp(near, far float64) (fNumber, focus float64, err error) {
	f := v.Focal / 1000
	if !(near > f && far >= near) {
		return 0, 0, errors.New("the sharp zone begins beyond the focal length and ends farther away than it begins")
	}
	focus = 2 * near
	if !math.IsInf(far, 1) {
		focus = 2 * near * far / (near + far)
	}
	depth := 1/near - 1/far
	if math.IsInf(far, 1) {
		depth = 1 / near
	}
	if depth < 1e-9 {
		return v.FNumber, focus, nil // one distance: any aperture does
	}
	h := 2 * (focus - f) / (focus * depth)
	fNumber = f * f * 1000 / (v.CircleOfConfusion() * h)
	if fNumber > 256 {
		return 0, 0,
			fmt.Errorf("it would take f/%.0f: no lens closes so far; take a shorter lens, step back or ask for less",
				fNumber)
	}
	return math.Max(fNumber, 0.5), focus, nil
}

// Softening is the f-number from which on diffraction is seen: the diameter of
// the Airy disk, 2.44·λ·N at 550 nm, is as large as the circle of confusion
// (Rayleigh; E. Hecht, Optics).
func (v *View) Softening() float64 { return v.CircleOfConfusion() / (2.44 * 550e-6) }
