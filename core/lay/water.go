package lay

import (
	"errors"
	"fmt"
	"math"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/model"
)

var _ = Kind("water", func() Spec { return &Water{} })

// Water is a surface within an outline, still or rippled.
type Water struct {
	Outline []P     `json:"outline"`
	Level   float64 `json:"level"`  // height
	Ripple  float64 `json:"ripple"` // half the height from trough to crest; 0: still
	Length  float64 `json:"length"` // from crest to crest
	Wind    float64 `json:"wind"`   // direction the ripples run to, radians from X to Z
	Color   string  `json:"color"`
	Seed    uint64  `json:"seed"`
}

// Default is a water as it begins.
func (*Water) Default() Spec { return &Water{Ripple: 0.01, Length: 0.6, Seed: 1} }

// Fields are what a water is described by.
func (w *Water) Fields() []document.Field {
	return []document.Field{
		document.Of(&w.Level, document.Length, "level", "level", "its level").In(-maxPlace, maxPlace).Drawn(),
		document.Of(&w.Ripple, document.Length, "ripple", "ripples, high", "its ripples' height").In(0, 5),
		document.Of(&w.Length, document.Length, "length", "ripples, long", "its ripples' length").In(-maxPlace,
			maxPlace),
		document.Of(&w.Wind, document.Angle, "wind", "run towards", "the wind").In(-100, 100),
		document.Of(&w.Color, document.Color, "color", "colour", ""),
		document.Of(&w.Seed, document.Count, "seed", "chance", "its chance"),
	}
}

// Check says what is impossible about a water.
func (w *Water) Check() error {
	if err := firstOf(checkArea("the water's outline", w.Outline), document.Check(w)); err != nil {
		return err
	}
	if w.Ripple > 0 && !(w.Length > 10*w.Ripple) {
		return errors.New("ripples are more than ten times as long as high: steeper ones break")
	}
	return nil
}

// wave is one of the sines that the ripples are the sum of.
type wave struct{ kx, kz, phase, high float64 }

func (w *Water) waves() []wave {
	const n = 9
	list := make([]wave, n)
	chance := random(w.Seed, 1)
	for i := range list {
		a := w.Wind + 0.9*(2*chance.Float64()-1)
		l := w.Length * (0.55 + 0.9*chance.Float64())
		sin, cos := math.Sincos(a)
		k := 2 * math.Pi / l
		list[i] = wave{k * cos, k * sin, 2 * math.Pi * chance.Float64(), w.Ripple * math.Sqrt(2.0/n) / math.Sqrt2}
	}
	return list
}

// maxCells of water are drawn: larger ones get coarser ripples.
const maxCells = 60_000

// Lay makes the water's surface.
func (w *Water) Lay() *Laid {
	c, _ := colorOf(w.Color)
	if w.Color == "" {
		c = [3]float64{0.6, 0.68, 0.66}
	}
	s := newShape("water")
	with := paint{name: "water", color: c, rough: 0.02,
		tune: func(f *model.Surface) { f.IOR, f.Transmission, f.DoubleSided = 1.333, 1, true }}
	said := fmt.Sprintf("%.1f m² of water", math.Abs(Area(w.Outline)))
	if w.Ripple == 0 {
		outline := w.Outline
		if Area(outline) > 0 {
			outline = reversed(outline)
		}
		face := make([]geom.V, len(outline))
		for i, p := range outline {
			face[i] = geom.V{X: p.X, Y: w.Level, Z: p.Z}
		}
		s.face(with, face...)
		return &Laid{Model: s.made(), Said: said}
	}
	waves := w.waves()
	part := s.into(with)
	put := func(p P) uint32 {
		y, dx, dz := w.Level, 0.0, 0.0
		for i := range waves {
			v := &waves[i]
			sin, cos := math.Sincos(v.kx*p.X + v.kz*p.Z + v.phase)
			y += v.high * sin
			dx += v.high * v.kx * cos
			dz += v.high * v.kz * cos
		}
		return vertex(part, geom.V{X: p.X, Y: y, Z: p.Z}, geom.V{X: -dx, Y: 1, Z: -dz}.Unit(), p.X, p.Z)
	}
	b := boxAbout(w.Outline, 0, noRect)
	cell := max(w.Length/8, math.Sqrt(b.area()/maxCells))
	for z := b.z0; z < b.z1; z += cell {
		band := clip(clip(w.Outline, 0, 1, z, 1), 0, 1, z+cell, -1)
		for x := b.x0; x < b.x1 && len(band) > 0; x += cell {
			piece := clip(clip(band, 1, 0, x, 1), 1, 0, x+cell, -1)
			if len(piece) < 3 || math.Abs(Area(piece)) < 1e-9*cell*cell {
				continue
			}
			if Area(piece) > 0 {
				piece = reversed(piece)
			}
			idx := make([]uint32, len(piece))
			for i, p := range piece {
				idx[i] = put(p)
			}
			part.Indices = append(part.Indices, model.Cut(part, idx, []uint32{uint32(len(idx))})...)
		}
	}
	return &Laid{Model: s.made(), Said: said}
}

// clip keeps what of an outline lies beyond a line along an axis: where side *
// (nx x + nz z) is at least side * at (Sutherland and Hodgman, Reentrant Polygon
// Clipping, 1974).
func clip(list []P, nx, nz, at, side float64) (out []P) {
	for i, p := range list {
		q := list[(i+1)%len(list)]
		a, b := side*(nx*p.X+nz*p.Z-at), side*(nx*q.X+nz*q.Z-at)
		if a >= 0 {
			out = append(out, p)
		}
		if (a >= 0) != (b >= 0) {
			out = append(out, p.lerp(q, a/(a-b)))
		}
	}
	return out
}

