package usd

import (
	"encoding/binary"
	"fmt"
	"math"
)

// Types of values in a crate.
const (
	tBool = iota + 1
	tUChar
	tInt
	tUInt
	tInt64
	tUInt64
	tHalf
	tFloat
	tDouble
	tString
	tToken
	tAsset
	tMatrix2d
	tMatrix3d
	tMatrix4d
	tQuatd
	tQuatf
	tQuath
	tVec2d
	tVec2f
	tVec2h
	tVec2i
	tVec3d
	tVec3f
	tVec3h
	tVec3i
	tVec4d
	tVec4f
	tVec4h
	tVec4i
	tDictionary
	tTokenListOp
	tStringListOp
	tPathListOp
	tReferenceListOp
	_
	_
	_
	_
	tPathVector
	tTokenVector
	tSpecifier
	tPermission
	tVariability
	tVariantSelection
	tTimeSamples
	tPayload
	tDoubleVector
	_
	tStringVector
	tBlock
	tValue
	_
	_
	tPayloadListOp
	tTimeCode
)

// shape is how many numbers of which kind a type has.
type shape struct {
	n    int
	kind byte // 'd', 'f', 'h', 'i', 'b'
}

var shapes = map[int]shape{tBool: {1, 'b'}, tUChar: {1, 'b'}, tInt: {1, 'i'}, tUInt: {1, 'i'}, tInt64: {1, 'l'},
	tUInt64: {1, 'l'}, tHalf: {1, 'h'}, tFloat: {1, 'f'}, tDouble: {1, 'd'}, tTimeCode: {1, 'd'},
	tMatrix2d: {4, 'd'}, tMatrix3d: {9, 'd'}, tMatrix4d: {16, 'd'}, tQuatd: {4, 'd'}, tQuatf: {4, 'f'},
	tQuath: {4, 'h'},
	tVec2d: {2, 'd'}, tVec2f: {2, 'f'}, tVec2h: {2, 'h'}, tVec2i: {2, 'i'}, tVec3d: {3, 'd'}, tVec3f: {3, 'f'},
	tVec3h: {3, 'h'}, tVec3i: {3, 'i'}, tVec4d: {4, 'd'}, tVec4f: {4, 'f'}, tVec4h: {4, 'h'}, tVec4i: {4, 'i'}}

var widths = map[byte]int{'d': 8, 'f': 4, 'h': 2, 'i': 4, 'l': 8, 'b': 1}

// value reads what a value's 64 bits stand for: themselves, or a place in the
// file.
func (c *crate) value(rep uint64) (any, error) {
	if c.depth++; c.depth > maxDepth {
		return nil, bad("values lie in a circle")
	}
	defer func() { c.depth-- }()
	kind := int(rep >> 48 & 0xff)
	payload := rep & (1<<48 - 1)
	if rep>>62&1 != 0 && rep>>63 == 0 {
		return c.inlined(kind, uint32(payload)), nil
	}
	if v, ok := c.values[rep]; ok { // equal values are kept once
		return v, nil
	}
	if rep>>63 != 0 {
		v, err := c.array(kind, payload, rep>>61&1 != 0)
		if err == nil {
			c.values[rep] = v
		}
		return v, err
	}
	if payload > uint64(len(c.d)) {
		return nil, bad("a value lies beyond the end")
	}
	b := &cursor{d: c.d, at: int(payload)}
	v, err := c.stored(kind, b)
	if err == nil && b.failed {
		err = bad("a value is cut")
	}
	return v, err
}

func (c *crate) inlined(kind int, p uint32) any {
	switch kind {
	case tBool:
		return p != 0
	case tString:
		return c.str(p)
	case tToken:
		return c.token(p)
	case tAsset:
		return asset(c.token(p))
	case tFloat, tDouble, tTimeCode:
		return float64(math.Float32frombits(p))
	case tHalf:
		return float64(half(uint16(p)))
	case tInt, tInt64:
		return float64(int32(p))
	case tUChar, tUInt, tUInt64, tSpecifier, tPermission, tVariability:
		return float64(p)
	case tDictionary:
		return map[string]any{}
	}
	if s, ok := shapes[kind]; ok {
		out := make([]float64, s.n)
		if kind >= tMatrix2d && kind <= tMatrix4d { // its diagonal
			side := map[int]int{4: 2, 9: 3, 16: 4}[s.n]
			for i := range side {
				out[i*side+i] = float64(int8(p >> (8 * i)))
			}
			return out
		}
		for i := range out {
			out[i] = float64(int8(p >> (8 * i)))
		}
		return out
	}
	return nil
}

