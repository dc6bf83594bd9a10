package surface

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// pole is the mantle of a cylinder about an upright axis through at.
func pole(at geom.V, radius, height float64, sides int) *model.Part {
	p := &model.Part{Kind: model.Triangles}
	for i := range sides {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(sides))
		for _, y := range []float64{0, height} {
			p.Positions = append(p.Positions, float32(at.X+radius*sin), float32(at.Y+y), float32(at.Z+radius*cos))
		}
		a, b := uint32(2*i), uint32(2*((i+1)%sides))
		p.Indices = append(p.Indices, a, b, b+1, a, b+1, a+1)
	}
	return p
}

// Round a pole of 0.25 m a picture of 0.4 m repeats four times (2π·0.25/0.4 is 3.93): each of its sides is as wide in
// it, the last one meets the first, and down it is a metre a metre; in whatever units the pole is.
func TestPicturesGoRoundAPole(t *testing.T) {
	for _, metres := range []float64{1, 0.01} {
		const sides, tile = 48, 0.4
		p := Round(pole(geom.V{X: 3 / metres, Z: -7 / metres}, 0.25/metres, 2/metres, sides), metres, tile)
		wide := 4 * tile / sides
		for c := 0; c < len(p.Indices); c += 3 {
			least, most := math.Inf(1), math.Inf(-1)
			for k := range 3 {
				u, v, q := float64(p.UV[2*(c+k)]), float64(p.UV[2*(c+k)+1]), p.Position(uint32(c+k))
				least, most = min(least, u), max(most, u)
				if math.Abs(v+q.Y*metres) > 1e-5 {
					t.Fatalf("%v down at the height %v", v, q.Y*metres)
				}
				// What is at the same place of the pole is at the same place of the picture.
				turn := math.Atan2(q.X*metres-3, q.Z*metres+7)
				if off := u/tile - 4*turn/(2*math.Pi); math.Abs(off-math.Round(off)) > 1e-3 {
					t.Fatalf("%v is %v repeats beside", turn, off)
				}
			}
			if math.Abs(most-least-wide) > 1e-4 {
				t.Fatalf("a side is %v wide, not %v", most-least, wide)
			}
		}
	}
	if p := Round(&model.Part{}, 1, 1); len(p.UV) != 0 {
		t.Error("of nothing something")
	}
}

// What runs on over neighbours lies by where it is in the set; what lies apart lies elsewhere on each thing, and on the
// same thing always at the same place.
func TestPatternsRunOnOrLieApart(t *testing.T) {
	s := model.DefaultSurface()
	s.Slots[model.BaseColorMap] = model.Slot{Map: 0, Scale: [2]float64{2, 2}}
	s.Pattern.World = true
	at, n := geom.V{X: 4.25, Y: 1.5, Z: -2}, geom.V{X: 1}
	u, v, tan, bit := Placed(&s, 1, at, n, 9, 9)
	if u != -2 || v != -1.5 || tan != (geom.V{Z: 1}) || bit != (geom.V{Y: -1}) {
		t.Error(u, v, tan, bit)
	}
	if u2, v2, _, _ := Placed(&s, 2, at, n, 3, 3); u2 != u || v2 != v {
		t.Error("it does not run on")
	}
	s.Pattern = model.Pattern{Apart: true, Seed: 5}
	far := map[float64]bool{}
	for i := range 100 {
		seed := SeedOf("thing", i)
		u, v, tan, _ := Placed(&s, seed, at, n, 0, 0)
		if again, _, _, _ := Placed(&s, seed, at, n, 0, 0); again != u || tan != (geom.V{}) {
			t.Fatal("not as before")
		}
		if u < 0 || u > 0.5 || v < 0 || v > 0.5 {
			t.Fatalf("moved by %v, %v: more than a repeat", u, v)
		}
		far[u] = true
	}
	if len(far) < 95 {
		t.Errorf("%d places of 100", len(far))
	}
}

// A colour that varies stays the same on the mean, within its bounds, and from place to place it changes.
func TestColoursVary(t *testing.T) {
	p := &model.Pattern{Vary: 0.3, VaryOver: 2, Seed: 3}
	sum, least, most := 0.0, 2.0, 0.0
	const n = 20000
	for i := range n {
		x := Varied(p, 0, geom.V{X: float64(i%141) * 1.37, Y: 0.3, Z: float64(i/141) * 1.91})
		sum, least, most = sum+x, min(least, x), max(most, x)
	}
	if math.Abs(sum/n-1) > 0.02 || least < 0.7 || most > 1.3 || least > 0.8 || most < 1.2 {
		t.Errorf("mean %v, from %v to %v", sum/n, least, most)
	}
	a := Varied(p, 0, geom.V{X: 1})
	if b := Varied(p, 0, geom.V{X: 1.001}); math.Abs(a-b) > 1e-3 {
		t.Error("it jumps")
	}
	if p.Vary = 0; Varied(p, 0, geom.V{}) != 1 {
		t.Error("it varies by nothing")
	}
}
