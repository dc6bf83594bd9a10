package render

import (
	"math"
	"sort"

	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/mesh"
	"visator/core/points"
	"visator/core/skin"
)

// emitters are the triangles that give light, in groups: one for each glowing part of an instance. A group is chosen
// as a lamp is, by what it gives at a place, a triangle of it by area times the mean emission of its surface.
type emitters struct {
	list   []emitter
	cdf    []float64 // within its group
	groups []glowing
	first  []int32 // of each instance its first group; -1: none
	tree   *lamp.Tree
}

// glowing is a group of emitters.
type glowing struct {
	part       *mesh.Part
	from, many int     // of the list
	total      float64 // sum of area * emission
	small      bool    // as a lamp is: smaller than SmallGlow
	mid        geom.V
}

// SmallGlow is up to how large what glows is, corner to corner in metres, it is as a lamp to whoever draws by Around.
const SmallGlow = 1.5

type emitter struct {
	instance  int
	triangle  uint32
	a, e1, e2 geom.V // world
	area      float64
	part      *mesh.Part
}

func gatherEmitters(instances []Instance) (e emitters) {
	var stand []lamp.Lamp // in the place of the groups
	e.first = make([]int32, len(instances))
	for i := range instances {
		in := &instances[i]
		e.first[i] = -1
		for k := range in.Mesh.Parts {
			mp := &in.Mesh.Parts[k]
			if mp.Surface.Emission <= 0 {
				continue
			}
			g := glowing{part: mp, from: len(e.list)}
			box := geom.Empty()
			idx := mp.Model.Indices
			for t := 0; t+2 < len(idx); t += 3 {
				a := in.World.Point(mp.Model.Position(idx[t]))
				e1 := in.World.Point(mp.Model.Position(idx[t+1])).Sub(a)
				e2 := in.World.Point(mp.Model.Position(idx[t+2])).Sub(a)
				area := e1.Cross(e2).Len() / 2
				if area <= 0 {
					continue
				}
				e.list = append(e.list, emitter{i, mp.First + uint32(t/3), a, e1, e2, area, mp})
				g.total += area * mp.Surface.Emission
				e.cdf = append(e.cdf, g.total)
				box = box.Add(a).Add(a.Add(e1)).Add(a.Add(e2))
			}
			if g.many = len(e.list) - g.from; g.many == 0 {
				continue
			}
			if e.first[i] < 0 {
				e.first[i] = int32(len(e.groups))
			}
			g.small, g.mid = box.Size().Len() < SmallGlow, box.Center()
			e.groups = append(e.groups, g)
			cd := g.total / 2 // a flat one to the side, a ball all around: about
			stand = append(stand, lamp.Lamp{Shape: lamp.Ball, At: box.Center(), Radius: box.Size().Len() / 2,
				Candela: geom.V{X: cd, Y: cd, Z: cd}})
		}
	}
	e.tree = lamp.NewTree(stand)
	return e
}

// group is that of a glowing part of an instance.
func (e *emitters) group(instance int, mp *mesh.Part) int {
	g := int(e.first[instance])
	for e.groups[g].part != mp {
		g++
	}
	return g
}

// choice is how likely each kind of light is asked at a point.
type choice struct {
	env, sun, lamp, glow float64
	lux                  float64 // about what lamps give there, if nothing stands in their way
}

