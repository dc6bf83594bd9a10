package sizing

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/unit"
)

// outcome counts how often proposals were right.
type outcome struct {
	samples, first, third, sure, sureWrong int
	bins                                   [10]struct{ n, right int } // of all candidates, by score
}

func (o *outcome) count(p *Proposal, w want) {
	o.samples++
	for i, c := range p.Candidates {
		right := math.Abs(c.MetresPerUnit/w.metres-1) < 1e-6 && c.Up == w.up
		bin := &o.bins[min(int(c.Score*10), 9)]
		bin.n++
		if right {
			bin.right++
			if i == 0 {
				o.first++
			}
			if i < 3 {
				o.third++
			}
		}
		if i == 0 && p.Sure {
			o.sure++
			if !right {
				o.sureWrong++
			}
		}
	}
}

func (o *outcome) share(n int) float64 { return float64(n) / float64(o.samples) }

// trial proposes for samples of every thing, one by one.
func trial(seed uint64, naming string, each int) (o outcome, wrong []string) {
	rng := rand.New(rand.NewPCG(seed, 4))
	for i := range truth {
		for range each {
			st := &statements[rng.IntN(len(statements))]
			w := st.want(rng)
			s := truth[i].make(rng, st, w, naming)
			p := Propose(unit.InMetres, []*Subject{s}, nil)[0]
			before := o.first
			o.count(&p, w)
			if o.first == before {
				wrong = append(wrong, s.Name+" ("+truth[i].kind+")")
			}
		}
	}
	return o, wrong
}

// suppliers proposes for groups of eight things that share a mistake; one in
// ten of them does not. Half of the names tell something.
func suppliers(seed uint64, groups int) (o outcome) {
	rng := rand.New(rand.NewPCG(seed, 5))
	for range groups {
		st := &statements[rng.IntN(len(statements))]
		common := st.want(rng)
		var list []*Subject
		var wants []want
		for range 8 {
			w := common
			if rng.IntN(10) == 0 {
				w = st.want(rng)
			}
			list = append(list,
				truth[rng.IntN(len(truth))].make(rng, st, w, []string{"named", "parts", "nothing",
					"named"}[rng.IntN(4)]))
			wants = append(wants, w)
		}
		for i, p := range Propose(unit.InMetres, list, nil) {
			if wants[i] == common { // the odd one out is a matter of luck
				o.count(&p, wants[i])
			}
		}
	}
	return o
}

