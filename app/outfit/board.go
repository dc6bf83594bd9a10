package outfit

import (
	"cmp"
	"context"
	"image"
	"maps"
	"slices"

	"visator/app/act"
	"visator/core/chroma"
	"visator/core/lay/keep"
	"visator/core/light"
	"visator/core/model"
	"visator/core/render"
	"visator/core/surface"
	"visator/store"
)

// mostBoard is how many pictures a palette is taken from at a time: each takes memory while it is read.
const mostBoard = 40

// Palette is so many colours of pictures by their content.
func (a *Outfitter) Palette(ctx context.Context, blobs []string, colors int) ([]surface.Swatch, error) {
	if len(blobs) == 0 || len(blobs) > mostBoard {
		return nil, act.Wrong("A palette is taken from 1 to %d pictures.", mostBoard)
	}
	if colors < surface.LeastColors || colors > surface.MostColors {
		return nil, act.Wrong("A palette has %d to %d colours.", surface.LeastColors, surface.MostColors)
	}
	var list []*image.NRGBA
	for _, hash := range blobs {
		data, err := a.Store.ReadBlob(ctx, hash)
		if err != nil {
			return nil, act.NotThere(err, "The picture")
		}
		m, err := model.DecodePicture(data, "the picture")
		if err != nil {
			return nil, act.Wrong("%v.", err)
		}
		list = append(list, m)
	}
	return surface.Palette(colors, list...), nil
}

// Stray is how far a surface in the picture is from a palette.
type Stray struct {
	Thing   string  `json:"thing"`
	Name    string  `json:"name"`
	Surface string  `json:"surface"`
	Color   string  `json:"color"` // on the mean where it is seen
	Share   float64 `json:"share"` // of the picture
	Off     float64 `json:"off"`   // CIEDE2000 from the nearest of the palette
	Nearest string  `json:"nearest"`
}

// Held is the picture held against a palette.
type Held struct {
	Strays []Stray          `json:"strays"` // what sticks out most first: by area times distance
	Now    []surface.Swatch `json:"now"`    // the palette, with the shares that its colours have in the picture
	Rays   int              `json:"rays"`   // by which it was looked at
	Accent string           `json:"accent"` // the palette's most colourful
	// Louder are the surfaces that are nearly as colourful and of another hue, the largest first.
	Louder []Stray `json:"louder"`
	// Picture is the view, PNG, Wide x High, and Mask which of Strays is seen at each of its pixels, from 1; 0: none.
	Picture []byte `json:"picture"`
	Mask    []byte `json:"mask"`
	Through []byte `json:"through"` // the share of its light that the air leaves, of 255
	Wide    int    `json:"wide"`
	High    int    `json:"high"`
}

// How finely the picture is looked at: rays along its width, and how cleanly it is drawn: samples a pixel before the
// noise is taken out.
const (
	surveyWide    = 320
	surveySamples = 6
	mostStrays    = 40
)

