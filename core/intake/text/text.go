// Package text reads numbers and words out of the text formats of 3D models,
// as fast as files of hundreds of megabytes need it.
package text

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"math/bits"
	"runtime"
	"strings"
	"sync"
	"unicode/utf16"
)

var pow10 = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16,
	1e17, 1e18, 1e19, 1e20, 1e21, 1e22}

// Number reads a decimal number at d[i:] and returns where it ends; the caller
// says what may follow. Up to 19 digits count; the result is right to the last
// bit of a float32. What is not a number is read as NaN in the ways programs
// write it, infinities too.
func Number(d []byte, i int) (v float64, end int, ok bool) { return read(d, i, true) }

// Decimal is Number for formats in which a comma always separates.
func Decimal(d []byte, i int) (v float64, end int, ok bool) { return read(d, i, false) }

func read(d []byte, i int, comma bool) (v float64, end int, ok bool) {
	// The usual form: few digits, a point, no exponent, then a space.
	start := i
	minus := i < len(d) && d[i] == '-'
	if minus {
		i++
	}
	from, mant, places := i, uint64(0), 0
	for ; i < len(d) && d[i]-'0' <= 9; i++ {
		mant = mant*10 + uint64(d[i]-'0')
	}
	digits := i - from
	if i < len(d) && d[i] == '.' {
		i++
		from = i
		if i+8 <= len(d) {
			v, n := eight(binary.LittleEndian.Uint64(d[i:]))
			mant, i = mant*tens[n]+v, i+n
		}
		for ; i < len(d) && d[i]-'0' <= 9; i++ {
			mant = mant*10 + uint64(d[i]-'0')
		}
		places = i - from
		digits += places
	}
	if digits == 0 || digits > 18 || i < len(d) && d[i] > ' ' && (comma || d[i] != ',' && d[i] != ')' && d[i] != ']') {
		return anyNumber(d, start, comma)
	}
	v = float64(mant)
	if places > 0 {
		v /= pow10[places]
	}
	if minus {
		v = -v
	}
	return v, i, true
}

var tens = [9]uint64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8}

// eight reads the digits that eight bytes begin with, the first byte lowest,
// and how many they are, all at once: neighbours become pairs, pairs fours,
// fours one number.
func eight(x uint64) (v uint64, n int) {
	x ^= 0x3030303030303030 // digits become 0 to 9
	other := (x | (x + 0x7676767676767676)) & 0x8080808080808080
	n = bits.TrailingZeros64(other) / 8 // 8 when all are digits
	x <<= 64 - 8*n                      // zeros in front; all of it when n is 0
	x = x*10 + x>>8
	x = (x&0x000000ff000000ff*0x000f424000000064 + x>>16&0x000000ff000000ff*0x0000271000000001) >> 32
	return x, n
}

// anyNumber reads what Number leaves: exponents, many digits, a plus sign, the
// comma of a locale, and the ways to write what is not a number.
func anyNumber(d []byte, start int, mayComma bool) (v float64, end int, ok bool) {
	i := start
	neg := false
	if i < len(d) && (d[i] == '-' || d[i] == '+') {
		neg = d[i] == '-'
		i++
	}
	var mant uint64
	digits, exp, seen := 0, 0, 0
	digit := func(scale int) {
		seen++
		if digits < 19 {
			mant = mant*10 + uint64(d[i]-'0')
			exp -= scale
			if mant > 0 {
				digits++
			}
		} else {
			exp += 1 - scale
		}
	}
	for ; i < len(d) && d[i]-'0' <= 9; i++ {
		digit(0)
	}
	// some exporters write the comma of their locale
	comma := mayComma && i+1 < len(d) && d[i] == ',' && seen > 0 && d[i+1]-'0' <= 9
	if i < len(d) && d[i] == '.' || comma {
		for i++; i < len(d) && d[i]-'0' <= 9; i++ {
			digit(1)
		}
	}
	if seen == 0 || i < len(d) && d[i] == '#' && d[i-1] == '.' {
		return special(d, start)
	}
	if i < len(d) && d[i]|0x20 == 'e' {
		j, eneg, e, any := i+1, false, 0, false
		if j < len(d) && (d[j] == '-' || d[j] == '+') {
			eneg = d[j] == '-'
			j++
		}
		for ; j < len(d) && d[j]-'0' <= 9; j++ {
			any = true
			if e < 10000 {
				e = e*10 + int(d[j]-'0')
			}
		}
		if any {
			if eneg {
				e = -e
			}
			exp += e
			i = j
		}
	}
	v = float64(mant)
	switch {
	case exp == 0 || mant == 0:
	case exp < 0 && exp >= -22:
		v /= pow10[-exp]
	case exp > 0 && exp <= 22:
		v *= pow10[exp]
	default:
		v *= math.Pow(10, float64(exp))
	}
	if neg {
		v = -v
	}
	return v, i, true
}

// special recognises the ways in which programs write what is not a number.
func special(d []byte, start int) (float64, int, bool) {
	end := start
	for end < len(d) && d[end] > ' ' && d[end] != ',' && d[end] != ']' && d[end] != '<' {
		end++
	}
	if end-start > 40 {
		return 0, start, false
	}
	sign := 1
	if start < len(d) && d[start] == '-' {
		sign = -1
	}
	w := strings.ToLower(strings.TrimLeft(string(d[start:end]), "+-"))
	switch {
	case w == "inf" || w == "infinity":
		return math.Inf(sign), end, true
	case w == "nan" || strings.HasPrefix(w, "1.#") || strings.HasPrefix(w, "nan("):
		return math.NaN(), end, true
	}
	return 0, start, false
}

