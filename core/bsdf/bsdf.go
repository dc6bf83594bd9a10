// Package bsdf is what a place on a surface does with light: glTF 2.0's metallic-roughness (appendix B) with the
// ratified extensions of Khronos for index, specular, anisotropy, thin film, clear coat, sheen, transmission, volume,
// dispersion and diffuse transmission. Whatever is chosen, no light is made, and what is white loses none: light that
// microfacets scatter more than once is given back (Kulla and Conty, Revisiting physically based shading at Imageworks,
// 2017), and each layer gets what those above leave. All of it is the same both ways, but for lacquer with a normal
// of its own.
//
// Directions are unit vectors in the frame of the place: z is its normal on the side of the eye, x its tangent. Shares
// are 0 to 1.
package bsdf

import (
	"math"

	"visator/core/geom"
	"visator/core/light"
)

// Values are what a place is made of.
type Values struct {
	Base         geom.V  // colour, linear
	Metal, Rough float64 // 0..1
	Brush        float64 // how much wider highlights are along x
	Index        float64 // of refraction; 0: infinite
	Specular     float64 // strength of what no metal mirrors, and its colour seen straight on
	SpecularTint geom.V
	Clear        float64 // share of light that goes in and on rather than being scattered
	Solid        bool    // it is bent on the way into a body; else the surface is a thin sheet
	Within       bool    // of a solid: met from within
	Straight     bool    // a thin sheet lets light straight through: who asks sees to that
	Leaf         float64 // share of what is scattered that leaves on the other side, and its colour
	LeafTint     geom.V
	Coat         float64 // of clear lacquer of the index 1.5
	CoatRough    float64
	CoatNormal   geom.V // of the lacquer where it is another; 0: none
	Sheen        geom.V // of fibres
	SheenRough   float64
	Film         Film
	Channel      int  // of colour, from 1, that glass bends here; 0: all alike
	Parted       bool // no other colour is left
}

// Plain are values of a grey that nothing else is done to.
func Plain() Values {
	one := geom.V{X: 1, Y: 1, Z: 1}
	return Values{Base: one, Rough: 1, Index: 1.5, Specular: 1, SpecularTint: one, LeafTint: one}
}

// Place is a place on a surface, ready for light towards one direction.
type Place struct {
	Values
	o        geom.V
	g        ggx
	fd       geom.V // of what is no metal, seen straight on
	fd90     float64
	f0       geom.V // of all
	f90      float64
	more     geom.V // of what is left over by the mirror lobe
	moreD    geom.V // of it, by what is no metal
	filmed   *filmed
	e, mean  share
	rest     geom.V // what the lobes below get at o, and on the mean
	restAll  geom.V
	wide     float64 // how far what glass bends spreads, for what lies above it
	coat     layer
	oc       geom.V // o in the frame of the lacquer
	ct, cb   geom.V // the lacquer's own frame, where it has one
	cg       ggx
	sheen    layer
	above    float64 // what both layers let through on the mean
	fuzzOver float64
	glass    glass
	diffuse  geom.V // weights of lobes, before what lies above
	leaf     geom.V
	through  geom.V
	solid    float64
	// What is sent to o from all around, about, by kind: to choose by.
	Mirrored, Scattered, Through geom.V
	chance                       [6]float64 // mirror, around, coat, through, leaf, glass
}

// layer lies above others: what it lets through, by the cosine.
type layer struct {
	on    bool
	cloth bool    // or lacquer
	at    float64 // at o
	mean  float64
	// Of a mirror lobe below, what is lost and given back all around.
	strong, rough float64
	lost          *lost
	lostAt        float64
	lostMean      float64
}

// by is what it lets through, by the cosine.
func (l *layer) by(p *Place, cos float64) float64 {
	if l.cloth {
		return 1 - p.Values.Sheen.Max()*clothShare(p.Values.SheenRough, cos)
	}
	return 1 - p.Values.Coat*mirrorShare(p.Values.CoatRough, cos).sum(coatF0, 1)
}

