package finish

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/chroma"
	"visator/core/geom"
	"visator/core/optics"
)

// flat is a picture of one colour.
func flat(w, h int, c geom.V) *Pixels {
	p := &Pixels{Width: w, Height: h}
	for range w * h {
		p.RGB = append(p.RGB, float32(c.X), float32(c.Y), float32(c.Z))
	}
	return p
}

func (p *Pixels) at(x, y int) geom.V {
	i := 3 * (y*p.Width + x)
	return geom.V{X: float64(p.RGB[i]), Y: float64(p.RGB[i+1]), Z: float64(p.RGB[i+2])}
}

// A grey thing in the light of a lamp is grey once the picture is balanced for that lamp, whichever it is, and a picture
// that is balanced for what was clicked is grey there.
func TestGreyIsGreyInItsLight(t *testing.T) {
	for _, kelvin := range []float64{2400, 2856, 4000, 6504, 9000} {
		for _, tint := range []float64{-12, 0, 9} {
			lit := chroma.ToRec709.Of(chroma.White(kelvin, greener+tint/1000)).Mul(0.18)
			if min(lit.X, lit.Y, lit.Z) < 0 {
				continue // outside of Rec.709
			}
			w := WhiteOf(lit)
			if math.Abs(w.Kelvin-kelvin) > 0.005*kelvin || math.Abs(w.Tint-tint) > 0.3 {
				t.Errorf("light of %v K, tint %v, is told as %+v", kelvin, tint, w)
			}
			p := flat(2, 2, lit)
			w.Apply(p)
			c := p.at(1, 1)
			if mean := (c.X + c.Y + c.Z) / 3; math.Abs(c.X-mean) > 0.004*mean || math.Abs(c.Z-mean) > 0.004*mean {
				t.Errorf("%v K, tint %v: grey is %v", kelvin, tint, c)
			}
		}
	}
	if w := WhiteOf(geom.V{}); w.Kelvin != daylight {
		t.Errorf("of black: %+v", w)
	}
}

// The formula of ASC CDL 1.2, worked out by hand: out = (in·slope + offset)^power, luma 0.2126 0.7152 0.0722.
func TestCDL(t *testing.T) {
	c := CDL{SlopeR: 1.2, SlopeG: 0.9, SlopeB: 1, OffsetR: 0.05, OffsetG: -0.1, PowerR: 1, PowerG: 2, PowerB: 0.5,
		Saturation: 1}
	got := c.Of(geom.V{X: 0.5, Y: 0.5, Z: 0.25})
	if want := (geom.V{X: 0.65, Y: 0.1225, Z: 0.5}); got.Sub(want).Len() > 1e-12 {
		t.Errorf("%v, not %v", got, want)
	}
	c = CDL{SlopeR: 1, SlopeG: 1, SlopeB: 1, PowerR: 1, PowerG: 1, PowerB: 1}
	if got = c.Of(geom.V{X: 1, Y: 0.5, Z: 0}); got.Sub(geom.V{X: 0.5702, Y: 0.5702, Z: 0.5702}).Len() > 1e-12 {
		t.Errorf("without saturation it is %v", got)
	}
	c.Saturation = 2
	if got = c.Of(geom.V{X: 0.5, Y: 0.4, Z: 0.3}); math.Abs(got.X-(2*0.5-0.41404)) > 1e-12 {
		t.Errorf("twice as saturated it is %v", got)
	}
	c.OffsetR, c.PowerR = -1, 0.5
	if got = c.Of(geom.V{X: 0.5, Y: 0.5, Z: 0.5}); math.IsNaN(got.X) || got.X < 0 {
		t.Errorf("below black it is %v", got)
	}
}

// Every tone keeps order and stays within 0 to 1; the logarithmic one keeps middle grey, is smooth there, and brings
// what is very bright to white.
func TestTones(t *testing.T) {
	for _, by := range tones {
		last := -1.0
		for stops := -12.0; stops < 12; stops += 0.125 {
			p := flat(1, 1, geom.V{X: 1, Y: 1, Z: 1}.Mul(middle*math.Exp2(stops)))
			(&Toned{By: by}).Apply(p)
			c := p.at(0, 0)
			if c.X < last-1e-6 || min(c.X, c.Y, c.Z) < 0 || c.Max() > 1.000001 {
				t.Fatalf("%s: %v stops become %v after %v", by, stops, c, last)
			}
			last = c.X
		}
		if last < 0.9 {
			t.Errorf("%s: 12 stops above grey are %v", by, last)
		}
	}
	grey := logarithmic(geom.V{X: middle, Y: middle, Z: middle})
	if math.Abs(grey.X-middle) > 1e-9 {
		t.Errorf("grey is %v", grey)
	}
	slope := func(x float64) float64 {
		const d = 1e-5
		return (Encode(curve(x+d)) - Encode(curve(x))) / d
	}
	const pivot = below / (below + above)
	if a, b := slope(pivot-2e-5), slope(pivot+1e-5); math.Abs(a-steepness) > 0.01 || math.Abs(b-steepness) > 0.01 {
		t.Errorf("about grey it rises by %v and %v", a, b)
	}
	if c := logarithmic(geom.V{X: 500, Y: 2, Z: 2}); c.Y < 0.5 {
		t.Errorf("a red that is very bright is %v, not nearly white", c)
	}
	// Narkowicz's fit is the Academy's curve: of 0 black, and never above 1.
	if filmPrint(0) != 0 || filmPrint(1e9) > 1 || math.Abs(filmPrint(0.18/0.6)-0.2669) > 0.001 {
		t.Errorf("%v %v %v", filmPrint(0), filmPrint(1e9), filmPrint(0.18/0.6))
	}
}

