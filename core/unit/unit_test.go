package unit

import (
	"math"
	"strings"
	"testing"
)

func TestLengthsAsPeopleTypeThem(t *testing.T) {
	// Factors: NIST SP 811, appendix B (foot 0.3048 m, inch 0.0254 m, exact).
	for text, want := range map[string]float64{
		"1.85 m": 1.85, "85cm": 0.85, "6' 1\"": 1.8542, "6'1": 1.8542, "35'": 10.668,
		"10' 6 1/2\"": 3.2131, "3/8\"": 0.009525, "2.4m - 18cm": 2.22, "1,85 m": 1.85,
		"12 m / 5": 2.4, "2 * 1.2m": 2.4, "(1m + 20cm) * 2": 2.4, "1.8 km": 1800, "7": 7,
		"-30 cm": -0.3, "6′ 1″": 1.8542, "6’1”": 1.8542, "6 ft 1": 1.8542, "2 yd 1 ft 3 in": 2.2098, "1 mi": 1609.344,
		"0.5\"": 0.0127, ".5m": 0.5,
		"10'6.5\"": 3.2131, "3 METRES": 3, "2 Feet": 0.6096, "12 dm": 1.2, "2'' + 3''": 0.127, "8' - 3/4\"": 2.41935,
		"2.4 m-18 cm": 2.22, "  5 cm  ": 0.05,
		"1m 8 cm 5mm": 1.085, "(10' + 6\") / 2": 1.6002, "3 * (1' 6\")": 1.3716, "-(2m - 1m)": -1, "1/2 m": 0.5,
		"2 1/4 in": 0.05715, "100 in": 2.54, "1 km 200": 1200,
		"1m 85": 1.85, "3 3/4\"": 0.09525, "2 - 0.5": 1.5, "5 ft 2 in": 1.5748,
	} {
		got, err := ParseLength(text, Metre)
		if err != nil || math.Abs(got-want) > 1e-12 {
			t.Errorf("ParseLength(%q) = %v, %v; want %v", text, got, err, want)
		}
	}
	if got, _ := ParseLength("12", Centimetre); math.Abs(got-0.12) > 1e-12 {
		t.Errorf("a bare number takes the production's unit: got %v", got)
	}
}

func TestNonsenseIsRefusedWithItsPlace(t *testing.T) {
	for _, text := range []string{"", "m", "1.2 furlongs", "1 m +", "(2 m", "2m * 3m", "4 / 0", "1 m / 2 m", "--",
		"1.2.3", "9e9",
		"1.2.3 m", `5' 13"`, `5' 12`, `3" 2'`, "1 cm 2 m", "2 m 100", "1 mm 2", "5 m 5 m", "1,2,3 m", "1/0 m", "m 5",
		"5 m)",
		"((((1 m", "1 ' ' 2", "5 cubits", "1 m ** 2", "+-", "٣ m", "1 m²", "NaN", "Inf m", strings.Repeat("(", 100) +
			"1"} {
		if v, err := ParseLength(text, Metre); err == nil {
			t.Errorf("ParseLength(%q) = %v, want an error", text, v)
		}
	}
	_, err := ParseLength(`5' 13"`, Metre)
	if err == nil || !strings.Contains(err.Error(), `13" is no less than the unit before it (at character 4)`) {
		t.Error(err)
	}
}

func TestFeetAndInchesArePrintedToASixteenth(t *testing.T) {
	for m, want := range map[float64]string{1.8542: `6' 1"`, 3.2131: `10' 6 1/2"`, 0.009525: `0' 0 3/8"`,
		0.3047: `1' 0"`} {
		if got := FeetInches(m); got != want {
			t.Errorf("FeetInches(%v) = %s, want %s", m, got, want)
		}
	}
}

func FuzzParseLength(f *testing.F) {
	for _, s := range []string{"1.85 m", "6' 1 1/2\"", "2.4m - 18cm", "((1", "1/0", "1,5,5"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if v, err := ParseLength(s, Metre); err == nil && (math.IsNaN(v) || math.IsInf(v, 0)) {
			t.Fatalf("%q gave %v without an error", s, v)
		}
	})
}

// What is printed in a unit reads back as the same length to the precision shown.
func TestPrintedLengthsReadBack(t *testing.T) {
	for _, u := range All {
		for _, m := range []float64{0.0123, 0.75, 1.75, 12.345, 310} {
			back, err := ParseLength(Format(m, u), u)
			if err != nil || math.Abs(back-m) > 0.06 {
				t.Errorf("%v in %s printed %q, read %v (%v)", m, u.Name, Format(m, u), back, err)
			}
		}
	}
}

func TestDistancesAreToldByTheRuler(t *testing.T) {
	for _, c := range []struct {
		metres       float64
		metric, feet string
	}{
		{0, "0.00 m", "0.0 in"}, {0.002, "2.0 mm", "0.08 in"}, {0.254, "0.25 m", "10.0 in"}, {0.9144, "0.91 m",
			"3.0 ft"}, {-3.048, "-3.05 m", "-10 ft"}, {304.8, "304.8 m", "1000 ft"},
		{1609.344, "1.6 km", "1.0 mi"}, // the mile: NIST SP 811, appendix B
		{math.Inf(1), "infinity", "infinity"},
	} {
		if m, f := InMetres.Distance(c.metres), InFeet.Distance(c.metres); m != c.metric || f != c.feet {
			t.Errorf("%v m: %q, %q; want %q, %q", c.metres, m, f, c.metric, c.feet)
		}
	}
	for name, want := range map[string]Ruler{"foot": InFeet, "inch": InFeet, "metre": InMetres, "millimetre": InMetres,
		"": InMetres} {
		if RulerOf(name) != want {
			t.Errorf("%q", name)
		}
	}
}
