package openexr

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"math"
	"sync"
)

// DWALines is how many lines a block of DWAA has.
const DWALines = 32

// Plane is a channel of a block, its values row by row.
type Plane struct {
	Name   string
	Half   bool
	Values []float32
}

// dwaWritten are the rules of blocks that are written: colours of 16 bits as cosines, all else without loss.
var dwaWritten = []dwaRule{{name: "R", how: dwaCosines, kind: half, third: 0},
	{name: "G", how: dwaCosines, kind: half, third: 1}, {name: "B", how: dwaCosines, kind: half, third: 2}}

// dwaError is by how much a wave of brightness may be off at the best, of values that are even to the eye: the level
// 45, which the format has where nothing is said.
const dwaError = 45.0 / 100_000

// By how many times that the waves may be off: ITU-T T.81, annex K, tables K.1 and K.2, over their least.
var dwaTables = [2][64]float64{
	over(10, 16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69, 56, 14, 17, 22,
		29, 51, 87, 80, 62, 18, 22, 37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81, 104, 113, 92, 49, 64, 78, 87, 103,
		121, 120, 101, 72, 92, 95, 98, 112, 100, 103, 99),
	over(17, 17, 18, 24, 47, 99, 99, 99, 99, 18, 21, 26, 66, 99, 99, 99, 99, 24, 26, 56, 99, 99, 99, 99, 99, 47, 66, 99,
		99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
		99, 99,
		99, 99, 99, 99, 99, 99, 99, 99)}

func over(least float64, list ...float64) (out [64]float64) {
	for i, v := range list {
		out[i] = dwaError * v / least
	}
	return out
}

// evenOf is the inverse of linearOf: what is even to the eye, of the half of a light.
var evenOf = sync.OnceValue(func() *[1 << 16]float32 {
	var t [1 << 16]float32
	for i := range t {
		v := float64(Half(uint16(i)))
		a := math.Abs(v)
		switch {
		case i&0x7c00 == 0x7c00:
			continue
		case a <= 1:
			a = math.Pow(a, 1/2.2)
		default:
			a = 1 + math.Log(a)/2.2
		}
		t[i] = float32(math.Copysign(a, v))
	}
	return &t
})

// PackDWA packs a block of w x h values in each plane, which come by their names, as DWAA has it: colours of 16 bits
// with a loss that is hardly seen, all else without any.
func PackDWA(planes []Plane, w, h int) ([]byte, error) {
	e := &Reader{Channels: make([]Channel, len(planes))}
	for i, p := range planes {
		e.Channels[i] = Channel{Name: p.Name, kind: float, sx: 1, sy: 1}
		if p.Half {
			e.Channels[i].kind = half
		}
	}
	how, colours := e.dwaWays(dwaWritten)
	var ac, dc []uint16
	done := make([]bool, len(planes))
	cosines := func(list ...int) {
		values := make([][]float32, len(list))
		for k, i := range list {
			done[i], values[k] = true, planes[i].Values
		}
		ac, dc = intoSquares(ac, dc, values, w, h)
	}
	for _, c := range colours {
		cosines(c[:]...)
	}
	var other []byte
	for i, p := range planes {
		switch {
		case done[i]:
		case how[i] == dwaCosines:
			cosines(i)
		default:
			for _, v := range p.Values {
				if p.Half {
					other = binary.LittleEndian.AppendUint16(other, ToHalf(v))
				} else {
					other = binary.LittleEndian.AppendUint32(other, math.Float32bits(v))
				}
			}
		}
	}
	head := dwaHead{Version: 2, OtherRaw: uint64(len(other)), ACCount: uint64(len(ac)), DCCount: uint64(len(dc)),
		ACInflated: 1}
	var parts [3][]byte
	for i, raw := range [][]byte{other, bytesOf(ac), Parted(bytesOf(dc))} {
		if len(raw) == 0 {
			continue
		}
		var packed bytes.Buffer
		z := zlib.NewWriter(&packed)
		if _, err := z.Write(raw); err != nil {
			return nil, err
		}
		if err := z.Close(); err != nil {
			return nil, err
		}
		parts[i] = packed.Bytes()
	}
	head.Other, head.AC, head.DC = uint64(len(parts[0])), uint64(len(parts[1])), uint64(len(parts[2]))
	out, err := binary.Append(nil, binary.LittleEndian, &head)
	if err != nil {
		return nil, err
	}
	var rules []byte
	for _, r := range dwaWritten {
		rules = append(append(rules, r.name...), 0, byte((r.third+1)<<4|r.how<<2), byte(r.kind))
	}
	out = binary.LittleEndian.AppendUint16(out, uint16(len(rules)+2))
	out = append(out, rules...)
	for _, p := range parts {
		out = append(out, p...)
	}
	return out, nil
}

