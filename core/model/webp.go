package model

import (
	"image"
)

// fromVP8 turns a picture of lossy WebP into RGB as the format means it: ITU-R BT.601
// with black at 16 and white at 235 (RFC 6386, section 9.2), where image.YCbCr means
// JPEG's full range; and with its chroma, stored at half the size, interpolated as the
// format's own library does (weights 9, 3, 3, 1 of 16). alpha is nil for none.
func fromVP8(p *image.YCbCr, alpha []byte, alphaStride int) *image.NRGBA {
	b := p.Bounds()
	w, h := b.Dx(), b.Dy()
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	cw, ch := (w+1)/2, (h+1)/2
	for y := range h {
		// The nearer row of chroma and the farther one.
		near := min(y/2, ch-1)
		far := min(max(near+2*(y%2)-1, 0), ch-1)
		cb0, cb1 := p.Cb[near*p.CStride:], p.Cb[far*p.CStride:]
		cr0, cr1 := p.Cr[near*p.CStride:], p.Cr[far*p.CStride:]
		for x := range w {
			n := min(x/2, cw-1)
			f := min(max(n+2*(x%2)-1, 0), cw-1)
			u := (9*int(cb0[n]) + 3*int(cb0[f]) + 3*int(cb1[n]) + int(cb1[f]) + 8) >> 4
			v := (9*int(cr0[n]) + 3*int(cr0[f]) + 3*int(cr1[n]) + int(cr1[f]) + 8) >> 4
			l := 19077 * int(p.Y[y*p.YStride+x]) >> 8
			q := out.Pix[y*out.Stride+4*x:][:4]
			q[0] = clip(l + 26149*v>>8 - 14234)
			q[1] = clip(l - 6419*u>>8 - 13320*v>>8 + 8708)
			q[2] = clip(l + 33050*u>>8 - 17685)
			q[3] = 255
			if alpha != nil {
				q[3] = alpha[y*alphaStride+x]
			}
		}
	}
	return out
}

// clip makes eight bits of a value of fourteen, six of them behind the point.
func clip(v int) byte { return byte(min(max(v>>6, 0), 255)) }
