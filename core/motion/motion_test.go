package motion

import (
	"encoding/json"
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
)

func TestEasingsStartAtZeroEndAtOneAndNeverTurnBack(t *testing.T) {
	for _, e := range Easings {
		last := 0.0
		for i := 0; i <= 100; i++ {
			v := Ease(e, Curve{0.3, 0, 0.7, 1}, float64(i)/100)
			if v < last {
				t.Errorf("%s turns back at %d", e, i)
			}
			last = v
		}
		if Ease(e, Curve{0.3, 0, 0.7, 1}, 0) != 0 || Ease(e, Curve{0.3, 0, 0.7, 1}, 1) != 1 {
			t.Errorf("%s runs from %v to %v", e, Ease(e, Curve{0.3, 0, 0.7, 1}, 0), Ease(e, Curve{0.3, 0, 0.7, 1}, 1))
		}
	}
}

func TestAMoveStartsAndEndsAtItsViews(t *testing.T) {
	from, m := optics.Default(), Move{Keys: []Key{{View: optics.Default(), Seconds: 4, Easing: "smooth"}}, Rate: 24}
	m.Keys[0].View.Eye, m.Keys[0].View.Yaw, m.Keys[0].View.Pitch, m.Keys[0].View.Focal,
		m.Keys[0].View.Focus = geom.V{X: 3, Y: 2, Z: 1}, 3, 0.4, 85, 2
	if m.Frames() != 96 {
		t.Errorf("%d frames", m.Frames())
	}
	for at, want := range map[float64]optics.View{0: from, 4: m.Keys[0].View} {
		got := m.At(from, at, nil)
		if got.Eye.Sub(want.Eye).Len() > 1e-9 || got.Forward().Sub(want.Forward()).Len() > 1e-9 ||
			math.Abs(got.Focal-want.Focal) > 1e-9 || math.Abs(got.Focus-want.Focus) > 1e-9 {
			t.Errorf("at %v s: %+v, want %+v", at, got, want)
		}
	}
	if mid := m.At(from, 2, nil); math.Abs(mid.Focal-math.Sqrt(35*85)) > 1e-9 {
		t.Errorf("half way the focal length is %v", mid.Focal)
	}
}

func TestOwnCurveIsTheBezierOfItsPoints(t *testing.T) {
	c := Curve{0, 0, 1, 1} // a straight line in disguise
	for _, x := range []float64{0, 0.1, 0.5, 0.9, 1} {
		if got := Ease("own", c, x); math.Abs(got-x) > 1e-9 {
			t.Errorf("%v gives %v", x, got)
		}
	}
	// At u = 1/2 of (0.25, 0.1), (0.25, 1): x = 0.375·0.25·2+0.125 = 0.3125, y = 0.375·1.1+0.125.
	if got := Ease("own", Curve{0.25, 0.1, 0.25, 1}, 0.3125); math.Abs(got-0.5375) > 1e-9 {
		t.Errorf("got %v", got)
	}
	if got := Ease("hold", c, 0.99); got != 0 {
		t.Errorf("holding, it has gone %v of its way", got)
	}
}

func TestPathsGoThroughTheirPointsAtOneSpeed(t *testing.T) {
	pts := []geom.V{{}, {X: 3}, {X: 4, Z: -5}, {X: 9, Y: 1, Z: -5}}
	for _, smooth := range []bool{false, true} {
		p, err := NewPath(pts, smooth)
		if err != nil {
			t.Fatal(err)
		}
		for _, q := range pts {
			best := math.Inf(1)
			for i := range 20001 {
				at, _ := p.At(float64(i) / 20000)
				best = min(best, at.Sub(q).Len())
			}
			if best > 2e-3 {
				t.Errorf("smooth %v: %v is passed %v m off", smooth, q, best)
			}
		}
		var last geom.V
		for i := range 101 {
			at, ahead := p.At(float64(i) / 100)
			if i > 0 {
				if step := at.Sub(last).Len(); step > p.Length()/100*1.0001 || smooth && step < p.Length()/100*0.98 {
					t.Errorf("step %d is %v of %v", i, step, p.Length()/100)
				}
			}
			if math.Abs(ahead.Len()-1) > 1e-9 {
				t.Errorf("direction %v", ahead)
			}
			last = at
		}
	}
	for _, bad := range [][]geom.V{nil, {{}}, {{X: 1}, {X: 1}}, {{}, {X: math.NaN()}}} {
		if _, err := NewPath(bad, true); err == nil {
			t.Errorf("%v is a path", bad)
		}
	}
}

