package bvh

import (
	"math"
	"math/rand/v2"
	"testing"
	"unsafe"
)

// What is written in assembler knows where the fields of the types lie.
func TestFieldsLieWhereTheyAreRead(t *testing.T) {
	var n Node
	var r Ray
	var b Block
	for name, at := range map[string][2]uintptr{"origin": {unsafe.Offsetof(n.origin), 56},
		"scale": {unsafe.Offsetof(n.scale), 68}, "node": {unsafe.Sizeof(n), 128}, "O": {unsafe.Offsetof(r.O), 0},
		"D": {unsafe.Offsetof(r.D), 12}, "inv": {unsafe.Offsetof(r.inv), 24}, "T": {unsafe.Offsetof(r.T), 36},
		"Min": {unsafe.Offsetof(r.Min), 40}, "near": {unsafe.Offsetof(r.near), 44}, "E1": {unsafe.Offsetof(b.E1), 48},
		"E2": {unsafe.Offsetof(b.E2), 96}, "hits": {unsafe.Sizeof(Hits{}), 48}} {
		if at[0] != at[1] {
			t.Errorf("%s lies at %d, it is read at %d", name, at[0], at[1])
		}
	}
}

// walked is how a walk meets a block, by whichever way rays go: bit k says that it meets triangle k.
func walked(b *Block, r *Ray, met *Hits) uint8 {
	var w Walk
	w.Begin([]Node{{}}, []Block{*b}, r)
	w.stack[0] = LeafBit | 1<<LeafShift // the block in the place of the root
	if !w.On() {
		return 0
	}
	*met = w.Met
	return uint8(w.Mask)
}

// Both ways of testing a block come to the same, to the last bit; of boxes the vector way finds all that the plain one
// does but for roundings, and enters them at the same place to a rounding.
func TestBothWaysComeToTheSame(t *testing.T) {
	if !Wide() {
		t.Skip("this machine has one way")
	}
	r := rand.New(rand.NewPCG(8, 9))
	random := func() float32 {
		x := float32(r.NormFloat64())
		switch r.IntN(30) {
		case 0:
			return 0
		case 1:
			return x * 1e-20
		case 2:
			return x * 1e6
		}
		return x
	}
	hits, boxes, apart := 0, 0, 0
	for range 200_000 {
		var b Block
		ray := Ray{T: Inf, Min: 0}
		for a := range 3 {
			ray.O[a], ray.D[a] = random(), random()
			for k := range LeafSize {
				b.V[a][k], b.E1[a][k], b.E2[a][k] = random(), random(), random()
			}
		}
		if r.IntN(3) == 0 {
			ray.T = float32(r.ExpFloat64())
		}
		ray.Prepare()
		var met, plain Hits
		mask, again := walked(&b, &ray, &met), b.Meet(&ray, &plain)
		if mask != again {
			t.Fatalf("the ray %+v meets %04b of %+v, the plain way %04b", ray, mask, b, again)
		}
		for k := range LeafSize {
			if mask>>k&1 == 0 {
				continue
			}
			hits++
			for _, x := range [][2]float32{{met.T[k], plain.T[k]}, {met.U[k], plain.U[k]}, {met.V[k], plain.V[k]}} {
				if math.Float32bits(x[0]) != math.Float32bits(x[1]) {
					t.Fatalf("triangle %d is met at %v, the plain way at %v", k, met, plain)
				}
			}
		}
		var n Node
		for a := range 3 {
			n.scale[a] = float32(r.ExpFloat64()) / 20 // about a place on the ray
			n.origin[a] = ray.O[a] + 2*ray.D[a] - 128*n.scale[a] + random()
			for k := range 8 {
				lo := r.IntN(200)
				n.grid[16*a+k], n.grid[16*a+8+k] = uint8(lo), uint8(lo+1+r.IntN(55))
			}
		}
		var enter, enterPlain [8]float32
		a, c := n.Meet(&ray, &enter), n.meetPortable(&ray, &enterPlain)
		for k := range 8 {
			if a>>k&1 != c>>k&1 {
				apart++
			} else if a>>k&1 == 1 {
				boxes++
				x, y := float64(enter[k]), float64(enterPlain[k])
				if math.Abs(x-y) > 1e-3*math.Abs(y)+1e-2 {
					t.Fatalf("box %d is entered at %v, the plain way at %v", k, x, y)
				}
			}
		}
	}
	if hits < 5000 || boxes < 15_000 || apart > boxes/1000 {
		t.Errorf("%d hits, %d boxes, %d apart", hits, boxes, apart)
	}
}

