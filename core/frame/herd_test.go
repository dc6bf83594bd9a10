package frame

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/optics"
)

// meadow is n copies of a lump and a post scattered before the lens, out to some
// hundred metres.
func meadow(r *rand.Rand, n int) []contact.Copy {
	bodies := []*contact.Body{lump(r), block(geom.V{X: -0.1, Z: -0.1}, geom.V{X: 0.1, Y: 1, Z: 0.1})}
	out := make([]contact.Copy, n)
	for i := range out {
		d := 400 * math.Sqrt(r.Float64())
		out[i] = contact.Copy{Body: bodies[r.IntN(2)], At: geom.V{X: r.NormFloat64() * d / 2, Y: 0.3 * r.NormFloat64(),
			Z: -d},
			Turn:  geom.Turn(geom.V{X: 0.2 * r.NormFloat64(), Y: 1, Z: 0.2 * r.NormFloat64()}.Unit(), 7*r.Float64()),
			Scale: 0.2 + r.Float64()}
	}
	return out
}

// A herd is seen as its copies are, one by one: where rays meet it, how far it reaches,
// where it falls in the picture, what lies within it, what is farthest out.
func TestAHerdIsSeenAsItsCopies(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for round := range 12 {
		n := 1 + r.IntN(400)
		if round == 0 {
			n = 12_000 // whose tree is made in halves
		}
		list := meadow(r, n)
		world := geom.Compose(geom.V{X: r.NormFloat64(), Y: r.NormFloat64()},
			geom.Turn(geom.V{Y: 1}, 0.3*r.NormFloat64()), geom.V{X: 1, Y: 1, Z: 1})
		herd := contact.NewHerd(len(list), func(i int32) contact.Copy { return list[i] }).Stand(world)
		var single []Thing
		for i := range list {
			single = append(single, Thing{ID: "a", Body: contact.Stand(list[i].Body, world.Mul(list[i].World()))})
		}
		if herd.Copies() != len(list) {
			t.Fatalf("%d copies of %d", herd.Copies(), len(list))
		}
		n = 0
		herd.Each(func(*contact.Placed) bool { n++; return true })
		if n != len(list) {
			t.Errorf("%d of %d are visited", n, len(list))
		}
		one, many := NewScene([]Thing{{ID: "a", Body: herd}}), NewScene(single)
		for range 4 {
			v := randomView(r)
			a, b := RangeOf([]Moment{{v, one}}), RangeOf([]Moment{{v, many}})
			if a.Seen != b.Seen || a.Seen && (math.Abs(a.Near-b.Near) > 1e-6*b.Near ||
				math.Abs(a.Far-b.Far) > 1e-6*b.Far) {
				t.Errorf("%d: range %v to %v, one by one %v to %v", round, a.Near, a.Far, b.Near, b.Far)
			}
			for range 60 {
				d := v.Ray(r.Float64(), r.Float64())
				x, okX := one.Ray(v.Eye, d, 0, math.Inf(1), nil)
				y, okY := many.Ray(v.Eye, d, 0, math.Inf(1), nil)
				if okX != okY || okX && (math.Abs(x.T-y.T) > 1e-6*y.T || x.Normal.Sub(y.Normal).Len() > 1e-6) {
					t.Errorf("%d: a ray meets %+v %v, one by one %+v %v", round, x, okX, y, okY)
				}
			}
			span, all := one.Spans(&v)[0], optics.Span{Near: math.Inf(1), Far: math.Inf(-1), Left: 1, Top: 1}
			for i := range single {
				s := optics.Span{}
				s.Seen = true
				one := *many
				to, tx, ty := v.Upright()
				if one.exact(i, to, tx, ty, &s); s.Seen {
					all.Seen = true
					all.Near, all.Far = min(all.Near, s.Near), max(all.Far, s.Far)
					all.Left, all.Right = min(all.Left, s.Left), max(all.Right, s.Right)
					all.Top, all.Bottom = min(all.Top, s.Top), max(all.Bottom, s.Bottom)
				}
			}
			if all.Seen && (math.Abs(span.Near-all.Near) > 1e-6*all.Near || math.Abs(span.Far-all.Far) > 1e-6*all.Far ||
				math.Abs(span.Left-all.Left)+math.Abs(span.Right-all.Right)+math.Abs(span.Top-all.Top)+
					math.Abs(span.Bottom-all.Bottom) > 1e-6) {
				t.Errorf("%d: span %+v, one by one %+v", round, span, all)
			}
		}
		for range 40 {
			p := single[r.IntN(len(single))].Body.Box
			q := geom.V{X: p.Min.X + r.Float64()*p.Size().X, Y: p.Min.Y + r.Float64()*p.Size().Y,
				Z: p.Min.Z + r.Float64()*p.Size().Z}
			in := false
			for i := range single {
				in = in || single[i].Body.Within(q)
			}
			if herd.Within(q) != in {
				t.Errorf("%d: %v within: %v", round, q, !in)
			}
		}
		farthest := geom.Empty()
		for _, s := range single {
			for _, p := range s.Body.Outer() {
				farthest = farthest.Add(p)
			}
		}
		got := geom.Empty()
		for _, p := range herd.Outer() {
			got = got.Add(p)
		}
		if got.Size().Sub(farthest.Size()).Len() > 0.25*farthest.Size().Len() || got.Max.X > herd.Box.Max.X+1e-6 {
			t.Errorf("%d: outermost %v, one by one %v", round, got, farthest)
		}
	}
	if contact.NewHerd(3, func(int32) contact.Copy { return contact.Copy{} }).Stand(geom.Identity) != nil {
		t.Error("a herd of nothing stands")
	}
}

// A meadow of a million: the range over 240 frames, the picture and its spans.
func BenchmarkAMillionCopies(b *testing.B) {
	r := rand.New(rand.NewPCG(9, 9))
	list := meadow(r, 1_000_000)
	var herd *contact.Placed
	b.Run("tree", func(b *testing.B) {
		for b.Loop() {
			herd = contact.NewHerd(len(list), func(i int32) contact.Copy { return list[i] }).Stand(geom.Identity)
		}
	})
	if herd == nil {
		herd = contact.NewHerd(len(list), func(i int32) contact.Copy { return list[i] }).Stand(geom.Identity)
	}
	s := NewScene([]Thing{{ID: "a", Body: herd}})
	v := optics.Default()
	v.Eye = geom.V{Y: 1.6, Z: 3}
	var all []Moment
	for i := range 240 {
		m := v
		m.Eye.X, m.Eye.Z, m.Yaw = 0.05*float64(i), 3-0.02*float64(i), 0.001*float64(i)
		all = append(all, Moment{m, s})
	}
	b.Run("range", func(b *testing.B) {
		for b.Loop() {
			RangeOf(all)
		}
	})
	b.Run("spans", func(b *testing.B) {
		for b.Loop() {
			s.Spans(&v)
		}
	})
	b.Run("picture", func(b *testing.B) {
		for b.Loop() {
			s.Draw(&v, 96, 54)
		}
	})
}
