package render

import (
	"math"

	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/model"
	"visator/core/points"
	"visator/core/skin"
)

// group is that of a lamp among the kinds of light that are kept apart: of groups of lamps, then come the suns, the
// sky, and what glows.
func (s *Scene) group(lamp int) int {
	if lamp < 0 {
		return s.groups
	}
	return s.Lamps[lamp].Group
}

// Kinds is how many there are.
func (s *Scene) Kinds() int { return s.groups + 3 }

// farAir is how far away the sky behind air is taken to be by the noise filter, metres.
const farAir = 1e6

// power is Veach's power heuristic with exponent two.
func power(a, b float64) float64 {
	if math.IsInf(a, 1) {
		return 1
	}
	return a * a / (a*a + b*b)
}

// soloShare is the share from which on a kind of light is always asked at the
// first point; weaker ones take turns there too, but lamps: they are few, and where they shine, others hardly do.
const soloShare = 0.2

// chanceOfLamps is how often a lamp was asked at the point: always at the first.
func (f *last) chanceOfLamps() float64 {
	if f.solo && !f.shared {
		return 1
	}
	return f.c.lamp
}

// chance is how often another kind of light with share c was asked at the point.
func (f *last) chance(c float64) float64 {
	if f.solo && c >= soloShare {
		return 1
	}
	return c
}

// sky is the light of the environment and the suns' disks along d, weighed
// against the samples that were taken of them at the point before.
func (tr *tracer) sky(d geom.V, from *last) (sun, env geom.V) {
	if e := tr.s.Env; e != nil {
		w := 1.0
		if from.pdf > 0 && from.c.env > 0 {
			w = power(from.pdf, e.PDF(d)*from.chance(from.c.env))
		}
		env = e.At(d).Mul(w)
	}
	for i := range tr.s.Suns {
		u := &tr.s.Suns[i]
		if u.Radius <= 0 || d.Sub(u.To).Len() > 2*math.Sin(u.Radius/2) {
			continue
		}
		w := 1.0
		if from.pdf > 0 && from.c.sun > 0 {
			w = power(from.pdf, from.chance(from.c.sun)/(u.SolidAngle()*float64(len(tr.s.Suns))))
		}
		sun = sun.Add(u.Radiance().Mul(w * tr.patch.counts(&from.came, d)))
	}
	return sun, env
}

// glowWeight weighs emission that a path ran into.
func (tr *tracer) glowWeight(pt *point, from *last) float64 {
	if from.pdf <= 0 || from.c.glow <= 0 {
		return 1
	}
	mp := tr.s.Instances[pt.instance].Mesh.PartOf(pt.triangle)
	d := pt.p.Sub(from.p)
	dist := d.Len()
	cos := math.Abs(pt.ng.Dot(d)) / max(dist, 1e-30)
	return power(from.pdf, tr.s.glowDensity(from.p, pt.instance, mp, dist, cos)*from.chance(from.c.glow))
}

