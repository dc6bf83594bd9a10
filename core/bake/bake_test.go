package bake

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/render"
	"visator/core/stage"
	"visator/core/surface"
)

// Cells of an atlas lie beside each other, within it, none smaller than two triangles need, and of those that are larger
// more is seen; what is too much is refused.
func TestCellsDoNotOverlap(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for _, n := range []int{1, 2, 3, 50, 4001} {
		legs := make([][2]float64, n)
		for i := range legs {
			legs[i] = [2]float64{math.Exp(2 * random.NormFloat64()), math.Exp(2 * random.NormFloat64())}
		}
		cells, side, texel := atlas(legs, 0.01, 1024)
		if side == 0 || side > 1024 || texel < 0.01 {
			t.Fatalf("%d triangles: %d texels wide", n, side)
		}
		taken := make([]bool, side*side)
		seen := make([]int, n)
		for _, c := range cells {
			for y := c.y; y < c.y+c.high; y++ {
				for x := c.x; x < c.x+c.wide; x++ {
					if x >= side || y >= side || taken[y*side+x] {
						t.Fatalf("%d triangles: the texel %d %d of %d is taken twice, or none", n, x, y, side)
					}
					taken[y*side+x] = true
				}
			}
			for _, k := range c.of {
				if k >= 0 {
					seen[k]++
				}
			}
		}
		for k, times := range seen {
			if times != 1 {
				t.Fatalf("triangle %d of %d is there %d times", k, n, times)
			}
		}
	}
	if _, side, _ := atlas(make([][2]float64, 40_000), 0.01, 1024); side != 0 {
		t.Error("20,000 cells fit into 16,384")
	}
	if cells, side, _ := atlas(nil, 0.01, 1024); cells != nil || side != 0 {
		t.Error("of nothing something")
	}
}

// What a texel stands for lies on its triangle where the triangle's coordinates say that it lies.
func TestTexelsLieWhereTheirCoordinatesAre(t *testing.T) {
	c := cell{x: 16, y: 32, wide: 16, high: 16, of: [2]int{0, 1}}
	for y := 32; y < 48; y++ {
		for x := 16; x < 32; x++ {
			u, v, upper := c.place(x, y)
			if u < 0 || v < 0 || u+v > 1+1e-12 {
				t.Fatalf("%d %d lies beside its triangle: %v %v", x, y, u, v)
			}
			q := c.corners(upper)
			at := [2]float64{}
			for k := range at {
				at[k] = q[0][k]*(1-u-v) + q[1][k]*u + q[2][k]*v
			}
			// Within the triangle it is the texel's own middle; beside it the nearest of it, at most three texels off.
			if off := math.Hypot(at[0]-float64(x)-0.5, at[1]-float64(y)-0.5); off > 4.3 {
				t.Errorf("%d %d is %v texels off", x, y, off)
			}
		}
	}
	for _, upper := range []bool{false, true} {
		q := c.corners(upper)
		for k := range q {
			if u, v, side := c.place(int(q[k][0]), int(q[k][1])); side != upper || u > 1 || v > 1 {
				t.Errorf("the corner %d lies on the other triangle", k)
			}
		}
	}
}

