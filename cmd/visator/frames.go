package main

import (
	"context"
	"fmt"
	"image/png"
	"io"
	"maps"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"visator/app/shoot"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/layers"
	"visator/core/model"
	"visator/core/motion"
	"visator/core/render"
)

// While the shutter is open things are shown at so many times, each with its part of the samples, and the camera at so
// many for each of those.
const (
	shutterSlices  = 8
	shutterCameras = 64
)

// standing makes the scene of a model.
type standing func(m *model.Model) (*render.Scene, []string, falls, error)

// renderFrames renders frames of a recorded move.
func (c *renderCall) renderFrames(ctx context.Context, m *model.Model, stand standing) error {
	if c.region != "" || c.resume != "" || c.around || c.seconds > 0 || c.fstop > 0 {
		return usagef("frames of a move have their lens from it, and no --region, --resume, --seconds or --panorama")
	}
	if !(c.shutter >= 0 && c.shutter <= 360) {
		return usagef("--shutter is 0 to 360 degrees")
	}
	move, err := readMove(c.move)
	if err != nil {
		return err
	}
	from, to, err := c.frameRange(len(move.Frames))
	if err != nil {
		return err
	}
	roots, err := rootsOf(m, move)
	if err != nil {
		return err
	}
	f := &framing{c: c, m: m, move: move, roots: roots, stand: stand}
	for n := from; n <= to; n++ {
		if err := f.make(ctx, n); err != nil {
			return fmt.Errorf("frame %d, those before it are made: %w", n, err)
		}
	}
	return nil
}

func readMove(path string) (*motion.Recorded, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	m, err := motion.ReadRecorded(f)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return m, nil
}

// frameRange reads --frames, of n that there are.
func (c *renderCall) frameRange(n int) (from, to int, err error) {
	if c.frames == "" {
		return 1, n, nil
	}
	a, b, two := strings.Cut(c.frames, "-")
	if !two {
		b = a
	}
	from, err1 := strconv.Atoi(strings.TrimSpace(a))
	to, err2 := strconv.Atoi(strings.TrimSpace(b))
	if err1 != nil || err2 != nil {
		return 0, 0, usagef("--frames %q is not of the form 1-24", c.frames)
	}
	if from < 1 || to < from || to > n {
		return 0, 0, usagef("--frames %d-%d: the move has the frames 1 to %d", from, to, n)
	}
	return from, to, nil
}

// rootsOf are the nodes of a model by the names of what moves.
func rootsOf(m *model.Model, move *motion.Recorded) (map[string][]int, error) {
	roots := map[string][]int{}
	for _, n := range m.Roots {
		roots[m.Nodes[n].Name] = append(roots[m.Nodes[n].Name], n)
	}
	for i := range move.Frames {
		for name := range move.Frames[i].Moved {
			if roots[name] == nil {
				return nil, fmt.Errorf("in frame %d %q moves: nothing of that name stands in the file", i+1, name)
			}
		}
	}
	return roots, nil
}

// framing is frames in the making.
type framing struct {
	c     *renderCall
	m     *model.Model
	move  *motion.Recorded
	roots map[string][]int
	stand standing

	as     string // how things are moved in scene
	scene  *render.Scene
	groups []string
	drops  falls
}

// pose makes the scene of a moment, unless it is there.
func (f *framing) pose(moved map[string]geom.M) (err error) {
	as := fmt.Sprint(slices.Sorted(maps.Keys(moved)), moved)
	if f.scene != nil && f.as == as {
		return nil
	}
	m := *f.m
	m.Nodes = slices.Clone(m.Nodes)
	for name, by := range moved {
		for _, n := range f.roots[name] {
			m.Nodes[n].Local = by.Mul(m.Nodes[n].Local)
		}
	}
	f.scene, f.groups, f.drops, err = f.stand(&m)
	f.as = as
	return err
}

// make renders a frame, counted from 1, and writes it.
func (f *framing) make(ctx context.Context, n int) error {
	c := f.c
	open, parts := c.shutter/360, 1
	now := f.move.At(float64(n - 1))
	cam := shoot.RenderCamera(&now.View)
	if open > 0 && len(now.Moved) > 0 {
		parts = min(shutterSlices, c.o.Samples)
	}
	var film *render.Film
	for k := range parts {
		o := c.o
		o.Samples, o.From, o.Keep = c.o.Samples*(k+1)/parts, film, k+1 < parts
		if parts > 1 {
			o.Adaptive, o.Noise = false, 0
		}
		at := float64(n-1) - open/2 + open*float64(k)/float64(parts)
		if open > 0 {
			cams := make([]render.Camera, shutterCameras)
			for i := range cams {
				v := f.move.At(at + open/float64(parts)*(float64(i)+0.5)/shutterCameras).View
				cams[i] = shoot.RenderCamera(&v)
			}
			o.Moving = func(share float64) *render.Camera {
				return &cams[min(int(share*shutterCameras), shutterCameras-1)]
			}
		}
		if err := f.pose(f.move.At(at + open/float64(2*parts)).Moved); err != nil {
			return err
		}
		scene := f.scene
		if f.drops != nil {
			scene = f.drops(scene, cam.World.Point(geom.V{}))
		}
		var err error
		if film, err = render.Render(ctx, scene, &cam, o); err != nil {
			return err
		}
	}
	return f.write(film, &cam, n)
}

// write writes a frame beside the others.
func (f *framing) write(film *render.Film, cam *render.Camera, n int) error {
	kind := strings.ToLower(filepath.Ext(f.c.out))
	path := fmt.Sprintf("%s-%05d%s", strings.TrimSuffix(f.c.out, filepath.Ext(f.c.out)), n, kind)
	now, next := f.move.At(float64(n-1)), f.move.At(float64(n))
	if kind == ".png" {
		return writeWhole(path, func(w io.Writer) error {
			return png.Encode(w, finish.Develop(&finish.Linear{Width: film.Width, Height: film.Height,
				Color: film.Color}, &now.View, nil))
		})
	}
	then := shoot.RenderCamera(&next.View)
	p, err := layers.Of(film, cam, f.c.list, f.groups, []layers.Called{{Kind: "Thing", Of: f.c.called}},
		&layers.Later{Camera: &then, Moved: f.moved(now.Moved, next.Moved)})
	if err != nil {
		return err
	}
	return f.c.writePicture(path, p)
}

// moved is how things go from one frame to the next.
func (f *framing) moved(now, next map[string]geom.M) func(object uint32, at geom.V) geom.V {
	ways := map[int]geom.M{} // by root
	for name, a := range now {
		b, ok := next[name]
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
		for _, k := range f.m.Nodes[n].Children {
			below(k, top)
		}
	}
	for _, n := range f.m.Roots {
		below(n, n)
	}
	return func(object uint32, at geom.V) geom.V {
		if by, ok := ways[root[int(object)-1]]; ok && !math.IsNaN(by[0]) {
			return by.Point(at)
		}
		return at
	}
}
