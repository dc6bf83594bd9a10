package sizing

import (
	"math"

	"visator/core/model"
)

// cut is what of a surface's picture is there: leaves and needles are drawn on
// cards, and the card is not to be seen.
type cut struct {
	slot *model.Slot
	w, h int
	seen []bool
}

// glassy is the opacity from which what blends is seen as a body.
const glassy = 0.1

// cutOf reads where a surface is cut out by its maps; nil when it is not.
func cutOf(m *model.Model, s *model.Surface) *cut {
	least := s.Cutoff
	switch s.Alpha {
	case model.Opaque:
		return nil
	case model.Blend:
		least = glassy
	}
	slot, alpha := &s.Slots[model.OpacityMap], false
	if slot.Map == model.None {
		slot, alpha = &s.Slots[model.BaseColorMap], true
	}
	if slot.Map == model.None || slot.Map >= len(m.Maps) {
		return nil
	}
	img, err := m.Maps[slot.Map].Picture()
	if err != nil || img.Rect.Empty() {
		return nil // Intake tells of it
	}
	c := &cut{slot: slot, w: img.Rect.Dx(), h: img.Rect.Dy()}
	c.seen = make([]bool, c.w*c.h)
	whole := true
	for i := range c.seen {
		v := img.Pix[4*i]
		if alpha {
			v = img.Pix[4*i+3]
		}
		c.seen[i] = float64(v) >= least*255
		whole = whole && c.seen[i]
	}
	if whole {
		return nil
	}
	return c
}

// at reports whether something is there at texture coordinates.
func (c *cut) at(u, v float64) bool {
	u, v = c.slot.At(u, v)
	return c.seen[min(int(v*float64(c.h)), c.h-1)*c.w+min(int(u*float64(c.w)), c.w-1)]
}

// fillCut marks the cells of a triangle in whose middle its picture is there;
// uv are the texture coordinates of its corners. A card that is seen from its
// edge is a line.
func (r *raster) fillCut(p [3][2]float64, uv [3][2]float64, c *cut) {
	a, e1, e2 := p[0], [2]float64{p[1][0] - p[0][0], p[1][1] - p[0][1]}, [2]float64{p[2][0] - p[0][0],
		p[2][1] - p[0][1]}
	d := e1[0]*e2[1] - e1[1]*e2[0]
	if math.Abs(d) < 1e-3*(math.Hypot(e1[0], e1[1])+math.Hypot(e2[0], e2[1])) {
		r.fill(p[0], p[1], p[2])
		return
	}
	first, last := r.rows(p[0], p[1], p[2])
	for y := first; y <= last; y++ {
		for x := max(int(r.from[y]), 0); x <= min(int(r.to[y]), r.w-1); x++ {
			// Barycentric coordinates of the cell's middle, kept within the triangle:
			// its very edge may be the other edge of a picture that repeats.
			qx, qy := float64(x)+0.5-a[0], float64(y)+0.5-a[1]
			s, t := within((qx*e2[1]-qy*e2[0])/d, (e1[0]*qy-e1[1]*qx)/d)
			if c.at(uv[0][0]+s*(uv[1][0]-uv[0][0])+t*(uv[2][0]-uv[0][0]),
				uv[0][1]+s*(uv[1][1]-uv[0][1])+t*(uv[2][1]-uv[0][1])) {
				r.on[y*r.w+x] = true
			}
		}
	}
}

// within brings barycentric coordinates into the triangle, a little off its edges.
func within(s, t float64) (float64, float64) {
	const off = 0.002
	s, t = max(s, off), max(t, off)
	if sum := s + t; sum > 1-off {
		s, t = s*(1-off)/sum, t*(1-off)/sum
	}
	return s, t
}
