package trial

import (
	"context"
	"math"
	"strings"
	"testing"
)

// The error is that of its formula: squared differences over the squared value and a hundredth of the squared mean.
func TestError(t *testing.T) {
	if e := Error([]float32{1.1, 2}, []float32{1, 3}); math.Abs(e-(0.01/(1+0.04)+1/(9+0.04))/2) > 1e-7 {
		t.Error(e)
	}
	if e := Error([]float32{1, 3}, []float32{1, 3}); e != 0 {
		t.Error(e)
	}
}

// The scenes are there, and each shows something: not one value everywhere.
func TestScenesShowSomething(t *testing.T) {
	for _, trial := range Trials {
		if strings.Contains(trial.Name, "million") && testing.Short() {
			continue
		}
		n, err := Clear(context.Background(), trial, 64, 2, 8, 2)
		if err != nil || !(n.Plain > 0) || !(n.Clean > 0) || !(n.Second > 0) {
			t.Errorf("%s: %+v, %v", trial.Name, n, err)
		}
	}
}

// Removing noise makes a picture as if it had many more samples, and leaves the light of fields as it was.
func TestNoiseIsRemoved(t *testing.T) {
	for k, c := range map[int]struct {
		width int
		least float64 // about half of what it comes to
	}{0: {96, 80}, 1: {128, 20}, 2: {96, 25}, 3: {96, 50}} {
		n, err := Clear(context.Background(), Trials[k], c.width, 16, 96, 2)
		if err != nil {
			t.Fatal(err)
		}
		t.Logf("%s: %+v", Trials[k].Name, n)
		// What flickers is noise that is left: about twice its share of the error, if seeds have nothing in common.
		if !(n.As > c.least) || !(n.Field < 0.1) || !(n.Boil > 0) || n.Boil > 2*n.Clean/n.Plain {
			t.Errorf("%s: as of %.0f samples, fields within %.3f, %.4f of the flicker", Trials[k].Name, n.As, n.Field,
				n.Boil)
		}
	}
}

// The table of how cost grows has a line for all that it tells of.
func TestGrowth(t *testing.T) {
	var b strings.Builder
	if err := Growth(context.Background(), &b, 1000); err != nil {
		t.Fatal(err)
	}
	for _, of := range []string{"instances of a tuft of grass | 1000", "lamps in a street | 1000", "threads | 2"} {
		if !strings.Contains(b.String(), of) {
			t.Errorf("%q is not told: %s", of, b.String())
		}
	}
}
