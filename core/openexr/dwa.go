package openexr

import (
	"encoding/binary"
	"math"
	"strings"
	"sync"
)

// DWA: colours as cosines in squares of eight by eight, of a scale that is even to the eye; opacity as run lengths;
// whatever else is there packed without loss (L. Hammond, D. Schuller and others, DreamWorks Animation, in the OpenEXR
// library from 2.2 on; the layout of a block is told there).

// How a channel is packed.
const (
	dwaOther = iota
	dwaCosines
	dwaRuns
)

// dwaRule says how a channel of a name and kind is packed, and which of the three of a colour it is; -1: none.
type dwaRule struct {
	name  string
	how   int
	kind  int
	third int
	fold  bool // capital letters or not
}

// dwaBefore are the rules of blocks that bring none, of versions 0 and 1.
var dwaBefore = func() (rules []dwaRule) {
	add := func(how, third int, kinds []int, names ...string) {
		for _, n := range names {
			for _, k := range kinds {
				rules = append(rules, dwaRule{name: n, how: how, kind: k, third: third, fold: true})
			}
		}
	}
	numbers := []int{half, float}
	add(dwaCosines, 0, numbers, "r", "red")
	add(dwaCosines, 1, numbers, "g", "grn", "green")
	add(dwaCosines, 2, numbers, "b", "blu", "blue")
	add(dwaCosines, -1, numbers, "y", "by", "ry")
	add(dwaRuns, -1, []int{whole, half, float}, "a")
	return rules
}()

// dwaRules reads those that a block of version 2 begins with.
func dwaRules(in []byte) (rules []dwaRule, rest []byte, err error) {
	if len(in) < 2 {
		return nil, nil, errBroken
	}
	n := int(binary.LittleEndian.Uint16(in))
	if n < 2 || n > len(in) {
		return nil, nil, errBroken
	}
	list, rest := in[2:n], in[n:]
	for len(list) > 0 {
		end := strings.IndexByte(string(list), 0)
		if end < 0 || len(list) < end+3 {
			return nil, nil, errBroken
		}
		v := list[end+1]
		r := dwaRule{name: string(list[:end]), how: int(v >> 2 & 3), kind: int(list[end+2]), third: int(v>>4) - 1,
			fold: v&1 != 0}
		if r.how > dwaRuns || r.kind > float || r.third > 2 {
			return nil, nil, errBroken
		}
		rules = append(rules, r)
		list = list[end+3:]
	}
	return rules, rest, nil
}

// dwaHead is what a block begins with: how long each of its parts is, packed and not.
type dwaHead struct {
	Version                      uint64
	OtherRaw, Other              uint64
	AC, DC, Runs                 uint64
	RunsRaw, RunsOut             uint64
	ACCount, DCCount, ACInflated uint64 // ACInflated: 0 Huffman, 1 deflated
}

// dwaBlock is one that is unpacked.
type dwaBlock struct {
	ac, dc      []uint16
	other, runs []byte
}

func (e *Reader) dwa(in []byte, x, y, w, h int) ([]byte, error) {
	var head dwaHead
	if n, err := binary.Decode(in, binary.LittleEndian, &head); err != nil {
		return nil, errBroken
	} else {
		in = in[n:]
	}
	rules := dwaBefore
	if head.Version > 2 {
		return nil, errBroken
	}
	var err error
	if head.Version == 2 {
		if rules, in, err = dwaRules(in); err != nil {
			return nil, err
		}
	}
	raw := uint64(e.rawSize(x, y, w, h))
	cells := uint64((w+7)/8) * uint64((h+7)/8) * uint64(len(e.Channels)) // squares, at most
	if head.OtherRaw > raw || head.RunsOut > raw || head.RunsRaw > 2*raw+64 || head.DCCount > cells ||
		head.ACCount > 64*cells {
		return nil, errBroken
	}
	parts := [4][]byte{}
	for i, n := range []uint64{head.Other, head.AC, head.DC, head.Runs} {
		if n > uint64(len(in)) {
			return nil, errBroken
		}
		parts[i], in = in[:n], in[n:]
	}
	var b dwaBlock
	if head.Other > 0 {
		if b.other, err = inflated(parts[0], int(head.OtherRaw)); err != nil {
			return nil, err
		}
	}
	if head.AC > 0 {
		if head.ACInflated == 1 {
			p, err := inflated(parts[1], 2*int(head.ACCount))
			if err != nil {
				return nil, err
			}
			b.ac = words(p)
		} else if b.ac, err = unhuffed(parts[1], int(head.ACCount)); err != nil {
			return nil, err
		}
	}
	if head.DC > 0 {
		p, err := inflated(parts[2], 2*int(head.DCCount))
		if err != nil {
			return nil, err
		}
		b.dc = words(joined(p))
	}
	if head.RunsOut > 0 {
		p, err := inflated(parts[3], int(head.RunsRaw))
		if err != nil {
			return nil, err
		}
		if b.runs, err = runs(p, int(head.RunsOut)); err != nil {
			return nil, err
		}
	}
	return e.undwa(&b, rules, x, y, w, h)
}

