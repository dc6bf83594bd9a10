package render

import (
	"sort"

	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
)

// sampleLamp is light of one lamp at p, chosen by what it gives there about.
func (s *Scene) sampleLamp(p geom.V, c *choice, smp *sampler, extra float64) (l lamp.Light, ok bool) {
	total := c.lamps[len(c.lamps)-1]
	if total <= 0 {
		return l, false
	}
	i := min(sort.SearchFloat64s(c.lamps, extra*total), len(c.lamps)-1)
	w := c.lamps[i]
	if i > 0 {
		w -= c.lamps[i-1]
	}
	if w <= 0 {
		return l, false
	}
	u1, u2 := smp.next2()
	if l, ok = s.Lamps[i].Sample(p, u1, u2); !ok {
		return l, false
	}
	if l.Hard {
		l.Le = l.Le.Mul(total / w)
	} else {
		l.PDF *= w / total
	}
	return l, true
}

// alongLamps is the light of lamps' surfaces that a ray meets nearer than far, weighed against the samples that were
// taken of them at the point before. Lamps stand in nothing's way.
func (tr *tracer) alongLamps(ray *Ray, far float64, from *last, first *seen) (sum geom.V) {
	for _, i := range tr.s.surfaces {
		l := &tr.s.Lamps[i]
		camera := from.pdf <= 0
		if camera && !l.Seen {
			continue
		}
		t, ok := l.Meet(ray.O, ray.D)
		if !ok || t >= far || t <= ray.Min {
			continue
		}
		if camera {
			sum = sum.Add(l.Luminance())
			if t < first.depth {
				first.depth, first.normal, first.albedo = t, ray.D.Mul(-1), geom.V{X: 1, Y: 1, Z: 1}
			}
			continue
		}
		w := 1.0
		if from.c.lamp > 0 && from.c.given > 0 {
			e, _, _ := l.Toward(from.p)
			pdf := l.Density(from.p, ray.D, t) * light.Luminance(e) / from.c.given
			w = power(from.pdf, pdf*from.chanceOfLamps())
		}
		sum = sum.Add(l.Luminance().Mul(l.Window(from.p) * w))
	}
	return sum
}
