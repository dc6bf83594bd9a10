package photometry

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// readEulumdat reads EULUMDAT: one value a line, in a fixed order (A. Stockmar, EULUMDAT - ein Leuchtendatenformat,
// 1990). Decimal commas are read too.
func readEulumdat(lines []string) (*Web, error) {
	at := 0
	text := func(what string) (string, error) {
		if at >= len(lines) {
			return "", fmt.Errorf("line %d: it ends before %s. It is neither EULUMDAT nor LM-63, or a line is missing",
				at+1,
				what)
		}
		at++
		return strings.TrimSpace(lines[at-1]), nil
	}
	number := func(what string, lo, hi float64) (float64, error) {
		s, err := text(what)
		if err != nil {
			return 0, err
		}
		x, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64)
		if err != nil {
			return 0, fmt.Errorf("line %d: %s is %.40q, not a number", at, what, s)
		}
		if !(x >= lo && x <= hi) {
			return 0, fmt.Errorf("line %d: %s is %v: %v to %v can be", at, what, x, lo, hi)
		}
		return x, nil
	}
	w := &Web{Form: "EULUMDAT", Type: 'C'}
	var err error
	if w.Maker, err = text("the maker"); err != nil {
		return nil, err
	}
	w.Maker = clipped(w.Maker)
	var head [6]float64
	for i, f := range [6]struct {
		what   string
		lo, hi float64
	}{{"the kind", 0, 3}, {"the symmetry", 0, 4}, {"the number of C planes", 1, 721}, {"the distance of C planes", 0,
		360},
		{"the number of angles in a plane", 1, maxAngles}, {"the distance of angles", 0, 180}} {
		if head[i], err = number(f.what, f.lo, f.hi); err != nil {
			return nil, err
		}
		if i%2 == 0 && i < 5 && head[i] != math.Trunc(head[i]) || i == 1 && head[i] != math.Trunc(head[i]) {
			return nil, fmt.Errorf("line %d: %s is %v, not a whole number", at, f.what, head[i])
		}
	}
	symmetry, planes, angles := int(head[1]), int(head[2]), int(head[4])
	for i, what := range [5]string{"the report", "the name", "the number", "the file's name", "the date"} {
		s, err := text(what)
		if err != nil {
			return nil, err
		}
		if i == 1 {
			w.Name = clipped(s)
		}
	}
	var mm [9]float64
	for i := range mm {
		if mm[i], err = number("a length in mm", -1e6, 1e6); err != nil {
			return nil, err
		}
	}
	w.Size = [3]float64{mm[4] / 1000, mm[3] / 1000, mm[5] / 1000}
	if mm[4] == 0 { // round: its width is 0, its length the diameter
		w.Size = [3]float64{-mm[3] / 1000, -mm[3] / 1000, mm[5] / 1000}
	}
	var rest [5]float64
	for i, what := range [5]string{"the flux downwards", "the output ratio", "the factor", "the tilt",
		"the sets of lamps"} {
		if rest[i], err = number(what, -1000, 1e6); err != nil {
			return nil, err
		}
	}
	sets := int(rest[4])
	if float64(sets) != rest[4] || sets < 1 || sets > 20 {
		return nil, fmt.Errorf("line %d: %v sets of lamps cannot be: 1 to 20", at, rest[4])
	}
	factor := rest[2]
	if factor == 0 {
		factor = 1
	}
	absolute := false
	for k := range sets {
		n, err := number("the number of lamps", -1e6, 1e6)
		if err != nil {
			return nil, err
		}
		if _, err := text("the kind of lamps"); err != nil {
			return nil, err
		}
		flux, err := number("the lumens of lamps", 0, 1e9)
		if err != nil {
			return nil, err
		}
		for _, what := range [2]string{"the colour of lamps", "their colour rendering"} {
			if _, err := text(what); err != nil {
				return nil, err
			}
		}
		watts, err := number("the watts", 0, 1e7)
		if err != nil {
			return nil, err
		}
		if k == 0 { // the others are what it can be fitted with instead
			absolute = n < 0
			w.Rated, w.Watts = flux, watts
		}
	}
	for range 10 {
		if _, err := number("a direct ratio", -1e6, 1e6); err != nil {
			return nil, err
		}
	}
	all, err := list(number, planes, "a C angle", 0, 360)
	if err != nil {
		return nil, err
	}
	if w.Vertical, err = list(number, angles, "an angle", 0, 180); err != nil {
		return nil, err
	}
	first, count := 0, planes
	switch symmetry {
	case 1:
		count = 1
	case 2:
		count = planes/2 + 1
	case 3:
		first, count = 3*(planes/4), planes/2+1
	case 4:
		count = planes/4 + 1
	}
	if symmetry != 3 && first+count > planes || count < 1 {
		return nil, fmt.Errorf("%d planes do not fit symmetry %d", planes, symmetry)
	}
	for k := range count {
		h := all[(first+k)%planes]
		if symmetry == 3 { // from 270 over 0 to 90: told as the plane from 90 to 270, seen from the other side
			h = math.Mod(540-h, 360)
		}
		w.Horizontal = append(w.Horizontal, h)
		c, err := list(number, angles, fmt.Sprintf("an intensity of plane %v", h), 0, 1e12)
		if err != nil {
			return nil, err
		}
		for i := range c {
			c[i] *= factor * w.Rated / 1000 // told for a thousand lumens of its lamps
		}
		w.Candela = append(w.Candela, c)
	}
	if symmetry == 0 && planes > 1 && w.Horizontal[planes-1] < 360 { // it closes
		w.Horizontal = append(w.Horizontal, 360)
		w.Candela = append(w.Candela, w.Candela[0])
	}
	if symmetry == 3 {
		slices.Reverse(w.Candela)
		slices.Reverse(w.Horizontal)
	}
	if absolute {
		w.Rated = 0
	}
	if err := ascending("vertical", w.Vertical); err != nil {
		return nil, err
	}
	return w, ascending("horizontal", w.Horizontal)
}

func list(number func(string, float64, float64) (float64, error), n int, what string, lo, hi float64) ([]float64,
	error) {
	out := make([]float64, n)
	for i := range out {
		x, err := number(fmt.Sprintf("%s (%d of %d)", what, i+1, n), lo, hi)
		if err != nil {
			return nil, err
		}
		out[i] = x
	}
	return out, nil
}
