// Package kinds knows what things are called and how large they are: a table
// of kinds with the ranges of their dimensions, the words that people use for
// them in file names, and a reader of such names.
package kinds

import (
	_ "embed"
	"fmt"
	"math"
	"strconv"
	"strings"
)

//go:embed kinds.txt
var table string

// Range is what nine of ten things of a kind measure, in metres.
type Range struct{ Low, High float64 }

// sigmas of a normal distribution lie between its 5th and 95th percentile.
const sigmas = 2 * 1.6449

// Normal is the normal distribution of the natural logarithm of a dimension.
type Normal struct {
	Mean, Deviation, LogDeviation float64
}

func (r Range) normal() Normal {
	const least = 0.05 // a kind that is made to one size still varies from maker to maker
	lo, hi := math.Log(r.Low), math.Log(r.High)
	dev := max((hi-lo)/sigmas, least)
	return Normal{(lo + hi) / 2, dev, math.Log(dev)}
}

// Kind is a kind of thing.
type Kind struct {
	Name    string
	Height  Range // along up
	Length  Range // the longer side on the ground
	Breadth Range // the shorter side on the ground
	Common  bool  // there are many of them on sale
	Words   []string
	Parts   []string
	Source  string
	Logs    [3]Normal // of height, length and breadth
}

// All is the table, in the order of the file.
var All = func() []Kind {
	list, err := parse(table)
	if err != nil {
		panic(err) // the table is part of the program, and tested
	}
	return list
}()

func parse(text string) (out []Kind, err error) {
	for i, line := range strings.Split(text, "\n") {
		if line = strings.TrimSpace(line); line == "" || line[0] == '#' {
			continue
		}
		f := strings.Split(line, "|")
		if len(f) != 7 {
			return nil, fmt.Errorf("kinds, line %d: %d fields, 7 are expected", i+1, len(f))
		}
		for k := range f {
			f[k] = strings.TrimSpace(f[k])
		}
		k := Kind{Name: strings.TrimPrefix(f[0], "*"), Common: strings.HasPrefix(f[0], "*"), Words: list(f[4]),
			Parts: list(f[5]), Source: f[6]}
		for j, r := range []*Range{&k.Height, &k.Length, &k.Breadth} {
			if *r, err = parseRange(f[j+1]); err != nil {
				return nil, fmt.Errorf("kinds, line %d: %w", i+1, err)
			}
		}
		k.Logs = [3]Normal{k.Height.normal(), k.Length.normal(), k.Breadth.normal()}
		out = append(out, k)
	}
	return out, nil
}

func parseRange(s string) (Range, error) {
	lo, hi, ok := strings.Cut(s, "-")
	a, err := strconv.ParseFloat(lo, 64)
	b, err2 := strconv.ParseFloat(hi, 64)
	if !ok || err != nil || err2 != nil || !(a > 0 && a < b) {
		return Range{}, fmt.Errorf("%q is not a range such as 0.7-1.1", s)
	}
	return Range{a, b}, nil
}

func list(s string) (out []string) {
	for w := range strings.SplitSeq(s, ",") {
		if w = strings.TrimSpace(w); w != "" {
			out = append(out, w)
		}
	}
	return out
}

// rarity is how much a word tells, in doublings, that n kinds of the table
// share.
func rarity(n int) float64 { return math.Log2(float64(len(All)) / float64(n) / 16) }