// Light that is spread is not lost, and a point becomes round and falls off; none of it spread, nothing changes.
func TestBloomKeepsLight(t *testing.T) {
	p := flat(121, 121, geom.V{})
	p.RGB[3*(60*121+60)] = 1000
	(&Bloom{Amount: 0.5, Wide: 0.1}).Apply(p)
	sum := 0.0
	for i := 0; i < len(p.RGB); i += 3 {
		sum += float64(p.RGB[i])
	}
	if math.Abs(sum-1000) > 1 {
		t.Errorf("of 1000 there is %v", sum)
	}
	right, up, diagonal, far := p.at(66, 60).X, p.at(60, 54).X, p.at(64, 64).X, p.at(90, 60).X
	if math.Abs(right-up) > 0.02*right || math.Abs(diagonal-right) > 0.25*right || !(far < right/4) || p.at(60, 60).X < 500 {
		t.Errorf("right %v, up %v, diagonal %v, far %v", right, up, diagonal, far)
	}
}

// The spread is that of a Gaussian: its variance is the square of the deviation, to the width of a pixel.
func TestBlurIsAsWideAsAsked(t *testing.T) {
	for _, deviation := range []float64{2, 5, 11} {
		const n = 201
		list := make([]float32, 3*n*n)
		list[3*(100*n+100)] = 1
		Blur(list, n, n, deviation)
		sum, square := 0.0, 0.0
		for y := range n {
			for x := range n {
				v := float64(list[3*(y*n+x)])
				sum, square = sum+v, square+v*float64((x-100)*(x-100))
			}
		}
		if got := math.Sqrt(square / sum); math.Abs(got-deviation) > 0.5 || math.Abs(sum-1) > 1e-4 {
			t.Errorf("asked for %v it is %v, of %v", deviation, got, sum)
		}
	}
}

// Grain is as strong as asked in the middle tones, none on black and white, of mean none, and the same for the same
// seed; an edge that is sharpened is steeper, and what is even stays.
func TestGrainAndSharpening(t *testing.T) {
	for _, size := range []float64{1, 4} {
		p := flat(200, 200, geom.V{X: Decode(0.5), Y: Decode(0.5), Z: Decode(0.5)})
		(&Grained{Amount: 0.2, Size: size, Seed: 3}).Apply(p)
		sum, square := 0.0, 0.0
		for i := 0; i < len(p.RGB); i += 3 {
			v := Encode(float64(p.RGB[i])) - 0.5
			sum, square = sum+v/40000, square+v*v/40000
		}
		if want := 0.25 * 0.2 * 0.5; math.Abs(sum) > 0.004 || math.Abs(math.Sqrt(square)-want) > 0.1*want {
			t.Errorf("size %v: mean %v, deviation %v, not %v", size, sum, math.Sqrt(square), want)
		}
	}
	for _, v := range []float64{0, 1} {
		p := flat(20, 20, geom.V{X: v, Y: v, Z: v})
		(&Grained{Amount: 1, Size: 2}).Apply(p)
		if c := p.at(7, 7); math.Abs(c.X-v) > 1e-6 {
			t.Errorf("on %v there is grain: %v", v, c)
		}
	}
	p := flat(20, 1, geom.V{X: 0.2, Y: 0.2, Z: 0.2})
	for x := 10; x < 20; x++ {
		p.RGB[3*x] = 0.6
	}
	(&Sharpen{Amount: 1, Radius: 2}).Apply(p)
	if l, r, even := p.at(9, 0).X, p.at(10, 0).X, p.at(0, 0).X; r-l < 0.5 || math.Abs(even-0.2) > 1e-3 {
		t.Errorf("the edge goes from %v to %v, even it is %v", l, r, even)
	}
}

// Cut to 2:1, of a picture of 100 x 100 the middle 50 rows are left.
func TestLetterbox(t *testing.T) {
	p := flat(100, 100, geom.V{X: 1, Y: 1, Z: 1})
	(&Letterbox{On: true, Aspect: 2}).Apply(p)
	left := 0
	for y := range 100 {
		if p.at(50, y).X == 1 {
			left++
		}
	}
	if left != 50 || p.at(0, 50).X != 1 || p.at(50, 10).X != 0 {
		t.Errorf("%d rows are left", left)
	}
}

// Whatever is set, within what the fields allow, the picture is one.
func FuzzSteps(f *testing.F) {
	f.Add(uint64(1), 3200.0, 5.0, 1.2, 0.3, 0.4)
	f.Fuzz(func(t *testing.T, seed uint64, kelvin, tint, slope, amount, wide float64) {
		r := rand.New(rand.NewPCG(seed, 9))
		color := make([]float32, 3*12*9)
		for i := range color {
			color[i] = float32(r.ExpFloat64() * math.Exp(10*r.NormFloat64()))
		}
		raw := func(v any) json.RawMessage {
			b, err := json.Marshal(v)
			if err != nil {
				t.Skip()
			}
			return b
		}
		c := Chain{"white": raw(White{kelvin, tint}), "bloom": raw(Bloom{amount, wide}),
			"grade": raw(CDL{SlopeR: slope, SlopeG: 1, SlopeB: 1, PowerR: 1, PowerG: slope, PowerB: 1, Saturation: slope}),
			"tone":  raw(Toned{By: tones[seed%4]}), "grain": raw(Grained{amount, 2, seed}),
			"sharpen": raw(Sharpen{amount, 2})}
		if c.Check() != nil {
			t.Skip()
		}
		v := optics.Default()
		if img := Develop(&Linear{Width: 12, Height: 9, Color: color}, &v, c); len(img.Pix) != 4*12*9 {
			t.Error(len(img.Pix))
		}
	})
}
