package bsdf

import (
	"math"
	"sync"

	"visator/core/geom"
)

// What a lobe sends back in all is worked out once, over the cosine and the roughness: the split-sum form of the
// integral, F0·a + F90·b of Schlick's Fresnel.
const size = 32

// share is a and b of a lobe.
type share struct{ a, b float64 }

func (s share) mix(t share, by float64) share { return share{s.a + (t.a-s.a)*by, s.b + (t.b-s.b)*by} }

// sum is what is sent back of light at a Fresnel of F0 and F90.
func (s share) sum(f0, f90 float64) float64 { return f0*s.a + f90*s.b }

// mirror is the shares of lobes that are alike all around, and their means over the half space by the cosine.
var mirror = sync.OnceValue(func() *struct {
	at   [size][size]share // by roughness, then cosine
	mean [size]share
} {
	t := new(struct {
		at   [size][size]share
		mean [size]share
	})
	for r := range t.at {
		g := round(float64(r) / (size - 1))
		for c := range t.at[r] {
			t.at[r][c] = g.shares(math.Max(float64(c)/(size-1), 1e-3), 0, 512)
		}
		t.mean[r] = meanOf(func(cos float64) share { return between(t.at[r][:], cos) })
	}
	return t
})

// Ready makes the table that every surface asks for; the others are made when something asks.
func Ready() { mirror() }

// round is the lobe of a roughness that is alike all around.
func round(rough float64) ggx { a := max(rough*rough, least); return ggx{a, a} }

// brushed is the lobe of a roughness that is wider along the tangent (KHR_materials_anisotropy).
func brushed(rough, strength float64) ggx {
	a := max(rough*rough, least)
	return ggx{a + (1-a)*strength*strength, a}
}

// shares adds a lobe up for light from a cosine and an azimuth, over n normals.
func (g ggx) shares(cos, azimuth float64, n int) (s share) {
	sin := math.Sqrt(1 - cos*cos)
	o := geom.V{X: sin * math.Cos(azimuth), Y: sin * math.Sin(azimuth), Z: cos}
	g.each(o, n, func(h, _ geom.V, w float64) {
		f := pow5(1 - o.Dot(h))
		s.a += w * (1 - f)
		s.b += w * f
	})
	return s
}

// meanOf is the mean over the half space, by the cosine: 2∫f(μ)μ dμ.
func meanOf(f func(cos float64) share) (m share) {
	const n = 256
	for i := range n {
		cos := math.Sqrt((float64(i) + 0.5) / n) // its square is spread evenly
		s := f(cos)
		m.a, m.b = m.a+s.a/n, m.b+s.b/n
	}
	return m
}

// between reads a row of shares over the cosine.
func between(row []share, cos float64) share {
	i, f := geom.Between(cos, len(row))
	return row[i].mix(row[i+1], f)
}

// mirrorShare is what a lobe of a roughness sends back towards a cosine.
func mirrorShare(rough, cos float64) share {
	t := mirror()
	j, f := geom.Between(rough, size)
	return between(t.at[j][:], cos).mix(between(t.at[j+1][:], cos), f)
}

func mirrorMean(rough float64) share { return between(mirror().mean[:], rough) }

// Of brushed lobes, over roughness, strength, azimuth and cosine.
const bRough, bStrong, bTurn, bCos = 12, 8, 6, 16

var brush = sync.OnceValue(func() *struct {
	a, b         []float64
	meanA, meanB []float64
} {
	t := new(struct{ a, b, meanA, meanB []float64 })
	for r := range bRough {
		for s := range bStrong {
			g := brushed(float64(r)/(bRough-1), float64(s)/(bStrong-1))
			var mean share
			weight := 0.0
			for turn := range bTurn {
				for c := range bCos {
					cos := max(float64(c)/(bCos-1), 1e-3)
					one := g.shares(cos, math.Pi/2*float64(turn)/(bTurn-1), 256)
					t.a, t.b = append(t.a, one.a), append(t.b, one.b)
					w := cos // the trapezoid rule over azimuth and cosine
					if turn == 0 || turn == bTurn-1 {
						w /= 2
					}
					if c == 0 || c == bCos-1 {
						w /= 2
					}
					mean.a, mean.b, weight = mean.a+w*one.a, mean.b+w*one.b, weight+w
				}
			}
			t.meanA, t.meanB = append(t.meanA, mean.a/weight), append(t.meanB, mean.b/weight)
		}
	}
	return (*struct {
		a, b         []float64
		meanA, meanB []float64
	})(t)
})

var brushSize, brushMean = []int{bRough, bStrong, bTurn, bCos}, []int{bRough, bStrong}

// brushShare is mirrorShare of a brushed lobe, for a direction.
func brushShare(rough, strength float64, w geom.V) share {
	t := brush()
	turn := math.Abs(math.Atan2(w.Y, w.X))
	if turn > math.Pi/2 {
		turn = math.Pi - turn
	}
	at := [4]float64{rough, strength, turn / (math.Pi / 2), math.Abs(w.Z)}
	return share{lookup(t.a, brushSize, at[:]...), lookup(t.b, brushSize, at[:]...)}
}

