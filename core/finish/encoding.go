package finish

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/png"
	"io"
	"math"
	"slices"

	"visator/core/chroma"
	"visator/core/geom"
	"visator/core/optics"
	"visator/core/points"
)

// Encoding is how the values of a finished picture are written.
type Encoding struct {
	Name string
	// The code points of ITU-T H.273 by which a PNG says it (PNG, third edition: cICP): primaries and transfer.
	primaries, transfer uint8
	matrix              chroma.Matrix // from linear Rec.709
	curve               func(float64) float64
	bright              bool // what is brighter than white stays so
}

// PaperWhite is what the white of a picture is in PQ, cd/m² (ITU-R BT.2408: diffuse white).
const PaperWhite = 203.0

// encodings are the ways that are known.
var encodings = []Encoding{
	{Name: "sRGB", primaries: 1, transfer: 13, matrix: chroma.Matrix{{X: 1}, {Y: 1}, {Z: 1}}, curve: Encode},
	{Name: "Display P3", primaries: 12, transfer: 13, matrix: toP3(), curve: Encode},
	{Name: "Rec.709", primaries: 1, transfer: 1, matrix: chroma.Matrix{{X: 1}, {Y: 1}, {Z: 1}}, curve: rec709},
	{Name: "PQ", primaries: 9, transfer: 16, matrix: to2020(), bright: true,
		curve: func(v float64) float64 { return PQ(v * PaperWhite) }},
}

// Encodings are the names of the ways in which a picture is written.
func Encodings() (list []string) {
	for _, e := range encodings {
		list = append(list, e.Name)
	}
	return list
}

// EncodingOf is one by its name.
func EncodingOf(name string) (*Encoding, error) {
	i := slices.IndexFunc(encodings, func(e Encoding) bool { return e.Name == name })
	if i < 0 {
		return nil, fmt.Errorf("%.40q is no encoding: there are %v", name, Encodings())
	}
	return &encodings[i], nil
}

// rec709 is the transfer of ITU-R BT.709.
func rec709(v float64) float64 {
	switch {
	case !(v > 0):
		return 0
	case v < 0.018:
		return 4.5 * v
	}
	return min(1.099*math.Pow(v, 0.45)-0.099, 1)
}

// PQ is the perceptual quantizer of SMPTE ST 2084: the signal, 0 to 1, of a luminance in cd/m² up to 10,000.
func PQ(luminance float64) float64 {
	const m1, m2, c1, c2, c3 = 0.1593017578125, 78.84375, 0.8359375, 18.8515625, 18.6875
	y := math.Pow(min(max(luminance/10_000, 0), 1), m1)
	return math.Pow((c1+c2*y)/(1+c3*y), m2)
}

// primaries is the matrix to XYZ of three primaries and the white D65 by their chromaticities.
func primaries(r, g, b [2]float64) chroma.Matrix {
	xyz := func(c [2]float64) geom.V { return geom.V{X: c[0] / c[1], Y: 1, Z: (1 - c[0] - c[1]) / c[1]} }
	x, y, z, w := xyz(r), xyz(g), xyz(b), xyz([2]float64{0.3127, 0.3290})
	m := chroma.Matrix{{X: x.X, Y: y.X, Z: z.X}, {X: x.Y, Y: y.Y, Z: z.Y}, {X: x.Z, Y: y.Z, Z: z.Z}}
	inverse := m.Inverse()
	s := inverse.Of(w)
	for i := range m {
		m[i] = m[i].Times(s)
	}
	return m
}

// toP3 and to2020 are the matrices from linear Rec.709 to the primaries of SMPTE EG 432-1 (P3, with D65) and of ITU-R
// BT.2020.
func toP3() chroma.Matrix {
	return between([2]float64{0.680, 0.320}, [2]float64{0.265, 0.690}, [2]float64{0.150, 0.060})
}

func to2020() chroma.Matrix {
	return between([2]float64{0.708, 0.292}, [2]float64{0.170, 0.797}, [2]float64{0.131, 0.046})
}

func between(r, g, b [2]float64) chroma.Matrix {
	from := primaries([2]float64{0.64, 0.33}, [2]float64{0.30, 0.60}, [2]float64{0.15, 0.06})
	to := primaries(r, g, b)
	inverse := to.Inverse()
	return inverse.Mul(&from)
}

// dither is the seed of the numbers that values are dithered by.
const dither = 0x7a11

// WritePNG finishes a picture as Develop does and writes it in an encoding, with 8 or 16 bits a value: what lies
// between two steps is dithered by triangular noise two steps wide, so that no bands are seen.
func WritePNG(w io.Writer, l *Linear, v *optics.View, c Chain, e *Encoding, bits int) error {
	p := c.applied(l, v, !e.bright)
	wide, high := l.Width, l.Height
	img := image.NewNRGBA64(image.Rect(0, 0, wide, high))
	small := image.NewNRGBA(image.Rect(0, 0, wide, high))
	for i := range wide * high {
		s := points.New(dither, i%wide, i/wide, 0)
		o := e.matrix.Of(geom.V{X: float64(p.RGB[3*i]), Y: float64(p.RGB[3*i+1]), Z: float64(p.RGB[3*i+2])})
		for k, x := range [3]float64{o.X, o.Y, o.Z} {
			a, b := s.Next2()
			noise := a + b - 1
			if bits == 16 {
				binary.BigEndian.PutUint16(img.Pix[8*i+2*k:], uint16(min(max(e.curve(x)*65535+0.5+noise, 0), 65535)))
			} else {
				small.Pix[4*i+k] = uint8(min(max(e.curve(x)*255+0.5+noise, 0), 255))
			}
		}
		binary.BigEndian.PutUint16(img.Pix[8*i+6:], 65535)
		small.Pix[4*i+3] = 255
	}
	var out bytes.Buffer
	var err error
	if bits == 16 {
		err = png.Encode(&out, img)
	} else {
		err = png.Encode(&out, small)
	}
	if err != nil {
		return err
	}
	// The chunk that says what the values are comes after the head: 8 bytes of signature, 25 of IHDR.
	const head = 8 + 25
	chunk := append([]byte("cICP"), e.primaries, e.transfer, 0, 1)
	chunk = binary.BigEndian.AppendUint32(chunk, crc32.ChecksumIEEE(chunk))
	all := append(slices.Clone(out.Bytes()[:head]), 0, 0, 0, 4)
	all = append(append(all, chunk...), out.Bytes()[head:]...)
	_, err = w.Write(all)
	return err
}
