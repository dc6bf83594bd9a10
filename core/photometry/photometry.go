// Package photometry reads the files in which makers of luminaires tell how their light is spread: IESNA LM-63 of 1986,
// 1991, 1995, 2002 and 2019, and EULUMDAT. Angles are degrees, intensity candela, lengths metres.
package photometry

import (
	"errors"
	"fmt"
	"io"
	"math"
	"sort"
	"strings"

	"visator/core/geom"
)

// Web is a measured luminaire: its luminous intensity over two angles. Of type C the vertical angle runs from 0 below
// it to 180 above, the horizontal one about the axis that points down. Of type B the luminaire is aimed along the
// middle, vertical angles turn about an axis across it, horizontal ones lead towards that axis; of type A vertical
// angles are heights above the level through its aim, horizontal ones turn about the upright (IES LM-63).
type Web struct {
	Form       string // the form of the file, such as LM-63-1995
	Type       byte   // 'A', 'B' or 'C'
	Name       string
	Maker      string
	Vertical   []float64
	Horizontal []float64
	Candela    [][]float64 // for each horizontal angle, by vertical angle
	Rated      float64     // lumens of its lamps as told; 0: not told, intensities are absolute
	Size       [3]float64  // of what shines: across, along, high; negative: round, its diameter
	Watts      float64
	even       float64 // step of the vertical angles, where all are alike
	largest    float64
	lumens     float64
}

// Limits of a file: one of a degree's step is 181 by 361 numbers, 600 kB; four times that is no luminaire.
const (
	MaxFile   = 4 << 20
	maxAngles = 2000
	// MaxCandela is what no luminaire gives: a lighthouse or a searchlight of 1,000,000,000 cd.
	MaxCandela = 1e9
)

// Read reads a file of either form. The error says where it is wrong and what helps.
func Read(r io.Reader) (*Web, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxFile+1))
	if err != nil {
		return nil, err
	}
	if len(data) > MaxFile {
		return nil, fmt.Errorf("it is larger than %d MB: that is no photometric file", MaxFile>>20)
	}
	text := strings.TrimPrefix(string(data), "\ufeff")
	if strings.IndexByte(text, 0) >= 0 {
		return nil, errors.New("it holds bytes that no text has: a photometric file is plain text")
	}
	text = strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
	lines := strings.Split(text, "\n")
	var w *Web
	if tilted(lines) >= 0 || strings.HasPrefix(strings.ToUpper(text), "IES") {
		w, err = readLM63(lines)
	} else {
		w, err = readEulumdat(lines)
	}
	if err != nil {
		return nil, err
	}
	return w, w.settle()
}

// settle checks what every form must hold, and works out what is asked often.
func (w *Web) settle() error {
	for _, c := range w.Candela {
		for _, x := range c {
			if !(x >= 0) || x > MaxCandela {
				return fmt.Errorf("an intensity of %.4g cd cannot be: from 0 to %.0g", x, MaxCandela)
			}
			w.largest = max(w.largest, x)
		}
	}
	if !(w.largest > 0) {
		return errors.New("it gives no light in any direction")
	}
	if n := len(w.Vertical); n > 1 {
		step := (w.Vertical[n-1] - w.Vertical[0]) / float64(n-1)
		w.even = step
		for i, v := range w.Vertical {
			if math.Abs(v-w.Vertical[0]-float64(i)*step) > 1e-6 {
				w.even = 0
			}
		}
	}
	w.lumens = w.addUp()
	return nil
}

// ascending says what is wrong about a list of angles.
func ascending(what string, list []float64) error {
	for i, a := range list {
		if math.IsNaN(a) || a < -180 || a > 360 {
			return fmt.Errorf("%s angle %d is %v: they lie within -180 and 360 degrees", what, i+1, a)
		}
		if i > 0 && a <= list[i-1] {
			return fmt.Errorf("%s angle %d is %v, after %v: they must ascend", what, i+1, a, list[i-1])
		}
	}
	return nil
}

// Largest is the largest intensity.
func (w *Web) Largest() float64 { return w.largest }

// along is where an angle lies in a list: the entry before it and the share of the way to the next. out is how far
// outside of it the angle lies.
func along(list []float64, a float64) (i int, k float64, in bool) {
	n := len(list)
	if a < list[0]-1e-9 || a > list[n-1]+1e-9 {
		return 0, 0, false
	}
	i = min(max(sort.SearchFloat64s(list, a)-1, 0), max(n-2, 0))
	if n == 1 {
		return 0, 0, true
	}
	return i, min(max((a-list[i])/(list[i+1]-list[i]), 0), 1), true
}

// At is the intensity at two angles: between what was measured in straight lines, nothing beyond it. Of type C a file
// of one horizontal angle is the same all around, one that ends at 90 or 180 is mirrored.
func (w *Web) At(horizontal, vertical float64) float64 {
	var j int
	var q float64
	if w.even > 0 {
		x := (vertical - w.Vertical[0]) / w.even
		last := float64(len(w.Vertical) - 1)
		if x < -1e-9 || x > last+1e-9 {
			return 0
		}
		x = min(max(x, 0), last)
		j = min(int(x), len(w.Vertical)-2)
		q = x - float64(j)
	} else {
		var in bool
		if j, q, in = along(w.Vertical, vertical); !in {
			return 0
		}
	}
	i, p, in := along(w.Horizontal, w.folded(horizontal))
	if !in {
		return 0
	}
	between := func(c []float64) float64 {
		if len(c) == 1 {
			return c[0]
		}
		return c[j]*(1-q) + c[j+1]*q
	}
	v := between(w.Candela[i])
	if len(w.Horizontal) > 1 {
		v = v*(1-p) + between(w.Candela[i+1])*p
	}
	return v
}

