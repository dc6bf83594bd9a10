package cast

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/bvh"
	"visator/core/geom"
)

// odd lets rays through triangles of odd numbers, and counts how often it was asked.
type odd struct{ asked int }

func (o *odd) Lets(_, triangle uint32, _, _ float32) bool {
	o.asked++
	return triangle%2 == 1
}

// cloud is a tree of triangles by chance about the origin, the odd of which ask, and the triangles.
func cloud(r *rand.Rand, n int) (*Tree, [][3]geom.V) {
	refs, list := make([]bvh.Ref, n), make([][3]geom.V, n)
	for i := range refs {
		mid := geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}
		box := geom.Empty()
		for k := range 3 {
			p := mid.Add(geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}.Mul(0.3))
			at := p.Float32()
			list[i][k] = geom.V{X: float64(at[0]), Y: float64(at[1]), Z: float64(at[2])}
			box = box.Add(list[i][k])
		}
		refs[i] = bvh.NewRef(box.Min.Float32(), box.Max.Float32(), uint32(i))
	}
	return NewTree(refs, 1, func(ids []uint32) (b bvh.Block) {
		for i := range b.ID {
			b.ID[i] = bvh.NoTriangle
		}
		for i, id := range ids {
			if b.ID[i] = id; id%2 == 1 {
				b.ID[i] |= AsksBit
			}
			a, e1, e2 := list[id][0], list[id][1].Sub(list[id][0]), list[id][2].Sub(list[id][0])
			for k := range 3 {
				b.V[k][i], b.E1[k][i], b.E2[k][i] = a.Float32()[k], e1.Float32()[k], e2.Float32()[k]
			}
		}
		return b
	}), list
}

// nearest is what a ray meets of the triangles at a place, one by one (Möller and Trumbore, 1997), those with an odd
// number left out if asked for.
func nearest(q *Quest, list [][3]geom.V, at geom.V, leaveOdd bool) (best float64) {
	best = math.Inf(1)
	for i, t := range list {
		if leaveOdd && i%2 == 1 {
			continue
		}
		e1, e2, s := t[1].Sub(t[0]), t[2].Sub(t[0]), q.Ray.O.Sub(at).Sub(t[0])
		p := q.Ray.D.Cross(e2)
		inv := 1 / e1.Dot(p)
		u := s.Dot(p) * inv
		x := s.Cross(e1)
		v, way := q.Ray.D.Dot(x)*inv, e2.Dot(x)*inv
		if u >= 0 && v >= 0 && u+v <= 1 && way > 0 && way < best {
			best = way
		}
	}
	return best
}

// Rays sent together meet what each meets alone, and that is what all triangles tell one by one: through what lets them
// pass, or not, with none, one and many stands.
func TestRaysMeetTheNearest(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	tree, list := cloud(r, 120)
	for _, n := range []int{0, 1, 5, 60} {
		f := &Field{First: make([]uint32, n)}
		places := make([]geom.V, n)
		for i := range places {
			f.First[i] = bvh.NoTriangle
			places[i] = geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}.Mul(6)
			m := geom.Translation(places[i])
			inv, _ := m.Affine()
			box := geom.Empty()
			for _, x := range list {
				box = box.Add(m.Point(x[0])).Add(m.Point(x[1])).Add(m.Point(x[2]))
			}
			f.Stands = append(f.Stands, Stand{Tree: tree, Box: box, Inv: inv, Instance: int32(i)})
		}
		f.Build()
		var ask odd
		quests, sent := make([]Quest, 301), make([]*Quest, 301)
		for i := range quests {
			from := geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}.Mul(8)
			to := geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}.Mul(3)
			quests[i].Ray = New(from, to.Sub(from).Unit())
			if i%3 == 0 {
				quests[i].Pass = &ask
			}
			quests[i].Any = i%7 == 0
			sent[i] = &quests[i]
		}
		var c Crowd
		c.Send(f, sent)
		hits := 0
		for i := range quests {
			alone := Quest{Ray: quests[i].Ray, Any: quests[i].Any, Pass: quests[i].Pass}
			if f.Send(&alone); alone.Met != quests[i].Met || alone.Met && alone.Hit != quests[i].Hit {
				t.Fatalf("%d stands: ray %d comes to %+v together, %+v alone", n, i, quests[i].Hit, alone.Hit)
			}
			want := math.Inf(1)
			for _, at := range places {
				want = min(want, nearest(&alone, list, at, alone.Pass != nil))
			}
			if alone.Met == math.IsInf(want, 1) || alone.Met && !alone.Any && math.Abs(alone.Hit.T-want) > 1e-4*want {
				t.Fatalf("%d stands: ray %d meets something %v at %v, of all it is %v", n, i, alone.Met, alone.Hit.T, want)
			}
			if alone.Met {
				hits++
			}
		}
		if n == 60 && (hits < 60 || ask.asked < 20) || n == 0 && hits > 0 {
			t.Errorf("%d stands: %d hits, asked %d times", n, hits, ask.asked)
		}
	}
}

// A structure of the same triangles asks where it is told to.
func TestLikeAsksElsewhere(t *testing.T) {
	tree, _ := cloud(rand.New(rand.NewPCG(5, 6)), 40)
	other := tree.Like(func(triangle uint32) bool { return triangle < 10 })
	seen := 0
	for i, b := range other.Blocks() {
		for k, id := range b.ID {
			if id == bvh.NoTriangle {
				continue
			}
			seen++
			own := id &^ AsksBit
			if id&AsksBit != 0 != (own < 10) || own != tree.Blocks()[i].ID[k]&^AsksBit {
				t.Errorf("triangle %d asks: %v", own, id&AsksBit != 0)
			}
		}
	}
	if seen != 40 {
		t.Errorf("%d triangles", seen)
	}
}
