package motion

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
)

// Once around a thing it stays where it is in the picture, as far away, and the views go all around it evenly.
func TestTurntableKeepsItsThingInPlace(t *testing.T) {
	v := optics.Default()
	v.Eye, v.Yaw, v.Pitch = geom.V{X: 4, Y: 2, Z: 3}, 0.3, -0.2
	about := geom.V{X: 1.5, Y: 0.4, Z: -6}
	x, y, _, ok := v.Project(about)
	if !ok {
		t.Fatal("it is not seen")
	}
	m := Turntable(v, about, 4, 24)
	if n := m.Frames(); n != 96 {
		t.Fatalf("%d frames", n)
	}
	seen := geom.V{}
	for i := range 96 {
		k := m.At(v, float64(i)/24, nil)
		px, py, _, ok := k.Project(about)
		if !ok || math.Abs(px-x) > 1e-6 || math.Abs(py-y) > 1e-6 {
			t.Fatalf("in frame %d it is at %v, %v, not %v, %v", i, px, py, x, y)
		}
		if far := k.Eye.Sub(about).Len(); math.Abs(far-v.Eye.Sub(about).Len()) > 1e-6 || k.Eye.Y != v.Eye.Y {
			t.Fatalf("in frame %d it is %v m away", i, far)
		}
		seen = seen.Add(k.Eye.Sub(about))
	}
	if seen.Y = 0; seen.Len() > 1e-6 { // the views are even about it
		t.Errorf("they lean by %v", seen)
	}
	if k := m.At(v, 1, nil); math.Abs(k.Yaw-v.Yaw-math.Pi/2) > 1e-6 {
		t.Errorf("after a quarter it is turned by %v", k.Yaw-v.Yaw)
	}
}