func brushMeans(rough, strength float64) share {
	t := brush()
	at := [2]float64{rough, strength}
	return share{lookup(t.meanA, brushMean, at[:]...), lookup(t.meanB, brushMean, at[:]...)}
}

// cloth is what a sheen sends back, over roughness and the root of the cosine, and its means.
var cloth = sync.OnceValue(func() *struct {
	at   [size][size]float64
	over [size][size]float64 // by which it is too much
	mean [size]float64
} {
	t := new(struct {
		at   [size][size]float64
		over [size][size]float64
		mean [size]float64
	})
	for r := range t.at {
		rough := float64(r) / (size - 1)
		for c := range t.over[r] {
			t.over[r][c] = 1
		}
		for pass := range 2 {
			for c := range t.at[r] {
				cos := max(square(float64(c)/(size-1)), 1e-3)
				o := leaning(cos)
				const n = 2048
				sum := 0.0
				for i := range n {
					u1, u2 := spread(i, n)
					sin, cs := math.Sincos(2 * math.Pi * u2)
					z := u1 // evenly over the half space: what is near the horizon counts most
					q := math.Sqrt(1 - z*z)
					wi := geom.V{X: q * cs, Y: q * sin, Z: z}
					over := geom.Row(t.over[r][:], math.Sqrt(cos)) * geom.Row(t.over[r][:], math.Sqrt(z))
					sum += fuzz(o, wi, rough) / over * 2 * math.Pi / n
				}
				t.at[r][c] = sum
			}
			if pass == 0 {
				for c := range t.over[r] {
					t.over[r][c] = max(t.at[r][c], 1)
				}
			}
		}
		t.mean[r] = meanOf(func(cos float64) share { return share{a: geom.Row(t.at[r][:], math.Sqrt(cos))} }).a
	}
	return t
})

// clothRead reads a table of a sheen.
func clothRead(t *[size][size]float64, rough, cos float64) float64 {
	j, f := geom.Between(rough, size)
	cos = math.Sqrt(cos)
	return geom.Row(t[j][:], cos)*(1-f) + geom.Row(t[j+1][:], cos)*f
}

func clothShare(rough, cos float64) float64 { return clothRead(&cloth().at, rough, cos) }

// clothOver is by how much a sheen would send back more than it gets.
func clothOver(rough, cos float64) float64 { return clothRead(&cloth().over, rough, cos) }

func clothMean(rough float64) float64 { return geom.Row(cloth().mean[:], rough) }

func square(x float64) float64 { return x * x }

// fuzz is the lobe of a sheen times the cosine of i (Estevez and Kulla, Production friendly microfacet sheen BRDF,
// 2017, with the visibility of Neubelt and Pettineo, 2013, as KHR_materials_sheen has it).
func fuzz(o, i geom.V, rough float64) float64 {
	a := max(rough*rough, 0.07*0.07)
	h := o.Add(i).Unit()
	sin := math.Sqrt(max(1-h.Z*h.Z, 0))
	d := (2 + 1/a) * math.Pow(sin, 1/a) / (2 * math.Pi)
	return d / (4 * (o.Z + i.Z - o.Z*i.Z)) * i.Z
}

// lost is what a layer that sends back E loses of a white mirror lobe below it, where each way gets the lesser of what
// both directions leave: ∫f·max(E(o), E(i)) − E(o), over the roughness of the lobe, that of the layer, and the root of
// the cosine.
type lost struct {
	at   []float64
	mean []float64
}

const lRough, lCos = 12, 16

var lostSize, lostMeans = []int{lRough, lRough, lCos}, []int{lRough, lRough}

func lostOf(e func(rough, cos float64) float64) *lost {
	t := new(lost)
	for r := range lRough {
		rough := float64(r) / (lRough - 1)
		g := round(rough)
		for q := range lRough {
			above := float64(q) / (lRough - 1)
			line := make([]float64, lCos)
			for c := range line {
				cos := max(square(float64(c)/(lCos-1)), 1e-3)
				o := leaning(cos)
				eo := e(above, cos)
				g.each(o, 256, func(_, i geom.V, w float64) { line[c] += w * max(e(above, i.Z)-eo, 0) })
			}
			t.at = append(t.at, line...)
			mean := meanOf(func(cos float64) share { return share{a: geom.Row(line, math.Sqrt(cos))} })
			t.mean = append(t.mean, mean.a)
		}
	}
	return t
}

func (t *lost) of(rough, above, cos float64) float64 {
	at := [3]float64{rough, above, math.Sqrt(cos)}
	return lookup(t.at, lostSize, at[:]...)
}

func (t *lost) meanOf(rough, above float64) float64 {
	at := [2]float64{rough, above}
	return lookup(t.mean, lostMeans, at[:]...)
}

var lostBelowCoat = sync.OnceValue(func() *lost {
	return lostOf(func(rough, cos float64) float64 { return mirrorShare(rough, cos).sum(coatF0, 1) })
})

var lostBelowCloth = sync.OnceValue(func() *lost { return lostOf(clothShare) })
