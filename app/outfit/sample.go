// Package outfit is what things of a set are made of: their surfaces, samples of materials, and palettes.
package outfit

import (
	"bytes"
	"context"
	"image/png"
	"math"

	"visator/app/act"
	"visator/app/cache"
	"visator/app/develop"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/plain"
	"visator/core/render"
	"visator/core/sky"
	"visator/core/surface"
)

// Outfitter is who sees to it.
type Outfitter struct{ *develop.Lab }

// The picture of a material: a ball of 40 cm on a grey table, or one square metre of it, under an overcast sky with a
// window of a lamp from the left.
const (
	sampleSide    = 128
	sampleSamples = 8
	clearSamples  = 48 // of what light goes through
	quickly       = 4  // times as few at first
	ballRadius    = 0.2
	ballRings     = 32
	sampleFine    = 0.006 // metres that a face of relief is wide
)

var samples = cache.Of("sample", func(b []byte) int { return len(b) })

// Sample is a material as a small picture, PNG: a ball, or a flat square metre; quick: a first one, less clean.
func (a *Outfitter) Sample(ctx context.Context, m *surface.Material, flat, quick bool) ([]byte, error) {
	if err := m.Check(); err != nil {
		return nil, act.Wrong("%v", err)
	}
	return samples.Make(plain.Name(m, flat, quick), func() ([]byte, error) { return a.sample(ctx, m, flat, quick) })
}

func (a *Outfitter) sample(ctx context.Context, m *surface.Material, flat, quick bool) ([]byte, error) {
	body := ball()
	cam := &render.Camera{Near: 0.01}
	eye, at := geom.V{X: 0.12, Y: 0.5, Z: 1.25}, geom.V{Y: ballRadius}
	cam.TanX, cam.TanY = 0.23, 0.23
	if flat {
		body = sheet()
		eye, at = geom.V{Y: 1.5, Z: 1.0}, geom.V{Z: 0.05}
		cam.TanX, cam.TanY = 0.34, 0.34
	}
	view := optics.Default()
	view.Eye = eye
	view.AimAt(at)
	cam.World = view.World()
	thing, err := a.Coat(ctx, body, geom.Identity, []surface.Match{{Material: m}}, sampleFine)
	if err != nil {
		return nil, act.Wrong("%v", err)
	}
	s := &render.Scene{Env: overcast()}
	lib := &render.Library{Threads: 1}
	for _, part := range []*model.Model{thing, table()} {
		if err := s.Place(lib, part, geom.Identity, func(int) uint32 { return 1 }); err != nil {
			return nil, act.Wrong("%v", err)
		}
	}
	const cd = 900
	w := window(geom.V{X: -1.4, Y: 1.8, Z: 1.2}, geom.V{X: 1.4, Y: -1.6, Z: -1.2}, 0.3, 0.45,
		geom.V{X: cd, Y: cd, Z: cd})
	w.Seen = true
	s.Lamps = []lamp.Lamp{w}
	s.Build()
	n, bounces := sampleSamples, 2
	if m.Clear > 0 || m.Leaf > 0 {
		n, bounces = clearSamples, render.DefaultBounces
	}
	if quick {
		n = n / quickly
	}
	return drawn(ctx, s, cam, render.Options{Width: sampleSide, Height: sampleSide, Samples: n, Bounces: bounces,
		Denoise: true}, func([]float32) float64 { return sampleEV })
}

// drawn is a scene as PNG, at the exposure value that is told of its colours.
func drawn(ctx context.Context, s *render.Scene, cam *render.Camera, o render.Options,
	ev func(color []float32) float64) ([]byte, error) {
	f, err := render.Render(ctx, s, cam, o)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := png.Encode(&out, finish.Picture(f.Color, f.Width, f.Height, ev(f.Color))); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// window is a rectangle that shines along a way, twice as wide and high as is told.
func window(at, along geom.V, wide, high float64, candela geom.V) lamp.Lamp {
	dir := along.Unit()
	u, v := geom.Frame(dir)
	return lamp.Lamp{At: at, Dir: dir, Shape: lamp.Rectangle, U: u.Mul(wide), V: v.Mul(high), Candela: candela}
}

const sampleEV = 9

// overcast is a sky that is three times as bright above as along the ground (CIE overcast: Moon and Spencer 1942).
func overcast() *sky.Environment {
	const h = 32
	pix := make([]float32, 0, 3*h)
	for y := range h {
		up := math.Cos(math.Pi * (float64(y) + 0.5) / h)
		l := float32(0.4)
		if up > 0 {
			l = float32((1 + 2*up) / 3)
		}
		pix = append(pix, l, l, l)
	}
	return sky.New(pix, 1, h, 700, 0)
}

// made is a model of one part.
func made(p model.Part, s model.Surface) *model.Model {
	n := model.NewNode("")
	n.Mesh = 0
	p.Surface = 0
	return &model.Model{Nodes: []model.Node{n}, Roots: []int{0}, Meshes: []model.Mesh{{Parts: []model.Part{p}}},
		Surfaces: []model.Surface{s}}
}

// ball is one that stands on the table, with coordinates in its own metres about the equator.
func ball() *model.Model {
	var p model.Part
	for i := range ballRings + 1 {
		for j := range 2*ballRings + 1 {
			v, u := float64(i)/ballRings, float64(j)/(2*ballRings)
			sin, cos := math.Sincos(math.Pi * v)
			s, c := math.Sincos(2 * math.Pi * u)
			d := geom.V{X: sin * c, Y: cos, Z: -sin * s}
			at := d.Add(geom.V{Y: 1}).Mul(ballRadius)
			p.Positions = append(p.Positions, float32(at.X), float32(at.Y), float32(at.Z))
			p.Normals = append(p.Normals, float32(d.X), float32(d.Y), float32(d.Z))
			p.UV = append(p.UV, float32(2*u), float32(v))
			if i == ballRings || j == 2*ballRings {
				continue
			}
			a := uint32(i*(2*ballRings+1) + j)
			b := a + 2*ballRings + 1
			p.Indices = append(p.Indices, a, b, b+1, a, b+1, a+1)
		}
	}
	return made(p, model.DefaultSurface())
}

// level is a square that lies on the ground, so many metres from its middle to its sides.
func level(half, y float64) model.Part {
	h, t := float32(half), float32(y)
	return model.Part{Positions: []float32{-h, t, -h, -h, t, h, h, t, h, h, t, -h},
		UV:      []float32{0, 0, 0, 1, 1, 1, 1, 0},
		Normals: []float32{0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0}, Indices: []uint32{0, 1, 2, 0, 2, 3}}
}

func sheet() *model.Model { return made(level(0.5, 0.002), model.DefaultSurface()) }

func table() *model.Model {
	s := model.DefaultSurface()
	s.BaseColor, s.Metallic, s.Roughness = [4]float64{0.28, 0.28, 0.28, 1}, 0, 1
	return made(level(4, 0), s)
}
