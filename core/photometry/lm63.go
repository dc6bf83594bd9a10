package photometry

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// tilted is the line of TILT=, -1 if there is none.
func tilted(lines []string) int {
	for i, l := range lines {
		if strings.HasPrefix(strings.ToUpper(strings.TrimSpace(l)), "TILT=") {
			return i
		}
	}
	return -1
}

// numbers are what follows in a file, with the line of each.
type numbers struct {
	list []float64
	line []int
	at   int
}

// next is the next number; what names it in an error.
func (n *numbers) next(what string) (float64, error) {
	if n.at >= len(n.list) {
		return 0, fmt.Errorf("it ends before %s: a number or a line is missing", what)
	}
	n.at++
	return n.list[n.at-1], nil
}

// many are the next numbers.
func (n *numbers) many(count int, what string) ([]float64, error) {
	if n.at+count > len(n.list) {
		return nil, fmt.Errorf("it ends %d numbers before %s are complete: %d were announced", n.at+count-len(n.list),
			what,
			count)
	}
	n.at += count
	return n.list[n.at-count : n.at : n.at], nil
}

// where is the line of the number that was read last.
func (n *numbers) where() int {
	if n.at == 0 || n.at > len(n.line) {
		return 0
	}
	return n.line[n.at-1]
}

// counted reads numbers parted by blanks or commas; from is the line number of the first of the lines.
func counted(lines []string, from int) (*numbers, error) {
	n := &numbers{}
	for i, l := range lines {
		for _, word := range strings.FieldsFunc(l, func(r rune) bool {
			return r == ' ' || r == '\t' || r == ',' ||
				r == '\x1a'
		}) {
			x, err := strconv.ParseFloat(word, 64)
			if err != nil || math.IsInf(x, 0) || math.IsNaN(x) {
				return nil, fmt.Errorf("line %d: %.40q is no number", from+i, word)
			}
			n.list, n.line = append(n.list, x), append(n.line, from+i)
		}
	}
	return n, nil
}

// commasForPoints says whether numbers of some lines are written as 1,5.
func commasForPoints(lines []string) bool {
	commas, points := 0, 0
	for _, l := range lines {
		points += strings.Count(l, ".")
		for _, word := range strings.Fields(l) {
			if i := strings.IndexByte(word, ','); i > 0 && i < len(word)-1 && strings.Count(word, ",") == 1 {
				commas++
			}
		}
	}
	return commas > 0 && points == 0
}

// keyword is what a line such as [MANUFAC] Name tells.
func keyword(line, key string) (string, bool) {
	l := strings.TrimSpace(line)
	if len(l) < len(key)+2 || !strings.EqualFold(l[:len(key)+2], "["+key+"]") {
		return "", false
	}
	return clipped(l[len(key)+2:]), true
}

// clipped is a name as long as one may be.
func clipped(s string) string {
	s = strings.ToValidUTF8(strings.TrimSpace(s), "")
	if r := []rune(s); len(r) > 80 {
		s = string(r[:80])
	}
	return s
}

