package surface

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/chroma"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/light"
)

// The 34 pairs of Sharma, Wu and Dalal (2005, table 1; written down from memory, and borne out to their four places).
func TestCIEDE2000(t *testing.T) {
	for i, p := range [][7]float64{
		{50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425}, {50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615},
		{50, 2.8361, -74.0200, 50, 0, -82.7485, 3.4412}, {50, -1.3802, -84.2814, 50, 0, -82.7485, 1.0000},
		{50, -1.1848, -84.8006, 50, 0, -82.7485, 1.0000}, {50, -0.9009, -85.5211, 50, 0, -82.7485, 1.0000},
		{50, 0, 0, 50, -1, 2, 2.3669}, {50, -1, 2, 50, 0, 0, 2.3669},
		{50, 2.4900, -0.0010, 50, -2.4900, 0.0009, 7.1792}, {50, 2.4900, -0.0010, 50, -2.4900, 0.0010, 7.1792},
		{50, 2.4900, -0.0010, 50, -2.4900, 0.0011, 7.2195}, {50, 2.4900, -0.0010, 50, -2.4900, 0.0012, 7.2195},
		{50, -0.0010, 2.4900, 50, 0.0009, -2.4900, 4.8045}, {50, -0.0010, 2.4900, 50, 0.0010, -2.4900, 4.8045},
		{50, -0.0010, 2.4900, 50, 0.0011, -2.4900, 4.7461}, {50, 2.5, 0, 50, 0, -2.5, 4.3065},
		{50, 2.5, 0, 73, 25, -18, 27.1492}, {50, 2.5, 0, 61, -5, 29, 22.8977}, {50, 2.5, 0, 56, -27, -3, 31.9030},
		{50, 2.5, 0, 58, 24, 15, 19.4535}, {50, 2.5, 0, 50, 3.1736, 0.5854, 1.0000},
		{50, 2.5, 0, 50, 3.2972, 0, 1.0000}, {50, 2.5, 0, 50, 1.8634, 0.5757, 1.0000},
		{50, 2.5, 0, 50, 3.2592, 0.3350, 1.0000},
		{60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644},
		{63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630},
		{61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731},
		{35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645},
		{22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373},
		{36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146},
		{90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441},
		{90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381},
		{6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377},
		{2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082},
	} {
		got := Apart(Lab{L: p[0], A: p[1], B: p[2]}, Lab{L: p[3], A: p[4], B: p[5]})
		if math.Abs(got-p[6]) > 6e-5 {
			t.Errorf("pair %d: %.5f, want %.4f", i+1, got, p[6])
		}
	}
}

// Its author's table of four colours of XYZ (Ottosson 2020), by the matrix of Rec.709.
func TestOKLab(t *testing.T) {
	rgb := func(x, y, z float64) geom.V {
		return geom.V{X: 3.2404542*x - 1.5371385*y - 0.4985314*z, Y: -0.9692660*x + 1.8760108*y + 0.0415560*z,
			Z: 0.0556434*x - 0.2040259*y + 1.0572252*z}
	}
	for _, c := range []struct{ xyz, lab [3]float64 }{
		{[3]float64{0.950, 1, 1.089}, [3]float64{1, 0, 0}}, {[3]float64{1, 0, 0}, [3]float64{0.450, 1.236, -0.019}},
		{[3]float64{0, 1, 0}, [3]float64{0.922, -0.671, 0.263}}, {[3]float64{0, 0, 1}, [3]float64{0.153, -1.415, -0.449}},
	} {
		got := chroma.OK(rgb(c.xyz[0], c.xyz[1], c.xyz[2]))
		if math.Abs(got.L-c.lab[0]) > 1.5e-3 || math.Abs(got.A-c.lab[1]) > 1.5e-3 || math.Abs(got.B-c.lab[2]) > 1.5e-3 {
			t.Errorf("%v: %.4f, want %v", c.xyz, got, c.lab)
		}
	}
	r := rand.New(rand.NewPCG(1, 1))
	for range 1000 {
		c := geom.V{X: r.Float64(), Y: r.Float64(), Z: r.Float64()}
		if back := chroma.OK(c).Linear(); back.Sub(c).Len() > 1e-6 {
			t.Fatalf("%v comes back as %v", c, back)
		}
	}
}

