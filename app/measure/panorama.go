package measure

import (
	"bytes"
	"context"

	"visator/app/act"
	"visator/app/cache"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/sky"
)

// Panorama is a picture of a sky as it is read, with what was found in it.
type Panorama struct {
	Pix    []float32 // linear RGB, 3 values a pixel
	W, H   int
	Note   string     // what is worth saying of it
	Own    sky.OwnSun // its own sun, where Shines
	Shines bool
	Lux    float64 // what it gives level ground, for a strength of 1
}

var panoramas = cache.Of("panorama", func(p *Panorama) int { return 4 * len(p.Pix) })

// SkyPicture reads the picture of a sky by its blob. What it gives is shared: nobody writes to it.
func (a *Sets) SkyPicture(ctx context.Context, blob string) (*Panorama, error) {
	return panoramas.Make(blob, func() (*Panorama, error) {
		data, err := a.Store.ReadBlob(ctx, blob)
		if err != nil {
			return nil, err
		}
		p := &Panorama{}
		if p.Pix, p.W, p.H, p.Note, err = exchange.ReadPanorama(bytes.NewReader(data)); err != nil {
			return nil, act.Wrong("%v", err)
		}
		p.Own, p.Shines = sky.FindSun(p.Pix, p.W, p.H)
		one := sky.New(p.Pix, p.W, p.H, 1, 0)
		p.Lux = sky.OnGround(func(d geom.V) float64 { return light.Luminance(one.At(d)) }, 180)
		return p, nil
	})
}

// At is the luminance of a value of 1 along d, of the picture as it lies: that of the pixel there.
func (p *Panorama) At(d geom.V) geom.V {
	u, v := sky.Place(d)
	x, y := min(int(u*float64(p.W)), p.W-1), min(int(v*float64(p.H)), p.H-1)
	q := p.Pix[3*(y*p.W+x):]
	return geom.V{X: float64(q[0]), Y: float64(q[1]), Z: float64(q[2])}
}

// Strength is how many cd/m² a value of 1 is.
func (p *Panorama) Strength(s *light.State) float64 {
	if s.GroundLux > 0 && p.Lux > 0 {
		return s.GroundLux / p.Lux
	}
	return s.Strength
}

// Domes is Dome of any light.
func (a *Sets) Domes(ctx context.Context) func(s *light.State) func(d geom.V) geom.V {
	return func(s *light.State) func(d geom.V) geom.V { return a.Dome(ctx, s) }
}

// Dome is the luminance of a light's sky by direction, in cd/m² of each channel, whatever it is. A panorama that cannot
// be read is dark: it is told where it is rendered.
func (a *Sets) Dome(ctx context.Context, s *light.State) func(d geom.V) geom.V {
	if s.Sky != "panorama" {
		return s.Dome()
	}
	p, err := a.SkyPicture(ctx, s.Panorama)
	if err != nil {
		return func(geom.V) geom.V { return geom.V{} }
	}
	times := light.Lets(s.SkyFilter).Mul(p.Strength(s))
	return func(d geom.V) geom.V { return p.At(sky.Turned(d, -s.Turn)).Times(times) }
}
