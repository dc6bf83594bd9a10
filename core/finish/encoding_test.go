package finish

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
)

// SMPTE ST 2084: 100 cd/m² is 0.5081, 1000 is 0.7518, 10,000 is 1, nothing is nothing (its last digits: c1^m2).
func TestPQ(t *testing.T) {
	for luminance, want := range map[float64]float64{0: 7.3e-7, 100: 0.5081, 1000: 0.7518, 10_000: 1, 1e9: 1} {
		if got := PQ(luminance); math.Abs(got-want) > 5e-5 {
			t.Errorf("%v cd/m²: %v, want %v", luminance, got, want)
		}
	}
}

// ITU-R BT.709: the line ends at 0.018, where 0.081 is; BT.2087's matrix to BT.2020; that to P3 by the published
// primaries (the row of red: 0.8225, 0.1774, 0).
func TestEncodingsByTheirStandards(t *testing.T) {
	if v := rec709(0.018); math.Abs(v-0.081) > 5e-4 || rec709(1) != 1 || math.Abs(rec709(0.5)-0.7055) > 5e-4 {
		t.Errorf("0.018 is %v, 0.5 %v", v, rec709(0.5))
	}
	m := to2020()
	for i, want := range []geom.V{{X: 0.6274, Y: 0.3293, Z: 0.0433}, {X: 0.0691, Y: 0.9195, Z: 0.0114},
		{X: 0.0164, Y: 0.0880, Z: 0.8956}} {
		if m[i].Sub(want).Len() > 2e-4 {
			t.Errorf("row %d to BT.2020 is %v, want %v", i, m[i], want)
		}
	}
	if p := toP3(); p[0].Sub(geom.V{X: 0.8225, Y: 0.1774}).Len() > 2e-4 {
		t.Errorf("red of P3 is %v", p[0])
	}
	for _, name := range Encodings() {
		e, err := EncodingOf(name)
		if err != nil {
			t.Fatal(err)
		}
		if w := e.matrix.Of(geom.V{X: 1, Y: 1, Z: 1}); w.Sub(geom.V{X: 1, Y: 1, Z: 1}).Len() > 1e-6 {
			t.Errorf("%s: white is %v", name, w)
		}
	}
	if _, err := EncodingOf("grey"); err == nil {
		t.Error("grey is an encoding")
	}
}

// A picture in sRGB with 16 bits is what Develop makes, but finer; dithered to 8 bits its mean is kept where a step is
// ten times as wide as what it shows; the PNG says what it is, and is read by whoever knows nothing of that.
func TestPicturesAreWrittenInEncodings(t *testing.T) {
	const w, h = 64, 64
	color := make([]float32, 3*w*h)
	for i := range color {
		color[i] = float32(0.2 + 0.0001*float64(i/3%w)/w)
	}
	v := optics.Default()
	v.EV = 0
	v.Aspect = 1
	exact := 0.0
	for i := 0; i < len(color); i += 3 {
		r, _, _ := Neutral(float64(color[i])*Scale(0), float64(color[i])*Scale(0), float64(color[i])*Scale(0))
		exact += Encode(r) / w / h
	}
	for _, name := range Encodings() {
		e, _ := EncodingOf(name)
		for _, bits := range []int{8, 16} {
			var out bytes.Buffer
			if err := WritePNG(&out, &Linear{Width: w, Height: h, Color: color}, &v, nil, e, bits); err != nil {
				t.Fatal(err)
			}
			if want := []byte{'c', 'I', 'C', 'P', e.primaries, e.transfer, 0, 1}; !bytes.Contains(out.Bytes()[:64], want) {
				t.Errorf("%s does not say what it is", name)
			}
			m, err := png.Decode(&out)
			if err != nil {
				t.Fatal(err)
			}
			if name != "sRGB" {
				continue
			}
			mean := 0.0
			for y := range h {
				for x := range w {
					r, _, _, _ := m.At(x, y).RGBA()
					mean += float64(r) / 65535 / w / h
				}
			}
			if math.Abs(mean-exact) > 2e-4 {
				t.Errorf("%d bits: the mean is %v, of the values %v", bits, mean, exact)
			}
			if _, fine := m.(*image.NRGBA64); bits == 16 != fine {
				if _, fine := m.(*image.RGBA64); bits == 16 != fine {
					t.Errorf("%d bits: %T", bits, m)
				}
			}
		}
	}
}

