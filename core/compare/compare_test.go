package compare

import (
	"errors"
	"image"
	"image/color"
	"math"
	"testing"

	"visator/core/finish"
	"visator/core/geom"
	"visator/core/surface"
)

func plain(w, h int, c color.NRGBA) *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		m.SetNRGBA(i%w, i/w, c)
	}
	return m
}

// Of two plain colours no blur takes anything away: they are as far apart as CIEDE2000 says of them.
func TestPlainPicturesAreAsFarApartAsTheirColours(t *testing.T) {
	for _, c := range [][2]color.NRGBA{
		{{120, 130, 90, 255}, {120, 130, 90, 255}}, {{120, 130, 90, 255}, {124, 128, 92, 255}},
		{{200, 40, 40, 255}, {40, 60, 180, 255}}, {{0, 0, 0, 255}, {255, 255, 255, 255}},
	} {
		d, err := Pictures(plain(40, 30, c[0]), plain(40, 30, c[1]), PerDegree)
		if err != nil {
			t.Fatal(err)
		}
		lab := func(c color.NRGBA) surface.Lab {
			at := func(v uint8) float64 { return finish.Decode(float64(v) / 255) }
			return surface.CIE(geom.V{X: at(c.R), Y: at(c.G), Z: at(c.B)})
		}
		want := surface.Apart(lab(c[0]), lab(c[1]))
		if math.Abs(d.Mean-want) > 0.02+0.001*want || math.Abs(d.Most-want) > 0.06 {
			t.Errorf("%v: mean %v, most %v, want %v", c, d.Mean, d.Most, want)
		}
	}
}

// A board so fine that no eye parts its squares looks grey; one of squares as wide as half a degree does not.
func TestWhatIsTooFineIsNotSeen(t *testing.T) {
	board := func(side int) *image.NRGBA {
		m := plain(260, 260, color.NRGBA{})
		for i := range 260 * 260 {
			v := uint8(0)
			if (i%260/side+i/260/side)%2 == 0 {
				v = 255
			}
			m.SetNRGBA(i%260, i/260, color.NRGBA{v, v, v, 255})
		}
		return m
	}
	grey := plain(260, 260, color.NRGBA{188, 188, 188, 255}) // half the light
	fine, err := Pictures(board(1), grey, 4*PerDegree)       // from four metres
	if err != nil {
		t.Fatal(err)
	}
	wide, _ := Pictures(board(32), grey, PerDegree)
	if !(fine.Mean < 1.5) || !(wide.Mean > 15) {
		t.Errorf("a fine board is %v from grey, a wide one %v", fine.Mean, wide.Mean)
	}
	swapped, _ := Pictures(grey, board(32), PerDegree)
	if math.Abs(swapped.Mean-wide.Mean) > 1e-9 {
		t.Errorf("one way %v, the other %v", wide.Mean, swapped.Mean)
	}
	if _, err := Pictures(grey, plain(3, 3, color.NRGBA{}), PerDegree); !errors.Is(err, ErrSize) {
		t.Errorf("pictures of two sizes: %v", err)
	}
}

// What is changed in a corner is told there.
func TestADifferenceIsWhereItIs(t *testing.T) {
	a, b := plain(120, 80, color.NRGBA{90, 90, 90, 255}), plain(120, 80, color.NRGBA{90, 90, 90, 255})
	for y := range 20 {
		for x := range 20 {
			b.SetNRGBA(x, y, color.NRGBA{130, 90, 90, 255})
		}
	}
	d, err := Pictures(a, b, PerDegree)
	if err != nil {
		t.Fatal(err)
	}
	if !(d.Apart[10*120+10] > 10) || d.Apart[70*120+110] > 1 || d.Seen > 0.5 || d.Seen < 0.04 {
		t.Errorf("%v in the corner, %v far from it, %v of the picture", d.Apart[10*120+10], d.Apart[70*120+110], d.Seen)
	}
	m := Heat(d.Apart, 120, 80, 20)
	near, far := m.NRGBAAt(10, 10), m.NRGBAAt(110, 70)
	if int(near.R)+int(near.G) <= int(far.R)+int(far.G)+60 {
		t.Errorf("the heat is %v in the corner, %v far from it", near, far)
	}
}
