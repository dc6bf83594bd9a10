package light

import (
	"math"

	"visator/core/air"
	"visator/core/document"
	"visator/core/geom"
)

// Weather is the air of a set.
type Weather struct {
	Haze     float64 `json:"haze"`     // metres at which contrast falls to 5 %; 0: clear
	HazeHigh float64 `json:"hazeHigh"` // metres over which it thins to 1/e
	Fog      float64 `json:"fog"`      // the same of fog that lies on the ground
	FogHigh  float64 `json:"fogHigh"`
	FogAt    float64 `json:"fogAt"`   // height of the ground that it lies on
	AirTint  string  `json:"airTint"` // what the air scatters of each colour; "": all alike
	Ahead    float64 `json:"ahead"`   // mean cosine of scattering
	Falling
}

// DefaultWeather is clear air, with what haze and fog begin with: air that thins to 1/e over 1.2 km (the scale
// height of aerosols in the lowest air, L. Elterman, Vertical-attenuation model, 1968), fog of a man's height, and
// droplets that scatter ahead.
func DefaultWeather() Weather {
	return Weather{HazeHigh: 1200, FogHigh: 2, Ahead: 0.6, Falling: defaultFalling()}
}

// Fields are what the air is described by.
func (w *Weather) Fields() []document.Field {
	of := document.Of
	return append([]document.Field{
		of(&w.Haze, document.Length, "haze", "haze: seen as far as", "how far haze lets see").In(1, 1e6).Or("clear").
			Named("Haze: distance at which contrast falls to 5 %, 0 is clear air").On("air").
			Hinting("where contrast falls to 5 %; 0 is clear air"),
		of(&w.HazeHigh, document.Length, "hazeHigh", "haze thins over", "the height of haze").In(0.1, 1e5).Or("1.2 km").
			Named("Height over which haze thins to 1/e").On("air"),
		of(&w.Fog, document.Length, "fog", "fog: seen as far as", "how far fog lets see").In(0.5, 1e6).Or("none").
			Named("Ground fog: distance at which contrast falls to 5 %, 0 is none").On("air").
			Hinting("on the ground; 0 is none"),
		of(&w.FogHigh, document.Length, "fogHigh", "fog thins over", "the height of fog").In(0.1, 1e5).Or("2 m").
			Named("Height over which ground fog thins to 1/e").On("air"),
		of(&w.FogAt, document.Length, "fogAt", "fog lies at", "where fog lies").In(-maxLamp, maxLamp).
			Named("Height of the ground that fog lies on").On("air"),
		of(&w.AirTint, document.Color, "airTint", "colour of the air", "").
			Named("Colour of haze and fog").On("air"),
		of(&w.Ahead, document.Number, "ahead", "scatters ahead", "how far the air scatters ahead").In(-0.95, 0.95).
			Named("Mean cosine of scattering: 1 all ahead, 0 all around").Told("", 2).On("air").
			Sliding(-0.9, 0.9, 0.05),
	}, w.Falling.fields()...)
}

// settle gives a weather that was kept before there was any the heights that haze and fog begin with.
func (w *Weather) settle() {
	if w.HazeHigh == 0 && w.FogHigh == 0 {
		w.HazeHigh, w.FogHigh = DefaultWeather().HazeHigh, DefaultWeather().FogHigh
	}
	if w.Falling == (Falling{}) {
		w.Falling = defaultFalling()
	}
}

// Parts are what the renderer and whoever looks through the air ask about.
func (w *Weather) Parts() (parts []air.Part) {
	of := *w
	of.settle()
	tint := geom.V{X: 1, Y: 1, Z: 1}
	if w.AirTint != "" {
		tint = Hex(w.AirTint)
	}
	for _, l := range [2]air.Part{
		{Sigma: air.Extinction(w.Haze), Thin: of.HazeHigh}, // from the set's zero up
		{Sigma: air.Extinction(w.Fog), Thin: of.FogHigh, Base: w.FogAt},
	} {
		if l.Sigma > 0 {
			l.Albedo, l.Mean = tint, w.Ahead
			parts = append(parts, l)
		}
	}
	if p := w.Falling.part(); p.Sigma > 0 {
		parts = append(parts, p)
	}
	return parts
}

// Medium is the air as it is looked through; nil where it is clear.
func (w *Weather) Medium() *air.Air {
	if p := w.Parts(); len(p) > 0 {
		return &air.Air{Parts: p}
	}
	return nil
}

// Glow is what sky and sun give to air, scattered once: what is scattered more often, and shadows, are left out.
type Glow struct {
	Sky  geom.V   // cd/m² that so much air has that nothing is seen through it, of the sky
	Sun  geom.V   // lux of the sun at the eye, by what the air scatters
	To   geom.V   // towards it
	part air.Part // how the air at the eye scatters
}

// Mean is the cosine of scattering.
func (g *Glow) Mean() float64 { return g.part.Mean }

// Albedo is the share of what meets the air that it scatters.
func (g *Glow) Albedo() geom.V { return g.part.Albedo }

// AirGlow is the glow of the air about an eye, under a sky whose luminance dome tells, as it is all around; ok is false
// where it is clear.
func (s *State) AirGlow(eye geom.V, dome func(d geom.V) geom.V) (g Glow, ok bool) {
	a := s.Medium()
	if a == nil {
		return g, false
	}
	const rounds = 64
	for i := range rounds {
		g.Sky = g.Sky.Add(dome(geom.Spiral(i, 1-2*(float64(i)+0.5)/rounds)).Mul(1.0 / rounds))
	}
	at := eye
	if s.FogAt > at.Y { // where the air is that is seen
		at.Y = s.FogAt
	}
	g.part = *a.Pick(at, 0.5)
	g.Sky = g.Sky.Times(g.part.Albedo)
	g.To = Direction(s.Azimuth, s.Elevation)
	if g.To.Y > 0 {
		g.Sun = s.Sunlight().Mul(a.Through(at, g.To, math.Inf(1))).Times(g.part.Albedo)
	}
	return g, true
}

// Through is what is seen along d of a sky of a luminance through the air a: dimmed, with what the air itself scatters
// along the way, once (single scattering, added up over pieces of the way that grow with the distance).
func (s *State) Through(a *air.Air, g *Glow, eye, d, beyond geom.V) geom.V {
	all := a.Depth(eye, d, math.Inf(1))
	if !(all > 1e-6) {
		return beyond
	}
	var sun geom.V
	if g.To.Y > 0 {
		sun = s.Sunlight().Times(g.part.Albedo).Mul(g.part.Phase(g.To.Mul(-1), d.Mul(-1)))
	}
	out := beyond.Mul(math.Exp(-all))
	left, from := 1.0, 0.0
	const first, grows, pieces = 2.0, 2.0, 16 // metres; the last piece goes on without end
	for i := range pieces {
		to := first * math.Pow(grows, float64(i))
		depth := all
		if i < pieces-1 {
			depth = a.Depth(eye, d, to)
		}
		then := math.Exp(-depth)
		if share := left - then; share > 1e-6 {
			at := eye.Add(d.Mul((from + to) / 2))
			lit := g.Sky
			if sun != (geom.V{}) {
				lit = lit.Add(sun.Mul(a.Through(at, g.To, math.Inf(1))))
			}
			out = out.Add(lit.Mul(share))
		}
		if left, from = then, to; left < 1e-4 {
			break
		}
	}
	return out
}
