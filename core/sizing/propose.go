package sizing

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/sizing/kinds"
	"visator/core/unit"
)

// Subject is what a proposal goes by: a model as its file gives it.
type Subject struct {
	Name     string // of the file or the piece
	Format   string
	Unit     model.Unit // as the file states it, or as is assumed
	Up       model.Axis
	Box      geom.Box // in the coordinates of the file
	Parts    []Named
	Surfaces []string
	Patterns []Pattern // of the surfaces that bear maps
	Shape    Shape

	once    sync.Once
	named   naming       // what its names say
	weighed []hypothesis // and all that is for each hypothesis but the others of its supplier
}

// Named is a part of a model.
type Named struct {
	Name string
	Box  geom.Box // in the coordinates of the file
}

// Candidate is a unit and an up axis for a model.
type Candidate struct {
	MetresPerUnit float64
	Up            model.Axis
	Size          geom.V  // width, height and depth in metres
	Score         float64 // how likely it is, 0 to 1
	Kind          string  // what it would be; "" when nothing tells
	Reasons       []string
}

// Proposal is what a model may measure, the likeliest first.
type Proposal struct {
	Candidates []Candidate
	Sure       bool // sure enough to be accepted together with others
}

// The model
//
// A hypothesis is a unit (any length that one unit of the file may stand for)
// with an up axis. Its probability given all that is known of the subject is,
// by Bayes' rule, proportional to
//
//	prior(unit, axis | format, what the file states)
//	× Σ P(kind | names) × P(dimensions | kind)
//	× Π P(dimensions of a part | what the part is called)
//	× P(shape | axis) × P(texels a metre) × P(lengths that the name gives)
//
// P(dimensions | kind) is log-normal in each dimension, with the ranges of the
// kinds' table as 5th and 95th percentile, and has a heavy tail, because things
// are made that are out of the common. Subjects of one supplier share their
// mistake with probability shared.
const (
	shared    = 0.85 // that two models of one supplier have the same unit and axis
	tail      = 0.06 // of things that are out of the common
	tailWidth = 3.0  // in deviations of the common ones
	together  = 0.75 // weight of the three dimensions together: they are not independent
	partsSay  = 0.5  // weight of the dimensions of one part, for the same reason
	fromParts = 0.75 // how far what the parts are called tells what the whole is
	anonymous = 0.6  // that a thing without a name is of a kind of the table
	sureFrom  = 0.97 // a score from which a proposal is called sure; see the test of its calibration
)

// scale is a length that one unit of a file may stand for.
type scale struct {
	metres float64
	weight float64
}

// unstated are the units of formats that state none. Memory: what the files of
// suppliers turn out to be in.
var unstated = map[string][]scale{
	"": {{1, 0.34}, {0.01, 0.31}, {0.001, 0.12}, {0.0254, 0.10}, {0.1, 0.03}, {0.3048, 0.04}, {10, 0.012},
		{100, 0.012}, {0.0001, 0.004}, {1000, 0.004}, {0.9144, 0.004}},
	"STL": {{0.001, 0.58}, {1, 0.10}, {0.01, 0.10}, {0.0254, 0.15}, {0.1, 0.01}, {0.3048, 0.01}, {10, 0.004},
		{0.0001, 0.004}},
	"PLY": {{1, 0.5}, {0.001, 0.22}, {0.01, 0.14}, {0.0254, 0.05}, {0.3048, 0.03}, {0.1, 0.02}, {10, 0.005},
		{100, 0.005}},
}

// mistakes are the factors by which files are off that state a unit: another
// unit was meant, or the same conversion was made twice or not at all.
var mistakes = []scale{{1, 0.74}, {0.01, 0.06}, {100, 0.035}, {0.001, 0.035}, {1000, 0.012}, {10, 0.015}, {0.1, 0.015},
	{0.0254, 0.03}, {1 / 0.0254, 0.006}, {0.3048, 0.015}, {1 / 0.3048, 0.006}, {2.54, 0.012}, {1 / 2.54, 0.006}}

// scales are the units that a subject may be in, with their prior.
func (s *Subject) scales() []scale {
	if s.Unit.From == "assumed" {
		if list, ok := unstated[s.Format]; ok {
			return list
		}
		return unstated[""]
	}
	var out []scale
	for _, m := range mistakes {
		out = append(out, scale{m.metres * s.Unit.MetresPerUnit, m.weight})
	}
	return out
}

var axes = [3]model.Axis{"X", "Y", "Z"}