func words(p []byte) []uint16 {
	out := make([]uint16, len(p)/2)
	for i := range out {
		out[i] = binary.LittleEndian.Uint16(p[2*i:])
	}
	return out
}

// undwa puts the channels together again: colours of three first, then each in turn.
func (e *Reader) undwa(b *dwaBlock, rules []dwaRule, x, y, w, h int) ([]byte, error) {
	how, colours := e.dwaWays(rules)
	planes := make([][]byte, len(e.Channels))
	done := make([]bool, len(e.Channels))
	cosines := func(list ...int) error {
		c := &e.Channels[list[0]]
		nx, ny := count(x, w, c.sx), count(y, h, c.sy)
		values, err := b.squares(len(list), nx, ny)
		if err != nil {
			return err
		}
		for k, i := range list {
			done[i] = true
			c := &e.Channels[i]
			for _, v := range values[k] {
				if len(list) == 3 || !c.linear {
					v = linearOf()[v]
				}
				if c.kind == float {
					planes[i] = binary.LittleEndian.AppendUint32(planes[i], math.Float32bits(Half(v)))
				} else {
					planes[i] = binary.LittleEndian.AppendUint16(planes[i], v)
				}
			}
		}
		return nil
	}
	for _, c := range colours {
		if err := cosines(c[:]...); err != nil {
			return nil, err
		}
	}
	for i := range e.Channels {
		if done[i] {
			continue
		}
		c := &e.Channels[i]
		nx, ny := count(x, w, c.sx), count(y, h, c.sy)
		n := nx * ny * c.bytes()
		switch {
		case how[i] == dwaCosines:
			if err := cosines(i); err != nil {
				return nil, err
			}
		case how[i] == dwaRuns: // the first byte of all numbers, then the second
			if len(b.runs) < n {
				return nil, errBroken
			}
			planes[i] = make([]byte, n)
			for k := range n {
				planes[i][k] = b.runs[k%c.bytes()*nx*ny+k/c.bytes()]
			}
			b.runs = b.runs[n:]
		default:
			if len(b.other) < n {
				return nil, errBroken
			}
			planes[i], b.other = b.other[:n], b.other[n:]
		}
	}
	return e.woven(planes, x, y, w, h), nil
}

// dwaWays are how each channel is packed, and which three make a colour.
func (e *Reader) dwaWays(rules []dwaRule) (how []int, colours [][3]int) {
	how = make([]int, len(e.Channels))
	var layers []string // by name
	thirds := map[string]*[3]int{}
	for i := range e.Channels {
		c := &e.Channels[i]
		layer, name := "", c.Name
		if dot := strings.LastIndexByte(name, '.'); dot >= 0 {
			layer, name = name[:dot], name[dot+1:]
		}
		if thirds[layer] == nil {
			thirds[layer] = &[3]int{-1, -1, -1}
			layers = append(layers, layer) // channels come by name, and so do their layers
		}
		for _, r := range rules {
			if r.kind != c.kind || r.name != name && !(r.fold && strings.EqualFold(r.name, name)) {
				continue
			}
			how[i] = r.how
			if r.third >= 0 {
				thirds[layer][r.third] = i
			}
		}
	}
	for _, l := range layers {
		t := thirds[l]
		if t[0] < 0 || t[1] < 0 || t[2] < 0 {
			continue
		}
		a, same := &e.Channels[t[0]], true
		for _, i := range t {
			c := &e.Channels[i]
			same = same && c.sx == a.sx && c.sy == a.sy && how[i] == dwaCosines
		}
		if same {
			colours = append(colours, *t)
		}
	}
	return how, colours
}

