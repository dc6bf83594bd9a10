package text

import (
	"encoding/binary"
	"fmt"
	"math"
	"strconv"
	"testing"
)

func TestNumbersAreThoseOfTheStandardLibrary(t *testing.T) {
	for _, s := range []string{"0", "-0.5", "+3", "1.25", ".5", "7.", "1e3", "1E-3", "-2.5e+2", "123456789012345678901234567890", "0.00000000000000000000000123", "3.4028234e38", "1.17549435e-38", "0.1", "12345.678901234567"} {
		want, _ := strconv.ParseFloat(s, 64)
		got, end, ok := Number([]byte(s+" x"), 0)
		if !ok || end != len(s) || float32(got) != float32(want) {
			t.Errorf("%s: %v, ends at %d, %v", s, got, end, ok)
		}
	}
	for s, end := range map[string]int{"1,5": 3, "1, 5": 1, "2]": 1, "nan": 3, "-1.#IND": 7, "inf": 3} {
		if v, e, ok := Number([]byte(s), 0); !ok || e != end {
			t.Errorf("%s: %v ends at %d, want %d", s, v, e, end)
		}
	}
	for _, s := range []string{"", "-", ".", "e5", "abc"} {
		if v, _, ok := Number([]byte(s), 0); ok {
			t.Errorf("%q was read as %v", s, v)
		}
	}
	if v, _, _ := Number([]byte("-inf"), 0); !math.IsInf(v, -1) {
		t.Errorf("-inf: %v", v)
	}
}

func FuzzNumber(f *testing.F) {
	f.Add(1.5, 3)
	f.Fuzz(func(t *testing.T, v float64, places int) {
		if math.IsNaN(v) || math.IsInf(v, 0) || places < 0 || places > 20 {
			return
		}
		s := strconv.FormatFloat(v, 'e', places, 64)
		want, _ := strconv.ParseFloat(s, 64)
		got, _, ok := Number([]byte(s), 0)
		if a, b := float32(got), float32(want); !ok || a != b && math.Abs(float64(a)-float64(b)) > math.Abs(float64(b))*1e-6 {
			t.Errorf("%s: %v, want %v", s, got, want)
		}
	})
}

func TestWideTextBecomesUTF8(t *testing.T) {
	for _, b := range [][]byte{[]byte("v 1"), {0xef, 0xbb, 0xbf, 'v', ' ', '1'}, {0xff, 0xfe, 'v', 0, ' ', 0, '1', 0}, {0xfe, 0xff, 0, 'v', 0, ' ', 0, '1'}} {
		if got := string(UTF8(b)); got != "v 1" {
			t.Errorf("%q", got)
		}
	}
}

func TestScannerWalksOverLines(t *testing.T) {
	s := &Scanner{Data: []byte("vertex 1 -2.5e1\n  name of it \n3x")}
	got := fmt.Sprint(string(s.Word()))
	a, _ := s.Number()
	b, _ := s.Number()
	s.Space()
	rest, line := s.Rest(), s.Line()
	_, ok := s.Number()
	if got != "vertex" || a != 1 || b != -25 || rest != "name of it" || line != 2 || ok {
		t.Error(got, a, b, rest, line, ok)
	}
}

func TestEightDigitsAtOnce(t *testing.T) {
	for s, want := range map[string]uint64{"12345678": 12345678, "00000001": 1, "99999999": 99999999, "1 345678": 1, "x2345678": 0, "1234567.": 1234567, "12/45678": 12, "12:45678": 12, "123\xb956789"[:8]: 123, "12\xba4\xff678": 12, "1\xca345678": 1} {
		if v, n := eight(binary.LittleEndian.Uint64([]byte(s))); v != want {
			t.Errorf("%q: %d (%d digits), want %d", s, v, n, want)
		}
	}
}

func BenchmarkNumbers(b *testing.B) {
	var d []byte
	for i := range 50000 {
		d = strconv.AppendFloat(d, float64(float32(math.Sin(float64(i*i)))*float32(1+i%3)), 'g', 9, 64)
		d = append(d, ' ')
	}
	b.SetBytes(int64(len(d)))
	for b.Loop() {
		if _, err := Numbers(d, 50000); err != nil {
			b.Fatal(err)
		}
	}
}
