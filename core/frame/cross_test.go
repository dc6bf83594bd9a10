package frame

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
)

// How fast things cross the picture, against what a pencil gives: W picture width at the
// wall's distance, v metres a second along it: W/v seconds. A turn of w radians a second
// sweeps the middle by w/(2 tan(h/2)); a roll by w·r; a zoom by the rate of the focal
// length times the distance from the middle.
func TestCrossingsOfEveryKindOfMove(t *testing.T) {
	wall := Thing{ID: "wall", Name: "wall",
		Body: at(block(geom.V{X: -400, Y: -50, Z: -0.1}, geom.V{X: 400, Y: 50, Z: 0.1}), geom.V{Z: -8})}
	s := NewScene([]Thing{wall})
	v := optics.Default()
	v.Eye, v.Pitch = geom.V{Y: 1.6}, 0
	wide, _ := v.FieldOfView()
	width := 2 * 7.9 * math.Tan(wide/2)
	const dt = 1.0 / 24
	var mean float64 // of the distance from the middle, in picture widths, over the grid
	const gw, gh = 24, 14
	for y := range gh {
		for x := range gw {
			mean += math.Hypot((float64(x)+0.5)/gw-0.5, ((float64(y)+0.5)/gh-0.5)/v.Aspect) / (gw * gh)
		}
	}
	for name, c := range map[string]struct {
		move func(b *optics.View)
		want float64 // picture widths a second
		off  float64
	}{
		"sideways": {func(b *optics.View) { b.Eye.X += 20 * dt }, 20 / width, 1e-6},
		"upwards":  {func(b *optics.View) { b.Eye.Y += 2 * dt }, 2 / width, 1e-6},
		"standing": {func(*optics.View) {}, 0, 1e-12},
		"roll":     {func(b *optics.View) { b.Roll += 0.5 * dt }, 0.5 * mean, 1e-3},
		"zoom":     {func(b *optics.View) { b.Focal *= 1 + 0.4*dt }, 0.4 * mean, 1e-3},
		"turned":   {func(b *optics.View) { b.Yaw += 0.3 * dt }, byHand(v, 0.3*dt, geom.V{}, gw, gh) / dt, 1e-6},
		"turntable": {func(b *optics.View) { *b = around(*b, geom.V{Y: 1.6, Z: -3}, 1.2*dt) },
			byHand(v, 1.2*dt, geom.V{X: 3 * math.Sin(1.2*dt), Z: 3*math.Cos(1.2*dt) - 3}, gw, gh) / dt, 1e-6},
	} {
		b := v
		c.move(&b)
		list := Crossings([]Pair{{A: Moment{v, s}, B: Moment{b, s}, At: 1, Dt: dt}}, gw, gh)[0]
		if len(list) != 1 || list[0].ID != "wall" || math.Abs(list[0].Share-1) > 1e-9 {
			t.Fatalf("%s: %+v", name, list)
		}
		if got := list[0].Speed; math.Abs(got-c.want) > c.off*max(c.want, 1e-3) {
			t.Errorf("%s: %v picture widths a second, want %v", name, got, c.want)
		}
	}
}

// byHand is the mean way, in picture widths, of the places of a wall 7.9 m ahead when a
// level camera turns by yaw and goes by step: by trigonometry in the plan.
func byHand(v optics.View, yaw float64, step geom.V, w, h int) (mean float64) {
	wide, high := v.FieldOfView()
	tx, ty := math.Tan(wide/2), math.Tan(high/2)
	sin, cos := math.Sincos(yaw)
	for y := range h {
		for x := range w {
			px, py := (float64(x)+0.5)/float64(w), (float64(y)+0.5)/float64(h)
			px0, py0 := (px-0.5)*2*tx*7.9, (0.5-py)*2*ty*7.9 // on the wall
			dx, dz := px0-step.X, -7.9-step.Z
			rx, rz := cos*dx-sin*dz, sin*dx+cos*dz // seen by who is turned counter-clockwise
			qx, qy := 0.5+rx/-rz/(2*tx), 0.5-py0/-rz/(2*ty)
			mean += math.Hypot(qx-px, (qy-py)/v.Aspect) / float64(w*h)
		}
	}
	return mean
}

// around goes about a point, looking at it.
func around(v optics.View, about geom.V, angle float64) optics.View {
	out := v
	d := v.Eye.Sub(about)
	turn := geom.Turn(geom.V{Y: 1}, angle)
	out.Eye = about.Add(turn.Rotate(d))
	out.Yaw += angle
	return out
}

// A thing that rides with the camera stays; what stands beside it goes by; of a move each
// is told once, where it is fastest.
func TestWhatRidesWithTheCameraStays(t *testing.T) {
	box := block(geom.V{X: -0.5, Y: 0, Z: -0.5}, geom.V{X: 0.5, Y: 2, Z: 0.5})
	s := NewScene([]Thing{{ID: "car", Name: "car", Body: at(box, geom.V{Z: -4}), Rides: true},
		{ID: "post", Name: "post", Body: at(box, geom.V{X: 2, Z: -4})}})
	v := optics.Default()
	v.Eye = geom.V{Y: 1, Z: 0}
	moment := func(t float64) Moment {
		w := v
		w.Eye.X = 3 * t
		return Moment{w, s.Posed(func(string) (geom.M, bool) { return geom.Translation(geom.V{X: 3 * t}), true })}
	}
	var pairs []Pair
	for _, t := range []float64{0, 0.1, 0.2} {
		pairs = append(pairs, Pair{A: moment(t), B: moment(t + 0.02), At: t, Dt: 0.02})
	}
	worst := Worst(Crossings(pairs, 48, 27))
	if len(worst) != 3 || worst[0].ID != "post" || math.Abs(worst[1].Speed)+math.Abs(worst[2].Speed) > 1e-6 {
		t.Fatalf("%+v", worst)
	}
	wide, _ := v.FieldOfView()
	if want := 3 / (2 * 3.5 * math.Tan(wide/2)); math.Abs(worst[0].Speed-want) > 0.1*want {
		t.Errorf("the post goes by at %v, want about %v", worst[0].Speed, want)
	}
}
