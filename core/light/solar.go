package light

import (
	"math"
	"time"

	"visator/core/unit"
)

// Site is a place on the earth and the air above it.
type Site struct {
	Latitude  float64 // radians, north positive
	Longitude float64 // radians, east positive
	Height    float64 // metres above the sea
	Pressure  float64 // millibar, of the year; 0: no air, and nothing is bent
	Degrees   float64 // Celsius, of the year
}

// Air of a standard day at the sea (ISO 2533).
const (
	SeaPressure = 1013.25 // millibar
	SeaDegrees  = 15      // Celsius
)

// earthLag is how many seconds terrestrial time is before universal time, in the years about 2025
// (IERS); a minute of it moves the sun by a third of a second of arc.
const earthLag = 69

// SolarPosition is where the sun stands, seen from a site.
type SolarPosition struct {
	Azimuth   float64 // radians, clockwise from north
	Elevation float64 // radians above the horizon, as the air bends it
	True      float64 // radians above the horizon, without air
	Distance  float64 // astronomical units

	ascension, declination float64 // topocentric: radians
}

// Solar is where the sun stands at a moment: Reda and Andreas, Solar Position Algorithm for Solar
// Radiation Applications, NREL/TP-560-34302 (2003, revised 2008), which gives 0.0003 degrees in the
// years -2000 to 6000.
func Solar(at time.Time, s Site) SolarPosition { return solar(at, s, earthLag) }

func solar(at time.Time, s Site, lag float64) SolarPosition {
	// 3.1: days since noon at the beginning of the Julian count; the ephemeris runs on its own time.
	day := float64(at.Unix())/86400 + float64(at.Nanosecond())/86400e9 + 2440587.5
	jd := (day - 2451545) / 36525                  // centuries
	je := (day + lag/86400 - 2451545) / 36525      // of ephemeris time
	jm := je / 10                                  // thousands of years
	long := series(earthL, jm) + math.Pi           // 3.3: the sun's geocentric longitude
	lat := -series(earthB, jm)                     // and latitude
	far := series(earthR, jm)                      // 3.2.7
	turnL, turnO := nutated(je)                    // 3.4
	tilt := obliquity(jm) + turnO                  // 3.5
	long += turnL - unit.Radians(20.4898/3600)/far // 3.6, 3.7: aberration
	// What stands overhead at Greenwich, in degrees.
	star := 280.46061837 + 360.98564736629*(day-2451545) + jd*jd*(0.000387933-jd/38710000)
	sinL, cosL := math.Sincos(long)
	sinT, cosT := math.Sincos(tilt)
	ascension := math.Atan2(sinL*cosT-math.Tan(lat)*sinT, cosL)                 // 3.9
	declination := math.Asin(math.Sin(lat)*cosT + math.Cos(lat)*sinT*sinL)      // 3.10
	hour := unit.Radians(star) + turnL*math.Cos(tilt) + s.Longitude - ascension // 3.11
	parallax := unit.Radians(8.794/3600) / far                                  // 3.12
	u := math.Atan(0.99664719 * math.Tan(s.Latitude))
	x := math.Cos(u) + s.Height/6378140*math.Cos(s.Latitude)
	y := 0.99664719*math.Sin(u) + s.Height/6378140*math.Sin(s.Latitude)
	sinP, cosD, sinD := math.Sin(parallax), math.Cos(declination), math.Sin(declination)
	shift := math.Atan2(-x*sinP*math.Sin(hour), cosD-x*sinP*math.Cos(hour))
	topD := math.Atan2((sinD-y*sinP)*math.Cos(shift), cosD-x*sinP*math.Cos(hour))
	topH := hour - shift // 3.13
	high := math.Asin(math.Sin(s.Latitude)*math.Sin(topD) + math.Cos(s.Latitude)*math.Cos(topD)*math.Cos(topH))
	azimuth := math.Atan2(math.Sin(topH), math.Cos(topH)*math.Sin(s.Latitude)-math.Tan(topD)*math.Cos(s.Latitude))
	return SolarPosition{Azimuth: unit.Turned(azimuth + math.Pi), Elevation: high + refraction(high, s), True: high,
		Distance: far, ascension: unit.Turned(ascension + shift), declination: topD}
}

// series sums periodic terms up, by powers of the time in thousands of years.
func series(terms [][][3]float64, t float64) float64 {
	sum, power := 0.0, 1e-8
	for _, list := range terms {
		for _, a := range list {
			sum += power * a[0] * math.Cos(a[1]+a[2]*t)
		}
		power *= t
	}
	return sum
}

// nutated is how the earth's axis nods: in longitude and in obliquity, radians.
func nutated(t float64) (long, tilt float64) {
	x := [5]float64{
		297.85036 + t*(445267.11148+t*(-0.0019142+t/189474)),
		357.52772 + t*(35999.05034+t*(-0.0001603-t/300000)),
		134.96298 + t*(477198.867398+t*(0.0086972+t/56250)),
		93.27191 + t*(483202.017538+t*(-0.0036825+t/327270)),
		125.04452 + t*(-1934.136261+t*(0.0020708+t/450000)),
	}
	for i := range nutation {
		n, angle := &nutation[i], 0.0
		for k := range x {
			angle += n[k] * x[k]
		}
		sin, cos := math.Sincos(unit.Radians(angle))
		long += (n[5] + n[6]*t) * sin
		tilt += (n[7] + n[8]*t) * cos
	}
	return unit.Radians(long / 36e6), unit.Radians(tilt / 36e6)
}

// obliquity is the mean tilt of the earth's axis, radians (Laskar 1986).
func obliquity(t float64) float64 {
	u := t / 10
	sum := 0.0
	for _, c := range []float64{2.45, 5.79, 27.87, 7.12, -39.05, -249.67, -51.38, 1999.25, -1.55, -4680.93, 84381.448} {
		sum = sum*u + c
	}
	return unit.Radians(sum / 3600)
}

// refraction is how much higher the air lets the sun stand (3.14); nothing where its whole disc is
// below the horizon.
func refraction(high float64, s Site) float64 {
	e := unit.Degrees(high)
	if e < -(0.26667 + 0.5667) {
		return 0
	}
	air := s.Pressure / 1010 * 283 / (273 + s.Degrees)
	return unit.Radians(air * 1.02 / (60 * math.Tan(unit.Radians(e+10.3/(e+5.11)))))
}
