package light

import (
	"fmt"
	"math"

	"visator/core/air"
	"visator/core/document"
	"visator/core/geom"
)

// Fog is a body of fog in the set: within it the air is of one density.
type Fog struct {
	Shape string  `json:"shape"` // ball or box
	At    geom.V  `json:"at"`    // the middle of its foot
	Wide  float64 `json:"wide"`
	Deep  float64 `json:"deep"`
	High  float64 `json:"high"`
	Turn  float64 `json:"turn"`
	Sees  float64 `json:"sees"` // metres at which contrast falls to 5 %
	Tint  string  `json:"tint"`
	Ahead float64 `json:"ahead"`
}

// DefaultFog is a fog as it begins: a bank as high as a man.
func DefaultFog() Fog {
	return Fog{Shape: "ball", Wide: 8, Deep: 8, High: 2, Sees: 15, Ahead: 0.6}
}

// Fields are what a fog is described by.
func (f *Fog) Fields() []document.Field {
	of := document.Of
	return []document.Field{
		of(&f.Shape, document.Choice, "shape", "shape", "a fog is").Among("ball", "box"),
		of(&f.Wide, document.Length, "wide", "wide", "its width").In(0.01, maxLamp),
		of(&f.Deep, document.Length, "deep", "deep", "its depth").In(0.01, maxLamp),
		of(&f.High, document.Length, "high", "high", "its height").In(0.01, maxLamp),
		of(&f.Turn, document.Angle, "turn", "turned", "its turn").In(-100, 100),
		of(&f.Sees, document.Length, "sees", "seen as far as", "how far it lets see").In(0.05, 1e6).
			Hinting("where contrast falls to 5 %"),
		of(&f.Tint, document.Color, "tint", "colour", ""),
		of(&f.Ahead, document.Number, "ahead", "scatters ahead", "how far it scatters ahead").In(-0.95, 0.95).Told("",
			2),
		of(&f.At.X, document.Length, "at.x", "across", "its place").In(-maxLamp, maxLamp).Drawn(),
		of(&f.At.Y, document.Length, "at.y", "above zero", "its height above zero").In(-maxLamp, maxLamp).Drawn(),
		of(&f.At.Z, document.Length, "at.z", "down the plan", "its place").In(-maxLamp, maxLamp).Drawn(),
	}
}

// Check says what is impossible about a fog.
func (f *Fog) Check() error {
	if !f.At.Finite() {
		return fmt.Errorf("a fog lies within %.0f km of the middle", maxLamp/1000.0)
	}
	return document.Check(f)
}

// Air is the fog as it is looked through.
func (f *Fog) Air() air.Part {
	half := geom.V{X: f.Wide / 2, Y: f.High / 2, Z: f.Deep / 2}
	p := air.Part{Shape: air.Box, Sigma: air.Extinction(f.Sees), Albedo: geom.V{X: 1, Y: 1, Z: 1}, Mean: f.Ahead,
		Inv: air.Within(f.At.Add(geom.V{Y: half.Y}), half, f.Turn)}
	if f.Tint != "" {
		p.Albedo = Hex(f.Tint)
	}
	if f.Shape == "ball" {
		p.Shape = air.Ball
	}
	return p
}

// Outline is its foot as it is drawn on a plan, x and z, around.
func (f *Fog) Outline() (list [][2]float64) {
	corners, reach := []float64{45, 135, 225, 315}, math.Sqrt2
	if f.Shape == "ball" {
		corners, reach = corners[:0], 1
		for a := 0.0; a < 360; a += 10 {
			corners = append(corners, a)
		}
	}
	sin, cos := math.Sincos(f.Turn)
	for _, a := range append(corners, corners[0]) {
		s, c := math.Sincos(a * math.Pi / 180)
		x, z := reach*c*f.Wide/2, reach*s*f.Deep/2
		list = append(list, [2]float64{f.At.X + x*cos + z*sin, f.At.Z - x*sin + z*cos})
	}
	return list
}