// readLM63 reads the form of the Illuminating Engineering Society.
func readLM63(lines []string) (*Web, error) {
	tilt := tilted(lines)
	if tilt < 0 {
		return nil, fmt.Errorf("it has no line TILT=: after its names an LM-63 file says TILT=NONE")
	}
	w := &Web{Form: "LM-63-1986"}
	switch head := strings.ToUpper(strings.TrimSpace(lines[0])); {
	case head == "IESNA91":
		w.Form = "LM-63-1991"
	case strings.HasPrefix(head, "IESNA:LM-63-"), strings.HasPrefix(head, "IES:LM-63-"):
		w.Form = clipped(head[strings.IndexByte(head, ':')+1:])
	case tilt > 0:
		w.Name = clipped(lines[0])
	}
	for _, l := range lines[:tilt] {
		if v, ok := keyword(l, "MANUFAC"); ok {
			w.Maker = v
		} else if v, ok := keyword(l, "LUMINAIRE"); ok {
			w.Name = v
		}
	}
	rest := lines[tilt+1:]
	if commasForPoints(rest) {
		return nil, fmt.Errorf("line %d and after: numbers seem to have commas for points: write 1.5, not 1,5",
			tilt+2)
	}
	n, err := counted(rest, tilt+2)
	if err != nil {
		return nil, err
	}
	var factors [2][]float64 // of TILT=INCLUDE: angles and multipliers
	switch kind := strings.ToUpper(strings.TrimSpace(strings.TrimSpace(lines[tilt])[len("TILT="):])); kind {
	case "NONE", "":
	case "INCLUDE":
		if _, err := n.next("the lamp's position"); err != nil {
			return nil, err
		}
		pairs, err := n.next("how many tilts there are")
		if err != nil {
			return nil, err
		}
		if pairs != math.Trunc(pairs) || pairs < 1 || pairs > maxAngles {
			return nil, fmt.Errorf("line %d: %v tilts cannot be", n.where(), pairs)
		}
		for k, what := range [2]string{"angles of tilt", "multipliers of tilt"} {
			if factors[k], err = n.many(int(pairs), what); err != nil {
				return nil, err
			}
		}
	default:
		return nil, fmt.Errorf("line %d: its tilts lie in another file, %.60q: put them in with TILT=INCLUDE, or "+
			"write TILT=NONE", tilt+1, kind)
	}
	var head [13]float64
	for i, what := range [13]string{"the number of lamps", "lumens a lamp", "the multiplier",
		"the number of vertical angles",
		"the number of horizontal angles", "the photometric type", "the unit", "the width", "the length", "the height",
		"the ballast factor", "the ballast-lamp factor", "the watts"} {
		if head[i], err = n.next(what); err != nil {
			return nil, err
		}
	}
	count := [2]int{}
	for k := range count {
		x := head[3+k]
		if x != math.Trunc(x) || x < 1 || x > maxAngles {
			return nil, fmt.Errorf("%v %s angles cannot be: 1 to %d", x, [2]string{"vertical", "horizontal"}[k],
				maxAngles)
		}
		count[k] = int(x)
	}
	switch head[5] {
	case 1, 2, 3:
		w.Type = " CBA"[int(head[5])]
	default:
		return nil, fmt.Errorf("photometric type %v is none: 1 is C, 2 is B, 3 is A", head[5])
	}
	unit := 1.0
	switch head[6] {
	case 1:
		unit = 0.3048
	case 2:
	default:
		return nil, fmt.Errorf("unit %v is none: 1 is feet, 2 is metres", head[6])
	}
	w.Size = [3]float64{head[7] * unit, head[8] * unit, head[9] * unit}
	if head[1] > 0 {
		w.Rated = head[0] * head[1]
	}
	w.Watts = head[12]
	// The factor of 1986 to 1995 after the ballast's is for later use, or that of the lamp with its ballast: 1 mostly.
	times := head[2] * head[10]
	if head[11] > 0 {
		times *= head[11]
	}
	if !(times > 0) || math.IsInf(times, 0) {
		return nil, fmt.Errorf("its multiplier %v and factors %v, %v leave nothing of its light", head[2], head[10],
			head[11])
	}
	if need, have := count[0]+count[1]+count[0]*count[1], len(n.list)-n.at; need != have {
		return nil, fmt.Errorf("line %d: %d numbers follow it, but %d vertical and %d horizontal angles need %d: a "+
			"count is wrong, or a line is missing", n.where(), have, count[0], count[1], need)
	}
	if w.Vertical, err = n.many(count[0], "the vertical angles"); err != nil {
		return nil, err
	}
	if w.Horizontal, err = n.many(count[1], "the horizontal angles"); err != nil {
		return nil, err
	}
	if err := ascending("vertical", w.Vertical); err != nil {
		return nil, err
	}
	if err := ascending("horizontal", w.Horizontal); err != nil {
		return nil, err
	}
	if f := tiltFactor(factors); f > 0 { // as it is hung: not tilted
		times *= f
	}
	for i := range count[1] {
		c, err := n.many(count[0], fmt.Sprintf("the intensities of horizontal angle %d", i+1))
		if err != nil {
			return nil, err
		}
		for k := range c {
			c[k] *= times
		}
		w.Candela = append(w.Candela, c)
	}
	return w, nil
}

// tiltFactor is the multiplier at a tilt of 0; 0 where it is not told.
func tiltFactor(f [2][]float64) float64 {
	for i, a := range f[0] {
		if a == 0 {
			return f[1][i]
		}
	}
	return 0
}
