package surface

import (
	"math"
	"testing"

	"visator/core/bsdf"
	"visator/core/geom"
)

// Lekner and Dorf (1988): light that gets into a wet surface is mirrored back with the chance p = 1 − (1−R)/n², and
// each time it meets the surface 1−ρ of it is taken up. Added up bounce by bounce that is what Wetted tells; white stays
// white, black black, and a grey of 0.5 about a third.
func TestWetThingsAreDarker(t *testing.T) {
	for _, albedo := range []float64{0, 0.1, 0.5, 0.9, 1} {
		left, out := 1.0, 0.0
		p := 1 - (1-0.066)/(1.33*1.33)
		for range 2000 {
			left *= albedo
			out += left * (1 - p)
			left *= p
		}
		if got := Wetted(albedo); math.Abs(got-out) > 1e-9 {
			t.Errorf("%v gets %v, bounce by bounce %v", albedo, got, out)
		}
	}
	if got := Wetted(0.5); got < 0.3 || got > 0.4 {
		t.Errorf("grey gets %v", got)
	}
}

func grey() bsdf.Values {
	v := bsdf.Plain()
	v.Base = geom.V{X: 0.4, Y: 0.4, Z: 0.4}
	return v
}

// mean is the mean of the base colour's green over a square of 20 m that faces n, and of its lacquer.
func mean(w *Weather, n geom.V, open, y float64) (base, coat float64) {
	for i := range 4000 {
		p := geom.V{X: float64(i%63) * 0.317, Y: y, Z: float64(i/63) * 0.317}
		v := grey()
		w.At(&Place{P: p, N: n, Bent: n, Open: func() float64 { return open }}, &v)
		base, coat = base+v.Base.Y/4000, coat+v.Coat/4000
	}
	return base, coat
}

// Dust and snow lie on what faces up and is open, water makes dark and shines, moss keeps to its side, heights count,
// and nothing does nothing.
func TestWear(t *testing.T) {
	up, down, north := geom.V{Y: 1}, geom.V{Y: -1}, geom.V{Z: -1}
	of := func(set func(w *Wear)) *Weather {
		w := NewWear()
		set(&w)
		if err := w.Check(); err != nil {
			t.Fatal(err)
		}
		ready := w.Ready(nil, nil)
		return &ready
	}
	if b, c := mean(of(func(*Wear) {}), up, 1, 0); math.Abs(b-0.4) > 1e-12 || c != 0 {
		t.Errorf("nothing: %v, %v", b, c)
	}
	snow := of(func(w *Wear) { w.Snow = 1 })
	for _, c := range []struct {
		n       geom.V
		open, y float64
		lo, hi  float64
	}{{up, 1, 0, 0.8, 0.9}, {up, 0, 0, 0.39, 0.41}, {down, 1, 0, 0.39, 0.41}, {north, 1, 0, 0.39, 0.41}} {
		if b, _ := mean(snow, c.n, c.open, c.y); b < c.lo || b > c.hi {
			t.Errorf("snow on %v, %v open: %v", c.n, c.open, b)
		}
	}
	before := 0.0
	for _, amount := range []float64{0.2, 0.5, 0.8} { // more is more
		b, _ := mean(of(func(w *Wear) { w.Snow = amount }), up, 1, 0)
		if b <= before+0.05 {
			t.Errorf("snow of %v: %v, before %v", amount, b, before)
		}
		before = b
	}
	wet := of(func(w *Wear) { w.Wet = 1 })
	if b, c := mean(wet, up, 1, 0); math.Abs(b-Wetted(0.4)) > 1e-9 || c < 0.5 {
		t.Errorf("wet: %v, %v", b, c)
	}
	half := of(func(w *Wear) { w.Puddles = 0.5 })
	if _, c := mean(half, up, 1, 0); c < 0.3 || c > 0.7 {
		t.Errorf("half in puddles: %v stands in water", c)
	}
	if _, c := mean(half, geom.V{X: 0.5, Y: 0.866}, 1, 0); c > 1e-9 {
		t.Errorf("on a slope: %v stands in water", c)
	}
	moss := of(func(w *Wear) { w.Moss, w.To = 0.8, 1 })
	a, _ := mean(moss, north, 1, 0)
	b, _ := mean(moss, geom.V{Z: 1}, 1, 0)
	if !(a < b-0.03) {
		t.Errorf("moss towards the north: %v, towards the south: %v", a, b)
	}
	if c, _ := mean(moss, north, 1, 2); math.Abs(c-0.4) > 1e-12 {
		t.Errorf("above its height: %v", c)
	}
}

func FuzzWear(f *testing.F) {
	f.Add(0.5, 0.5, 0.5, 1.0, 0.0, 0.0)
	f.Fuzz(func(t *testing.T, wet, snow, moss, x, y, nx float64) {
		w := NewWear()
		w.Wet, w.Snow, w.Moss, w.Dust, w.Puddles = wet, snow, moss, snow, wet
		if w.Check() != nil || math.IsNaN(x) || math.IsInf(x, 0) || math.IsNaN(y) || math.IsInf(y, 0) || math.Abs(nx) > 1 ||
			math.IsNaN(nx) {
			t.Skip()
		}
		ready := w.Ready(nil, nil)
		v := grey()
		n := geom.V{X: nx, Y: math.Sqrt(1 - nx*nx)}
		out := ready.At(&Place{P: geom.V{X: x, Y: y, Z: x}, N: n, Bent: n, Open: func() float64 { return 1 }}, &v)
		if !v.Base.Finite() || v.Base.Max() > 1.0001 || !out.Finite() || v.Rough < 0 || v.Rough > 1 {
			t.Errorf("%+v, %v", v, out)
		}
	})
}
