package bsdf

import (
	"math"
	"sync"

	"visator/core/geom"
)

// glass is the boundary of something solid and clear, from one of its sides (Walter and others 2007), with what its
// microfacets scatter more than once given back (Kulla and Conty, Revisiting physically based shading at Imageworks,
// 2017, for both sides). What it carries is luminance over the square of the index: it is the same on both sides, and
// what comes out again needs no more.
type glass struct {
	g     ggx
	to    float64 // the index of the other side by that of this one
	here  float64 // what is left over of light from o
	mean  float64 // the mean of that on this side, and on the other
	other float64
	rough float64
	table *interfaceTable
	back  float64 // of what is left over: comes back, the rest goes through
}

const gRough, gCos = 24, 24

// interfaceTable is what is left over when light meets a boundary once, over roughness and cosine, from both sides.
type interfaceTable struct {
	left [2][gRough][gCos]float64
	mean [2][gRough]float64
	on   [2]float64 // what a smooth boundary lets through of light from all around
}

var interfaces sync.Map // by index in hundredths: *func() *interfaceTable

// steps of the index that have a table of their own; a hundredth changes what is left over by less than a thousandth.
const indexSteps = 100

func tableOf(index float64) *interfaceTable {
	key := int(math.Round(min(max(index, 1), 4) * indexSteps))
	made, _ := interfaces.LoadOrStore(key, sync.OnceValue(func() *interfaceTable {
		t := new(interfaceTable)
		for side, to := range [2]float64{apart(float64(key) / indexSteps), 1 / apart(float64(key)/indexSteps)} {
			t.on[side] = 1 - meanOf(func(cos float64) share { return share{a: Fresnel(cos, to)} }).a
			for r := range gRough {
				g := round(float64(r) / (gRough - 1))
				for c := range gCos {
					cos := max(float64(c)/(gCos-1), 1e-3)
					o := leaning(cos)
					const n = 512
					sum := 0.0
					for i := range n {
						h := g.draw(o, (float64(i)+0.5)/n, second(i))
						f := Fresnel(o.Dot(h), to)
						if wi := bounce(o, h); wi.Z > 0 {
							sum += f * g.both(o, wi) / g.seen(o) / n
						}
						if wi, ok := bent(o, h, to); ok && wi.Z < 0 {
							sum += (1 - f) * g.seen(wi) / n
						}
					}
					t.left[side][r][c] = max(1-sum, 0)
				}
				at := t.left[side][r][:]
				t.mean[side][r] = meanOf(func(cos float64) share { return share{a: geom.Row(at, cos)} }).a
			}
		}
		return t
	}))
	return made.(func() *interfaceTable)()
}

// apart keeps an index away from 1, where no direction tells which microfacet bent the light.
func apart(index float64) float64 { return max(index, 1.002) }

func (t *interfaceTable) at(side int, rough, cos float64) float64 {
	j, f := geom.Between(rough, gRough)
	return geom.Row(t.left[side][j][:], cos)*(1-f) + geom.Row(t.left[side][j+1][:], cos)*f
}

// glassOf is the boundary of a body of an index, met from outside or from within by light towards o.
func glassOf(index, rough float64, within bool, o geom.V) glass {
	index = apart(index)
	s := glass{g: round(rough), to: index, rough: rough, table: tableOf(index)}
	side := 0
	if within {
		s.to, side = 1/index, 1
	}
	s.here = s.table.at(side, rough, o.Z)
	s.mean = geom.Row(s.table.mean[side][:], rough)
	s.other = geom.Row(s.table.mean[1-side][:], rough)
	// How much of it goes through, from outside and from within, so that both ways are one (Kulla and Conty): each is
	// what a boundary lets through on the mean, or less.
	outer, inner := s.mean, s.other
	if within {
		outer, inner = inner, outer
	}
	ratio := inner * index * index / max(outer, 1e-12) // of outwards seen from outside by that from within
	in := min(s.table.on[1], s.table.on[0]/max(ratio, 1e-12))
	through := in
	if !within {
		through = in * ratio
	}
	s.back = 1 - min(max(through, 0), 1)
	return s
}

// bent is the way on of light from o through the microfacet h; false: it is mirrored wholly.
func bent(o, h geom.V, to float64) (geom.V, bool) {
	c := o.Dot(h)
	s2 := (1 - c*c) / (to * to)
	if c <= 0 || s2 >= 1 {
		return geom.V{}, false
	}
	return h.Mul(c/to - math.Sqrt(1-s2)).Sub(o.Mul(1 / to)), true
}

// eval is what of the light from i goes to o, times the cosine, as it is mirrored or let through, and the density with
// which sample finds i.
func (s *glass) eval(o, i geom.V) (back, through, pdf float64) {
	if i.Z > 0 {
		h := o.Add(i).Unit()
		f := Fresnel(o.Dot(h), s.to)
		v, p := s.g.mirrored(o, i)
		side := 0
		if s.to < 1 {
			side = 1
		}
		left := s.table.at(side, s.rough, i.Z)
		more := s.back * s.here * left / max(s.mean, 1e-9) * i.Z / math.Pi
		return f*v + more, 0, (1-s.here)*f*p + s.here*s.back*i.Z/math.Pi
	}
	if i.Z == 0 {
		return
	}
	side := 1
	if s.to < 1 {
		side = 0
	}
	left := s.table.at(side, s.rough, -i.Z)
	through = (1 - s.back) * s.here * left / max(s.other, 1e-9) * -i.Z / math.Pi
	pdf = s.here * (1 - s.back) * -i.Z / math.Pi
	h := o.Add(i.Mul(s.to)).Unit()
	if h.Z < 0 {
		h = h.Mul(-1)
	}
	oh, ih := o.Dot(h), i.Dot(h)
	if oh <= 0 || ih >= 0 {
		return
	}
	f := Fresnel(oh, s.to)
	q := oh + s.to*ih
	turn := s.to * s.to * -ih / (q * q)
	d := s.g.of(h) * oh / o.Z * turn * (1 - f)
	seen := s.g.seen(o)
	return 0, through + d*seen*s.g.seen(i), pdf + (1-s.here)*d*seen
}

// sample is a way for light to come from; false: there is none.
func (s *glass) sample(o geom.V, u1, u2, lobe float64) (geom.V, bool) {
	if lobe < s.here { // what is left over, all around
		i := around(u1, u2)
		if lobe >= s.here*s.back {
			i.Z = -i.Z
		}
		return i, true
	}
	lobe = (lobe - s.here) / max(1-s.here, 1e-12)
	h := s.g.draw(o, u1, u2)
	if lobe < Fresnel(o.Dot(h), s.to) {
		i := bounce(o, h)
		return i, i.Z > 0
	}
	i, ok := bent(o, h, s.to)
	return i, ok && i.Z < 0
}

// around is a direction of the half space, by the cosine.
func around(u1, u2 float64) geom.V {
	r := math.Sqrt(u1)
	sin, cos := math.Sincos(2 * math.Pi * u2)
	return geom.V{X: r * cos, Y: r * sin, Z: math.Sqrt(max(1-u1, 0))}
}
