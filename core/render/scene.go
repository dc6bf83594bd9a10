// Package render makes pictures of scenes by light transport. Lengths are
// metres, light is photometric: film values are scene-linear luminance in
// cd/m² for each of the three Rec.709 channels, before exposure. The same
// seed gives the same bytes on any number of threads.
package render

import (
	"math"
	"slices"
	"sync/atomic"

	"visator/core/air"
	"visator/core/bvh"
	"visator/core/cast"
	"visator/core/crew"
	"visator/core/eye"
	"visator/core/fall"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/mesh"
	"visator/core/model"
	"visator/core/points"
	"visator/core/skin"
	"visator/core/sky"
	"visator/core/surface"
)

// Scene is what rays meet: instances of meshes, lights and an environment.
// Fill it, call Build once, then trace from any number of goroutines.
type Scene struct {
	Instances []Instance
	Lamps     []lamp.Lamp
	Suns      []Sun
	Env       *sky.Environment  // nil: black
	Air       *air.Air          // nil: clear
	Fall      *fall.Field       // nil: nothing falls
	Weathers  []surface.Weather // what weather does to what stands
	// Behind is what the camera sees behind everything, by where its ray begins and its direction; nil: suns and Env.
	Behind func(o, d geom.V) geom.V
	// Follows says that it took over what is merged of a scene before: BuildAfter sets it.
	Follows bool

	field    cast.Field
	meshes   []*mesh.Mesh // of its stands
	merged   *mesh.Mesh   // the first of them, if things are merged; nil: none are
	gone     int          // triangles of it that nothing stands for any more
	loose    int          // instances that came since it was made
	threads  int          // for building
	kept     cast.Structures
	apart    bool // merge nothing
	boxes    geom.Box
	emitters emitters
	surfaces []int // of Lamps those that are no points
	tree     *lamp.Tree
	lit      geom.V   // the middle of the lamps, by what they give
	groups   int      // of lamps
	drops    air.Part // how what falls scatters
	alpha    bool     // some surface lets light through
}

// Instance is a mesh standing in the scene. Many instances share one mesh.
type Instance struct {
	Mesh  *mesh.Mesh
	World geom.M // mesh to world
	ID    uint32 // for the object pass, from 1
	Seed  uint64 // by which patterns lie on it in another place than on others
	inv   geom.M
	flip  bool // World mirrors
}

// Sun is a far light.
type Sun = lamp.Sun

// Library turns models into meshes once, for any number of instances.
type Library = mesh.Library

// Place adds every mesh of a model under the transform top. Each node with a
// mesh gets the ID that id returns for it.
func (s *Scene) Place(l *Library, m *model.Model, top geom.M, id func(node int) uint32) error {
	meshes, err := l.Meshes(m)
	if err != nil {
		return err
	}
	s.threads, s.kept = max(l.Threads, 1), l.Kept
	m.Walk(func(i int, n *model.Node, world geom.M) {
		if n.Mesh == model.None || meshes[n.Mesh].Count == 0 {
			return
		}
		s.Instances = append(s.Instances, Instance{Mesh: meshes[n.Mesh], World: top.Mul(world), ID: id(i)})
	})
	return nil
}

// PlaceLights adds the lamps and suns of a model. A scale on a light's node
// moves it but does not change its strength.
func (s *Scene) PlaceLights(m *model.Model, top geom.M) {
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Light == model.None {
			return
		}
		world = top.Mul(world)
		g := m.Lights[n.Light]
		color := geom.V{X: g.Color[0], Y: g.Color[1], Z: g.Color[2]}.Mul(g.Intensity)
		dir := world.Dir(geom.V{Z: -1}).Unit()
		if g.Kind == model.Directional {
			s.Suns = append(s.Suns, Sun{To: dir.Mul(-1), Lux: color})
			return
		}
		s.Lamps = append(s.Lamps, lamp.Lamp{At: world.Point(geom.V{}), Dir: dir, Candela: color,
			Spot:     g.Kind == model.Spot,
			CosInner: math.Cos(g.Inner), CosOuter: math.Cos(g.Outer), Range: g.Range})
	})
}

