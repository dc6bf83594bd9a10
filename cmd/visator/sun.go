package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"time"

	"visator/core/light"
	"visator/core/unit"
)

// sunLine is where the sun stands, as JSON: degrees, astronomical units, lux and kelvin in clear
// air; hours are of the clock by which the time was told, null where the sun does not come there.
type sunLine struct {
	Time      string   `json:"time"`
	Azimuth   float64  `json:"azimuth"` // clockwise from north
	Elevation float64  `json:"elevation"`
	Zenith    float64  `json:"zenith"`
	Distance  float64  `json:"distance"`
	Lux       float64  `json:"lux"`
	Kelvin    float64  `json:"kelvin"`
	Rise      *float64 `json:"rise"`
	Noon      float64  `json:"noon"`
	Set       *float64 `json:"set"`
}

func solar(_ context.Context, args []string) error {
	fs := newFlags("sun", "--lat DEG --lon DEG --time 2026-10-17T12:30:30-07:00 [--height M] [--pressure MBAR] "+
		"[--celsius T] [--json]",
		"Tells where the sun stands at a place and a moment, when it rises and sets on that day, and what it gives "+
			"in clear air.")
	var lat, lon float64
	var at string
	var asJSON bool
	site := light.Site{}
	fs.Float64Var(&lat, "lat", math.NaN(), "latitude in `DEG`, north positive")
	fs.Float64Var(&lon, "lon", math.NaN(), "longitude in `DEG`, east positive")
	fs.StringVar(&at, "time", "", "the `MOMENT`, with what the clock is before universal time (RFC 3339)")
	fs.Float64Var(&site.Height, "height", 0, "`METRES` above the sea")
	fs.Float64Var(&site.Pressure, "pressure", light.SeaPressure, "air pressure in `MBAR`, of the year")
	fs.Float64Var(&site.Degrees, "celsius", light.SeaDegrees, "air temperature in `DEGREES`, of the year")
	fs.BoolVar(&asJSON, "json", false, "one line of JSON")
	if err := parseFlags(fs, args, "the sun is"); err != nil {
		return err
	}
	within := func(x, most float64) bool { return math.Abs(x) <= most } // not when it is no number
	switch {
	case !within(lat, 90):
		return usagef("--lat is given in degrees, -90 to 90")
	case !within(lon, 180):
		return usagef("--lon is given in degrees, -180 to 180")
	case !within(site.Height, 1e5):
		return usagef("--height is given in metres, at most 100000")
	case !(site.Pressure >= 0 && site.Pressure <= 5000):
		return usagef("--pressure is given in millibar, 0 to 5000")
	case !(site.Degrees > -273 && site.Degrees <= 1000):
		return usagef("--celsius is above -273 and at most 1000")
	}
	moment, err := time.Parse(time.RFC3339, at)
	if err != nil {
		return usagef("--time is written as 2026-10-17T12:30:30-07:00, not %q", at)
	}
	site.Latitude, site.Longitude = unit.Radians(lat), unit.Radians(lon)
	_, before := moment.Zone()
	day := light.Place{Latitude: site.Latitude, Longitude: site.Longitude, Day: moment.Format(time.DateOnly),
		Zone: float64(before) / 3600}
	if err := day.Check(); err != nil {
		return usagef("--time: %v", err)
	}
	p := light.Solar(moment, site)
	today := day.Today()
	l := sunLine{Time: moment.Format(time.RFC3339), Azimuth: unit.Degrees(p.Azimuth),
		Elevation: unit.Degrees(p.Elevation), Distance: p.Distance, Noon: today.Noon}
	l.Zenith = 90 - l.Elevation
	l.Lux, l.Kelvin = light.Sunshine(p.Elevation)
	known := func(h float64) *float64 {
		if math.IsNaN(h) {
			return nil
		}
		return &h
	}
	l.Rise, l.Set = known(today.Rise), known(today.Set)
	if asJSON {
		return json.NewEncoder(os.Stdout).Encode(l)
	}
	fmt.Printf("azimuth %.4f°, elevation %.4f°; in clear air %.0f lx at %.0f K\n", l.Azimuth, l.Elevation, l.Lux,
		l.Kelvin)
	told := func(what string, h *float64) {
		if h == nil {
			fmt.Printf("it does not %s on this day\n", what)
			return
		}
		fmt.Printf("%ss %s\n", what, light.Clock(*h))
	}
	told("rise", l.Rise)
	fmt.Printf("highest %s\n", light.Clock(l.Noon))
	told("set", l.Set)
	return nil
}
