package air

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
)

// some are airs of every shape, with ways that begin in, below and above them.
func some() *Air {
	return &Air{Parts: []Part{
		{Sigma: 0.02, Thin: 30, Base: 2, Albedo: geom.V{X: 1, Y: 1, Z: 1}, Mean: 0.6},
		{Sigma: 0.003},
		{Shape: Ball, Sigma: 0.3, Inv: Within(geom.V{X: 5, Y: 3}, geom.V{X: 4, Y: 2, Z: 4}, 0)},
		{Shape: Box, Sigma: 0.2, Inv: Within(geom.V{X: -4, Y: 1, Z: 2}, geom.V{X: 3, Y: 1, Z: 6}, 0.7)},
	}}
}

func anyway(r *rand.Rand) (o, d geom.V, far float64) {
	v := func(s float64) float64 { return (r.Float64() - 0.5) * s }
	o = geom.V{X: v(30), Y: v(20) + 4, Z: v(30)}
	d = geom.V{X: v(2), Y: v(2), Z: v(2)}.Unit()
	if r.IntN(8) == 0 {
		d = geom.V{X: d.X, Z: d.Z}.Unit() // level
	}
	return o, d, 0.1 + r.Float64()*60
}

// The optical depth in closed form is that which steps of a millimetre's share add up to.
func TestDepthIsTheSumOfItsSteps(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 2))
	a := some()
	for range 200 {
		o, d, far := anyway(r)
		const n = 20_000
		sum := 0.0
		for i := range n {
			sum += a.Sigma(o.Add(d.Mul(far*(float64(i)+0.5)/n))) * far / n
		}
		if got := a.Depth(o, d, far); math.Abs(got-sum) > 2e-4*(1+sum) {
			t.Fatalf("from %v along %v, %v m: %v, added up %v", o, d, far, got, sum)
		}
	}
}

// In haze in which one sees 1,000 m a dark thing 1,000 m away has 5 % of its contrast, 2 % at 3.912 / extinction
// (Koschmieder; World Meteorological Organization).
func TestContrastFallsAsKoschmiederSays(t *testing.T) {
	beta := Extinction(1000)
	if math.Abs(beta*1000-2.9957) > 1e-4 {
		t.Errorf("extinction times visibility is %v", beta*1000)
	}
	a := &Air{Parts: []Part{{Sigma: beta}}}
	for _, c := range []struct{ far, left float64 }{{1000, 0.05}, {3.912 / beta, 0.02}, {500, math.Sqrt(0.05)}} {
		if got := a.Through(geom.V{}, geom.V{X: 1}, c.far); math.Abs(got-c.left) > 1e-4 {
			t.Errorf("%v m: %v is left, want %v", c.far, got, c.left)
		}
	}
	if Extinction(0) != 0 || !(&Air{}).Clear() {
		t.Error("no visibility is no haze")
	}
}

// Where light meets the air is as likely as the transmittance says: half of it comes as far as half of it is left.
func TestLightRunsAsFarAsItIsLeft(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	a := some()
	for range 300 {
		o, d, far := anyway(r)
		if r.IntN(3) == 0 {
			far = math.Inf(1)
		}
		u := r.Float64()
		at, ok := a.Free(o, d, far, u)
		left := a.Through(o, d, far)
		if ok != (1-u > left) {
			t.Fatalf("met %v where %v is left for %v", ok, left, 1-u)
		}
		if got := a.Through(o, d, at); ok && math.Abs(got-(1-u)) > 1e-5 {
			t.Fatalf("as far as %v of it is left, not %v", got, 1-u)
		}
	}
	if _, ok := (&Air{Parts: []Part{{Sigma: 1e-300}}}).Free(geom.V{}, geom.V{X: 1}, math.Inf(1), 0.5); ok {
		t.Error("light stops in next to nothing")
	}
}

// In air of one part the place is known in closed form: it is that which is searched for in any.
func TestTheClosedFormIsWhatIsSearchedFor(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 5))
	for range 4000 {
		part := some().Parts[r.IntN(4)]
		if part.Shape == Layer && r.IntN(4) == 0 {
			part.Thin = math.Exp(r.Float64()*16 - 4)
		}
		a := &Air{Parts: []Part{{Sigma: 0}, part}}
		o, d, far := anyway(r)
		switch r.IntN(4) {
		case 0:
			far = math.Inf(1)
		case 1:
			d = geom.V{X: d.X, Y: d.Y * 1e-9, Z: d.Z}.Unit() // nearly level
		}
		depth := a.Depth(o, d, far)
		if !(depth > 1e-9) {
			continue
		}
		want := r.Float64() * min(depth, 20)
		got, ok := a.Reach(o, d, far, want)
		slow, found := a.search(o, d, far, want)
		if ok != found || ok && math.Abs(got-slow) > 2e-6*(1+slow) {
			t.Fatalf("%+v from %v along %v, %v m, for %v of %v: %v %v, searched %v %v", part, o, d, far, want, depth,
				got, ok, slow, found)
		}
		if held := a.Depth(o, d, got); ok && math.Abs(held-want) > 1e-9*(1+want) {
			t.Fatalf("%+v: the way of %v m holds %v, not %v", part, got, held, want)
		}
	}
}

// The phase function is 1 over all directions, its mean cosine is g, and directions are chosen so (Henyey and
// Greenstein).
func TestThePhaseFunction(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for _, g := range []float64{-0.7, 0, 0.0005, 0.3, 0.9} {
		q := Part{Mean: g}
		d := geom.V{X: 0.3, Y: -0.5, Z: 0.8}.Unit()
		const n = 200_000
		whole, mean, back := 0.0, 0.0, 0.0
		for i := range n {
			z := (float64(i)+0.5)/n*2 - 1
			tt, _ := geom.Frame(d)
			p := q.Phase(d, d.Mul(z).Add(tt.Mul(math.Sqrt(1-z*z))))
			whole += p * 4 * math.Pi / n
			mean += p * z * 4 * math.Pi / n
			back += q.Scatter(d, r.Float64(), r.Float64()).Dot(d) / n
		}
		if math.Abs(whole-1) > 1e-3 || math.Abs(mean-g) > 1e-3 || math.Abs(back-g) > 5e-3 {
			t.Errorf("g %v: whole %v, mean %v, chosen %v", g, whole, mean, back)
		}
	}
}

// Places near a lamp are chosen with the density that is told: it integrates to 1.
func TestPlacesAbeam(t *testing.T) {
	o, d, lamp := geom.V{X: -3}, geom.V{X: 1}, geom.V{X: 2, Y: 0.7}
	const n = 100_000
	sum := 0.0
	for i := range n {
		sum += AbeamDensity(o, d, 9, lamp, 9*(float64(i)+0.5)/n) * 9 / n
		at, p := Abeam(o, d, 9, lamp, (float64(i)+0.5)/n)
		if want := AbeamDensity(o, d, 9, lamp, at); math.Abs(p-want) > 1e-9*want || at < 0 || at > 9 {
			t.Fatalf("%v at %v, told %v", p, at, want)
		}
	}
	if math.Abs(sum-1) > 1e-4 {
		t.Errorf("the density adds up to %v", sum)
	}
	if _, p := Abeam(o, d, math.Inf(1), lamp, 0.5); !(p > 0) {
		t.Error("a way without end has a middle")
	}
}
