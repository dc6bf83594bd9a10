package texture

import (
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/points"
)

// broken hides that a picture repeats: the plane is laid out in hexagons that overlap, each of which shows another
// place of the picture, and where they overlap the values are mixed so that no value becomes rarer or commoner than
// in the picture (Heitz and Neyret, High-Performance By-Example Noise using a Histogram-Preserving Blending Operator,
// 2018; colours along their own axes as in Deliot and Heitz, Procedural Stochastic Textures by Tiling and Blending,
// 2019).
type broken struct {
	seed uint64
	axes [3][3]float64 // of the colours of the picture, each of length 1
	mean [3]float64
	to   [3]ranks
}

// ranks brings values along an axis to those of a normal distribution, by their order, and back.
type ranks struct {
	least, most float64
	normal      [rankSteps + 1]float64 // by value
	value       [rankSteps + 1]float64 // by normal, from -rankEnd to rankEnd
}

const (
	rankSteps = 512
	rankEnd   = 3.5 // standard deviations: beyond them lies one of 2,000
	rankTaken = 512 // along a side of the picture: texels that are looked at
)

// Break makes the texture one that does not repeat, by a seed. One that does not go on beyond its edges stays.
func (t *Texture) Break(seed uint64) {
	if t.Slot.WrapS != model.Repeat || t.Slot.WrapT != model.Repeat {
		return
	}
	b := &broken{seed: seed}
	lut := byteValue()
	if !t.Linear {
		lut = srgb()
	}
	var list [][3]float64
	dx, dy := max(1, t.w/rankTaken), max(1, t.h/rankTaken)
	for y := 0; y < t.h; y += dy {
		for x := 0; x < t.w; x += dx {
			p := t.pix[4*(y*t.w+x):]
			list = append(list, [3]float64{float64(lut[p[0]]), float64(lut[p[1]]), float64(lut[p[2]])})
		}
	}
	b.mean, b.axes = axesOf(list)
	along := make([]float64, len(list))
	for k := range 3 {
		for i, c := range list {
			along[i] = b.along(k, c)
		}
		slices.Sort(along)
		b.to[k].fill(along)
	}
	t.broken = b
}

// along is how far a colour lies from the mean along an axis.
func (b *broken) along(k int, c [3]float64) float64 {
	a := &b.axes[k]
	return a[0]*(c[0]-b.mean[0]) + a[1]*(c[1]-b.mean[1]) + a[2]*(c[2]-b.mean[2])
}

// fill goes by values in their order.
func (r *ranks) fill(sorted []float64) {
	n := len(sorted)
	r.least, r.most = sorted[0], sorted[n-1]
	for i := range r.normal {
		v := r.least + (r.most-r.least)*float64(i)/rankSteps
		lo, _ := slices.BinarySearch(sorted, v-(r.most-r.least)/(2*rankSteps))
		hi, _ := slices.BinarySearch(sorted, v+(r.most-r.least)/(2*rankSteps)+1e-12)
		share := (float64(lo) + float64(hi)) / 2 / float64(n) // the middle of those that are as large
		r.normal[i] = min(max(math.Sqrt2*math.Erfinv(2*share-1), -rankEnd), rankEnd)
	}
	for i := range r.value {
		g := rankEnd * (2*float64(i)/rankSteps - 1)
		share := 0.5 * (1 + math.Erf(g/math.Sqrt2))
		r.value[i] = sorted[min(int(share*float64(n)), n-1)]
	}
}

func (r *ranks) forth(v float64) float64 {
	if r.most <= r.least {
		return 0
	}
	return geom.Row(r.normal[:], (v-r.least)/(r.most-r.least))
}

func (r *ranks) back(g float64) float64 { return geom.Row(r.value[:], (g/rankEnd+1)/2) }