func half(h uint16) float32 {
	sign, exp, man := uint32(h>>15)<<31, uint32(h>>10&31), uint32(h&1023)
	switch exp {
	case 0:
		v := float32(man) / (1 << 24)
		if sign != 0 {
			v = -v
		}
		return v
	case 31:
		return math.Float32frombits(sign | 0xff<<23 | man<<13)
	}
	return math.Float32frombits(sign | (exp+112)<<23 | man<<13)
}

// plain reads n numbers as they lie.
func plain(b *cursor, kind byte, n int) any {
	w := widths[kind]
	if n > (len(b.d)-b.at)/w {
		b.failed = true
		return nil
	}
	raw := b.take(n * w)
	switch kind {
	case 'f':
		out := make([]float32, n)
		for i := range out {
			out[i] = math.Float32frombits(binary.LittleEndian.Uint32(raw[4*i:]))
		}
		return out
	case 'h':
		out := make([]float32, n)
		for i := range out {
			out[i] = half(binary.LittleEndian.Uint16(raw[2*i:]))
		}
		return out
	case 'i':
		out := make([]int32, n)
		for i := range out {
			out[i] = int32(binary.LittleEndian.Uint32(raw[4*i:]))
		}
		return out
	}
	out := make([]float64, n)
	for i := range out {
		switch kind {
		case 'd':
			out[i] = math.Float64frombits(binary.LittleEndian.Uint64(raw[8*i:]))
		case 'l':
			out[i] = float64(int64(binary.LittleEndian.Uint64(raw[8*i:])))
		default:
			out[i] = float64(raw[i])
		}
	}
	return out
}

func (c *crate) array(kind int, payload uint64, packed bool) (any, error) {
	s, numeric := shapes[kind]
	if payload == 0 {
		return []float64{}, nil
	}
	if payload > uint64(len(c.d)) {
		return nil, bad("an array lies beyond the end")
	}
	b := &cursor{d: c.d, at: int(payload)}
	var n uint64
	if c.version < 0x000500 {
		b.u32() // a rank that was never used
	}
	if c.version < 0x000700 {
		n = uint64(b.u32())
	} else {
		n = b.u64()
	}
	if b.failed || n > uint64(len(c.d))*64 || n > 1<<31/uint64(max(s.n, 1)) {
		return nil, bad("an array claims too much")
	}
	count := int(n)
	if err := c.spend(int64(count) * int64(max(s.n, 1)) * 8); err != nil {
		return nil, err
	}
	const least = 16 // shorter arrays are never packed
	if packed && count >= least && numeric && s.n == 1 {
		return c.packedArray(b, s.kind, count)
	}
	var out any
	switch {
	case numeric:
		out = plain(b, s.kind, count*s.n)
	case kind == tToken || kind == tAsset || kind == tString:
		if count > (len(b.d)-b.at)/4 {
			return nil, bad("an array is cut")
		}
		list := make([]string, count)
		for i := range list {
			if x := b.u32(); kind == tString {
				list[i] = c.str(x)
			} else {
				list[i] = c.token(x)
			}
		}
		out = list
	default:
		return nil, nil // of a type that no mesh needs
	}
	if b.failed {
		return nil, bad("an array is cut")
	}
	return realFirst(kind, out), nil
}

// realFirst brings quaternions, which lie with their real part last, into the
// order of the text form.
func realFirst(kind int, v any) any {
	if kind != tQuatd && kind != tQuatf && kind != tQuath {
		return v
	}
	d := append([]float64(nil), doubles(v)...)
	for i := 0; i+3 < len(d); i += 4 {
		d[i], d[i+1], d[i+2], d[i+3] = d[i+3], d[i], d[i+1], d[i+2]
	}
	return d
}

// packedArray reads numbers that are packed: integers by their differences,
// fractions as integers ('i') or by a table of the values that occur ('t').
func (c *crate) packedArray(b *cursor, kind byte, n int) (any, error) {
	switch kind {
	case 'i':
		return c.ints32(b, n)
	case 'f', 'd', 'h':
		switch code := b.u8(); code {
		case 'i':
			list, err := c.ints32(b, n)
			if err != nil {
				return nil, err
			}
			return floats(list), nil
		case 't':
			size := int(b.u32())
			table := floats(plain(b, kind, size))
			if b.failed {
				return nil, bad("a table of values is cut")
			}
			index, err := c.ints32(b, n)
			if err != nil {
				return nil, err
			}
			out := make([]float32, n)
			for i, k := range index {
				if k < 0 || int(k) >= len(table) {
					return nil, bad("a table of values")
				}
				out[i] = table[k]
			}
			return out, nil
		}
	}
	return nil, fmt.Errorf("a packed array of a kind that is not read")
}

