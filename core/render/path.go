package render

import (
	"math"

	"visator/core/cast"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/points"
)

// tracer follows one path at a time: it says which rays it sends out, and goes on when it is told what came of them.
// Whether they were sent out one by one or together with those of other paths changes nothing.
type tracer struct {
	s          *Scene
	bounces    int
	clamp      float64             // luminance above which an indirect contribution is cut; 0: never
	looksAbout bool                // how much of the sky is hidden near by is asked for
	weighs     bool                // how much of the light does not come to the first point is asked for
	numbers    map[*Surface]uint32 // of surfaces, if they are asked for
	blind      bool                // what shines by itself is not seen at the end of the first ray
	plainWays  bool                // lamps are looked for only where light meets the air: to test the other way
	met        met                 // of the point in the air at which the path is: there is one at a time
	points     [2]point            // at which the path is, and was before, in turns
	later      later
	mist       mist
	patch      patch
	apart      []geom.V // what each kind of light gave along the path, then each way; none if nobody asks
	shone      []geom.V // what of kinds of light shone straight into the lens
	ways       []geom.V // the end of it; see ways.go

	// The path.
	on        bool // it sends main out
	main      quest
	asked     [mostAsked]asked // of light, while main is out
	asks      int
	smp       *points.Sampler
	first     *seen
	surely    bool   // it has come here by no choice: what shines at its end has no noise but that of edges
	total     geom.V // what it brought so far
	weight    geom.V
	from      last
	depth     int
	vertex    uint32   // how often it came to anything
	straight  int      // panes of glass in a row
	travelled float64  // since the camera, for the first hit behind glass
	inside    *Surface // whose body it is in
	colour    int      // that glass has left of it, from 1; 0: all
	way       wayTo
	here      arrival
}

// mostAsked is how much light is asked for at a time: at a point of each kind, in the air before it, along ways, and
// from a place in the sun.
const mostAsked = 11

// asked is light that is asked for: what it gives, if it comes.
type asked struct {
	quest
	free     bool // nothing can stand in its way
	all      geom.V
	w        float64 // what it is weighed by, then
	beside   float64
	weight   geom.V // of the path
	l        lamp.Light
	p        geom.V
	k        float64 // how much it counts of the light that is sent; 0: nobody asks
	kind     int
	indirect bool
	depth    int
	way      wayTo
	bySun    bool // it comes from a place in the sun
	ground   bool // where it is asked for may be one, if somebody wants to know
}

// last is what a path remembers of the point that it left.
type last struct {
	pdf  float64 // density of the direction it left in; 0 at the camera
	c    choice
	p    geom.V
	solo bool // every kind of light was asked on its own there
	// But lamps, which took turns with others.
	shared bool
	id     uint32
	// Light from places in the sun was asked for there; how the path came there.
	connects bool
	came     arrival
}

// radiance returns the light that comes along the ray from the camera
// (Kajiya, The Rendering Equation, 1986; next-event estimation combined by
// the power heuristic: Veach, Robust Monte Carlo Methods, 1997).
func (tr *tracer) radiance(ray Ray, smp *points.Sampler, first *seen) geom.V {
	var room [1 + mostAsked]*cast.Quest
	for tr.begin(ray, smp, first); tr.goesOn(); tr.advance() {
		for _, q := range tr.out(room[:0]) {
			tr.s.field.Send(q)
		}
	}
	return tr.brought()
}

// begin sends a path out along a ray from the camera; first is told what it meets first.
func (tr *tracer) begin(ray Ray, smp *points.Sampler, first *seen) {
	tr.smp, tr.first = smp, first
	first.Depth, first.Shine = math.Inf(1), geom.V{}
	clear(tr.shone)
	tr.total, tr.weight = geom.V{}, allWhite
	tr.surely = tr.s.Air == nil && tr.s.Fall == nil
	tr.from = last{p: ray.O}
	tr.depth, tr.vertex, tr.straight, tr.travelled, tr.inside, tr.colour = 0, 0, 0, 0, nil, 0
	tr.later = later{}
	tr.way = wayTo{}
	tr.asks, tr.here = 0, arrival{}
	clear(tr.apart)
	tr.seek(ray)
	tr.patch.begin(tr.s, smp)
}

// goesOn says whether the path has rays to send out.
func (tr *tracer) goesOn() bool { return tr.on || tr.asks > 0 || tr.later.waits() }