// White and black of CIELAB, and red as the standard's own figures give it: L 53.24, a 80.09, b 67.20.
func TestCIELAB(t *testing.T) {
	for c, want := range map[geom.V]Lab{
		{X: 1, Y: 1, Z: 1}: {L: 100}, {}: {}, {X: 1}: {L: 53.24, A: 80.09, B: 67.20}} {
		if got := CIE(c); math.Abs(got.L-want.L) > 0.02 || math.Abs(got.A-want.A) > 0.02 || math.Abs(got.B-want.B) > 0.02 {
			t.Errorf("%v: %v, want %v", c, got, want)
		}
	}
}

func TestColorsAsTheyAreWritten(t *testing.T) {
	for text, want := range map[string]string{"#8a8a7a": "#8a8a7a", " #F80 ": "#ff8800", "rgb(138, 138, 122)": "#8a8a7a",
		"rgb(100% 0% 60%)": "#ff0099", "hsl(120 100% 25%)": "#008000", "hsl(-240deg, 100%, 50%)": "#00ff00",
		"linear(1 0.5 0)": "#ffbc00", "oklch(62.8% 0.2577 29.23)": "#ff0000", "oklch(0.5 0 0)": "#636363",
		"rgb(300 0 0)": "#ff0000"} {
		c, err := ParseColor(text)
		if got := light.HexOf(c); err != nil || got != want {
			t.Errorf("%s is %s, want %s: %v", text, got, want, err)
		}
	}
	for _, text := range []string{"", "#", "#12", "#12345g", "rgb(1 2)", "rgb(1 2 x)", "cmyk(1 2 3)", "linear(nan 0 0)",
		"rgb(1e999 0 0)", "\x00", "oklch(1 2 3"} {
		if c, err := ParseColor(text); err == nil {
			t.Errorf("%q is %v", text, c)
		}
	}
}

func FuzzParseColor(f *testing.F) {
	for _, s := range []string{"#8a8a7a", "hsl(1 2% 3%)", "oklch(1 1 1)", "linear(1e308 0 0)"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if c, err := ParseColor(s); err == nil && !(c.Max() <= 1 && min(c.X, c.Y, c.Z) >= 0) {
			t.Errorf("%q is %v", s, c)
		}
	})
}

func painted(w, h int, at func(x, y int) color.NRGBA) *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			m.SetNRGBA(x, y, at(x, y))
		}
	}
	return m
}

// A picture of four flat colours has these colours by their shares; with noise about them it has nearly the same.
func TestPalette(t *testing.T) {
	flat := []color.NRGBA{{200, 40, 40, 255}, {30, 60, 120, 255}, {230, 220, 200, 255}, {60, 90, 50, 255}}
	at := []int{0, 40, 70, 90, 100}
	r := rand.New(rand.NewPCG(2, 2))
	for _, noise := range []float64{0, 8} {
		m := painted(100, 80, func(x, _ int) color.NRGBA {
			k := 0
			for x >= at[k+1] {
				k++
			}
			c := flat[k]
			of := func(v uint8) uint8 { return uint8(min(max(float64(v)+noise*(r.Float64()-0.5), 0), 255)) }
			return color.NRGBA{of(c.R), of(c.G), of(c.B), 255}
		})
		got := Palette(4, m)
		if len(got) != 4 {
			t.Fatalf("%v", got)
		}
		for k := range got {
			c, _ := ParseColor(got[k].Color)
			want := geom.V{X: finish.Decode(float64(flat[k].R) / 255), Y: finish.Decode(float64(flat[k].G) / 255),
				Z: finish.Decode(float64(flat[k].B) / 255)}
			if d := Apart(CIE(c), CIE(want)); d > 1 || math.Abs(got[k].Share-float64(at[k+1]-at[k])/100) > 0.005 {
				t.Errorf("colour %d is %v, %.2f from what was painted", k, got[k], d)
			}
			if d, i := Off(want, got); d > 1 || i != k {
				t.Errorf("colour %d is %.2f off, at %d", k, d, i)
			}
		}
	}
	grey := painted(10, 10, func(int, int) color.NRGBA { return color.NRGBA{128, 128, 128, 255} })
	if got := Palette(5, grey); len(got) != 1 || got[0].Share != 1 || got[0].Color != "#808080" {
		t.Errorf("of one grey: %v", got)
	}
	if got := Palette(5, image.NewNRGBA(image.Rect(0, 0, 4, 4))); got != nil {
		t.Errorf("of nothing: %v", got)
	}
}