// Build makes the upper acceleration structure; call it after the last change.
func (s *Scene) Build() { s.BuildAfter(nil) }

// BuildAfter is Build after a small change: what is merged of a scene that was built before and stands here as it stood
// there is taken over, what came or moved is left on its own. Pictures are the same but for roundings, since what is on
// its own is met in its own coordinates. Where much has changed it is Build.
func (s *Scene) BuildAfter(before *Scene) {
	s.boxes = geom.Empty()
	kept := s.Instances[:0]
	for _, in := range s.Instances {
		inv, ok := in.World.Affine()
		if !ok {
			continue // flat: it has no thickness to be seen or hit
		}
		in.inv, in.flip = inv, in.World.Det3() < 0
		s.boxes = s.boxes.Union(in.Mesh.Box.Apply(in.World))
		kept = append(kept, in)
		for i := range in.Mesh.Parts {
			s.alpha = s.alpha || in.Mesh.Parts[i].Alpha
		}
	}
	s.Instances, s.meshes = kept, nil
	s.field = cast.Field{First: make([]uint32, len(kept))}
	stands := func(m *mesh.Mesh, box geom.Box, inv geom.M, instance int) {
		s.meshes = append(s.meshes, m)
		s.field.Stands = append(s.field.Stands, cast.Stand{Tree: m.Tree, Box: box, Inv: inv, Instance: int32(instance)})
	}
	s.merged, s.gone, s.loose = s.mergedAfter(before)
	if s.Follows = s.merged != nil; !s.Follows {
		s.merged = s.merge(s.field.First)
	}
	s.buildMeshes()
	if m := s.merged; m != nil {
		stands(m, m.Box, geom.Identity, cast.Merged)
	}
	for i, in := range kept {
		if s.field.First[i] == bvh.NoTriangle {
			stands(in.Mesh, in.Mesh.Box.Apply(in.World), in.inv, i)
		}
	}
	s.field.Build()
	s.emitters = gatherEmitters(s.Instances)
	s.light()
}

// buildMeshes makes the structures of what rays are sent into: large ones by all threads, small ones beside each other.
func (s *Scene) buildMeshes() {
	const large = 100_000 // triangles
	var small []*mesh.Mesh
	seen := map[*mesh.Mesh]bool{s.merged: true}
	if s.merged != nil {
		s.merged.Build(s.threads, s.kept)
	}
	for i := range s.Instances {
		m := s.Instances[i].Mesh
		if s.field.First[i] != bvh.NoTriangle || seen[m] {
			continue
		}
		if seen[m] = true; m.Count < large {
			small = append(small, m)
		} else {
			m.Build(s.threads, s.kept)
		}
	}
	var next atomic.Int64
	var g crew.Group
	for range min(max(s.threads, 1), len(small)) {
		g.Go(func() {
			for i := next.Add(1) - 1; i < int64(len(small)); i = next.Add(1) - 1 {
				small[i].Build(1, s.kept)
			}
		})
	}
	g.Wait()
}

// light makes ready to choose among the lamps.
func (s *Scene) light() {
	s.surfaces, s.tree, s.lit = nil, lamp.NewTree(s.Lamps), geom.V{}
	if s.Air.Clear() {
		s.Air = nil
	}
	sum := 0.0
	s.groups = 0
	for i := range s.Lamps {
		s.groups = max(s.groups, s.Lamps[i].Group+1)
		w := light.Luminance(s.Lamps[i].Candela)
		s.lit, sum = s.lit.Add(s.Lamps[i].At.Mul(w)), sum+w
	}
	if sum > 0 {
		s.lit = s.lit.Mul(1 / sum)
	}
	for i := range s.Lamps {
		if s.Lamps[i].Shape != lamp.Point {
			s.surfaces = append(s.surfaces, i)
		}
	}
}

