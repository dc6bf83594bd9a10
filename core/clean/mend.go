package clean

import "math"

const (
	// Aside is how far from a pixel that stands alone others are that tell what it shows.
	Aside = 3
	// dims are what pixels are told by: one, normal, albedo and inverse depth.
	dims = 8
	// grain is the noise, as a share of what is seen, from which on a pixel is mended.
	grain = 0.03
	// alone is the share of its noise that a pixel has left from which on it stands alone.
	alone = 0.08
	// unknown is how far off what is told of a pixel by those about it may be, as a share; sure is how many times its
	// noise, squared, a pixel may be away from it and still be taken for noise. Both were found by trial.
	unknown = 1.0
	sure    = 20.0
)

// LeastAlbedo is the darkest that colours are divided by.
const LeastAlbedo = 0.02

// Mend removes the noise of pixels that hardly any other is like, at the edges of things most of all: what such a pixel
// shows is between what those about it show, and by how much its normal, albedo and depth tell. Light is fitted to them
// about it, linear in them, each pixel by how little noise it has left (regression on features: Bitterli and others,
// Nonlinearly weighted first-order regression for denoising Monte Carlo renderings, 2016, whose weights these are not),
// and what it had itself counts by how much better that is known. before is Variance before the first level.
func (p *Picture) Mend(before []float32, rows func(do func(y int))) {
	n := p.Width * p.Height
	p.each(func(now, next []float32) { copy(next, now) })
	copy(p.next[3], p.Variance)
	raw := make([]float32, n) // what is seen, and its variance
	noise := make([]float32, n)
	rows(func(y int) {
		for i := y * p.Width; i < (y+1)*p.Width; i++ {
			raw[i] = Luma(p.Seen(0, i), p.Seen(1, i), p.Seen(2, i))
			noise[i] = 1e-6 * raw[i] * raw[i]
			if p.Near[i] == p.Near[i] {
				a := Luma(p.By(0, i), p.By(1, i), p.By(2, i))
				noise[i] = p.Variance[i]*a*a + noise[i]
			}
		}
	})
	rows(func(y int) {
		var m mender
		for x := range p.Width {
			i := y*p.Width + x
			if p.Near[i] != p.Near[i] || !(p.Variance[i] > alone*before[i]) || !(noise[i] > grain*grain*raw[i]*raw[i]) {
				continue
			}
			if p.known(noise, x, y) && m.fit(p, raw, noise, x, y) {
				m.put(p, i)
			}
		}
	})
	p.turn()
}

// known says whether enough pixels about one are known better to tell something of it.
func (p *Picture) known(noise []float32, x, y int) bool {
	const enough, better = 8, 0.25
	most, n := better*noise[y*p.Width+x], 0
	for py := max(y-Aside, 0); py <= min(y+Aside, p.Height-1); py++ {
		row := noise[py*p.Width+max(x-Aside, 0) : py*p.Width+min(x+Aside, p.Width-1)+1]
		for _, v := range row {
			if v < most {
				n++
			}
		}
	}
	return n >= enough
}

// Luma is the luminance of a linear Rec.709 colour.
func Luma(r, g, b float32) float32 { return 0.2126*r + 0.7152*g + 0.0722*b }

// By is what the light of a pixel was divided by: its albedo, and one for the background.
func (p *Picture) By(c, i int) float32 {
	if p.Near[i] != p.Near[i] {
		return 1
	}
	return max(p.Albedo[c][i], LeastAlbedo)
}

// Seen is the light of a pixel as it is seen.
func (p *Picture) Seen(c, i int) float32 { return p.Light[c][i] * p.By(c, i) }

// mender works out one pixel of others.
type mender struct {
	at    [(2*Aside + 1) * (2*Aside + 1)]int
	share [(2*Aside + 1) * (2*Aside + 1)]float32 // of each in it
	own   float32                                // and its own
	n     int
}

func (p *Picture) shows(i int) (f [dims]float64) {
	f[0] = 1
	if p.Near[i] == p.Near[i] {
		for c := range 3 {
			f[1+c], f[4+c] = float64(p.Normal[c][i]), float64(p.Albedo[c][i])
		}
		f[7] = float64(p.Near[i])
	}
	return f
}