// Held holds the working view's picture against the palette of a board. Light is left out: colours are those of
// surfaces.
func (a *Outfitter) Held(ctx context.Context, setID, board string) (*Held, error) {
	elements, err := store.Elements(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, err
	}
	var palette []surface.Swatch
	for i := range elements {
		if e := &elements[i]; e.ID == board {
			spec, err := e.Read()
			if err != nil {
				return nil, act.Wrong("%v", err)
			}
			if b, ok := spec.(*keep.Board); ok {
				palette = b.Palette
			}
		}
	}
	if len(palette) == 0 {
		return nil, act.Wrong("The board has no palette yet: put pictures on it.")
	}
	view, err := a.Survey(ctx, setID, surveyWide)
	if err != nil {
		return nil, err
	}
	seen, rays := view.Seen, len(view.At)
	accent := surface.Accent(palette)
	out := &Held{Strays: []Stray{}, Louder: []Stray{}, Now: slices.Clone(palette), Rays: rays, Accent: accent.Color}
	for i := range out.Now {
		out.Now[i].Share = 0
	}
	out.Wide, out.High, out.Through = view.Wide, view.High, view.Through
	if out.Picture, err = drawn(ctx, view.Scene, &view.Camera, render.Options{Width: view.Wide, Height: view.High,
		Samples: surveySamples, Bounces: render.DefaultBounces, Denoise: true},
		func([]float32) float64 { return view.EV }); err != nil {
		return nil, err
	}
	all := 0
	for i := range seen {
		all += seen[i].Rays
	}
	for i := range seen {
		s := &seen[i]
		off, at := surface.Off(s.Color, palette)
		out.Now[at].Share += float64(s.Rays) / float64(all)
		out.Strays = append(out.Strays, Stray{s.Thing, s.Name, s.Surface, light.HexOf(s.Color),
			float64(s.Rays) / float64(rays), off, palette[at].Color})
		if surface.Louder(s.Color, accent) {
			out.Louder = append(out.Louder, out.Strays[len(out.Strays)-1])
		}
	}
	slices.SortFunc(out.Louder, func(a, b Stray) int {
		return cmp.Or(cmp.Compare(b.Share, a.Share), cmp.Compare(a.Thing, b.Thing), cmp.Compare(a.Surface, b.Surface))
	})
	out.Louder = out.Louder[:min(len(out.Louder), 20)]
	slices.SortFunc(out.Strays, func(a, b Stray) int {
		return cmp.Or(cmp.Compare(b.Off*b.Share, a.Off*a.Share), cmp.Compare(a.Thing, b.Thing),
			cmp.Compare(a.Surface, b.Surface))
	})
	out.Strays = out.Strays[:min(len(out.Strays), mostStrays)]
	number := map[[2]string]byte{}
	for i := range out.Strays {
		number[[2]string{out.Strays[i].Thing, out.Strays[i].Surface}] = byte(i + 1)
	}
	out.Mask = make([]byte, rays)
	for i, n := range view.At {
		if n >= 0 {
			out.Mask[i] = number[[2]string{seen[n].Thing, seen[n].Surface}]
		}
	}
	return out, nil
}

// Pulled is the material of a surface whose colour in the picture is brought towards another by a share (OKLab): of
// what is painted each texel is moved as far.
func (a *Outfitter) Pulled(ctx context.Context, setID string, s *Stray, share float64) (*surface.Material, error) {
	if !(share >= 0 && share <= 1) {
		return nil, act.Wrong("A colour is pulled by 0 to 100 %%.")
	}
	seen, err := surface.ParseColor(s.Color)
	if err != nil {
		return nil, act.Wrong("%v.", err)
	}
	towards, err := surface.ParseColor(s.Nearest)
	if err != nil {
		return nil, act.Wrong("%v.", err)
	}
	m, err := a.TakeOff(ctx, setID, s.Thing, "", s.Surface)
	if err != nil {
		return nil, err
	}
	out := *m
	from, to := chroma.OK(seen), chroma.OK(surface.Pulled(seen, towards, share))
	by := surface.Lab{L: to.L - from.L, A: to.A - from.A, B: to.B - from.B}
	p, painted := m.Maps["base"]
	if !painted {
		out.Base = light.HexOf(surface.Pulled(seen, towards, share))
		return &out, nil
	}
	data, err := a.Store.ReadBlob(ctx, p.Blob)
	if err != nil {
		return nil, act.NotThere(err, "The picture of the material")
	}
	pic, err := model.DecodePicture(data, p.Name)
	if err != nil {
		return nil, act.Wrong("%v.", err)
	}
	surface.Shift(pic, by)
	hash, err := a.PutPicture(ctx, pic)
	if err != nil {
		return nil, err
	}
	out.Maps = maps.Clone(m.Maps)
	out.Maps["base"] = surface.Map{Blob: hash, Name: p.Name}
	return &out, nil
}
