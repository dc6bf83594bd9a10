package lamp

import (
	"math"

	"visator/core/geom"
)

// Sun is a far light. Lux is its illuminance at normal incidence per channel.
type Sun struct {
	To     geom.V  // unit vector towards the sun
	Lux    geom.V  // per colour channel
	Radius float64 // angular radius in radians; 0 is a point
}

// Radiance is the luminance per channel of a sun's disk.
func (u *Sun) Radiance() geom.V {
	sin := math.Sin(u.Radius)
	return u.Lux.Mul(1 / (math.Pi * sin * sin))
}

// SolidAngle is that of its disk, steradians.
func (u *Sun) SolidAngle() float64 {
	h := math.Sin(u.Radius / 2)
	return 4 * math.Pi * h * h // 2π(1-cos r) without cancellation
}

// SampleSuns is light from a place on one of suns, of which there is one at least: chosen by pick, each as often, and
// by u1 and u2, from 0 to below 1.
func SampleSuns(suns []Sun, u1, u2, pick float64) Light {
	n := len(suns)
	u := &suns[min(int(pick*float64(n)), n-1)]
	if u.Radius <= 0 {
		return Light{Dir: u.To, Le: u.Lux.Mul(float64(n)), PDF: 1, Hard: true}
	}
	h := math.Sin(u.Radius / 2)
	z := 1 - 2*h*h*u1
	r := math.Sqrt(max(1-z*z, 0))
	sin, cos := math.Sincos(2 * math.Pi * u2)
	t, b := geom.Frame(u.To)
	d := u.To.Mul(z).Add(t.Mul(r * cos)).Add(b.Mul(r * sin)).Unit()
	return Light{Dir: d, Le: u.Radiance(), PDF: 1 / (u.SolidAngle() * float64(n))}
}
