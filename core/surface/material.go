package surface

import (
	"errors"
	"fmt"
	"math"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
)

// Material is what a surface is made of there. Colours are #rrggbb.
type Material struct {
	Base       string  `json:"base"`
	Rough      float64 `json:"rough"`
	Metal      float64 `json:"metal"`
	Specular   float64 `json:"specular"` // strength of what no metal mirrors
	Tint       string  `json:"tint"`     // of that
	Index      float64 `json:"index"`    // of refraction
	Clear      float64 `json:"clear"`    // share of light that goes in and on
	Solid      bool    `json:"solid"`    // a body, not a sheet
	Absorb     string  `json:"absorb"`
	AbsorbOver float64 `json:"absorbOver"` // metres after which that colour is left; 0: nothing is taken up
	Split      float64 `json:"split"`      // dispersion: 20 over the Abbe number
	Coat       float64 `json:"coat"`
	CoatRough  float64 `json:"coatRough"`
	Sheen      string  `json:"sheen"` // "": none
	SheenRough float64 `json:"sheenRough"`
	Brush      float64 `json:"brush"`
	BrushTurn  float64 `json:"brushTurn"` // radians
	Film       float64 `json:"film"`
	FilmIndex  float64 `json:"filmIndex"`
	FilmThick  float64 `json:"filmThick"` // nanometres
	Leaf       float64 `json:"leaf"`
	LeafTint   string  `json:"leafTint"`
	Glow       float64 `json:"glow"` // cd/m²
	GlowColor  string  `json:"glowColor"`
	Bumps      float64 `json:"bumps"` // times its normal map
	Alpha      string  `json:"alpha"` // how it is cut out: see Alphas
	Cutoff     float64 `json:"cutoff"`
	Twosided   bool    `json:"twosided"`

	Tile  float64 `json:"tile"`  // metres along one repeat of its pictures; 0: as the coordinates run
	Turn  float64 `json:"turn"`  // radians, of its pictures
	Along float64 `json:"along"` // metres by which they are moved
	Down  float64 `json:"down"`
	Tall  float64 `json:"tall"` // times as tall as they are wide
	Lay   string  `json:"lay"`  // how they lie: see Lays

	Thrown model.Throw `json:"thrown,omitzero"` // from where they are thrown, if they are

	Relief float64 `json:"relief"` // metres from black to white of its height
	Bevel  float64 `json:"bevel"`  // metres over which hard edges look rounded

	Broken   bool    `json:"broken"`   // that they repeat is hidden
	Apart    bool    `json:"apart"`    // each thing shows another place of them
	Seed     uint64  `json:"seed"`     // by which
	Vary     float64 `json:"vary"`     // share by which the colour is lighter and darker
	VaryOver float64 `json:"varyOver"` // metres over which

	Maps map[string]Map `json:"maps,omitempty"` // by what they say: see Roles
}

// Map is a picture of a material.
type Map struct {
	Blob string `json:"blob"` // content
	Name string `json:"name"`
}

// Alphas are how a surface is cut out, and Lays how pictures lie.
var (
	Alphas = []string{"whole", "cut out", "see-through"}
	Lays   = []string{AsCame, "from three sides", OverAll, RoundPole, OnBox, AsThrown}
)

// Ways in which pictures lie.
const (
	AsCame    = "as the coordinates run"
	OverAll   = "from three sides, on over neighbours"
	RoundPole = "round a pole"
	OnBox     = "once on each side of its box"
	AsThrown  = "thrown from a camera"
)

// Roles are what the maps of a material say, by the name that they have in it.
var Roles = map[string]model.Role{"base": model.BaseColorMap, "metal and roughness": model.MetalRoughMap,
	"normal": model.NormalMap, "occlusion": model.OcclusionMap, "glow": model.EmissiveMap,
	"clear": model.TransmissionMap, "opacity": model.OpacityMap, "roughness": model.RoughnessMap,
	"metal": model.MetallicMap, "specular": model.SpecularMap, "tint": model.SpecularTintMap, "coat": model.CoatMap,
	"coat roughness": model.CoatRoughnessMap, "coat normal": model.CoatNormalMap, "sheen": model.SheenMap,
	"sheen roughness": model.SheenRoughnessMap, "brushed": model.BrushMap, "film": model.FilmMap,
	"film thickness": model.FilmThicknessMap, "leaf": model.LeafMap, "leaf colour": model.LeafTintMap,
	"height": model.HeightMap}

