package render

import (
	"math"

	"visator/core/cast"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/model"
	"visator/core/points"
	"visator/core/sunlit"
)

// patch is a place in the sun from which a path asks for light at all of its points, wherever it is: a ray from the sun
// finds it. Where the sun comes in through a window, paths hardly come to what it lights by themselves. Those that do
// are weighed against that (Veach, Robust Monte Carlo Methods, 1997): of both ways to come to a place the density is
// known, per square metre of it.
type patch struct {
	area  *sunlit.Area // nil: none is looked for
	stage stage
	find  quest // for the place
	sees  quest // for the sun, from there
	sun   lamp.Light
	at    point
	hit   Hit
	per   float64 // its density, per square metre
	dim   float64 // what of the sun's light the air leaves
	notes *notes  // what is learned; nil: nothing is
}

// stage is how much is known of a patch.
type stage uint8

const (
	nowhere stage = iota // there is none
	sought
	found   // it is not known yet whether it sees the sun
	reached // it does
)

// isDense says whether the point is on a surface that lets no light pass.
func (pt *point) isDense() bool {
	return pt.met == nil && !pt.unlit && pt.trans == 0 && !pt.place.Solid && pt.surface.M.Alpha == model.Opaque
}

// isGround says whether the point may be a place in the sun from which light is asked for: what mirrors the sun sends
// its light to few places, which are not found so.
func (pt *point) isGround() bool {
	const rough = 0.3
	return pt.isDense() && pt.place.Rough >= rough && pt.place.Coat == 0
}

// begin looks for a place.
func (p *patch) begin(s *Scene, smp *points.Sampler) {
	if p.stage = nowhere; p.area == nil {
		return
	}
	u1, u2 := smp.Aside(asideSun)
	p.sun = lamp.SampleSuns(s.Suns, u1, u2, 0)
	u, v := smp.Aside(asidePatch)
	p.stage = sought
	p.find.seek(s, NewRay(p.area.Begin(u, v), p.sun.Dir.Mul(-1)), false,
		passing{s: smp, shadow: true, tint: allWhite})
}

// out is the ray that it sends out; nil: none.
func (p *patch) out() *cast.Quest {
	switch p.stage {
	case sought:
		return &p.find.Quest
	case found:
		return &p.sees.Quest
	}
	return nil
}

// goesOn takes what came of that ray.
func (p *patch) goesOn(s *Scene, smp *points.Sampler) {
	switch p.stage {
	case sought:
		if p.stage = nowhere; !p.find.Met {
			return
		}
		p.hit, p.at = p.find.Hit, point{}
		s.own(&p.hit)
		s.shadeTo(&p.at, &p.find.Ray, &p.hit)
		if !p.at.isGround() {
			return
		}
		p.stage = found
		p.sees.toward(s, &p.at, &p.sun, smp)
		p.per, p.dim = p.area.Density(p.at.p, p.at.ng, p.sun.Dir), s.dim(p.at.p, &p.sun)
	case found:
		if p.stage = reached; p.sees.Met {
			p.stage = nowhere
		}
	}
}

// comes is the share of the sun's light that came to the place.
func (p *patch) comes() geom.V {
	if p.stage != reached {
		return geom.V{}
	}
	return p.sees.pass.tint
}

// connects says whether light is asked for at the point that comes from a place in the sun.
func (tr *tracer) connects(pt *point) bool {
	return tr.patch.area != nil && tr.depth < tr.bounces && pt != &tr.mist.at && (pt.met != nil || pt.isDense())
}

