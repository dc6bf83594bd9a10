package fall

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
)

// The laws of size and speed bring about the water that they are given: they are averages of many storms. Extinction
// is near what was measured in rain: 2.62 km of visibility at 10 mm/h by V = 11.6·R^-0.63 km (Atlas, Optical extinction
// by rainfall, 1953; quoted from memory).
func TestLawsOfRain(t *testing.T) {
	for _, rate := range []float64{1, 5, 10, 25, 50} {
		if got := Rain.Flux(rate) / rate; got < 0.8 || got > 1.25 {
			t.Errorf("rain of %v mm/h brings %.2f times as much", rate, got)
		}
		want := -math.Log(0.05) / (11_600 * math.Pow(rate, -0.63))
		if got := Rain.Extinction(rate) / want; got < 0.6 || got > 1.7 {
			t.Errorf("rain of %v mm/h takes %.2f times what was measured", rate, got)
		}
	}
	// By hand: 2·π/4·N0·2/Λ³ with Λ = 4.1·10^-0.21.
	thin := 4.1 * math.Pow(10, -0.21)
	if got, want := Rain.Extinction(10), math.Pi*8000/(thin*thin*thin)*1e-6; math.Abs(got/want-1) > 1e-3 {
		t.Errorf("%v, want %v", got, want)
	}
	for d, want := range map[float64]float64{1: 4.00, 2: 6.55, 5: 9.14} { // the formula's own values, m/s
		if got := Rain.Speed(d); math.Abs(got-want) > 0.01 {
			t.Errorf("a drop of %v mm falls %.3f m/s, want %v", d, got, want)
		}
	}
	if v := Snow.Speed(1); v < 0.6 || v > 1 {
		t.Errorf("a flake of 1 mm of water falls %v m/s", v)
	}
	if Rain.Extinction(0) != 0 || Kind(0).Extinction(5) != 0 || New(Rain, 0, geom.V{}, geom.V{}, 1, 0, 1) != nil {
		t.Error("nothing falls, and takes light")
	}
	if w := Snow.Wide(1); w < 1.5 || w > 4 {
		t.Errorf("a flake of 1 mm of water is %v mm wide", w)
	}
}

// However long the shutter is open and whichever way the wind blows, the mean share that stands in the way of a ray is
// the cross section of all by its length: a ball covers as much on average wherever it moves.
func TestTheMeanShareIsTheCrossSection(t *testing.T) {
	for _, open := range []float64{1.0 / 1000, 1.0 / 50, 0.5} {
		for _, wind := range []geom.V{{}, {X: 8, Z: -3}} {
			f := New(Rain, 300, wind, geom.V{Y: 2}, open, 3.7, 9)
			want := f.Covers()
			rnd := rand.New(rand.NewPCG(1, 2))
			sum, square, rays := 0.0, 0.0, 8_000
			far := 5.0
			for range rays {
				z := 2*rnd.Float64() - 1
				sin, cos := math.Sincos(2 * math.Pi * rnd.Float64())
				d := geom.V{X: math.Sqrt(1-z*z) * cos, Y: z, Z: math.Sqrt(1-z*z) * sin}
				one := 0.0
				for _, m := range f.All(geom.V{X: rnd.Float64() / 2, Y: 2, Z: rnd.Float64() / 2}, d, far, nil) {
					one += m.Share
				}
				sum, square = sum+one, square+one*one
			}
			got := sum / float64(rays) / far
			off := math.Sqrt(square-sum*sum/float64(rays)) / float64(rays) / far
			if math.Abs(got-want) > 4*off+0.01*want {
				t.Errorf("open %v s, wind %v: %.3e a metre, want %.3e ± %.1e", open, wind, got, want, off)
			}
		}
	}
}

// A streak is as long as its drop falls while the shutter is open, and lies where the drop is then: as time goes on it
// falls by what its speed says.
func TestStreaksAreOfTrueLength(t *testing.T) {
	const open = 0.02
	f := New(Rain, 20, geom.V{}, geom.V{}, open, 0, 4)
	for i := range f.classes {
		c := &f.classes[i]
		d := 2000 * c.r // its own diameter, mm
		if v := Rain.Speed(d); math.Abs(c.length-v*open) > 0.05*v*open {
			t.Errorf("drops of %.2f mm leave %.1f mm, want about %.1f", d, 1000*c.length, 1000*v*open)
		}
	}
	later := New(Rain, 20, geom.V{}, geom.V{}, open, 0.25, 4)
	// A ray that is stopped at first is stopped 0.25 s later where the drops have fallen to.
	c, l := f.classes[:1], later.classes[:1]
	down := c[0].u.Mul(l[0].moved)
	one, two := Field{reach: 6, classes: c}, Field{reach: 6, eye: down, classes: l}
	found := 0
	for k := range 400 {
		sin, cos := math.Sincos(float64(k))
		d := geom.V{X: cos, Z: sin}
		a, b := one.All(geom.V{}, d, 5, nil), two.All(down, d, 5, nil)
		if len(a) != len(b) {
			t.Fatalf("%d and %d", len(a), len(b))
		}
		for i := range a {
			if found++; math.Abs(a[i].T-b[i].T) > 1e-6 {
				t.Errorf("%v and %v", a[i], b[i])
			}
		}
	}
	if found == 0 {
		t.Error("nothing was met")
	}
}

// Meet stops as often as the shares say.
func TestMeetStopsByShares(t *testing.T) {
	f := New(Snow, 10, geom.V{X: 1}, geom.V{}, 0.01, 0, 1)
	for k := range 200 {
		sin, cos := math.Sincos(float64(k))
		d := geom.V{X: cos, Z: sin}
		left := 1.0
		for _, m := range f.All(geom.V{}, d, 8, nil) {
			left *= 1 - m.Share
		}
		stopped := 0
		for i := range 1000 {
			if _, ok := f.Meet(geom.V{}, d, 8, (float64(i)+0.5)/1000); ok {
				stopped++
			}
		}
		if got := float64(stopped) / 1000; math.Abs(got-(1-left)) > 0.0011 {
			t.Errorf("stopped %v, want %v", got, 1-left)
		}
	}
}

func BenchmarkMeet(b *testing.B) {
	f := New(Rain, 10, geom.V{X: 2}, geom.V{}, 0.02, 0, 1)
	for i := range b.N {
		sin, cos := math.Sincos(float64(i))
		f.Meet(geom.V{}, geom.V{X: cos, Z: sin}, 50, 0.5)
	}
}