// A walk comes to the blocks that a ray meets, the nearest first, and both ways go the same way.
func TestWalksGoTheSameWay(t *testing.T) {
	var w Walk
	for name, at := range map[string][2]uintptr{"nodes": {unsafe.Offsetof(w.nodes), 0},
		"blocks": {unsafe.Offsetof(w.blocks), 8}, "top": {unsafe.Offsetof(w.top), 16}, "base": {unsafe.Offsetof(w.base), 24},
		"block": {unsafe.Offsetof(w.Block), 32}, "mask": {unsafe.Offsetof(w.Mask), 36}, "ray": {unsafe.Offsetof(w.Ray), 40},
		"enter": {unsafe.Offsetof(w.enter), 88}, "met": {unsafe.Offsetof(w.Met), 120},
		"stack": {unsafe.Offsetof(w.stack), 168}, "child": {unsafe.Offsetof(Node{}.Child), 80},
		"size": {unsafe.Sizeof(Block{}), 160}, "room": {room, 88}} {
		if at[0] != at[1] {
			t.Errorf("%s lies at %d, it is read at %d", name, at[0], at[1])
		}
	}
	r := rand.New(rand.NewPCG(11, 12))
	for _, n := range []int{1, 4, 5, 40, 3000, 40_000} {
		refs, corners := make([]Ref, n), make([][3][3]float32, n)
		for i := range refs {
			lo, hi := [3]float32{Inf, Inf, Inf}, [3]float32{-Inf, -Inf, -Inf}
			for a := range 3 {
				mid := float32(r.NormFloat64() * 5)
				for c := range 3 {
					x := mid + float32(r.NormFloat64()*0.2)
					corners[i][c][a] = x
					lo[a], hi[a] = min(lo[a], x), max(hi[a], x)
				}
			}
			refs[i] = NewRef(lo, hi, uint32(i))
		}
		nodes, order := Build(refs, 1)
		var blocks []Block
		for i := range nodes {
			for k, c := range nodes[i].Child {
				if c&LeafBit == 0 || c == LeafBit {
					continue
				}
				var b Block
				first := c & LeafFirst
				for j, id := range order[first : first+c&^LeafBit>>LeafShift] {
					b.ID[j] = id
					for a := range 3 {
						v := corners[id][0][a]
						b.V[a][j], b.E1[a][j], b.E2[a][j] = v, corners[id][1][a]-v, corners[id][2][a]-v
					}
				}
				nodes[i].Child[k] = LeafBit | 1<<LeafShift | uint32(len(blocks))
				blocks = append(blocks, b)
			}
		}
		hits := 0
		for range 2000 {
			ray := Ray{T: Inf}
			for a := range 3 {
				ray.O[a], ray.D[a] = float32(r.NormFloat64()*6), float32(r.NormFloat64())
			}
			ray.Prepare()
			nearest := func(ray Ray) (id uint32, at float32) {
				id = NoTriangle
				var w Walk
				for w.Begin(nodes, blocks, &ray); w.On(); {
					for k := range LeafSize {
						if w.Mask>>k&1 == 1 && w.Met.T[k] < w.Ray.T {
							w.Ray.T, id = w.Met.T[k], blocks[w.Block].ID[k]
						}
					}
				}
				return id, w.Ray.T
			}
			id, at := nearest(ray)
			back := Plainly()
			plain, plainAt := nearest(ray)
			back()
			if id != plain || at != plainAt {
				t.Fatalf("the ray %+v meets %d at %v, the plain way %d at %v", ray, id, at, plain, plainAt)
			}
			want := Inf // of all, one by one
			for i := range blocks {
				var met Hits
				alone := ray
				for mask, k := blocks[i].Meet(&alone, &met), 0; mask != 0; mask, k = mask>>1, k+1 {
					if mask&1 == 1 {
						want = min(want, met.T[k])
					}
				}
			}
			if at != want {
				t.Fatalf("the ray %+v meets something at %v, by the walk at %v", ray, want, at)
			}
			if id != NoTriangle {
				hits++
			}
			if n > 3000 {
				break // one by one takes long
			}
		}
		if n == 3000 && hits < 100 {
			t.Errorf("%d rays hit", hits)
		}
	}
}

// A walk in which more waits than there is room for comes to all the same: in a tree that is as deep as none is built.
func TestAWalkWithoutRoom(t *testing.T) {
	const depth = 40 // levels, in each of which seven wait
	var nodes []Node
	var blocks []Block
	for i := range depth {
		var n Node
		for a := range 3 {
			n.origin[a], n.scale[a] = -1, 2/254.9
			for k := range 8 {
				n.grid[16*a+k], n.grid[16*a+8+k] = 0, 255
			}
		}
		for k := range 8 {
			if k == 0 && i+1 < depth {
				n.Child[k] = uint32(i + 1)
				continue
			}
			n.Child[k] = LeafBit | 1<<LeafShift | uint32(len(blocks))
			var b Block
			x := float32(len(blocks)) * 1e-3
			for j := range LeafSize {
				b.ID[j] = uint32(len(blocks))
				b.V[0][j], b.V[1][j], b.V[2][j] = -1, -1, x
				b.E1[0][j], b.E2[1][j] = 4, 4
			}
			blocks = append(blocks, b)
		}
		nodes = append(nodes, n)
	}
	count := func() int {
		ray := Ray{O: [3]float32{0, 0, -5}, D: [3]float32{0, 0, 1}, T: Inf}
		ray.Prepare()
		seen := map[uint32]bool{}
		var w Walk
		for w.Begin(nodes, blocks, &ray); w.On(); { // nothing shortens the ray
			seen[w.Block] = true
		}
		return len(seen)
	}
	wide := count()
	defer Plainly()()
	if plain := count(); wide != len(blocks) || plain != len(blocks) {
		t.Errorf("of %d blocks it comes to %d, the plain way to %d", len(blocks), wide, plain)
	}
}

// Advice about pages changes nothing of a list, however large.
func TestHugePagesChangeNothing(t *testing.T) {
	for _, n := range []int{0, 1, 100, 70_000} {
		list := make([]Block, n)
		for i := range list {
			list[i].ID[0] = uint32(i)
		}
		Huge(list)
		for i := range list {
			if list[i].ID[0] != uint32(i) {
				t.Fatalf("of %d, number %d is %d", n, i, list[i].ID[0])
			}
		}
	}
}
