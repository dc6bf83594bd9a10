package library

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"math"
	"slices"

	"golang.org/x/image/draw"

	"visator/app/act"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/intake/maps"
	"visator/core/intake/parts"
	"visator/core/intake/recipe"
	"visator/core/light"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/proxy"
	"visator/core/render"
	"visator/core/sky"
)

// What a small picture may cost: beyond it the model is drawn from a lighter
// version of itself, and only the first parts get pictures.
const (
	pictureTriangles = 400_000
	pictureSide      = 512 // of its maps
	pictureSamples   = 4   // a pixel: what is left of the noise is taken out
	maxThumbs        = 80
	thumbSide        = 64
)

// picture renders a model by the project's own renderer, from a little above
// and to the side, and keeps it as PNG. top brings the model upright.
func (a *Library) picture(ctx context.Context, m *model.Model, top geom.M, width, height,
	samples int) (blob string, err error) {
	if m.Weigh().Triangles > pictureTriangles {
		m, _ = proxy.Make(m, pictureTriangles, pictureSide)
	}
	box := m.BoundsUnder(top)
	if box.IsEmpty() || box.Size().Len() == 0 {
		return "", nil
	}
	// Whatever its unit, it is two metres large in its picture.
	k := 2 / box.Size().Len()
	top = geom.Scaling(k).Mul(geom.Translation(box.Center().Mul(-1))).Mul(top)
	s := &render.Scene{}
	if err := s.Place(&render.Library{Threads: 1}, m, top, func(int) uint32 { return 1 }); err != nil {
		return "", err
	}
	ls := light.Default()
	ls.Zenith, ls.Horizon, ls.Level = "#d8d8d8", "#b0b0b0", 3000
	s.Env = sky.New(ls.BakeSky(16, 64), 16, 64, 1, 0)
	s.Suns = []render.Sun{{To: geom.V{X: -0.5, Y: 0.7, Z: 0.5}.Unit(), Lux: geom.V{X: 9000, Y: 9000, Z: 9000},
		Radius: 0.05}}
	s.Build()
	v := optics.Default()
	v.Eye = geom.V{X: 0.62, Y: 0.34, Z: 0.72}.Unit().Mul(6)
	v.AimAt(geom.V{})
	cam := render.Camera{World: v.World(), Near: 0.1, Far: 20, Focus: 6}
	cam.TanX, cam.TanY = fit(&cam, s.Bounds(), float64(width)/float64(height))
	f, err := render.Render(ctx, s, &cam, render.Options{Width: width, Height: height, Samples: samples, Bounces: 2,
		Seed: 1, Denoise: true, Threads: 2})
	if err != nil {
		return "", err
	}
	img := finish.Picture(f.Color, width, height, 12.6)
	behind(img, f)
	return a.PutPicture(ctx, img)
}

// fit is how wide a camera must look to see a box, with a margin around it.
func fit(cam *render.Camera, box geom.Box, aspect float64) (tanX, tanY float64) {
	back, ok := cam.World.Affine()
	if !ok {
		return 1, 1
	}
	const margin = 1.08
	for i := range 8 {
		p := back.Point(box.Corner(i))
		tanX, tanY = max(tanX, math.Abs(p.X/p.Z)), max(tanY, math.Abs(p.Y/p.Z))
	}
	tanX = margin * max(tanX, tanY*aspect)
	return tanX, tanX / aspect
}

// behind puts the neutral grey of a drawing's paper where nothing stands.
func behind(img *image.NRGBA, f *render.Film) {
	paper := color.NRGBA{0xcb, 0xcb, 0xcb, 255}
	for i := range f.Object {
		if f.Object[i] == 0 {
			img.SetNRGBA(i%f.Width, i/f.Width, paper)
		}
	}
}

// PutPicture keeps a picture as PNG, by its content.
func (a *Library) PutPicture(ctx context.Context, img image.Image) (string, error) {
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		return "", err
	}
	blob, _, err := a.Store.PutBlob(ctx, &buf, 0)
	return blob, err
}

// thumbs fills the small pictures of the map matrix.
func (a *Library) thumbs(ctx context.Context, m *model.Model, inv *recipe.Inventory) error {
	made := map[[2]int]string{}
	for i := range inv.Surfaces {
		for role, c := range inv.Surfaces[i].Cells {
			if c.State != "found" {
				continue
			}
			if err := ctx.Err(); err != nil {
				return err
			}
			key := [2]int{c.Map, c.Channel}
			if _, ok := made[key]; !ok {
				img, err := m.Maps[c.Map].Picture()
				if err != nil {
					m.Warn("%v", err)
					c.State = "unread"
					inv.Surfaces[i].Cells[role] = c
					continue
				}
				if made[key], err = a.PutPicture(ctx, thumb(img, c.Channel)); err != nil {
					return err
				}
			}
			c.Thumb = made[key]
			inv.Surfaces[i].Cells[role] = c
		}
	}
	return nil
}

func thumb(img *image.NRGBA, channel int) image.Image {
	out := image.NewNRGBA(image.Rect(0, 0, thumbSide, thumbSide))
	draw.ApproxBiLinear.Scale(out, out.Rect, img, img.Rect, draw.Src, nil)
	if channel > 0 {
		return maps.Channel(out, channel, false)
	}
	return out
}

// Thumb is a small picture of a map that was chosen, by its blob.
func (a *Library) Thumb(ctx context.Context, blob string, channel int, invert bool) ([]byte, error) {
	data, err := a.Store.ReadBlob(ctx, blob)
	if err != nil {
		return nil, err
	}
	img, err := model.DecodePicture(data, blob)
	if err != nil {
		return nil, act.Wrong("%v", err)
	}
	small := thumb(img, 0).(*image.NRGBA)
	if channel > 0 || invert {
		small = maps.Channel(small, channel, invert)
	}
	var buf bytes.Buffer
	err = png.Encode(&buf, small)
	return buf.Bytes(), err
}

// partStates lists the parts as the recipe's splits and joins leave them, each
// with a small picture.
func (a *Library) partStates(ctx context.Context, src *model.Model, up model.Axis,
	rec *recipe.Recipe) ([]PartState, error) {
	m := rec.Rearranged(src)
	drawn := m
	if m.Weigh().Triangles > pictureTriangles {
		drawn, _ = proxy.Make(m, pictureTriangles, pictureSide)
	}
	out := []PartState{}
	for _, p := range parts.List(m) {
		s := PartState{Part: p}
		if len(out) < maxThumbs && p.Triangles > 0 {
			one := *drawn
			one.Nodes = slices.Clone(m.Nodes)
			m.Walk(func(i int, _ *model.Node, _ geom.M) {
				if i != p.Node {
					one.Nodes[i].Mesh = model.None
				}
			})
			pic, err := a.picture(ctx, &one, model.UpTurn(up), 96, 72, pictureSamples)
			if err != nil {
				return nil, err
			}
			s.Thumb = pic
		}
		if math.IsNaN(s.Area) || math.IsInf(s.Area, 0) {
			s.Area = 0
		}
		out = append(out, s)
	}
	return out, nil
}