func TestRails(t *testing.T) {
	v := optics.Default()
	v.Eye, v.Yaw, v.Pitch = geom.V{Z: 4, Y: 1.5}, 0, 0
	table := Move{Rate: 24, Rail: &CameraPath{Kind: "turntable", Angle: math.Pi / 2, Seconds: 2, Easing: "linear"}}
	end := table.At(v, 2, nil)
	if end.Eye.Sub(geom.V{X: 4, Y: 1.5}).Len() > 1e-9 || end.Forward().Sub(geom.V{X: -1}).Len() > 1e-9 {
		t.Errorf("after a quarter turn it stands at %v and looks along %v", end.Eye, end.Forward())
	}
	crane := Move{Rate: 24, Rail: &CameraPath{Kind: "crane", Center: geom.V{Z: 8}, Rise: 0.4, Seconds: 2,
		Easing: "smooth"}}
	end = crane.At(v, 2, nil)
	if arm := v.Eye.Sub(geom.V{Z: 8}).Len(); math.Abs(end.Eye.Sub(geom.V{Z: 8}).Len()-arm) > 1e-9 ||
		end.Eye.Y < v.Eye.Y+0.5 {
		t.Errorf("the arm of %v m ends at %v", arm, end.Eye)
	}
	dolly := Move{Rate: 24, Rail: &CameraPath{Kind: "dolly", Points: []geom.V{{}, {Z: -3}}, Seconds: 2,
		Easing: "linear"}}
	if mid := dolly.At(v, 1, nil); mid.Eye.Sub(geom.V{Y: 1.5, Z: 2.5}).Len() > 1e-9 || mid.Yaw != 0 {
		t.Errorf("half way it is at %v", mid.Eye)
	}
}

// A panning rule of the trade: seven seconds for a thing to cross the picture at 24
// frames a second.
func TestSpeedAndJudder(t *testing.T) {
	v := optics.Default()
	wide, _ := v.FieldOfView()
	pan := func(seconds float64) Speed {
		m := Move{Rate: 24, Rail: &CameraPath{Kind: "turntable", Center: v.Eye, Angle: 2 * wide, Seconds: 2 * seconds,
			Easing: "linear"}}
		v.Shutter = 1.0 / 48
		return m.SpeedAt(v, seconds, nil)
	}
	slow, fast := pan(9), pan(5)
	if slow.Judders || !fast.Judders {
		t.Errorf("crossing in %v s and %v s", 1/slow.Crossing, 1/fast.Crossing)
	}
	if want := wide * 180 / math.Pi / 9; math.Abs(slow.Degrees-want) > 1e-6 {
		t.Errorf("%v °/s, want %v", slow.Degrees, want)
	}
	m := Move{Rate: 24, Follow: "x", Rail: &CameraPath{Kind: "turntable", Center: v.Eye, Angle: 3, Seconds: 1,
		Easing: "linear"}}
	if list := m.Troubles(v, nil); len(list) != 0 {
		t.Errorf("a followed thing: %+v", list)
	}
	jerk := Move{Rate: 24, Keys: []Key{{View: v, Seconds: 1, Easing: "linear"},
		{View: v, Seconds: 1, Easing: "linear"}}}
	jerk.Keys[1].View.Eye.X += 2
	found := false
	for _, tr := range jerk.Troubles(v, nil) {
		found = found || tr.Kind == "jerk" && math.Abs(tr.At-1) < 0.1
	}
	if !found {
		t.Errorf("no jerk: %+v", jerk.Troubles(v, nil))
	}
	jerk.Keys[1].Easing = "smooth"
	if list := jerk.Troubles(v, nil); len(list) != 0 {
		t.Errorf("a soft start jerks: %+v", list)
	}
}

