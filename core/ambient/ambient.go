// Package ambient is the light that fills a set, told on grids of places: what comes from the sky, from what glows and
// back from all that stands, by direction (Greger, Shirley, Hubbard and Greenberg, The irradiance volume, 1998). Suns
// and lamps themselves are left to whoever draws by it. Lengths are metres, luminance cd/m² per channel.
package ambient

import (
	"context"
	"encoding/binary"
	"math"
	"sync/atomic"

	"visator/core/crew"
	"visator/core/geom"
	"visator/core/openexr"
	"visator/core/render"
)

// Places of a grid along each axis, and how many grids there are, each so many times as wide as the one before.
const (
	NX, NY, NZ = 24, 10, 24
	Levels     = 3
	wider      = 4
	finest     = 0.75 // metres between two places
)

// Level is one grid: its places are Step apart from From on.
type Level struct {
	From geom.V
	Step float64
}

// At is a place of it.
func (l *Level) At(i, j, k int) geom.V {
	return l.From.Add(geom.V{X: float64(i), Y: float64(j), Z: float64(k)}.Mul(l.Step))
}

// Around are grids about what is looked at, which begin a little below a floor. They keep still while that moves by
// less than two places, so that what was worked out holds.
func Around(focus geom.V, floor float64) (list [Levels]Level) {
	step := finest
	for i := range list {
		snap := func(x float64) float64 { return math.Round(x/(2*step)) * 2 * step }
		list[i] = Level{geom.V{X: snap(focus.X) - (NX-1)/2.0*step, Y: snap(floor) - 0.25*step,
			Z: snap(focus.Z) - (NZ-1)/2.0*step}, step}
		step *= wider
	}
	return list
}

// Grid is the light on grids. Values are four for each place and channel: mean luminance, and by three times the mean
// of luminance by direction along x, y and z (render.Scene.Around). They lie with x fastest, then y, then z, then the
// channels red, green, blue, then the levels.
type Grid struct {
	Levels [Levels]Level
	Values []float32
	Opens  []Open
}

// place is where the values of a place begin.
func place(level, channel, i, j, k int) int {
	return 4 * ((((level*3+channel)*NZ+k)*NY+j)*NX + i)
}

// inside is the share of directions that meet backs from which on a place is taken to lie within a body.
const inside = 0.5

// Work works out the light of a scene on grids, by so many paths for each place, on some threads. enter, which may be
// nil, is called first on each of them.
func Work(ctx context.Context, s *render.Scene, levels [Levels]Level, samples, threads int, enter func()) (*Grid,
	error) {
	g := &Grid{Levels: levels, Values: make([]float32, 4*3*Levels*NX*NY*NZ), Opens: Opens(s)}
	known := make([]bool, Levels*NX*NY*NZ)
	var workers crew.Group
	var next atomic.Int64
	for range max(threads, 1) {
		workers.Go(func() {
			if enter != nil {
				enter()
			}
			for row := int(next.Add(1) - 1); row < Levels*NY*NZ && ctx.Err() == nil; row = int(next.Add(1) - 1) {
				level, j, k := row/(NY*NZ), row/NZ%NY, row%NZ
				for i := range NX {
					at := levels[level].At(i, j, k)
					mean, x, y, z, within := s.Around(at, render.DefaultBounces, samples, uint64(row*NX+i))
					known[row*NX+i] = within < inside
					for c, v := range [4]geom.V{mean, x, y, z} {
						g.Values[place(level, 0, i, j, k)+c] = float32(v.X)
						g.Values[place(level, 1, i, j, k)+c] = float32(v.Y)
						g.Values[place(level, 2, i, j, k)+c] = float32(v.Z)
					}
				}
			}
		})
	}
	workers.Wait()
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	g.fill(known)
	return g, nil
}

// beside are the places next to one.
var beside = [6][3]int{{-1, 0, 0}, {1, 0, 0}, {0, -1, 0}, {0, 1, 0}, {0, 0, -1}, {0, 0, 1}}

// fill gives places within bodies, which nobody sees, the mean of those beside them: what is drawn between two places
// is not darkened by what it hides.
func (g *Grid) fill(known []bool) {
	at := func(level, i, j, k int) int { return ((level*NY+j)*NZ+k)*NX + i }
	for level := range Levels {
		for again := true; again; {
			again = false
			var filled []int
			for j := range NY {
				for k := range NZ {
					for i := range NX {
						if known[at(level, i, j, k)] {
							continue
						}
						var sum [12]float32
						n := float32(0)
						for _, d := range beside {
							x, y, z := i+d[0], j+d[1], k+d[2]
							if x < 0 || y < 0 || z < 0 || x >= NX || y >= NY || z >= NZ || !known[at(level, x, y, z)] {
								continue
							}
							n++
							for c := range 12 {
								sum[c] += g.Values[place(level, c/4, x, y, z)+c%4]
							}
						}
						if n == 0 {
							continue
						}
						for c := range 12 {
							g.Values[place(level, c/4, i, j, k)+c%4] = sum[c] / n
						}
						filled = append(filled, at(level, i, j, k))
					}
				}
			}
			for _, q := range filled {
				known[q], again = true, true
			}
		}
	}
}

