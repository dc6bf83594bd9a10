package optics

import "math"

// Usual are the shutter time and the sensitivity where none is given.
const (
	usualShutter = 1.0 / 50
	usualISO     = 100
)

// Open is how many seconds the shutter is open.
func (v *View) Open() float64 {
	if v.Shutter == 0 {
		return usualShutter
	}
	return v.Shutter
}

// Speed is the sensitivity as an ISO number.
func (v *View) Speed() float64 {
	if v.ISO == 0 {
		return usualISO
	}
	return v.ISO
}

// EV100 is the exposure value of an aperture, a time in seconds and a
// sensitivity: log2(N²/t · 100/S) (ISO 2720; APEX).
func EV100(fNumber, seconds, iso float64) float64 {
	return math.Log2(fNumber * fNumber / seconds * 100 / iso)
}

// meterK is the constant of reflected-light meters, cd/m²·s (ISO 2720 allows
// 10.6 to 13.4; 12.5 is common practice).
const meterK = 12.5

// Metered is the exposure value that a meter gives for a luminance in cd/m²:
// log2(L·S/K) at S = 100 (ISO 2720).
func Metered(luminance float64) float64 { return math.Log2(luminance * 100 / meterK) }

// Saturation is the luminance in cd/m² that is drawn as full white: 1.2·2^EV
// (ISO 12232, saturation-based speed).
func Saturation(ev float64) float64 { return 1.2 * math.Exp2(ev) }
