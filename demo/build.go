// Package demo makes the sample production: a small mountain railway halt at
// first light. Its models are built here from code and packed as downloads
// really arrive: mixed formats and units, an up axis wrong, one a hundred
// times too big, maps in another folder, a zip in a zip.
package demo

import (
	"math"

	"visator/core/geom"
	"visator/core/model"
)

// shape gathers parts of a model in metres, +Y up.
type shape struct {
	m    *model.Model
	part map[string]*model.Part // by part name and surface
	keys []string
	top  geom.M
}

func newShape(name string) *shape {
	return &shape{m: &model.Model{Name: name, Format: "built", Up: "Y",
		Unit: model.Unit{Name: "metre", MetresPerUnit: 1, From: "format"}, Generator: "Visator demo"},
		part: map[string]*model.Part{}, top: geom.Identity}
}

func (s *shape) surface(name string, r, g, b, rough, metal float64, set ...func(*model.Surface)) int {
	f := model.DefaultSurface()
	f.Name, f.BaseColor, f.Roughness, f.Metallic = name, [4]float64{r, g, b, 1}, rough, metal
	for _, do := range set {
		do(&f)
	}
	s.m.Surfaces = append(s.m.Surfaces, f)
	return len(s.m.Surfaces) - 1
}

// textured adds a surface with a picture as base colour.
func (s *shape) textured(name string, pic []byte, rough float64, set ...func(*model.Surface)) int {
	i := s.surface(name, 1, 1, 1, rough, 0, set...)
	s.m.Maps = append(s.m.Maps, model.Map{Name: name + "_BaseColor.png", Role: "base colour", Status: model.Embedded,
		Mime: "image/png", Data: pic})
	slot := model.EmptySlot
	slot.Map = len(s.m.Maps) - 1
	s.m.Surfaces[i].Slots[model.BaseColorMap] = slot
	return i
}

func (s *shape) into(part string, surface int) *model.Part {
	key := part + "\x00" + s.m.Surfaces[surface].Name
	if p := s.part[key]; p != nil {
		return p
	}
	p := &model.Part{Name: part, Surface: surface}
	s.part[key] = p
	s.keys = append(s.keys, key)
	return p
}

func (s *shape) vertex(p *model.Part, q, n geom.V, u, v float64) uint32 {
	q, n = s.top.Point(q), s.top.Dir(n).Unit()
	p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
	p.Normals = append(p.Normals, float32(n.X), float32(n.Y), float32(n.Z))
	p.UV = append(p.UV, float32(u), float32(v))
	return uint32(len(p.Positions)/3 - 1)
}

// quad adds a + u*e1 + v*e2, counter-clockwise seen from e1 x e2; texture
// coordinates run in metres.
func (s *shape) quad(part string, surface int, a, e1, e2 geom.V) {
	p := s.into(part, surface)
	n := e1.Cross(e2).Unit()
	l1, l2 := e1.Len(), e2.Len()
	i := s.vertex(p, a, n, 0, 0)
	s.vertex(p, a.Add(e1), n, l1, 0)
	s.vertex(p, a.Add(e1).Add(e2), n, l1, -l2)
	s.vertex(p, a.Add(e2), n, 0, -l2)
	p.Indices = append(p.Indices, i, i+1, i+2, i, i+2, i+3)
}

func v3(x, y, z float64) geom.V { return geom.V{X: x, Y: y, Z: z} }

// box adds a box from lo to hi.
func (s *shape) box(part string, surface int, x0, y0, z0, x1, y1, z1 float64) {
	dx, dy, dz := v3(x1-x0, 0, 0), v3(0, y1-y0, 0), v3(0, 0, z1-z0)
	lo, hi := v3(x0, y0, z0), v3(x1, y1, z1)
	s.quad(part, surface, lo.Add(dz), dx, dy)
	s.quad(part, surface, hi.Sub(dy).Sub(dz), dx.Mul(-1), dy)
	s.quad(part, surface, hi.Sub(dy), dz.Mul(-1), dy)
	s.quad(part, surface, lo, dz, dy)
	s.quad(part, surface, lo.Add(dy).Add(dz), dx, dz.Mul(-1))
	s.quad(part, surface, lo, dx, dz)
}

// lathe turns a profile of radius and height about +Y at c.
func (s *shape) lathe(part string, surface, sides int, c geom.V, profile ...[2]float64) {
	p := s.into(part, surface)
	run := 0.0
	for k := 0; k+1 < len(profile); k++ {
		a, b := profile[k], profile[k+1]
		dr, dy := b[0]-a[0], b[1]-a[1]
		l := math.Hypot(dr, dy)
		if l == 0 {
			continue
		}
		for i := 0; i < sides; i++ {
			f0, f1 := 2*math.Pi*float64(i)/float64(sides), 2*math.Pi*float64(i+1)/float64(sides)
			at := func(f float64, q [2]float64, v float64) uint32 {
				sin, cos := math.Sincos(f)
				return s.vertex(p, c.Add(v3(q[0]*cos, q[1], -q[0]*sin)), v3(dy/l*cos, -dr/l, -dy/l*sin),
					f*max(a[0], b[0]), -v)
			}
			i0 := at(f0, a, run)
			at(f1, a, run)
			at(f1, b, run+l)
			at(f0, b, run+l)
			p.Indices = append(p.Indices, i0, i0+1, i0+2, i0, i0+2, i0+3)
		}
		run += l
	}
}

