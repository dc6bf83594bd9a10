package frame

import (
	"image"
	"image/color"
	"math"

	"visator/core/geom"
	"visator/core/optics"
)

// Sketch draws what a view sees as with a pencil: shaded by how surfaces are
// turned, with lines where one thing ends and another begins.
func (s *Scene) Sketch(v *optics.View, w, h int) *image.Gray {
	p := s.Draw(v, w, h)
	m := image.NewGray(image.Rect(0, 0, w, h))
	light := v.Turn().Rotate(geom.V{X: -0.5, Y: 0.7, Z: 0.5}.Unit()) // from over the left shoulder
	// Far things are lighter, as through air: by half at the middle of the logs.
	lo, hi := math.Inf(1), 0.0
	for _, d := range p.Depth {
		if !math.IsInf(d, 1) {
			lo, hi = min(lo, d), max(hi, d)
		}
	}
	for k := range p.Thing {
		x, y := k%w, k/w
		g := 1.0
		if p.Thing[k] >= 0 {
			n := p.Normal[k]
			if n.Dot(v.Ray((float64(x)+0.5)/float64(w), (float64(y)+0.5)/float64(h))) > 0 {
				n = n.Mul(-1)
			}
			g = 0.42 + 0.4*max(n.Dot(light), 0)
			if hi > lo {
				g += (0.92 - g) * 0.8 * math.Log(p.Depth[k]/lo) / math.Log(hi/lo)
			}
		}
		for _, o := range [2]int{k - 1, k - w} {
			if o < 0 || o == k-1 && x == 0 {
				continue
			}
			near, far := min(p.Depth[k], p.Depth[o]), max(p.Depth[k], p.Depth[o])
			if p.Thing[k] != p.Thing[o] || far > near*1.25 {
				g = min(g, 0.15+0.4*(1-math.Exp(-near/200)))
			} else if p.Thing[k] >= 0 && p.Normal[k].Dot(p.Normal[o]) < 0.7 {
				g -= 0.15
			}
		}
		m.SetGray(x, y, color.Gray{uint8(255 * min(max(g, 0), 1))})
	}
	return m
}
