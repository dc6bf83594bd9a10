package film

import "math"

// Pilot is how many samples every pixel gets before it is decided which get more. (Fewer tell little of rare light.)
const Pilot = 16

// A pixel gets between a part and a multiple of the average: what looks clean after the pilot may only not have met
// its light yet, and one corner shall not have all.
const (
	leastRate = 0.25
	mostRate  = 8
)

// window is how far from a pixel the pixels are that decide its rate.
const window = 8

// Plan decides how many samples each pixel gets from here on, from the noise of the pixels about it: as much as makes
// the mean of the errors smallest for the number of samples, which is their standard deviation, relative to what is
// seen, to the power of two thirds (by Lagrange's multiplier: the mean of a/sqrt(n), the sum of n being given). What a
// pixel itself has seen has no part in it, so that its samples stay a fair mean (D. Kirk and J. Arvo, Unbiased Sampling
// Techniques for Image Synthesis, 1991, show what is lost otherwise). It does nothing but once, at Pilot samples.
func (f *Film) Plan() {
	if f.Samples != Pilot || f.rates != nil {
		return
	}
	errors := f.Errors()
	// Sums over rows and columns, so that a window is the difference of four.
	w, h := f.Width, f.Height
	sums := make([]float64, (w+1)*(h+1))
	for y := range h {
		row := 0.0
		for x := range w {
			row += float64(errors[y*w+x])
			sums[(y+1)*(w+1)+x+1] = sums[y*(w+1)+x+1] + row
		}
	}
	rates := make([]float64, w*h)
	for y := range h {
		y0, y1 := max(y-window, 0), min(y+window+1, h)
		for x := range w {
			x0, x1 := max(x-window, 0), min(x+window+1, w)
			n := (x1-x0)*(y1-y0) - 1
			sum := sums[y1*(w+1)+x1] - sums[y0*(w+1)+x1] - sums[y1*(w+1)+x0] + sums[y0*(w+1)+x0] -
				float64(errors[y*w+x])
			if n > 0 {
				rates[y*w+x] = math.Pow(max(sum, 0)/float64(n), 2.0/3)
			}
		}
	}
	f.rates = make([]float32, w*h)
	// Cut off at both ends, they are brought to a mean of one again; a few times, until that changes little.
	scale := 1.0
	for range 8 {
		sum := 0.0
		for _, r := range rates {
			sum += min(max(r*scale, leastRate), mostRate)
		}
		if mean := sum / float64(len(rates)); mean > 0 {
			scale /= mean
		}
	}
	for i, r := range rates {
		f.rates[i] = float32(min(max(r*scale, leastRate), mostRate))
	}
}

// Want is how many samples a pixel is to have when they have so many on the average.
func (f *Film) Want(i, samples int) int {
	if f.rates == nil || samples <= Pilot {
		return samples
	}
	// Rounded up or down by its place, so that the mean is kept.
	at := float64((i*7+i/f.Width*3)%16) / 16
	return Pilot + int(float64(samples-Pilot)*float64(f.rates[i])+at)
}
