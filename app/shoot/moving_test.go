package shoot

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/light"
)

// In a move a lamp burns from when to when, flickers about what it gives, and rides.
func TestLampsOfAMove(t *testing.T) {
	one := hungLamp{id: "bulb", of: "bulb", Lamp: light.DefaultLamp()}
	one.Begins, one.Ends, one.Hertz, one.Depth, one.Seed = 1, 3, 4, 0.5, 7
	at := func(s float64) hungLamp {
		return lampsAt([]hungLamp{one}, map[string]geom.M{"bulb": geom.Translation(geom.V{X: s})}, s)[0]
	}
	for s, on := range map[float64]bool{0: false, 0.99: false, 1: true, 2.99: true, 3: false} {
		if got := at(s); got.On != on || got.At.X != s || got.To.X != s {
			t.Errorf("at %v s it burns: %v, at %v", s, got.On, got.At)
		}
	}
	sum, least, most := 0.0, 1.0, 0.0
	const n = 2000
	one.Ends = 0
	for i := range n {
		dim := at(1 + float64(i)/24).Dim
		sum, least, most = sum+dim/n, min(least, dim), max(most, dim)
	}
	if math.Abs(sum-1) > 0.05 || least < 0.75-1e-9 || most > 1.25+1e-9 || most-least < 0.2 {
		t.Errorf("it flickers from %v to %v about %v", least, most, sum)
	}
	if one.Dim != 1 || !one.On {
		t.Error("the lamp of the set was changed")
	}
	l := &loaded{lamps: []hungLamp{one}}
	if l.still(nil) {
		t.Error("a lamp that flickers holds still")
	}
}
