package render

import (
	"math"

	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/model"
	"visator/core/points"
)

// tracer follows paths on one goroutine.
type tracer struct {
	s          *Scene
	bounces    int
	clamp      float64 // luminance above which an indirect contribution is cut; 0: never
	pass       passing
	met        met      // of the point in the air at which the path is: there is one at a time
	apart      []geom.V // what each kind of light gave along the last path, then each way; none if nobody asks
	ways       []geom.V // the end of it; see ways.go
	way        wayTo
	looksAbout bool // how much of the sky is hidden near by is asked for
	weighs     bool // how much of the light does not come to the first point is asked for
	sent, lost float64
	numbers    map[*Surface]uint32 // of surfaces, if they are asked for
	blind      bool                // what shines by itself is not seen at the end of the first ray
	// Lamps are looked for only where light happens to meet the air: to test the other way.
	plainWays bool
}

// last is what a path remembers of the point that it left.
type last struct {
	pdf  float64 // density of the direction it left in; 0 at the camera
	c    choice
	p    geom.V
	solo bool // every kind of light was asked on its own there
	id   uint32
}

// radiance returns the light that comes along the ray from the camera
// (Kajiya, The Rendering Equation, 1986; next-event estimation combined by
// the power heuristic: Veach, Robust Monte Carlo Methods, 1997).
func (tr *tracer) radiance(ray Ray, smp *points.Sampler, first *seen) geom.V {
	var total geom.V
	weight := geom.V{X: 1, Y: 1, Z: 1}
	first.Depth = math.Inf(1)
	from := last{p: ray.O}
	depth := 0
	travelled := 0.0 // since the camera, for the first hit behind glass
	clear(tr.apart)
	tr.way = wayTo{}
	add := func(kind int, c geom.V, indirect bool) {
		if indirect && tr.clamp > 0 {
			if l := light.Luminance(c); l > tr.clamp {
				c = c.Mul(tr.clamp / l)
			}
		}
		total = total.Add(c)
		if len(tr.apart) > len(tr.ways) {
			tr.apart[kind] = tr.apart[kind].Add(c)
		}
		if len(tr.ways) > 0 {
			tr.goes(depth, c)
		}
	}
	var inside *Surface                 // whose body the path is in
	for straight := 0; straight < 64; { // panes of glass in a row
		tr.pass = passing{s: smp}
		hit, ok := tr.s.trace(&ray, false, &tr.pass)
		dark := tr.blind && depth == 0
		far := math.Inf(1)
		if ok {
			far = hit.T
		} else if ray.Max > 0 {
			far = ray.Max
		}
		var pt point
		if ok {
			pt = tr.s.shade(&ray, &hit)
			if inside != nil {
				weight = weight.Times(inside.keeps(hit.T))
			}
			if pt.place.Solid && pt.surface.m.Dispersion > 0 {
				pt.split(smp.Pick(hit.Triangle, uint32(hit.Instance)^0x2c1b3c6d))
			}
			if depth == 0 && math.IsInf(first.Depth, 1) {
				first.Depth, first.Normal = travelled+hit.T, pt.n
				first.Albedo = pt.place.Base
				first.Object = tr.s.Instances[hit.Instance].ID
				if tr.looksAbout {
					first.Unhidden = tr.unhidden(&pt, smp)
				}
				if tr.numbers != nil {
					first.Surface = tr.numbers[pt.surface]
				}
				if pt.place.Metal > 0.5 || pt.trans > 0.5 { // what a mirror shows is not its own colour
					first.Albedo = geom.V{X: 1, Y: 1, Z: 1}
				}
			}
		}
		foggy := false
		if tr.s.Air != nil {
			if !ok && depth == 0 && math.IsInf(first.Depth, 1) { // what is before the sky has noise that can be removed
				first.Depth, first.Normal, first.Albedo = farAir, ray.D.Mul(-1), geom.V{X: 1, Y: 1, Z: 1}
			}
			w := way{o: ray.O, d: ray.D, far: math.Inf(1),
				beam: depth <= min(tr.bounces, 1) && len(tr.s.Lamps) > 0 && !tr.plainWays}
			if ok {
				w.far = hit.T
			}
			if w.beam {
				l, of := tr.abeam(w, depth == 0, smp)
				tr.way.at = atAir
				add(tr.s.group(of), weight.Times(l), depth > 0)
				tr.way.at = alongRay
			}
			var at point
			var t float64
			if at, t, foggy = tr.inAir(w, smp); foggy {
				pt, far = at, min(t, far)
			}
		}
		if tr.s.Fall != nil && depth == 0 {
			if t, met := tr.s.Fall.Meet(ray.O, ray.D, far, smp.Next()); met {
				pt, far, foggy = tr.dropPoint(&ray, t), t, true
				first.Depth, first.Normal, first.Albedo = travelled+t, ray.D.Mul(-1), geom.V{X: 1, Y: 1, Z: 1}
			}
		}
		if len(tr.s.surfaces) > 0 && !dark {
			tr.alongLamps(&ray, far, &from, first, func(of int, l geom.V) {
				add(tr.s.group(of), weight.Times(l), depth > 1)
			})
		}
		if !ok && !foggy {
			if !dark {
				sun, env := tr.sky(ray.D, &from)
				if depth == 0 && tr.s.Behind != nil {
					sun, env = geom.V{}, tr.s.Behind(ray.O, ray.D)
				}
				add(tr.s.groups, weight.Times(sun), depth > 1)
				add(tr.s.groups+1, weight.Times(env), depth > 1)
			}
			break
		}
		if pt.unlit {
			add(tr.s.groups+2, weight.Times(pt.place.Base), depth > 1)
			break
		}
		if pt.emission != (geom.V{}) && !dark {
			add(tr.s.groups+2, weight.Times(pt.emission).Mul(tr.glowWeight(&pt, &from)), depth > 1)
		}
		if pt.trans > 0 && pt.place.Straight {
			// Thin glass: the share that goes straight is no scattering.
			through := pt.place.Through
			straightShare := light.Luminance(through)
			rest := light.Luminance(pt.place.Mirrored) + light.Luminance(pt.place.Scattered)
			if p := straightShare / (straightShare + rest); straightShare > 0 &&
				smp.Pick(hit.Triangle, uint32(hit.Instance)^0x51ed270b) < p {
				weight = weight.Times(through).Mul(1 / p)
				travelled += hit.T
				far := ray.Max
				ray = pt.leave(ray.D)
				if depth == 0 && far > 0 {
					ray.Max = max(far-hit.T, 1e-9)
				}
				straight++
				continue
			} else if p < 1 {
				weight = weight.Mul(1 / (1 - p))
			}
		}
		if depth >= tr.bounces+1 {
			break
		}
		c := tr.s.weigh(pt.p)
		tr.way.at = atPoint
		tr.sent, tr.lost = 0, 0
		tr.direct(&pt, &c, smp, depth == 0, func(kind int, l geom.V) { add(kind, weight.Times(l), depth > 0 || foggy) })
		if depth == 0 && !foggy {
			first.Sent, first.Lost = tr.sent, tr.lost
		}
		tr.way.at = alongRay
		// After the last bounce one more ray still looks for lights: direct
		// light is shared between both ways of finding it.
		u1, u2 := smp.Next2()
		wi, w, pdf, ok := pt.sample(u1, u2, smp.Next())
		if !ok {
			break
		}
		if depth == 0 && len(tr.ways) > 0 {
			tr.way.split, tr.way.first = pt.wayOf(wi)
		}
		weight = weight.Times(w)
		if depth >= 1 { // Russian roulette
			q := min(max(weight.Max(), 0.05), 0.95)
			if smp.Next() >= q {
				break
			}
			weight = weight.Mul(1 / q)
		}
		if !(weight.Max() > 0) || !weight.Finite() {
			break
		}
		if pt.place.Solid && wi.Dot(pt.ng) < 0 {
			if inside = pt.surface; pt.place.Within {
				inside = nil
			}
		}
		from = last{pdf: pdf, c: c, p: pt.p, solo: depth == 0, id: tr.s.idOf(&pt)}
		ray = pt.leave(wi)
		depth++
	}
	if !total.Finite() {
		clear(tr.apart)
		return geom.V{}
	}
	return total
}

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
	if f.solo {
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
			w = power(from.pdf, from.chance(from.c.sun)/(u.solidAngle()*float64(len(tr.s.Suns))))
		}
		sun = sun.Add(u.radiance().Mul(w))
	}
	return sun, env
}

