package motion

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
)

func TestEasingsStartAtZeroEndAtOneAndNeverTurnBack(t *testing.T) {
	for _, e := range Easings {
		last := 0.0
		for i := 0; i <= 100; i++ {
			v := Ease(e, float64(i)/100)
			if v < last {
				t.Errorf("%s turns back at %d", e, i)
			}
			last = v
		}
		if Ease(e, 0) != 0 || Ease(e, 1) != 1 {
			t.Errorf("%s runs from %v to %v", e, Ease(e, 0), Ease(e, 1))
		}
	}
}

func TestAMoveStartsAndEndsAtItsViews(t *testing.T) {
	from, m := optics.Default(), Move{To: optics.Default(), Duration: 4, Easing: "smooth", Rate: 24}
	m.To.Eye, m.To.Yaw, m.To.Pitch, m.To.Focal, m.To.Focus = geom.V{X: 3, Y: 2, Z: 1}, 3, 0.4, 85, 2
	if m.Frames() != 96 {
		t.Errorf("%d frames", m.Frames())
	}
	for at, want := range map[float64]optics.View{0: from, 4: m.To} {
		got := m.At(from, at)
		if got.Eye.Sub(want.Eye).Len() > 1e-9 || got.Forward().Sub(want.Forward()).Len() > 1e-9 || math.Abs(got.Focal-want.Focal) > 1e-9 || math.Abs(got.Focus-want.Focus) > 1e-9 {
			t.Errorf("at %v s: %+v, want %+v", at, got, want)
		}
	}
	if mid := m.At(from, 2); math.Abs(mid.Focal-math.Sqrt(35*85)) > 1e-9 {
		t.Errorf("half way the focal length is %v", mid.Focal)
	}
}

func TestAnglesAreTheInverseOfTurn(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 500 {
		v := optics.Default()
		v.Yaw, v.Pitch, v.Roll = r.Float64()*6-3, r.Float64()*3-1.5, r.Float64()*6-3
		y, p, o := angles(v.Turn())
		if math.Abs(y-v.Yaw) > 1e-6 || math.Abs(p-v.Pitch) > 1e-6 || math.Abs(o-v.Roll) > 1e-6 {
			t.Fatalf("%v %v %v came back as %v %v %v", v.Yaw, v.Pitch, v.Roll, y, p, o)
		}
	}
}
