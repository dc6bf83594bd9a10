package film

import "visator/core/clean"

// FieldSide is how wide and high fields are over which removing noise keeps the mean, in pixels.
const FieldSide = 32

// evenings is how often what fields lack is put right: what one gives its neighbours have too, so that once is not
// enough.
const evenings = 2

// field is what a part of a picture gives, per channel, before noise is removed and after.
type field struct{ given, left [3]float64 }

// keep makes what is left of light over each field what was given: each pixel is changed by the share that the fields
// about it lack, evenly from the middle of one to the next. Color is as it was.
func (f *Film) keep(p *clean.Picture) {
	first := [2]int{f.Left / FieldSide, f.Top / FieldSide}
	across := (f.Left+f.Width-1)/FieldSide - first[0] + 1
	down := (f.Top+f.Height-1)/FieldSide - first[1] + 1
	fields := make([]field, across*down)
	for y := range f.Height {
		row := fields[((f.Top+y)/FieldSide-first[1])*across:]
		for x := range f.Width {
			i := y*f.Width + x
			if p.Near[i] != p.Near[i] {
				continue
			}
			to := &row[(f.Left+x)/FieldSide-first[0]]
			for c := range 3 {
				to.given[c] += float64(f.Color[3*i+c] - f.shines(f.shine, 3*i+c))
				to.left[c] += float64(p.Seen(c, i))
			}
		}
	}
	shares := make([][3]float32, len(fields))
	for i := range fields {
		for c := range 3 {
			shares[i][c] = 1
			if k := fields[i].given[c] / fields[i].left[c]; k > 0.5 && k < 2 {
				shares[i][c] = float32(k)
			}
		}
	}
	f.Rows(func(y int) {
		gy, v := between(f.Top+y, first[1], down)
		y1 := min(gy+1, down-1)
		for x := range f.Width {
			gx, u := between(f.Left+x, first[0], across)
			x1 := min(gx+1, across-1)
			i := y*f.Width + x
			for c := range 3 {
				k := (1-v)*((1-u)*shares[gy*across+gx][c]+u*shares[gy*across+x1][c]) +
					v*((1-u)*shares[y1*across+gx][c]+u*shares[y1*across+x1][c])
				p.Light[c][i] *= k
				for g := range p.Layers {
					p.Layers[g].Now[c][i] *= k
				}
			}
		}
	})
}

// between is between the middles of which fields a pixel lies, and how far it has come from the one to the next.
func between(at, first, count int) (field int, share float32) {
	p := (float32(at)+0.5)/FieldSide - 0.5 - float32(first)
	if p <= 0 {
		return 0, 0
	}
	field = min(int(p), count-1)
	return field, p - float32(field)
}