// glowWeight weighs emission that a path ran into.
func (tr *tracer) glowWeight(pt *point, from *last) float64 {
	if from.pdf <= 0 || from.c.glow <= 0 {
		return 1
	}
	mp := tr.s.Instances[pt.instance].Mesh.partOf(pt.triangle)
	d := pt.p.Sub(from.p)
	dist := d.Len()
	cos := math.Abs(pt.ng.Dot(d)) / max(dist, 1e-30)
	return power(from.pdf, tr.s.glowDensity(from.p, pt.instance, mp, dist, cos)*from.chance(from.c.glow))
}

// direct tells got the light that comes from lights to the point: one kind of light
// is chosen by its share. At the first point the strong kinds are always
// asked, and the choice counts only for the others.
func (tr *tracer) direct(pt *point, c *choice, smp *points.Sampler, first bool, got func(kind int, l geom.V)) {
	u, spare := smp.Next2()
	for kind, share := range [4]float64{c.env, c.sun, c.lamp, c.glow} {
		if share <= 0 {
			continue
		}
		chosen, within := u >= 0 && u < share, u/share
		u -= share
		all := first && (share >= soloShare || kind == 2)
		if !chosen && !all {
			continue
		}
		extra := within
		if all {
			extra = spare
		}
		var l lamp.Light
		ok := false
		of, by := 0, 0.0
		switch kind {
		case 0:
			u1, u2 := smp.Next2()
			l.Dir, l.PDF = tr.s.Env.Sample(u1, u2)
			if ok = l.PDF > 0; ok {
				l.Le = tr.s.Env.At(l.Dir)
			}
		case 1:
			l, ok = tr.s.sampleSun(smp, extra)
		case 2:
			l, of, by, ok = tr.s.sampleLamp(pt, smp, extra)
		case 3:
			l, _, ok = tr.s.sampleGlow(pt.p, smp, extra)
		}
		if ok {
			chance := share
			if all {
				chance = 1
			}
			beside := 1.0
			if pt.met != nil && kind == 2 {
				beside = pt.met.beside(tr.s, pt.p, of, by*chance)
			}
			group := tr.s.groups + [4]int{1, 0, 0, 2}[kind]
			if kind == 2 {
				group = tr.s.group(of)
			}
			got(group, tr.answer(pt, &l, chance, smp).Mul(beside))
		}
	}
}

