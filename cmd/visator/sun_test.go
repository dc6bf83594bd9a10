package main

import (
	"encoding/json"
	"math"
	"strings"
	"testing"
)

// The worked example of NREL/TP-560-34302.
func TestSunTellsTheWorkedExample(t *testing.T) {
	status, out, errs := call(t, "sun", "--lat", "39.742476", "--lon", "-105.1786", "--time",
		"2003-10-17T12:30:30-07:00", "--height", "1830.14", "--pressure", "820", "--celsius", "11", "--json")
	var l sunLine
	if err := json.Unmarshal([]byte(out), &l); status != 0 || err != nil {
		t.Fatal(status, errs, err)
	}
	for what, x := range map[string][3]float64{"zenith": {l.Zenith, 50.11162, 1e-4},
		"azimuth": {l.Azimuth, 194.34024, 1e-4}, "rise": {*l.Rise, 6.212067, 0.001}} {
		if math.Abs(x[0]-x[1]) > x[2] {
			t.Errorf("%s is %v, in the example %v", what, x[0], x[1])
		}
	}
	// The example's sunset, 17.338667, is that of the universal day, which is the evening before here.
	_, out, _ = call(t, "sun", "--lat", "39.742476", "--lon", "-105.1786", "--time", "2003-10-16T12:00:00-07:00",
		"--json")
	if err := json.Unmarshal([]byte(out), &l); err != nil || math.Abs(*l.Set-17.338667) > 0.001 {
		t.Errorf("it sets %v, in the example 17.338667; %v", *l.Set, err)
	}
	status, out, _ = call(t, "sun", "--lat", "70", "--lon", "20", "--time", "2026-12-21T12:00:00+01:00")
	if status != 0 || !strings.Contains(out, "it does not rise on this day") {
		t.Errorf("%d: %s", status, out)
	}
}

func TestSunRefusesWhatIsNoPlace(t *testing.T) {
	good := map[string]string{"--lat": "1", "--lon": "2", "--time": "2026-10-17T12:30:30Z"}
	for flag, values := range map[string][]string{"--lat": {"91", "NaN", "x"}, "--lon": {"-181", "Inf"},
		"--time": {"noon", "9999-01-01T00:00:00Z", ""}, "--pressure": {"-1", "NaN"}, "--celsius": {"-300"},
		"--height": {"1e308"}} {
		for _, v := range values {
			args := []string{"sun", flag, v}
			for f, x := range good {
				if f != flag {
					args = append(args, f, x)
				}
			}
			if status, _, errs := call(t, args...); status == 0 || !strings.Contains(errs, strings.TrimLeft(flag,
				"-")) {
				t.Errorf("%v: %d, %s", args, status, errs)
			}
		}
	}
}