// weigh estimates what each kind of light gives at p, to share out the
// samples. Estimates may be rough: they change noise, not the result.
func (s *Scene) weigh(p geom.V) (c choice) {
	if s.Env != nil {
		c.env = math.Pi * s.Env.MeanLuminance()
	}
	for i := range s.Suns {
		c.sun += light.Luminance(s.Suns[i].Lux)
	}
	c.lux = s.tree.Given(p)
	c.lamp = c.lux
	c.glow = s.emitters.tree.Given(p)
	sum := c.env + c.sun + c.lamp + c.glow
	if !(sum > 0) || math.IsInf(sum, 0) {
		return choice{lux: c.lux}
	}
	// No kind that is there is left without samples.
	const least = 0.05
	share := func(v, least float64) float64 {
		if v <= 0 {
			return 0
		}
		return max(v/sum, least)
	}
	// Where a lamp gives something to be seen by, sun and sky may be behind a roof: then it is nearly all there is.
	ofLamps := least
	if c.lamp > 0.1 { // lux
		ofLamps = 0.25
	}
	c.env, c.sun, c.lamp, c.glow = share(c.env, least), share(c.sun, least), share(c.lamp, ofLamps),
		share(c.glow, least)
	sum = c.env + c.sun + c.lamp + c.glow
	c.env, c.sun, c.lamp, c.glow = c.env/sum, c.sun/sum, c.lamp/sum, c.glow/sum
	return c
}

// sampleGlow is light from a place on what glows, and its group; ok is false when there is none.
func (s *Scene) sampleGlow(p geom.V, smp *points.Sampler, extra float64) (l lamp.Light, k int, ok bool) {
	k, chance, left := s.emitters.tree.Choose(p, extra)
	if k < 0 {
		return l, k, false
	}
	g := &s.emitters.groups[k]
	cdf := s.emitters.cdf[g.from : g.from+g.many]
	t := &s.emitters.list[g.from+min(sort.SearchFloat64s(cdf, left*g.total), g.many-1)]
	u1, u2 := smp.Next2()
	q := math.Sqrt(u1)
	u, v := q*(1-u2), q*u2
	at := t.a.Add(t.e1.Mul(u)).Add(t.e2.Mul(v))
	d := at.Sub(p)
	dist := d.Len()
	if dist == 0 {
		return l, k, false
	}
	dir := d.Mul(1 / dist)
	cos := math.Abs(t.e1.Cross(t.e2).Unit().Dot(dir))
	if cos < 1e-9 {
		return l, k, false
	}
	uv := skin.At(t.part.Model, t.triangle-t.part.First, float32(u), float32(v))
	le := t.part.Surface.Glow(&uv)
	pdf := chance * t.part.Surface.Emission / g.total * dist * dist / cos
	return lamp.Light{Dir: dir, Dist: dist * (1 - 1e-5), Le: le, PDF: pdf}, k, true
}

// glowDensity is the density per steradian of choosing from p a point of a glowing part of an instance dist away, seen
// under the cosine cos.
func (s *Scene) glowDensity(p geom.V, instance int, mp *mesh.Part, dist, cos float64) float64 {
	if len(s.emitters.groups) == 0 || cos <= 0 {
		return 0
	}
	g := s.emitters.group(instance, mp)
	return s.emitters.tree.Chance(p, g) * mp.Surface.Emission / s.emitters.groups[g].total * dist * dist / cos
}

// Shining is a lamp, or what is as small and glows, taken as a point.
type Shining struct {
	At      geom.V
	Candela geom.V // in the middle of a beam; all around of what glows: a quarter of its surface each way
	Lamp    *lamp.Lamp
}

// Shining are all of them; large says that so is what glows and is larger, in its middle.
func (s *Scene) Shining(large bool) (list []Shining) {
	for i := range s.Lamps {
		list = append(list, Shining{s.Lamps[i].At, s.Lamps[i].Candela, &s.Lamps[i]})
	}
	for i := range s.emitters.groups {
		g := &s.emitters.groups[i]
		e := g.part.Surface.M.Emissive
		c := geom.V{X: e[0], Y: e[1], Z: e[2]}
		if l := light.Luminance(c); (g.small || large) && l > 0 {
			list = append(list, Shining{g.mid, c.Mul(g.total / 4 / l), nil})
		}
	}
	return list
}

// Along is how much of what it gives in the middle of its beam it sends out along a way.
func (h *Shining) Along(way geom.V) float64 {
	if h.Lamp == nil || !h.Lamp.Spot {
		return 1
	}
	return lamp.Fade(way.Dot(h.Lamp.Dir), h.Lamp.CosInner, h.Lamp.CosOuter)
}
