package openexr

import "encoding/binary"

// b44 unpacks halves in squares of four by four: the first whole, the others as differences of six bits; a square of
// one value takes three bytes. What is no half is not packed.
func (e *Reader) b44(in []byte, x, y, w, h int) ([]byte, error) {
	le := binary.LittleEndian
	planes := make([][]byte, len(e.Channels)) // of each channel its rows
	for i := range e.Channels {
		c := &e.Channels[i]
		nx, ny := count(x, w, c.sx), count(y, h, c.sy)
		if c.kind != half {
			n := nx * ny * c.bytes()
			if len(in) < n {
				return nil, errBroken
			}
			planes[i], in = in[:n], in[n:]
			continue
		}
		plane := make([]byte, 2*nx*ny)
		for by := 0; by < ny; by += 4 {
			for bx := 0; bx < nx; bx += 4 {
				var s [16]uint16
				switch {
				case len(in) < 3:
					return nil, errBroken
				case in[2] >= 13<<2:
					flat := uint16(in[0])<<8 | uint16(in[1])
					for k := range s {
						s[k] = flat
					}
					in = in[3:]
				case len(in) < 14:
					return nil, errBroken
				default:
					square(&s, in)
					in = in[14:]
				}
				for k, v := range s {
					px, py := bx+k%4, by+k/4
					if px >= nx || py >= ny {
						continue
					}
					if v&0x8000 != 0 { // as they are ordered: negative ones turned round
						v &= 0x7fff
					} else {
						v = ^v
					}
					le.PutUint16(plane[2*(py*nx+px):], v)
				}
			}
		}
		planes[i] = plane
	}
	return e.woven(planes, x, y, w, h), nil
}

// square unpacks 14 bytes: the first value, how far differences are shifted, and fifteen of six bits, down the first
// column and then along each row.
func square(s *[16]uint16, b []byte) {
	s[0] = uint16(b[0])<<8 | uint16(b[1])
	shift := b[2] >> 2
	bias := uint16(0x20) << shift
	at := uint(22) // bits read so far
	next := func() uint16 {
		i, off := at/8, at%8
		two := uint16(b[i]) << 8
		if i+1 < 14 {
			two |= uint16(b[i+1])
		}
		at += 6
		return two >> (10 - off) & 63
	}
	add := func(from uint16) uint16 { return from + next()<<shift - bias }
	s[4] = add(s[0])
	s[8] = add(s[4])
	s[12] = add(s[8])
	for col := 1; col < 4; col++ {
		for row := range 4 {
			s[4*row+col] = add(s[4*row+col-1])
		}
	}
}
