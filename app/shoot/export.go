package shoot

import (
	"context"
	"fmt"
	"io"
	"math"
	"slices"

	"visator/app/act"
	"visator/core/bake"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/intake/credit"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/surface"
	"visator/store"
)

// maxExported is how many things a file holds: each is a node of some 300 bytes
// that the program which opens it must hold too.
const maxExported = 200_000

// maxBaked is how many things are handed out as they stand: each has pictures of its own, up to bake.MostSide wide.
const maxBaked = 300

// Export writes a set as GLB: every visible placement, linked copies sharing their meshes, the shots as cameras and the
// sun as a light. Baked, what is worn and what has patterns that no file tells is in pictures of its own. The file says
// who made the pieces and under which licence.
func (a *Studio) Export(ctx context.Context, setID string, baked bool, w io.Writer) error {
	m, err := a.Merged(ctx, setID, baked)
	if err != nil {
		return err
	}
	return exchange.WriteGLB(w, m)
}

// Merged is the set as the model that Export writes.
func (a *Studio) Merged(ctx context.Context, setID string, baked bool) (*model.Model, error) {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, act.NotThere(err, "The set")
	}
	s, err := a.loadScene(ctx, &set)
	if err != nil {
		return nil, err
	}
	if len(s.stands) > maxExported {
		return nil, act.Wrong("The set has %d things; a file holds at most %d. Hide its largest drift first.",
			len(s.stands), maxExported)
	}
	shots, err := store.Shots(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, err
	}
	lines, err := a.creditLines(ctx, &set)
	if err != nil {
		return nil, err
	}
	if baked {
		if err := s.bake(ctx, &set.Light); err != nil {
			return nil, err
		}
	}
	lamps, err := s.hung()
	if err != nil {
		return nil, err
	}
	m := s.merge(set.Name, shots, &set.Light, lamps)
	m.Copyright = credit.Message(lines)
	return m, nil
}

// bake gives what is worn, or has patterns that no file tells, models of its own as it stands.
func (l *Loaded) bake(ctx context.Context, ls *light.State) error {
	scene, err := l.build(ctx, l.stands, ls)
	if err != nil {
		return err
	}
	of := map[uint32][]int{} // instances by object
	for i := range scene.Instances {
		of[scene.Instances[i].ID] = append(of[scene.Instances[i].ID], i)
	}
	var list []int
	for i := range l.stands {
		t := &l.stands[i]
		worn := slices.ContainsFunc(scene.Weathers, func(w surface.Weather) bool {
			return w.On == nil || w.On[uint32(i+1)]
		})
		if _, upright := t.place.Affine(); upright && (worn || l.models[t.key].Patterned()) {
			list = append(list, i)
		}
	}
	if len(list) > maxBaked {
		return act.Wrong("%d things are worn or have patterns of their own, and a file has room for the pictures of "+
			"%d: let wear count on fewer, or hand the set out without it.", len(list), maxBaked)
	}
	for _, i := range list {
		t := &l.stands[i]
		m, err := bake.Thing(ctx, scene, l.models[t.key], of[uint32(i+1)], t.name)
		if err != nil {
			if ctx.Err() != nil {
				return err
			}
			return act.Wrong("%v.", err)
		}
		key := fmt.Sprintf("%s as it stands %d", t.key, i)
		l.models[key], l.top[key] = m, l.top[t.key]
		t.key = key
	}
	return nil
}

// namedLamp is a lamp with what it is called.
type namedLamp struct {
	name string
	lamp.Lamp
}

// hung are the lamps of the set that burn.
func (l *Loaded) hung() (list []namedLamp, err error) {
	burning, lamps, _, err := l.tracedLamps()
	for i := range lamps {
		list = append(list, namedLamp{burning[i].name, lamps[i]})
	}
	return list, err
}

// shine adds a light to a model, along -Z of a node of its own.
func shine(out *model.Model, g model.Light, at, along geom.V) {
	v := optics.View{Eye: at}
	if along != (geom.V{}) {
		v.AimAt(at.Add(along))
	}
	n := exchange.Node(g.Name, v.World())
	n.Light = len(out.Lights)
	out.Lights = append(out.Lights, g)
	out.Roots, out.Nodes = append(out.Roots, len(out.Nodes)), append(out.Nodes, n)
}

// asPoint is a lamp as KHR_lights_punctual has it: a point, or a spot, of as many candela in the middle of its beam.
// How large it is, and the web of a measured one, no such light tells: what is flat, or measured, shines over its half
// of the room.
func (h *namedLamp) asPoint() model.Light {
	k := max(h.Candela.Max(), math.SmallestNonzeroFloat64)
	g := model.Light{Name: h.name, Kind: model.Point, Intensity: h.Candela.Max(), Range: h.Range,
		Color: [3]float64{h.Candela.X / k, h.Candela.Y / k, h.Candela.Z / k}}
	switch {
	case h.Spot:
		g.Kind, g.Inner, g.Outer = model.Spot, math.Acos(h.CosInner), math.Acos(h.CosOuter)
	case h.Shape == lamp.Disc || h.Shape == lamp.Rectangle:
		g.Kind, g.Outer = model.Spot, math.Pi/2
	}
	return g
}

// merge puts everything into one model, with the shots as cameras, the sun and the lamps as lights.
func (l *Loaded) merge(name string, shots []store.ShotRow, ls *light.State, lamps []namedLamp) *model.Model {
	stands := make([]exchange.Stand, len(l.stands))
	for i := range l.stands {
		t := &l.stands[i]
		stands[i] = exchange.Stand{Key: t.key, Name: t.name, Place: t.place, Top: l.top[t.key], Model: l.models[t.key]}
	}
	out := exchange.Together(name, stands)
	for _, s := range shots {
		_, v := s.View.FieldOfView()
		n := exchange.Node(s.Name, s.View.World())
		n.Camera = len(out.Cameras)
		out.Cameras = append(out.Cameras, model.Camera{Name: s.Name, YFov: v, Aspect: s.View.Aspect, Near: s.View.Near,
			Far: s.View.Far})
		out.Roots, out.Nodes = append(out.Roots, len(out.Nodes)), append(out.Nodes, n)
	}
	if ls.SunOn {
		c := ls.Sunlight()
		k := max(c.Max(), math.SmallestNonzeroFloat64)
		// The light shines along -Z of its node: turn -Z away from the sun.
		shine(out, model.Light{Name: "sun", Kind: model.Directional, Color: [3]float64{c.X / k, c.Y / k, c.Z / k},
			Intensity: c.Max()}, geom.V{}, light.Direction(ls.Azimuth, ls.Elevation).Mul(-1))
	}
	for i := range lamps {
		h := &lamps[i]
		shine(out, h.asPoint(), h.At, h.Dir)
	}
	return out
}
