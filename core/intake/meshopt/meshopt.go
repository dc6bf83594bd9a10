// Package meshopt unpacks the buffers of the glTF extension
// EXT_meshopt_compression (Khronos, with its bitstream and filters): vertices,
// triangles and lists of indices.
package meshopt

import (
	"encoding/binary"
	"errors"
	"math"
)

// ErrDamaged is a buffer that does not hold what it should.
var ErrDamaged = errors.New("the compressed buffer is damaged; fetch the file again")

func unzig(v uint32) uint32 { return v>>1 ^ -(v & 1) }

// Attributes unpacks count vertices of stride bytes, a multiple of 4 up to
// 256, and applies the filter: "", "NONE", "OCTAHEDRAL", "QUATERNION" or
// "EXPONENTIAL".
func Attributes(data []byte, count, stride int, filter string) ([]byte, error) {
	if stride < 4 || stride > 256 || stride%4 != 0 || count < 0 || len(data) < 1 || data[0] != 0xa0 && data[0] != 0xa1 {
		return nil, ErrDamaged
	}
	version := int(data[0] & 15)
	tail, padded := stride, max(stride, 32)
	if version == 1 {
		tail += stride / 4
		padded = max(tail, 24)
	}
	// A block of 16 vertices takes two bits a byte at least, or a quarter byte
	// of control.
	if len(data) < 1+padded || int64(count) > int64(len(data))*64 {
		return nil, ErrDamaged
	}
	last := append([]byte(nil), data[len(data)-tail:][:stride]...)
	channels := data[len(data)-tail+stride:]
	u := &unpacker{d: data[:len(data)-padded], at: 1, version: version}
	out := make([]byte, count*stride)
	block := min(8192/stride&^15, 256)
	deltas := make([]byte, (block+15)*stride)
	for base := 0; base < count; base += block {
		n := min(block, count-base)
		if !u.block(deltas, n, stride) {
			return nil, ErrDamaged
		}
		for i := range n {
			to := out[(base+i)*stride:][:stride]
			for g := 0; g < stride; g += 4 {
				var d [4]byte
				for k := range d {
					d[k] = deltas[(g+k)*(block+15)+i]
				}
				mode := byte(0)
				if version == 1 {
					mode = channels[g/4]
				}
				if !step(last[g:g+4], d, mode) {
					return nil, ErrDamaged
				}
			}
			copy(to, last)
		}
	}
	if u.at != len(u.d) {
		return nil, ErrDamaged
	}
	return out, filterInto(out, count, stride, filter)
}

// step adds a difference to four bytes, as single bytes, as pairs, or all
// four turned and combined.
func step(last []byte, d [4]byte, mode byte) bool {
	switch mode & 3 {
	case 0:
		for k := range d {
			last[k] += byte(unzig(uint32(d[k])))
		}
	case 1:
		for k := 0; k < 4; k += 2 {
			delta := unzig(uint32(d[k]) | uint32(d[k+1])<<8)
			binary.LittleEndian.PutUint16(last[k:], binary.LittleEndian.Uint16(last[k:])+uint16(delta))
		}
	case 2:
		delta, turn := binary.LittleEndian.Uint32(d[:]), mode>>4
		binary.LittleEndian.PutUint32(last, binary.LittleEndian.Uint32(last)^(delta>>turn|delta<<(32-turn)))
	default:
		return false
	}
	return true
}

type unpacker struct {
	d       []byte
	at      int
	version int
}

func (u *unpacker) take(n int) []byte {
	if n > len(u.d)-u.at {
		return nil
	}
	u.at += n
	return u.d[u.at-n : u.at]
}

// widths are the bits of a difference by its group's mode: in version 0, and
// in version 1 by the control of its byte.
var widths = [3][4]int{{0, 2, 4, 8}, {0, 1, 2, 4}, {1, 2, 4, 8}}

