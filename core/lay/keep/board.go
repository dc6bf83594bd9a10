package keep

import (
	"errors"
	"fmt"

	"visator/core/document"
	"visator/core/lay"
	"visator/core/surface"
)

var _ = lay.Kind("board", func() lay.Spec { return &Board{} })

// Board is pictures that a set is guided by, and the palette that was taken from them.
type Board struct {
	Pictures []BoardPicture   `json:"pictures"`
	Colors   int              `json:"colors"` // how many are asked for
	Palette  []surface.Swatch `json:"palette"`
}

// BoardPicture is one of them.
type BoardPicture struct {
	Blob string `json:"blob"` // content
	Name string `json:"name"`
}

// mostPictures is how many hang on one board.
const mostPictures = 200

// Default is a board as it begins.
func (*Board) Default() lay.Spec {
	return &Board{Pictures: []BoardPicture{}, Colors: 6, Palette: []surface.Swatch{}}
}

// Fields are what a board is described by.
func (b *Board) Fields() []document.Field {
	return []document.Field{document.Of(&b.Colors, document.Count, "colors", "colours", "a palette").
		In(surface.LeastColors, surface.MostColors)}
}

// Check says what is impossible.
func (b *Board) Check() error {
	if err := document.Check(b); err != nil {
		return err
	}
	if len(b.Pictures) > mostPictures || len(b.Palette) > surface.MostColors {
		return fmt.Errorf("a board has at most %d pictures, and a palette %d colours", mostPictures, surface.MostColors)
	}
	for _, p := range b.Pictures {
		if p.Blob == "" || len(p.Blob) > document.MaxName || len(p.Name) > document.MaxName {
			return errors.New("a picture on a board is named by its content")
		}
	}
	for _, s := range b.Palette {
		if !document.IsColor(s.Color) || !(s.Share >= 0 && s.Share <= 1) {
			return errors.New("a colour of a palette is #rrggbb, with its share")
		}
	}
	return nil
}

// Palette is that of the first board of a set that has one; nil: there is none.
func Palette(list []*lay.Element) (out []surface.Swatch, err error) {
	err = each(list, "board", func(_ *lay.Element, b *Board) {
		if out == nil && len(b.Palette) > 0 {
			out = b.Palette
		}
	})
	return out, err
}