// A worn body that is baked is seen without its wear as it was seen with it: colour, roughness, metal, and the bent
// normal, to what eight bits and the size of a texel tell; as it stands, turned, scaled and mirrored.
func TestBakedIsAsItStands(t *testing.T) {
	one := geom.V{X: 1, Y: 1, Z: 1}
	turn := geom.Compose(geom.V{}, geom.Turn(geom.V{X: 1, Y: 2, Z: 0.5}.Unit(), 0.7), one)
	for name, top := range map[string]geom.M{"as it is": geom.Identity, "turned": turn,
		"small":    geom.Translation(geom.V{X: 5, Y: 1, Z: -3}).Mul(turn).Mul(geom.Scaling(0.5)),
		"mirrored": geom.Compose(geom.V{}, geom.Q{W: 1}, geom.V{X: -1, Y: 1, Z: 1})} {
		m := stage.ShapeModel("box")
		m.Surfaces = []model.Surface{model.DefaultSurface()}
		m.Surfaces[0].Metallic, m.Surfaces[0].BaseColor = 0.3, [4]float64{0.5, 0.4, 0.3, 1}
		m.Surfaces[0].Bevel = 0.2
		for i := range m.Meshes {
			for k := range m.Meshes[i].Parts {
				m.Meshes[i].Parts[k].Surface = 0
			}
		}
		w := surface.NewWear()
		w.Dust, w.Wet, w.Moss, w.Grain = 0.7, 0.6, 0.5, 1.5
		worn := scene(t, m, top)
		worn.Weathers = []surface.Weather{w.Ready(nil, nil)}
		out, err := Thing(context.Background(), worn, m, []int{0}, name)
		if err != nil {
			t.Fatal(err)
		}
		plain := scene(t, out, top)
		random := rand.New(rand.NewPCG(3, 4))
		off, tilt := 0.0, 0.0
		const n = 400
		for range n {
			k := uint32(random.IntN(m.Meshes[0].Parts[0].Triangles()))
			u := random.Float32()
			v := random.Float32() * (1 - u)
			u2, v2 := again(&m.Meshes[0].Parts[0], &out.Meshes[len(out.Meshes)-1].Parts[0], k, u, v)
			a, b := worn.Made(0, k, u, v), plain.Made(0, k, u2, v2)
			off += max(math.Abs(a.Base.X-b.Base.X), math.Abs(a.Base.Z-b.Base.Z), math.Abs(a.Rough-b.Rough),
				math.Abs(a.Metal-b.Metal), math.Abs(a.Coat-b.Coat), math.Abs(a.Opacity-b.Opacity)) / n
			tilt = max(tilt, a.Normal.Sub(b.Normal).Len())
		}
		// Along its rounded edges it is open to the sky by chance, from place to place: on the mean that is little.
		if off > 0.02 || tilt > 0.02 {
			t.Errorf("%s: off by %v on the mean, normals by %v at most", name, off, tilt)
		}
	}
}

// again is where a place of triangle k of a part lies on that triangle of another, whose corners come in another order.
func again(p, other *model.Part, k uint32, u, v float32) (u2, v2 float32) {
	at := map[geom.V]float32{}
	for i, share := range [3]float32{1 - u - v, u, v} {
		at[p.Position(p.Indices[3*k+uint32(i)])] = share
	}
	return at[other.Position(other.Indices[3*k+1])], at[other.Position(other.Indices[3*k+2])]
}

func scene(t *testing.T, m *model.Model, top geom.M) *render.Scene {
	t.Helper()
	s := &render.Scene{}
	if err := s.Place(&render.Library{Threads: 1}, m, top, func(int) uint32 { return 1 }); err != nil {
		t.Fatal(err)
	}
	s.Build()
	return s
}

// A picture in the second coordinates stays where only those are needed, and is refused where both are.
func TestSecondCoordinates(t *testing.T) {
	in := func(role model.Role, set int) *model.Surface {
		s := model.DefaultSurface()
		s.Slots[role] = model.Slot{Map: 0, Scale: [2]float64{1, 1}, Set: set}
		return &s
	}
	both := in(model.EmissiveMap, 0)
	both.Slots[model.TransmissionMap] = model.Slot{Map: 0, Scale: [2]float64{1, 1}, Set: 1}
	for _, c := range []struct {
		s             *model.Surface
		first, second bool
	}{{in(model.BaseColorMap, 1), false, false}, {in(model.EmissiveMap, 1), false, true},
		{in(model.EmissiveMap, 0), true, false}, {in(model.OcclusionMap, 1), false, false}, {both, true, true}} {
		if first, second := needs(c.s); first != c.first || second != c.second {
			t.Errorf("%v %v, not %v %v", first, second, c.first, c.second)
		}
	}
	m := stage.ShapeModel("box")
	m.Surfaces = []model.Surface{*both}
	p := &m.Meshes[0].Parts[0]
	p.Surface, p.UV, p.UV1 = 0, make([]float32, len(p.Positions)/3*2), make([]float32, len(p.Positions)/3*2)
	for i := range m.Surfaces[0].Slots {
		m.Surfaces[0].Slots[i].Map = min(m.Surfaces[0].Slots[i].Map, 0)
	}
	s := scene(t, stage.ShapeModel("box"), geom.Identity)
	if _, err := Thing(context.Background(), s, m, []int{0}, "box"); err == nil {
		t.Error("both coordinates are needed, and it is baked")
	}
	if _, err := Thing(context.Background(), s, stage.ShapeModel("box"), nil, "box"); err == nil {
		t.Error("it stands nowhere")
	}
}