// folded brings a horizontal angle to where it was measured.
func (w *Web) folded(h float64) float64 {
	first, last := w.Horizontal[0], w.Horizontal[len(w.Horizontal)-1]
	if w.Type != 'C' {
		if first >= 0 {
			return math.Abs(h) // both sides alike
		}
		return h
	}
	if len(w.Horizontal) == 1 {
		return first
	}
	h = math.Mod(math.Mod(h, 360)+360, 360)
	switch {
	case first >= 89 && last <= 271: // both sides of the plane from 90 to 270
		if h < 90 {
			return 180 - h
		} else if h > 270 {
			return 540 - h
		}
		return h
	case last <= 91: // four quarters
		if h > 180 {
			h = 360 - h
		}
		if h > 90 {
			h = 180 - h
		}
		return h
	case last <= 181:
		if h > 180 {
			return 360 - h
		}
	case h > last && first == 0: // a file that leaves 360 out would be dark there
		return last
	}
	return h
}

// Toward is the intensity along a direction in the luminaire's own frame: of type C down is -Y and the plane of 0
// degrees is that of +X, turned towards +Z; of types A and B it is aimed along -Z, with +X on its right.
func (w *Web) Toward(d geom.V) float64 {
	const degree = 180 / math.Pi
	switch w.Type {
	case 'A':
		return w.At(math.Atan2(d.X, -d.Z)*degree, math.Asin(min(max(d.Y, -1), 1))*degree)
	case 'B':
		return w.At(math.Asin(min(max(d.X, -1), 1))*degree, math.Atan2(d.Y, -d.Z)*degree)
	}
	return w.At(math.Atan2(d.Z, d.X)*degree, math.Acos(min(max(-d.Y, -1), 1))*degree)
}

// Steps is how many rings the sphere is cut into where light is added up: a degree each.
const Steps = 180

// Lumens are what it gives in all directions.
func (w *Web) Lumens() float64 { return w.lumens }

// addUp adds its light up over rings of a degree.
func (w *Web) addUp() (sum float64) {
	const around = 72
	for i := range Steps {
		from, to := math.Pi*float64(i)/Steps, math.Pi*float64(i+1)/Steps
		mid := (from + to) / 2
		solid := 2 * math.Pi * (math.Cos(from) - math.Cos(to)) / around
		sin, cos := math.Sincos(mid)
		for k := range around {
			s, c := math.Sincos(2 * math.Pi * (float64(k) + 0.5) / around)
			sum += solid * w.Toward(geom.V{X: sin * c, Y: -cos, Z: sin * s})
		}
	}
	return sum
}

// Middle is the direction of the largest intensity of its own frame.
func (w *Web) Middle() geom.V {
	if w.Type == 'C' {
		return geom.V{Y: -1}
	}
	return geom.V{Z: -1}
}

// Spread is the angle across a beam within which its intensity is at least a share of the largest, in the planes of 0
// and of 90 degrees: 0.5 is the beam, 0.1 the field (IES).
func (w *Web) Spread(share float64) (across, along float64) {
	least := w.largest * share
	side := func(h float64) float64 { // the last angle from the middle at which there is so much
		last := 0.0
		for a := 0.0; a <= 180; a += 0.1 {
			var c float64
			switch w.Type {
			case 'C':
				c = w.At(h, a)
			default:
				sin, cos := math.Sincos(a * math.Pi / 180)
				s, k := math.Sincos(h * math.Pi / 180)
				c = w.Toward(geom.V{X: sin * k, Y: sin * s, Z: -cos})
			}
			if c >= least {
				last = a
			}
		}
		return last
	}
	return side(0) + side(180), side(90) + side(270)
}

// Symmetry says in words how often the light repeats about the axis.
func (w *Web) Symmetry() string {
	n := len(w.Horizontal)
	first, last := w.Horizontal[0], w.Horizontal[n-1]
	switch {
	case w.Type != 'C' && first >= 0:
		return "both sides alike"
	case w.Type != 'C':
		return "none"
	case n == 1:
		return "all around"
	case last <= 91:
		return "four quarters alike"
	case last <= 181, first >= 89 && last <= 271:
		return "both sides alike"
	}
	return "none"
}

// Doubts are plausible mistakes of a file that can be read.
func (w *Web) Doubts() (said []string) {
	lm := w.Lumens()
	if w.Rated > 0 && lm > 1.05*w.Rated {
		said = append(said, fmt.Sprintf("it gives %.0f lm, more than the %.0f lm of its lamps: the multiplier or "+
			"the unit is wrong", lm, w.Rated))
	}
	if w.Rated > 0 && lm < 0.1*w.Rated {
		said = append(said, fmt.Sprintf("it gives %.0f lm, less than a tenth of the %.0f lm of its lamps: the "+
			"multiplier or the unit is wrong", lm, w.Rated))
	}
	if w.largest > 1e7 {
		said = append(said, fmt.Sprintf("its largest intensity is %.3g cd, as of a searchlight", w.largest))
	}
	for _, s := range w.Size {
		if math.Abs(s) > 10 {
			said = append(said, fmt.Sprintf("what shines is %.3g m large: feet or millimetres may have been meant",
				math.Abs(s)))
			break
		}
	}
	if w.Watts > 0 && lm/w.Watts > 260 {
		said = append(said, fmt.Sprintf("%.0f lm per watt is more than lamps give", lm/w.Watts))
	}
	if w.Type == 'C' && w.Vertical[0] >= 89 {
		said = append(said, "it shines upwards alone")
	}
	if w.Type == 'C' && w.Vertical[len(w.Vertical)-1] < 89 {
		said = append(said, fmt.Sprintf("it was measured as far as %.0f degrees from straight down: beyond it is dark",
			w.Vertical[len(w.Vertical)-1]))
	}
	return said
}