// New is a material as it begins: grey, matte, no metal.
func New() Material {
	return Material{Base: "#b4b4b4", Rough: 0.6, Specular: 1, Tint: "#ffffff", Index: 1.5, Absorb: "#ffffff",
		CoatRough: 0.05, SheenRough: 0.5, FilmIndex: 1.33, FilmThick: 400, LeafTint: "#ffffff", GlowColor: "#ffffff",
		Bumps: 1, Alpha: Alphas[0], Cutoff: 0.5, Tall: 1, Lay: Lays[0], Seed: 1, VaryOver: 2}
}

// Parts of the panel.
const (
	look    = "look"
	through = "clear"
	layers  = "layers"
	glow    = "glow"
	lie     = "pictures"
)

// maxGlow is as bright as the sun's disc is seen (common practice: 1.6e9 cd/m²).
const maxGlow = 2e9

// Fields are what a material is described by.
func (m *Material) Fields() []document.Field {
	of := document.Of
	share := func(at *float64, key, label, what, part string) document.Field {
		return of(at, document.Percent, key, label, what).In(0, 1).On(part).Sliding(0, 100, 1)
	}
	return []document.Field{
		of(&m.Base, document.Swatch, "base", "colour", "").On(look),
		share(&m.Rough, "rough", "roughness", "roughness", look),
		share(&m.Metal, "metal", "metal", "metal", look),
		share(&m.Specular, "specular", "highlights", "the strength of highlights", look),
		of(&m.Tint, document.Swatch, "tint", "their colour", "").On(look),
		of(&m.Bumps, document.Number, "bumps", "bumps", "bumps").In(-10, 10).Told("times", 2).On(look),
		share(&m.Brush, "brush", "brushed", "how far it is brushed", look),
		of(&m.BrushTurn, document.Angle, "brushTurn", "which way", "a turn").In(-7, 7).On(look),
		share(&m.Clear, "clear", "lets light through", "what light goes through", through),
		of(&m.Index, document.Number, "index", "index of refraction", "an index").In(1, 4).Told("", 3).On(through),
		of(&m.Solid, document.Yes, "solid", "a body: light is bent in it", "").On(through),
		of(&m.Absorb, document.Swatch, "absorb", "colour that is left", "").On(through),
		of(&m.AbsorbOver, document.Length, "absorbOver", "after", "a way through it").In(1e-5, 1000).Or("any way").
			On(through),
		of(&m.Split, document.Number, "split", "splits colours", "how far it splits colours").In(0, 10).Told("", 2).
			On(through).Hinting("20 over the Abbe number: 0.3 of window glass, 0.36 of diamond"),
		share(&m.Leaf, "leaf", "shines through, as leaves", "what shines through", through),
		of(&m.LeafTint, document.Swatch, "leafTint", "in the colour", "").On(through),
		share(&m.Coat, "coat", "lacquer", "lacquer", layers),
		share(&m.CoatRough, "coatRough", "its roughness", "the roughness of lacquer", layers),
		of(&m.Sheen, document.Color, "sheen", "sheen of cloth", "").On(layers),
		share(&m.SheenRough, "sheenRough", "its roughness", "the roughness of a sheen", layers),
		share(&m.Film, "film", "thin film", "a film", layers),
		of(&m.FilmIndex, document.Number, "filmIndex", "its index", "an index").In(1, 3).Told("", 2).On(layers),
		of(&m.FilmThick, document.Number, "filmThick", "its thickness", "a thickness").In(0, 5000).Told("nm", 0).
			On(layers),
		of(&m.Glow, document.Number, "glow", "glows", "how it glows").In(0, maxGlow).Told("cd/m²", 1).On(glow),
		of(&m.GlowColor, document.Swatch, "glowColor", "in the colour", "").On(glow),
		of(&m.Tile, document.Length, "tile", "one repeat is", "a repeat").In(1e-4, 1e5).Or("as it comes").On(lie),
		of(&m.Tall, document.Number, "tall", "times as tall", "a height").In(0.01, 100).Told("", 2).On(lie),
		of(&m.Turn, document.Angle, "turn", "turned by", "a turn").In(-7, 7).On(lie),
		of(&m.Along, document.Length, "along", "moved along", "a way").In(-1e5, 1e5).On(lie),
		of(&m.Down, document.Length, "down", "moved down", "a way").In(-1e5, 1e5).On(lie),
		of(&m.Lay, document.Choice, "lay", "they lie", "pictures lie").Among(Lays...).On(lie),
		of(&m.Relief, document.Length, "relief", "relief, black to white", "a relief").In(-10, 10).On(lie).
			Hinting("of its picture of height: faces are divided as finely as the shot shows"),
		of(&m.Bevel, document.Length, "bevel", "edges look rounded by", "a bevel").In(0, 1).On(lie),
		of(&m.Broken, document.Yes, "broken", "hide that they repeat", "").On(lie).
			Hinting("for what has no order, as soil, plaster, bark; bricks and boards would lose their joints"),
		of(&m.Apart, document.Yes, "apart", "each thing shows another place", "").On(lie).
			Hinting("not of what is cut out or glows by its pictures"),
		share(&m.Vary, "vary", "lighter and darker by", "how far the colour varies", lie),
		of(&m.VaryOver, document.Length, "varyOver", "over", "a way").In(0.01, 1000).On(lie),
		of(&m.Seed, document.Count, "seed", "seed", "a seed").In(0, math.MaxInt32).On(lie),
		of(&m.Alpha, document.Choice, "alpha", "is", "it is").Among(Alphas...).On(lie),
		of(&m.Cutoff, document.Percent, "cutoff", "cut out below", "a limit").In(0, 1).On(lie).If("alpha", Alphas[1]),
		of(&m.Twosided, document.Yes, "twosided", "seen from both sides", "").On(lie),
	}
}