// zigzag is where a number of a square lies in the order in which they are written.
var zigzag = func() (at [64]int) {
	x, y := 0, 0
	for i := range at {
		at[i] = 8*y + x
		switch up := (x+y)%2 == 0; {
		case up && x == 7:
			y++
		case up && y == 0:
			x++
		case up:
			x, y = x+1, y-1
		case y == 7:
			x++
		case x == 0:
			y++
		default:
			x, y = x-1, y+1
		}
	}
	return at
}()

// cosine is what wave k gives to place x of eight, so that all together keep lengths.
var cosine = func() (c [8][8]float64) {
	for x := range 8 {
		for k := range 8 {
			c[x][k] = math.Cos(float64(2*x+1)*float64(k)*math.Pi/16) / 2
			if k == 0 {
				c[x][k] /= math.Sqrt2
			}
		}
	}
	return c
}()

// squares unpacks channels that lie square by square one after the other; three of them are a brightness and two
// differences (ITU-R BT.709). What it gives is even to the eye.
func (b *dwaBlock) squares(channels, nx, ny int) ([3][]uint16, error) {
	var out [3][]uint16
	across, down := (nx+7)/8, (ny+7)/8
	if len(b.dc) < channels*across*down {
		return out, errBroken
	}
	for c := range channels {
		out[c] = make([]uint16, nx*ny)
	}
	var s [3][64]float64
	for k := range across * down {
		for c := range channels {
			var f [64]float64
			f[0] = float64(Half(b.dc[c*across*down+k]))
			for i := 1; i < 64; {
				if len(b.ac) == 0 {
					return out, errBroken
				}
				v := b.ac[0]
				b.ac = b.ac[1:]
				switch {
				case v == 0xff00:
					i = 64
				case v>>8 == 0xff:
					i += int(v & 0xff)
				default:
					f[zigzag[i]] = float64(Half(v))
					i++
				}
			}
			uncosine(&s[c], &f)
		}
		if channels == 3 {
			for i := range 64 {
				y, u, v := s[0][i], s[1][i], s[2][i]
				s[0][i], s[1][i], s[2][i] = y+1.5747*v, y-0.1873*u-0.4682*v, y+1.8556*u
			}
		}
		for i := range 64 {
			x, y := k%across*8+i%8, k/across*8+i/8
			if x < nx && y < ny {
				for c := range channels {
					out[c][y*nx+x] = ToHalf(float32(s[c][i]))
				}
			}
		}
	}
	b.dc = b.dc[channels*across*down:]
	return out, nil
}

// uncosine gives a square of its waves.
func uncosine(to, f *[64]float64) {
	var rows [64]float64
	for y := range 8 {
		for x := range 8 {
			for k := range 8 {
				rows[8*y+x] += f[8*y+k] * cosine[x][k]
			}
		}
	}
	for y := range 8 {
		for x := range 8 {
			sum := 0.0
			for k := range 8 {
				sum += rows[8*k+x] * cosine[y][k]
			}
			to[8*y+x] = sum
		}
	}
}

// linearOf is the light of each half that is even to the eye: to the power of 2.2 up to 1, and above e to 2.2 for each
// step, which goes on smoothly. What is no number is 0.
var linearOf = sync.OnceValue(func() *[1 << 16]uint16 {
	var t [1 << 16]uint16
	for i := range t {
		v := float64(Half(uint16(i)))
		a := math.Abs(v)
		switch {
		case i&0x7c00 == 0x7c00:
			continue
		case a <= 1:
			a = math.Pow(a, 2.2)
		default:
			a = math.Exp(2.2 * (a - 1))
		}
		t[i] = ToHalf(float32(math.Copysign(a, v)))
	}
	return &t
})
