// Package openexr reads pictures in OpenEXR (OpenEXR File Layout and Technical Introduction, openexr.com): of one part,
// in scan lines or tiles, half, float and whole numbers. Rows are given out as they are unpacked, so that a picture of
// any size takes little memory.
package openexr

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
)

// Limits: larger pictures and more channels than any camera or renderer writes.
const (
	MaxSide     = 65_536
	maxChannels = 1024
	maxHeader   = 4 << 20
	maxBlock    = 512 << 20 // bytes of one block, unpacked
)

// Kinds of numbers.
const (
	whole = iota
	half
	float
)

// compressions by number.
var compressions = []string{"NONE", "RLE", "ZIPS", "ZIP", "PIZ", "PXR24", "B44", "B44A", "DWAA", "DWAB"}

// lines is how many lines a block of a compression holds.
var lines = []int{1, 1, 1, 16, 32, 16, 32, 32, 32, 256}

// Channel is one of a picture.
type Channel struct {
	Name   string
	kind   int
	linear bool // even to the eye as it is
	sx, sy int  // every so many pixels there is a value
}

// Reader reads one picture.
type Reader struct {
	Width, Height int
	Channels      []Channel
	Compression   string

	r          io.Reader
	method     int
	x0, y0     int // of the data window
	tiled      bool
	tw, th     int
	levels     int // 0: one
	lineOrder  int
	pixelBytes int
}

// Open reads the header. The error says what the file is, if it is none that can be read.
func Open(r io.Reader) (*Reader, error) {
	b := bufio.NewReaderSize(r, 1<<16)
	var head [8]byte
	if _, err := io.ReadFull(b, head[:]); err != nil || binary.LittleEndian.Uint32(head[:]) != 20000630 {
		return nil, errors.New("it is no OpenEXR picture")
	}
	flags := binary.LittleEndian.Uint32(head[4:])
	if flags&0xff != 2 {
		return nil, fmt.Errorf("it is OpenEXR of version %d: 2 can be read", flags&0xff)
	}
	if flags&0x1800 != 0 {
		return nil, errors.New("it is OpenEXR of several parts, or deep: save it as one flat part")
	}
	e := &Reader{r: b, tiled: flags&0x200 != 0}
	if err := e.header(b); err != nil {
		return nil, err
	}
	return e, nil
}

// text reads a name that ends with a 0.
func text(b *bufio.Reader, left *int) (string, error) {
	var out []byte
	for {
		c, err := b.ReadByte()
		if err != nil {
			return "", errors.New("its header is cut off")
		}
		if *left--; *left < 0 || len(out) > 255 {
			return "", errors.New("its header is none: a name does not end")
		}
		if c == 0 {
			return string(out), nil
		}
		out = append(out, c)
	}
}

func (e *Reader) header(b *bufio.Reader) error {
	left := maxHeader
	seen := map[string]bool{}
	le := binary.LittleEndian
	for {
		name, err := text(b, &left)
		if err != nil {
			return err
		}
		if name == "" {
			break
		}
		kind, err := text(b, &left)
		if err != nil {
			return err
		}
		var n [4]byte
		if _, err := io.ReadFull(b, n[:]); err != nil {
			return errors.New("its header is cut off")
		}
		size := int(int32(le.Uint32(n[:])))
		if left -= size + 4; size < 0 || left < 0 {
			return fmt.Errorf("its header is none: %.40q is too large", name)
		}
		v := make([]byte, size)
		if _, err := io.ReadFull(b, v); err != nil {
			return errors.New("its header is cut off")
		}
		seen[name] = true
		bad := fmt.Errorf("its header is none: %.40q of the kind %.40q", name, kind)
		switch name {
		case "channels":
			if e.Channels, err = channels(v); err != nil {
				return err
			}
		case "compression":
			if size != 1 {
				return bad
			}
			if e.method = int(v[0]); e.method >= len(compressions) {
				return fmt.Errorf("it is compressed in a way of its own, %d", e.method)
			}
			e.Compression = compressions[e.method]
		case "dataWindow":
			if size != 16 {
				return bad
			}
			at := func(i int) int { return int(int32(le.Uint32(v[4*i:]))) }
			e.x0, e.y0 = at(0), at(1)
			e.Width, e.Height = at(2)-at(0)+1, at(3)-at(1)+1
			if e.Width < 1 || e.Height < 1 || e.Width > MaxSide || e.Height > MaxSide {
				return fmt.Errorf("it is %d x %d pixels: both sides are 1 to %d", e.Width, e.Height, MaxSide)
			}
		case "lineOrder":
			if size != 1 {
				return bad
			}
			e.lineOrder = int(v[0])
		case "tiles":
			if size != 9 {
				return bad
			}
			e.tw, e.th, e.levels = int(le.Uint32(v)), int(le.Uint32(v[4:])), int(v[8]&15)
			if e.tw < 1 || e.th < 1 || e.tw > MaxSide || e.th > MaxSide || e.levels > 2 {
				return errors.New("its tiles are none")
			}
		}
	}
	for _, need := range []string{"channels", "compression", "dataWindow"} {
		if !seen[need] {
			return fmt.Errorf("its header does not tell %s", need)
		}
	}
	if e.tiled != (e.tw > 0) && e.tiled {
		return errors.New("its header does not tell how large its tiles are")
	}
	return nil
}

