package openexr

import "encoding/binary"

// PIZ: 16-bit words, renumbered to those that occur, halved again and again by a wavelet, and coded by Huffman.

const (
	wordBits = 16
	allWords = 1 << wordBits
	codes    = allWords + 1 // and one that says how often the last comes again
	maxCode  = 58           // bits of a code
)

func (e *Reader) piz(packed []byte, x, y, w, h int) ([]byte, error) {
	if len(packed) < 4 {
		return nil, errBroken
	}
	le := binary.LittleEndian
	var used [allWords / 8]byte
	lo, hi := int(le.Uint16(packed)), int(le.Uint16(packed[2:]))
	packed = packed[4:]
	if hi >= len(used) {
		return nil, errBroken
	}
	if lo <= hi {
		if len(packed) < hi-lo+1 {
			return nil, errBroken
		}
		copy(used[lo:hi+1], packed)
		packed = packed[hi-lo+1:]
	}
	// The word that a number stands for: 0 always, then those that are marked.
	var words [allWords]uint16
	n := 0
	for i := range allWords {
		if i == 0 || used[i>>3]&(1<<(i&7)) != 0 {
			words[n] = uint16(i)
			n++
		}
	}
	largest := n - 1
	if len(packed) < 4 {
		return nil, errBroken
	}
	size := int(le.Uint32(packed))
	if packed = packed[4:]; size < 0 || size > len(packed) {
		return nil, errBroken
	}
	type plane struct{ at, nx, ny, size int }
	planes := make([]plane, len(e.Channels))
	total := 0
	for i := range e.Channels {
		c := &e.Channels[i]
		planes[i] = plane{total, count(x, w, c.sx), count(y, h, c.sy), c.bytes() / 2}
		total += planes[i].nx * planes[i].ny * planes[i].size
	}
	data, err := unhuffed(packed[:size], total)
	if err != nil {
		return nil, err
	}
	for _, p := range planes {
		for k := range p.size {
			unwave(data[p.at+k:], p.nx, p.size, p.ny, p.nx*p.size, largest)
		}
	}
	for i, v := range data {
		data[i] = words[v]
	}
	out := make([]byte, 0, 2*total)
	for row := range h {
		for i := range planes {
			p := &planes[i]
			if (y+row)%e.Channels[i].sy != 0 {
				continue
			}
			n := p.nx * p.size
			for _, v := range data[p.at : p.at+n] {
				out = append(out, byte(v), byte(v>>8))
			}
			p.at += n
		}
	}
	return out, nil
}

// bitsOf reads bits, the highest first.
type bitsOf struct {
	in   []byte
	have uint64
	n    uint
}

func (b *bitsOf) fill(n uint) bool {
	for b.n < n {
		if len(b.in) == 0 {
			return false
		}
		b.have = b.have<<8 | uint64(b.in[0])
		b.in = b.in[1:]
		b.n += 8
	}
	return true
}

func (b *bitsOf) take(n uint) (uint64, bool) {
	if !b.fill(n) {
		return 0, false
	}
	b.n -= n
	return b.have >> b.n & (1<<n - 1), true
}

// unhuffed unpacks so many words.
func unhuffed(in []byte, count int) ([]uint16, error) {
	out := make([]uint16, 0, count)
	if len(in) == 0 && count == 0 {
		return out, nil
	}
	if len(in) < 20 {
		return nil, errBroken
	}
	le := binary.LittleEndian
	first, last, nbits := int(le.Uint32(in)), int(le.Uint32(in[4:])), int(le.Uint32(in[12:]))
	if first < 0 || last < first || last >= codes || nbits < 0 {
		return nil, errBroken
	}
	b := &bitsOf{in: in[20:]}
	length := make([]uint8, codes)
	const shortZeros, longZeros, longRun = 59, 63, 6 // lengths that say how many codes are not there
	for i := first; i <= last; i++ {
		l, ok := b.take(6)
		if !ok {
			return nil, errBroken
		}
		zeros := 0
		switch {
		case l == longZeros:
			z, ok := b.take(8)
			if !ok {
				return nil, errBroken
			}
			zeros = int(z) + longRun
		case l >= shortZeros:
			zeros = int(l) - shortZeros + 2
		default:
			length[i] = uint8(l)
			continue
		}
		if i+zeros > last+1 {
			return nil, errBroken
		}
		i += zeros - 1
	}
	// Codes of a length follow each other, those of longer ones are smaller.
	var n [maxCode + 1]uint64
	for _, l := range length {
		n[l]++
	}
	var from [maxCode + 1]uint64
	c := uint64(0)
	for l := maxCode; l > 0; l-- {
		next := (c + n[l]) >> 1
		from[l] = c
		c = next
	}
	var list [maxCode + 1][]int // words of a length, by their code
	for i, l := range length {
		if l > 0 {
			list[l] = append(list[l], i)
		}
	}
	body := b.in
	if (nbits+7)/8 > len(body) {
		return nil, errBroken
	}
	b = &bitsOf{in: body[:(nbits+7)/8]}
	left := nbits
	for len(out) < count {
		code, l := uint64(0), 0
		word := -1
		for word < 0 {
			bit, ok := b.take(1)
			if l++; !ok || l > maxCode || left == 0 {
				return nil, errBroken
			}
			left--
			code = code<<1 | bit
			if k := code - from[l]; code >= from[l] && k < uint64(len(list[l])) {
				word = list[l][k]
			}
		}
		if word != last {
			out = append(out, uint16(word))
			continue
		}
		again, ok := b.take(8)
		if !ok || left < 8 || len(out) == 0 || len(out)+int(again) > count {
			return nil, errBroken
		}
		left -= 8
		for range again {
			out = append(out, out[len(out)-1])
		}
	}
	return out, nil
}

// unwave undoes the wavelet of a plane of nx by ny words, ox and oy apart.
func unwave(in []uint16, nx, ox, ny, oy, largest int) {
	narrow := largest < 1<<14
	n := min(nx, ny)
	p := 1
	for p <= n {
		p <<= 1
	}
	p >>= 1
	p2 := p
	p >>= 1
	back := func(l, h uint16) (uint16, uint16) {
		if narrow {
			hi := int(int16(h))
			a := int(int16(l)) + hi&1 + hi>>1
			return uint16(int16(a)), uint16(int16(a - hi))
		}
		m, d := int(l), int(h)
		b := (m - d>>1) & 0xffff
		return uint16(d + b - 0x8000), uint16(b)
	}
	for p >= 1 {
		y := 0
		for ; y+p2 <= ny; y += p2 {
			x := 0
			for ; x+p2 <= nx; x += p2 {
				a, b := y*oy+x*ox, y*oy+(x+p)*ox
				c, d := (y+p)*oy+x*ox, (y+p)*oy+(x+p)*ox
				i00, i10 := back(in[a], in[c])
				i01, i11 := back(in[b], in[d])
				in[a], in[b] = back(i00, i01)
				in[c], in[d] = back(i10, i11)
			}
			if nx&p != 0 {
				a, c := y*oy+x*ox, (y+p)*oy+x*ox
				in[a], in[c] = back(in[a], in[c])
			}
		}
		if ny&p != 0 {
			for x := 0; x+p2 <= nx; x += p2 {
				a, b := y*oy+x*ox, y*oy+(x+p)*ox
				in[a], in[b] = back(in[a], in[b])
			}
		}
		p2 = p
		p >>= 1
	}
}
