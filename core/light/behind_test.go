package light

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/sky"
)

// quarters is a panorama whose lower half tells how far away a level ground is: each row the distance at which it is
// met from a metre above.
func quarters() *sky.Environment {
	const w, h = 64, 512
	pix := make([]float32, 0, 3*w*h)
	for y := range h {
		for x := range w {
			d := sky.Toward(x, y, w, h)
			far := 0.0
			if d.Y < 0 {
				far = math.Hypot(d.X, d.Z) / -d.Y
			}
			pix = append(pix, float32(far), 0, 0)
		}
	}
	return sky.New(pix, w, h, 1, 0)
}

// A panorama that lies on the ground shows every place of it where that is, from wherever it is seen: 3 m away from
// where it was taken the ring of 3 m lies beneath the eye.
func TestAPanoramaLiesOnTheGround(t *testing.T) {
	s := Default()
	s.Sky, s.TakenAt, s.StandsAt = "panorama", 1, 0.5
	if !s.Own() {
		t.Fatal("it is as far away as a sky")
	}
	see := s.Seen(quarters(), nil)
	for _, eye := range []geom.V{{Y: 1.5}, {X: 3, Y: 1.5}, {X: -2, Y: 4, Z: 5}} {
		for _, at := range []geom.V{{X: 3, Y: 0.5}, {X: 2, Y: 0.5, Z: 2}, {Z: -6, Y: 0.5}} {
			got, want := see(eye, at.Sub(eye).Unit()).X, math.Hypot(at.X, at.Z)
			if math.Abs(got-want) > 0.02*want {
				t.Errorf("from %v at %v it shows what is %.3f m away, want %.3f", eye, at, got, want)
			}
		}
	}
	// What is above the horizon hardly moves with the eye, and far outside the sphere not at all.
	up := geom.V{X: 0.6, Y: 0.8}
	if d := Standing(geom.V{X: 10, Y: 2}, up, geom.V{Y: 1.5}, 0); d.Sub(up).Len() > 0.011 {
		t.Errorf("%v", d)
	}
	if d := Standing(geom.V{X: 5000, Y: 2}, up, geom.V{Y: 1.5}, 0); d != up {
		t.Errorf("from outside %v", d)
	}
}

// What is seen behind is what was asked for, whatever lights.
func TestWhatIsSeenBehind(t *testing.T) {
	one := func(v float32) *sky.Environment { return sky.New([]float32{v, v, v, v, v, v}, 2, 1, 1, 0) }
	d := geom.V{Z: -1}
	for behind, want := range map[string]float64{"": 5, "sky": 5, "nothing": 0, "picture": 7, "colour": 4000} {
		s := Default()
		s.Sky, s.Panorama = "panorama", "x"
		s.Behind.Behind, s.Picture, s.Backing, s.Shining = behind, "y", "#ffffff", 4000
		if err := s.Check(); err != nil {
			t.Error(err)
		}
		if got := s.Seen(one(5), one(7))(geom.V{}, d).X; math.Abs(got-want) > 1e-9*want {
			t.Errorf("%q shows %v, want %v", behind, got, want)
		}
	}
	s := Default()
	s.Behind.Behind = "picture"
	if s.Check() == nil {
		t.Error("a picture behind that there is not")
	}
}

// Every kind of the shelf can be hung, and its picture is brightest where its light is: the file's own lumen are told.
func TestKindsOfTheShelf(t *testing.T) {
	seen := map[string]bool{}
	for _, k := range Kinds() {
		l := k.Lamp
		if err := l.Check(); err != nil || seen[k.ID] || k.Name == "" || k.Says == "" {
			t.Errorf("%s: %v", k.ID, err)
		}
		seen[k.ID] = true
		if l.Shape == "measured" {
			continue
		}
		if l.In == "lm" && math.Abs(l.Lumen()-l.Output) > 1e-6*l.Output {
			t.Errorf("%s gives %v lm, want %v", k.ID, l.Lumen(), l.Output)
		}
		p := l.Portrait(48, 32)
		lo, hi := uint8(255), uint8(0)
		for i := 0; i < len(p.Pix); i += 4 {
			lo, hi = min(lo, p.Pix[i]), max(hi, p.Pix[i])
		}
		if hi < 250 || lo > 200 {
			t.Errorf("the picture of %s goes from %d to %d", k.ID, lo, hi)
		}
	}
	for _, shape := range []string{"ball", "cone", "tube", "rectangle", "disc", "measured"} {
		found := false
		for _, k := range Kinds() {
			found = found || k.Lamp.Shape == shape
		}
		if !found {
			t.Errorf("no %s", shape)
		}
	}
}
