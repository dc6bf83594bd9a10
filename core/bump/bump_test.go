package bump

import (
	"math"
	"slices"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// cube is one of side 2 about the origin: its faces share no corners and are flat.
func cube() model.Part {
	p := model.Part{Kind: model.Triangles, UV: []float32{}}
	for axis := range 3 {
		for _, side := range []float64{-1, 1} {
			n, u := geom.V{}, geom.V{}
			at := func(v *geom.V, k int, x float64) {
				switch k % 3 {
				case 0:
					v.X = x
				case 1:
					v.Y = x
				default:
					v.Z = x
				}
			}
			at(&n, axis, side)
			at(&u, axis+1, 1)
			v := n.Cross(u)
			first := uint32(len(p.Positions) / 3)
			for _, c := range [4][2]float64{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}} {
				q := n.Add(u.Mul(c[0])).Add(v.Mul(c[1]))
				p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
				p.Normals = append(p.Normals, float32(n.X), float32(n.Y), float32(n.Z))
				p.UV = append(p.UV, float32(c[0]+1)/2, float32(c[1]+1)/2)
			}
			p.Indices = append(p.Indices, first, first+1, first+2, first, first+2, first+3)
		}
	}
	return p
}

// open counts the edges that not exactly two triangles have, by places.
func open(p *model.Part) (n int) {
	edges := map[[2][3]float32]int{}
	for t := 0; t+2 < len(p.Indices); t += 3 {
		for k := range 3 {
			i, j := p.Indices[t+k], p.Indices[t+(k+1)%3]
			a, b := [3]float32(p.Positions[3*i:3*i+3]), [3]float32(p.Positions[3*j:3*j+3])
			if slices.Compare(b[:], a[:]) < 0 {
				a, b = b, a
			}
			edges[[2][3]float32{a, b}]++
		}
	}
	for _, k := range edges {
		if k != 2 {
			n++
		}
	}
	return n
}

// volume is that of a closed body.
func volume(p *model.Part) (v float64) {
	for t := 0; t+2 < len(p.Indices); t += 3 {
		i := p.Indices[t : t+3]
		v += p.Position(i[0]).Dot(p.Position(i[1]).Cross(p.Position(i[2]))) / 6
	}
	return v
}

// A body whose faces are divided stays the body that it was, closed, with no edge longer than asked; raised evenly by
// h it is as large as its offset: a cube of side 2 whose corners go out along their diagonals.
func TestRaisedStaysClosed(t *testing.T) {
	p := cube()
	for _, fine := range []float64{10, 0.7, 0.21, 0.05} {
		out := Raised(&p, 0, func(u, v float64) float64 { return 0 }, 1, fine)
		if n := open(&out); n != 0 {
			t.Errorf("fine %v: %d edges are open", fine, n)
		}
		if v := volume(&out); math.Abs(v-8) > 1e-4 {
			t.Errorf("fine %v: its volume is %v, not 8", fine, v)
		}
		longest := 0.0
		for k := 0; k < len(out.Indices); k++ {
			next := k + 1
			if k%3 == 2 {
				next = k - 2
			}
			longest = max(longest, out.Position(out.Indices[k]).Sub(out.Position(out.Indices[next])).Len())
		}
		if longest > fine {
			t.Errorf("an edge of %v is left, %v was asked", longest, fine)
		}
		for i := range len(out.Positions) / 3 {
			if n := (geom.V{X: float64(out.Normals[3*i]), Y: float64(out.Normals[3*i+1]),
				Z: float64(out.Normals[3*i+2])}); math.Abs(n.Max()-1) > 1e-5 && math.Abs(n.Mul(-1).Max()-1) > 1e-5 {
				t.Fatalf("flat faces are not flat any more: %v", n)
			}
		}
	}
	rough := Raised(&p, 0, func(u, v float64) float64 { return math.Sin(40*u) * math.Cos(31*v) }, 0.1, 0.04)
	if n := open(&rough); n != 0 {
		t.Errorf("raised by what differs along its seams it tears at %d edges", n)
	}
}

