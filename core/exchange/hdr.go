package exchange

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
)

// MaxHDRPixels bounds a panorama: 32768 x 16384 is the largest on sale.
const MaxHDRPixels = 32768 * 16384

// ReadHDR reads a Radiance picture (RGBE, flat or run-length encoded; Ward,
// Real Pixels, Graphics Gems II, 1991) as linear RGB, 3 values a pixel.
func ReadHDR(r io.Reader) (pix []float32, w, h int, err error) {
	br := bufio.NewReaderSize(r, 1<<16)
	first, err := br.ReadString('\n')
	if err != nil || !strings.HasPrefix(first, "#?") {
		return nil, 0, 0, errors.New("not a Radiance HDR picture: it does not begin with #?")
	}
	scale := 1.0
	for lines := 0; ; lines++ {
		line, err := br.ReadString('\n')
		if err != nil || lines > 1000 || len(line) > 1<<16 {
			return nil, 0, 0, errors.New("panorama: the header does not end")
		}
		line = strings.TrimSpace(line)
		if line == "" {
			break
		}
		if f, ok := strings.CutPrefix(line, "FORMAT="); ok && f != "32-bit_rle_rgbe" {
			return nil, 0, 0, fmt.Errorf("panorama in the format %.40q is not read, only 32-bit_rle_rgbe", f)
		}
		if e, ok := strings.CutPrefix(line, "EXPOSURE="); ok {
			var x float64
			if _, err := fmt.Sscan(e, &x); err == nil && x > 0 {
				scale /= x
			}
		}
	}
	size, err := br.ReadString('\n')
	if err != nil {
		return nil, 0, 0, errors.New("panorama: the size is missing")
	}
	if n, _ := fmt.Sscanf(size, "-Y %d +X %d", &h, &w); n != 2 {
		return nil, 0, 0, fmt.Errorf("panorama: the size %.60q is not of the form -Y H +X W", strings.TrimSpace(size))
	}
	if w < 1 || h < 1 || int64(w)*int64(h) > MaxHDRPixels {
		return nil, 0, 0, fmt.Errorf("panorama of %d x %d pixels is not possible", w, h)
	}
	line := make([]byte, 4*w)
	for y := 0; y < h; y++ {
		if err := readScan(br, line, w); err != nil {
			return nil, 0, 0, fmt.Errorf("panorama: line %d: %w; fetch it again", y, err)
		}
		for x := 0; x < w; x++ { // grows with what is really there
			p := line[4*x : 4*x+4]
			if p[3] == 0 {
				pix = append(pix, 0, 0, 0)
				continue
			}
			f := math.Ldexp(scale, int(p[3])-136)
			pix = append(pix, float32(float64(p[0])*f), float32(float64(p[1])*f), float32(float64(p[2])*f))
		}
	}
	return pix, w, h, nil
}

func readScan(br *bufio.Reader, line []byte, w int) error {
	head, err := br.Peek(4)
	if err != nil {
		return errors.New("cut short")
	}
	if w < 8 || w > 32767 || head[0] != 2 || head[1] != 2 || head[2]&0x80 != 0 {
		return flatScan(br, line, w)
	}
	if int(head[2])<<8|int(head[3]) != w {
		return errors.New("its length differs from the picture's width")
	}
	_, _ = br.Discard(4)
	for c := 0; c < 4; c++ {
		for x := 0; x < w; {
			n, err := br.ReadByte()
			if err != nil {
				return errors.New("cut short")
			}
			run := int(n)
			if run > 128 {
				run -= 128
			}
			if run == 0 || x+run > w {
				return errors.New("a run leads past its end")
			}
			var v byte
			for k := 0; k < run; k++ {
				if k == 0 || n <= 128 {
					if v, err = br.ReadByte(); err != nil {
						return errors.New("cut short")
					}
				}
				line[4*(x+k)+c] = v
			}
			x += run
		}
	}
	return nil
}

// flatScan reads pixels as they are, with the old run-length form: a pixel
// 1,1,1,n repeats the one before.
func flatScan(br *bufio.Reader, line []byte, w int) error {
	shift := 0
	for x := 0; x < w; {
		p := line[4*x : 4*x+4]
		if _, err := io.ReadFull(br, p); err != nil {
			return errors.New("cut short")
		}
		if p[0] == 1 && p[1] == 1 && p[2] == 1 {
			n := int(p[3]) << shift
			if x == 0 || x+n > w || shift > 16 {
				return errors.New("a run leads past its end")
			}
			for k := 0; k < n; k++ {
				copy(line[4*(x+k):4*(x+k)+4], line[4*(x-1):4*x])
			}
			x += n
			shift += 8
			continue
		}
		shift = 0
		x++
	}
	return nil
}

// WriteHDR writes linear RGB, 3 values a pixel, as a flat Radiance picture.
func WriteHDR(out io.Writer, pix []float32, w, h int) error {
	bw := bufio.NewWriter(out)
	fmt.Fprintf(bw, "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y %d +X %d\n", h, w)
	for i := 0; i < w*h; i++ {
		r, g, b := float64(pix[3*i]), float64(pix[3*i+1]), float64(pix[3*i+2])
		top := max(r, g, b)
		if top < 1e-32 {
			bw.Write([]byte{0, 0, 0, 0})
			continue
		}
		m, e := math.Frexp(top)
		k := m * 256 / top
		p := [4]byte{byte(max(r, 0) * k), byte(max(g, 0) * k), byte(max(b, 0) * k), byte(e + 128)}
		if p[0] == 1 && p[1] == 1 && p[2] == 1 {
			p[0] = 2 // 1,1,1 would be read as a run
		}
		bw.Write(p[:])
	}
	return bw.Flush()
}