// Pulled all the way a colour is the other, by nothing it stays, and half way it is as far from both.
func TestPulled(t *testing.T) {
	a, b := geom.V{X: 0.6, Y: 0.1, Z: 0.1}, geom.V{X: 0.2, Y: 0.3, Z: 0.5}
	if Pulled(a, b, 0).Sub(a).Len() > 1e-6 || Pulled(a, b, 1).Sub(b).Len() > 1e-6 {
		t.Error("its ends")
	}
	half := chroma.OK(Pulled(a, b, 0.5))
	if d, e := away(half, chroma.OK(a)), away(half, chroma.OK(b)); math.Abs(d-e) > 1e-6 {
		t.Errorf("%v and %v away", d, e)
	}
}

// BenchmarkPalette is of a picture of 12 megapixels.
func BenchmarkPalette(b *testing.B) {
	m := painted(4000, 3000, func(x, y int) color.NRGBA {
		return color.NRGBA{uint8(x >> 4), uint8(y >> 4), uint8((x*y)>>12 + x&7), 255}
	})
	b.ResetTimer()
	for range b.N {
		Palette(8, m)
	}
}

// Temperatures as colours, within a few levels of what Mitchell Charity's table of black bodies in sRGB has (from
// memory).
func TestTemperaturesAsColors(t *testing.T) {
	for text, want := range map[string][3]int{"3000 K": {255, 180, 107}, "6500k": {255, 249, 253}, "10000 K": {204, 219, 255}} {
		c, err := ParseColor(text)
		var got [3]int
		if _, e := fmt.Sscanf(light.HexOf(c), "#%02x%02x%02x", &got[0], &got[1], &got[2]); err != nil || e != nil {
			t.Fatal(text, err, e)
		}
		for i := range got {
			if got[i] < want[i]-9 || got[i] > want[i]+9 {
				t.Errorf("%s is %v, want about %v", text, got, want)
			}
		}
	}
	for _, text := range []string{"999 K", "50000k", "k", "nan k", "1e9K"} {
		if c, err := ParseColor(text); err == nil {
			t.Errorf("%q is %v", text, c)
		}
	}
}

// The accent of a palette is its most colourful; louder is what is nearly as colourful and of another hue: not a paler
// one, not one of its own hue, not grey.
func TestOneAccent(t *testing.T) {
	accent := Accent([]Swatch{{"#808080", 0.6}, {"#c03028", 0.05}, {"#6a7a8a", 0.3}, {"nothing", 1}})
	if accent.Color != "#c03028" || accent.Share != 0.05 {
		t.Fatalf("%+v", accent)
	}
	for hex, want := range map[string]bool{"#2050c8": true, "#20a040": true, "#c03028": false, "#d02040": false,
		"#808080": false, "#7080a0": false, "#000000": false} {
		if got := Louder(light.Hex(hex), accent); got != want {
			t.Errorf("%s: %v", hex, got)
		}
	}
	if a := Accent(nil); a != (Swatch{}) || Louder(light.Hex("#ff0000"), a) {
		t.Error("no palette has an accent")
	}
}
