package model

import (
	"image"
	"image/color"
)

// fromJPEG turns a picture of JPEG into RGB with its chroma, where it is stored at half
// the size, interpolated between its samples, which lie centred (JFIF 1.02), by weights
// of 3 and 1 as decoders in wide use do; image.YCbCr itself repeats the nearest one,
// which is off by up to 97 of 255 at the edge of a colour. It is false for what is
// stored in another way.
func fromJPEG(p *image.YCbCr) (*image.NRGBA, bool) {
	across, down := false, false
	switch p.SubsampleRatio {
	case image.YCbCrSubsampleRatio420:
		across, down = true, true
	case image.YCbCrSubsampleRatio422:
		across = true
	case image.YCbCrSubsampleRatio440:
		down = true
	default:
		return nil, false
	}
	if p.Rect.Min != (image.Point{}) {
		return nil, false
	}
	w, h := p.Rect.Dx(), p.Rect.Dy()
	cw, ch := w, h
	if across {
		cw = (w + 1) / 2
	}
	if down {
		ch = (h + 1) / 2
	}
	out := image.NewNRGBA(p.Rect)
	// Rows of chroma between their samples up and down, times 4 where that is done.
	cb, cr := make([]int, cw), make([]int, cw)
	for y := range h {
		near, far := y, y
		if down {
			near = y / 2
			far = min(max(near+2*(y%2)-1, 0), ch-1)
		}
		for x := range cw {
			cb[x], cr[x] = int(p.Cb[near*p.CStride+x]), int(p.Cr[near*p.CStride+x])
			if down {
				cb[x], cr[x] = 3*cb[x]+int(p.Cb[far*p.CStride+x]), 3*cr[x]+int(p.Cr[far*p.CStride+x])
			}
		}
		for x := range w {
			n, f := x, x
			if across {
				n = x / 2
				f = min(max(n+2*(x%2)-1, 0), cw-1)
			}
			u, v := 0, 0
			switch {
			case across && down:
				round := 8 - x%2
				u, v = (3*cb[n]+cb[f]+round)>>4, (3*cr[n]+cr[f]+round)>>4
			case across:
				round := 1 + x%2
				u, v = (3*cb[n]+cb[f]+round)>>2, (3*cr[n]+cr[f]+round)>>2
			default:
				round := 1 + y%2
				u, v = (cb[n]+round)>>2, (cr[n]+round)>>2
			}
			q := out.Pix[y*out.Stride+4*x:][:4]
			q[0], q[1], q[2] = color.YCbCrToRGB(p.Y[y*p.YStride+x], uint8(u), uint8(v))
			q[3] = 255
		}
	}
	return out, true
}
