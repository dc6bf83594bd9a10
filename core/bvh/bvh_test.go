package bvh

import (
	"fmt"
	"math"
	"math/bits"
	"math/rand/v2"
	"slices"
	"testing"
)

// boxesOf are n boxes of the kind that is asked for.
func boxesOf(r *rand.Rand, kind string, n int) (lo, hi [][3]float32) {
	for i := range n {
		var l, h [3]float32
		for a := range l {
			switch c, e := float32(r.NormFloat64()*5), float32(r.Float64()*0.3); kind {
			case "spread":
				l[a], h[a] = c-e, c+e
			case "flat": // walls: without extent along one axis
				if a == i%3 {
					e = 0
				}
				l[a], h[a] = c-e, c+e
			case "heap": // all at one place
				l[a], h[a] = 1, 2
			case "row": // ever larger, far from the origin
				l[a], h[a] = float32(1e6)+float32(i*i)*0.5, float32(1e6)+float32(i*i)*0.5+1
			}
		}
		lo, hi = append(lo, l), append(hi, h)
	}
	return lo, hi
}

func refsOf(lo, hi [][3]float32) []Ref {
	refs := make([]Ref, len(lo))
	for i := range refs {
		refs[i] = NewRef(lo[i], hi[i], uint32(i))
	}
	return refs
}

// visited are the primitives of all leaves that the ray comes to.
func visited(nodes []Node, order []uint32, r *Ray, meet func(n *Node, r *Ray, enter *[8]float32) uint32) []uint32 {
	var all []uint32
	var walk func(at uint32)
	walk = func(at uint32) {
		if at&LeafBit != 0 {
			first := at & LeafFirst
			all = append(all, order[first:first+at&^LeafBit>>LeafShift]...)
			return
		}
		var enter [8]float32
		for mask := meet(&nodes[at], r, &enter); mask != 0; mask &= mask - 1 {
			walk(nodes[at].Child[bits.TrailingZeros32(mask)])
		}
	}
	if len(nodes) > 0 {
		walk(0)
	}
	slices.Sort(all)
	return all
}

// meets says whether a ray meets a box, in float64 and by the slab test.
func meets(r *Ray, lo, hi [3]float32) bool {
	t0, t1 := float64(r.Min), float64(r.T)
	for a := range lo {
		o, d := float64(r.O[a]), float64(r.D[a])
		if d == 0 {
			if o < float64(lo[a]) || o > float64(hi[a]) {
				return false
			}
			continue
		}
		x, y := (float64(lo[a])-o)/d, (float64(hi[a])-o)/d
		t0, t1 = max(t0, min(x, y)), min(t1, max(x, y))
	}
	return t0 <= t1
}

// What a ray meets is among what it comes to, of whatever the structure was built; each primitive is
// in one leaf; both ways of testing boxes come to the same.
func TestARayComesToAllThatItMeets(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, kind := range []string{"spread", "flat", "heap", "row"} {
		for _, n := range []int{0, 1, 4, 5, 9, 100, 3000} {
			t.Run(fmt.Sprint(kind, n), func(t *testing.T) {
				lo, hi := boxesOf(r, kind, n)
				nodes, order := Build(refsOf(lo, hi), 1)
				once := slices.Sorted(slices.Values(order))
				for i := range once {
					if once[i] != uint32(i) {
						t.Fatalf("the order has %v", once[:i+1])
					}
				}
				met, came := 0, 0
				for k := range 200 {
					ray := Ray{T: Inf}
					for a := range ray.O {
						ray.O[a], ray.D[a] = float32(r.NormFloat64()*6), float32(r.NormFloat64())
						if kind == "heap" {
							ray.D[a] = 1.5 + float32(r.NormFloat64()*0.5) - ray.O[a]
						}
						if kind == "row" {
							ray.O[a], ray.D[a] = 1e6-3, 1+float32(r.NormFloat64()*0.01)
						}
						if k%10 == a { // along an axis plane: a zero in the direction
							ray.D[a] = 0
						}
					}
					ray.Prepare()
					found := visited(nodes, order, &ray, (*Node).Meet)
					portable := visited(nodes, order, &ray, (*Node).meetPortable)
					came += len(found)
					for i := range lo {
						if !meets(&ray, lo[i], hi[i]) {
							continue
						}
						met++
						if _, in := slices.BinarySearch(found, uint32(i)); !in {
							t.Fatalf("the ray %+v meets %v to %v and does not come to it", ray, lo[i], hi[i])
						}
						if _, in := slices.BinarySearch(portable, uint32(i)); !in {
							t.Fatalf("the ray %+v meets %v to %v and, the portable way, does not come to it", ray,
								lo[i], hi[i])
						}
					}
				}
				if n == 3000 && (met == 0 || kind == "spread" && came > 200*n/10) {
					t.Errorf("%d meetings, %d visits of %d: it chooses nothing", met, came, 200*n)
				}
			})
		}
	}
}

