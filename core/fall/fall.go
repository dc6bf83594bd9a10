// Package fall is rain and snow: how many drops or flakes of which size fall how fast, and what a ray meets of them
// while a shutter is open. Lengths are metres, diameters millimetres, intensities millimetres of water an hour.
package fall

import (
	"math"
	"math/rand/v2"

	"visator/core/geom"
)

// Kind is what falls.
type Kind uint8

// Kinds.
const (
	Rain Kind = iota + 1
	Snow
)

// Heaviest is the most that falls, mm/h: cloudbursts of an hour's length (World Meteorological Organization's records
// are about 300).
const Heaviest = 300

// drops is how many drops of a diameter there are, per m³ and mm of diameter, of snow by the diameter of the drop that
// a flake melts to: an exponential law (rain: Marshall and Palmer, The distribution of raindrops with size, 1948; snow:
// Sekhon and Srivastava, Snow size spectra and radar reflectivity, 1970).
func (k Kind) drops(rate float64) (many, thin float64) {
	if k == Snow {
		return 2500 * math.Pow(rate, -0.94), 2.29 * math.Pow(rate, -0.45)
	}
	return 8000, 4.1 * math.Pow(rate, -0.21)
}

// Speed is how fast one of a diameter falls, m/s: drops by Atlas, Srivastava and Sekhon (Doppler radar characteristics
// of precipitation, 1973), flakes by the diameter of the drop they melt to (Langleben, The terminal velocity of
// snowflakes, 1954).
func (k Kind) Speed(d float64) float64 {
	if k == Snow {
		return 1.6 * math.Pow(d/10, 0.31)
	}
	return max(9.65-10.3*math.Exp(-0.6*d), 0.1)
}

// Wide is the diameter that is seen, mm: of a drop its own, of a flake what its mass fills at the density of loose
// snow of that size, 0.178·D^-0.922 g/cm³ (Brandes and others, A statistical and physical description of hydrometeor
// distributions in Colorado snowstorms, 2007).
func (k Kind) Wide(d float64) float64 {
	if k == Snow {
		return max(math.Pow(d*d*d/0.178, 1/2.078), d)
	}
	return d
}

// Mean is the cosine of scattering: drops and crystals much larger than the wave bend most of the light ahead (ray
// optics of spheres and plates; diffraction, which does not leave the beam for the eye, is left out).
func (k Kind) Mean() float64 {
	if k == Snow {
		return 0.8
	}
	return 0.87
}

// sum adds up a figure over all diameters, weighed by how many of each there are.
func (k Kind) sum(rate float64, of func(d float64) float64) (s float64) {
	many, thin := k.drops(rate)
	const steps = 400
	most := 20 / thin
	for i := range steps {
		d := most * (float64(i) + 0.5) / steps
		s += many * math.Exp(-thin*d) * of(d)
	}
	return s * most / steps
}

// Extinction is what a metre of it takes from a beam: twice the cross section of all (bodies much larger than the
// wave). 0 where nothing falls.
func (k Kind) Extinction(rate float64) float64 {
	if k == 0 || !(rate > 0) {
		return 0
	}
	return k.sum(rate, func(d float64) float64 { w := k.Wide(d); return 2 * math.Pi / 4 * w * w * 1e-6 })
}

// Flux is the water that its drops bring, mm/h, by their number, size and speed: about the rate, for the law of sizes
// is one of averages.
func (k Kind) Flux(rate float64) float64 {
	return k.sum(rate, func(d float64) float64 { return math.Pi / 6 * d * d * d * k.Speed(d) * 1e-9 * 3600 * 1000 })
}

// smallest and reach say which of it is seen one by one: what is smaller or farther is less than a pixel wide, and is
// haze.
func (k Kind) seen() (smallest, reach float64) {
	if k == Snow {
		return 0.4, 9
	}
	return 0.9, 6
}

// classes is how many sizes it is told in.
const classes = 2

// kinds is how many cells there are that differ: which of them lies where is scattered.
const kinds = 1 << 8

// class are drops of one size: n of them per m³, each a ball of radius r that moves length metres along u while the
// shutter is open.
type class struct {
	n, r      float64
	length    float64
	a, b, u   geom.V
	moved     float64 // along u since the shot's beginning
	wide, run float64 // of a cell across, and along
	// What begins in cells of each kind, as shares of a cell: of kind k those from first[k] to first[k+1].
	first  []int32
	starts []geom.V
}

// Field is what falls before a camera while its shutter is open.
type Field struct {
	eye     geom.V
	reach   float64
	classes []class
}

