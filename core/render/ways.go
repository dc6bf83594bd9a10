package render

import (
	"cmp"
	"math"

	"visator/core/film"
	"visator/core/geom"
	"visator/core/points"
)

// wayTo is what is known of the way by which light comes along a path, for the layers that keep ways apart.
type wayTo struct {
	at    where
	first passed // how the path goes on at the point that it met first
	split geom.V // of what it goes on by, the share of the matte ground
	// The same of the light that is asked for at the first point just now.
	here      geom.V
	hereFirst passed
}

// where light joins a path.
type where uint8

const (
	alongRay where = iota // the ray runs into it
	atPoint               // at a point, where it is asked for
	atAir                 // in the air before the next point
)

// passed is how a path goes on at the first point.
type passed uint8

const (
	unknown passed = iota
	sentBack
	crossed
	scattered
)

// wayOf is how light from wi goes on at the point, and the share of the matte ground in it.
func (pt *point) wayOf(wi geom.V) (split geom.V, how passed) {
	if pt.met != nil {
		return split, scattered
	}
	i := pt.local(wi)
	if i.Z < 0 {
		return split, crossed
	}
	f, _ := pt.place.Eval(i)
	m := pt.place.Matte(i)
	share := func(m, f float64) float64 {
		if !(f > 0) || math.IsInf(f, 1) {
			return 0
		}
		return min(max(m/f, 0), 1)
	}
	return geom.V{X: share(m.X, f.X), Y: share(m.Y, f.Y), Z: share(m.Z, f.Z)}, sentBack
}

// goes puts light onto its way.
func (tr *tracer) goes(w *wayTo, depth int, c geom.V) {
	split, first := w.split, w.first
	stage := depth
	switch w.at {
	case atPoint:
		if stage++; stage == 1 {
			split, first = w.here, w.hereFirst
		}
	case atAir:
		if stage++; stage == 1 {
			first = scattered
		}
	}
	put := func(to int, c geom.V) { tr.ways[to] = tr.ways[to].Add(c) }
	switch {
	case stage == 0:
		put(film.Shines, c)
	case first == scattered:
		put(film.InAir, c)
	case first == crossed:
		put(film.Through, c)
	default:
		matte := c.Times(split)
		by := film.DirectMatte
		if stage > 1 {
			by = film.IndirectMatte
		}
		put(by, matte)
		put(by+1, c.Sub(matte))
	}
}

// SurfaceNames are what the surfaces of a scene are called, by their numbers in films, from 1.
func (s *Scene) SurfaceNames() []string {
	_, names := s.surfaceNumbers()
	return names
}

// surfaceNumbers numbers the surfaces of a scene by their names, from 1, in the order in which things have them.
func (s *Scene) surfaceNumbers() (numbers map[*Surface]uint32, names []string) {
	numbers = map[*Surface]uint32{}
	known := map[string]uint32{}
	for i := range s.Instances {
		for k := range s.Instances[i].Mesh.Parts {
			u := s.Instances[i].Mesh.Parts[k].Surface
			if _, ok := numbers[u]; ok {
				continue
			}
			name := cmp.Or(u.M.Name, "no name")
			if known[name] == 0 {
				names = append(names, name)
				known[name] = uint32(len(names))
			}
			numbers[u] = known[name]
		}
	}
	return numbers, names
}

// about is how near what hides the sky is, for occlusion, in metres: things of a set hide it from one another, walls
// of a room do not.
const about = 1.0

// unhidden is 1 where nothing hides the sky in a direction, chosen by the cosine, else 0.
func (tr *tracer) unhidden(pt *point, smp *points.Sampler) float64 {
	u, v := smp.Aside(asideAbout)
	r, a := math.Sqrt(u), 2*math.Pi*v
	d := pt.world(geom.V{X: r * math.Cos(a), Y: r * math.Sin(a), Z: math.Sqrt(max(1-u, 0))})
	if d.Dot(pt.ng) <= 0 {
		return 0
	}
	ray := pt.leave(d)
	ray.Max = about
	pass := passing{s: smp, shadow: true, tint: geom.V{X: 1, Y: 1, Z: 1}}
	if _, blocked := tr.s.trace(&ray, true, &pass); blocked {
		return 0
	}
	return 1
}