// at is the texture at texture coordinates that were not brought into 0..1.
func (b *broken) at(t *Texture, u, v float64) (r, g, bl, a float32) {
	corners, weights := hexagons(u, v)
	var sum [3]float64
	square := 0.0
	for i, c := range corners {
		w := weights[i]
		du, dv := b.moved(c)
		r, g, bl, alpha := t.texel(wrapped(u+du), wrapped(v+dv))
		color := [3]float64{float64(r), float64(g), float64(bl)}
		for k := range sum {
			sum[k] += w * b.to[k].forth(b.along(k, color))
		}
		a += float32(w) * alpha
		square += w * w
	}
	out := b.mean
	for k := range sum {
		x := b.to[k].back(sum[k] / math.Sqrt(square))
		for c := range out {
			out[c] += x * b.axes[k][c]
		}
	}
	keep := func(x float64) float32 { return float32(min(max(x, 0), 1)) }
	return keep(out[0]), keep(out[1]), keep(out[2]), a
}

func wrapped(x float64) float64 { return x - math.Floor(x) }

// hexagons are the three that overlap at a place of the plane, by their middles on a grid of triangles, and how much
// each counts there: together 1.
func hexagons(u, v float64) (corners [3][2]int64, weights [3]float64) {
	if !(math.Abs(u) < 1e9 && math.Abs(v) < 1e9) {
		return corners, [3]float64{1}
	}
	const size = 2 * 1.7320508075688772 // of the grid in a repeat, as in the paper
	x, y := size*(u-v/1.7320508075688772), size*v*2/1.7320508075688772
	i, j := math.Floor(x), math.Floor(y)
	fx, fy := x-i, y-j
	at := func(di, dj int64) [2]int64 { return [2]int64{int64(i) + di, int64(j) + dj} }
	if z := 1 - fx - fy; z > 0 {
		return [3][2]int64{at(0, 0), at(0, 1), at(1, 0)}, [3]float64{z, fy, fx}
	}
	return [3][2]int64{at(1, 1), at(1, 0), at(0, 1)}, [3]float64{fx + fy - 1, 1 - fy, 1 - fx}
}

// moved is by how much the picture is moved in a hexagon, in repeats.
func (b *broken) moved(c [2]int64) (du, dv float64) {
	return points.Pair(points.Mix(uint64(c[0])*0x9e3779b97f4a7c15 ^ uint64(c[1])*0xc2b2ae3d27d4eb4f ^
		(b.seed+1)*0xd6e8feb86659fd93))
}

// axesOf are the mean of colours and the axes along which they vary without one telling of another: the eigenvectors
// of their covariance, by Jacobi's method.
func axesOf(list [][3]float64) (mean [3]float64, axes [3][3]float64) {
	for _, c := range list {
		for k := range mean {
			mean[k] += c[k] / float64(len(list))
		}
	}
	var m [3][3]float64
	for _, c := range list {
		for i := range 3 {
			for k := range 3 {
				m[i][k] += (c[i] - mean[i]) * (c[k] - mean[k])
			}
		}
	}
	axes = [3][3]float64{{1}, {0, 1}, {0, 0, 1}} // rows
	for range 12 {
		for _, pq := range [][2]int{{0, 1}, {0, 2}, {1, 2}} {
			p, q := pq[0], pq[1]
			if math.Abs(m[p][q]) < 1e-12*(math.Abs(m[p][p])+math.Abs(m[q][q])) || m[p][q] == 0 {
				continue
			}
			sin, cos := math.Sincos(0.5 * math.Atan2(2*m[p][q], m[p][p]-m[q][q]))
			for k := range 3 {
				m[k][p], m[k][q] = cos*m[k][p]+sin*m[k][q], cos*m[k][q]-sin*m[k][p]
			}
			for k := range 3 {
				m[p][k], m[q][k] = cos*m[p][k]+sin*m[q][k], cos*m[q][k]-sin*m[p][k]
				axes[p][k], axes[q][k] = cos*axes[p][k]+sin*axes[q][k], cos*axes[q][k]-sin*axes[p][k]
			}
		}
	}
	return mean, axes
}