// out adds all rays that the path sends out to a list.
func (tr *tracer) out(list []*cast.Quest) []*cast.Quest {
	if tr.on {
		list = append(list, &tr.main.Quest)
	}
	if q := tr.patch.out(); q != nil {
		list = append(list, q)
	}
	for i := range tr.asked[:tr.asks] {
		if !tr.asked[i].free {
			list = append(list, &tr.asked[i].Quest)
		}
	}
	return list
}

// brought is the light of a path that is at its end.
func (tr *tracer) brought() geom.V {
	if !tr.total.Finite() {
		clear(tr.apart)
		clear(tr.shone)
		tr.first.Shine = geom.V{}
		return geom.V{}
	}
	return tr.total
}

// seek sends the path out along a ray.
func (tr *tracer) seek(ray Ray) {
	tr.on = true
	tr.main.seek(tr.s, ray, false, passing{s: tr.smp})
}

// add adds light of one kind to what the path brings.
func (tr *tracer) add(kind int, c geom.V, indirect bool) {
	if indirect && tr.clamp > 0 {
		if l := light.Luminance(c); l > tr.clamp {
			c = c.Mul(tr.clamp / l)
		}
	}
	tr.total = tr.total.Add(c)
	if tr.surely && tr.depth == 0 && tr.way.at == alongRay {
		tr.first.Shine = tr.first.Shine.Add(c)
		if len(tr.shone) > 0 {
			tr.shone[kind] = tr.shone[kind].Add(c)
		}
	}
	if len(tr.apart) > len(tr.ways) {
		tr.apart[kind] = tr.apart[kind].Add(c)
	}
	if len(tr.ways) > 0 {
		tr.goes(&tr.way, tr.depth, c)
	}
}

// settle puts down what came of the light that was asked for.
func (tr *tracer) settle() {
	for i := range tr.asked[:tr.asks] {
		a := &tr.asked[i]
		comes := geom.V{}
		switch {
		case a.free:
			comes = allWhite.Mul(tr.s.dim(a.p, &a.l))
		case !a.Met:
			comes = a.pass.tint.Mul(tr.s.dim(a.p, &a.l))
		}
		if a.bySun {
			comes = comes.Times(tr.patch.comes())
		}
		came := a.all.Times(comes)
		if tr.patch.notes != nil {
			tr.patch.notes.note(a, tr.s.groups, a.weight.Times(came).Mul(a.w))
		}
		if a.k > 0 {
			tr.first.Sent += light.Luminance(a.all) * a.k
			tr.first.Lost += light.Luminance(a.all.Sub(came)) * a.k
		}
		way, depth := tr.way, tr.depth
		tr.way, tr.depth = a.way, a.depth
		tr.add(a.kind, a.weight.Times(came.Mul(a.w).Mul(a.beside)), a.indirect)
		tr.way, tr.depth = way, depth
	}
	tr.asks = 0
}

// ask asks for light that a point would send on along the path, all of it, weighed by w.
func (tr *tracer) ask(pt *point, l *lamp.Light, all geom.V, w float64, kind int, indirect bool) *asked {
	a := &tr.asked[tr.asks]
	tr.asks++
	a.l, a.p, a.free = *l, pt.p, l.Free
	a.all, a.w, a.beside, a.weight, a.k = all, w, 1, tr.weight, 0
	a.kind, a.indirect, a.depth, a.way, a.bySun = kind, indirect, tr.depth, tr.way, false
	a.ground = tr.patch.notes != nil && pt.isGround()
	if !a.free {
		a.toward(tr.s, pt, l, tr.smp)
	}
	return a
}

// toward makes a quest for what stands between a point and a light.
func (q *quest) toward(s *Scene, pt *point, l *lamp.Light, smp *points.Sampler) {
	ray := pt.leave(l.Dir)
	if l.Dist > 0 {
		ray.Max = max(l.Dist-pt.eps, 1e-12)
	}
	q.seek(s, ray, true, passing{s: smp, shadow: true, tint: allWhite})
}