func bytesOf(list []uint16) []byte {
	out := make([]byte, 0, 2*len(list))
	for _, v := range list {
		out = binary.LittleEndian.AppendUint16(out, v)
	}
	return out
}

// Parted is bytes as ZIP and DWAA pack them: even and odd ones apart, as differences. It is the inverse of joined.
func Parted(raw []byte) []byte {
	out := make([]byte, len(raw))
	half := (len(raw) + 1) / 2
	for i, v := range raw {
		out[i/2+i%2*half] = v
	}
	for i := len(out) - 1; i > 0; i-- {
		out[i] = out[i] - out[i-1] + 128
	}
	return out
}

// intoSquares adds a channel, or three that are a colour, square by square: the waves of each, and the means of all
// squares of a channel, one channel after the other.
func intoSquares(ac, dc []uint16, values [][]float32, w, h int) (waves, means []uint16) {
	across, down := (w+7)/8, (h+7)/8
	n := len(values)
	first := len(dc)
	dc = append(dc, make([]uint16, n*across*down)...)
	even := evenOf()
	var s [3][64]float64
	for k := range across * down {
		for c := range n {
			for i := range 64 { // beyond the edge it goes on as it ends
				x, y := min(k%across*8+i%8, w-1), min(k/across*8+i/8, h-1)
				s[c][i] = float64(even[ToHalf(values[c][y*w+x])])
			}
		}
		if n == 3 {
			for i := range 64 {
				r, g, b := s[0][i], s[1][i], s[2][i]
				s[0][i], s[1][i] = 0.2126*r+0.7152*g+0.0722*b, -0.1146*r-0.3854*g+0.5*b
				s[2][i] = 0.5*r - 0.4542*g - 0.0458*b
			}
		}
		for c := range n {
			var f [64]float64
			intoWaves(&f, &s[c])
			table := &dwaTables[min(c, 1)]
			near := func(i int) uint16 { // the nearest of steps twice as wide as it may be off
				step := 2 * table[zigzag[i]]
				return ToHalf(float32(math.Round(f[zigzag[i]]/step) * step))
			}
			dc[first+c*across*down+k] = near(0)
			ac = runLengths(ac, near)
		}
	}
	return ac, dc
}

// runLengths adds the waves of a square, but the first: nothing many times is told by how often.
func runLengths(ac []uint16, wave func(i int) uint16) []uint16 {
	for i := 1; i < 64; {
		v := wave(i)
		if v&0x7fff != 0 {
			ac = append(ac, v)
			i++
			continue
		}
		n := 1
		for i+n < 64 && wave(i+n)&0x7fff == 0 {
			n++
		}
		switch {
		case i+n == 64:
			ac = append(ac, 0xff00)
		case n == 1:
			ac = append(ac, 0)
		default:
			ac = append(ac, 0xff00|uint16(n))
		}
		i += n
	}
	return ac
}

// intoWaves gives the waves of a square; uncosine is its inverse.
func intoWaves(f, s *[64]float64) {
	var rows [64]float64
	for y := range 8 {
		for k := range 8 {
			sum := 0.0
			for x := range 8 {
				sum += s[8*y+x] * cosine[x][k]
			}
			rows[8*y+k] = sum
		}
	}
	for k := range 8 {
		for j := range 8 {
			sum := 0.0
			for y := range 8 {
				sum += rows[8*y+k] * cosine[y][j]
			}
			f[8*j+k] = sum
		}
	}
}
