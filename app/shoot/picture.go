package shoot

import (
	"bytes"
	"image/png"

	"visator/core/finish"
	"visator/core/optics"
	"visator/core/render"
)

// QuickPNG is a film developed, as PNG that takes little time to write.
func QuickPNG(f *render.Film, v *optics.View, c finish.Chain) (*bytes.Buffer, error) {
	return QuickPicture(&finish.Linear{Width: f.Width, Height: f.Height, Color: f.Color, Unhidden: f.Unhidden}, v, c)
}

// QuickPicture is QuickPNG of linear values.
func QuickPicture(l *finish.Linear, v *optics.View, c finish.Chain) (*bytes.Buffer, error) {
	var out bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	return &out, enc.Encode(&out, finish.Develop(l, v, c))
}
