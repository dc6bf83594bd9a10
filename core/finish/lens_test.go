package finish

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
)

// ramps is a picture of which red is the column, green the row, and blue their sum.
func ramps(w, h int) *Pixels {
	p := &Pixels{Width: w, Height: h}
	for y := range h {
		for x := range w {
			p.RGB = append(p.RGB, float32(x), float32(y), float32(x+y))
		}
	}
	return p
}

// Of a picture that tells its own columns and rows, a bent one tells where each pixel came from: corners stay where they
// are in a barrel, the middle stays in both, and between them it is the first term of Brown's formula, worked out here
// by its own way. Cubics through a ramp give the ramp, so that nothing but the edges is left out.
func TestDistortionFollowsBrown(t *testing.T) {
	const w, h = 160, 90
	half := math.Hypot(w, h) / 2
	for _, d := range []Distortion{{Bend: 0.2}, {Bend: -0.15}, {Fringe: 4}, {Bend: 0.1, Fringe: -3}} {
		p := ramps(w, h)
		d.Apply(p)
		enlarged := 1.0
		if d.Bend > 0 {
			enlarged = 1 + d.Bend
		}
		for y := 3; y < h-3; y++ {
			for x := 3; x < w-3; x++ {
				dx, dy := float64(x)+0.5-w/2, float64(y)+0.5-h/2
				r := math.Hypot(dx, dy) / half
				k := (1 + d.Bend*r*r) / enlarged
				f := d.Fringe / 1000
				red, green, blue := k*(1-f-math.Abs(f)), k*(1-math.Abs(f)), k*(1+f-math.Abs(f))
				want := geom.V{X: w/2 + dx*red - 0.5, Y: h/2 + dy*green - 0.5, Z: w/2 + h/2 + (dx+dy)*blue - 1}
				if got := p.at(x, y); got.Sub(want).Len() > 1e-3 {
					t.Fatalf("%+v at %d, %d: %v, not %v", d, x, y, got, want)
				}
			}
		}
	}
	for _, d := range []Distortion{{Bend: 0.5, Fringe: 10}, {Bend: -0.3, Fringe: -10}, {Bend: 0.3}} {
		for _, s := range d.scales() { // no corner asks for what lies beyond it, nor does the middle turn back
			if at := s * (1 + d.Bend); !(at > 0 && at <= 1+1e-12) {
				t.Errorf("%+v asks for %v of the way to the corner", d, at)
			}
		}
	}
}

// What shines is not rung about by darkness, and nothing is brighter than what is beside it.
func TestBendingDoesNotRing(t *testing.T) {
	p := flat(40, 30, geom.V{X: 0.2, Y: 0.2, Z: 0.2})
	for c := range 3 {
		p.RGB[3*(15*40+20)+c] = 1e5
	}
	(&Distortion{Bend: 0.13, Fringe: 2}).Apply(p)
	for i, x := range p.RGB {
		if x < 0.2-1e-6 || x > 1e5 {
			t.Fatalf("value %d is %v", i, x)
		}
	}
}

func TestOcclusionIsLaidOverByAPart(t *testing.T) {
	p := flat(2, 1, geom.V{X: 1, Y: 2, Z: 4})
	(&Occlusion{Amount: 0.5}).Apply(p)
	if p.at(0, 0) != (geom.V{X: 1, Y: 2, Z: 4}) {
		t.Error("a picture without the layer is changed")
	}
	p.Unhidden = []float32{1, 0.2}
	(&Occlusion{Amount: 0.5}).Apply(p)
	if got := p.at(1, 0); p.at(0, 0).Y != 2 || got.Sub(geom.V{X: 0.6, Y: 1.2, Z: 2.4}).Len() > 1e-6 {
		t.Errorf("%v and %v", p.at(0, 0), got)
	}
}

// An own curve goes through what was set, at the stops that are told, and never turns back.
func TestAnOwnCurveGoesThroughItsPoints(t *testing.T) {
	c := Toned{Minus6: 0.02, Minus4: 0.1, Minus2: 0.2, Grey: 0.5, Plus2: 0.8, Plus4: 0.95}
	for stops, want := range map[float64]float64{-9: 0, -8: 0, -6: 0.02, -4: 0.1, -2: 0.2, 0: 0.5, 2: 0.8, 4: 0.95,
		6: 1, 12: 1} {
		near(t, "of the screen", Encode(c.own(0.18*math.Exp2(stops))), want, 1e-9)
	}
	last := 0.0
	for x := 1e-6; x < 100; x *= 1.01 {
		if y := c.own(x); y < last {
			t.Fatalf("at %v it turns back", x)
		} else {
			last = y
		}
	}
}

// Light that is spread in a picture of a quarter of the size lies where a Gaussian has it, and none of it is lost: held
// against the sum of the Gaussian itself, of which three boxes miss some percent, and against the boxes in full size.
func TestWideSpreadIsAGaussian(t *testing.T) {
	const w, h, deviation = 128, 96, 13.0
	rgb := make([]float32, 3*w*h)
	rng := rand.New(rand.NewPCG(3, 1))
	type spot struct{ x, y, v float64 }
	var spots []spot
	for range 40 { // far enough from the edges that nothing falls over them
		x, y, v := 44+rng.IntN(40), 40+rng.IntN(16), rng.Float64()*100
		rgb[3*(y*w+x)] += float32(v)
		spots = append(spots, spot{float64(x), float64(y), v})
	}
	got, full := spread(rgb, w, h, deviation), append([]float32{}, rgb...)
	Blur(full, w, h, deviation)
	var sum, given, most, off, apart float64
	for _, s := range spots {
		given += s.v
	}
	for y := range h {
		for x := range w {
			want := 0.0
			for _, s := range spots {
				dx, dy := float64(x)-s.x, float64(y)-s.y
				want += s.v * math.Exp(-(dx*dx+dy*dy)/(2*deviation*deviation)) / (2 * math.Pi * deviation * deviation)
			}
			v := float64(got[3*(y*w+x)])
			sum, most, off = sum+v, max(most, want), max(off, math.Abs(v-want))
			apart = max(apart, math.Abs(v-float64(full[3*(y*w+x)])))
		}
	}
	near(t, "light", sum/given, 1, 0.01)
	if off > 0.07*most || apart > 0.04*most {
		t.Errorf("up to %.1f %% of the brightest are missed, by the boxes %.1f %%", 100*off/most, 100*apart/most)
	}
}