// direct asks for the light that comes from lights to the point: one kind of light
// is chosen by its share. At the first point the strong kinds are always
// asked, and the choice counts only for the others.
func (tr *tracer) direct(pt *point, c *choice, foggy bool) {
	smp, first, before := tr.smp, tr.depth == 0, pt == &tr.mist.at
	of := uint32(ofKinds)
	if before {
		of = ofMist
	}
	tr.turn(of)
	u, spare := smp.Next2()
	for kind, share := range [4]float64{c.env, c.sun, c.lamp, c.glow} {
		if share <= 0 {
			continue
		}
		chosen, within := u >= 0 && u < share, u/share
		u -= share
		all := first && share >= soloShare
		if kind == 2 { // in the air before what is seen lamps take turns: they are looked for along the way too
			all = first && !before
		}
		if !chosen && !all {
			continue
		}
		if kind == 2 && first && !foggy {
			tr.later.point(tr, pt, spare, c)
			continue
		}
		tr.turn(of + 1 + uint32(kind))
		extra, chance := within, share
		if all {
			extra, chance = spare, 1
		}
		if kind == 2 {
			tr.askLamp(pt, extra, chance, foggy, 1)
			continue
		}
		var l lamp.Light
		ok := false
		switch kind {
		case 0:
			u1, u2 := smp.Next2()
			l.Dir, l.PDF = tr.s.Env.Sample(u1, u2)
			if ok = l.PDF > 0; ok {
				l.Le = tr.s.Env.At(l.Dir)
			}
		case 1:
			u1, u2 := smp.Next2()
			l, ok = lamp.SampleSuns(tr.s.Suns, u1, u2, extra), true
		case 3:
			l, _, ok = tr.s.sampleGlow(pt.p, smp, extra)
		}
		if !ok {
			continue
		}
		a := tr.answer(pt, &l, chance, tr.s.groups+[4]int{1, 0, 0, 2}[kind], !first || foggy)
		if a != nil && kind == 1 {
			a.beside = tr.patch.counts(&tr.here, l.Dir)
		}
		if a != nil && tr.weighs && first && !foggy {
			a.k = tr.mist.left / (l.PDF * chance)
		}
	}
}

// askLamp asks for the light of one lamp at a point, which counts times times.
func (tr *tracer) askLamp(pt *point, extra, chance float64, foggy bool, times float64) {
	l, of, by, ok := tr.s.sampleLamp(pt, tr.smp, extra)
	if !ok {
		return
	}
	first := tr.depth == 0
	a := tr.answer(pt, &l, chance, tr.s.group(of), !first || foggy)
	if a == nil {
		return
	}
	a.w *= times
	if pt.met != nil {
		a.beside = pt.met.beside(tr.s, pt.p, of, by*chance)
	}
	if tr.weighs && first && !foggy {
		a.k = tr.mist.left * times / (l.PDF * chance)
	}
}

// answer asks for what one light sample gives by reflection, unless that is nothing.
func (tr *tracer) answer(pt *point, l *lamp.Light, chance float64, kind int, indirect bool) *asked {
	f, bsdf := pt.eval(l.Dir)
	if len(tr.ways) > 0 && tr.way.first == unknown {
		tr.way.here, tr.way.hereFirst = pt.wayOf(l.Dir)
	}
	if !(f.Max() > 0) {
		return nil
	}
	w := 1 / (l.PDF * chance)
	if !l.Hard && !l.Free {
		w *= power(l.PDF*chance, bsdf)
	}
	return tr.ask(pt, l, f.Times(l.Le), w, kind, indirect)
}

// reaches is the share of a sample of light that comes to the point past all that stands between.
func (tr *tracer) reaches(pt *point, l *lamp.Light, smp *points.Sampler) geom.V {
	if l.Free {
		return allWhite.Mul(tr.s.dim(pt.p, l))
	}
	var q quest
	q.toward(tr.s, pt, l, smp)
	if tr.s.field.Send(&q.Quest); q.Met {
		return geom.V{}
	}
	return q.pass.tint.Mul(tr.s.dim(pt.p, l))
}

// plain follows the centre of a pixel for the passes: what is there, without
// light. Mask and blend surfaces count where they stop half of the light.
func (s *Scene) plain(ray Ray) (pt point, hit Hit, ok bool) {
	for range 256 {
		hit, ok = s.Closest(ray)
		if !ok {
			return
		}
		pt = s.shade(&ray, &hit)
		mp := s.Instances[hit.Instance].Mesh.PartOf(hit.Triangle)
		t := hit.Triangle - mp.First
		uv := skin.At(mp.Model, t, hit.U, hit.V)
		if mp.Surface.M.Alpha == model.Opaque || mp.Surface.Opacity(mp.Model, t, hit.U, hit.V, &uv) >= 0.5 {
			return
		}
		ray.Min = hit.T + pt.eps
		ray.FromInstance, ray.FromTriangle = int32(hit.Instance), hit.Triangle
	}
	return pt, hit, false
}