// advance goes on to what the path's ray met: it gathers what shines there, asks for light, and sends the next ray out.
func (tr *tracer) advance() {
	tr.patch.goesOn(tr.s, tr.smp)
	tr.settle()
	tr.later.ask(tr)
	if !tr.on {
		return
	}
	tr.on = false
	tr.vertex++
	s, smp, first := tr.s, tr.smp, tr.first
	ray, hit, ok := tr.main.Ray, tr.main.Hit, tr.main.Met
	tr.surely = tr.surely && !tr.main.pass.chose
	tr.mist.left = 1
	far := math.Inf(1)
	if ok {
		s.own(&hit)
		far = hit.T
	} else if ray.Max > 0 {
		far = ray.Max
	}
	pt := &tr.points[tr.vertex%2]
	*pt = point{}
	if ok {
		s.shadeTo(pt, &ray, &hit)
		tr.arrives(pt, &hit)
	}
	foggy := false
	if s.Air != nil {
		far, foggy = tr.throughAir(pt, &ray, &hit, ok, far)
	}
	if s.Fall != nil && tr.depth == 0 {
		tr.turn(ofFall)
		if t, met := s.Fall.Meet(ray.O, ray.D, far, smp.Next()); met {
			*pt, far, foggy = tr.dropPoint(&ray, t), t, true
			first.Depth, first.Normal, first.Albedo = tr.travelled+t, ray.D.Mul(-1), allWhite
		}
	}
	whole := tr.weight
	tr.weight = whole.Mul(tr.mist.left)
	goesOn, c := tr.ends(pt, &ray, &hit, ok, foggy, far)
	if tr.mist.left < 1 {
		q := tr.mist.chance(pt, goesOn)
		if tr.turn(ofFall); smp.Next() < q {
			tr.weight = whole.Mul((1 - tr.mist.left) / q)
			tr.bounce(&tr.mist.at, &tr.mist.c)
			return
		}
		tr.weight = whole.Mul(tr.mist.left / (1 - q))
	}
	if goesOn {
		tr.bounce(pt, &c)
	}
}

// ends gathers what shines at the end of a ray and asks for light that what it meets sends back; false: the path goes
// on from nothing there.
func (tr *tracer) ends(pt *point, ray *Ray, hit *Hit, ok, foggy bool, far float64) (goesOn bool, c choice) {
	s, first, from := tr.s, tr.first, &tr.from
	dark := tr.blind && tr.depth == 0
	if len(s.surfaces) > 0 && !dark {
		tr.alongLamps(ray, far, from, first, func(of int, l geom.V) {
			tr.add(s.group(of), tr.weight.Times(l), tr.depth > 1)
		})
	}
	if !ok && !foggy {
		if !dark {
			sun, env := tr.sky(ray.D, from)
			if tr.depth == 0 && s.Behind != nil {
				sun, env = geom.V{}, s.Behind(ray.O, ray.D)
			}
			tr.add(s.groups, tr.weight.Times(sun), tr.depth > 1)
			tr.add(s.groups+1, tr.weight.Times(env), tr.depth > 1)
		}
		return false, c
	}
	if pt.unlit {
		tr.add(s.groups+2, tr.weight.Times(pt.place.Base), tr.depth > 1)
		return false, c
	}
	if pt.emission != (geom.V{}) && !dark {
		tr.add(s.groups+2, tr.weight.Times(pt.emission).Mul(tr.glowWeight(pt, from)), tr.depth > 1)
	}
	if pt.trans > 0 && pt.place.Straight && tr.straightOn(pt, ray, hit) || tr.depth >= tr.bounces+1 {
		return false, c
	}
	c = s.weigh(pt.p)
	tr.here = tr.arrived(pt)
	tr.way.at = atPoint
	tr.direct(pt, &c, foggy)
	if tr.connects(pt) {
		tr.connect(pt)
	}
	tr.way.at = alongRay
	return true, c
}

// arrives puts down what the first ray met, and what the body that it went through kept.
func (tr *tracer) arrives(pt *point, hit *Hit) {
	if tr.inside != nil {
		tr.weight = tr.weight.Times(tr.inside.Keeps(hit.T))
	}
	if pt.place.Solid && pt.surface.M.Dispersion > 0 {
		pt.split(tr.smp.Pick(hit.Triangle, uint32(hit.Instance)^0x2c1b3c6d), tr.colour)
	}
	first := tr.first
	if tr.depth > 0 || !math.IsInf(first.Depth, 1) {
		return
	}
	first.Depth, first.Normal = tr.travelled+hit.T, pt.n
	first.Albedo = pt.place.Base
	first.Object = tr.s.Instances[hit.Instance].ID
	if tr.looksAbout {
		first.Unhidden = tr.unhidden(pt, tr.smp)
	}
	if tr.numbers != nil {
		first.Surface = tr.numbers[pt.surface]
	}
	if pt.place.Metal > 0.5 || pt.trans > 0.5 { // what a mirror shows is not its own colour
		first.Albedo = allWhite
	}
}