// A finish as a table, laid over the picture without one, is the picture with it: within a step of the table.
func TestAFinishAsATable(t *testing.T) {
	chain := Chain{"white": json.RawMessage(`{"kelvin": 4500, "tint": 3}`),
		"grade": json.RawMessage(`{"slopeR": 1.1, "saturation": 1.2}`), "hues": json.RawMessage(`{"green": 0.4, "moreBlue": -0.5}`),
		"curve": json.RawMessage(`{"shadows": 0.2, "lights": 0.8}`), "falloff": json.RawMessage(`{"amount": 1}`)}
	c, err := chain.Cube("test")
	if err != nil {
		t.Fatal(err)
	}
	delete(chain, "falloff") // it is not in the table
	if err := chain.Check(); err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(4, 5))
	v := optics.Default()
	v.EV = 0
	k := float32(1 / Scale(0))
	var worst, sum float64
	const n = 600
	for range n {
		rgb := []float32{k * r.Float32() * r.Float32() * 1.2, k * r.Float32() * r.Float32() * 1.2, k * r.Float32() * r.Float32() * 1.2}
		at := func(c Chain) geom.V {
			m := c.applied(&Linear{Width: 1, Height: 1, Color: rgb}, &v, true)
			return geom.V{X: Encode(float64(m.RGB[0])), Y: Encode(float64(m.RGB[1])), Z: Encode(float64(m.RGB[2]))}
		}
		d := c.At(at(nil)).Sub(at(chain)).Len()
		worst, sum = max(worst, d), sum+d/n
	}
	if sum > 0.01 || worst > 0.15 {
		t.Errorf("the table is off by %v, at most %v", sum, worst)
	}
	for range 2000 { // what the neutral tone makes of a colour is undone
		c := geom.V{X: 3 * r.Float64() * r.Float64(), Y: 3 * r.Float64() * r.Float64(), Z: 3 * r.Float64() * r.Float64()}
		x, y, z := Neutral(c.X, c.Y, c.Z)
		if d := unneutral(geom.V{X: x, Y: y, Z: z}).Sub(c).Len(); d > 1e-6 {
			t.Fatalf("%v comes back off by %v", c, d)
		}
	}
}

// Hues: what is not turned stays; green turned towards yellow gets redder and keeps its lightness; grey stays grey. The
// curve begins as a line, rises where its points do, and goes through them.
func TestHuesAndCurve(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	none := &Hues{}
	for range 500 {
		c := geom.V{X: r.Float64(), Y: r.Float64(), Z: r.Float64()}
		if d := none.Of(c).Sub(c).Len(); d > 1e-5 {
			t.Fatalf("%v is changed by %v", c, d)
		}
	}
	h := &Hues{Green: -0.5}
	if g := h.Of(geom.V{X: 0.1, Y: 0.5, Z: 0.1}); !(g.X > 0.13) {
		t.Errorf("green turned towards yellow is %v", g)
	}
	if g := h.Of(geom.V{X: 0.4, Y: 0.4, Z: 0.4}); g.Sub(geom.V{X: 0.4, Y: 0.4, Z: 0.4}).Len() > 1e-6 {
		t.Errorf("grey is %v", g)
	}
	if pale := (&Hues{MoreRed: -4, MoreYellow: -4, MoreMagenta: -4}).Of(geom.V{X: 0.6, Y: 0.1, Z: 0.1}); pale.X-pale.Y > 0.1 {
		t.Errorf("pale red is %v", pale)
	}
	line := &Curve{0, 0.25, 0.5, 0.75, 1}
	bent := &Curve{0.05, 0.2, 0.5, 0.9, 0.95}
	last := -1.0
	for i := range 1001 {
		x := float64(i) / 1000
		if math.Abs(line.At(x)-x) > 1e-9 {
			t.Fatalf("the line is %v at %v", line.At(x), x)
		}
		if y := bent.At(x); y < last {
			t.Fatalf("the curve falls at %v", x)
		} else {
			last = y
		}
	}
	for i, want := range []float64{0.05, 0.2, 0.5, 0.9, 0.95} {
		if got := bent.At(float64(i) / 4); math.Abs(got-want) > 1e-9 {
			t.Errorf("at %v quarters it is %v, want %v", i, got, want)
		}
	}
}