func TestProposalsAreRight(t *testing.T) {
	const seed = 2611 // not one that the weights were set with
	things := map[string]bool{}
	for _, x := range truth {
		things[x.kind] = true
	}
	if len(things) < 80 {
		t.Fatalf("%d kinds of things", len(things))
	}
	all := outcome{}
	for _, c := range []struct {
		naming       string
		first, third float64
	}{{"named", 0.95, 0.98}, {"parts", 0.90, 0.95}, {"nothing", 0, 0.80}} {
		o, wrong := trial(seed, c.naming, 3)
		t.Logf("%s: %d samples, right first time %.3f, within three %.3f, sure %.3f, sure and wrong %d", c.naming,
			o.samples, o.share(o.first), o.share(o.third), o.share(o.sure), o.sureWrong)
		if o.share(o.first) < c.first || o.share(o.third) < c.third || float64(o.sureWrong) > 0.02*float64(o.sure) {
			t.Errorf("%s: too often wrong: %q", c.naming, wrong)
		}
		all.add(&o)
	}
	o := suppliers(seed, 60)
	t.Logf("suppliers: %d samples, right first time %.3f, sure %.3f, sure and wrong %d", o.samples, o.share(o.first),
		o.share(o.sure), o.sureWrong)
	if o.share(o.first) < 0.95 || float64(o.sureWrong) > 0.02*float64(o.sure) {
		t.Error("suppliers: too often wrong")
	}
	all.add(&o)
	if all.samples < 300 {
		t.Errorf("%d samples", all.samples)
	}
	if path := os.Getenv("VISATOR_PLOT"); path != "" {
		if err := os.WriteFile(path, []byte(all.plot()+"\n"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	// Calibrated: of the candidates with a score of about p, a share of about p
	// is right.
	for i, b := range all.bins {
		if b.n == 0 {
			continue
		}
		share, middle := float64(b.right)/float64(b.n), (float64(i)+0.5)/10
		t.Logf("score %.1f to %.1f: %d candidates, %.3f right", float64(i)/10, float64(i+1)/10, b.n, share)
		if off := math.Abs(share - middle); b.n >= 100 && off > 0.17 {
			t.Errorf("of candidates with a score of about %.2f, %.2f are right", middle, share)
		}
	}
}

// plot draws the calibration as SVG: of the candidates with a score in a range,
// the share that was right; the area of a dot grows with their number.
func (o *outcome) plot() string {
	var b strings.Builder
	const side, edge = 320.0, 46.0
	at := func(x, y float64) (float64, float64) { return edge + x*side, 12 + (1-y)*side }
	fmt.Fprintf(&b,
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %g %g" font-family="sans-serif" font-size="12"><rect width="100%%" height="100%%" fill="#e6e6e6"/>`, side+2*edge, side+64)
	for k := 0; k <= 10; k += 2 {
		x, y := at(float64(k)/10, float64(k)/10)
		fmt.Fprintf(&b,
			`<path d="M%g 12v%gM%g %gh%g" stroke="#bbb" fill="none"/><text x="%g" y="%g" text-anchor="middle">%d %%</text><text x="%g" y="%g" text-anchor="end">%d %%</text>`, x, side, edge, y, side, x, side+28, 10*k, edge-6, y+4, 10*k)
	}
	x0, y0 := at(0, 0)
	x1, y1 := at(1, 1)
	fmt.Fprintf(&b, `<path d="M%g %gL%g %g" stroke="#161616" stroke-dasharray="4 4"/>`, x0, y0, x1, y1)
	for i, bin := range o.bins {
		if bin.n > 0 {
			x, y := at((float64(i)+0.5)/10, float64(bin.right)/float64(bin.n))
			fmt.Fprintf(&b, `<circle cx="%.1f" cy="%.1f" r="%.1f" fill="#444" fill-opacity="0.75"/>`, x, y,
				2+math.Cbrt(float64(bin.n)))
		}
	}
	fmt.Fprintf(&b,
		`<text x="%g" y="%g" text-anchor="middle">score of a candidate</text><text transform="translate(12 %g) rotate(-90)" text-anchor="middle">share that is right</text></svg>`, edge+side/2, side+48, 12+side/2)
	return b.String()
}

func (o *outcome) add(b *outcome) {
	o.samples += b.samples
	o.first += b.first
	o.third += b.third
	o.sure += b.sure
	o.sureWrong += b.sureWrong
	for i := range o.bins {
		o.bins[i].n += b.bins[i].n
		o.bins[i].right += b.bins[i].right
	}
}

func TestNothingIsProposedWithoutAnExtent(t *testing.T) {
	for name, s := range map[string]*Subject{
		"empty": SubjectOf(&model.Model{Format: "OBJ", Up: "Y", Unit: model.Unit{MetresPerUnit: 1, From: "assumed"}},
			"chair.obj"),
		"point":  subjectOf("chair.obj", 1, 1, 1, 1, 1, 1),
		"beyond": subjectOf("chair.obj", 0, 0, 0, math.Inf(1), 1, 1),
	} {
		if p := Propose(unit.InMetres, []*Subject{s}, nil)[0]; len(p.Candidates) != 0 || p.Sure {
			t.Errorf("%s: %+v", name, p)
		}
	}
	// Flat and gigantic things have a size all the same, and finite scores.
	for name, s := range map[string]*Subject{
		"flat":  subjectOf("rug.obj", 0, 0, 0, 200, 0, 140),
		"line":  subjectOf("rope.obj", 0, 0, 0, 3, 0, 0),
		"giant": subjectOf("asset.obj", 0, 0, 0, 1e12, 1e12, 1e12),
		"speck": subjectOf("asset.obj", 0, 0, 0, 1e-12, 1e-12, 1e-12),
	} {
		p := Propose(unit.InMetres, []*Subject{s}, nil)[0]
		sum := 0.0
		for _, c := range p.Candidates {
			sum += c.Score
			if !c.Size.Finite() || len(c.Reasons) == 0 {
				t.Errorf("%s: %+v", name, c)
			}
		}
		if len(p.Candidates) < 3 || !(sum > 0.5 && sum <= 1+1e-9) {
			t.Errorf("%s: %d candidates, scores sum to %v", name, len(p.Candidates), sum)
		}
	}
}

func subjectOf(name string, x0, y0, z0, x1, y1, z1 float64) *Subject {
	return &Subject{Name: name, Format: "OBJ", Unit: model.Unit{Name: "metre", MetresPerUnit: 1, From: "assumed"},
		Up: "Y", Box: geom.Box{Min: geom.V{X: x0, Y: y0, Z: z0}, Max: geom.V{X: x1, Y: y1, Z: z1}}}
}

func TestReasonsTellWhatSpeaksForIt(t *testing.T) {
	// A chair of 90 cm with +Z up, in centimetres.
	s := subjectOf("dining_chair.obj", 0, 0, 0, 46, 52, 90)
	s.Parts = []Named{{"seat", s.Box}, {"backrest", s.Box}}
	c := Propose(unit.InMetres, []*Subject{s}, nil)[0].Candidates[0]
	if c.MetresPerUnit != 0.01 || c.Up != "Z" || c.Kind != "chair" {
		t.Fatalf("%+v", c)
	}
	all := strings.Join(c.Reasons, "\n")
	for _, want := range []string{`"dining chair" says chair: such things are 0.74 to 1.05 m high`,
		"OBJ files state no unit; many are in centimetres.", "With +Z up it is 0.90 m high."} {
		if !strings.Contains(all, want) {
			t.Errorf("%q is not in\n%s", want, all)
		}
	}
	// A length in the name decides where nothing else does.
	if c := Propose(unit.InMetres, []*Subject{subjectOf("thing_120cm.obj", 0, 0, 0, 47.24, 10, 10)},
		nil)[0].Candidates[0]; c.MetresPerUnit != 0.0254 {
		t.Errorf("a thing of 47.24 that is 120 cm long: %+v", c)
	}
	// What the file states is believed, until its size is beyond belief.
	s = subjectOf("dining_chair.glb", 0, 0, 0, 46, 90, 52)
	s.Format, s.Unit.From = "GLB", "format"
	if c := Propose(unit.InMetres, []*Subject{s}, nil)[0].Candidates[0]; c.MetresPerUnit != 0.01 ||
		!strings.Contains(strings.Join(c.Reasons, " "), "it would be off by 100") {
		t.Errorf("%+v", c)
	}
}

// The scores of a group depend on its members, not on their order.
func TestAGroupHasNoOrder(t *testing.T) {
	a, b, c := subjectOf("asset_1.obj", 0, 0, 0, 30, 40, 30), subjectOf("chair.obj", 0, 0, 0, 46, 90, 52),
		subjectOf("table.obj", 0, 0, 0, 160, 75, 90)
	one, two := Propose(unit.InMetres, []*Subject{a, b, c}, nil), Propose(unit.InMetres, []*Subject{c, a, b}, nil)
	for i, j := range []int{1, 2, 0} {
		x, y := one[i].Candidates[0], two[j].Candidates[0]
		if x.MetresPerUnit != y.MetresPerUnit || math.Abs(x.Score-y.Score) > 1e-9 {
			t.Errorf("%d: %+v and %+v", i, x, y)
		}
	}
	alone := Propose(unit.InMetres, []*Subject{a}, nil)[0].Candidates[0]
	if one[0].Candidates[0].MetresPerUnit != 0.01 || one[0].Candidates[0].Score <= alone.Score {
		t.Errorf("beside a chair and a table in centimetres: %+v; alone: %+v", one[0].Candidates[0], alone)
	}
}

func TestADecisionTellsAboutTheOthers(t *testing.T) {
	nameless := func() *Subject { return subjectOf("asset.obj", 0, 0, 0, 30, 40, 30) }
	a, b := nameless(), nameless()
	before := Propose(unit.InMetres, []*Subject{a, b}, nil)[1]
	after := Propose(unit.InMetres, []*Subject{a, b},
		map[*Subject]*Sizing{a: {MetresPerUnit: 0.0254, Up: "Y", Factor: 1}})[1]
	score := func(p *Proposal) float64 {
		for _, c := range p.Candidates {
			if c.MetresPerUnit == 0.0254 && c.Up == "Y" {
				return c.Score
			}
		}
		return 0
	}
	if x, y := score(&before), score(&after); y < 0.7 || y < x {
		t.Errorf("inches have %v, and %v when the other was decided to be in inches", x, y)
	}
	// A size that no unit gives tells nothing about the unit of the others.
	odd := Propose(unit.InMetres, []*Subject{a, b},
		map[*Subject]*Sizing{a: {MetresPerUnit: 0.0254, Up: "Y", Factor: 1.7}})[1]
	if math.Abs(score(&odd)-score(&before)) > 1e-9 {
		t.Errorf("%v and %v", score(&odd), score(&before))
	}
}

// hill is a model of 100 352 triangles.
func hill() *model.Model {
	m := &model.Model{Format: "OBJ", Up: "Y", Unit: model.Unit{Name: "metre", MetresPerUnit: 1, From: "assumed"}}
	const n = 224
	part := model.Part{Surface: model.None}
	for y := range n + 1 {
		for x := range n + 1 {
			part.Positions = append(part.Positions, float32(x), float32(20*math.Sin(float64(x*y)/900)), float32(y))
		}
	}
	for y := range uint32(n) {
		for x := range uint32(n) {
			i := y*(n+1) + x
			part.Indices = append(part.Indices, i, i+n+1, i+1, i+1, i+n+1, i+n+2)
		}
	}
	m.Stand(model.Mesh{Name: "terrain", Parts: []model.Part{part}})
	return m
}

func BenchmarkPropose(b *testing.B) {
	m := hill()
	for b.Loop() {
		Propose(unit.InMetres, []*Subject{SubjectOf(m, "hill.obj")}, nil)
	}
}

// The three silhouettes that a piece has.
func BenchmarkSilhouettes(b *testing.B) {
	m := hill()
	for b.Loop() {
		for _, side := range []Side{Front, Top, Right} {
			Silhouette(m, geom.Identity, side)
		}
	}
}

func FuzzPropose(f *testing.F) {
	f.Add("chair.obj", 1.0, 2.0, 3.0, "seat")
	f.Fuzz(func(t *testing.T, name string, x, y, z float64, part string) {
		s := subjectOf(name, 0, 0, 0, x, y, z)
		s.Parts = []Named{{part, s.Box}}
		for _, c := range Propose(unit.InMetres, []*Subject{s, s}, nil)[0].Candidates {
			if !(c.Score >= 0 && c.Score <= 1+1e-9) {
				t.Errorf("%q: %+v", name, c)
			}
		}
	})
}