// throughAir is the way to what was met, or without end, through the air: light of lamps that it scatters is asked for,
// and pt becomes the point at which the path meets it, if it does. far is how far the way goes then.
func (tr *tracer) throughAir(pt *point, ray *Ray, hit *Hit, ok bool, far float64) (float64, bool) {
	s, first := tr.s, tr.first
	if !ok && tr.depth == 0 && math.IsInf(first.Depth, 1) { // what is before the sky has noise that can be removed
		first.Depth, first.Normal, first.Albedo = farAir, ray.D.Mul(-1), allWhite
	}
	w := way{o: ray.O, d: ray.D, far: math.Inf(1),
		beam: tr.depth <= min(tr.bounces, 1) && len(s.Lamps) > 0 && !tr.plainWays}
	if ok {
		w.far = hit.T
	}
	if tr.depth == 0 && s.Fall == nil && !tr.blind && !tr.plainWays && !(ok && pt.trans > 0 && pt.place.Straight) {
		tr.shedLight(&w)
	}
	if w.beam {
		tr.later.beam(tr, w)
	}
	if w.meets > 0 {
		return far, false
	}
	at, t, foggy := tr.inAir(w, tr.smp)
	if foggy {
		*pt, far = at, min(t, far)
	}
	return far, foggy
}

// straightOn lets the path go straight through thin glass, as often as that share of light does: it is no scattering.
func (tr *tracer) straightOn(pt *point, ray *Ray, hit *Hit) bool {
	through := pt.place.Through
	straightShare := light.Luminance(through)
	rest := light.Luminance(pt.place.Mirrored) + light.Luminance(pt.place.Scattered)
	p := straightShare / (straightShare + rest)
	if straightShare > 0 && tr.smp.Pick(hit.Triangle, uint32(hit.Instance)^0x51ed270b) < p {
		tr.weight = tr.weight.Times(through).Mul(1 / p)
		tr.surely = false
		tr.travelled += hit.T
		next := pt.leave(ray.D)
		if tr.depth == 0 && ray.Max > 0 {
			next.Max = max(ray.Max-hit.T, 1e-9)
		}
		if tr.straight++; tr.straight < mostPanes {
			tr.seek(next)
		}
		return true
	}
	if p < 1 {
		tr.weight = tr.weight.Mul(1 / (1 - p))
	}
	return false
}

// mostPanes is through how much glass a path goes straight: behind so many sheets nothing is seen.
const mostPanes = 64

// bounce sends the path on from a point. After the last bounce one more ray still looks for lights: direct light is
// shared between both ways of finding it.
func (tr *tracer) bounce(pt *point, c *choice) {
	smp := tr.smp
	tr.turn(ofBounce)
	u1, u2 := smp.Next2()
	wi, w, pdf, ok := pt.sample(u1, u2, smp.Next())
	if !ok {
		return
	}
	if tr.depth == 0 && len(tr.ways) > 0 {
		tr.way.split, tr.way.first = pt.wayOf(wi)
	}
	tr.weight = tr.weight.Times(w)
	if tr.depth >= 1 { // Russian roulette
		q := min(max(tr.weight.Max(), 0.05), 0.95)
		if smp.Next() >= q {
			return
		}
		tr.weight = tr.weight.Mul(1 / q)
	}
	if !(tr.weight.Max() > 0) || !tr.weight.Finite() {
		return
	}
	if pt.place.Solid && wi.Dot(pt.ng) < 0 {
		if pt.place.Channel > 0 {
			tr.colour = pt.place.Channel
		}
		if tr.inside = pt.surface; pt.place.Within {
			tr.inside = nil
		}
	}
	tr.from = last{pdf: pdf, c: *c, p: pt.p, solo: tr.depth == 0, shared: pt == &tr.mist.at,
		id: tr.s.idOf(pt), connects: tr.connects(pt), came: tr.here}
	tr.seek(pt.leave(wi))
	tr.depth++
}
