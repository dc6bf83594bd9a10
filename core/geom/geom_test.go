package geom

import (
	"math"
	"math/rand/v2"
	"testing"
)

func random(r *rand.Rand) V { return V{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()} }

func close3(a, b V, tol float64) bool { return a.Sub(b).Len() <= tol }

func TestAMatrixTimesItsInverseChangesNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for i := 0; i < 200; i++ {
		m := Compose(random(r), Turn(random(r).Unit(), r.Float64()*7), V{0.1 + r.Float64(), 2, -0.5})
		inv, ok := m.Affine()
		if !ok {
			t.Fatal("not invertible")
		}
		p := random(r)
		if got := inv.Point(m.Point(p)); !close3(got, p, 1e-9) {
			t.Fatalf("went from %v to %v", p, got)
		}
	}
	flat := Compose(V{}, Q{}, V{1, 0, 1})
	if _, ok := flat.Affine(); ok {
		t.Error("a flattening matrix has no inverse")
	}
}

func TestAQuarterTurnAboutYCarriesXToMinusZ(t *testing.T) {
	if got := Turn(V{Y: 1}, math.Pi/2).Rotate(V{X: 1}); !close3(got, V{Z: -1}, 1e-15) {
		t.Errorf("got %v", got)
	}
}

func TestRotationsKeepLengthAndComposeLikeMatrices(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for i := 0; i < 200; i++ {
		a, b, v := Turn(random(r).Unit(), r.Float64()*6), Turn(random(r).Unit(), r.Float64()*6), random(r)
		if got, want := a.Mul(b).Rotate(v), a.Rotate(b.Rotate(v)); !close3(got, want, 1e-12) {
			t.Fatalf("%v is not %v", got, want)
		}
		if math.Abs(a.Rotate(v).Len()-v.Len()) > 1e-12 {
			t.Fatal("length changed")
		}
	}
}

func TestHalfWayOfAQuarterTurnIsAnEighth(t *testing.T) {
	got := Slerp(Q{}, Turn(V{Y: 1}, math.Pi/2), 0.5).Rotate(V{X: 1})
	want := Turn(V{Y: 1}, math.Pi/4).Rotate(V{X: 1})
	if !close3(got, want, 1e-12) {
		t.Errorf("got %v, want %v", got, want)
	}
}

func TestFramesAreOrthonormalAndRightHanded(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for i := 0; i < 500; i++ {
		n := random(r).Unit()
		if i == 0 {
			n = V{Z: -1}
		}
		a, b := Frame(n)
		if math.Abs(a.Dot(b)) > 1e-9 || math.Abs(a.Dot(n)) > 1e-9 || !close3(a.Cross(b), n, 1e-9) {
			t.Fatalf("frame of %v is %v, %v", n, a, b)
		}
	}
}

func TestBoxesGrowTurnAndAreHit(t *testing.T) {
	b := Empty().Add(V{-1, 0, -1}).Add(V{1, 2, 1})
	if b.Size() != (V{2, 2, 2}) || b.Center() != (V{0, 1, 0}) {
		t.Fatalf("box is %v", b)
	}
	turned := b.Apply(Compose(V{}, Turn(V{Y: 1}, math.Pi/4), V{1, 1, 1}))
	if math.Abs(turned.Size().X-2*math.Sqrt2) > 1e-12 {
		t.Errorf("turned by 45 degrees it is %v wide", turned.Size().X)
	}
	if d, ok := b.Hit(V{0, 1, 5}, V{Z: -1}); !ok || d != 4 {
		t.Errorf("hit at %v, %v", d, ok)
	}
	if _, ok := b.Hit(V{0, 5, 5}, V{Z: -1}); ok {
		t.Error("a ray above the box hit it")
	}
	if !Empty().IsEmpty() || Empty().Size() != (V{}) {
		t.Error("the empty box is not empty")
	}
}

// Enter says the same as Hit, for rays along the axes and within faces as well.
func TestARayEntersABoxWhereItHitsIt(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	b := Box{Min: V{X: -1, Y: 0, Z: 2}, Max: V{X: 1, Y: 3, Z: 2.5}}
	met := 0
	for range 20_000 {
		o := V{X: 4 * r.NormFloat64(), Y: 4 * r.NormFloat64(), Z: 4 * r.NormFloat64()}
		d := V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}
		switch r.IntN(4) {
		case 0:
			d.X, d.Y = 0, math.Copysign(0, d.Y) // along Z, also with a negative zero
		case 1:
			o.Y, d.Y = 1.5, 0
		}
		want, ok := b.Hit(o, d)
		got := b.Enter(o, V{X: 1 / d.X, Y: 1 / d.Y, Z: 1 / d.Z}, 1e-12, 1e-12)
		if ok != !math.IsInf(got, 1) || ok && math.Abs(got-want) > 1e-9*(1+want) {
			t.Fatalf("from %v along %v: enters at %v, hits at %v %v", o, d, got, want, ok)
		}
		if ok {
			met++
		}
	}
	if met < 500 {
		t.Errorf("%d rays met the box", met)
	}
	// Within a face it is met, whichever way a zero points.
	for _, zero := range []float64{0, math.Copysign(0, -1)} {
		if at := b.Enter(V{X: -1, Y: 1, Z: 0}, V{X: 1 / zero, Y: 1 / zero, Z: 1}, 1e-12, 1e-12); at != 2 {
			t.Errorf("within a face it enters at %v", at)
		}
	}
}

// Boxes meet where their sides do, a reach apart counts with that reach alone; a turn and
// its way back bring every vector home.
func TestBoxesMeetAndTurnsAreUndone(t *testing.T) {
	a, b := Box{Max: V{1, 1, 1}}, Box{Min: V{1, 0.5, 0.5}, Max: V{2, 2, 2}}
	if !a.Meets(&b, 0) || !b.Meets(&a, 0) {
		t.Error("boxes side by side do not meet")
	}
	for k := range 3 {
		d := [3]V{{X: 0.25}, {Y: 0.75}, {Z: 0.75}}[k] // a quarter beyond
		c := Box{Min: b.Min.Add(d), Max: b.Max.Add(d)}
		if a.Meets(&c, 0.24) || !a.Meets(&c, 0.26) || c.Meets(&a, 0.24) || !c.Meets(&a, 0.26) {
			t.Errorf("a quarter apart along %d", k)
		}
	}
	r := rand.New(rand.NewPCG(2, 2))
	for range 50 {
		q, v := Turn(random(r).Unit(), 6*r.Float64()), random(r)
		if !close3(q.Back().Rotate(q.Rotate(v)), v, 1e-12) {
			t.Fatal("a turn is not undone")
		}
	}
}
