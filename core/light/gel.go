package light

import "math"

// Shifted is a colour temperature behind a gel that shifts it by so many mired (reciprocal megakelvin, 10^6 / K: CIE
// International Lighting Vocabulary), within 1000 to 40000 K.
func Shifted(kelvin, mired float64) float64 {
	m := 1e6/kelvin + mired
	return min(max(1e6/max(m, 1), 1000), 40_000)
}

// Passes is the share of the luminous flux that comes through a gel that makes a black body of one temperature look
// like one of another and takes no more than it must: at each wavelength the ratio of both by Planck's law, 1 where it
// is largest between 400 and 700 nm. A gel that is made loses more.
func Passes(from, to float64) float64 {
	if from == to {
		return 1
	}
	ratio := func(nm float64) float64 { return planck(nm, to) / planck(nm, from) }
	most := max(ratio(400), ratio(700)) // it rises or falls all along
	flux := func(through func(nm float64) float64) float64 {
		return Luminance(rgbOf(func(nm float64) float64 { return planck(nm, from) * through(nm) }))
	}
	return flux(func(nm float64) float64 { return min(ratio(nm)/most, 1) }) / flux(func(float64) float64 { return 1 })
}

// gelled is what a lamp's colour and strength become behind its gel.
func (l *Lamp) gelled() (kelvin, share float64) {
	if l.Mired == 0 {
		return l.Kelvin, 1
	}
	to := Shifted(l.Kelvin, l.Mired)
	share = Passes(l.Kelvin, to)
	if math.IsNaN(share) {
		share = 1
	}
	return to, share
}