// found is what of a mirror lobe below is lost on both ways, as a lobe all around.
func (l *layer) found(p *Place, cos float64) float64 {
	if !l.on || l.lostMean < 1e-7 {
		return 0
	}
	return l.strong * l.lostAt * l.lost.of(p.Values.Rough, l.rough, cos) / l.lostMean
}

func (l *layer) loses(p *Place, t *lost, strong, rough, cos float64) {
	l.strong, l.rough, l.lost = strong, rough, t
	l.lostAt, l.lostMean = t.of(p.Values.Rough, rough, cos), t.meanOf(p.Values.Rough, rough)
}

// passes is what gets past it on both ways to a lobe that spreads as wide as 0 (a mirror) to 1 (all around).
func (l *layer) passes(p *Place, cos, wide float64) float64 {
	if !l.on {
		return 1
	}
	t := l.by(p, cos)
	return pair(l.at, t, l.mean, wide)
}

// passes is what gets past both layers on both ways, by the cosine and that on the lacquer.
func (p *Place) passes(cos, onCoat, wide float64) float64 {
	switch {
	case !p.sheen.on:
		return p.coat.passes(p, onCoat, wide)
	case !p.coat.on:
		return p.sheen.passes(p, cos, wide)
	}
	return pair(p.coat.at*p.sheen.at, p.coat.by(p, onCoat)*p.sheen.by(p, cos), p.above, wide)
}

// onCoat is a direction in the frame of the lacquer.
func (p *Place) onCoat(w geom.V) geom.V {
	if p.ct == (geom.V{}) {
		return w
	}
	return geom.V{X: w.Dot(p.ct), Y: w.Dot(p.cb), Z: w.Dot(p.Values.CoatNormal)}
}

// pair couples what gets through on both ways: a lobe as narrow as a mirror loses it once, since what comes back from
// inside goes out the same way at last; one all around as its mean says.
func pair(o, i, mean, wide float64) float64 {
	narrow := min(o, i)
	if mean <= 0 {
		return 0
	}
	return narrow + (o*i/mean-narrow)*wide
}

// one is white, and all of each channel.
var one = geom.V{X: 1, Y: 1, Z: 1}

const coatF0 = 0.04

// matte is how far highlights of what is no metal have faded out: at a roughness of 1 it is matte, so that its
// luminance is ρE/π exactly.
func matte(rough float64) float64 {
	if rough <= 0.9 {
		return 1
	}
	q := max(1-rough, 0) / 0.1
	return q * q * (3 - 2*q)
}

// At is a place of values, ready for light towards o, whose z is above 0.
func At(v Values, o geom.V) (p Place) {
	p.Values = v
	p.Look(o)
	return p
}

// Look makes a place ready for light towards o, whose z is above 0, by its values; all else of it is nothing yet.
func (p *Place) Look(o geom.V) {
	v := &p.Values
	v.Metal, v.Rough = min(max(v.Metal, 0), 1), min(max(v.Rough, 0), 1)
	p.o = o
	p.g = round(v.Rough)
	if v.Brush > 0 {
		p.g = brushed(v.Rough, v.Brush)
		p.mean = brushMeans(v.Rough, v.Brush)
	} else {
		p.mean = mirrorMean(v.Rough)
	}
	p.e = p.shareOf(o)
	if v.Clear > 0 && v.Solid {
		p.solid = v.Clear
	}
	d := (1 - v.Metal) * (1 - p.solid)
	faded := matte(v.Rough)
	p.fd = bounded(v.SpecularTint.Mul(Facing(v.Index) * v.Specular)).Mul(faded)
	p.fd90 = v.Specular * faded
	p.f0 = p.fd.Mul(d).Add(v.Base.Mul(v.Metal))
	p.f90 = p.fd90*d + v.Metal
	p.moreD = p.again(p.fd, p.fd90)
	p.more = p.moreD.Mul(d).Add(p.again(v.Base, 1).Mul(v.Metal))
	p.wide = spreads(max(p.g.x, p.g.y))
	if v.Film.Share > 0 && p.fd90 > 0 {
		p.filmed = p.filmedOf()
	}
	p.rest, p.restAll = p.below(p.e, o.Z), p.belowMean()
	p.diffuse = v.Base.Mul(d)
	if v.Clear > 0 && !v.Solid {
		p.through = p.diffuse.Mul(v.Clear)
		p.diffuse = p.diffuse.Mul(1 - v.Clear)
	}
	if v.Leaf > 0 {
		p.leaf = v.LeafTint.Mul(d * v.Leaf)
		if v.Clear > 0 && !v.Solid {
			p.leaf = p.leaf.Mul(1 - v.Clear)
		}
		p.diffuse = p.diffuse.Mul(1 - v.Leaf)
	}
	p.layers()
	if p.solid > 0 && v.Metal < 1 {
		p.glass = glassOf(max(v.Index, 1), v.Rough, v.Within, o)
	}
	p.choose()
}

