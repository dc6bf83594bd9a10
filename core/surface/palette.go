package surface

import (
	"cmp"
	"image"
	"math"
	"slices"

	"visator/core/chroma"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/light"
)

// Swatch is one colour of a palette.
type Swatch struct {
	Color string  `json:"color"` // #rrggbb
	Share float64 `json:"share"` // of the picture
}

// Sizes of palettes.
const (
	LeastColors = 3
	MostColors  = 12
)

// cell is the pixels of a picture that are of nearly one colour.
type cell struct {
	lab   Lab
	count float64
}

// cells gathers the pixels of a picture by their leading five bits of each channel; what is see-through counts less.
func cells(pictures ...*image.NRGBA) []cell {
	type sum struct{ r, g, b, n int64 }
	var sums [1 << 15]sum
	for _, m := range pictures {
		for y := range m.Rect.Dy() {
			row := m.Pix[y*m.Stride : y*m.Stride+4*m.Rect.Dx()]
			for i := 0; i+3 < len(row); i += 4 {
				if row[i+3] < 128 {
					continue
				}
				s := &sums[int(row[i]>>3)<<10|int(row[i+1]>>3)<<5|int(row[i+2]>>3)]
				s.r, s.g, s.b, s.n = s.r+int64(row[i]), s.g+int64(row[i+1]), s.b+int64(row[i+2]), s.n+1
			}
		}
	}
	var list []cell
	for i := range sums {
		s := &sums[i]
		if s.n == 0 {
			continue
		}
		of := func(x int64) float64 { return finish.Decode(float64(x) / float64(s.n) / 255) }
		list = append(list, cell{chroma.OK(geom.V{X: of(s.r), Y: of(s.g), Z: of(s.b)}), float64(s.n)})
	}
	return list
}

func away(o, q Lab) float64 {
	l, a, b := o.L-q.L, o.A-q.A, o.B-q.B
	return l*l + a*a + b*b
}

// Palette is so many colours of pictures, with the share that each has, the largest first: the means of clusters in
// OKLab (Lloyd 1982), begun with those colours that lie farthest from all before (Gonzalez 1985, by how many pixels
// they have). There are fewer where there are fewer colours. The same pictures give the same palette.
func Palette(colors int, pictures ...*image.NRGBA) []Swatch {
	list := cells(pictures...)
	colors = min(max(colors, LeastColors), MostColors, len(list))
	if colors == 0 {
		return nil
	}
	total := 0.0
	var mean Lab
	for _, c := range list {
		total += c.count
		mean.L, mean.A, mean.B = mean.L+c.count*c.lab.L, mean.A+c.count*c.lab.A, mean.B+c.count*c.lab.B
	}
	mean = Lab{L: mean.L / total, A: mean.A / total, B: mean.B / total}
	far := make([]float64, len(list))
	for i := range list {
		far[i] = away(list[i].lab, mean)
	}
	means := make([]Lab, 0, colors)
	for range colors {
		best, at := -1.0, 0
		for i := range list {
			if w := far[i] * math.Sqrt(list[i].count); w > best {
				best, at = w, i
			}
		}
		means = append(means, list[at].lab)
		for i := range list {
			far[i] = min(far[i], away(list[i].lab, list[at].lab))
		}
	}
	weights := make([]float64, colors)
	of := make([]int, len(list))
	for range 40 {
		changed := false
		sums := make([]Lab, colors)
		clear(weights)
		for i := range list {
			c := &list[i]
			k := nearest(means, c.lab)
			changed, of[i] = changed || of[i] != k, k
			s := &sums[k]
			s.L, s.A, s.B = s.L+c.count*c.lab.L, s.A+c.count*c.lab.A, s.B+c.count*c.lab.B
			weights[k] += c.count
		}
		for k := range means {
			if w := weights[k]; w > 0 {
				means[k] = Lab{L: sums[k].L / w, A: sums[k].A / w, B: sums[k].B / w}
			}
		}
		if !changed {
			break
		}
	}
	out := make([]Swatch, 0, colors)
	for k := range means {
		if weights[k] > 0 {
			out = append(out, Swatch{light.HexOf(means[k].Linear()), weights[k] / total})
		}
	}
	slices.SortStableFunc(out, func(a, b Swatch) int { return cmp.Compare(b.Share, a.Share) })
	return out
}

