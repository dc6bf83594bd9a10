package render

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// crowd are so many balls, some of them see-through, where at tells; ID i+1.
func crowd(t testing.TB, lib *Library, models []*model.Model, at []geom.V) *Scene {
	t.Helper()
	s := &Scene{}
	for i, p := range at {
		if math.IsNaN(p.X) {
			continue // it is gone
		}
		if err := s.Place(lib, models[i%len(models)], geom.Translation(p), func(int) uint32 { return uint32(i + 1) }); err != nil {
			t.Fatal(err)
		}
	}
	return s
}

func balls(rings int) (list []*model.Model) {
	for i := range 3 {
		k := &testScene{}
		k.add(sphere(k.surface(func(m *model.Surface) {
			m.BaseColor[3] = 0.5
			if i == 1 {
				m.Alpha = model.Blend
			}
		}), rings, geom.V{}, 0.3))
		list = append(list, &k.m)
	}
	return list
}

// TestAfterAnEditRaysMeetWhatStandsNow: after a few of many things moved, went and came, rays meet what they meet in a
// scene that is built from nothing, nearly where they meet it.
func TestAfterAnEditRaysMeetWhatStandsNow(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	somewhere := func() geom.V { return geom.V{X: 8 * r.Float64(), Y: 8 * r.Float64(), Z: 8 * r.Float64()} }
	at := make([]geom.V, 300)
	for i := range at {
		at[i] = somewhere()
	}
	at[7] = at[4] // two of a kind at one place
	models, lib := balls(10), &Library{Threads: 1}
	before := crowd(t, lib, models, at)
	before.Build()
	for round := range 4 {
		at[r.IntN(len(at))] = somewhere()
		at[r.IntN(len(at))].X = math.NaN()
		at = append(at, somewhere())
		if round == 0 {
			at[4] = somewhere()
		}
		after, anew := crowd(t, lib, models, at), crowd(t, lib, models, at)
		after.BuildAfter(before)
		anew.Build()
		if !after.Follows || anew.Follows || after.meshes[0].Count != before.meshes[0].Count {
			t.Fatal("what was merged was not taken over")
		}
		met := 0
		for range 20_000 {
			ray := NewRay(somewhere(), geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}.Unit())
			a, ok := after.Closest(ray)
			b, want := anew.Closest(ray)
			if ok != want || ok && (math.Abs(a.T-b.T) > 1e-4 || after.Instances[a.Instance].ID != anew.Instances[b.Instance].ID) {
				if ok && want && math.Abs(a.T-b.T) < 1e-5 {
					continue // where two balls cross, either may be met first
				}
				t.Fatalf("round %d: %+v of %d is met, from nothing %+v of %d", round, a, after.Instances[a.Instance].ID, b,
					anew.Instances[b.Instance].ID)
			}
			if ok {
				met++
			}
		}
		if met < 1000 {
			t.Fatalf("only %d rays met anything", met)
		}
		before = after
	}
}

// TestAfterMuchHasChangedAllIsBuilt: what is taken over has a bound.
func TestAfterMuchHasChangedAllIsBuilt(t *testing.T) {
	at := make([]geom.V, 300)
	for i := range at {
		at[i] = geom.V{X: float64(i)}
	}
	models, lib := balls(4), &Library{Threads: 1}
	before := crowd(t, lib, models, at)
	before.Build()
	for name, c := range map[string]struct {
		move    int
		follows bool
	}{"nothing": {0, true}, "a few": {20, true}, "many": {50, false}} {
		for i := range c.move {
			at[i].Y++
		}
		after := crowd(t, lib, models, at)
		after.BuildAfter(before)
		if after.Follows != c.follows {
			t.Errorf("%s moved: taken over %v", name, after.Follows)
		}
		for i := range c.move {
			at[i].Y--
		}
	}
	alone := crowd(t, lib, models, at[:1])
	alone.BuildAfter(before)
	if alone.Follows || len(alone.meshes) != 1 {
		t.Error("one thing of all is taken over")
	}
	var none *Scene
	alone.BuildAfter(none)
}

// BenchmarkEdit is one of 2,000 things moved, of two million triangles that are merged.
func BenchmarkEdit(b *testing.B) {
	at := make([]geom.V, 2000)
	for i := range at {
		at[i] = geom.V{X: float64(i % 50), Z: float64(i / 50)}
	}
	models, lib := balls(22), &Library{Threads: 2}
	before := crowd(b, lib, models, at)
	before.Build()
	at[77].Y = 1
	for name, of := range map[string]*Scene{"from nothing": nil, "after": before} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				crowd(b, lib, models, at).BuildAfter(of)
			}
		})
	}
}
