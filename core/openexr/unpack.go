package openexr

import (
	"bytes"
	"compress/zlib"
	"errors"
	"io"
)

var errBroken = errors.New("what it is packed in is broken")

// unpack is a block as it was before it was compressed.
func (e *Reader) unpack(packed []byte, raw, x, y, w, h int) ([]byte, error) {
	switch e.Compression {
	case "NONE":
		return packed, nil
	case "RLE":
		out, err := runs(packed, raw)
		return joined(out), err
	case "ZIPS", "ZIP":
		out, err := inflated(packed, raw)
		return joined(out), err
	case "PXR24":
		return e.pxr24(packed, x, y, w, h)
	case "PIZ":
		return e.piz(packed, x, y, w, h)
	case "DWAA", "DWAB":
		return e.dwa(packed, x, y, w, h)
	}
	return e.b44(packed, x, y, w, h)
}

// woven are the rows of a block, each with its channels one after the other, of what lies channel by channel.
func (e *Reader) woven(planes [][]byte, x, y, w, h int) []byte {
	out := make([]byte, 0, e.rawSize(x, y, w, h))
	for row := range h {
		for i := range planes {
			c := &e.Channels[i]
			if (y+row)%c.sy != 0 {
				continue
			}
			n := count(x, w, c.sx) * c.bytes()
			out = append(out, planes[i][:n]...)
			planes[i] = planes[i][n:]
		}
	}
	return out
}

func inflated(packed []byte, size int) ([]byte, error) {
	z, err := zlib.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, errBroken
	}
	defer z.Close()
	var out bytes.Buffer
	if n, err := io.Copy(&out, io.LimitReader(z, int64(size))); err != nil || n != int64(size) {
		return nil, errBroken
	}
	return out.Bytes(), nil
}

// runs unpacks run lengths.
func runs(in []byte, size int) (out []byte, err error) {
	for len(in) > 0 {
		n := int(int8(in[0]))
		in = in[1:]
		if n < 0 {
			if len(in) < -n {
				return nil, errBroken
			}
			out = append(out, in[:-n]...)
			in = in[-n:]
		} else {
			if len(in) < 1 {
				return nil, errBroken
			}
			for range n + 1 {
				out = append(out, in[0])
			}
			in = in[1:]
		}
		if len(out) > size {
			return nil, errBroken
		}
	}
	if len(out) != size {
		return nil, errBroken
	}
	return out, nil
}

// joined undoes the differences, and the parting into even and odd bytes.
func joined(p []byte) []byte {
	for i := 1; i < len(p); i++ {
		p[i] += p[i-1] - 128
	}
	out := make([]byte, len(p))
	mid := (len(p) + 1) / 2
	for i := range out {
		out[i] = p[i/2+i%2*mid]
	}
	return out
}

// pxr24 unpacks numbers whose bytes lie apart, as differences along a row; floats have lost their last eight bits.
func (e *Reader) pxr24(packed []byte, x, y, w, h int) ([]byte, error) {
	size, raw := 0, 0
	for i := range e.Channels {
		c := &e.Channels[i]
		n := count(x, w, c.sx) * count(y, h, c.sy)
		raw += n * c.bytes()
		size += n * [3]int{4, 2, 3}[c.kind]
	}
	in, err := inflated(packed, size)
	if err != nil {
		return nil, err
	}
	out := make([]byte, 0, raw)
	for row := range h {
		for i := range e.Channels {
			c := &e.Channels[i]
			if (y+row)%c.sy != 0 {
				continue
			}
			n := count(x, w, c.sx)
			planes := [3]int{4, 2, 3}[c.kind]
			var v uint32
			for k := range n {
				var d uint32
				for p := range planes {
					d = d<<8 | uint32(in[p*n+k])
				}
				if c.kind == float {
					d <<= 8
				}
				v += d
				if c.kind == half {
					out = append(out, byte(v), byte(v>>8))
				} else {
					out = append(out, byte(v), byte(v>>8), byte(v>>16), byte(v>>24))
				}
			}
			in = in[planes*n:]
		}
	}
	return out, nil
}
