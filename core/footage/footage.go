// Package footage renders frames of a recorded move: what is seen by a lens at a time, with what moves while the
// shutter is open blurred.
package footage

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"visator/core/geom"
	"visator/core/layers"
	"visator/core/model"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/render"
)

// Camera is the renderer's camera of a view.
func Camera(v *optics.View) render.Camera {
	w := v.Window()
	c := render.Camera{World: v.World(), Near: v.Near, Far: v.Far, Focus: v.Focus, LensRadius: v.LensRadius(),
		Squeeze: v.Squeeze}
	c.TanX, c.TanY = w.Half()
	c.MidX, c.MidY = w.Mid()
	return c
}

// While the shutter is open things are shown at so many times, each with its part of the samples, and the camera at so
// many for each of those.
const (
	slicesOpen  = 8
	camerasOpen = 64
)

// Footage is a move of a model.
type Footage struct {
	Options render.Options
	Shutter float64 // the share of a frame for which it is open, about the frame's time
	// Stand makes the scene of the model as it stands, and Fall adds what falls before an eye; nil: nothing does.
	Stand func(m *model.Model) (*render.Scene, error)
	Fall  func(s *render.Scene, eye geom.V) *render.Scene

	model *model.Model
	move  *motion.Recorded
	roots map[string][]int // nodes by the names of what moves
	as    string           // how things are moved in scene
	scene *render.Scene
}

// New is a move of a model; what moves in it must stand in the model, as a node of its scene.
func New(m *model.Model, move *motion.Recorded) (*Footage, error) {
	f := &Footage{model: m, move: move, roots: map[string][]int{}}
	for _, n := range m.Roots {
		f.roots[m.Nodes[n].Name] = append(f.roots[m.Nodes[n].Name], n)
	}
	for i := range move.Frames {
		for name := range move.Frames[i].Moved {
			if f.roots[name] == nil {
				return nil, fmt.Errorf("in frame %d %q moves: nothing of that name stands in the file", i+1, name)
			}
		}
	}
	return f, nil
}

// pose makes the scene of a moment, unless it is there.
func (f *Footage) pose(moved map[string]geom.M) (err error) {
	as := fmt.Sprint(slices.Sorted(maps.Keys(moved)), moved)
	if f.scene != nil && f.as == as {
		return nil
	}
	m := *f.model
	m.Nodes = slices.Clone(m.Nodes)
	for name, by := range moved {
		for _, n := range f.roots[name] {
			m.Nodes[n].Local = by.Mul(m.Nodes[n].Local)
		}
	}
	f.scene, err = f.Stand(&m)
	f.as = as
	return err
}

// View is the lens of a frame, counted from 1.
func (f *Footage) View(n int) optics.View { return f.move.At(float64(n - 1)).View }

// Frame renders a frame, counted from 1, and returns the camera that it is of.
func (f *Footage) Frame(ctx context.Context, n int) (film *render.Film, cam render.Camera, err error) {
	parts := 1
	now := f.move.At(float64(n - 1))
	cam = Camera(&now.View)
	if f.Shutter > 0 && len(now.Moved) > 0 {
		parts = min(slicesOpen, f.Options.Samples)
	}
	for k := range parts {
		o := f.Options
		o.Samples, o.From, o.Keep = f.Options.Samples*(k+1)/parts, film, k+1 < parts
		if parts > 1 {
			o.Adaptive, o.Noise = false, 0
		}
		at := float64(n-1) - f.Shutter/2 + f.Shutter*float64(k)/float64(parts)
		if f.Shutter > 0 {
			cams := make([]render.Camera, camerasOpen)
			for i := range cams {
				v := f.move.At(at + f.Shutter/float64(parts)*(float64(i)+0.5)/camerasOpen).View
				cams[i] = Camera(&v)
			}
			o.Moving = func(share float64) *render.Camera { return &cams[min(int(share*camerasOpen), camerasOpen-1)] }
		}
		if err := f.pose(f.move.At(at + f.Shutter/float64(2*parts)).Moved); err != nil {
			return nil, cam, err
		}
		scene := f.scene
		if f.Fall != nil {
			scene = f.Fall(scene, cam.World.Point(geom.V{}))
		}
		if film, err = render.Render(ctx, scene, &cam, o); err != nil {
			return nil, cam, err
		}
	}
	return film, cam, nil
}

// Later is how things go from a frame, counted from 1, to the next. Object IDs are nodes of the model, from 1.
func (f *Footage) Later(n int) *layers.Later {
	now, next := f.move.At(float64(n-1)), f.move.At(float64(n))
	then := Camera(&next.View)
	ways := map[int]geom.M{} // by root
	for name, a := range now.Moved {
		b, ok := next.Moved[name]
		if inv, invertible := a.Affine(); ok && invertible {
			for _, n := range f.roots[name] {
				ways[n] = b.Mul(inv)
			}
		}
	}
	root := map[int]int{}
	var below func(n, top int)
	below = func(n, top int) {
		root[n] = top
		for _, k := range f.model.Nodes[n].Children {
			below(k, top)
		}
	}
	for _, n := range f.model.Roots {
		below(n, n)
	}
	return &layers.Later{Camera: &then, Moved: func(object uint32, at geom.V) geom.V {
		if by, ok := ways[root[int(object)-1]]; ok {
			return by.Point(at)
		}
		return at
	}}
}