// Check says what is impossible about it.
func (m *Material) Check() error {
	if err := document.Check(m); err != nil {
		return err
	}
	if t := &m.Thrown; m.Lay == AsThrown && !(t.From.Finite() && t.Right.Finite() && t.Up.Finite() && t.Wide > 1e-6 &&
		t.Wide < 1e6 && t.High > 1e-6 && t.High < 1e6 && math.Abs(t.MidX)+math.Abs(t.MidY) < 1e6 &&
		t.Right.Cross(t.Up).Len() > 0.9) {
		return errors.New("pictures are thrown from a camera: look through one, and throw them from there")
	}
	for role, p := range m.Maps {
		if _, ok := Roles[role]; !ok {
			return fmt.Errorf("%.40q is nothing that a picture of a material says", role)
		}
		if p.Blob == "" || len(p.Blob) > document.MaxName || len(p.Name) > document.MaxName {
			return errors.New("a picture of a material is named by its content")
		}
	}
	return nil
}

// asCame is the material of a surface as it came, but for its pictures; tile is how many metres one repeat of them is
// long, 0 where that is not known.
func asCame(s *model.Surface, tile float64) Material {
	hex := func(c [3]float64) string { return light.HexOf(geom.V{X: c[0], Y: c[1], Z: c[2]}) }
	m := New()
	m.Base = hex([3]float64(s.BaseColor[:3]))
	m.Rough, m.Metal, m.Specular, m.Tint = s.Roughness, s.Metallic, s.Specular, hex(s.SpecularTint)
	m.Index, m.Clear, m.Solid = s.IOR, s.Transmission, s.Solid
	m.Absorb, m.AbsorbOver, m.Split = hex(s.Absorb), s.AbsorbOver, s.Dispersion
	m.Coat, m.CoatRough, m.SheenRough = s.Coat, s.CoatRoughness, s.SheenRoughness
	if s.Sheen != [3]float64{} {
		m.Sheen = hex(s.Sheen)
	}
	m.Brush, m.BrushTurn = s.Brush, s.BrushTurn
	m.Film, m.FilmIndex, m.FilmThick = s.Film, s.FilmIndex, s.FilmMost
	m.Leaf, m.LeafTint = s.Leaf, hex(s.LeafTint)
	if top := max(s.Emissive[0], s.Emissive[1], s.Emissive[2]); top > 0 {
		m.Glow = min(top, maxGlow)
		m.GlowColor = hex([3]float64{s.Emissive[0] / top, s.Emissive[1] / top, s.Emissive[2] / top})
	}
	m.Bumps, m.Cutoff, m.Twosided = s.NormalScale, s.Cutoff, s.DoubleSided
	m.Alpha = Alphas[s.Alpha]
	m.Tile = tile
	return m.within()
}

// within brings what a file says beyond all ranges to their ends.
func (m Material) within() Material {
	list := m.Fields()
	for i := range list {
		list[i].Clamp()
	}
	return m
}