// New is what falls at a rate, t seconds into a shot, around the eye; wind is in m/s, open the shutter's time in
// seconds. nil: nothing does.
func New(k Kind, rate float64, wind geom.V, eye geom.V, open, t float64, seed uint64) *Field {
	if k == 0 || !(rate > 0) {
		return nil
	}
	rate = min(rate, Heaviest)
	smallest, reach := k.seen()
	f := &Field{eye: eye, reach: reach}
	many, thin := k.drops(rate)
	all := many / thin * math.Exp(-thin*smallest)
	for i := range classes {
		// The sizes that halve what is left of the cross section evenly are not known in closed form: those of equal
		// number are, and each stands for its mean square.
		lo := smallest - math.Log(1-float64(i)/classes)/thin
		hi := smallest + 20/thin
		if i+1 < classes {
			hi = smallest - math.Log(1-float64(i+1)/classes)/thin
		}
		square, speed, n := 0.0, 0.0, 0.0
		const steps = 64
		for s := range steps {
			d := lo + (hi-lo)*(float64(s)+0.5)/steps
			w := math.Exp(-thin * d)
			wide := k.Wide(d)
			square, speed, n = square+w*wide*wide, speed+w*wide*wide*k.Speed(d), n+w
		}
		c := class{n: all / classes, r: math.Sqrt(square/n) / 2000}
		v := wind.Add(geom.V{Y: -speed / square})
		c.u = v.Unit()
		c.a, c.b = geom.Frame(c.u)
		c.length = max(v.Len()*open, 1e-6)
		c.moved = v.Len() * t
		// Some in a cell, which is some streaks long, so that what begins beneath it seldom matters.
		c.wide = max(math.Cbrt(1/c.n), 4*c.r)
		c.run = max(4*c.length, c.wide)
		c.fill(seed*classes + uint64(i))
		f.classes = append(f.classes, c)
	}
	return f
}

// fill decides what begins in the cells of each kind: their number is Poisson's, evenly over the kinds so that all
// together hold what they should, their places are by chance.
func (c *class) fill(seed uint64) {
	rnd := rand.New(rand.NewPCG(seed, 0x66616c6c))
	mean := c.n * c.wide * c.wide * c.run
	edge := c.r / c.wide
	across := func() float64 { return edge + rnd.Float64()*(1-2*edge) }
	c.first = make([]int32, 1, kinds+1)
	many, chance := 0, math.Exp(-mean)
	for k, sum := 0, chance; k < kinds; k++ {
		for (float64(k)+0.5)/kinds > sum && many < 1000 {
			many++
			chance *= mean / float64(many)
			sum += chance
		}
		for range many {
			c.starts = append(c.starts, geom.V{X: across(), Y: across(), Z: rnd.Float64()})
		}
		c.first = append(c.first, int32(len(c.starts)))
	}
}

// Covers is the cross section of all that is seen one by one, m² in each m³: the share of a short way that is covered
// on average.
func (f *Field) Covers() (sum float64) {
	for i := range f.classes {
		sum += f.classes[i].n * math.Pi * f.classes[i].r * f.classes[i].r
	}
	return sum
}

// Met is one that stands in the way of a ray: how far away, and the share of the open time that it does.
type Met struct{ T, Share float64 }

// Meet is the first that stops a ray from o along the unit vector d before far, where u, even from 0 to 1, decides how
// much of the open time it looks through.
func (f *Field) Meet(o, d geom.V, far, u float64) (t float64, ok bool) {
	var room [24]Met
	list := f.All(o, d, far, room[:0])
	left := 1.0
	for range list {
		k := 0
		for i := range list {
			if list[i].T < list[k].T {
				k = i
			}
		}
		if left *= 1 - list[k].Share; u < 1-left {
			return list[k].T, true
		}
		list[k].T = math.Inf(1)
	}
	return 0, false
}

// All are those that stand in the way of a ray before far, in no order.
func (f *Field) All(o, d geom.V, far float64, list []Met) []Met {
	// Of the way only what is within reach of the eye.
	w := o.Sub(f.eye)
	b := w.Dot(d)
	q := b*b - w.Dot(w) + f.reach*f.reach
	if q <= 0 {
		return list
	}
	from, to := max(-b-math.Sqrt(q), 0), min(-b+math.Sqrt(q), far)
	if !(to > from) {
		return list
	}
	for i := range f.classes {
		list = f.classes[i].meet(o, d, from, to, list)
	}
	return list
}

// walk is a way through the cells of a class.
type walk struct {
	c        *class
	o, d     geom.V
	n        geom.V  // across both the way and that of the drops, of length 1; zero where they are one
	square   float64 // of the sine between both
	from, to float64
	list     []Met
}

