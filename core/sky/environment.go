// Package sky is light from far away all around: a picture of it that can be sampled by brightness, and the skies
// that are computed. Luminance is in cd/m² of each Rec.709 channel.
package sky

import (
	"math"
	"sort"

	"visator/core/geom"
)

// Environment is light from everywhere: a constant, and a picture around it.
// The picture is latitude-longitude: v = 0 is +Y, u = 0.5 is -Z, u grows
// towards +X.
type Environment struct {
	Constant geom.V // cd/m²
	pix      []float32
	w, h     int
	strength float64
	turn     float64
	rows     []float64 // cumulative weight of rows, ends at 1
	cols     []float64 // cumulative weight in each row, each ends at 1
	mean     float64   // mean luminance over the sphere
}

// New returns an environment with a w x h picture of linear RGB
// values (3 a pixel); a value v is v*strength cd/m². It is turned by turn
// radians about +Y, counter-clockwise seen from above.
func New(pix []float32, w, h int, strength, turn float64) *Environment {
	e := &Environment{pix: pix, w: w, h: h, strength: strength, turn: turn}
	lum := make([]float64, w*h)
	for i := range lum {
		lum[i] = luminance(geom.V{X: float64(pix[3*i]), Y: float64(pix[3*i+1]), Z: float64(pix[3*i+2])})
	}
	e.rows, e.cols = make([]float64, h), make([]float64, w*h)
	total, sphere := 0.0, 0.0
	for y := 0; y < h; y++ {
		sin := math.Sin(math.Pi * (float64(y) + 0.5) / float64(h))
		row := 0.0
		for x := 0; x < w; x++ {
			// Look-ups blend neighbours, so a pixel's weight does too.
			sum := 0.0
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					sum += lum[min(max(y+dy, 0), h-1)*w+(x+dx+w)%w]
				}
			}
			row += sum * sin
			e.cols[y*w+x] = row
			sphere += lum[y*w+x] * sin
		}
		for x := 0; x < w && row > 0; x++ {
			e.cols[y*w+x] /= row
		}
		total += row
		e.rows[y] = total
	}
	for y := range e.rows {
		if total > 0 {
			e.rows[y] /= total
		}
	}
	e.mean = sphere * strength * math.Pi / (2 * float64(w) * float64(h))
	return e
}

// MeanLuminance is the mean over all directions in cd/m².
func (e *Environment) MeanLuminance() float64 {
	if e == nil {
		return 0
	}
	return e.mean + luminance(e.Constant)
}

// At is the luminance per channel that comes from direction d (unit).
func (e *Environment) At(d geom.V) geom.V {
	if e == nil {
		return geom.V{}
	}
	if e.w == 0 {
		return e.Constant
	}
	u, v := e.place(d)
	x, y := u*float64(e.w)-0.5, v*float64(e.h)-0.5
	fx, fy := math.Floor(x), math.Floor(y)
	wx, wy := x-fx, y-fy
	x0, y0 := (int(fx)+e.w)%e.w, min(max(int(fy), 0), e.h-1)
	x1, y1 := (x0+1)%e.w, min(max(int(fy)+1, 0), e.h-1)
	at := func(x, y int) geom.V {
		p := e.pix[3*(y*e.w+x):]
		return geom.V{X: float64(p[0]), Y: float64(p[1]), Z: float64(p[2])}
	}
	c := at(x0, y0).Mul((1 - wx) * (1 - wy)).Add(at(x1, y0).Mul(wx * (1 - wy))).
		Add(at(x0, y1).Mul((1 - wx) * wy)).Add(at(x1, y1).Mul(wx * wy))
	return c.Mul(e.strength).Add(e.Constant)
}

// place returns the picture coordinates of direction d.
func (e *Environment) place(d geom.V) (u, v float64) {
	return Place(Turned(d, -e.turn))
}

// Place is where a direction lies in a latitude-longitude picture, 0 to 1 from its left and top.
func Place(d geom.V) (u, v float64) {
	u = 0.5 + math.Atan2(d.X, -d.Z)/(2*math.Pi)
	return u - math.Floor(u), math.Acos(min(max(d.Y, -1), 1)) / math.Pi
}

// Toward is the direction of the middle of a pixel of a latitude-longitude picture.
func Toward(x, y, w, h int) geom.V {
	st, ct := math.Sincos(math.Pi * (float64(y) + 0.5) / float64(h))
	sp, cp := math.Sincos(2 * math.Pi * ((float64(x)+0.5)/float64(w) - 0.5))
	return geom.V{X: st * sp, Y: ct, Z: -st * cp}
}