// Apply makes a surface of the material: index tells for each of its maps where it lies among those of the model, and
// repeat how many metres the surface's coordinates run from 0 to 1, 0 where that is not known.
func (m *Material) Apply(s *model.Surface, index map[string]int, repeat float64) {
	three := func(hex string) [3]float64 {
		c, _ := ParseColor(hex)
		return [3]float64{c.X, c.Y, c.Z}
	}
	base := three(m.Base)
	out := model.DefaultSurface()
	out.Name, out.Occlusion = s.Name, s.Occlusion
	out.BaseColor = [4]float64{base[0], base[1], base[2], s.BaseColor[3]}
	out.Roughness, out.Metallic, out.Specular, out.SpecularTint = m.Rough, m.Metal, m.Specular, three(m.Tint)
	out.IOR, out.Transmission, out.Solid = m.Index, m.Clear, m.Solid
	out.Absorb, out.AbsorbOver, out.Dispersion = three(m.Absorb), m.AbsorbOver, m.Split
	out.Coat, out.CoatRoughness, out.SheenRoughness = m.Coat, m.CoatRough, m.SheenRough
	if m.Sheen != "" {
		out.Sheen = three(m.Sheen)
	}
	out.Brush, out.BrushTurn = m.Brush, m.BrushTurn
	out.Film, out.FilmIndex, out.FilmLeast, out.FilmMost = m.Film, m.FilmIndex, m.FilmThick, m.FilmThick
	out.Leaf, out.LeafTint = m.Leaf, three(m.LeafTint)
	for c, x := range three(m.GlowColor) {
		out.Emissive[c] = x * m.Glow
	}
	out.NormalScale, out.CoatNormalScale, out.Cutoff, out.DoubleSided = m.Bumps, m.Bumps, m.Cutoff, m.Twosided
	for i, name := range Alphas {
		if m.Alpha == name {
			out.Alpha = model.Alpha(i)
		}
	}
	out.Pattern = model.Pattern{Broken: m.Broken, Apart: m.Apart,
		World: m.Lay == OverAll && len(m.Maps) > 0 && m.Tile > 0, Seed: m.Seed, Vary: m.Vary, VaryOver: m.VaryOver}
	if m.Lay == AsThrown && len(m.Maps) > 0 {
		thrown := m.Thrown
		out.Pattern.Thrown = &thrown
	}
	out.Bevel = m.Bevel
	was := s.Slots[model.BaseColorMap]
	for role := range m.Maps {
		at, ok := index[role]
		if !ok {
			continue
		}
		slot := model.EmptySlot
		slot.Map = at
		if m.Lay == OnBox || m.Lay == AsThrown {
			slot.Offset = [2]float64{m.Along, m.Down}
		} else if m.Tile > 0 && repeat > 0 {
			slot.Scale = [2]float64{repeat / m.Tile, repeat / m.Tile / m.Tall}
			slot.Offset = [2]float64{m.Along / m.Tile, m.Down / m.Tile / m.Tall}
		} else if was.Map != model.None {
			slot.Scale, slot.Offset, slot.Set = was.Scale, was.Offset, was.Set
		}
		slot.Rotation = m.Turn
		out.Slots[Roles[role]] = slot
	}
	*s = out
}

// Likely is what no real thing looks like, in words: "" where nothing is wrong. Limits are those of measured things:
// soot gives back 4 %, fresh snow 90 % (common practice), metals half or more of what they get.
func (m *Material) Likely() string {
	c, err := ParseColor(m.Base)
	if err != nil {
		return ""
	}
	lum := light.Luminance(c)
	_, painted := m.Maps["base"]
	switch {
	case m.Metal > 0.1 && m.Metal < 0.9 && m.Maps["metal"] == (Map{}) && m.Maps["metal and roughness"] == (Map{}):
		return fmt.Sprintf("it is %.0f %% metal: things are metal, or not", 100*m.Metal)
	case painted:
		return ""
	case m.Metal >= 0.9 && lum < 0.35:
		return fmt.Sprintf("a metal that mirrors %.0f %%: the darkest that were measured mirror about half", 100*lum)
	case m.Metal < 0.1 && m.Clear == 0 && lum < 0.02:
		return fmt.Sprintf("it gives back %.1f %% of the light: soot gives back 4 %%", 100*lum)
	case m.Metal < 0.1 && m.Clear == 0 && lum > 0.93:
		return fmt.Sprintf("it gives back %.0f %% of the light: fresh snow gives back 90 %%", 100*lum)
	case math.IsNaN(lum):
		return ""
	}
	return ""
}