// meet walks through the cells that a way crosses (Amanatides and Woo, A fast voxel traversal algorithm, 1987).
func (c *class) meet(o, d geom.V, from, to float64, list []Met) []Met {
	// In the class's own axes, so that it has fallen already.
	w := walk{c: c, from: from, to: to, list: list}
	w.o = geom.V{X: o.Dot(c.a), Y: o.Dot(c.b), Z: o.Dot(c.u) - c.moved}
	w.d = geom.V{X: d.Dot(c.a), Y: d.Dot(c.b), Z: d.Dot(c.u)}
	w.square = w.d.X*w.d.X + w.d.Y*w.d.Y
	if w.square > 1e-9 {
		w.n = geom.V{X: w.d.Y, Y: -w.d.X}.Mul(1 / math.Sqrt(w.square))
	}
	p := [3]float64{w.o.X / c.wide, w.o.Y / c.wide, w.o.Z / c.run}
	v := [3]float64{w.d.X / c.wide, w.d.Y / c.wide, w.d.Z / c.run}
	var at, dir [3]int64
	var next, step [3]float64
	for i := range 3 {
		x := p[i] + v[i]*from
		at[i] = int64(math.Floor(x))
		next[i], step[i] = math.Inf(1), math.Inf(1)
		switch {
		case v[i] > 0:
			dir[i], step[i] = 1, 1/v[i]
			next[i] = from + (math.Floor(x)+1-x)/v[i]
		case v[i] < 0:
			dir[i], step[i] = -1, -1/v[i]
			next[i] = from + (math.Floor(x)-x)/v[i]
		}
	}
	before := false // the cell beneath in the same column was looked through just now
	for t, k := from, 0; k < 4096; k++ {
		i := 0
		if next[1] < next[i] {
			i = 1
		}
		if next[2] < next[i] {
			i = 2
		}
		end := min(next[i], to)
		w.cell(at[0], at[1], at[2])
		// What begins in the cell beneath reaches into this one, no farther than a streak is long.
		low := min(p[2]+v[2]*t, p[2]+v[2]*end) - float64(at[2])
		if low*c.run < c.length && !before && !(i == 2 && dir[2] < 0 && next[i] < to) {
			w.cell(at[0], at[1], at[2]-1)
		}
		if t = end; next[i] >= to {
			break
		}
		at[i] += dir[i]
		next[i] += step[i]
		before = i == 2 && dir[2] > 0
	}
	return w.list
}

// cell adds those that begin in a cell.
func (w *walk) cell(x, y, z int64) {
	c := w.c
	k := mixed(uint64(x)*0x9e3779b97f4a7c15^uint64(y)*0xc2b2ae3d27d4eb4f^uint64(z)*0x165667b19e3779f9) % kinds
	for _, s := range c.starts[c.first[k]:c.first[k+1]] {
		at := geom.V{X: (float64(x)+s.X)*c.wide - w.o.X, Y: (float64(y)+s.Y)*c.wide - w.o.Y}
		off := at.X*w.n.X + at.Y*w.n.Y
		if off > c.r || off < -c.r {
			continue
		}
		at.Z = (float64(z)+s.Z)*c.run - w.o.Z
		if t, share := w.swept(at, off); share > 0 && t > w.from && t < w.to {
			w.list = append(w.list, Met{t, share})
		}
	}
}

// swept is where the way passes that of a ball which starts at a place beside its own beginning, off apart, and the
// share of the time that the ball stands in it.
func (w *walk) swept(at geom.V, off float64) (t, share float64) {
	c := w.c
	along := at.X*w.d.X + at.Y*w.d.Y + at.Z*w.d.Z
	if w.square < 1e-9 { // one follows the other
		if at.Sub(w.d.Mul(along)).Len() > c.r {
			return 0, 0
		}
		return along, 1
	}
	// Both where they are nearest: t along the way and s along the ball's.
	s := (along*w.d.Z - at.Z) / w.square
	t = along + s*w.d.Z
	half := math.Sqrt((c.r*c.r - off*off) / w.square) // the ball touches the way while its middle is that near
	lo, hi := max(s-half, 0), min(s+half, c.length)
	if hi <= lo {
		return 0, 0
	}
	return t, min((hi-lo)/c.length, 1)
}

// mixed scatters the bits of a number (Steele, Lea and Flood, Fast splittable pseudorandom number generators, 2014).
func mixed(x uint64) uint64 {
	x ^= x >> 30
	x *= 0xbf58476d1ce4e5b9
	x ^= x >> 27
	x *= 0x94d049bb133111eb
	return x ^ x>>31
}
