package text

import (
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"testing"
)

func TestNumbersAreThoseOfTheStandardLibrary(t *testing.T) {
	for _, s := range []string{"0", "-0.5", "+3", "1.25", ".5", "7.", "1e3", "1E-3", "-2.5e+2",
		"123456789012345678901234567890", "0.00000000000000000000000123", "3.4028234e38", "1.17549435e-38", "0.1",
		"12345.678901234567"} {
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
		if a, b := float32(got), float32(want); !ok || a != b &&
			math.Abs(float64(a)-float64(b)) > math.Abs(float64(b))*1e-6 {
			t.Errorf("%s: %v, want %v", s, got, want)
		}
	})
}

func TestWideTextBecomesUTF8(t *testing.T) {
	for _, b := range [][]byte{[]byte("v 1"), {0xef, 0xbb, 0xbf, 'v', ' ', '1'}, {0xff, 0xfe, 'v', 0, ' ', 0, '1', 0},
		{0xfe, 0xff, 0, 'v', 0, ' ', 0, '1'}} {
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
	for s, want := range map[string]uint64{"12345678": 12345678, "00000001": 1, "99999999": 99999999, "1 345678": 1,
		"x2345678": 0, "1234567.": 1234567, "12/45678": 12, "12:45678": 12, "123\xb956789"[:8]: 123,
		"12\xba4\xff678": 12,
		"1\xca345678":    1} {
		if v, n := eight(binary.LittleEndian.Uint64([]byte(s))); v != want {
			t.Errorf("%q: %d (%d digits), want %d", s, v, n, want)
		}
	}
}

func TestListsAreReadLikeTheirNumbers(t *testing.T) {
	forms := []string{"0", "-0", "7", "-1.5", "1.35602796", "-0.00317099993", ".5", "-.25", "3.", "1234567.8",
		"123456789012345", "0.1234567890123", "12345678901234567", "1e-3", "-2.5E+4", "+6", "9.999999999e9"}
	spaces := []string{" ", "\n", "\r\n", "\t", "   "}
	rng := rand.New(rand.NewPCG(1, 2))
	for _, n := range []int{0, 1, 2, 50, 400_000} { // the last is shared out
		var d []byte
		want := make([]float32, n)
		for i := range want {
			form := forms[rng.IntN(len(forms))]
			v, err := strconv.ParseFloat(form, 32)
			if err != nil {
				t.Fatal(err)
			}
			want[i] = float32(v)
			d = append(append(d, form...), spaces[rng.IntN(len(spaces))]...)
		}
		got, err := Numbers(d, n)
		if err != nil || !slices.EqualFunc(got, want,
			func(a, b float32) bool { return math.Float32bits(a) == math.Float32bits(b) }) {
			t.Fatalf("%d numbers: %d came out, %v", n, len(got), err)
		}
	}
	for _, bad := range []string{"1 2 x 3", "1 2 3x 4 5 6 7 8 9 10 11 12", "1 - 2 3 4 5 6 7 8 9 10 11",
		"1.2.3 4 5 6 7 8 9 10 11 12"} {
		if got, err := Numbers([]byte(bad), 3); err == nil {
			t.Errorf("%q was read as %v", bad, got)
		}
	}
}

func TestARowEndsWithItsLine(t *testing.T) {
	d := []byte(" 1.5 -2\t0.25\n7 8 9 and more text behind it, as the last bytes are left alone")
	out, end := Row(d, 0, []float32{9}, 5)
	if len(out) > 1 { // where there are wide registers
		if !slices.Equal(out, []float32{9, 1.5, -2, 0.25}) || d[end] != '\n' {
			t.Errorf("%v, ends at %d", out, end)
		}
		if out, end = Row(d, 0, nil, 2); !slices.Equal(out, []float32{1.5, -2}) || d[end] != '\t' {
			t.Errorf("two: %v, ends at %d", out, end)
		}
	}
	if out, end = Row([]byte("1 2"), 0, nil, 3); len(out) != 0 || end != 0 {
		t.Errorf("near the end: %v, %d", out, end)
	}
}

func TestIndices(t *testing.T) {
	var d []byte
	want := make([]uint32, 500_000)
	for i := range want {
		want[i] = uint32(i * 7919 % 1_000_003)
		d = append(strconv.AppendUint(d, uint64(want[i]), 10), " \n"[i%2])
	}
	if got, err := Indices(d, 10); err != nil || !slices.Equal(got, want) {
		t.Fatalf("%d came out, %v", len(got), err)
	}
	if got, err := Indices([]byte(" 1 -1 4294967294"), 0); err != nil ||
		!slices.Equal(got, []uint32{1, math.MaxUint32, math.MaxUint32 - 1}) {
		t.Error(got, err)
	}
	for _, bad := range []string{"1 2.5", "4294967295", "99999999999999", "x", "3x"} {
		if got, err := Indices([]byte(bad), 0); err == nil {
			t.Errorf("%q was read as %v", bad, got)
		}
	}
}

// What is read at once, and in any number of pieces, is what is read one by one.
func FuzzNumbers(f *testing.F) {
	f.Add([]byte("1.5 -2 3e4 0.00317099993 .5 7. 1,5 nan"))
	f.Fuzz(func(t *testing.T, d []byte) {
		got, err := Numbers(d, 0)
		s := Scanner{Data: d}
		for _, v := range got {
			if w, ok := s.Number(); !ok || math.Float32bits(float32(w)) != math.Float32bits(v) && w == w {
				t.Fatalf("%q: %v, one by one %v (%v)", d, v, w, ok)
			}
		}
		if s.Space(); (s.At == len(d)) != (err == nil) && err == nil {
			t.Fatalf("%q: ended at %d without a word", d, s.At)
		}
	})
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
