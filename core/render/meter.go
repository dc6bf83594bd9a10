package render

import (
	"math"
	"slices"

	"visator/core/bsdf"
	"visator/core/bvh"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/points"
	"visator/core/skin"
)

// Reading is what a meter tells of a place: the luminance that comes from there, and the illuminance on the surface
// there, lux, by what it comes from.
type Reading struct {
	Hit       bool // something is there; else the sky is, which has a luminance alone
	At        geom.V
	Normal    geom.V  // of the side that is seen
	Distance  float64 // metres
	Luminance float64 // cd/m²
	Off       float64 // standard error of it
	Sun, Sky  float64
	Glow      float64   // of surfaces that glow
	Bounce    float64   // that other surfaces give back
	Lamps     []float64 // of each lamp of the scene
}

// Lux is the illuminance of all together.
func (r *Reading) Lux() float64 {
	sum := r.Sun + r.Sky + r.Glow + r.Bounce
	for _, x := range r.Lamps {
		sum += x
	}
	return sum
}

// Meter reads where a ray meets the scene, by so many samples of each source.
func (s *Scene) Meter(ray Ray, bounces, samples int, seed uint64) (r Reading) {
	r.Lamps = make([]float64, len(s.Lamps))
	r.Distance = math.Inf(1)
	bsdf.Ready()
	tr := tracer{s: s, bounces: bounces}
	square := 0.0
	for i := range samples {
		smp := points.New(seed, 0, 0, i)
		var sn seen
		l := light.Luminance(tr.radiance(ray, &smp, &sn))
		r.Luminance += l / float64(samples)
		square += l * l / float64(samples)
	}
	if samples > 1 {
		r.Off = math.Sqrt(max(square-r.Luminance*r.Luminance, 0) / float64(samples-1))
	}
	pt, hit, ok := s.plain(ray)
	if !ok {
		return r
	}
	r.Hit, r.At, r.Normal, r.Distance = true, pt.p, pt.n, hit.T
	if r.Normal.Dot(ray.D) > 0 {
		r.Normal = r.Normal.Mul(-1)
	}
	tr.falls(&pt, &r, samples, seed)
	return r
}

// MeterAt reads what falls on a small plane at a place, which need not lie on anything.
func (s *Scene) MeterAt(at, normal geom.V, bounces, samples int, seed uint64) (r Reading) {
	r.Lamps = make([]float64, len(s.Lamps))
	bsdf.Ready()
	tr := tracer{s: s, bounces: bounces}
	r.Hit, r.At, r.Normal = true, at, normal
	pt := point{p: at, ng: normal, n: normal, wo: normal, instance: -1, triangle: bvh.NoTriangle, eps: 1e-4}
	tr.falls(&pt, &r, samples, seed)
	return r
}

// falls reads what falls on a point.
func (tr *tracer) falls(pt *point, r *Reading, samples int, seed uint64) {
	for i := range samples {
		smp := points.New(seed^0x6d657465, 1, 0, i)
		tr.gather(pt, r, &smp, 1/float64(samples))
	}
}

// gather adds one sample of each source, weighed, to the illuminance at a point.
func (tr *tracer) gather(pt *point, r *Reading, smp *points.Sampler, weight float64) {
	s := tr.s
	// falls is the lux that a sample of light gives there.
	falls := func(l lamp.Light, ok bool) float64 {
		cos := r.Normal.Dot(l.Dir)
		if !ok || !(cos > 0) || !(l.PDF > 0) {
			return 0
		}
		return light.Luminance(l.Le.Times(tr.reaches(pt, &l, smp))) * cos / l.PDF * weight
	}
	if len(s.Suns) > 0 {
		pick := smp.Next()
		u1, u2 := smp.Next2()
		r.Sun += falls(lamp.SampleSuns(s.Suns, u1, u2, pick), true)
	}
	if s.Env != nil {
		u1, u2 := smp.Next2()
		var l lamp.Light
		if l.Dir, l.PDF = s.Env.Sample(u1, u2); l.PDF > 0 {
			l.Le = s.Env.At(l.Dir)
		}
		r.Sky += falls(l, l.PDF > 0)
	}
	for i := range s.Lamps {
		u1, u2 := smp.Next2()
		got, ok := s.Lamps[i].Sample(pt.p, u1, u2)
		ok = ok && s.Lamps[i].Lights(s.idOf(pt))
		r.Lamps[i] += falls(got, ok)
	}
	if len(s.emitters.groups) > 0 {
		l, _, ok := s.sampleGlow(pt.p, smp, smp.Next())
		r.Glow += falls(l, ok)
	}
	// What other surfaces give back comes from all over the half space: E = π·L by the cosine.
	u1, u2 := smp.Next2()
	d := geom.Cosine(r.Normal, u1, u2)
	var sn seen
	tr.blind = true
	r.Bounce += math.Pi * light.Luminance(tr.radiance(pt.leave(d.Unit()), smp, &sn)) * weight
	tr.blind = false
}