// spreads is how far what glass of a width mirrors and bends counts as sent all around, for what lies above it: chosen
// so that what is white stays so to 2 %.
func spreads(alpha float64) float64 { return 0.3 * min(max((math.Sqrt(alpha)-0.4)/0.6, 0), 1) }

func bounded(c geom.V) geom.V { return geom.V{X: min(c.X, 1), Y: min(c.Y, 1), Z: min(c.Z, 1)} }

// shareOf is what the mirror lobe sends back towards w.
func (p *Place) shareOf(w geom.V) share {
	if p.Values.Brush > 0 {
		return brushShare(p.Values.Rough, p.Values.Brush, w)
	}
	return mirrorShare(p.Values.Rough, math.Abs(w.Z))
}

// again is what comes of light that is left over by the mirror lobe: scattered again until it is out.
func (p *Place) again(f0 geom.V, f90 float64) geom.V {
	e := p.mean.a + p.mean.b
	of := func(f float64) float64 {
		mean := f + (f90-f)/21 // of Schlick's Fresnel, by the cosine
		return mean * mean * e / max(1-mean*(1-e), 1e-9)
	}
	return geom.V{X: of(f0.X), Y: of(f0.Y), Z: of(f0.Z)}
}

// left is what the mirror lobe leaves over on both ways, as a lobe all around.
func (p *Place) left(e share) float64 {
	o, i, m := 1-p.e.a-p.e.b, 1-e.a-e.b, 1-p.mean.a-p.mean.b
	if m < 1e-6 {
		return 0
	}
	return max(o, 0) * max(i, 0) / m
}

// below is what the mirror lobe of what is no metal leaves to what lies below, of what it sends back towards a cosine.
func (p *Place) below(e share, cos float64) geom.V {
	over := 1 - e.a - e.b
	sent := p.fd.Mul(e.a).Add(one.Mul(p.fd90 * e.b))
	if p.filmed != nil {
		sent = sent.Lerp(p.filmed.at(cos), p.Values.Film.Share)
	}
	return positive(one.Sub(sent).Sub(p.moreD.Mul(max(over, 0))))
}

func (p *Place) belowMean() geom.V {
	sent := p.fd.Mul(p.mean.a).Add(one.Mul(p.fd90 * p.mean.b))
	if p.filmed != nil {
		sent = sent.Lerp(p.filmed.mean, p.Values.Film.Share)
	}
	return positive(one.Sub(sent).Sub(p.moreD.Mul(max(1-p.mean.a-p.mean.b, 0))))
}

func positive(c geom.V) geom.V { return geom.V{X: max(c.X, 0), Y: max(c.Y, 0), Z: max(c.Z, 0)} }

// film is the reflectance of a surface below its film; f90 fades it as it fades the surface.
func (p *Place) film(cos float64, f0 geom.V, f90 float64) geom.V {
	return p.Values.Film.Reflectance(cos, f0).Mul(f90)
}