// The structure is the same on any number of threads.
func TestThreadsChangeNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	lo, hi := boxesOf(r, "spread", 90_000)
	nodes, order := Build(refsOf(lo, hi), 1)
	for _, threads := range []int{2, 5} {
		n, o := Build(refsOf(lo, hi), threads)
		if !slices.Equal(n, nodes) || !slices.Equal(o, order) {
			t.Errorf("%d threads made another structure", threads)
		}
	}
}

// A triangle is met where algebra in float64 meets it, and both ways of testing a block agree.
func TestBlocks(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	hits := 0
	for range 20_000 {
		var b Block
		var corner [LeafSize][3][3]float64
		for k := range LeafSize {
			b.ID[k] = uint32(k)
			for c := range 3 {
				for a := range 3 {
					corner[k][c][a] = float64(float32(r.NormFloat64()))
				}
			}
			for a := range 3 {
				v := float32(corner[k][0][a])
				b.V[a][k], b.E1[a][k], b.E2[a][k] = v, float32(corner[k][1][a])-v, float32(corner[k][2][a])-v
			}
		}
		ray := Ray{T: Inf}
		for a := range 3 {
			ray.O[a], ray.D[a] = float32(r.NormFloat64()*3), float32(r.NormFloat64())
		}
		ray.Prepare()
		var met, portable Hits
		mask, again := walked(&b, &ray, &met), b.Meet(&ray, &portable)
		for k := range LeafSize {
			u, v, at, sure := solved(&ray, &corner[k])
			if !sure {
				continue // within rounding of an edge
			}
			inside := u > 0 && v > 0 && u+v < 1 && at > 0
			if in := mask>>k&1 == 1; in != inside || again>>k&1 == 1 != inside {
				t.Fatalf("triangle %v: met %v, the portable way %v, by algebra %v (u %v v %v t %v)", corner[k], in,
					again>>k&1 == 1, inside, u, v, at)
			}
			if !inside {
				continue
			}
			hits++
			if math.Abs(float64(met.T[k])-at) > 1e-3*at || math.Abs(float64(met.U[k])-u) > 1e-3 ||
				math.Abs(float64(portable.T[k])-at) > 1e-3*at || math.Abs(float64(portable.V[k])-v) > 1e-3 {
				t.Fatalf("triangle %v is met at %v, %v; by algebra at %v", corner[k], met.T[k], portable.T[k], at)
			}
		}
	}
	if hits < 300 {
		t.Errorf("only %d hits were compared", hits)
	}
}

// solved are the barycentric coordinates and the distance of where a ray meets the plane of a
// triangle, by Cramer's rule; sure says that it is clear of all edges.
func solved(r *Ray, c *[3][3]float64) (u, v, t float64, sure bool) {
	var m [3][3]float64 // columns: the two edges, and the direction turned
	var to [3]float64
	for a := range 3 {
		m[a] = [3]float64{c[1][a] - c[0][a], c[2][a] - c[0][a], -float64(r.D[a])}
		to[a] = float64(r.O[a]) - c[0][a]
	}
	det := func(m [3][3]float64) float64 {
		return m[0][0]*(m[1][1]*m[2][2]-m[1][2]*m[2][1]) - m[0][1]*(m[1][0]*m[2][2]-m[1][2]*m[2][0]) +
			m[0][2]*(m[1][0]*m[2][1]-m[1][1]*m[2][0])
	}
	with := func(k int) float64 {
		n := m
		for a := range 3 {
			n[a][k] = to[a]
		}
		return det(n)
	}
	d := det(m)
	if math.Abs(d) < 0.02 {
		return 0, 0, 0, false
	}
	u, v, t = with(0)/d, with(1)/d, with(2)/d
	const clear = 1e-4
	sure = math.Abs(u) > clear && math.Abs(v) > clear && math.Abs(1-u-v) > clear && math.Abs(t) > clear
	return u, v, t, sure
}