func channels(v []byte) (list []Channel, err error) {
	for len(v) > 1 {
		i := bytes.IndexByte(v, 0)
		if i < 1 || len(v) < i+17 {
			return nil, errors.New("its list of channels is cut off")
		}
		q := v[i+1:]
		le := binary.LittleEndian
		c := Channel{Name: string(v[:i]), kind: int(le.Uint32(q)), linear: q[4] != 0,
			sx: int(le.Uint32(q[8:])), sy: int(le.Uint32(q[12:]))}
		if c.kind > float || c.sx < 1 || c.sy < 1 || c.sx > 16 || c.sy > 16 {
			return nil, fmt.Errorf("channel %.40q is of no kind that there is", c.Name)
		}
		list = append(list, c)
		if len(list) > maxChannels {
			return nil, fmt.Errorf("it has more than %d channels", maxChannels)
		}
		v = q[16:]
	}
	if len(list) == 0 {
		return nil, errors.New("it has no channels")
	}
	return list, nil
}

// Has says whether there is a channel.
func (e *Reader) Has(name string) bool {
	return slices.ContainsFunc(e.Channels, func(c Channel) bool { return c.Name == name })
}

func (c *Channel) bytes() int {
	if c.kind == half {
		return 2
	}
	return 4
}

// Rows unpacks the picture and gives out every row, or piece of one, of some channels: x and y of its first pixel from
// the upper left, and the values of each channel by their order in names. What is given is valid until it returns.
func (e *Reader) Rows(names []string, got func(x, y int, v [][]float32)) error {
	want := make([]int, len(e.Channels))
	for i := range want {
		want[i] = slices.Index(names, e.Channels[i].Name)
		if c := &e.Channels[i]; want[i] >= 0 && (c.sx != 1 || c.sy != 1) {
			return fmt.Errorf("channel %s has a value for every %d x %d pixels only: save it as RGB", c.Name, c.sx,
				c.sy)
		}
	}
	for _, n := range names {
		if !e.Has(n) {
			return fmt.Errorf("it has no channel %s", n)
		}
	}
	for i := range e.Channels {
		e.pixelBytes += e.Channels[i].bytes()
	}
	blocks := (e.Height + lines[e.method] - 1) / lines[e.method]
	if e.tiled {
		blocks = e.allTiles()
	}
	if _, err := io.CopyN(io.Discard, e.r, 8*int64(blocks)); err != nil {
		return errors.New("its table of blocks is cut off")
	}
	out := make([][]float32, len(names))
	shown := 0
	first := blocks
	if e.tiled {
		first = ((e.Width + e.tw - 1) / e.tw) * ((e.Height + e.th - 1) / e.th)
	}
	for k := 0; k < blocks && shown < first; k++ {
		x, y, w, h, skip, err := e.block()
		if err != nil {
			return fmt.Errorf("block %d of %d: %w", k+1, blocks, err)
		}
		var n [4]byte
		if _, err := io.ReadFull(e.r, n[:]); err != nil {
			return fmt.Errorf("block %d of %d: it is cut off", k+1, blocks)
		}
		size := int(int32(binary.LittleEndian.Uint32(n[:])))
		raw := e.rawSize(x, y, w, h)
		if size < 0 || size > maxBlock || raw > maxBlock {
			return fmt.Errorf("block %d of %d: its size is %d", k+1, blocks, size)
		}
		packed := make([]byte, min(size, 1<<20))
		if size > len(packed) { // as much as comes, not as much as is promised
			var grow bytes.Buffer
			if _, err := io.CopyN(&grow, e.r, int64(size)); err != nil {
				return fmt.Errorf("block %d of %d: it is cut off", k+1, blocks)
			}
			packed = grow.Bytes()
		} else if _, err := io.ReadFull(e.r, packed); err != nil {
			return fmt.Errorf("block %d of %d: it is cut off", k+1, blocks)
		}
		if skip {
			continue
		}
		shown++
		data := packed
		if size < raw || e.method == 0 {
			if data, err = e.unpack(packed, raw, x, y, w, h); err != nil {
				return fmt.Errorf("block %d of %d: %w", k+1, blocks, err)
			}
		}
		if len(data) < raw {
			return fmt.Errorf("block %d of %d: it holds %d bytes of %d", k+1, blocks, len(data), raw)
		}
		for row := range h {
			for i := range e.Channels {
				c := &e.Channels[i]
				if (y+row)%c.sy != 0 {
					continue
				}
				cols := count(x, w, c.sx)
				if want[i] >= 0 {
					out[want[i]] = values(out[want[i]][:0], data, c.kind, cols)
				}
				data = data[cols*c.bytes():]
			}
			got(x-e.x0, y+row-e.y0, out)
		}
	}
	return nil
}