// ups is the prior of the up axis, X, Y and Z.
func (s *Subject) ups() [3]float64 {
	switch {
	case s.Format == "STL":
		return [3]float64{0.02, 0.25, 0.73}
	case s.Format == "OBJ":
		return [3]float64{0.01, 0.72, 0.27}
	case s.Format == "PLY":
		return [3]float64{0.02, 0.5, 0.48}
	case s.Format == "GLB" || s.Format == "glTF":
		return [3]float64{0.005, 0.955, 0.04}
	}
	out := [3]float64{0.02, 0.06, 0.06}
	out[slices.Index(axes[:], s.Up)] = 0.9
	return out
}

// hypothesis is a unit with an up axis, and what is for it, as logarithms.
type hypothesis struct {
	metres                                                float64
	up                                                    int
	prior                                                 float64 // a probability
	name, parts, shape, texels, lengths, friends, decided float64
	kind                                                  *kinds.Kind // the likeliest
	word                                                  string      // that told
}

func (h *hypothesis) likelihood() float64 {
	return h.name + h.parts + h.shape + h.texels + h.lengths + h.decided
}

// dimensions are height, length and breadth in metres of a box of the file.
func (h *hypothesis) dimensions(b geom.Box) [3]float64 {
	size := b.Size()
	s := [3]float64{size.X * h.metres, size.Y * h.metres, size.Z * h.metres}
	u, v := s[(h.up+1)%3], s[(h.up+2)%3]
	return [3]float64{s[h.up], max(u, v), min(u, v)}
}

// density is the logarithm of how likely the dimensions are for a kind, by
// logarithms of metres. A dimension that is nothing, as of a flat card, tells
// nothing.
func density(k *kinds.Kind, logs [3]float64) float64 {
	common, odd := 0.0, 0.0
	for i := range k.Logs {
		if n := &k.Logs[i]; !math.IsInf(logs[i], -1) {
			z := (logs[i] - n.Mean) / n.Deviation
			common += -z*z/2 - n.LogDeviation - halfLog2Pi
			odd += -z*z/(2*tailWidth*tailWidth) - n.LogDeviation - logTailWidth - halfLog2Pi
		}
	}
	return sumLog(logCommon+together*common, logTail+together*odd)
}

var logCommon, logTail, logTailWidth = math.Log(1 - tail), math.Log(tail), math.Log(tailWidth)

const halfLog2Pi = 0.9189385332046727

func normal(x, mean, dev float64) float64 {
	z := (x - mean) / dev
	return -z*z/2 - math.Log(dev) - halfLog2Pi
}

// sumLog is log(eᵃ + eᵇ).
func sumLog(a, b float64) float64 {
	if a < b {
		a, b = b, a
	}
	if b < a-40 { // beyond what a float64 holds
		return a
	}
	return a + math.Log1p(math.Exp(b-a))
}

func logs(d [3]float64) (out [3]float64) {
	for i, v := range d {
		out[i] = math.Log(v) // of nothing: -Inf
	}
	return out
}

// anything is the density of a thing of which nothing is known: most of what
// stands in sets is between a hand and a house (memory).
func anything(l [3]float64) float64 {
	most := max(l[0], l[1])
	d := normal(most, math.Log(0.9), 1.6)
	for i, v := range l {
		if i > 0 && !math.IsInf(v, -1) {
			d += normal(v, most-0.7, 1.2)
		}
	}
	return together * d
}

// naming is what the names of a subject say it is.
type naming struct {
	kinds    []kinds.Match
	reliance float64
	parts    []kinds.Match
	inside   []inside
}

// inside is a part that is of a kind itself.
type inside struct {
	name     string
	kinds    []kinds.Match
	reliance float64
	box      geom.Box
}

func (s *Subject) naming() (n naming) {
	n.kinds, n.reliance = kinds.Recognise(s.Name)
	var list []string
	byWord := map[string]int{}
	for _, p := range s.Parts {
		list = append(list, p.Name)
		m, r := kinds.Recognise(p.Name)
		if len(m) == 0 || p.Box.IsEmpty() || len(n.kinds) > 0 && m[0].Kind == n.kinds[0].Kind {
			continue
		}
		// Of several wheels one is looked at: the largest.
		at, ok := byWord[m[0].Word]
		if !ok {
			byWord[m[0].Word] = len(n.inside)
			n.inside = append(n.inside, inside{p.Name, m, r, p.Box})
		} else if p.Box.Size().Len() > n.inside[at].box.Size().Len() {
			n.inside[at].box, n.inside[at].name = p.Box, p.Name
		}
	}
	const looked = 8 // parts: more tell the same again
	if len(n.inside) > looked {
		n.inside = n.inside[:looked]
	}
	// Exporters often call the only part after the thing.
	if len(n.kinds) == 0 && len(n.inside) == 1 && len(s.Parts) == 1 {
		n.kinds, n.reliance = n.inside[0].kinds, n.inside[0].reliance
		n.inside = nil
	}
	n.parts = kinds.FromParts(append(list, s.Surfaces...))
	return n
}