// tube adds a round bar from a to b.
func (s *shape) tube(part string, surface, sides int, a, b geom.V, r float64) {
	d := b.Sub(a)
	axis := d.Unit()
	t, bt := geom.Frame(axis)
	keep := s.top
	// Column Y runs along the bar.
	s.top = keep.Mul(geom.M{bt.X, bt.Y, bt.Z, 0, axis.X, axis.Y, axis.Z, 0, t.X, t.Y, t.Z, 0, a.X, a.Y, a.Z, 1})
	s.lathe(part, surface, sides, geom.V{}, [2]float64{0, 0}, [2]float64{r, 0}, [2]float64{r, d.Len()},
		[2]float64{0, d.Len()})
	s.top = keep
}

// ball adds an ellipsoid.
func (s *shape) ball(part string, surface, n int, c, r geom.V) {
	p := s.into(part, surface)
	w := uint32(2*n + 1)
	base := uint32(len(p.Positions) / 3)
	for i := 0; i <= n; i++ {
		for j := 0; j <= 2*n; j++ {
			t, f := math.Pi*float64(i)/float64(n), math.Pi*float64(j)/float64(n)
			d := v3(math.Sin(t)*math.Cos(f), math.Cos(t), -math.Sin(t)*math.Sin(f))
			s.vertex(p, c.Add(d.Times(r)), v3(d.X/r.X, d.Y/r.Y, d.Z/r.Z), f*r.X, t*r.Y)
		}
	}
	for i := uint32(0); i < uint32(n); i++ {
		for j := uint32(0); j < uint32(2*n); j++ {
			a := base + i*w + j
			if i > 0 {
				p.Indices = append(p.Indices, a, a+w+1, a+1)
			}
			if i < uint32(n)-1 {
				p.Indices = append(p.Indices, a, a+w, a+w+1)
			}
		}
	}
}

// field adds a height field over a grid of n x n cells, smooth.
func (s *shape) field(part string, surface, nx, nz int, x0, z0, x1, z1, repeat float64,
	height func(x, z float64) float64) {
	p := s.into(part, surface)
	base := uint32(len(p.Positions) / 3)
	for i := 0; i <= nz; i++ {
		for j := 0; j <= nx; j++ {
			x, z := x0+(x1-x0)*float64(j)/float64(nx), z0+(z1-z0)*float64(i)/float64(nz)
			e := (x1 - x0) / float64(nx) / 2
			n := v3(height(x-e, z)-height(x+e, z), 2*e, height(x, z-e)-height(x, z+e))
			s.vertex(p, v3(x, height(x, z), z), n, x/repeat, z/repeat)
		}
	}
	w := uint32(nx + 1)
	for i := uint32(0); i < uint32(nz); i++ {
		for j := uint32(0); j < uint32(nx); j++ {
			a := base + i*w + j
			p.Indices = append(p.Indices, a, a+w, a+w+1, a, a+w+1, a+1)
		}
	}
}

// done makes one mesh and node for each part name.
func (s *shape) done() *model.Model {
	at := map[string]int{}
	for _, key := range s.keys {
		p := s.part[key]
		i, ok := at[p.Name]
		if !ok {
			i = len(s.m.Meshes)
			at[p.Name] = i
			s.m.Meshes = append(s.m.Meshes, model.Mesh{Name: p.Name})
			n := model.NewNode(p.Name)
			n.Mesh = i
			s.m.Nodes = append(s.m.Nodes, n)
			s.m.Roots = append(s.m.Roots, len(s.m.Nodes)-1)
		}
		s.m.Meshes[i].Parts = append(s.m.Meshes[i].Parts, *p)
	}
	return s.m
}

// chance is a number from 0 to 1 that follows from three others (the finisher
// of SplitMix64).
func chance(a, b, c uint64) float64 {
	x := a*0x9e3779b97f4a7c15 + b*0xbf58476d1ce4e5b9 + c*0x94d049bb133111eb
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return float64((x^x>>31)>>11) / (1 << 53)
}

// noise is smooth value noise of a seed, -1 to 1, period one metre.
func noise(seed uint64, x, z float64) float64 {
	at := func(i, j float64) float64 {
		return chance(seed, uint64(int64(i)), uint64(int64(j)))*2 - 1
	}
	i, j := math.Floor(x), math.Floor(z)
	u, v := x-i, z-j
	u, v = u*u*(3-2*u), v*v*(3-2*v)
	return (at(i, j)*(1-u)+at(i+1, j)*u)*(1-v) + (at(i, j+1)*(1-u)+at(i+1, j+1)*u)*v
}

// rough sums octaves of noise.
func rough(seed uint64, x, z float64, octaves int) (h float64) {
	a := 1.0
	for o := 0; o < octaves; o++ {
		h += a * noise(seed+uint64(o), x, z)
		x, z, a = x*2.03, z*2.03, a*0.5
	}
	return h
}