// answer is what one light sample gives after shadow and reflection.
func (tr *tracer) answer(pt *point, l *lamp.Light, chance float64, smp *points.Sampler) geom.V {
	f, bsdf := pt.eval(l.Dir)
	if len(tr.ways) > 0 && tr.way.first == unknown {
		tr.way.here, tr.way.hereFirst = pt.wayOf(l.Dir)
	}
	if !(f.Max() > 0) {
		return geom.V{}
	}
	w := 1 / (l.PDF * chance)
	if !l.Hard && !l.Free {
		w *= power(l.PDF*chance, bsdf)
	}
	comes := tr.reaches(pt, l, smp)
	all := f.Times(l.Le)
	if tr.weighs {
		k := 1 / (l.PDF * chance)
		tr.sent += light.Luminance(all) * k
		tr.lost += light.Luminance(all.Sub(all.Times(comes))) * k
	}
	return all.Times(comes).Mul(w)
}

// reaches is the share of a sample of light that comes to the point past all that stands between.
func (tr *tracer) reaches(pt *point, l *lamp.Light, smp *points.Sampler) geom.V {
	if l.Free {
		return geom.V{X: 1, Y: 1, Z: 1}.Mul(tr.s.dim(pt.p, l))
	}
	ray := pt.leave(l.Dir)
	if l.Dist > 0 {
		ray.Max = max(l.Dist-pt.eps, 1e-12)
	}
	tr.pass = passing{s: smp, shadow: true, tint: geom.V{X: 1, Y: 1, Z: 1}}
	if _, blocked := tr.s.trace(&ray, true, &tr.pass); blocked {
		return geom.V{}
	}
	return tr.pass.tint.Mul(tr.s.dim(pt.p, l))
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
		mp := s.Instances[hit.Instance].Mesh.partOf(hit.Triangle)
		t := hit.Triangle - mp.first
		uv := mp.uv(t, hit.U, hit.V)
		if mp.surface.m.Alpha == model.Opaque || mp.surface.opacity(mp, t, hit.U, hit.V, &uv) >= 0.5 {
			return
		}
		ray.Min = hit.T + pt.eps
		ray.fromInstance, ray.fromTriangle = int32(hit.Instance), hit.Triangle
	}
	return pt, hit, false
}
