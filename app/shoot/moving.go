package shoot

import (
	"context"
	"fmt"
	"math"
	"slices"

	"visator/app/act"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/motion"
	"visator/core/render"
	"visator/core/stage"
)

// lightSteps is how finely the light of a thing that flickers is told: each step
// is a model of its own while a move is rendered.
const lightSteps = 48

// posed makes the scene as it is t seconds into a move: what rides is moved, what
// flickers is lit, cards show their pictures.
func (l *Loaded) Posed(ctx context.Context, k *stage.ShotSettings, cast *stage.Cast,
	t float64) (*render.Scene, error) {
	m := k.Move
	ls := k.Light
	pose := cast.Pose(t)
	stands := l.standing(&ls, pose, t)
	for i := range m.Flickers {
		f := &m.Flickers[i]
		share := math.Round(f.At(t)*lightSteps) / lightSteps
		if len(f.IDs) == 0 {
			ls.Lux, ls.Level, ls.Strength = ls.Lux*share, ls.Level*share, ls.Strength*share
			continue
		}
		for j := range stands {
			if !slices.Contains(f.IDs, stands[j].id) && !slices.ContainsFunc(f.IDs,
				func(id string) bool { return slices.Contains(stands[j].groups, id) }) {
				continue
			}
			key := fmt.Sprintf("%s lit %v", stands[j].key, share)
			if l.models[key] == nil {
				l.models[key], l.top[key] = lit(l.models[stands[j].key], share), l.top[stands[j].key]
			}
			stands[j].key = key
		}
	}
	for i := range m.Plays {
		p := &m.Plays[i]
		for j := range stands {
			if stands[j].id != p.ID {
				continue
			}
			picture := p.At(t)
			key := stands[j].key + " shows " + picture
			if l.models[key] == nil {
				data, err := l.a.Store.ReadBlob(ctx, picture)
				if err != nil {
					return nil, fmt.Errorf("a picture of %s: %w", stands[j].name, err)
				}
				shown := *l.models[stands[j].key]
				shown.Maps = slices.Clone(shown.Maps)
				if len(shown.Maps) == 0 {
					return nil, act.Wrong("%s has no picture: give it one, then it can play others.", stands[j].name)
				}
				shown.Maps[0].Data = data
				l.models[key], l.top[key] = &shown, l.top[stands[j].key]
			}
			stands[j].key = key
		}
	}
	now := *l
	now.lamps = lampsAt(l.lamps, pose, t)
	return now.build(ctx, stands, &ls)
}

// standing is what stands t seconds into a move, where it is by then.
func (l *Loaded) standing(ls *light.State, pose map[string]geom.M, t float64) []loadedThing {
	stands := slices.Clone(l.stands)
	wind := swayOf(ls)
	for i := range stands {
		if by, ok := pose[stands[i].id]; ok {
			stands[i].place = by.Mul(stands[i].place)
		}
		if wind.Wind != (geom.V{}) && stands[i].bends > 0 {
			at := stands[i].place.Point(geom.V{})
			stands[i].place = wind.Bent(at, stands[i].bends, t).Mul(stands[i].place)
		}
	}
	return stands
}

// Moved tells where what a thing, by its object ID, has at a place at one time of a move is at another.
func (l *Loaded) Moved(ls *light.State, cast *stage.Cast, from, to float64) func(object uint32, at geom.V) geom.V {
	a, b := l.standing(ls, cast.Pose(from), from), l.standing(ls, cast.Pose(to), to)
	ways := make([]*geom.M, len(a)) // nil of what stays
	for i := range a {
		if inv, ok := a[i].place.Affine(); ok && a[i].place != b[i].place {
			m := b[i].place.Mul(inv)
			ways[i] = &m
		}
	}
	return func(object uint32, at geom.V) geom.V {
		if i := int(object) - 1; i >= 0 && i < len(ways) && ways[i] != nil {
			return ways[i].Point(at)
		}
		return at
	}
}

// swayOf is the wind of a light.
func swayOf(ls *light.State) motion.Sway {
	return motion.Sway{Wind: ls.Blows(), Gusts: ls.Gusts, Seed: uint64(ls.FallSeed)}
}

// lampsAt are lamps t seconds into a move: where they ride to, and as bright as they are by then.
func lampsAt(lamps []hungLamp, pose map[string]geom.M, t float64) []hungLamp {
	lamps = slices.Clone(lamps)
	for i := range lamps {
		h := &lamps[i]
		if by, ok := pose[h.of]; ok {
			h.At, h.To = by.Point(h.At), by.Point(h.To)
		}
		if t < h.Begins || h.Ends > 0 && t >= h.Ends {
			h.On = false
		}
		if h.Hertz > 0 {
			f := motion.Flicker{Hertz: h.Hertz, Depth: h.Depth, Seed: h.Seed}
			h.Dim *= f.At(t)
		}
	}
	return lamps
}

// lit is a model whose own light is so much of what it was; meshes and maps are
// shared.
func lit(m *model.Model, share float64) *model.Model {
	out := *m
	out.Surfaces = slices.Clone(m.Surfaces)
	for i := range out.Surfaces {
		e := &out.Surfaces[i].Emissive
		e[0], e[1], e[2] = e[0]*share, e[1]*share, e[2]*share
	}
	out.Lights = slices.Clone(m.Lights)
	for i := range out.Lights {
		out.Lights[i].Intensity *= share
	}
	return &out
}

// Scene makes the scene that the renderer traces.
func (l *Loaded) Scene(ctx context.Context, ls *light.State) (*render.Scene, error) {
	s, err := l.built(ctx)
	if err != nil {
		return nil, err
	}
	return l.illuminate(ctx, s, ls)
}

// still says whether nothing but the camera moves.
func (l *Loaded) Still(m *motion.Move, ls *light.State) bool {
	if ls.Wind > 0 && slices.ContainsFunc(l.stands, func(t loadedThing) bool { return t.bends > 0 }) {
		return false
	}
	changes := slices.ContainsFunc(l.lamps, func(h hungLamp) bool {
		return h.On && (h.Hertz > 0 && h.Depth > 0 || h.Begins > 0 || h.Ends > 0)
	})
	return !changes && (m == nil || len(m.Rides)+len(m.Flickers)+len(m.Plays) == 0)
}
