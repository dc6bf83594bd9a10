// Package cube reads and writes tables that colours are looked up in, in the form of .cube files (Adobe, Cube LUT
// Specification 1.0, 2013): of one dimension, each channel for itself, or of three.
package cube

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"visator/core/geom"
)

// Limits of the specification: how many entries a table has along a side.
const (
	least  = 2
	most1D = 65536
	most3D = 256
)

// MaxBytes bounds a file: a table of three dimensions of 129 a side, with comments.
const MaxBytes = 129 * 129 * 129 * 48

// Cube is a table. Of three dimensions red changes fastest.
type Cube struct {
	Title    string
	Size     int
	Three    bool
	Min, Max geom.V // domain
	Table    []float32
}

// Read reads a table. What is wrong is told with its line.
func Read(r io.Reader) (*Cube, error) {
	c := &Cube{Max: geom.V{X: 1, Y: 1, Z: 1}}
	lines := bufio.NewScanner(io.LimitReader(r, MaxBytes+1))
	want, read := 0, 0
	for n := 1; lines.Scan(); n++ {
		if read += len(lines.Bytes()) + 1; read > MaxBytes {
			return nil, fmt.Errorf("it is larger than %d MB: its table is too fine", MaxBytes>>20)
		}
		line := strings.TrimSpace(lines.Text())
		if line == "" || line[0] == '#' {
			continue
		}
		word, rest, _ := strings.Cut(line, " ")
		rest = strings.TrimSpace(rest)
		var err error
		switch {
		case word == "TITLE":
			c.Title = strings.Trim(rest, "\"")
		case word == "LUT_1D_SIZE", word == "LUT_3D_SIZE":
			if want > 0 {
				return nil, fmt.Errorf("line %d: a second size", n)
			}
			c.Three = word == "LUT_3D_SIZE"
			most := most1D
			if c.Three {
				most = most3D
			}
			if c.Size, err = strconv.Atoi(rest); err != nil || c.Size < least || c.Size > most {
				return nil, fmt.Errorf("line %d: a size of %.20q cannot be: %d to %d", n, rest, least, most)
			}
			if want = c.Size; c.Three {
				want = c.Size * c.Size * c.Size
			}
		case word == "DOMAIN_MIN":
			c.Min, err = three(rest)
		case word == "DOMAIN_MAX":
			c.Max, err = three(rest)
		case word[0] >= 'A' && word[0] <= 'Z':
			return nil, fmt.Errorf("line %d: %.40q is not known", n, word)
		default:
			var v geom.V
			if v, err = three(line); err == nil {
				if want == 0 {
					return nil, fmt.Errorf("line %d: numbers before the size is told", n)
				}
				if len(c.Table) == 3*want {
					return nil, fmt.Errorf("line %d: more than the %d entries of its size", n, want)
				}
				c.Table = append(c.Table, float32(v.X), float32(v.Y), float32(v.Z))
			}
		}
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", n, err)
		}
	}
	switch err := lines.Err(); {
	case err != nil:
		return nil, err
	case want == 0:
		return nil, errors.New("it tells no LUT_1D_SIZE and no LUT_3D_SIZE: it is no .cube file")
	case len(c.Table) != 3*want:
		return nil, fmt.Errorf("it has %d entries, its size asks for %d: it is cut off", len(c.Table)/3, want)
	case !(c.Max.X > c.Min.X && c.Max.Y > c.Min.Y && c.Max.Z > c.Min.Z):
		return nil, fmt.Errorf("its domain goes from %v to %v", c.Min, c.Max)
	}
	return c, nil
}

func three(text string) (v geom.V, err error) {
	parts := strings.Fields(text)
	if len(parts) != 3 {
		return v, fmt.Errorf("%.40q are not three numbers", text)
	}
	for i, to := range []*float64{&v.X, &v.Y, &v.Z} {
		if *to, err = strconv.ParseFloat(parts[i], 64); err != nil || math.IsInf(*to, 0) || *to != *to ||
			math.Abs(*to) > 1e6 {
			return v, fmt.Errorf("%.40q is no number of a table", parts[i])
		}
	}
	return v, nil
}

// At looks a colour up: between entries in proportion, beyond the domain as at its end.
func (c *Cube) At(v geom.V) geom.V {
	at := func(x, lo, hi float64) (int, float64) {
		x = min(max((x-lo)/(hi-lo), 0), 1) * float64(c.Size-1)
		i := min(int(x), c.Size-2)
		return i, x - float64(i)
	}
	i, f := at(v.X, c.Min.X, c.Max.X)
	j, g := at(v.Y, c.Min.Y, c.Max.Y)
	k, h := at(v.Z, c.Min.Z, c.Max.Z)
	entry := func(n, channel int) float64 { return float64(c.Table[3*n+channel]) }
	if !c.Three {
		mix := func(i int, f float64, channel int) float64 {
			return entry(i, channel)*(1-f) + entry(i+1, channel)*f
		}
		return geom.V{X: mix(i, f, 0), Y: mix(j, g, 1), Z: mix(k, h, 2)}
	}
	var out [3]float64
	for corner := range 8 {
		w, n := 1.0, 0
		for axis, part := range [3]struct {
			i    int
			f    float64
			step int
		}{{i, f, 1}, {j, g, c.Size}, {k, h, c.Size * c.Size}} {
			if corner>>axis&1 == 1 {
				w, n = w*part.f, n+(part.i+1)*part.step
			} else {
				w, n = w*(1-part.f), n+part.i*part.step
			}
		}
		for channel := range out {
			out[channel] += w * entry(n, channel)
		}
	}
	return geom.V{X: out[0], Y: out[1], Z: out[2]}
}

// Of is the table of three dimensions of a function of colours from 0 to 1, so many entries a side.
func Of(title string, size int, f func(geom.V) geom.V) *Cube {
	c := &Cube{Title: title, Size: size, Three: true, Max: geom.V{X: 1, Y: 1, Z: 1}}
	n := float64(size - 1)
	for k := range size {
		for j := range size {
			for i := range size {
				v := f(geom.V{X: float64(i) / n, Y: float64(j) / n, Z: float64(k) / n})
				c.Table = append(c.Table, float32(v.X), float32(v.Y), float32(v.Z))
			}
		}
	}
	return c
}

// Write writes a table.
func (c *Cube) Write(w io.Writer) error {
	out := bufio.NewWriter(w)
	title := strings.Map(func(r rune) rune {
		if r == '"' || r < ' ' {
			return -1
		}
		return r
	}, c.Title)
	word := "LUT_1D_SIZE"
	if c.Three {
		word = "LUT_3D_SIZE"
	}
	fmt.Fprintf(out, "TITLE \"%s\"\n%s %d\nDOMAIN_MIN %g %g %g\nDOMAIN_MAX %g %g %g\n", title, word, c.Size, c.Min.X,
		c.Min.Y, c.Min.Z, c.Max.X, c.Max.Y, c.Max.Z)
	for i := 0; i < len(c.Table); i += 3 {
		fmt.Fprintf(out, "%.7g %.7g %.7g\n", c.Table[i], c.Table[i+1], c.Table[i+2])
	}
	return out.Flush()
}
