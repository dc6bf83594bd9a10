package snag

import (
	"fmt"
	"math"

	"visator/core/optics"
	"visator/core/unit"
)

// Texture is the picture on a surface of a thing that stands in the set.
type Texture struct {
	Thing   int // in the list of things
	Piece   string
	Surface string
	Pixels  int     // across one repeat
	Texels  float64 // a metre, as placed
}

const (
	pictureWide = 1920 // pixels of the picture that textures are judged in: a frame of full HD
	// pixels a texel may be wide before it is seen as a blur; two or three are hidden by filtering
	// (common practice)
	coarseOff = 4.0
	fineOff   = 16.0 // texels a pixel may hold: four mip levels too many are memory that is never seen
	fineFrom  = 2048 // pixels of a map below which there is nothing worth saving
)

// TooCoarse finds the pictures on surfaces whose texels are wide in the picture
// from where they stand nearest to the lens, and those that are far finer than it
// can show even there. A texel is as wide as the sensor's pixel seen at that
// distance: 1 / (texels a metre) against distance · sensor width / (focal length
// · pixels across), by similar triangles. One snag for each picture of a piece,
// of the thing that is worst off.
func TooCoarse(in unit.Ruler, v *optics.View, things []Thing, spans []optics.Span, textures []Texture) (list []Snag) {
	type worst struct {
		pixels float64 // that a texel is wide at its widest
		at     int     // texture
	}
	wide, _ := v.Window().Half()
	perMetre := pictureWide / (2 * wide) // pixels that a metre is wide at one metre
	near := map[string]*worst{}
	var order []string
	for i, t := range textures {
		s := spans[t.Thing]
		// what the lens stands in is not known
		if !s.Seen || s.Near <= v.Near || !(t.Texels > 0) || math.IsInf(t.Texels, 0) {
			continue
		}
		px := perMetre / s.Near / t.Texels
		key := t.Piece + "\x00" + t.Surface
		w := near[key]
		if w == nil {
			w = &worst{}
			near[key] = w
			order = append(order, key)
		}
		if px > w.pixels {
			*w = worst{px, i}
		}
	}
	for _, key := range order {
		w := near[key]
		t := &textures[w.at]
		at, name := spans[t.Thing].Near, things[t.Thing].Name
		switch {
		case w.pixels > coarseOff:
			list = append(list,
				Snag{Step: "size", What: fmt.Sprintf("a texel of %q is %.0f pixels of the picture on %s, %s "+
					"from the lens: too coarse; it wants a map %d times as wide, a smaller repeat or more distance",
					t.Surface,
					w.pixels, name, in.Distance(at), wider(w.pixels)), ID: t.Piece})
		case 1/w.pixels > fineOff && t.Pixels >= fineFrom:
			list = append(list,
				Snag{Step: "size", What: fmt.Sprintf("%q has %.0f texels to a pixel of the picture where it "+
					"is nearest, on %s, %s from the lens: a map of %d would show the same", t.Surface, 1/w.pixels, name,
					in.Distance(at), smaller(t.Pixels, w.pixels)), ID: t.Piece})
		}
	}
	return list
}

// wider is the power of two by which a map with texels so many pixels wide must
// be larger for them to be two pixels at most.
func wider(pixels float64) int { return 1 << int(math.Ceil(math.Log2(pixels/2))) }

// smaller is the power of two that leaves at least two texels to a pixel.
func smaller(pixels int, px float64) int {
	return max(1<<int(math.Ceil(math.Log2(float64(pixels)*2*px))), 64)
}