// UTF8 turns UTF-16 with a byte order mark into UTF-8 and drops a UTF-8 mark.
func UTF8(data []byte) []byte {
	var order binary.ByteOrder
	switch {
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}):
		order = binary.LittleEndian
	case bytes.HasPrefix(data, []byte{0xfe, 0xff}):
		order = binary.BigEndian
	default:
		return bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	}
	units := make([]uint16, 0, len(data)/2)
	for i := 2; i+1 < len(data); i += 2 {
		units = append(units, order.Uint16(data[i:]))
	}
	return []byte(string(utf16.Decode(units)))
}

// Scanner walks over words that are separated by white space.
type Scanner struct {
	Data []byte
	At   int
}

// Space skips white space.
func (s *Scanner) Space() {
	for s.At < len(s.Data) && s.Data[s.At] <= ' ' {
		s.At++
	}
}

// Word returns the next word; empty at the end.
func (s *Scanner) Word() []byte {
	s.Space()
	start := s.At
	for s.At < len(s.Data) && s.Data[s.At] > ' ' {
		s.At++
	}
	return s.Data[start:s.At]
}

// Rest returns what is left of the line, without the spaces around it.
func (s *Scanner) Rest() string {
	start := s.At
	for s.At < len(s.Data) && s.Data[s.At] != '\n' && s.Data[s.At] != '\r' {
		s.At++
	}
	return strings.TrimSpace(string(s.Data[start:s.At]))
}

// Number reads the next number; ok is false at the end or before a word.
func (s *Scanner) Number() (v float64, ok bool) {
	s.Space()
	v, end, ok := Number(s.Data, s.At)
	if ok && end < len(s.Data) && s.Data[end] > ' ' {
		return 0, false
	}
	if ok {
		s.At = end
	}
	return v, ok
}

// Numbers reads numbers that are separated by white space, to the end of d;
// about count of them are expected. What is no number is an error that shows it.
func Numbers(d []byte, count int) ([]float32, error) {
	return shared(d, count, func(d []byte, out []float32) ([]float32, error) {
		s := Scanner{Data: d}
		for {
			out, s.At = plain(d, s.At, out, len(d), false)
			v, ok := s.Number()
			if !ok {
				if s.Space(); s.At < len(d) {
					return nil, fmt.Errorf("%.40q is not a number", s.Word())
				}
				return out, nil
			}
			out = append(out, float32(v))
		}
	})
}

// Row appends the numbers of a line from d[i:] on to out, most of them at most,
// and returns where the last ends. Only numbers in their usual form are read,
// and perhaps not all of them: what is left is to be read one by one.
func Row(d []byte, i int, out []float32, most int) ([]float32, int) {
	return plain(d, i, out, most, true)
}

// Indices reads whole numbers that are separated by white space, to the end of
// d; about count of them are expected. What is below zero, as old exporters
// write for nothing, becomes math.MaxUint32.
func Indices(d []byte, count int) ([]uint32, error) {
	return shared(d, count, func(d []byte, out []uint32) ([]uint32, error) {
		for i := 0; i < len(d); {
			if d[i] <= ' ' {
				i++
				continue
			}
			start, v := i, uint64(0)
			for ; i < len(d) && d[i]-'0' <= 9 && i-start < 11; i++ {
				v = v*10 + uint64(d[i]-'0')
			}
			if i == start || i < len(d) && d[i] > ' ' || v >= math.MaxUint32 {
				if d[start] != '-' {
					return nil, fmt.Errorf("%.40q is not an index", d[start:min(len(d), start+40)])
				}
				for i < len(d) && d[i] > ' ' {
					i++
				}
				v = math.MaxUint32
			}
			out = append(out, uint32(v))
		}
		return out, nil
	})
}

// shared has a list read in pieces that are shared out between the processors.
func shared[T any](d []byte, count int, read func(d []byte, out []T) ([]T, error)) ([]T, error) {
	const share = 1 << 20                  // bytes: less is read sooner than shared out
	count = min(max(count, 0), len(d)/2+1) // a number takes two bytes at least
	workers := min(runtime.GOMAXPROCS(0), len(d)/share)
	if workers < 2 {
		return read(d, make([]T, 0, count))
	}
	lists, errs := make([][]T, workers), make([]error, workers)
	var all sync.WaitGroup
	for k, from := 0, 0; k < workers; k++ {
		to := len(d)
		if k < workers-1 {
			for to = max(from, len(d)/workers*(k+1)); to < len(d) && d[to] > ' '; to++ {
			}
		}
		piece, want := d[from:to], count/workers+count/16
		if k == 0 {
			want = count // the others are put behind the first
		}
		all.Go(func() { lists[k], errs[k] = read(piece, make([]T, 0, want)) })
		from = to
	}
	all.Wait()
	out := lists[0]
	for k := range lists {
		if errs[k] != nil {
			return nil, errs[k]
		}
		if k > 0 {
			out = append(out, lists[k]...)
		}
	}
	return out, nil
}

// Line is the number of the line that At stands in, from 1.
func (s *Scanner) Line() int {
	before := s.Data[:min(s.At, len(s.Data))]
	if n := bytes.Count(before, []byte{'\n'}); n > 0 {
		return n + 1
	}
	return bytes.Count(before, []byte{'\r'}) + 1
}
