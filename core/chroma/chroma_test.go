package chroma

import (
	"math"
	"testing"

	"visator/core/geom"
)

func near(t *testing.T, what string, got, want, off float64) {
	t.Helper()
	if !(math.Abs(got-want) <= off) {
		t.Errorf("%s is %v, not %v", what, got, want)
	}
}

// CIE 15: Planckian 6500 K 0.3135, 0.3237; illuminant A (2856 K) 0.4476, 0.4074.
func TestPlanckianChromaticity(t *testing.T) {
	for kelvin, want := range map[float64][2]float64{6500: {0.3135, 0.3237}, 2856: {0.4476, 0.4074}} {
		x, y := Planckian(kelvin)
		near(t, "x", x, want[0], 0.001)
		near(t, "y", y, want[1], 0.001)
	}
}

// White points of the CIE, as XYZ with Y of 1.
var (
	d65 = geom.V{X: 0.95047, Y: 1, Z: 1.08883}
	d50 = geom.V{X: 0.96422, Y: 1, Z: 0.82521}
)

// The published matrix of Bradford from D65 to D50 (B. Lindbloom, chromatic adaptation; from memory), and that what is
// white in one light is white in the other, and back again.
func TestBradford(t *testing.T) {
	want := Matrix{{X: 1.0478112, Y: 0.0228866, Z: -0.0501270}, {X: 0.0295424, Y: 0.9904844, Z: -0.0170491},
		{X: -0.0092345, Y: 0.0150436, Z: 0.7521316}}
	got := Adapted(d65, d50)
	for i := range want {
		if off := got[i].Sub(want[i]); off.Len() > 2e-4 {
			t.Errorf("row %d is %v, not %v", i, got[i], want[i])
		}
	}
	if off := got.Of(d65).Sub(d50); off.Len() > 1e-5 {
		t.Errorf("the white of one is %v in the other", got.Of(d65))
	}
	back := Adapted(d50, d65)
	both := back.Mul(&got)
	for i, row := range both {
		for k := range 3 {
			one := 0.0
			if i == k {
				one = 1
			}
			near(t, "there and back", row.At(k), one, 1e-5)
		}
	}
}

// Rec.709's white is D65, and its matrices undo each other.
func TestRec709(t *testing.T) {
	one := geom.V{X: 1, Y: 1, Z: 1}
	if off := FromRec709.Of(one).Sub(d65); off.Len() > 1e-4 {
		t.Errorf("white is %v", FromRec709.Of(one))
	}
	c := geom.V{X: 0.2, Y: 0.7, Z: 0.05}
	if off := ToRec709.Of(FromRec709.Of(c)).Sub(c); off.Len() > 1e-6 {
		t.Errorf("there and back it is off by %v", off)
	}
}

// Illuminant A has 2856 K and lies on the locus; D65 has 6504 K and lies 0.0032 above it (CIE 15; the distance as it is
// commonly told); what White makes Nearest finds.
func TestColourTemperatures(t *testing.T) {
	kelvin, off := Nearest(geom.V{X: 1.09850, Y: 1, Z: 0.35585})
	near(t, "A", kelvin, 2856, 15)
	near(t, "A above the locus", off, 0, 0.0005)
	kelvin, off = Nearest(d65)
	near(t, "D65", kelvin, 6504, 25)
	near(t, "D65 above the locus", off, 0.0032, 0.0004)
	for _, k := range []float64{2000, 3200, 5600, 12000} {
		for _, o := range []float64{-0.02, 0, 0.015} {
			got, above := Nearest(White(k, o).Mul(7))
			near(t, "a temperature", got, k, 0.004*k)
			near(t, "its distance", above, o, 2e-4)
		}
	}
	if k, o := Nearest(geom.V{}); k != 6504 || o != 0 {
		t.Error("black has a colour")
	}
}
