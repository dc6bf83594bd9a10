package snag

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"visator/core/light"
	"visator/core/optics"
	"visator/core/surface"
	"visator/core/unit"
)

// Dressing is a surface of what stands in a set, as it is worn there.
type Dressing struct {
	Piece, Name string // of which piece, by its name
	Thing       string // one that shows it: the nearest
	Ground      bool   // others stand on it
	Span        optics.Span
	Size        float64 // metres, the larger of its extents
	Scale       float64 // by which the thing is larger than its piece
	Surface     string
	Decided     bool // a material of the set is on it
	surface.Material
	Maps []string // what pictures say of it
	Mean string   // colour with its picture, #rrggbb; "": not known
}

// Limits; all are common practice.
const (
	dimGlow     = 2.0  // cd/m² below which nobody sees something glow, but in the dark
	mirrorRough = 0.03 // roughness of a floor below which it is a mirror
	mostRepeats = 40   // times that a pattern is seen side by side before an eye finds that it repeats
	seenRepeat  = 8.0  // pixels of a repeat below which nobody tells one from the next
	otherSize   = 1.5  // times as large a pattern is on its neighbour
	offPalette  = 25.0 // CIEDE2000 from the nearest colour of a palette
)

// nobody are names that programs give to materials which nobody named.
var nobody = regexp.MustCompile(`(?i)^(material|mat|default|surface|untitled|none|no[ _-]?name|shader|lambert|phong|` +
	`standard|initial[ _-]?shading[ _-]?group)?([ ._-]?(material|mat))?[ ._-]?\d*$`)

// Surfaces are the faults of what things are made of, for pictures wide pixels across. palette is that of the set's
// board; nil: there is none.
func Surfaces(in unit.Ruler, v *optics.View, list []Dressing, palette []surface.Swatch) (out []Snag) {
	half, _ := v.Window().Half()
	perMetre := pictureWide / (2 * half)
	sizes := map[string]*Dressing{} // the first of a name that bears a picture
	for i := range list {
		d := &list[i]
		put := func(kind, format string, args ...any) {
			name := d.Surface
			if name == "" {
				name = "all"
			}
			out = append(out, Snag{Step: "surface", Kind: kind, ID: d.Thing, IDs: []string{d.Thing},
				Key:  fmt.Sprintf("%s:%s:%s", kind, d.Piece, d.Surface),
				What: fmt.Sprintf("%s of %s: %s", name, d.Name, fmt.Sprintf(format, args...))})
		}
		if doubts := d.Likely(); doubts != "" && (len(d.Maps) == 0 || d.Decided) {
			put("unlikely", "%s", doubts)
		}
		painted := slices.Contains(d.Maps, "base") || d.Material.Maps["base"] != (surface.Map{})
		rough := slices.Contains(d.Maps, "roughness") || slices.Contains(d.Maps, "metal and roughness")
		if d.Ground && d.Rough < mirrorRough && d.Clear == 0 && !rough {
			put("mirror floor", "a floor that mirrors without any roughness: even polished stone has 5 %%")
		}
		if d.Glow > 0 && d.Glow < dimGlow {
			put("dim glow", "it glows by %.3g cd/m²: a lit screen gives 300, a lamp's shade 3,000", d.Glow)
		}
		if !d.Decided && !painted && nobody.MatchString(strings.TrimSpace(d.Surface)) && grey(d.Base) {
			put("undecided", "grey, and named by no one: say what it is made of")
		}
		if palette != nil && d.Span.Seen && d.Mean != "" {
			if c, err := surface.ParseColor(d.Mean); err == nil {
				if off, at := surface.Off(c, palette); off > offPalette {
					put("off the palette", "%s is %.0f off the nearest colour of the board, %s (CIEDE2000)", d.Mean,
						off, palette[at].Color)
				}
			}
		}
		repeat := d.Tile * d.Scale
		if !painted || !(repeat > 0) || math.IsInf(repeat, 0) {
			continue
		}
		if n := d.Size / repeat; d.Span.Seen && n > mostRepeats && !d.Broken && d.Span.Near > 0 &&
			repeat*perMetre/d.Span.Near > seenRepeat {
			put("repeats", "its picture repeats %.0f times in a row, every %s: break it up, or make it larger", n,
				in.Distance(repeat))
		}
		if d.Surface == "" || nobody.MatchString(d.Surface) {
			continue
		}
		switch first := sizes[d.Surface]; {
		case first == nil:
			sizes[d.Surface] = d
		case first.Piece != d.Piece:
			was := first.Tile * first.Scale
			if max(was, repeat)/min(was, repeat) > otherSize {
				put("other pattern", "one repeat is %s, on %s %s: of one material they want one size",
					in.Distance(repeat), first.Name, in.Distance(was))
			}
		}
	}
	return out
}

// grey tells whether a colour is one without a hue.
func grey(hex string) bool {
	c, err := surface.ParseColor(hex)
	if err != nil {
		return false
	}
	lum := light.Luminance(c)
	return max(math.Abs(c.X-lum), math.Abs(c.Y-lum), math.Abs(c.Z-lum)) < 0.02
}