// stored reads a value that lies in the file at b.
func (c *crate) stored(kind int, b *cursor) (any, error) {
	if s, ok := shapes[kind]; ok {
		d := doubles(plain(b, s.kind, s.n))
		if s.n == 1 && len(d) == 1 {
			return d[0], nil
		}
		return realFirst(kind, d), nil
	}
	switch kind {
	case tString:
		return c.str(b.u32()), nil
	case tToken:
		return c.token(b.u32()), nil
	case tAsset:
		return asset(c.token(b.u32())), nil
	case tTokenVector:
		return c.list(b, c.token), nil
	case tStringVector:
		return c.list(b, c.str), nil
	case tPathVector:
		return c.list(b, c.path), nil
	case tDoubleVector:
		return plain(b, 'd', b.count(8)), nil
	case tTokenListOp:
		return c.listOp(b, c.token), nil
	case tStringListOp:
		return c.listOp(b, c.str), nil
	case tPathListOp:
		return c.listOp(b, c.path), nil
	case tReferenceListOp, tPayloadListOp:
		return c.refs(b, kind)
	case tPayload:
		return []ref{{c.str(b.u32()), c.path(b.u32())}}, nil
	case tVariantSelection:
		out := map[string]any{}
		for range b.count(8) {
			k := c.str(b.u32())
			out[k] = c.str(b.u32())
		}
		return out, nil
	case tDictionary:
		return c.dictionary(b)
	case tTimeSamples:
		return c.firstSample(b)
	case tValue:
		return c.indirect(b)
	}
	return nil, nil
}

func (c *crate) list(b *cursor, name func(uint32) string) []string {
	n := b.count(4)
	out := make([]string, 0, n)
	for range n {
		out = append(out, name(b.u32()))
	}
	return out
}

// listOp reads an edit of a list and returns what it makes of an empty one.
func (c *crate) listOp(b *cursor, name func(uint32) string) []string {
	var out []string
	bits := b.u8()
	for _, bit := range []byte{2, 4, 32, 64, 8, 16} { // explicit, added, prepended, appended, deleted, ordered
		if bits&bit == 0 {
			continue
		}
		if l := c.list(b, name); bit != 8 && bit != 16 {
			out = append(out, l...)
		}
	}
	return out
}

func (c *crate) refs(b *cursor, kind int) ([]ref, error) {
	var out []ref
	bits := b.u8()
	for _, bit := range []byte{2, 4, 32, 64, 8, 16} {
		if bits&bit == 0 {
			continue
		}
		for range b.count(8) {
			r := ref{c.str(b.u32()), c.path(b.u32())}
			if kind == tReferenceListOp || c.version >= 0x000800 {
				b.take(16) // the offset and scale of its times
			}
			if kind == tReferenceListOp {
				if _, err := c.dictionary(b); err != nil {
					return nil, err
				}
			}
			if bit != 8 && bit != 16 {
				out = append(out, r)
			}
		}
	}
	return out, nil
}

// indirect reads a value that stands behind what belongs to it: how far, then
// there its 64 bits.
func (c *crate) indirect(b *cursor) (any, error) {
	start := b.at
	off := int64(b.u64())
	at := int64(start) + off
	if b.failed || off < 0 || at > int64(len(b.d)) {
		return nil, bad("a value lies beyond the end")
	}
	b.at = int(at)
	rep := b.u64()
	if b.failed {
		return nil, bad("a value is cut")
	}
	return c.value(rep)
}

func (c *crate) dictionary(b *cursor) (map[string]any, error) {
	out := map[string]any{}
	for range b.count(12) {
		key := c.str(b.u32())
		v, err := c.indirect(b)
		if err != nil {
			return nil, err
		}
		out[key] = v
	}
	return out, nil
}

// firstSample reads the value at the first time.
func (c *crate) firstSample(b *cursor) (any, error) {
	if _, err := c.indirect(b); err != nil { // the times
		return nil, err
	}
	start := b.at
	off := int64(b.u64())
	at := int64(start) + off
	if b.failed || off < 0 || at > int64(len(b.d)) {
		return nil, bad("time samples lie beyond the end")
	}
	b.at = int(at)
	if b.count(8) == 0 {
		return nil, nil
	}
	return c.value(b.u64())
}