// whole is the density of the dimensions given what the names say, and the
// kind that explains them best.
func (n *naming) whole(l [3]float64) (d float64, kind *kinds.Kind, word string) {
	d, best := math.Inf(-1), math.Inf(-1)
	left := 1.0
	mix := func(list []kinds.Match, weight float64, tell bool) {
		for _, m := range list {
			v := math.Log(weight*m.Weight) + density(m.Kind, l)
			d = sumLog(d, v)
			if v > best && tell {
				best, kind, word = v, m.Kind, m.Word
			}
		}
	}
	if len(n.kinds) > 0 {
		mix(n.kinds, n.reliance, true)
		left -= n.reliance
	}
	if len(n.parts) > 0 {
		mix(n.parts, left*fromParts, true)
		left *= 1 - fromParts
	}
	mix(everything, left*anonymous, false)
	return sumLog(d, math.Log(left*(1-anonymous))+anything(l)), kind, word
}

// everything is the table as the kinds that a thing without a name may be.
var everything = func() (out []kinds.Match) {
	sum := 0.0
	for i := range kinds.All {
		w := 1.0
		if kinds.All[i].Common {
			w = 4
		}
		sum += w
		out = append(out, kinds.Match{Kind: &kinds.All[i], Weight: w})
	}
	for i := range out {
		out[i].Weight /= sum
	}
	return out
}()

// part is the density of the dimensions of a part.
func (p *inside) density(l [3]float64) float64 {
	// A part may lie otherwise than the thing would on its own.
	d := math.Log(1-p.reliance*0.9) + anything(l)
	for _, m := range p.kinds {
		d = sumLog(d, math.Log(p.reliance*0.9*m.Weight)+density(m.Kind, l))
	}
	return d
}

var lengthWords = regexp.MustCompile(`(?i)(?:^|[^a-z0-9.,])(\d{1,5}(?:[.,]\d{1,3})?)(?:[x×](\d{1,5}(?:[.,]\d{1,3})?))?(?:[x×](\d{1,5}(?:[.,]\d{1,3})?))?[ _-]?(mm|cm|m|ft|inch|in)(?:[^a-z]|$)`)

// lengthsIn are the lengths in metres that a name gives: "crate_60x40cm".
func lengthsIn(name string) (out []float64) {
	for _, m := range lengthWords.FindAllStringSubmatch(name, 4) {
		u, ok := unit.ByName(m[4])
		if !ok {
			continue
		}
		for _, n := range m[1:4] {
			if v, err := strconv.ParseFloat(strings.Replace(n, ",", ".", 1), 64); err == nil && v > 0 {
				out = append(out, v*u.Metres)
			}
		}
	}
	return out
}

// texels are those along one unit of the file, of each surface that has any.
func (s *Subject) texels() (out []float64) {
	for i := range s.Patterns {
		if p := &s.Patterns[i]; p.Pixels > 0 {
			out = append(out, p.Texels())
		}
	}
	return out
}

// weigh fills in what is for every hypothesis of a subject.
func (s *Subject) weigh() []hypothesis {
	s.named = s.naming()
	n, ups, given, texels := &s.named, s.ups(), lengthsIn(s.Name), s.texels()
	var out []hypothesis
	for _, sc := range s.scales() {
		for up := range axes {
			h := hypothesis{metres: sc.metres, up: up, prior: sc.weight * ups[up]}
			l := logs(h.dimensions(s.Box))
			h.name, h.kind, h.word = n.whole(l)
			for i := range n.inside {
				h.parts += partsSay * n.inside[i].density(logs(h.dimensions(n.inside[i].box)))
			}
			h.shape = s.Shape.Upright(up)
			for _, t := range texels {
				// Artists give a metre between some hundred and some thousand texels (memory).
				h.texels += normal(math.Log(t/sc.metres), math.Log(900), 1.5) / float64(len(texels))
			}
			for _, g := range given {
				best := math.Inf(-1)
				for _, v := range l {
					best = max(best, normal(math.Log(g), v, 0.05))
				}
				h.lengths += sumLog(math.Log(0.7)+best, math.Log(0.3)+normal(math.Log(g), 0, 2.5)) / float64(len(given))
			}
			out = append(out, h)
		}
	}
	return out
}

