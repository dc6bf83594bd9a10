package render

import (
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/points"
)

// sampleLamp is light of one lamp at a point, chosen by what it gives there about; which, and how likely that was.
func (s *Scene) sampleLamp(pt *point, smp *points.Sampler, extra float64) (l lamp.Light, i int, chance float64,
	ok bool) {
	i, chance, _ = s.tree.Choose(pt.p, extra)
	if i < 0 || !s.Lamps[i].Lights(s.idOf(pt)) {
		return l, i, 0, false
	}
	u1, u2 := smp.Next2()
	if l, ok = s.Lamps[i].Sample(pt.p, u1, u2); !ok {
		return l, i, chance, false
	}
	chosen(&l, chance)
	return l, i, chance, true
}

// idOf is the ID of what a point is on; 0 in the air.
func (s *Scene) idOf(pt *point) uint32 {
	if pt.instance < 0 {
		return 0
	}
	return s.Instances[pt.instance].ID
}

// chosen tells a sample of light that its lamp was chosen by chance.
func chosen(l *lamp.Light, chance float64) {
	if l.Hard {
		l.Le = l.Le.Mul(1 / chance)
	} else {
		l.PDF *= chance
	}
}

// past is how much of the light from before the end of a ray comes past the air, beside what comes from its end.
func (tr *tracer) past(ray *Ray, t float64) float64 {
	if tr.mist.left == 1 {
		return 1
	}
	return tr.s.Air.Through(ray.O, ray.D, t) / tr.mist.left
}

// alongLamps tells got the light of lamps' surfaces that a ray meets nearer than far, weighed against the samples that
// were taken of them at the point before. Lamps stand in nothing's way.
func (tr *tracer) alongLamps(ray *Ray, far float64, from *last, first *seen, got func(of int, l geom.V)) {
	camera := from.pdf <= 0
	tr.s.tree.Along(ray.O, ray.D, far, func(i int) {
		l := &tr.s.Lamps[i]
		if camera && !l.Seen || !camera && (l.Blind || !l.Lights(from.id)) {
			return
		}
		t, ok := l.Meet(ray.O, ray.D)
		if !ok || t >= far || t <= ray.Min {
			return
		}
		if camera {
			got(i, l.Luminance().Mul(tr.past(ray, t)))
			if t < first.Depth {
				first.Depth, first.Normal, first.Albedo = t, ray.D.Mul(-1), geom.V{X: 1, Y: 1, Z: 1}
			}
			return
		}
		w := 1.0
		if from.c.lamp > 0 {
			pdf := l.Density(from.p, ray.D, t) * tr.s.tree.Chance(from.p, i)
			w = power(from.pdf, pdf*from.chanceOfLamps())
		}
		got(i, l.Luminance().Mul(l.Window(from.p)*w))
	})
}