// fresnel is how much a microfacet mirrors.
func (p *Place) fresnel(cos float64) geom.V {
	w := pow5(1 - min(max(cos, 0), 1))
	f := p.f0.Mul(1 - w).Add(one.Mul(p.f90 * w))
	if p.Values.Film.Share > 0 {
		d := (1 - p.Values.Metal) * (1 - p.solid)
		of := p.film(cos, p.fd, p.fd90).Mul(d).Add(p.film(cos, p.Values.Base, 1).Mul(p.Values.Metal))
		f = f.Lerp(of, p.Values.Film.Share)
	}
	return f
}

func (p *Place) layers() {
	if s := p.Values.Sheen.Max(); s > 0 {
		p.sheen = layer{on: true, cloth: true}
		p.sheen.at = p.sheen.by(p, p.o.Z)
		p.fuzzOver = clothOver(p.Values.SheenRough, p.o.Z)
		p.sheen.mean = 1 - s*clothMean(p.Values.SheenRough)
		p.sheen.loses(p, lostBelowCloth(), s, p.Values.SheenRough, p.o.Z)
	}
	if p.Values.Coat > 0 {
		p.cg = round(p.Values.CoatRough)
		p.coat = layer{on: true}
		p.oc = p.o
		if n := p.Values.CoatNormal; n != (geom.V{}) && n.Dot(p.o) > 1e-3 {
			p.ct, p.cb = geom.Frame(n)
			p.oc = p.onCoat(p.o)
		}
		p.coat.at = p.coat.by(p, p.oc.Z)
		p.coat.mean = 1 - p.Values.Coat*mirrorMean(p.Values.CoatRough).sum(coatF0, 1)
		if p.sheen.on {
			p.above = p.both()
		}
		p.coat.loses(p, lostBelowCoat(), p.Values.Coat, p.Values.CoatRough, p.oc.Z)
	}
}

// both is what two layers let through on the mean: where one is dark, so is the other.
func (p *Place) both() float64 {
	const n = 12
	sum := 0.0
	for i := range n {
		cos := math.Sqrt((float64(i) + 0.5) / n)
		sum += p.coat.by(p, cos) * p.sheen.by(p, cos) / n
	}
	return sum
}

// choose works out about how much each lobe sends to o.
func (p *Place) choose() {
	top := 1.0
	if p.coat.on {
		top *= p.coat.at
	}
	cloth := geom.V{}
	if p.sheen.on {
		cloth = p.Values.Sheen.Mul(top * clothShare(p.Values.SheenRough, p.o.Z))
		top *= p.sheen.at
	}
	mirror := p.f0.Mul(p.e.a).Add(one.Mul(p.f90 * p.e.b))
	if p.Values.Film.Share > 0 {
		mirror = mirror.Lerp(p.fresnel(p.o.Z).Mul(p.e.a+p.e.b), p.Values.Film.Share)
	}
	more := p.more.Mul(max(1-p.e.a-p.e.b, 0))
	p.Mirrored = mirror.Add(more).Mul(top)
	p.Scattered = p.diffuse.Add(p.leaf).Times(p.rest).Mul(top).Add(cloth)
	p.Through = p.through.Times(p.rest).Mul(top)
	var w [6]float64
	w[0] = light.Luminance(mirror) * top
	w[1] = light.Luminance(p.diffuse.Times(p.rest).Add(more).Mul(top).Add(cloth))
	if p.coat.on {
		c := 1 - p.coat.at
		w[2] = c
		p.Mirrored = p.Mirrored.Add(one.Mul(c))
	}
	w[3] = light.Luminance(p.Through)
	if p.Values.Straight {
		w[3] = 0
	}
	w[4] = light.Luminance(p.leaf.Times(p.rest)) * top
	if p.solid > 0 {
		w[5] = p.clearly() * top
		p.Mirrored = p.Mirrored.Add(one.Mul(w[5]))
	}
	sum := 0.0
	for _, x := range w {
		sum += x
	}
	if sum > 0 {
		for k := range w {
			p.chance[k] = w[k] / sum
		}
	}
}