var _ = Kind("card", func() Spec { return &Card{} })

// Card is a flat picture that stands far off, or a ridge's silhouette.
type Card struct {
	At      geom.V  `json:"at"` // the middle of its lower edge
	Width   float64 `json:"width"`
	Height  float64 `json:"height"`
	Yaw     float64 `json:"yaw"`     // where it faces, when it does not face the camera
	Facing  bool    `json:"facing"`  // it faces the camera
	Shape   string  `json:"shape"`   // picture or ridge
	Picture string  `json:"picture"` // hash of the picture's content
	Color   string  `json:"color"`   // of a ridge
	Rough   float64 `json:"rough"`   // 0..1: how rugged a ridge is
	Relief  float64 `json:"relief"`  // how deep what it shows would be
	Seed    uint64  `json:"seed"`
}

// Default is a card as it begins: a ridge far off.
func (*Card) Default() Spec {
	return &Card{Width: 300, Height: 50, Facing: true, Shape: "ridge", Color: "#5c6670", Rough: 0.5, Relief: 100,
		Seed: 1}
}

// Fields are what a card is described by.
func (c *Card) Fields() []document.Field {
	return []document.Field{
		document.Of(&c.At.Y, document.Length, "at.y", "lower edge at", "its lower edge").In(-maxPlace, maxPlace),
		document.Of(&c.Width, document.Length, "width", "width", "its width").In(0.01, 200_000),
		document.Of(&c.Height, document.Length, "height", "height", "its height").In(0.01, 50_000),
		document.Of(&c.Facing, document.Yes, "facing", "faces the camera", ""),
		document.Of(&c.Yaw, document.Angle, "yaw", "turned", "its turn").In(-100, 100),
		document.Of(&c.Rough, document.Percent, "rough", "rugged", "its ruggedness").In(0, 1),
		document.Of(&c.Color, document.Color, "color", "colour", ""),
		document.Of(&c.Relief, document.Length, "relief", "would be deep", "its relief").In(0, 200_000),
		document.Of(&c.Seed, document.Count, "seed", "chance", "its chance"),
	}
}

// Check says what is impossible about a card.
func (c *Card) Check() error {
	if !c.At.Finite() || c.At.Len() > maxPlace {
		return errors.New("a card stands within 1000 km of the middle")
	}
	if c.Shape != "picture" && c.Shape != "ridge" {
		return fmt.Errorf("a card shows a picture or a ridge, not %q", c.Shape)
	}
	if c.Shape == "picture" && len(c.Picture) != 64 {
		return errors.New("choose the picture that the card shows")
	}
	return document.Check(c)
}

// Lay stands the card; eye is where it is seen from, picture what it shows.
func (c *Card) Lay(eye geom.V, picture []byte, mime string) *Laid {
	yaw := c.Yaw
	if c.Facing {
		yaw = math.Atan2(eye.X-c.At.X, eye.Z-c.At.Z)
	}
	sin, cos := math.Sincos(yaw)
	at := func(x, y float64) geom.V { return geom.V{X: c.At.X + x*cos, Y: c.At.Y + y, Z: c.At.Z - x*sin} }
	n := geom.V{X: sin, Z: cos}
	s := newShape("card")
	said := ""
	if c.Shape == "picture" {
		with := paint{name: "card", color: [3]float64{1, 1, 1}, rough: 1, tune: func(f *model.Surface) {
			f.DoubleSided, f.Unlit, f.Alpha, f.Cutoff = true, false, model.Mask, 0.5
			f.Slots[model.BaseColorMap] = model.EmptySlot
			f.Slots[model.BaseColorMap].Map = 0
		}}
		s.m.Maps = []model.Map{{Name: "card", Role: "base colour", Status: model.Embedded, Mime: mime, Data: picture}}
		p := s.into(with)
		w := c.Width / 2
		i := vertex(p, at(-w, 0), n, 0, 1)
		vertex(p, at(w, 0), n, 1, 1)
		vertex(p, at(w, c.Height), n, 1, 0)
		vertex(p, at(-w, c.Height), n, 0, 0)
		p.Indices = append(p.Indices, i, i+1, i+2, i, i+2, i+3)
		return &Laid{Model: s.made(), Said: said}
	}
	color, _ := colorOf(c.Color)
	p := s.into(paint{name: "ridge", color: color, rough: 1, tune: func(f *model.Surface) { f.DoubleSided = true }})
	const columns = 240
	for k := range columns + 1 {
		t := float64(k)/columns - 0.5
		h := 0.55 + 0.5*rough(c.Seed, t*4, 0.5, 2+int(6*c.Rough))*(0.3+0.7*c.Rough)
		h *= 1 - math.Pow(2*math.Abs(t), 6) // it ends at its ends
		y := c.Height * min(max(h, 0.01), 1)
		vertex(p, at(t*c.Width, 0), n, t*c.Width, 0)
		vertex(p, at(t*c.Width, y), n, t*c.Width, -y)
		if k > 0 {
			i := uint32(2 * k)
			p.Indices = append(p.Indices, i-2, i, i+1, i-2, i+1, i-1)
		}
	}
	return &Laid{Model: s.made(), Said: said}
}

// Safe is from which distance a flat card passes for what it shows: where, over a
// move of the camera by baseline across the view, the front and the back of
// something relief deep shift against one another by less than a pixel. A point
// at distance d shifts by b f / d, so front and back differ by about b f relief
// / d², in pixels with f in pixels (pinhole projection).
func Safe(baseline, relief, focalPixels float64) float64 {
	return math.Sqrt(max(baseline*relief*focalPixels, 0))
}
