package shoot

import (
	"cmp"
	"context"
	"image"
	"slices"

	"visator/app/act"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/model"
	"visator/core/surface"
	"visator/store"
)

// mostBoard is how many pictures a palette is taken from at a time: each takes memory while it is read.
const mostBoard = 40

// Palette is so many colours of pictures by their content.
func (a *Studio) Palette(ctx context.Context, blobs []string, colors int) ([]surface.Swatch, error) {
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
}

// How finely the picture is looked at: rays along its width.
const surveyWide = 160

// Held holds the working view's picture against the palette of a board. Light is left out: colours are those of
// surfaces.
func (a *Studio) Held(ctx context.Context, setID, board string) (*Held, error) {
	st, _, err := a.staged(ctx, setID)
	if err != nil {
		return nil, err
	}
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
			if b, ok := spec.(*lay.Board); ok {
				palette = b.Palette
			}
		}
	}
	if len(palette) == 0 {
		return nil, act.Wrong("The board has no palette yet: put pictures on it.")
	}
	v := &st.s.w.SetRow.View
	cam := renderCamera(v)
	cam.LensRadius = 0
	high := max(int(surveyWide/v.Aspect+0.5), 1)
	type key struct {
		id      uint32
		surface string
	}
	sums := map[key]geom.V{}
	counts := map[key]int{}
	for y := range high {
		for x := range surveyWide {
			if f, ok := st.scene.Find(cam.Ray((float64(x)+0.5)/surveyWide, (float64(y)+0.5)/float64(high), 0.5, 0.5)); ok {
				k := key{f.ID, f.Surface}
				sums[k] = sums[k].Add(f.Base)
				counts[k]++
			}
		}
	}
	out := &Held{Strays: []Stray{}, Now: slices.Clone(palette), Rays: surveyWide * high}
	for i := range out.Now {
		out.Now[i].Share = 0
	}
	all := 0
	for _, n := range counts {
		all += n
	}
	for k, n := range counts {
		i := int(k.id) - 1
		if i < 0 || i >= len(st.l.stands) {
			continue
		}
		c := sums[k].Mul(1 / float64(n))
		off, at := surface.Off(c, palette)
		out.Now[at].Share += float64(n) / float64(all)
		t := &st.l.stands[i]
		out.Strays = append(out.Strays, Stray{t.id, t.name, k.surface, surface.Hex(c),
			float64(n) / float64(surveyWide*high), off, palette[at].Color})
	}
	slices.SortFunc(out.Strays, func(a, b Stray) int {
		return cmp.Or(cmp.Compare(b.Off*b.Share, a.Off*a.Share), cmp.Compare(a.Thing, b.Thing),
			cmp.Compare(a.Surface, b.Surface))
	})
	out.Strays = out.Strays[:min(len(out.Strays), 40)]
	return out, nil
}

// Pulled is the material of a surface whose colour in the picture is brought towards another by a share: what is
// painted is tinted.
func (a *Studio) Pulled(ctx context.Context, setID string, s *Stray, share float64) (*surface.Material, error) {
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
	base, err := surface.ParseColor(m.Base)
	if err != nil {
		return nil, act.Wrong("%v.", err)
	}
	want := surface.Pulled(seen, towards, share)
	by := func(base, want, seen float64) float64 { return min(base*want/max(seen, 1e-4), 1) }
	out.Base = surface.Hex(geom.V{X: by(base.X, want.X, seen.X), Y: by(base.Y, want.Y, seen.Y),
		Z: by(base.Z, want.Z, seen.Z)})
	return &out, nil
}