// clearly is how much of the light meets a solid boundary, as glass does.
func (p *Place) clearly() float64 { return p.solid * (1 - p.Values.Metal) }

// Eval is what of the light from i goes to o, times the cosine, and the density with which Sample finds i.
func (p *Place) Eval(i geom.V) (f geom.V, pdf float64) {
	if p.o.Z <= 0 || i.Z == 0 {
		return
	}
	cos := math.Abs(i.Z)
	even := cos / math.Pi
	ic := i
	onCoat := cos
	if p.coat.on {
		ic = p.onCoat(i)
		onCoat = math.Abs(ic.Z)
	}
	if i.Z < 0 {
		return p.beyond(i, even, onCoat)
	}
	e := p.shareOf(i)
	lambert := p.passes(cos, onCoat, 1)
	if p.diffuse != (geom.V{}) {
		f = p.diffuse.Times(p.couple(e, cos, 1)).Mul(even * lambert)
	}
	if more := p.left(e); more > 0 {
		f = f.Add(p.more.Mul(more * even * lambert))
	}
	pdf = p.chance[1] * even
	if p.chance[0] > 0 {
		d, q := p.g.mirrored(p.o, i)
		h := p.o.Add(i).Unit()
		c, s := p.coat.passes(p, onCoat, 0), p.sheen.passes(p, cos, 0)
		f = f.Add(p.fresnel(p.o.Dot(h)).Mul(d * c * s))
		if found := p.coat.found(p, onCoat)*s + p.sheen.found(p, cos)*c; found > 0 {
			f = f.Add(p.f0.Mul(20.0 / 21).Add(one.Mul(p.f90 / 21)).Mul(found * even))
		}
		pdf += p.chance[0] * q
	}
	if p.sheen.on {
		over := p.fuzzOver * clothOver(p.Values.SheenRough, cos)
		f = f.Add(p.Values.Sheen.Mul(fuzz(p.o, i, p.Values.SheenRough) / over * p.coat.passes(p, onCoat, 0)))
	}
	if p.coat.on && ic.Z > 0 {
		d, q := p.cg.mirrored(p.oc, ic)
		f = f.Add(one.Mul(p.Values.Coat * schlick(coatF0, 1, p.o.Dot(p.o.Add(i).Unit())) * d))
		pdf += p.chance[2] * q
	}
	if p.chance[5] > 0 {
		back, _, q := p.glass.eval(p.o, i)
		above := p.passes(cos, onCoat, p.wide)
		f = f.Add(p.bends().Mul(back * p.clearly() * above))
		pdf += p.chance[5] * q
	}
	return f, pdf
}

// Matte is what of Eval, for light from the side of o, is what the matte ground gives: what is sent all around beneath
// the surface. The rest is mirrored.
func (p *Place) Matte(i geom.V) geom.V {
	if p.o.Z <= 0 || i.Z <= 0 || p.diffuse == (geom.V{}) {
		return geom.V{}
	}
	onCoat := i.Z
	if p.coat.on {
		onCoat = math.Abs(p.onCoat(i).Z)
	}
	return p.diffuse.Times(p.couple(p.shareOf(i), i.Z, 1)).Mul(i.Z / math.Pi * p.passes(i.Z, onCoat, 1))
}