// Lux is what a surface at p with the normal n gets, per channel: from the finest grid that holds it, half a step
// before it, and from the edge of the widest beyond all. The lens view does the same.
func (g *Grid) Lux(p, n geom.V) geom.V {
	for level := range Levels {
		l := &g.Levels[level]
		q := p.Add(n.Mul(l.Step / 2)).Sub(l.From).Mul(1 / l.Step)
		if level < Levels-1 && (min(q.X, q.Y, q.Z) < 0 || q.X > NX-1 || q.Y > NY-1 || q.Z > NZ-1) {
			continue
		}
		i, u := between(q.X, NX)
		j, v := between(q.Y, NY)
		k, w := between(q.Z, NZ)
		var out [3]float64
		for c := range out {
			var f [4]float64
			for corner := range 8 {
				a, b, d := corner&1, corner>>1&1, corner>>2
				share := (1 - u + float64(a)*(2*u-1)) * (1 - v + float64(b)*(2*v-1)) * (1 - w + float64(d)*(2*w-1))
				at := place(level, c, i+a, j+b, k+d)
				for x := range f {
					f[x] += share * float64(g.Values[at+x])
				}
			}
			out[c] = max(math.Pi*f[0]+2*math.Pi/3*(f[1]*n.X+f[2]*n.Y+f[3]*n.Z), 0)
		}
		return geom.V{X: out[0], Y: out[1], Z: out[2]}
	}
	return geom.V{}
}

// between is the place before x, of n, and how far beyond it x is.
func between(x float64, n int) (i int, u float64) {
	x = min(max(x, 0), float64(n-1))
	i = min(int(x), n-2)
	return i, x - float64(i)
}

// Open is how much of its light a lamp, or what glows as one, sends out past what holds it, as a share, by direction:
// over the square that the octahedron |x|+|y|+|z| = 1 unfolds to, whose middle is up and whose corners are down
// (Cigolle and others, A survey of efficient representations for independent unit vectors, JCGT 2014), row by row.
type Open struct {
	At    geom.V
	Share [OpenSide * OpenSide]float64
}

// OpenSide is how many shares there are along each side of the square.
const OpenSide = 16

// Limits of what holds a lamp.
const (
	holder    = 0.6 // metres within which what stands about a lamp is taken to belong to it
	openRays  = 3   // along each side of a share's own square
	mostOpens = 256
)

// Opens are those of a scene, as far as there are not too many.
func Opens(s *render.Scene) (list []Open) {
	for _, h := range s.Shining(false) {
		if len(list) == mostOpens {
			break
		}
		o := Open{At: h.At}
		for i := range o.Share {
			for k := range openRays * openRays {
				u := (float64(i%OpenSide) + (float64(k%openRays)+0.5)/openRays) / OpenSide
				v := (float64(i/OpenSide) + (float64(k/openRays)+0.5)/openRays) / OpenSide
				o.Share[i] += s.Clear(h.At, unfolded(2*u-1, 2*v-1), holder) / (openRays * openRays)
			}
		}
		list = append(list, o)
	}
	return list
}

// unfolded is the direction at a place of the square, -1 to 1 along each side.
func unfolded(x, z float64) geom.V {
	d := geom.V{X: x, Y: 1 - math.Abs(x) - math.Abs(z), Z: z}
	if d.Y < 0 {
		d.X, d.Z = math.Copysign(1-math.Abs(z), x), math.Copysign(1-math.Abs(x), z)
	}
	return d.Unit()
}

// Packed is a grid for a browser, little endian: how many places there are along x, y and z, and how many levels, as
// 32-bit whole numbers; what a value of 1 stands for, then of each level where it begins and its step, as 32-bit
// floats; the values as halves; and of each lamp its place, as floats, and its shares, each as a byte.
func (g *Grid) Packed() []byte {
	le := binary.LittleEndian
	out := make([]byte, 0, 36+16*Levels+2*len(g.Values))
	for _, n := range []uint32{NX, NY, NZ, Levels} {
		out = le.AppendUint32(out, n)
	}
	peak := float32(1e-6)
	for _, v := range g.Values {
		peak = max(peak, v, -v)
	}
	const most = 1 << 14 // halves go on to 65504
	times := peak / most
	out = le.AppendUint32(out, math.Float32bits(times))
	for _, l := range g.Levels {
		for _, v := range [4]float64{l.From.X, l.From.Y, l.From.Z, l.Step} {
			out = le.AppendUint32(out, math.Float32bits(float32(v)))
		}
	}
	for _, v := range g.Values {
		out = le.AppendUint16(out, openexr.ToHalf(v/times))
	}
	for _, o := range g.Opens {
		for _, v := range [3]float64{o.At.X, o.At.Y, o.At.Z} {
			out = le.AppendUint32(out, math.Float32bits(float32(v)))
		}
		for _, v := range o.Share {
			out = append(out, byte(math.Round(min(v, 1)*255)))
		}
	}
	return out
}