// fit finds the shares; false: the pixels about it tell nothing.
func (m *mender) fit(p *Picture, raw, noise []float32, x, y int) bool {
	i := y*p.Width + x
	mid := p.shows(i)
	near := 1 / max(mid[7], 1e-9)
	var a [dims][dims]float64
	var weights [len(m.at)]float64
	var rows [len(m.at)][dims]float64
	m.n = 0
	all := 0.0
	for py := max(y-Aside, 0); py <= min(y+Aside, p.Height-1); py++ {
		for px := max(x-Aside, 0); px <= min(x+Aside, p.Width-1); px++ {
			j := py*p.Width + px
			if j == i {
				continue
			}
			d := float64((px-x)*(px-x) + (py-y)*(py-y))
			w := 1 / ((float64(noise[j]) + 1e-4*float64(raw[i]*raw[i])) * (1 + d))
			f := p.shows(j)
			for k := 1; k < dims; k++ {
				f[k] -= mid[k]
			}
			f[7] *= near
			rows[m.n], weights[m.n], m.at[m.n] = f, w, j
			m.n++
			all += w
			for k := range dims {
				wk := w * f[k]
				for l := k; l < dims; l++ {
					a[k][l] += wk * f[l]
				}
			}
		}
	}
	if m.n < dims || !(all > 0) {
		return false
	}
	for k := 1; k < dims; k++ {
		a[k][k] += 1e-3 * all
	}
	// The value at the pixel is the first of the solution: its row of the inverse.
	v := [dims]float64{1}
	if !factor(&a) {
		return false
	}
	solve(&a, &v)
	value, known, sum := 0.0, 0.0, 0.0
	for k := range m.n {
		s := 0.0
		for l := range dims {
			s += rows[k][l] * v[l]
		}
		weights[k] *= max(s, 0) // it stays between what is about it
		sum += weights[k]
	}
	if !(sum > 0) {
		return false
	}
	for k := range m.n {
		s := weights[k] / sum
		m.share[k] = float32(s)
		value += s * float64(raw[m.at[k]])
		known += s * s * float64(noise[m.at[k]])
	}
	// How far off it is: by the noise of those that it is made of, by its own size, since what they show does not tell
	// all, and where the pixel itself is so far away that noise does not make it.
	off := float64(raw[i]) - value
	left := known + unknown*unknown*value*value + max(off*off-sure*float64(noise[i]), 0)
	m.own = float32(left / (left + float64(noise[i])))
	return true
}

// put makes the pixel of the shares.
func (m *mender) put(p *Picture, i int) {
	c := 0
	p.each(func(now, next []float32) {
		sum := float32(0)
		for k, j := range m.at[:m.n] {
			sum += m.share[k] * (now[j] * p.By(c, j))
		}
		next[i] = m.own*now[i] + (1-m.own)*sum/p.By(c, i)
		c = (c + 1) % 3
	})
}

// factor is Cholesky's decomposition of a, symmetric and given by its upper half; false: it is singular.
func factor(a *[dims][dims]float64) bool {
	for k := range dims {
		d := a[k][k]
		for m := range k {
			d -= a[m][k] * a[m][k]
		}
		if !(d > 0) {
			return false
		}
		d = math.Sqrt(d)
		a[k][k] = d
		for l := k + 1; l < dims; l++ {
			s := a[k][l]
			for m := range k {
				s -= a[m][k] * a[m][l]
			}
			a[k][l] = s / d
		}
	}
	return true
}

// solve solves a·x = v by it.
func solve(a *[dims][dims]float64, v *[dims]float64) {
	for k := range dims {
		for m := range k {
			v[k] -= a[m][k] * v[m]
		}
		v[k] /= a[k][k]
	}
	for k := dims - 1; k >= 0; k-- {
		for m := k + 1; m < dims; m++ {
			v[k] -= a[k][m] * v[m]
		}
		v[k] /= a[k][k]
	}
}