// block unpacks the differences of n vertices, byte by byte of the stride.
func (u *unpacker) block(deltas []byte, n, stride int) bool {
	row := len(deltas) / stride
	groups := (n + 15) / 16
	var control []byte
	if u.version == 1 {
		if control = u.take(stride / 4); control == nil {
			return false
		}
	}
	for k := range stride {
		to := deltas[k*row : (k+1)*row]
		clear(to)
		set := 0
		if u.version == 1 {
			switch c := control[k/4] >> (k % 4 * 2) & 3; c {
			case 2:
				continue
			case 3:
				raw := u.take(n)
				if raw == nil {
					return false
				}
				copy(to, raw)
				continue
			default:
				set = 1 + int(c)
			}
		}
		header := u.take((groups + 3) / 4)
		if header == nil {
			return false
		}
		for g := range groups {
			if !u.group(to[16*g:min(16*g+16, len(to))], widths[set][header[g/4]>>(g%4*2)&3]) {
				return false
			}
		}
	}
	return true
}

// group unpacks 16 differences of some bits each; those of all ones stand in a
// byte of their own behind.
func (u *unpacker) group(to []byte, bits int) bool {
	if bits == 0 {
		return true
	}
	raw := u.take(2 * bits)
	if raw == nil {
		return false
	}
	if bits == 8 {
		copy(to, raw)
		return true
	}
	per, all := 8/bits, byte(1<<bits-1)
	for i := range 16 {
		shift := 8 - bits*(i%per+1)
		if bits == 1 {
			shift = i % 8
		}
		v := raw[i/per] >> shift & all
		if v == all {
			b := u.take(1)
			if b == nil {
				return false
			}
			v = b[0]
		}
		if i < len(to) {
			to[i] = v
		}
	}
	return true
}

func round(x float64) int { return int(math.Round(x)) }

func filterInto(b []byte, count, stride int, filter string) error {
	i16 := func(at int) float64 { return float64(int16(binary.LittleEndian.Uint16(b[at:]))) }
	put16 := func(at, v int) { binary.LittleEndian.PutUint16(b[at:], uint16(v)) }
	switch filter {
	case "", "NONE":
	case "OCTAHEDRAL":
		if stride != 4 && stride != 8 {
			return ErrDamaged
		}
		for i := range count {
			at := i * stride
			var q [3]float64
			for k := range q {
				if stride == 4 {
					q[k] = float64(int8(b[at+k]))
				} else {
					q[k] = i16(at + 2*k)
				}
			}
			if q[2] == 0 {
				return ErrDamaged
			}
			x, y := q[0]/q[2], q[1]/q[2]
			z := 1 - math.Abs(x) - math.Abs(y)
			t := max(-z, 0)
			x, y = x-math.Copysign(t, x), y-math.Copysign(t, y)
			l := math.Sqrt(x*x + y*y + z*z)
			for k, v := range []float64{x / l, y / l, z / l} {
				if stride == 4 {
					b[at+k] = byte(int8(round(v * 127)))
				} else {
					put16(at+2*k, round(v*32767))
				}
			}
		}
	case "QUATERNION":
		if stride != 8 {
			return ErrDamaged
		}
		for i := range count {
			at := i * 8
			in := int(int16(binary.LittleEndian.Uint16(b[at+6:])))
			s := math.Sqrt2 / 2 / float64(in|3)
			x, y, z := i16(at)*s, i16(at+2)*s, i16(at+4)*s
			w := math.Sqrt(max(0, 1-x*x-y*y-z*z))
			for k, v := range []float64{w, x, y, z} {
				put16(at+2*((in+k)&3), round(v*32767))
			}
		}
	case "EXPONENTIAL":
		for at := 0; at+3 < len(b); at += 4 {
			v := int32(binary.LittleEndian.Uint32(b[at:]))
			binary.LittleEndian.PutUint32(b[at:], math.Float32bits(float32(math.Ldexp(float64(v<<8>>8), int(v>>24)))))
		}
	default:
		return errors.New("the filter " + filter + " is not known; ask for an export without it")
	}
	return nil
}

// fifo remembers what came last.
type fifo[T any] struct {
	v  [16]T
	at int
}

func (f *fifo[T]) push(x T)     { f.v[f.at&15] = x; f.at++ }
func (f *fifo[T]) back(n int) T { return f.v[(f.at-1-n)&15] }

