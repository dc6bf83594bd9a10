package sizing

import (
	"math"
	"math/rand/v2"
	"testing"
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
			w := want{st.metres[draw(rng, st.weights)], st.really[rng.IntN(len(st.really))]}
			s := truth[i].make(rng, st, w, naming)
			p := Propose([]*Subject{s})[0]
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
		common := want{st.metres[draw(rng, st.weights)], st.really[rng.IntN(len(st.really))]}
		var list []*Subject
		var wants []want
		for range 8 {
			w := common
			if rng.IntN(10) == 0 {
				w = want{st.metres[draw(rng, st.weights)], st.really[rng.IntN(len(st.really))]}
			}
			list = append(list, truth[rng.IntN(len(truth))].make(rng, st, w, []string{"named", "parts", "nothing", "named"}[rng.IntN(4)]))
			wants = append(wants, w)
		}
		for i, p := range Propose(list) {
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
		o, wrong := trial(seed, c.naming, 4)
		t.Logf("%s: %d samples, right first time %.3f, within three %.3f, sure %.3f, sure and wrong %d", c.naming, o.samples, o.share(o.first), o.share(o.third), o.share(o.sure), o.sureWrong)
		if o.share(o.first) < c.first || o.share(o.third) < c.third || float64(o.sureWrong) > 0.02*float64(o.sure) {
			t.Errorf("%s: too often wrong: %q", c.naming, wrong)
		}
		all.add(&o)
	}
	o := suppliers(seed, 60)
	t.Logf("suppliers: %d samples, right first time %.3f, sure %.3f, sure and wrong %d", o.samples, o.share(o.first), o.share(o.sure), o.sureWrong)
	if o.share(o.first) < 0.95 || float64(o.sureWrong) > 0.02*float64(o.sure) {
		t.Error("suppliers: too often wrong")
	}
	all.add(&o)
	if all.samples < 300 {
		t.Errorf("%d samples", all.samples)
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
