package snag

import (
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
	"visator/core/unit"
)

// Through 36 mm on a sensor 36 mm wide a metre at one metre fills the picture:
// 1920 pixels. At 5 m it has 384, so that of 48 texels a metre each is 8 wide.
func TestTexturesAreJudgedFromTheLens(t *testing.T) {
	v := optics.Default()
	v.Focal, v.Near = 36, 0.1
	things := []Thing{box("near crate", geom.V{}, geom.V{X: 1, Y: 1, Z: 1}),
		box("far crate", geom.V{}, geom.V{X: 1, Y: 1, Z: 1}), box("behind", geom.V{}, geom.V{X: 1, Y: 1, Z: 1})}
	spans := []optics.Span{{Near: 5, Far: 6, Seen: true}, {Near: 50, Far: 51, Seen: true}, {Near: 0.5, Far: 1}}
	of := func(pixels int, texels float64) []Texture {
		return []Texture{{1, "p", "Planks", pixels, texels}, {0, "p", "Planks", pixels, texels},
			{2, "p", "Planks", pixels, texels}}
	}
	for _, c := range []struct {
		pixels int
		texels float64
		want   string
	}{
		{64, 48, "a texel of \"Planks\" is 8 pixels of the picture on near crate, 5.00 m from the lens: too coarse; it " +
			"wants a map 4 times as wide"},
		{64, 200, ""},
		{4096, 38_400,
			"\"Planks\" has 100 texels to a pixel of the picture where it is nearest, on near crate, 5.00 m " +
				"from the lens: a map of 128 would show the same"},
		{1024, 38_400, ""}, // not worth it
		{0, 0, ""},
	} {
		got := TooCoarse(unit.InMetres, &v, things, spans, of(c.pixels, c.texels))
		if (len(got) > 0) != (c.want != "") || len(got) > 1 || len(got) == 1 && !strings.HasPrefix(got[0].What,
			c.want) {
			t.Errorf("%d pixels, %v texels a metre: %+v", c.pixels, c.texels, got)
		}
	}
	// The lens inside of a box tells nothing.
	spans[0].Near = 0
	if got := TooCoarse(unit.InMetres, &v, things[:1], spans[:1], []Texture{{0, "p", "Bark", 64, 48}}); len(got) != 0 {
		t.Errorf("%+v", got)
	}
}

func TestPiecesOutOfProportionAreFound(t *testing.T) {
	if got := Distorted("p", "crate", 0.25); len(got) != 1 || got[0].What != "crate is out of proportion by 25 %" ||
		got[0].Fix != "even" {
		t.Errorf("%+v", got)
	}
	if got := Distorted("p", "crate", 0.001); got != nil {
		t.Errorf("%+v", got)
	}
}