// Relit is a scene that was built with lamps beside its own, suns in place of its own where there are any, and
// another sky and air: what stands in it is shared.
func (s *Scene) Relit(lamps []lamp.Lamp, suns []Sun, env *sky.Environment, a *air.Air) *Scene {
	out := *s
	out.Lamps = append(slices.Clone(s.Lamps), lamps...)
	if len(suns) > 0 {
		out.Suns = suns
	}
	out.Env, out.Air, out.Weathers = env, a, nil
	out.light()
	return &out
}

// Falling is a scene with what falls in it before a camera, and how that scatters; nil: nothing does.
func (s *Scene) Falling(f *fall.Field, of air.Part) *Scene {
	out := *s
	out.Fall, out.drops = f, of
	return &out
}

// Bounds is the box around all instances.
func (s *Scene) Bounds() geom.Box { return s.boxes }

// Camera is where the rays of a picture begin.
type Camera = eye.Camera

// Ray starts at O and runs along the unit vector D.
type Ray = cast.Ray

// NewRay returns a ray that leaves no triangle.
func NewRay(o, d geom.V) Ray { return cast.New(o, d) }

// Hit is where a ray meets an instance.
type Hit = cast.Hit

// Closest finds what the ray meets first. Surfaces that let light through are
// taken as solid.
func (s *Scene) Closest(ray Ray) (Hit, bool) { return s.trace(&ray, false, nil) }

// Blocked says whether anything lies in the way of the ray. Surfaces that let light through are taken as solid.
func (s *Scene) Blocked(ray Ray) bool {
	_, met := s.trace(&ray, true, nil)
	return met
}

// trace sends a ray out alone; pass is nil where all is solid.
func (s *Scene) trace(ray *Ray, any bool, pass *passing) (Hit, bool) {
	q := cast.Quest{Ray: *ray, Any: any}
	if pass != nil && s.alpha {
		pass.of = s
		q.Pass = pass
	}
	s.field.Send(&q)
	if q.Met {
		s.own(&q.Hit)
	}
	return q.Hit, q.Met
}

// own makes a hit of the merged mesh one of its instance.
func (s *Scene) own(hit *Hit) {
	if hit.Instance == cast.Merged {
		mp := s.meshes[0].PartOf(hit.Triangle)
		hit.Instance, hit.Triangle = int(mp.Instance), hit.Triangle-mp.First+mp.Local
	}
}

// quest is a ray that a path sends out.
type quest struct {
	cast.Quest
	pass passing
}

// seek makes a quest of a ray.
func (q *quest) seek(s *Scene, ray Ray, any bool, pass passing) {
	q.Ray, q.Any, q.pass, q.Pass = ray, any, pass, nil
	if s.alpha {
		q.pass.of, q.Pass = s, &q.pass
	}
}

// Field is what rays meet: of a hit in it a triangle may be one of the merged mesh.
func (s *Scene) Field() *cast.Field { return &s.field }

// passing decides what see-through surfaces do with a ray. For a ray that
// looks for the closest hit the decision is by chance, for a shadow ray what
// is left of the light is kept in tint.
type passing struct {
	of     *Scene
	s      *points.Sampler
	shadow bool
	chose  bool // by chance
	tint   geom.V
}

// Lets says whether a surface lets the ray pass.
func (p *passing) Lets(stand, id uint32, u, v float32) bool {
	mp := p.of.meshes[stand].PartOf(id)
	alpha := 1.0
	uv := skin.At(mp.Model, id-mp.First, u, v)
	if mp.Surface.M.Alpha != model.Opaque {
		alpha = mp.Surface.Opacity(mp.Model, id-mp.First, u, v, &uv)
	}
	if !p.shadow {
		p.chose = p.chose || alpha > 0 && alpha < 1
		return alpha < 1 && p.s.Pick(id, stand) >= alpha
	}
	keep := geom.V{X: 1, Y: 1, Z: 1}.Mul(1 - alpha)
	if mp.Surface.Clear() {
		keep = keep.Add(mp.Surface.ClearTint(mp.Model, id-mp.First, u, v, &uv).Mul(alpha))
	}
	if keep.Max() < 1e-4 {
		return false
	}
	p.tint = p.tint.Times(keep)
	return true
}