// certain is how much an artist's own decision outweighs all evidence, as a
// logarithm.
const certain = 50

// evidence is what weigh found, worked out once, with what was decided.
func (s *Subject) evidence(decided *Sizing) []hypothesis {
	s.once.Do(func() { s.weighed = s.weigh() })
	out := slices.Clone(s.weighed)
	if decided != nil && decided.Factor == 1 {
		for i := range out {
			if h := &out[i]; !decided.Is(h.metres, axes[h.up]) {
				h.decided = -certain
			}
		}
	}
	return out
}

// Propose tells what each of the models of one supplier may measure, and why, in
// the ruler's words. What was decided about some of them already tells about the
// others; decided may be nil.
// A subject may be used again, also by several at once, but not changed.
func Propose(in unit.Ruler, list []*Subject, decided map[*Subject]*Sizing) []Proposal {
	all := make([][]hypothesis, len(list))
	groups := map[string][]int{} // of models whose files state the same
	for i, s := range list {
		all[i] = s.evidence(decided[s])
		key := fmt.Sprint(s.Unit.MetresPerUnit, s.Unit.From == "assumed", s.Up)
		if s.Unit.From == "assumed" {
			key = s.Format // the priors differ
		}
		groups[key] = append(groups[key], i)
	}
	out := make([]Proposal, len(list))
	for _, g := range groups {
		agree(all, g)
		for _, i := range g {
			out[i] = list[i].propose(in, all[i], len(g))
		}
	}
	return out
}

// agree gives every hypothesis what the other models of the group say for it.
func agree(all [][]hypothesis, group []int) {
	if len(group) < 2 {
		return
	}
	n := len(all[group[0]])
	// say is, of a model, the logarithm of how well each hypothesis explains it
	// if its mistake is the group's with probability shared.
	say := make([][]float64, len(group))
	sum := make([]float64, n)
	for gi, i := range group {
		anyhow := math.Inf(-1) // whichever of them is true
		for k := range all[i] {
			anyhow = sumLog(anyhow, math.Log(all[i][k].prior)+all[i][k].likelihood())
		}
		say[gi] = make([]float64, n)
		for k := range all[i] {
			say[gi][k] = sumLog(math.Log(shared)+all[i][k].likelihood(), math.Log(1-shared)+anyhow)
			sum[k] += say[gi][k]
		}
	}
	for gi, i := range group {
		total := math.Inf(-1)
		for k := range all[i] {
			total = sumLog(total, math.Log(all[i][k].prior)+sum[k]-say[gi][k])
		}
		for k := range all[i] {
			h := &all[i][k]
			others := math.Log(h.prior) + sum[k] - say[gi][k] - total
			h.friends = sumLog(math.Log(shared)+others, math.Log(1-shared)+math.Log(h.prior)) - math.Log(h.prior)
		}
	}
}

func (s *Subject) propose(in unit.Ruler, list []hypothesis, group int) Proposal {
	size := s.Box.Size()
	if s.Box.IsEmpty() || !(size.Max() > 0) || math.IsInf(size.Max(), 0) {
		return Proposal{}
	}
	total := math.Inf(-1)
	score := func(h *hypothesis) float64 { return math.Log(h.prior) + h.likelihood() + h.friends }
	for i := range list {
		total = sumLog(total, score(&list[i]))
	}
	slices.SortStableFunc(list, func(a, b hypothesis) int { return cmp.Compare(score(&b), score(&a)) })
	var p Proposal
	for i := range list {
		h := &list[i]
		probability := math.Exp(score(h) - total)
		if i >= 3 && probability < 0.002 || i >= 12 {
			break
		}
		sizing := Sizing{MetresPerUnit: h.metres, Up: axes[h.up], Factor: 1}
		c := Candidate{MetresPerUnit: h.metres, Up: axes[h.up], Size: sizing.Size(s.Box), Score: probability}
		if h.kind != nil {
			c.Kind = h.kind.Name
		}
		c.Reasons = s.reasons(in, h, list, group)
		p.Candidates = append(p.Candidates, c)
	}
	p.Sure = len(p.Candidates) > 0 && p.Candidates[0].Score >= sureFrom
	return p
}
