package render

import (
	"math"

	"visator/core/air"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/points"
)

// way is a piece of a path through the air, from o along d as far as far: what of the light of lamps it scatters is
// looked for twice, as likely as light meets the air and near the lamps, and both are weighed together.
type way struct {
	o, d geom.V
	far  float64
	beam bool // lamps are looked for near them too
	// How much of the light meets the air on the way, if what it scatters is asked for on every path; 0: on those that
	// meet it.
	meets float64
}

// mist is the air before what the camera sees: what it scatters of the light that comes straight to it is asked for on
// every path, not on as many as meet it, and so is what lies behind. Which of both the path goes on from is left to
// chance.
type mist struct {
	left float64 // how much of the light comes through; 1: all, or whether it does is left to chance
	at   point   // where it is scattered
	c    choice
}

// chance is how often a path goes on from the air, not from what lies behind if it does: as each sends on.
func (m *mist) chance(pt *point, behind bool) float64 {
	air := (1 - m.left) * m.at.met.part.Albedo.Max()
	if !behind {
		return min(3*air, 1)
	}
	ground := m.left * min(pt.place.Base.Max()+0.04, 1)
	return min(max(air/max(air+ground, 1e-300), 0.02), 0.98)
}

// shedLight asks for light that the air on a way scatters, at a place where light is as likely as elsewhere to meet it.
func (tr *tracer) shedLight(w *way) {
	a, m := tr.s.Air, &tr.mist
	depth := a.Depth(w.o, w.d, w.far)
	meets := -math.Expm1(-depth)
	if !(meets > 0) {
		return
	}
	tr.turn(ofAir)
	u, pick := tr.smp.Next2()
	t, ok := a.Reach(w.o, w.d, w.far, min(-math.Log1p(-u*meets), depth))
	if !ok {
		return
	}
	m.left, w.meets = max(math.Exp(-depth), 1e-300), meets // it is divided by
	m.at = tr.airPoint(*w, t, a.Sigma(w.o.Add(w.d.Mul(t)))*(1-u*meets)/meets, pick)
	m.c = tr.s.weigh(m.at.p)
	weight, left := tr.weight, m.left
	tr.weight, m.left, tr.way.at = weight.Mul(meets), 1, atPoint
	tr.direct(&m.at, &m.c, true)
	tr.weight, m.left, tr.way.at = weight, left, alongRay
}

// near is where a way passes a place nearest: which lamp is looked for is chosen by what they give there.
func (w *way) near(p geom.V) geom.V {
	return w.o.Add(w.d.Mul(min(max(p.Sub(w.o).Dot(w.d), 0), w.far)))
}

// met is what of the air light met.
type met struct {
	part *air.Part
	d    geom.V  // along which the path came
	pdf  float64 // per metre, of meeting it there
	way  way
}

// inAir is the point at which a path meets the air on a way, if it does so before far.
func (tr *tracer) inAir(w way, smp *points.Sampler) (pt point, t float64, ok bool) {
	tr.turn(ofAir)
	u, pick := smp.Next2()
	a := tr.s.Air
	if t, ok = a.Free(w.o, w.d, w.far, u); !ok {
		return pt, t, false
	}
	return tr.airPoint(w, t, a.Sigma(w.o.Add(w.d.Mul(t)))*(1-u), pick), t, true
}

func (tr *tracer) airPoint(w way, t, pdf, pick float64) point {
	p := w.o.Add(w.d.Mul(t))
	tr.met = met{part: tr.s.Air.Pick(p, pick), d: w.d, pdf: pdf, way: w}
	return point{p: p, instance: -1, met: &tr.met}
}

// dropPoint is a point of what falls, t along a ray: it scatters as the air does that it is far away.
func (tr *tracer) dropPoint(ray *Ray, t float64) point {
	tr.met = met{part: &tr.s.drops, d: ray.D, pdf: math.Inf(1)}
	return point{p: ray.O.Add(ray.D.Mul(t)), instance: -1, met: &tr.met}
}

// scatter is sample for a point in the air: all weights but the colour are one.
func (m *met) scatter(u1, u2 float64) (wi, weight geom.V, pdf float64, ok bool) {
	wi = m.part.Scatter(m.d, u1, u2)
	return wi, m.part.Albedo, m.part.Phase(m.d, wi), m.part.Albedo.Max() > 0
}

// abeam asks for light of a lamp that a way scatters, looked for near that lamp, which counts times times.
func (tr *tracer) abeam(w way, times float64) {
	s, smp, first := tr.s, tr.smp, tr.depth == 0
	u, v := smp.Next2()
	i, chance, _ := s.tree.Choose(w.near(s.lit), u)
	if i < 0 || !s.Lamps[i].Lights(0) {
		return
	}
	t, pdf := air.Abeam(w.o, w.d, w.far, s.Lamps[i].At, v)
	if !(pdf > 0) || !(t > 0) {
		return
	}
	p := w.o.Add(w.d.Mul(t))
	sigma := s.Air.Sigma(p)
	if !(sigma > 0) {
		return
	}
	u1, u2 := smp.Next2()
	l, ok := s.Lamps[i].Sample(p, u1, u2)
	if !ok {
		return
	}
	through := s.Air.Through(w.o, w.d, t)
	density := sigma * through
	if w.meets > 0 {
		density /= w.meets
	}
	pt := tr.airPoint(w, t, density, smp.Next())
	f, phase := pt.eval(l.Dir)
	asked := s.tree.Chance(p, i) // at that point, had the path met the air there
	if !first || w.meets > 0 {
		c := s.weigh(p)
		asked *= c.lamp
	}
	k := times * through * sigma / ((chance*pdf + pt.met.pdf*asked) * l.PDF)
	if !l.Hard && !l.Free {
		k *= power(l.PDF*asked, phase)
	}
	if !(k > 0) || math.IsInf(k, 0) {
		return
	}
	tr.ask(&pt, &l, f.Times(l.Le), k, s.group(i), !first)
}

// beside is the share of a sample of lamp i at a point in the air that counts beside what abeam finds of it.
func (m *met) beside(s *Scene, p geom.V, i int, chance float64) float64 {
	if !m.way.beam {
		return 1
	}
	t := p.Sub(m.way.o).Len()
	other := s.tree.Chance(m.way.near(s.lit), i) * air.AbeamDensity(m.way.o, m.way.d, m.way.far, s.Lamps[i].At, t)
	own := m.pdf * chance
	return own / max(own+other, math.SmallestNonzeroFloat64)
}

// dim takes from a sample of light what the air on its way keeps.
func (s *Scene) dim(p geom.V, l *lamp.Light) float64 {
	if s.Air == nil {
		return 1
	}
	far := l.Dist
	if !(far > 0) {
		far = math.Inf(1)
	}
	return s.Air.Through(p, l.Dir, far)
}
