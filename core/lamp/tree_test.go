package lamp

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
)

// street is many lamps of all kinds along a road.
func street(n int, r *rand.Rand) []Lamp {
	lamps := make([]Lamp, n)
	for i := range lamps {
		l := Lamp{At: geom.V{X: r.Float64() * 400, Y: 3 + r.Float64()*5, Z: r.Float64()*20 - 10}, Dir: geom.V{Y: -1},
			Candela: geom.V{X: 1, Y: 1, Z: 1}.Mul(50 + 500*r.Float64()), Shape: Shape(i % 5), Radius: 0.1}
		switch l.Shape {
		case Point:
			l.Spot = i%2 == 0
			l.CosOuter, l.CosInner, l.Radius = 0.6, 0.8, 0
		case Tube:
			l.U = geom.V{X: 0.6}
		case Rectangle:
			l.U, l.V = geom.V{X: 0.3}, geom.V{Z: 0.3}
		}
		lamps[i] = l
	}
	return lamps
}

// A lamp is chosen as often as is told, all that give something can be, and all chances add up to one.
func TestLampsAreChosenAsOftenAsTold(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 2))
	for _, n := range []int{1, 8, 9, 300} {
		lamps := street(n, r)
		tree := NewTree(lamps)
		for _, p := range []geom.V{{X: 100}, {X: 399, Y: 2, Z: 9}, {X: -50, Y: 6}, lamps[0].At} {
			sum := 0.0
			for i := range lamps {
				c := tree.Chance(p, i)
				sum += c
				if e, _, _ := lamps[i].Toward(p); luminance(e) > 0 && !(c > 0) {
					t.Fatalf("lamp %d of %d gives light to %v and is never chosen", i, n, p)
				}
			}
			const draws = 100_000
			count, left := make([]float64, n), 0.0
			lost := 0.0
			for k := range draws {
				i, c, u := tree.Choose(p, (float64(k)+r.Float64())/draws)
				if i < 0 {
					lost++
					continue
				}
				if want := tree.Chance(p, i); math.Abs(c-want) > 1e-9 {
					t.Fatalf("lamp %d is chosen with %v, told %v", i, c, want)
				}
				count[i]++
				left += u
			}
			if math.Abs(sum+lost/draws-1) > 1e-3 { // a group that was told brighter than it is
				t.Errorf("%d lamps at %v: chances are %v, %v of them found none", n, p, sum, lost/draws)
			}
			for i := range count {
				if c := tree.Chance(p, i); math.Abs(count[i]/draws-c) > 4*math.Sqrt(c/draws)+1e-4 {
					t.Errorf("lamp %d of %d: chosen %v, told %v", i, n, count[i]/draws, c)
				}
			}
			if mean := left / (draws - lost); lost < draws && math.Abs(mean-0.5) > 0.02 {
				t.Errorf("what is left of a number is %v in the mean", mean)
			}
		}
	}
}

// What the tree keeps of a lamp tells what the lamp says of itself, near and far, in the middle of it, out of reach.
func TestWhatIsKeptOfALampIsWhatItGives(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	lamps := street(60, r)
	for i := range lamps {
		if i%7 == 3 {
			lamps[i].Range = 40
		}
	}
	tree := NewTree(lamps)
	for k, i := range tree.order {
		l := &lamps[i]
		for _, p := range []geom.V{l.At, l.At.Add(geom.V{X: 0.02}), l.At.Sub(geom.V{Y: 0.06}), {X: 200, Z: 3}} {
			e, _, _ := l.Toward(p)
			if got, want := tree.gives(int32(k), p), luminance(e); math.Abs(got-want) > 1e-12*want {
				t.Errorf("%+v at %v: %v, it says %v", l, p, got, want)
			}
		}
	}
}

// All lamps that a ray meets are asked, and few others.
func TestLampsAlongARay(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	lamps := street(500, r)
	tree := NewTree(lamps)
	asked := 0
	for range 2000 {
		o := geom.V{X: r.Float64() * 400, Y: 1, Z: r.Float64()*20 - 10}
		d := lamps[r.IntN(500)].At.Sub(o).Unit()
		seen := map[int]bool{}
		tree.Along(o, d, math.Inf(1), func(i int) { seen[i] = true })
		asked += len(seen)
		for i := range lamps {
			if _, ok := lamps[i].Meet(o, d); ok && lamps[i].Shape != Point && !seen[i] {
				t.Fatalf("lamp %d is met and was not asked", i)
			}
		}
	}
	if asked > 2000*200 {
		t.Errorf("%d lamps a ray are asked of 500", asked/2000)
	}
	NewTree(nil).Along(geom.V{}, geom.V{X: 1}, 9, func(int) { t.Error("of no lamps one is asked") })
}

// What all lamps give is told within a factor of three of their sum.
func TestWhatAllLampsGive(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 7))
	lamps := street(1000, r)
	tree := NewTree(lamps)
	for range 200 {
		p := geom.V{X: r.Float64() * 400, Z: r.Float64()*20 - 10}
		sum := 0.0
		for i := range lamps {
			e, _, _ := lamps[i].Toward(p)
			sum += luminance(e)
		}
		if got := tree.Given(p); got > 3*sum || got < sum/3 {
			t.Fatalf("at %v: %v, their sum is %v", p, got, sum)
		}
	}
}

func BenchmarkChoosingAmongLamps(b *testing.B) {
	for _, n := range []int{10, 1000, 5000} {
		tree := NewTree(street(n, rand.New(rand.NewPCG(1, 1))))
		b.Run(map[int]string{10: "ten", 1000: "a thousand", 5000: "five thousand"}[n], func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				tree.Choose(geom.V{X: float64(i%400) + 0.5}, 0.3)
			}
		})
	}
}
