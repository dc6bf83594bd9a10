package render

import (
	"math"
	"testing"

	"visator/core/air"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/points"
)

// Beside the sun a lamp is asked seldom, on ground and in the air, and still gives on the mean all that it gives: as
// much brighter is the picture with both than with the sun alone as the lamp alone makes it.
func TestWhatIsAskedSeldomGivesItsLight(t *testing.T) {
	suns := []Sun{{To: geom.V{Y: 1}, Lux: geom.V{X: 500, Y: 500, Z: 500}}}
	for _, c := range []struct {
		name string
		cd   float64
		air  bool
		off  float64
	}{{"ground", 60, false, 0.02}, {"faint in the air", 120, true, 0.03}, {"bright in the air", 2000, true, 0.02}} {
		lamps := []lamp.Lamp{{At: geom.V{Y: 2, Z: 3}, Candela: geom.V{X: c.cd, Y: c.cd, Z: c.cd}}}
		light := func(suns []Sun, lamps []lamp.Lamp) float64 {
			k := &testScene{}
			k.add(floor(k.surface(grey(0.5, 1, 0)), 60))
			s := k.build(t)
			if s.Suns, s.Lamps = suns, lamps; c.air {
				s.Air = even(0.02, 0.9, 0)
				p := &s.Air.Parts[0]
				p.Shape, p.Inv = air.Ball, air.Within(geom.V{Y: 1, Z: 4}, geom.V{X: 8, Y: 8, Z: 8}, 0)
			}
			s.Build()
			return traced(t, s, look(geom.V{Y: 1.5, Z: 8}, geom.V{Z: 0.5}, 0.5),
				Options{Width: 40, Height: 40, Samples: 128, Seed: 4, Bounces: 2})
		}
		alone, both, sun := light(nil, lamps), light(suns, lamps), light(suns, nil)
		if share := alone / sun; share > 0.5 && c.cd < 1000 || share < 0.005 {
			t.Fatalf("%s: the lamp gives %v of the sun", c.name, share)
		}
		if got := both - sun; math.Abs(got-alone) > c.off*alone {
			t.Errorf("%s: the lamp gives %v beside the sun, %v alone", c.name, got, alone)
		}
	}
}

// Of light that is asked for with a chance as much more counts: the mean is what it was.
func TestSeldomKeepsTheMean(t *testing.T) {
	for _, about := range []float64{0, 0.001, 0.05, 0.124, 0.2, alwaysAsked} {
		tr := tracer{total: geom.V{X: 1, Y: 1, Z: 1}}
		sum, most := 0.0, 0.0
		const n = 1 << 14
		for i := range n {
			smp := points.New(3, 5, 7, i)
			tr.smp = &smp
			k := tr.seldom(about)
			sum, most = sum+k, max(most, k)
		}
		if math.Abs(sum/n-1) > 0.01 || most > 16 || about >= 0.125 && most != 1 {
			t.Errorf("about %v of what came: counts %v on the mean, %v at most", about, sum/n, most)
		}
	}
}
