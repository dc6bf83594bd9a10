package motion

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
)

// Easings are the ways to go: staying until the end; at one speed; with a soft
// start and end, or only with one of them; by a curve of one's own.
var Easings = []string{"linear", "smooth", "slow start", "slow end", "hold", "own"}

// Curve is a cubic Bézier curve from 0, 0 to 1, 1 by its two inner points
// x1, y1, x2, y2: share of time to share of way.
type Curve [4]float64

func checkEasing(name string, c Curve) error {
	if !slices.Contains(Easings, name) {
		return errors.New("the easing is one of " + strings.Join(Easings, ", "))
	}
	if name == "own" && !(c[0] >= 0 && c[0] <= 1 && c[2] >= 0 && c[2] <= 1 && math.Abs(c[1]) <= 5 &&
		math.Abs(c[3]) <= 5) {
		return fmt.Errorf("the points of a curve lie between 0 and 1 in time, and at most 5 ways off")
	}
	return nil
}

// Ease maps the share of time to the share of the way, both 0 to 1; a curve of
// one's own may overshoot.
func Ease(name string, c Curve, t float64) float64 {
	t = min(max(t, 0), 1)
	switch name {
	case "hold":
		if t < 1 {
			return 0
		}
		return 1
	case "smooth": // zero speed at both ends: 3t² - 2t³
		return t * t * (3 - 2*t)
	case "slow start":
		return t * t
	case "slow end":
		return t * (2 - t)
	case "own":
		return c.at(t)
	}
	return t
}

// at is the curve's height where its time is t: time never turns back, so
// that halving finds it.
func (c Curve) at(t float64) float64 {
	if t <= 0 || t >= 1 {
		return t
	}
	bezier := func(a, b, u float64) float64 { return 3*a*u*(1-u)*(1-u) + 3*b*u*u*(1-u) + u*u*u }
	lo, hi := 0.0, 1.0
	for range 60 {
		if u := (lo + hi) / 2; bezier(c[0], c[2], u) < t {
			lo = u
		} else {
			hi = u
		}
	}
	return bezier(c[1], c[3], (lo+hi)/2)
}
