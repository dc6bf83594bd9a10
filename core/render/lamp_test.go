package render

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/sky"
)

// all are the lamps with a surface that the tests ask about: each of luminance 1000 cd/m² over the origin, h high.
func all(h float64) map[string]lamp.Lamp {
	down := geom.V{Y: -1}
	l := map[string]lamp.Lamp{
		"ball":      {At: geom.V{Y: h}, Shape: lamp.Ball, Radius: 0.4},
		"disc":      {At: geom.V{Y: h}, Shape: lamp.Disc, Radius: 0.7, Dir: down},
		"rectangle": {At: geom.V{Y: h}, Shape: lamp.Rectangle, Dir: down, U: geom.V{X: 1.2}, V: geom.V{Z: 0.5}},
		"tube":      {At: geom.V{Y: h}, Shape: lamp.Tube, Radius: 0.1, U: geom.V{X: 0.9}},
	}
	for name, x := range l {
		x.Candela, x.Seen = geom.V{X: 1, Y: 1, Z: 1}, true
		x.Candela = x.Candela.Mul(1000 / x.Luminance().Y)
		l[name] = x
	}
	return l
}

// factor is the share of an upright patch's view, weighed by the cosine, that a lamp fills: its form factor.
// Ball and coaxial disc, and a rectangle over its corner, from Howell, A Catalog of Radiation Heat Transfer
// Configuration Factors (B-36 of a sphere, B-12 of a disc, B-3 of a rectangle), four rectangles of a quarter
// together. The tube is added up over strips of its lower side that the patch sees, each by both cosines.
func factor(name string, l *lamp.Lamp, h float64) float64 {
	switch name {
	case "ball":
		return l.Radius * l.Radius / (h * h)
	case "disc":
		return l.Radius * l.Radius / (h*h + l.Radius*l.Radius)
	case "rectangle":
		a, b := l.U.Len()/h, l.V.Len()/h
		p, q := math.Sqrt(1+a*a), math.Sqrt(1+b*b)
		return 4 / (2 * math.Pi) * (a/p*math.Atan(b/p) + b/q*math.Atan(a/q))
	}
	sum := 0.0
	const n = 400
	for i := range n {
		x := l.U.Len() * (2*(float64(i)+0.5)/n - 1)
		for k := range n {
			phi := math.Pi * ((float64(k)+0.5)/n - 0.5)
			nrm := geom.V{Y: -math.Cos(phi), Z: math.Sin(phi)}
			at := geom.V{X: x, Y: h}.Add(nrm.Mul(l.Radius))
			d := at.Len()
			if c := -nrm.Dot(at) / d; c > 0 {
				sum += c * at.Y / d / (d * d) * (2 * l.U.Len() / n) * (math.Pi * l.Radius / n)
			}
		}
	}
	return sum / math.Pi
}

// A matt floor beneath a lamp of luminance L is as bright as its form factor says, ρ·L·F, whether the lamp is found
// by asking for it, as a rough surface does, or by running into it, as a smooth one does half of the time.
func TestFloorsBeneathLampsFollowFormFactors(t *testing.T) {
	for _, h := range []float64{1, 2.5} {
		for name, l := range all(h) {
			k := &testScene{}
			k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
			s := k.build(t)
			s.Lamps = []lamp.Lamp{l}
			f := shoot(t, s, look(geom.V{X: 3, Y: 1}, geom.V{}, 0.002), 16, 64, 0)
			within(t, name, mean(f), 0.5*1000*factor(name, &l, h), 0.012)
		}
	}
}

// A lamp that the camera sees is as bright as its surface; one that it does not see is not there, but in mirrors.
func TestTheCameraSeesLampsThatAreToBeSeen(t *testing.T) {
	for name, l := range all(2) {
		for _, seen := range []bool{true, false} {
			s := (&testScene{}).build(t)
			l.Seen = seen
			s.Lamps = []lamp.Lamp{l}
			want := map[bool]float64{true: 1000}[seen]
			if got := mean(shoot(t, s, look(geom.V{}, l.At, 0.01), 4, 2, 2)); math.Abs(got-want) > 1e-6*1000 {
				t.Errorf("%s, seen %v: %v cd/m², want %v", name, seen, got, want)
			}
			k := &testScene{}
			k.add(floor(k.surface(grey(1, 0, 1)), 20))
			s = k.build(t)
			s.Lamps = []lamp.Lamp{l}
			got := mean(shoot(t, s, look(geom.V{X: 0.8, Y: 2}, geom.V{X: 0.4}, 0.01), 8, 128, 3))
			if got < 990 || got > 1001 { // what rough metal keeps is given back by a table, to a thousandth
				t.Errorf("%s in a mirror: %v cd/m²", name, got)
			}
		}
	}
}