func TestShakeAndFlickerAreSeeded(t *testing.T) {
	v := optics.Default()
	m := Move{Rate: 24, Seconds: 4, Shake: &Shake{Degrees: 2, Metres: 0.05, Hertz: 1, Seed: 3}}
	other := m
	other.Shake = &Shake{Degrees: 2, Metres: 0.05, Hertz: 1, Seed: 4}
	most, same := 0.0, true
	f := Flicker{Hertz: 6, Depth: 0.5, Seed: 1}
	for i := range 400 {
		x := float64(i) / 100
		a, b := m.At(v, x, nil), other.At(v, x, nil)
		if again := m.At(v, x, nil); !a.Equal(&again) {
			t.Fatal("the same seed shakes otherwise")
		}
		same = same && a.Yaw == b.Yaw
		most = max(most, Angle(v, a)*180/math.Pi)
		if l := f.At(x); l < 0.75 || l > 1.25 {
			t.Fatalf("it flickers to %v", l)
		}
	}
	if same || most < 0.3 || most > 4 {
		t.Errorf("another seed is the same: %v; it shakes by %v°", same, most)
	}
}

func TestMovesOfTheFirstFormAreRead(t *testing.T) {
	view, _ := json.Marshal(optics.Default())
	var m Move
	if err := json.Unmarshal([]byte(`{"to":`+string(view)+`,"duration":3,"easing":"smooth","rate":12}`),
		&m); err != nil {
		t.Fatal(err)
	}
	if err := m.Check(); err != nil || m.Duration() != 3 || len(m.Keys) != 1 || m.Frames() != 36 {
		t.Errorf("%+v, %v", m, err)
	}
	if err := json.Unmarshal([]byte(`{"rate":12,"keyz":[]}`), &m); err == nil {
		t.Error("a misspelt field is lost in silence")
	}
	if err := json.Unmarshal([]byte(`{"keys":[{"seconds":1}]}`), &m); err != nil || len(m.Keys) != 1 ||
		m.Keys[0].View.Focal != 0 {
		t.Errorf("a new list is filled into the old one: %+v, %v", m.Keys, err)
	}
}

// Whatever a move says, it is refused in words or it can be gone through.
func FuzzMove(f *testing.F) {
	view, _ := json.Marshal(optics.Default())
	f.Add(`{"rate":24,"keys":[{"view":`+string(view)+`,"seconds":1,"easing":"own","curve":[0.1,2,0.9,-1]}]}`, 0.4)
	f.Add(`{"rate":24,"rail":{"kind":"path","points":[{"x":0},{"x":1},{"x":1,"z":2}],"smooth":true,"seconds":2,"easing":"smooth","look":"ahead"},"shake":{"degrees":1,"metres":0.1,"hertz":2,"seed":7}}`, 1.5)
	f.Add(`{"rate":12,"seconds":2,"rides":[{"ids":["a"],"points":[{},{"y":1}],"seconds":1,"easing":"hold","turn":true}],"pulls":[{"at":0,"metres":3,"easing":"linear"},{"at":1,"on":"a","easing":"smooth"}],"flickers":[{"hertz":5,"depth":1}],"plays":[{"id":"c","pictures":["x","y"],"rate":8}]}`, 0.9)
	f.Add(`{"rate":24,"rail":{"kind":"crane","center":{"x":1},"angle":3,"rise":1,"seconds":1,"easing":"linear","look":"center"}}`, 0.2)
	f.Fuzz(func(t *testing.T, raw string, at float64) {
		var m Move
		if json.Unmarshal([]byte(raw), &m) != nil || m.Check() != nil || !(math.Abs(at) < 1e6) {
			return
		}
		where := func(string, float64) (geom.V, bool) { return geom.V{X: 1, Y: 2, Z: -9}, true }
		v := m.At(optics.Default(), at, where)
		if !v.Eye.Finite() || math.IsNaN(v.Focus+v.Focal+v.Yaw+v.Pitch+v.Roll) {
			t.Fatalf("%s at %v: %+v", raw, at, v)
		}
		for i := range m.Rides {
			if w := m.Rides[i].At(at); !w.Finite() {
				t.Fatalf("%s: %v", raw, w)
			}
		}
		for i := range m.Plays {
			_ = m.Plays[i].At(at)
		}
		if m.Frames() < 200 {
			m.Troubles(optics.Default(), where)
		}
	})
}
