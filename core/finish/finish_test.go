package finish

import (
	"math"
	"testing"
)

func near(t *testing.T, what string, got, want, tol float64) {
	t.Helper()
	if math.Abs(got-want) > tol {
		t.Errorf("%s: %v, want %v", what, got, want)
	}
}

// IEC 61966-2-1: linear 0.5 is 0.7354 encoded; encoded 0.5 is 0.2140 linear.
func TestTransferFunction(t *testing.T) {
	near(t, "encode", Encode(0.5), 0.7354, 0.00005)
	near(t, "decode", Decode(0.5), 0.2140, 0.00005)
	for i := range 256 {
		near(t, "there and back", Encode(Decode(float64(i)/255)), float64(i)/255, 1e-6)
	}
}

// ISO 12232, saturation-based speed: 1.2 · 2^EV100 cd/m² saturates.
func TestExposureSaturates(t *testing.T) {
	near(t, "EV 0", 1.2*Scale(0), 1, 1e-12)
	near(t, "EV 10", 1.2*1024*Scale(10), 1, 1e-12)
}

// Khronos PBR Neutral: base colours of 8 to 80 percent reflectance, lit by a
// light that gives them back with the 4 percent of the specular lobe, keep
// their value; the far end approaches 1 and never turns back.
func TestNeutralToneMapperKeepsBaseColoursAndRollsOff(t *testing.T) {
	r, g, b := Neutral(0.54, 0.34, 0.14)
	near(t, "red", r, 0.50, 1e-12)
	near(t, "green", g, 0.30, 1e-12)
	near(t, "blue", b, 0.10, 1e-12)
	last := 0.0
	for x := 0.0; x < 100; x += 0.01 {
		v, _, _ := Neutral(x, x, x)
		if v < last || v > 1 {
			t.Fatalf("at %v it goes from %v to %v", x, last, v)
		}
		last = v
	}
}

func TestMeasuredExposureBringsGreyToGrey(t *testing.T) {
	pix := make([]float32, 300)
	for i := range pix {
		pix[i] = 500
	}
	near(t, "grey", 500*Scale(Measure(pix)), 0.18, 1e-6)
}

func TestPictureIsOpaqueAndClipped(t *testing.T) {
	img := Picture([]float32{0, 0, 0, 1e9, 1e9, 1e9, float32(math.NaN()), -1, 2}, 3, 1, 0)
	if img.Pix[0] != 0 || img.Pix[4] < 250 || img.Pix[3] != 255 || img.Pix[11] != 255 {
		t.Errorf("%v", img.Pix)
	}
}