func nearest(list []Lab, c Lab) int {
	best, at := math.Inf(1), 0
	for k := range list {
		if d := away(list[k], c); d < best {
			best, at = d, k
		}
	}
	return at
}

// Off is how far a colour is from the nearest of a palette (CIEDE2000), and which that is; -1: the palette has none.
func Off(c geom.V, palette []Swatch) (apart float64, at int) {
	apart, at = math.Inf(1), -1
	lab := CIE(c)
	for i, s := range palette {
		q, err := ParseColor(s.Color)
		if err != nil {
			continue
		}
		if d := Apart(lab, CIE(q)); d < apart {
			apart, at = d, i
		}
	}
	if at < 0 {
		apart = 0
	}
	return apart, at
}

// Accent is the most colourful of a palette: the one with the largest chroma in OKLab.
func Accent(palette []Swatch) (out Swatch) {
	most := -1.0
	for _, s := range palette {
		c, err := ParseColor(s.Color)
		if l := chroma.OK(c); err == nil && math.Hypot(l.A, l.B) > most {
			out, most = s, math.Hypot(l.A, l.B)
		}
	}
	return out
}

// What makes a colour louder than an accent allows (common practice).
const (
	loud      = 0.75 // of the accent's chroma
	otherHue  = 35   // degrees beside it
	leastLoud = 0.06 // chroma in OKLab below which nothing is loud
)

// Louder tells whether a colour vies with an accent: it is nearly as colourful, and of another hue.
func Louder(c geom.V, accent Swatch) bool {
	a, err := ParseColor(accent.Color)
	if err != nil {
		return false
	}
	x, y := chroma.OK(c), chroma.OK(a)
	cx, cy := math.Hypot(x.A, x.B), math.Hypot(y.A, y.B)
	if cx < leastLoud || cx < loud*cy {
		return false
	}
	return x.A*y.A+x.B*y.B < cx*cy*math.Cos(otherHue*math.Pi/180)
}

// Pulled is a colour brought towards another by a share, in OKLab.
func Pulled(c, towards geom.V, share float64) geom.V {
	a, b := chroma.OK(c), chroma.OK(towards)
	got := Lab{L: a.L + (b.L-a.L)*share, A: a.A + (b.A-a.A)*share, B: a.B + (b.B-a.B)*share}.Linear()
	of := func(x float64) float64 { return min(max(x, 0), 1) }
	return geom.V{X: of(got.X), Y: of(got.Y), Z: of(got.Z)}
}

// Shift moves every texel of a picture by a difference in OKLab.
func Shift(m *image.NRGBA, by Lab) {
	type rgb [3]uint8
	known := map[rgb]rgb{}
	for i := 0; i+3 < len(m.Pix); i += 4 {
		k := rgb{m.Pix[i], m.Pix[i+1], m.Pix[i+2]}
		to, ok := known[k]
		if !ok {
			linear := func(x uint8) float64 { return finish.Decode(float64(x) / 255) }
			o := chroma.OK(geom.V{X: linear(k[0]), Y: linear(k[1]), Z: linear(k[2])})
			c := Lab{L: o.L + by.L, A: o.A + by.A, B: o.B + by.B}.Linear()
			of := func(x float64) uint8 { return uint8(math.Round(255 * min(max(finish.Encode(x), 0), 1))) }
			to = rgb{of(c.X), of(c.Y), of(c.Z)}
			if len(known) < 1<<16 {
				known[k] = to
			}
		}
		m.Pix[i], m.Pix[i+1], m.Pix[i+2] = to[0], to[1], to[2]
	}
}
