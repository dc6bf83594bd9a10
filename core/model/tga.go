package model

import (
	"encoding/binary"
	"fmt"
	"image"
	"path"
	"strings"
)

// isTGA tells a Truevision TGA by its name and a header that makes sense: the
// format has no mark at its beginning.
func isTGA(data []byte, name string) bool {
	if !strings.EqualFold(path.Ext(name), ".tga") || len(data) < 18 {
		return false
	}
	kind := data[2] &^ 8
	return data[1] <= 1 && kind >= 1 && kind <= 3
}

// decodeTGA reads colour-mapped, true-colour and grey TGA, plain and
// run-length coded, of 8 to 32 bits (Truevision TGA File Format Specification
// 2.0).
func decodeTGA(data []byte, name string) (*image.NRGBA, error) {
	bad := func(what string) error {
		return fmt.Errorf("picture %q: TGA: %s; save it as PNG", name, what)
	}
	w, h := int(binary.LittleEndian.Uint16(data[12:])), int(binary.LittleEndian.Uint16(data[14:]))
	kind, packed, bits, flags := data[2]&^8, data[2]&8 != 0, int(data[16]), data[17]
	size := (bits + 7) / 8
	// Even run-length coding needs a byte for every 128 pixels.
	if w == 0 || h == 0 || w*h > MaxPixels || w*h > 130*len(data)+1024 {
		return nil, bad("its size cannot be right")
	}
	if bits != 8 && bits != 15 && bits != 16 && bits != 24 && bits != 32 || kind == 2 && bits == 8 || kind != 2 &&
		bits > 16 {
		return nil, bad(fmt.Sprintf("%d bits a pixel are not read", bits))
	}
	colour := func(p []byte) (c [4]uint8) {
		switch len(p) {
		case 1:
			return [4]uint8{p[0], p[0], p[0], 255}
		case 2:
			v := binary.LittleEndian.Uint16(p)
			five := func(shift int) uint8 { x := v >> shift & 31; return uint8(x<<3 | x>>2) }
			return [4]uint8{five(10), five(5), five(0), 255}
		case 3:
			return [4]uint8{p[2], p[1], p[0], 255}
		}
		return [4]uint8{p[2], p[1], p[0], p[3]}
	}
	rest := data[18:]
	skip := int(data[0])
	first, count, mapSize := int(binary.LittleEndian.Uint16(data[3:])), int(binary.LittleEndian.Uint16(data[5:])),
		(int(data[7])+7)/8
	if skip+count*mapSize > len(rest) || data[1] == 1 && (mapSize < 2 || mapSize > 4) {
		return nil, bad("it is cut short")
	}
	palette := rest[skip : skip+count*mapSize]
	if data[1] == 0 {
		palette = nil
	}
	rest = rest[skip+len(palette):]
	pixel := colour
	if kind == 1 {
		pixel = func(p []byte) [4]uint8 {
			i := int(p[0]) - first
			if len(p) > 1 {
				i = int(binary.LittleEndian.Uint16(p)) - first
			}
			if i < 0 || (i+1)*mapSize > len(palette) {
				return [4]uint8{0, 0, 0, 255}
			}
			return colour(palette[i*mapSize : (i+1)*mapSize])
		}
	}
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	opaque := true
	put := func(i int, c [4]uint8) {
		x, y := i%w, i/w
		if flags&0x10 != 0 {
			x = w - 1 - x
		}
		if flags&0x20 == 0 {
			y = h - 1 - y
		}
		copy(img.Pix[img.PixOffset(x, y):], c[:])
		opaque = opaque && c[3] == 0
	}
	for i := 0; i < w*h; {
		n, repeat := w*h, false
		if packed {
			if len(rest) < 1 {
				return nil, bad("it is cut short")
			}
			n, repeat = int(rest[0]&127)+1, rest[0]&128 != 0
			rest = rest[1:]
		}
		n = min(n, w*h-i)
		need := n * size
		if repeat {
			need = size
		}
		if need > len(rest) {
			return nil, bad("it is cut short")
		}
		for k := range n {
			if repeat {
				put(i+k, pixel(rest[:size]))
			} else {
				put(i+k, pixel(rest[k*size:(k+1)*size]))
			}
		}
		rest = rest[need:]
		i += n
	}
	if opaque { // an alpha of nothing but zeros was never meant
		for i := 3; i < len(img.Pix); i += 4 {
			img.Pix[i] = 255
		}
	}
	return img, nil
}
