package exchange

import (
	"bufio"
	"fmt"
	"io"

	"visator/core/openexr"
)

// WidestPanorama is how many pixels wide a panorama in OpenEXR is kept for rendering, about 11 to a degree: what is
// wider is averaged while it is read, so that one of any size takes at most 100 MB.
const WidestPanorama = 4096

// ReadPanorama reads a panorama of the whole sphere, Radiance HDR or OpenEXR, as linear RGB, 3 values a pixel. note is
// what was done to it, if anything.
func ReadPanorama(r io.Reader) (pix []float32, w, h int, note string, err error) {
	b := bufio.NewReaderSize(r, 1<<16)
	if head, _ := b.Peek(4); string(head) != "\x76\x2f\x31\x01" {
		pix, w, h, err = ReadHDR(b)
	} else {
		pix, w, h, note, err = readEXR(b)
	}
	if err != nil {
		return nil, 0, 0, "", err
	}
	if d := w - 2*h; d*d > (w/20)*(w/20) {
		return nil, 0, 0, "",
			fmt.Errorf("panorama of %d x %d pixels: one of the whole sphere is twice as wide as high", w, h)
	}
	below := 0
	for i, v := range pix {
		if v-v != 0 {
			return nil, 0, 0, "", fmt.Errorf("panorama: the value at %d, %d is no number or infinite: mend it in the "+
				"program that made it", i/3%w, i/3/w)
		}
		if v < 0 {
			pix[i] = 0
			below++
		}
	}
	if below > 0 {
		if note != "" {
			note += "; "
		}
		note += fmt.Sprintf("%d values below zero are taken as 0", below)
	}
	return pix, w, h, note, nil
}

func readEXR(r io.Reader) (pix []float32, w, h int, note string, err error) {
	e, err := openexr.Open(r)
	if err != nil {
		return nil, 0, 0, "", fmt.Errorf("panorama: %w", err)
	}
	names := []string{"R", "G", "B"}
	if !e.Has("R") && e.Has("Y") && !e.Has("RY") {
		names = []string{"Y"}
	}
	step := (e.Width + WidestPanorama - 1) / WidestPanorama
	w, h = max(e.Width/step, 1), max(e.Height/step, 1)
	pix = make([]float32, 3*w*h)
	count := make([]float32, w*h)
	err = e.Rows(names, func(x, y int, v [][]float32) {
		row := min(y/step, h-1)
		for i := range v[0] {
			at := row*w + min((x+i)/step, w-1)
			count[at]++
			for c := range 3 {
				pix[3*at+c] += v[min(c, len(v)-1)][i]
			}
		}
	})
	if err != nil {
		return nil, 0, 0, "", fmt.Errorf("panorama: %w", err)
	}
	for at, n := range count {
		k := 1 / max(n, 1)
		pix[3*at], pix[3*at+1], pix[3*at+2] = pix[3*at]*k, pix[3*at+1]*k, pix[3*at+2]*k
	}
	if step > 1 {
		note = fmt.Sprintf("%d x %d pixels, averaged to %d x %d", e.Width, e.Height, w, h)
	}
	return pix, w, h, note, nil
}
