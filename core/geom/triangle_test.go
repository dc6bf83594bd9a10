package geom

import (
	"math"
	"math/rand/v2"
	"testing"
)

// The distance is that to the nearest of many points of the triangle, or a little less.
func TestDistanceToATriangle(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	some := func() V { return V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()} }
	for range 300 {
		a, b, c, p := some(), some(), some(), some()
		least := math.Inf(1)
		const n = 60
		for i := 0; i <= n; i++ {
			for k := 0; k <= n-i; k++ {
				q := a.Add(b.Sub(a).Mul(float64(i) / n)).Add(c.Sub(a).Mul(float64(k) / n))
				least = min(least, p.Sub(q).Len())
			}
		}
		got := p.Sub((&Triangle{a, b, c}).Nearest(p)).Len()
		if got > least+1e-9 || got < least-0.1 {
			t.Fatalf("%v from %v %v %v: %v, nearest of many %v", p, a, b, c, got, least)
		}
	}
	if q := (&Triangle{}).Nearest(V{X: 3}); q != (V{}) {
		t.Errorf("of a point %v", q)
	}
}
