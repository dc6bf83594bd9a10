package model

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	_ "image/gif" // the picture formats that model files carry
	_ "image/jpeg"
	"image/png"

	_ "golang.org/x/image/bmp"
	_ "golang.org/x/image/tiff"
	_ "golang.org/x/image/webp"
)

// MaxPixels bounds one decoded picture: 16384 x 16384, the largest texture
// that graphics cards take. A small file may claim any size.
const MaxPixels = 16384 * 16384

// Picture decodes the map's bytes to 8-bit straight-alpha RGBA, encoded as in
// the file (usually sRGB).
func (m *Map) Picture() (*image.NRGBA, error) {
	if len(m.Data) == 0 {
		return nil, fmt.Errorf("map %q has no picture", m.Name)
	}
	return DecodePicture(m.Data, m.Name)
}

// DecodePicture decodes PNG, JPEG, WebP, BMP, TIFF or GIF bytes; name is for
// the error.
func DecodePicture(data []byte, name string) (*image.NRGBA, error) {
	notRead := func(what string) error {
		return fmt.Errorf("picture %q: %s is not read here; save it as PNG, JPEG or WebP", name, what)
	}
	cfg, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if what := unread(data, err); what != "" {
		return nil, notRead(what)
	}
	if err != nil {
		return nil, fmt.Errorf("picture %q: %w; save it as PNG, JPEG or WebP", name, err)
	}
	if cfg.Width <= 0 || cfg.Height <= 0 || int64(cfg.Width)*int64(cfg.Height) > MaxPixels {
		return nil, fmt.Errorf("picture %q: %s of %d x %d pixels is over the limit of %d pixels; reduce it", name, kind,
			cfg.Width, cfg.Height, MaxPixels)
	}
	// A picture that claims far more pixels than its bytes could hold is cut
	// short or hostile: even a flat PNG needs about one byte for 1000 pixels.
	if int64(cfg.Width)*int64(cfg.Height) > 4_000_000+int64(len(data))*2000 {
		return nil, fmt.Errorf("picture %q: claims %d x %d pixels in %d bytes; it is damaged, fetch it again", name,
			cfg.Width, cfg.Height, len(data))
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		if what := unread(data, err); what != "" {
			return nil, notRead(what)
		}
		return nil, fmt.Errorf("picture %q: %w; it is damaged, fetch it again", name, err)
	}
	if n, ok := img.(*image.NRGBA); ok && n.Rect.Min == (image.Point{}) {
		return n, nil
	}
	if p, ok := img.(*image.YCbCr); ok && kind == "jpeg" {
		if out, ok := fromJPEG(p); ok {
			return out, nil
		}
	}
	if kind == "webp" {
		switch p := img.(type) {
		case *image.YCbCr:
			return fromVP8(p, nil, 0), nil
		case *image.NYCbCrA:
			return fromVP8(&p.YCbCr, p.A, p.AStride), nil
		}
	}
	b := img.Bounds()
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	if g, ok := img.(*image.Gray); ok { // draw would go pixel by pixel
		for y := 0; y < b.Dy(); y++ {
			for x := 0; x < b.Dx(); x++ {
				v := g.Pix[y*g.Stride+x]
				out.SetNRGBA(x, y, color.NRGBA{v, v, v, 255})
			}
		}
		return out, nil
	}
	draw.Draw(out, out.Rect, img, b.Min, draw.Src)
	return out, nil
}

// AdoptPicture returns a map's bytes in one of the formats that models carry:
// PNG, JPEG and WebP as they are, TGA, BMP, TIFF and GIF turned into PNG. The
// error names the picture and says what to do.
func AdoptPicture(data []byte, name string) (picture []byte, mime string, err error) {
	if mime = MimeOf(data); mime != "" {
		return data, mime, nil
	}
	var img *image.NRGBA
	if isTGA(data, name) {
		img, err = decodeTGA(data, name)
	} else if img, err = DecodePicture(data, name); errors.Is(err, image.ErrFormat) {
		err = fmt.Errorf("the map %.200q is not a picture of a kind that is read (PNG, JPEG, WebP, TGA, BMP, TIFF, "+
			"GIF); save it as PNG", name)
	}
	if err != nil {
		return nil, "", err
	}
	var buf bytes.Buffer
	err = png.Encode(&buf, img)
	return buf.Bytes(), "image/png", err
}

// MimeOf recognises PNG, JPEG and WebP by their first bytes; "" otherwise.
func MimeOf(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		return "image/png"
	case bytes.HasPrefix(data, []byte("\xff\xd8\xff")):
		return "image/jpeg"
	case len(data) > 12 && string(data[:4]) == "RIFF" && string(data[8:12]) == "WEBP":
		return "image/webp"
	}
	return ""
}
