package openexr

// Averaged reads layers of three channels each, named one after the other, 3 values a pixel and rows from the top. Of a
// picture that is wider than widest as many pixels are averaged as it takes; what is left over at its right and at its
// foot is left out.
func (r *Reader) Averaged(names []string, widest int) (w, h int, layers [][]float32, err error) {
	step := max((r.Width+widest-1)/widest, 1)
	w, h = r.Width/step, r.Height/step
	layers = make([][]float32, len(names)/3)
	for g := range layers {
		layers[g] = make([]float32, 3*w*h)
	}
	share := 1 / float32(step*step)
	err = r.Rows(names, func(x, y int, v [][]float32) {
		if y/step >= h {
			return
		}
		for c, row := range v {
			to := layers[c/3]
			for i, value := range row {
				if px := (x + i) / step; px < w {
					to[3*(y/step*w+px)+c%3] += value * share
				}
			}
		}
	})
	return w, h, layers, err
}

// Planes reads channels one by one, a value a pixel and rows from the top.
func (r *Reader) Planes(names ...string) ([][]float32, error) {
	planes := make([][]float32, len(names))
	for i := range planes {
		planes[i] = make([]float32, r.Width*r.Height)
	}
	err := r.Rows(names, func(x, y int, v [][]float32) {
		for c, row := range v {
			copy(planes[c][y*r.Width+x:], row)
		}
	})
	return planes, err
}
