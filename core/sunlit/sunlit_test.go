package sunlit

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
)

// panes are notes behind two windows, and a few far off.
func panes(r *rand.Rand, to geom.V, n int) (list []Note) {
	t, b := geom.Frame(to)
	for i := range n {
		x, y := r.Float64(), 2*r.Float64()
		switch {
		case i%40 == 7:
			x, y = 60*r.Float64()-30, 60*r.Float64()-30
		case i%3 == 0:
			x += 5
		}
		list = append(list, Note{t.Mul(x).Add(b.Mul(y)).Add(to.Mul(-3 * r.Float64())), 0.5 + r.Float64()})
	}
	return list
}

// Rays begin as densely as is told: the mean of one over the density is the size of all that they may come through,
// and most come through what was noted.
func TestRaysBeginAsDenselyAsIsTold(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	to := geom.V{X: 0.5, Y: 0.7, Z: -0.2}.Unit()
	a := Learn(to, panes(r, to, 400))
	if a == nil {
		t.Fatal("nothing is learned")
	}
	tt, b := geom.Frame(to)
	d := to.Add(tt.Mul(0.05)).Unit() // a place near the sun's edge
	n := to.Add(b.Mul(0.8)).Unit()   // a surface aslant
	const draws = 200_000
	size, within := 0.0, 0
	for range draws {
		o := a.Begin(r.Float64(), r.Float64())
		if math.Abs(o.Dot(to)-a.at) > 1e-9 {
			t.Fatalf("a ray begins %v m from the plane", o.Dot(to)-a.at)
		}
		p := o.Sub(d.Mul(0.3 + 4*r.Float64()))
		size += 1 / a.Density(p, n, d) / draws
		if x, y := o.Dot(tt), o.Dot(b); y > -0.3 && y < 2.3 && (x > -0.3 && x < 1.3 || x > 4.7 && x < 6.3) {
			within++
		}
	}
	// A square metre of the surface is as large on the plane as it faces d, aslant.
	want := a.cells[0].size() / (math.Abs(n.Dot(d)) / d.Dot(to))
	if math.Abs(size-want) > 0.03*want {
		t.Errorf("the mean of one over the density is %v m², all is %v m²", size, want)
	}
	if share := float64(within) / draws; share < 0.45 {
		t.Errorf("%v of rays begin before the windows", share)
	}
}

// Each cell is as likely to be come through as is told.
func TestCellsAreChosenAsOftenAsTold(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	to := geom.V{Y: 1}
	a := Learn(to, panes(r, to, 300))
	sum := 0.0
	for i := range a.cells {
		c := &a.cells[i]
		if c.left > 0 {
			if l, q := &a.cells[c.left], &a.cells[c.left+1]; math.Abs(l.size()+q.size()-c.size()) > 1e-9*c.size() {
				t.Errorf("a cell of %v m² is divided into %v and %v", c.size(), l.size(), q.size())
			}
			continue
		}
		sum += c.chance
	}
	if math.Abs(sum-1) > 1e-9 || math.Abs(a.cells[0].chance-1) > 1e-9 {
		t.Errorf("chances add up to %v", sum)
	}
	const draws = 400_000
	count := map[float64]float64{} // by the density, which is another one in each cell
	chance := map[float64]float64{}
	for i := range a.cells {
		if c := &a.cells[i]; c.left == 0 {
			chance[c.chance/c.size()] += c.chance
		}
	}
	for range draws {
		o := a.Begin(r.Float64(), r.Float64())
		count[a.Density(o.Sub(to), to, to)] += 1.0 / draws
	}
	for d, c := range count {
		if math.Abs(c-chance[d]) > 5*math.Sqrt(chance[d]/draws)+1e-6 {
			t.Errorf("of density %v: %v, told %v", d, c, chance[d])
		}
	}
}

// Nothing would come to what lies before the plane, beside it, or faces along it.
func TestWhereRaysDoNotCome(t *testing.T) {
	to := geom.V{Y: 1}
	a := Learn(to, panes(rand.New(rand.NewPCG(1, 1)), to, 100))
	for _, p := range []geom.V{{Y: a.at + 0.1}, {X: 1000}, {Z: -1000}} {
		if d := a.Density(p, to, to); d != 0 {
			t.Errorf("at %v: %v", p, d)
		}
	}
	if d := a.Density(geom.V{Y: -1}, geom.V{X: 1}, to); d != 0 {
		t.Errorf("a wall along the light: %v", d)
	}
	if d := a.Density(geom.V{Y: -1}, to, geom.V{X: 1}); d != 0 {
		t.Errorf("light along the plane: %v", d)
	}
}

// Of few notes, none that count, and such as no number shows, nothing is learned.
func TestWhatTellsNothing(t *testing.T) {
	to := geom.V{Y: 1}
	list := panes(rand.New(rand.NewPCG(2, 1)), to, 100)
	if Learn(to, list[:leastNotes-1]) != nil || Learn(to, nil) != nil {
		t.Error("of a few")
	}
	for _, bad := range []Note{{geom.V{X: math.NaN()}, 1}, {geom.V{X: 1e308, Z: -1e308}, 1}, {geom.V{}, math.Inf(1)},
		{geom.V{}, math.NaN()}, {geom.V{}, -1}} {
		if Learn(to, append(list[:40:40], bad, bad, bad, bad, bad, bad, bad, bad, bad)) != nil {
			t.Errorf("of %+v", bad)
		}
	}
	one := make([]Note, 200)
	for i := range one {
		one[i] = Note{geom.V{X: 3}, 1}
	}
	if a := Learn(to, one); a == nil || !(a.Density(geom.V{X: 3}, to, to) > 0) {
		t.Error("of one place only")
	}
}