// connect asks for it, if there is a place.
func (tr *tracer) connect(pt *point) {
	p := &tr.patch
	if p.stage != found && p.stage != reached {
		return
	}
	to := p.at.p.Sub(pt.p)
	dist := to.Len()
	if !(dist > pt.eps) {
		return
	}
	d := to.Mul(1 / dist)
	f, pdf := pt.eval(d)
	facing := p.at.ng.Dot(d)
	if !(f.Max() > 0) || facing == 0 {
		return
	}
	var at point // the place as it is seen from here
	ray, hit := Ray{O: pt.p, D: d}, p.hit
	hit.T = dist
	tr.s.shadeTo(&at, &ray, &hit)
	back, _ := at.eval(p.sun.Dir)
	per := p.per * dist * dist / math.Abs(facing) // steradian
	k := power(per, pdf) * p.dim / (per * p.sun.PDF)
	if !(back.Max() > 0) || !(k > 0) || math.IsInf(k, 0) {
		return
	}
	way := tr.way
	tr.way.at = atPoint
	if tr.depth == 0 && len(tr.ways) > 0 {
		tr.way.split, tr.way.first = pt.wayOf(d)
	}
	tr.depth++
	l := lamp.Light{Dir: d, Dist: dist, Le: p.sun.Le}
	a := tr.ask(pt, &l, f.Times(back).Times(p.sun.Le), k, tr.s.groups, true)
	a.bySun = true
	tr.depth--
	tr.way = way
	// The ray ends before the surface, as far from it as rays begin, and on this side: along it that may be far.
	to = p.at.p.Add(p.at.ng.Mul(math.Copysign(p.at.eps, -facing))).Sub(a.Ray.O)
	a.Ray.Max = to.Len()
	a.Ray.D = to.Mul(1 / a.Ray.Max)
}

// arrival is how a path came to a point, if at the one before light from places in the sun was asked for.
type arrival struct {
	p, n geom.V
	per  float64 // its density there, per square metre; 0: none was asked for
}

// arrived is how the path came to the point.
func (tr *tracer) arrived(pt *point) arrival {
	if !tr.from.connects || !pt.isGround() {
		return arrival{}
	}
	to := pt.p.Sub(tr.from.p)
	dist := to.Len()
	return arrival{pt.p, pt.ng, tr.from.pdf * math.Abs(pt.ng.Dot(to)) / max(dist*dist*dist, 1e-30)}
}

// counts is the share of light of the sun, along d, that counts at the end of a path that arrived there by itself.
func (p *patch) counts(a *arrival, d geom.V) float64 {
	if !(a.per > 0) {
		return 1
	}
	other := p.area.Density(a.p, a.n, d)
	if other == 0 {
		return 1
	}
	return power(a.per, other)
}

// notes are what is learned of a picture's light.
type notes struct {
	list   []sunlit.Note // where the sun shines
	asked  int           // how often that was asked, after the first point
	light  float64       // of all kinds
	detour float64       // of the sun, by a detour
}

// note puts down what came of light that was asked for.
func (n *notes) note(a *asked, sun int, came geom.V) {
	l := light.Luminance(came)
	n.light += l
	if a.kind != sun || a.depth == 0 || !a.ground {
		return
	}
	n.asked++
	if l > 0 {
		n.detour += l
		n.list = append(n.list, sunlit.Note{P: a.p, Weight: l})
	}
}

// worthLearning is how many samples a picture has that is not made as soon as it is learned where the sun lights it.
const worthLearning = 75_000

// learn is where the sun lights what a picture is lit by, if it is worth to look for that; else nil. It is the same
// whatever part of the picture is made. There is one sun in a set: where there are more nothing is learned.
func (s *Scene) learn(cam *Camera, o *Options) *sunlit.Area {
	if len(s.Suns) != 1 || o.Bounces < 1 {
		return nil
	}
	const (
		rounds = 8
		enough = 400  // notes
		often  = 0.2  // of what paths come to is in the sun: they find it by themselves
		counts = 0.05 // of the light is less than is to be gained
		seldom = 4    // notes a round are too few to go on
	)
	n := notes{}
	tr := tracer{s: s, bounces: o.Bounces, patch: patch{notes: &n}}
	for round := 0; round < rounds && len(n.list) < enough; round++ {
		tr.coarse(cam, o.Seed^0x73756e, round, func(geom.V) {})
		if float64(len(n.list)) > often*float64(n.asked) || n.detour < counts*n.light ||
			len(n.list) < seldom*(round+1) {
			return nil
		}
	}
	return sunlit.Learn(s.Suns[0].To, n.list)
}