// Small lamps far away give what points do, by the inverse square; with a reach nothing beyond it.
func TestLampsFarAwayArePoints(t *testing.T) {
	for name, l := range all(200) {
		k := &testScene{}
		k.add(floor(k.surface(grey(0.5, 1, 0)), 50))
		s := k.build(t)
		s.Lamps = []lamp.Lamp{l}
		cam := look(geom.V{X: 3, Y: 1}, geom.V{}, 0.002)
		within(t, name, mean(shoot(t, s, cam, 8, 32, 0)), 0.5/math.Pi*light.Luminance(l.Candela)/(200*200), 0.01)
		l.Range = 100
		s.Lamps = []lamp.Lamp{l}
		if got := mean(shoot(t, s, cam, 8, 8, 0)); got != 0 {
			t.Errorf("%s gives %v beyond its reach", name, got)
		}
	}
}

// The shadow of an edge beneath a lamp is as wide as the lamp is, seen through the edge (similar triangles): of a
// spot with a radius too.
func TestPenumbraeAreAsWideAsTheLampIs(t *testing.T) {
	spot := lamp.Lamp{At: geom.V{Y: 4}, Dir: geom.V{Y: -1}, Candela: geom.V{X: 100, Y: 100, Z: 100}, Spot: true,
		CosInner: math.Cos(1), CosOuter: math.Cos(1.2), Radius: 0.3}
	disc := lamp.Lamp{At: geom.V{Y: 4}, Dir: geom.V{Y: -1}, Candela: geom.V{X: 100, Y: 100, Z: 100}, Shape: lamp.Disc,
		Radius: 0.3}
	for name, l := range map[string]lamp.Lamp{"spot": spot, "disc": disc} {
		at := func(x float64, edge bool) float64 {
			k := &testScene{}
			k.add(floor(k.surface(grey(0.5, 1, 0)), 20))
			if edge { // left of x = 0, half way up
				k.add(quad(k.surface(grey(0, 1, 0)), geom.V{X: -5, Y: 2, Z: 5}, geom.V{X: 5}, geom.V{Z: -10}))
			}
			s := k.build(t)
			s.Lamps = []lamp.Lamp{l}
			return mean(shoot(t, s, look(geom.V{X: x, Y: 1, Z: 0.5}, geom.V{X: x}, 0.002), 16, 128, 0))
		}
		within(t, name+" in the middle of its penumbra", at(0, true), at(0, false)/2, 0.02)
		if got := at(-0.32, true); got != 0 {
			t.Errorf("%s: %v in the dark", name, got)
		}
		if got, open := at(0.25, true), at(0.25, false); got >= open*0.999 || got <= open/2 {
			t.Errorf("%s: %v of %v near the light", name, got, open)
		}
		within(t, name+" in the light", at(0.32, true), at(0.32, false), 0.001)
	}
}

// What is seen behind does not light: a white floor under a sky of 1 cd/m² is as bright with another behind, and the
// camera sees that one, through panes too.
func TestWhatIsBehindIsSeenAndDoesNotLight(t *testing.T) {
	scene := func() *Scene {
		s := &Scene{Env: sky.New([]float32{1, 1, 1, 1, 1, 1}, 2, 1, 1, 0)}
		s.Build()
		return s
	}
	with := scene()
	with.Behind = func(o, d geom.V) geom.V { return geom.V{X: 3 + o.X, Y: 3, Z: 3} }
	for _, c := range []struct {
		s    *Scene
		want float64
	}{{scene(), 1}, {with, 5}} {
		r := c.s.Meter(NewRay(geom.V{X: 2, Y: 1}, geom.V{Z: -1}), 2, 4, 1)
		want := 0.2126*c.want + 0.7874*min(c.want, 3)
		if math.Abs(r.Luminance-want) > 1e-9 {
			t.Errorf("the camera sees %v cd/m², want %v", r.Luminance, want)
		}
		if got := c.s.MeterAt(geom.V{}, geom.V{Y: 1}, 2, 64, 1).Sky; math.Abs(got-math.Pi) > 0.3 {
			t.Errorf("the sky gives %v lx, want π", got)
		}
	}
}
