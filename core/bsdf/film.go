package bsdf

import (
	"math"
	"sync"

	"visator/core/geom"
)

// schlick is Fresnel's reflectance for a cosine, about (Schlick, An inexpensive BRDF model for physically-based
// rendering, 1994).
func schlick(f0, f90, cos float64) float64 { return f0 + (f90-f0)*pow5(1-min(max(cos, 0), 1)) }

// Facing is the reflectance of a surface seen straight on, by its index of refraction (Fresnel; 0.04 for 1.5). An index
// of 0 stands for an infinite one (KHR_materials_ior).
func Facing(index float64) float64 {
	if index == 0 {
		return 1
	}
	q := (index - 1) / (index + 1)
	return q * q
}

// Fresnel is the reflectance of a clear surface for unpolarized light that meets it at a cosine; to is the index of
// where it goes by that of where it comes from.
func Fresnel(cos, to float64) float64 {
	cos = min(max(cos, 0), 1)
	s2 := (1 - cos*cos) / (to * to)
	if s2 >= 1 {
		return 1
	}
	in := math.Sqrt(1 - s2)
	s := (cos - to*in) / (cos + to*in)
	p := (to*cos - in) / (to*cos + in)
	return (s*s + p*p) / 2
}

// Film is a thin film on a surface (Belcour and Barla, A practical extension to microfacet theory for the modeling of
// varying iridescence, 2017, in the form of KHR_materials_iridescence).
type Film struct {
	Share float64 // 0..1
	Index float64 // of refraction
	Thick float64 // nanometres
}

// Reflectance of a surface with a film, per channel, by the cosine at which light meets it; f0 is that of what is
// below, seen straight on.
func (f *Film) Reflectance(cos float64, f0 geom.V) geom.V {
	cos = min(max(cos, 0), 1)
	t := min(max(f.Thick/0.03, 0), 1)
	index := 1 + (f.Index-1)*t*t*(3-2*t) // a film of no thickness is none
	c2 := 1 - (1-cos*cos)/(index*index)
	if c2 < 0 {
		return geom.V{X: 1, Y: 1, Z: 1}
	}
	in := math.Sqrt(c2)
	r12 := schlick(Facing(index), 1, cos)
	t121 := 1 - r12
	phi21 := math.Pi
	if index < 1 {
		phi21 = 0
	}
	way := 2 * index * f.Thick * in // nm
	var xyz [3][3]float64           // for each channel of f0
	out := [3]float64{}
	for c := range out {
		s := math.Sqrt(min(max(f0.At(c), 0), 0.9999))
		below := (1 + s) / (1 - s)
		q := (below - index) / (below + index)
		r23 := schlick(q*q, 1, in)
		phi := phi21
		if below < index {
			phi += math.Pi
		}
		r123 := min(max(r12*r23, 1e-5), 0.9999)
		rs := t121 * t121 * r23 / (1 - r123)
		out[c] = r12 + rs
		cm := rs - t121
		for m := 1; m <= 2; m++ {
			cm *= math.Sqrt(r123)
			x := felt(float64(m)*way, float64(m)*phi)
			for k := range 3 {
				xyz[c][k] += 2 * cm * x[k]
			}
		}
		rgb := [3]float64{3.2404542*xyz[c][0] - 1.5371385*xyz[c][1] - 0.4985314*xyz[c][2],
			-0.9692660*xyz[c][0] + 1.8760108*xyz[c][1] + 0.0415560*xyz[c][2],
			0.0556434*xyz[c][0] - 0.2040259*xyz[c][1] + 1.0572252*xyz[c][2]}
		out[c] = min(max(out[c]+rgb[c], 0), 1)
	}
	return geom.V{X: out[0], Y: out[1], Z: out[2]}
}

// felt is the Fourier transform of what the eye feels (CIE XYZ, as Gaussians), for a way in nanometres and a shift of
// phase: that of Belcour and Barla.
func felt(way, shift float64) [3]float64 {
	p := 2 * math.Pi * way * 1e-9
	one := func(v, at, wide float64) float64 {
		return v * math.Sqrt(2*math.Pi*wide) * math.Cos(at*p+shift) * math.Exp(-p*p*wide)
	}
	const by = 1 / 1.0685e-7
	return [3]float64{
		(one(5.4856e-13, 1.6810e6, 4.3278e9) + one(9.7470e-14, 2.2399e6, 4.5282e9)) * by,
		one(4.4201e-13, 1.7953e6, 9.3046e9) * by,
		one(5.2481e-13, 2.2084e6, 6.6121e9) * by,
	}
}

// filmed is what a lobe of what is no metal sends back below a film, over the cosine, and on the mean.
type filmed struct {
	list [filmCos]geom.V
	mean geom.V
}

const (
	filmCos   = 12
	mostFilms = 512 // that are kept: a film whose thickness is painted has some hundred
)

var films = struct {
	sync.Mutex
	known map[[7]int32]*filmed
}{known: map[[7]int32]*filmed{}}

// filmedOf looks one up, or makes it; what differs by less than is seen is taken as one.
func (p *Place) filmedOf() *filmed {
	f := p.Values.Film
	key := [7]int32{int32(f.Index * 100), int32(f.Thick / 5), int32(p.Values.Rough * 64), int32(p.fd.X * 256),
		int32(p.fd.Y * 256), int32(p.fd.Z * 256), int32(p.fd90 * 64)}
	films.Lock()
	t := films.known[key]
	films.Unlock()
	if t != nil {
		return t
	}
	t = new(filmed)
	weight := 0.0
	for c := range t.list {
		cos := max(float64(c)/(filmCos-1), 1e-3)
		o := leaning(cos)
		round(p.Values.Rough).each(o, 64, func(h, _ geom.V, w float64) {
			t.list[c] = t.list[c].Add(p.film(o.Dot(h), p.fd, p.fd90).Mul(w))
		})
		w := cos
		if c == 0 || c == filmCos-1 {
			w /= 2
		}
		t.mean, weight = t.mean.Add(t.list[c].Mul(w)), weight+w
	}
	t.mean = t.mean.Mul(1 / weight)
	films.Lock()
	defer films.Unlock()
	if len(films.known) >= mostFilms {
		clear(films.known)
	}
	films.known[key] = t
	return t
}

func (t *filmed) at(cos float64) geom.V {
	i, f := geom.Between(cos, filmCos)
	return t.list[i].Lerp(t.list[i+1], f)
}