// A ray enters every box that holds a place of it, nearer than its end, and none that it passes by a share of its size.
func TestRaysEnterBoxes(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 8))
	for range 200_000 {
		size := float32(math.Exp(r.Float64()*16 - 8))
		var b Box
		var in, beside [3]float32 // places in the box, and off it along every axis
		for k := range 3 {
			b.Lo[k] = (r.Float32() - 0.5) * 100 * size
			b.Hi[k] = b.Lo[k] + size*r.Float32()*float32(r.IntN(4)) // some have no thickness
			in[k] = min(b.Lo[k]+r.Float32()*(b.Hi[k]-b.Lo[k]), b.Hi[k])
			beside[k] = b.Hi[k] + 100*size
		}
		ray := Ray{T: Inf}
		var far float64
		for k := range 3 {
			ray.O[k] = (r.Float32() - 0.5) * 100 * size
			if r.IntN(9) == 0 {
				ray.O[k] = in[k] // along a side of it
			}
			far = math.Hypot(far, float64(in[k])-float64(ray.O[k]))
		}
		if far == 0 {
			continue
		}
		for k := range 3 {
			ray.D[k] = float32((float64(in[k]) - float64(ray.O[k])) / far)
		}
		ray.Prepare()
		// What the direction's rounding moves the place by may lead past a thin box.
		pad := float32(far)*4e-7 + size*1e-5
		wide := b
		for k := range 3 {
			wide.Lo[k], wide.Hi[k] = b.Lo[k]-pad, b.Hi[k]+pad
		}
		if !ray.Enters(&wide) {
			t.Fatalf("%+v does not enter %+v, of which %v is on its way", ray, wide, in)
		}
		if ray.T = float32(far) / 1000; ray.T > 0 && !inside(&wide, ray.O) && far > 1000*float64(size) && ray.Enters(&wide) {
			t.Fatalf("%+v ends before %+v", ray, wide)
		}
		ray.T, ray.O = Inf, beside
		for k := range 3 {
			ray.D[k] = float32(math.Abs(float64(ray.D[k])))
		}
		if ray.Prepare(); ray.Enters(&b) {
			t.Fatalf("%+v enters %+v, which lies behind it", ray, b)
		}
	}
}

// A ray from far away, whose origin and direction are rounded, enters every box that holds a place on its way: of
// things that touch none is passed by where they meet.
func TestRaysFromFarAwayEnterBoxes(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 1))
	for range 200_000 {
		var b Box
		var in, o, d [3]float64
		far, long := math.Exp(r.Float64()*12-2), 0.0
		for k := range 3 {
			b.Lo[k] = 20*r.Float32() - 10
			b.Hi[k] = b.Lo[k] + r.Float32()
			in[k] = float64([]float32{b.Lo[k], b.Hi[k]}[r.IntN(2)]) // a corner
			d[k] = r.NormFloat64()
			long = math.Hypot(long, d[k])
		}
		ray := Ray{T: Inf}
		for k := range 3 {
			o[k] = in[k] - d[k]/long*far
			ray.O[k], ray.D[k] = float32(o[k]), float32(d[k]/long)
			pad := float32(4e-6) // as boxes so far off are padded
			b.Lo[k], b.Hi[k] = b.Lo[k]-pad, b.Hi[k]+pad
		}
		if ray.Prepare(); !ray.Enters(&b) {
			t.Fatalf("%+v, %v m off, does not enter %+v at its corner %v", ray, far, b, in)
		}
	}
}

func inside(b *Box, p [3]float32) bool {
	for k := range 3 {
		if p[k] < b.Lo[k] || p[k] > b.Hi[k] {
			return false
		}
	}
	return true
}
