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
	return QuickPicture(f.Color, f.Width, f.Height, v, c)
}

// QuickPicture is QuickPNG of linear values, 3 a pixel.
func QuickPicture(color []float32, w, h int, v *optics.View, c finish.Chain) (*bytes.Buffer, error) {
	var out bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	return &out, enc.Encode(&out, finish.Develop(color, w, h, v, c))
}