// Around is the light that comes to a place from all around, but for suns, lamps and what glows as they do: mean is its
// mean luminance, per channel, and by three times the mean of luminance by direction along each axis, so that along d
// about mean + x·d.X + y·d.Y + z·d.Z comes, and a surface with the normal n gets π·mean + ⅔π·(x·n.X + y·n.Y + z·n.Z)
// lux (the first two bands of spherical harmonics: Ramamoorthi and Hanrahan, An efficient representation for irradiance
// environment maps, 2001). within is the share of all directions that meet the back of something: most from within a
// body.
func (s *Scene) Around(at geom.V, bounces, samples int, seed uint64) (mean, x, y, z geom.V, within float64) {
	tr := tracer{s: s, bounces: bounces, blind: true}
	add := func(l, d geom.V, share float64) {
		l = l.Mul(share / float64(samples))
		mean = mean.Add(l)
		x, y, z = x.Add(l.Mul(3*d.X)), y.Add(l.Mul(3*d.Y)), z.Add(l.Mul(3*d.Z))
	}
	type way struct{ l, d geom.V }
	ways := make([]way, samples)
	pt := point{p: at, instance: -1, triangle: bvh.NoTriangle, eps: 1e-4}
	for i := range samples {
		smp := points.New(seed, 2, 0, i)
		u1, u2 := smp.Next2()
		v := 1 - 2*u1
		sin, cos := math.Sincos(2 * math.Pi * u2)
		d := geom.V{X: math.Sqrt(1-v*v) * cos, Y: v, Z: math.Sqrt(1-v*v) * sin}
		var sn seen
		ray := NewRay(at, d)
		if hit, ok := s.Closest(ray); ok && s.behind(&hit, d) {
			within += 1 / float64(samples)
		}
		ways[i] = way{tr.radiance(ray, &smp, &sn), d}
		if len(s.emitters.groups) > 0 { // what glows and is large is looked for: rays that meet it by chance are few
			if l, k, ok := s.sampleGlow(at, &smp, smp.Next()); ok && !s.emitters.groups[k].small {
				pt.n, pt.ng = l.Dir, l.Dir
				// However near it is, it fills no more than all directions.
				add(l.Le.Times(tr.reaches(&pt, &l, &smp)), l.Dir, min(1/(4*math.Pi*l.PDF), 1))
			}
		}
		if s.Env != nil { // the sky by its brightness: what is small in it is not missed
			u1, u2 = smp.Next2()
			l := lamp.Light{}
			if l.Dir, l.PDF = s.Env.Sample(u1, u2); l.PDF > 0 {
				pt.n, pt.ng = l.Dir, l.Dir
				add(s.Env.At(l.Dir).Times(tr.reaches(&pt, &l, &smp)), l.Dir, 1/(4*math.Pi*l.PDF))
			}
		}
	}
	// A way that happens to end on something tiny and bright, such as the inside of a lantern, would count for all that
	// is around: none counts for more than spikes times the mean of all but the brightest eighth.
	list := make([]float64, samples)
	for i := range ways {
		list[i] = light.Luminance(ways[i].l)
	}
	slices.Sort(list)
	most := 0.0
	for _, v := range list[:max(samples-samples/8, 1)] {
		most += spikes * v / float64(max(samples-samples/8, 1))
	}
	for _, w := range ways {
		if l := light.Luminance(w.l); l > most && samples >= 8 {
			w.l = w.l.Mul(most / l)
		}
		add(w.l, w.d, 1)
	}
	return mean, x, y, z, within
}

const spikes = 16

// Found is what a ray meets first that is not clear: the ID of its instance, the name of its surface and its colour,
// and the share of light that the air on the way there leaves.
type Found struct {
	ID      uint32
	Surface string
	Base    geom.V
	Through float64
}

// Find is what a ray meets.
func (s *Scene) Find(ray Ray) (f Found, ok bool) {
	pt, hit, ok := s.plain(ray)
	if !ok {
		return f, false
	}
	f = Found{s.Instances[hit.Instance].ID, pt.surface.M.Name, pt.place.Base, 1}
	if s.Air != nil {
		f.Through = s.Air.Through(ray.O, ray.D, hit.T)
	}
	return f, true
}

// Clear is the share of light that leaves a place along d and is not stopped within far metres, by what glows least: a
// flame does not keep its own light back, and clear thin glass lets pass what it does.
func (s *Scene) Clear(at, d geom.V, far float64) float64 {
	ray := NewRay(at, d)
	ray.Max = far
	left := 1.0
	for range 16 {
		hit, ok := s.Closest(ray)
		if !ok {
			return left
		}
		mp, t, _ := s.Instances[hit.Instance].Mesh.Triangle(hit.Triangle)
		if sf := mp.Surface; sf.Clear() {
			uv := skin.At(mp.Model, t, hit.U, hit.V)
			left *= light.Luminance(sf.ClearTint(mp.Model, t, hit.U, hit.V, &uv))
		} else if sf.Emission <= 0 {
			return 0
		}
		ray.Min = hit.T + 1e-5
		ray.FromInstance, ray.FromTriangle = int32(hit.Instance), hit.Triangle
	}
	return left
}