// A level sheet that is raised by a wave is that wave, to the width of its faces, and its normals are the wave's.
func TestRaisedIsTheHeight(t *testing.T) {
	p := model.Part{Kind: model.Triangles, Positions: []float32{0, 0, 0, 0, 0, 4, 4, 0, 4, 4, 0, 0},
		UV: []float32{0, 0, 0, 1, 1, 1, 1, 0}, Indices: []uint32{0, 1, 2, 0, 2, 3}}
	wave := func(u, v float64) float64 { return math.Sin(2 * math.Pi * u) }
	out := Raised(&p, 0, wave, 0.5, 0.04)
	worst, tilt := 0.0, 0.0
	for i := range len(out.Positions) / 3 {
		q := out.Position(uint32(i))
		worst = max(worst, math.Abs(q.Y-0.5*math.Sin(2*math.Pi*q.X/4)))
		if q.X < 0.1 || q.X > 3.9 || q.Z < 0.1 || q.Z > 3.9 {
			continue // along its rim half of the faces are not there
		}
		slope := 0.5 * 2 * math.Pi / 4 * math.Cos(2*math.Pi*q.X/4)
		n := geom.V{X: float64(out.Normals[3*i]), Y: float64(out.Normals[3*i+1]), Z: float64(out.Normals[3*i+2])}
		tilt = max(tilt, n.Sub(geom.V{X: -slope, Y: 1}.Unit()).Len())
	}
	if worst > 1e-5 || tilt > 0.03 {
		t.Errorf("off by %v in height, %v in normals", worst, tilt)
	}
	if n := len(out.Indices) / 3; n < 2*(4/0.04)*(4/0.04) || n > MostTriangles {
		t.Errorf("%d triangles", n)
	}
	if few := Raised(&p, 0, wave, 0.5, 1e-9); len(few.Indices)/3 > MostTriangles {
		t.Errorf("%d triangles of none too fine", len(few.Indices)/3)
	}
}

// Where a cube's faces meet, what is rounded looks between them, from both sides; a radius away it looks as the face
// does, and half of the way a quarter of the turn is left. A fillet of a right angle turns by 45° in each of its faces.
func TestEdgesLookRounded(t *testing.T) {
	p := cube()
	e := HardEdges([]model.Part{p}, func(int) bool { return true })[0]
	if e == nil {
		t.Fatal("a cube has hard edges")
	}
	top := -1 // of the faces up, the triangle that has the edge along x at z = 1
	for k := 0; k < len(p.Indices)/3; k++ {
		idx := p.Indices[3*k : 3*k+3]
		along := 0
		for _, i := range idx {
			if q := p.Position(i); q.Y == 1 && q.Z == 1 {
				along++
			}
		}
		if p.Normals[3*idx[0]+1] == 1 && along == 2 {
			top = k
		}
	}
	const radius = 0.4
	up := geom.V{Y: 1}
	for far, want := range map[float64]float64{0: 45, 0.1: 33.75, 0.2: 22.5, 0.3: 11.25, 0.4: 0, 0.6: 0} {
		n := e.Round(uint32(top), geom.V{X: 0.1, Y: 1, Z: 1 - far}, up, radius)
		if got := math.Atan2(n.Z, n.Y) * 180 / math.Pi; math.Abs(got-want) > 0.01 || math.Abs(n.X) > 1e-9 {
			t.Errorf("%v from the edge it is turned by %v°, not %v°: %v", far, got, want, n)
		}
	}
	if n := e.Round(uint32(top), geom.V{X: 0.1, Y: 1, Z: 1}, up, 0); n != up {
		t.Errorf("by no radius it is turned to %v", n)
	}
	// At a corner of three faces it looks along the diagonal, whichever of them it is on.
	corner := geom.V{X: 1, Y: 1, Z: 1}
	for k := 0; k < len(p.Indices)/3; k++ {
		idx := p.Indices[3*k : 3*k+3]
		i := 3 * idx[0]
		n := geom.V{X: float64(p.Normals[i]), Y: float64(p.Normals[i+1]), Z: float64(p.Normals[i+2])}
		has := false
		for _, c := range idx {
			has = has || p.Position(c) == corner
		}
		if got := e.Round(uint32(k), corner, n, radius); has && got.Dot(corner.Unit()) < 0.99 {
			t.Errorf("at the corner the face %v looks along %v", n, got)
		}
	}
}

// What is shaded as smooth has no hard edges, nor has what is flat.
func TestSmoothHasNoHardEdges(t *testing.T) {
	all := func(int) bool { return true }
	var p model.Part
	const sides = 12
	for i := range sides {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / sides)
		for _, y := range []float32{0, 1} {
			p.Positions = append(p.Positions, float32(sin), y, float32(cos))
			p.Normals = append(p.Normals, float32(sin), 0, float32(cos))
		}
		a, b := uint32(2*i), uint32(2*((i+1)%sides))
		p.Indices = append(p.Indices, a, b, b+1, a, b+1, a+1)
	}
	p.Kind = model.Triangles
	if e := HardEdges([]model.Part{p}, all)[0]; e != nil {
		t.Error("a smooth pole has hard edges")
	}
	p.Normals = nil
	if e := HardEdges([]model.Part{p}, all)[0]; e == nil {
		t.Error("one with twelve flat sides has none")
	}
	flat := model.Part{Kind: model.Triangles, Positions: []float32{0, 0, 0, 0, 0, 1, 1, 0, 1, 1, 0, 0},
		Indices: []uint32{0, 1, 2, 0, 2, 3}}
	if e := HardEdges([]model.Part{flat}, all)[0]; e != nil {
		t.Error("a sheet has hard edges")
	}
	if list := HardEdges([]model.Part{cube(), cube()}, func(i int) bool { return i == 1 }); list[0] != nil {
		t.Error("what was not asked for is told")
	}
	if list := HardEdges(nil, all); len(list) != 0 {
		t.Error("of nothing something")
	}
}
