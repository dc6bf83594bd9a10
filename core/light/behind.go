package light

import (
	"errors"
	"math"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/sky"
)

// Behind is what is seen behind all that stands, which need not be what lights it.
type Behind struct {
	Behind   string  `json:"behind"` // "": the sky that lights; a "colour", a "picture" of its own, "nothing"
	Backing  string  `json:"backing"`
	Shining  float64 `json:"shining"`  // cd/m² of full white of that colour
	Picture  string  `json:"picture"`  // blob of a panorama that lights nothing
	Turned   float64 `json:"turned"`   // radians about +Y, of that
	Bright   float64 `json:"bright"`   // cd/m² of a value of 1 in it
	StandsAt float64 `json:"standsAt"` // height of the ground on which a panorama lies
	TakenAt  float64 `json:"takenAt"`  // metres above it from which it was taken; 0: it is as far away as a sky
}

// defaultBehind is the sky that lights, far away.
func defaultBehind() Behind { return Behind{Backing: "#d8d8d8", Shining: 4000, Bright: 1000} }

// groundWide is how far around the middle of the set a panorama lies flat on the ground, metres: beyond, what is seen
// at eye height is within a tenth of a degree of the horizon.
const groundWide = 1000

// Fields are what is seen behind.
func (b *Behind) Fields() []document.Field {
	of := document.Of
	return []document.Field{
		of(&b.Behind, document.Choice, "behind", "seen behind", "behind is seen the").Among("sky", "colour", "picture",
			"nothing").Or("sky").On("head"),
		of(&b.Backing, document.Swatch, "backing", "its colour", "").Named("Colour seen behind").On("behind").
			If("behind", "colour"),
		of(&b.Shining, document.Number, "shining", "brightness", "luminance behind").In(0, 1e7).
			Named("Brightness of the colour behind").Told("cd/m²", 0).On("behind").If("behind", "colour"),
		of(&b.Turned, document.Angle, "turned", "turn", "the turn of the picture behind").In(-1e4, 1e4).
			Named("Turn of the picture behind in degrees").On("behind").If("behind", "picture"),
		of(&b.Bright, document.Number, "bright", "strength", "luminance behind").In(0, 1e7).
			Named("Strength of the picture behind").Told("cd/m²", 2).On("behind").If("behind", "picture").
			Hinting("of a picture value of 1"),
		of(&b.TakenAt, document.Length, "takenAt", "on the ground, taken from", "the height of a panorama").
			In(0.05, 1000).Or("far").Named("Height above the ground from which the panorama was taken, 0 is far away").
			On("ground").Hinting("its lower half lies on the ground, so that things stand in it; 0: far as the sky"),
		of(&b.StandsAt, document.Length, "standsAt", "that ground lies at", "where a panorama lies").
			In(-maxLamp, maxLamp).Named("Height of the ground on which the panorama lies").On("ground"),
	}
}

// settle gives a light that was kept before there was anything else behind what that begins with.
func (b *Behind) settle() {
	if *b == (Behind{}) {
		*b = defaultBehind()
	}
}

func (b *Behind) check() error {
	if b.Behind == "picture" && b.Picture == "" {
		return errors.New("choose the picture behind first: Radiance HDR or OpenEXR")
	}
	return nil
}

// Own says whether what is seen behind is not just the sky that lights, far away.
func (s *State) Own() bool {
	switch s.Behind.Behind {
	case "", "sky":
		return s.Sky == "panorama" && s.TakenAt > 0
	}
	return true
}

// Seen is the luminance per channel that a ray from o along d sees behind all that stands; lights is the sky that
// lights, picture the panorama behind, nil where there is none. What is Own is seen so, and the sky itself otherwise.
func (s *State) Seen(lights, picture *sky.Environment) func(o, d geom.V) geom.V {
	if !s.Own() {
		return func(_, d geom.V) geom.V { return lights.At(d) }
	}
	switch s.Behind.Behind {
	case "colour":
		c := Hex(s.Backing).Mul(s.Shining)
		return func(_, _ geom.V) geom.V { return c }
	case "nothing":
		return func(_, _ geom.V) geom.V { return geom.V{} }
	case "picture":
		lights = picture
	}
	if !(s.TakenAt > 0) {
		return func(_, d geom.V) geom.V { return lights.At(d) }
	}
	from := geom.V{Y: s.StandsAt + s.TakenAt}
	return func(o, d geom.V) geom.V { return lights.At(Standing(o, d, from, s.StandsAt)) }
}

// Standing is along which direction a panorama that was taken at from shows what a ray from o along d meets: the level
// ground within a kilometre, or a sphere of that radius about where it was taken.
func Standing(o, d, from geom.V, ground float64) geom.V {
	if d.Y < 0 && o.Y > ground {
		q := o.Add(d.Mul((ground - o.Y) / d.Y))
		if math.Hypot(q.X-from.X, q.Z-from.Z) < groundWide {
			return q.Sub(from).Unit()
		}
	}
	at := o.Sub(from)
	b, c := at.Dot(d), at.Dot(at)-groundWide*groundWide
	if c >= 0 { // seen from outside: as far away as it is
		return d
	}
	return at.Add(d.Mul(-b + math.Sqrt(b*b-c))).Unit()
}
