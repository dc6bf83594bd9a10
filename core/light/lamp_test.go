package light

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/photometry"
)

// down is a lamp of 1000 lm two metres over the origin, shining down.
func down(shape string) Lamp {
	l := DefaultLamp()
	l.Shape, l.At, l.Output, l.Radius, l.Length, l.Width, l.Height = shape, geom.V{Y: 2}, 1000, 0.05, 1, 0.4, 0.3
	if shape == "tube" {
		l.To = geom.V{X: 1, Y: 2}
	}
	if shape == "measured" { // a disc's law, every ten degrees as far as 90
		text := "TILT=NONE\n1 -1 1 10 1 1 2 0 0 0\n1 1 9\n0 10 20 30 40 50 60 70 80 90\n0\n"
		for a := 0; a <= 90; a += 10 {
			text += fmt.Sprintf("%.4f ", 2500*math.Cos(float64(a)*math.Pi/180))
		}
		l.Web, _ = photometry.Read(strings.NewReader(text))
		l.Radius = 0
	}
	return l
}

// What a lamp gives in all directions is its lumen: its candela by direction, added up over the sphere from far
// away, is the output that was typed, whatever its shape.
func TestLumenAreWhatGoesOutInAllDirections(t *testing.T) {
	for _, shape := range []string{"ball", "cone", "tube", "rectangle", "disc", "measured"} {
		l := down(shape)
		const n, far = 400, 1000.0
		sum := 0.0
		for i := range n {
			z := 1 - 2*(float64(i)+0.5)/n
			w := math.Sqrt(1 - z*z)
			for k := range n {
				sin, cos := math.Sincos(2 * math.Pi * (float64(k) + 0.5) / n)
				d := geom.V{X: w * cos, Y: z, Z: w * sin}
				sum += l.Lux(l.At.Add(d.Mul(far)), d.Mul(-1)) * far * far * 4 * math.Pi / (n * n)
			}
		}
		if math.Abs(sum-1000) > 5 || math.Abs(l.Lumen()-1000) > 1e-6 {
			t.Errorf("%s: %v lm go out, it says %v", shape, sum, l.Lumen())
		}
	}
}

// The soft edge of a shadow is as wide as the lamp by the ratio of distances: beneath a disc of 40 cm, 3 m high, half a
// metre above the floor 8 cm.
func TestPenumbrae(t *testing.T) {
	l := down("disc")
	l.Radius = 0.2
	for _, c := range [][3]float64{{3, 0.5, 0.08}, {3, 1.5, 0.4}, {3, 3, 0}, {3, 4, 0}, {3, 0, 0}} {
		if got := l.Penumbra(c[0], c[1]); math.Abs(got-c[2]) > 1e-12 {
			t.Errorf("%v m high, %v above the floor: %v", c[0], c[1], got)
		}
	}
	l = down("ball")
	if l.Radius = 0; l.Penumbra(3, 1) != 0 {
		t.Error("a point has soft shadows")
	}
}

// A lamp told by the lux that it gives at a distance gives them there, and one told in candela has them.
func TestOutputsAreWhatTheySay(t *testing.T) {
	for _, shape := range []string{"ball", "cone", "tube", "rectangle", "disc", "measured"} {
		l := down(shape)
		l.In, l.Output, l.Away = "lx", 300, 2
		if got := l.Lux(geom.V{}, geom.V{Y: 1}); math.Abs(got-300) > 0.3 {
			t.Errorf("%s: %v lx two metres off", shape, got)
		}
		l.In, l.Output = "cd", 77
		if got := Luminance(l.Luminous()); math.Abs(got-77) > 1e-9 {
			t.Errorf("%s: %v cd", shape, got)
		}
		if l.On = false; l.Luminous() != (geom.V{}) || l.Lumen() != 0 {
			t.Errorf("%s gives light while it is off", shape)
		}
	}
	l := down("ball")
	l.Dim = 0.25
	if got := l.Lumen(); math.Abs(got-250) > 1e-9 {
		t.Errorf("a quarter of 1000 lm is %v", got)
	}
}

// The pool of a point above a floor is a circle: E falls with the cube of the cosine, so that half of the most is at
// a radius of h·√(2^⅔-1), a tenth at h·√(10^⅔-1). That of a cone aimed aside holds what lies where it is aimed.
func TestPoolsLieWhereTheLightFalls(t *testing.T) {
	l := down("ball")
	pools, most := l.Pools(0)
	if math.Abs(most-1000/(4*math.Pi)/4) > 1e-9 || len(pools) != 2 {
		t.Fatalf("%v lx at most, %d pools", most, len(pools))
	}
	for i, c := range []float64{2, 10} {
		want := 2 * math.Sqrt(math.Pow(c, 2.0/3)-1)
		for _, p := range pools[i].Outline {
			if r := math.Hypot(p[0], p[1]); math.Abs(r-want) > 1e-3 {
				t.Fatalf("1/%v at %v m, want %v", c, r, want)
			}
		}
		if math.Abs(pools[i].Lux-most/c) > 1e-9 {
			t.Errorf("a pool of %v lx of %v", pools[i].Lux, most)
		}
	}
	l = down("cone")
	l.To = geom.V{X: 3}
	pools, _ = l.Pools(0)
	for i, p := range pools {
		for _, q := range p.Outline {
			if e := l.Lux(geom.V{X: q[0], Z: q[1]}, geom.V{Y: 1}); math.Abs(e-p.Lux) > 0.01*p.Lux {
				t.Fatalf("pool %d: %v lx on its outline of %v", i, e, p.Lux)
			}
		}
	}
	for _, none := range []Lamp{{}, {On: true, At: geom.V{Y: -1}}, {On: true, Output: 1e308, Dim: 1,
		At: geom.V{Y: 1}}} {
		for _, p := range func() []Pool { p, _ := none.Pools(0); return p }() {
			if math.IsNaN(p.Lux) || math.IsInf(p.Lux, 0) {
				t.Errorf("%+v", p)
			}
		}
	}
}

// What cannot be is refused in words; what can is not changed.
func TestLampsThatCannotBe(t *testing.T) {
	for _, set := range []func(*Lamp){
		func(l *Lamp) { l.Shape = "star" }, func(l *Lamp) { l.Output = -1 }, func(l *Lamp) { l.Output = math.NaN() },
		func(l *Lamp) { l.Kelvin = 0 }, func(l *Lamp) { l.In = "W" }, func(l *Lamp) { l.Dim = 101 },
		func(l *Lamp) { l.Shape, l.Radius = "tube", 0 }, func(l *Lamp) { l.Tint = "red" },
		func(l *Lamp) { l.Angle = 4 },
		func(l *Lamp) { l.At.X = 1e9 }, func(l *Lamp) { l.Shape, l.In, l.Away = "tube", "lx", 0.1 },
	} {
		l := DefaultLamp()
		if err := l.Check(); err != nil {
			t.Fatal(err)
		}
		set(&l)
		if err := l.Check(); err == nil {
			t.Errorf("%+v is taken", l)
		}
	}
}