// count is how many of w pixels from x on have a value, where every s-th has.
func count(x, w, s int) (n int) {
	if s == 1 {
		return w
	}
	for i := x; i < x+w; i++ {
		if ((i%s)+s)%s == 0 {
			n++
		}
	}
	return n
}

func (e *Reader) rawSize(x, y, w, h int) (n int) {
	for i := range e.Channels {
		c := &e.Channels[i]
		n += count(x, w, c.sx) * count(y, h, c.sy) * c.bytes()
	}
	return n
}

// allTiles is how many there are of all levels.
func (e *Reader) allTiles() (n int) {
	w, h := e.Width, e.Height
	tiles := func(w, h int) int { return ((w + e.tw - 1) / e.tw) * ((h + e.th - 1) / e.th) }
	switch e.levels {
	case 1: // halved together
		for {
			n += tiles(w, h)
			if w == 1 && h == 1 {
				return n
			}
			w, h = max(w/2, 1), max(h/2, 1)
		}
	case 2: // each by itself
		for x := w; ; x = max(x/2, 1) {
			for y := h; ; y = max(y/2, 1) {
				n += tiles(x, y)
				if y == 1 {
					break
				}
			}
			if x == 1 {
				return n
			}
		}
	}
	return tiles(w, h)
}

// block reads where the next block lies, in the data window's own numbers; skip says that it is of a smaller level.
func (e *Reader) block() (x, y, w, h int, skip bool, err error) {
	var b [16]byte
	n := 4
	if e.tiled {
		n = 16
	}
	if _, err := io.ReadFull(e.r, b[:n]); err != nil {
		return 0, 0, 0, 0, false, errors.New("it is cut off")
	}
	at := func(i int) int { return int(int32(binary.LittleEndian.Uint32(b[4*i:]))) }
	if !e.tiled {
		y = at(0)
		if y < e.y0 || y >= e.y0+e.Height || (y-e.y0)%lines[e.method] != 0 {
			return 0, 0, 0, 0, false, fmt.Errorf("it begins with line %d, where none begins", y)
		}
		return e.x0, y, e.Width, min(lines[e.method], e.y0+e.Height-y), false, nil
	}
	if at(2) != 0 || at(3) != 0 {
		return 0, 0, 1, 1, true, nil
	}
	tx, ty := at(0), at(1)
	if tx < 0 || ty < 0 || tx > MaxSide || ty > MaxSide || tx*e.tw >= e.Width || ty*e.th >= e.Height {
		return 0, 0, 0, 0, false, fmt.Errorf("it is tile %d, %d, which there is not", tx, ty)
	}
	x, y = e.x0+tx*e.tw, e.y0+ty*e.th
	return x, y, min(e.tw, e.x0+e.Width-x), min(e.th, e.y0+e.Height-y), false, nil
}

// values are n numbers of a kind.
func values(to []float32, data []byte, kind, n int) []float32 {
	le := binary.LittleEndian
	for i := range n {
		switch kind {
		case half:
			to = append(to, Half(le.Uint16(data[2*i:])))
		case float:
			to = append(to, math.Float32frombits(le.Uint32(data[4*i:])))
		default:
			to = append(to, float32(le.Uint32(data[4*i:])))
		}
	}
	return to
}

// Half is a number of 16 bits (IEEE 754 binary16).
func Half(h uint16) float32 {
	sign, exp, frac := uint32(h>>15)<<31, uint32(h>>10&31), uint32(h&1023)
	switch {
	case exp == 31:
		return math.Float32frombits(sign | 0x7f800000 | frac<<13)
	case exp == 0:
		f := float32(frac) / (1 << 24)
		if sign != 0 {
			return -f
		}
		return f
	}
	return math.Float32frombits(sign | (exp+112)<<23 | frac<<13)
}

// ToHalf is the nearest number of 16 bits, of two that are as near the even one; what is too large is infinite.
func ToHalf(f float32) uint16 {
	b := math.Float32bits(f)
	sign := uint16(b >> 16 & 0x8000)
	a := b & 0x7fffffff
	switch {
	case a > 0x7f800000: // no number
		return sign | 0x7e00
	case a >= 0x47800000: // 65536 and more
		return sign | 0x7c00
	case a < 0x38800000: // smaller than the least that is whole: in steps of 2^-24
		return sign | uint16(math.RoundToEven(float64(math.Float32frombits(a))*(1<<24)))
	}
	a += 0xfff + a>>13&1
	return sign | uint16((a-0x38000000)>>13)
}