// CubeWay is where one looks at x, y (0..1) of six squares: the faces of a cube as OpenEXR has them in a picture of
// envmap "cube", from the top those towards +X, -X, +Y, -Y, +Z and -Z of its own axes. Those of the camera are turned
// by half a turn about Y from them, so that the middle of a picture by longitude and latitude, which lies along +Z of
// OpenEXR, is along -Z.
func CubeWay(x, y float64) geom.V {
	face := min(int(y*6), 5)
	p, q := 2*x-1, 2*(y*6-float64(face))-1
	d := [6]geom.V{{X: 1, Y: -q, Z: p}, {X: -1, Y: -q, Z: -p}, {X: p, Y: 1, Z: -q}, {X: p, Y: -1, Z: q},
		{X: -p, Y: -q, Z: 1}, {X: p, Y: -q, Z: -1}}[face].Unit()
	return geom.V{X: -d.X, Y: d.Y, Z: -d.Z}
}

// Turned is where a direction of a picture lies once it is turned about +Y, counter-clockwise seen from above.
func Turned(d geom.V, turn float64) geom.V {
	sin, cos := math.Sincos(turn)
	return geom.V{X: cos*d.X + sin*d.Z, Y: d.Y, Z: cos*d.Z - sin*d.X}
}

// Sample chooses a direction by brightness: the picture by its pixels, the
// constant uniformly. pdf is per steradian.
func (e *Environment) Sample(u1, u2 float64) (d geom.V, pdf float64) {
	share := e.pictureShare()
	if u1 >= share {
		u1 = (u1 - share) / (1 - share)
		z := 1 - 2*u2
		r := math.Sqrt(max(1-z*z, 0))
		sin, cos := math.Sincos(2 * math.Pi * u1)
		d = geom.V{X: r * cos, Y: z, Z: r * sin}
		return d, e.PDF(d)
	}
	u1 /= share
	y, v := pickCDF(e.rows, u2)
	x, u := pickCDF(e.cols[y*e.w:(y+1)*e.w], u1)
	theta := (float64(y) + v) / float64(e.h) * math.Pi
	phi := ((float64(x)+u)/float64(e.w) - 0.5) * 2 * math.Pi
	sin, cos := math.Sincos(phi)
	st := math.Sin(theta)
	dx, dz := st*sin, -st*cos
	d = Turned(geom.V{X: dx, Y: math.Cos(theta), Z: dz}, e.turn)
	return d, e.PDF(d)
}

// pictureShare is how often sample chooses by the picture.
func (e *Environment) pictureShare() float64 {
	c := luminance(e.Constant)
	if e.mean <= 0 {
		return 0
	}
	return e.mean / (e.mean + c)
}

// PDF is how likely Sample is to choose a direction, per steradian.
func (e *Environment) PDF(d geom.V) float64 {
	share := e.pictureShare()
	p := (1 - share) / (4 * math.Pi)
	if share > 0 {
		u, v := e.place(d)
		x, y := min(int(u*float64(e.w)), e.w-1), min(int(v*float64(e.h)), e.h-1)
		if sin := math.Sin(math.Pi * v); sin > 1e-9 {
			p += share * step(e.rows, y) * step(e.cols[y*e.w:(y+1)*e.w],
				x) * float64(e.w*e.h) / (2 * math.Pi * math.Pi * sin)
		}
	}
	return p
}

func step(cdf []float64, i int) float64 {
	if i == 0 {
		return cdf[0]
	}
	return cdf[i] - cdf[i-1]
}

// pickCDF finds the entry that u falls into, and where within it.
func pickCDF(cdf []float64, u float64) (int, float64) {
	i := min(sort.SearchFloat64s(cdf, u), len(cdf)-1)
	for i < len(cdf)-1 && step(cdf, i) == 0 {
		i++
	}
	lo := 0.0
	if i > 0 {
		lo = cdf[i-1]
	}
	w := cdf[i] - lo
	if w <= 0 {
		return i, 0.5
	}
	return i, min(max((u-lo)/w, 0), 1)
}

// luminance of a linear Rec.709 colour (ITU-R BT.709).
func luminance(c geom.V) float64 { return 0.2126*c.X + 0.7152*c.Y + 0.0722*c.Z }