// source reads bytes and numbers of seven bits a byte.
type source struct {
	d    []byte
	at   int
	bad  bool
	last uint32
}

func (s *source) byte() byte {
	if s.at >= len(s.d) {
		s.bad = true
		return 0
	}
	s.at++
	return s.d[s.at-1]
}

func (s *source) number() (n uint32) {
	for shift := 0; shift < 35; shift += 7 {
		b := s.byte()
		n |= uint32(b&127) << shift
		if b < 128 {
			return n
		}
	}
	s.bad = true
	return 0
}

func (s *source) index() uint32 {
	s.last += unzig(s.number())
	return s.last
}

func put(out []byte, i, stride int, v uint32) {
	if stride == 2 {
		binary.LittleEndian.PutUint16(out[2*i:], uint16(v))
	} else {
		binary.LittleEndian.PutUint32(out[4*i:], v)
	}
}

// Triangles unpacks count indices, three a triangle, of stride 2 or 4 bytes.
func Triangles(data []byte, count, stride int) ([]byte, error) {
	const table = 16 // bytes at the end: pairs that are common
	n := count / 3
	if stride != 2 && stride != 4 || count < 0 || count%3 != 0 || len(data) < 1+n+table || data[0] != 0xe1 {
		return nil, ErrDamaged
	}
	common := data[len(data)-table:]
	codes := data[1 : 1+n]
	s := &source{d: data[1+n : len(data)-table]}
	var edges fifo[[2]uint32]
	var seen fifo[uint32]
	next := uint32(0)
	fresh := func() uint32 { next++; return next - 1 }
	out := make([]byte, count*stride)
	for i, code := range codes {
		hi, lo := int(code>>4), int(code&15)
		var a, b, c uint32
		if hi < 15 {
			e := edges.back(hi)
			a, b = e[0], e[1]
			switch {
			case lo == 0:
				c = fresh()
				seen.push(c)
			case lo < 13:
				c = seen.back(lo)
			case lo == 15:
				c = s.index()
				seen.push(c)
			default:
				s.last += uint32(2*lo - 27) // 13: one less, 14: one more
				c = s.last
				seen.push(c)
			}
			edges.push([2]uint32{c, b})
			edges.push([2]uint32{a, c})
		} else {
			var pair byte
			if lo < 14 {
				pair = common[lo]
				a = fresh()
			} else {
				if pair = s.byte(); pair == 0 {
					next = 0
				}
				if lo == 14 {
					a = fresh()
				} else {
					a = s.index()
				}
			}
			other := func(x int) (uint32, bool) {
				switch {
				case x == 0:
					return fresh(), true
				case x == 15 && lo >= 14:
					return s.index(), true
				}
				return seen.back(x - 1), false
			}
			var newB, newC bool
			b, newB = other(int(pair >> 4))
			c, newC = other(int(pair & 15))
			seen.push(a)
			if newB {
				seen.push(b)
			}
			if newC {
				seen.push(c)
			}
			edges.push([2]uint32{b, a})
			edges.push([2]uint32{c, b})
			edges.push([2]uint32{a, c})
		}
		put(out, 3*i, stride, a)
		put(out, 3*i+1, stride, b)
		put(out, 3*i+2, stride, c)
	}
	if s.bad || s.at != len(s.d) {
		return nil, ErrDamaged
	}
	return out, nil
}

// Indices unpacks count indices in a row, of stride 2 or 4 bytes.
func Indices(data []byte, count, stride int) ([]byte, error) {
	const tail = 4
	if stride != 2 && stride != 4 || count < 0 || len(data) < 1+count+tail || data[0] != 0xd1 {
		return nil, ErrDamaged
	}
	s := &source{d: data[1 : len(data)-tail]}
	var last [2]uint32
	out := make([]byte, count*stride)
	for i := range count {
		v := s.number()
		k := v & 1
		last[k] += unzig(v >> 1)
		put(out, i, stride, last[k])
	}
	if s.bad || s.at != len(s.d) {
		return nil, ErrDamaged
	}
	return out, nil
}