// beyond is Eval of light from the other side.
func (p *Place) beyond(i geom.V, even, onCoat float64) (f geom.V, pdf float64) {
	cos := -i.Z
	e := p.shareOf(geom.V{X: i.X, Y: i.Y, Z: cos})
	if p.leaf != (geom.V{}) {
		f = p.leaf.Times(p.couple(e, cos, 1)).Mul(even * p.passes(cos, onCoat, 1))
		pdf = p.chance[4] * even
	}
	if p.chance[3] > 0 { // a thin rough sheet: the mirror image of a highlight
		m := geom.V{X: i.X, Y: i.Y, Z: cos}
		d, q := p.g.mirrored(p.o, m)
		c, s := p.coat.passes(p, onCoat, 0), p.sheen.passes(p, cos, 0)
		spare := max(1-p.e.a-p.e.b, 0)
		lobe := p.couple(e, cos, 0).Mul(d).Add(p.couple(e, cos, 1).Mul(p.left(e) * even)).Mul(c * s)
		t := lostBelowCoat()
		if m := t.meanOf(p.Values.Rough, p.Values.Rough); m > 1e-7 {
			r := p.Values.Rough
			own := t.of(r, r, p.o.Z) * t.of(r, r, cos) / m * matte(r)
			lobe = lobe.Add(one.Mul((own + p.coat.found(p, onCoat)*s + p.sheen.found(p, cos)*c) * even))
		}
		f = f.Add(p.through.Times(lobe))
		pdf += p.chance[3] * (q*(1-spare) + even*spare)
	}
	if p.chance[5] > 0 {
		_, through, q := p.glass.eval(p.o, i)
		above := p.passes(cos, onCoat, p.wide)
		f = f.Add(p.Values.Base.Times(p.bends()).Mul(through * p.clearly() * above))
		pdf += p.chance[5] * q
	}
	return f, pdf
}

// bends is the colours that glass bends here: of three that are as likely one counts three times.
func (p *Place) bends() geom.V {
	if p.Values.Parted {
		return one
	}
	switch p.Values.Channel {
	case 1:
		return geom.V{X: 3}
	case 2:
		return geom.V{Y: 3}
	case 3:
		return geom.V{Z: 3}
	}
	return one
}

// couple is what of light from a cosine, of which the mirror lobe sends back e, gets to what lies below that lobe and
// out again.
func (p *Place) couple(e share, cos, wide float64) geom.V {
	b := p.below(e, cos)
	return geom.V{X: pair(p.rest.X, b.X, p.restAll.X, wide), Y: pair(p.rest.Y, b.Y, p.restAll.Y, wide),
		Z: pair(p.rest.Z, b.Z, p.restAll.Z, wide)}
}

// Sample chooses a direction for light to come from. weight is what Eval tells over its density; ok is false when
// the light ends.
func (p *Place) Sample(u1, u2, lobe float64) (i, weight geom.V, pdf float64, ok bool) {
	if p.o.Z <= 0 {
		return
	}
	k := 0
	for ; k < 5 && lobe >= p.chance[k]; k++ {
		lobe -= p.chance[k]
	}
	if p.chance[k] <= 0 {
		return
	}
	lobe = min(lobe/p.chance[k], 1)
	switch k {
	case 0:
		h := p.g.draw(p.o, u1, u2)
		if i = bounce(p.o, h); i.Z <= 0 {
			return
		}
	case 2:
		h := p.cg.draw(p.oc, u1, u2)
		i = bounce(p.oc, h)
		if i.Z <= 0 {
			return
		}
		if p.ct != (geom.V{}) {
			if i = p.ct.Mul(i.X).Add(p.cb.Mul(i.Y)).Add(p.Values.CoatNormal.Mul(i.Z)); i.Z <= 0 {
				return
			}
		}
	case 1:
		i = around(u1, u2)
	case 3:
		if lobe < max(1-p.e.a-p.e.b, 0) {
			i = around(u1, u2)
		} else {
			h := p.g.draw(p.o, u1, u2)
			if i = bounce(p.o, h); i.Z <= 0 {
				return
			}
		}
		i.Z = -i.Z
	case 4:
		i = around(u1, u2)
		i.Z = -i.Z
	case 5:
		if i, ok = p.glass.sample(p.o, u1, u2, lobe); !ok {
			return
		}
	}
	f, pdf := p.Eval(i)
	if !(pdf > 0) || math.IsInf(pdf, 0) {
		return i, weight, 0, false
	}
	return i, f.Mul(1 / pdf), pdf, true
}
