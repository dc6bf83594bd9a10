package subdivide

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

func somewhere(r *rand.Rand) geom.V {
	return geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}
}

// fan is n faces about vertex 0: quads, or triangles.
func fan(r *rand.Rand, n int, quads bool) *mesh {
	m := &mesh{sharp: map[pair]bool{}, at: []geom.V{somewhere(r)}}
	for range 2 * n {
		m.at = append(m.at, somewhere(r))
	}
	for i := range int32(n) {
		e, next := 1+2*i, 1+2*((i+1)%int32(n))
		if quads {
			m.faces = append(m.faces, face{n: 4, v: [4]int32{0, e, e + 1, next}})
		} else {
			m.faces = append(m.faces, face{n: 3, v: [4]int32{0, e, next}})
		}
	}
	return m
}

// about keeps of a mesh the faces about vertex 0: what lies further out does not move it.
func about(m *mesh) *mesh {
	out := &mesh{at: []geom.V{m.at[0]}, sharp: map[pair]bool{}}
	known := map[int32]int32{0: 0}
	for _, f := range m.faces {
		if f.v[0] != 0 && f.v[1] != 0 && f.v[2] != 0 && (f.n < 4 || f.v[3] != 0) {
			continue
		}
		for k := range f.n {
			v, there := known[f.v[k]]
			if !there {
				v = int32(len(out.at))
				known[f.v[k]] = v
				out.at = append(out.at, m.at[f.v[k]])
			}
			f.v[k] = v
		}
		out.faces = append(out.faces, f)
	}
	return out
}

// The limit that is told at once is that to which dividing again and again comes, about vertices of 3 to 9 edges.
// Where they are regular it is what Stam (1998) evaluates: the bicubic B-spline, 16, 4 and 1 of 36; and Loop's limit of
// six, 1/2 and 1/12.
func TestLimitsAreThoseOfDividingOnAndOn(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for n := 3; n <= 9; n++ {
		for _, quads := range []bool{true, false} {
			m := fan(r, n, quads)
			want := m.limit()[0]
			far := m
			for range 40 {
				if quads {
					far = about(far.quads())
				} else {
					far = about(far.triangles())
				}
			}
			if d := far.at[0].Sub(want).Len(); d > 1e-9 {
				t.Errorf("%d edges, quads %v: the limit is %v, dividing comes to %v", n, quads, want, far.at[0])
			}
			var spline geom.V
			switch {
			case quads && n == 4:
				spline = m.at[0].Mul(16)
				for i := 1; i < 9; i += 2 {
					spline = spline.Add(m.at[i].Mul(4)).Add(m.at[i+1])
				}
				spline = spline.Mul(1.0 / 36)
			case !quads && n == 6:
				spline = m.at[0].Mul(6)
				for i := 1; i < 13; i += 2 {
					spline = spline.Add(m.at[i])
				}
				spline = spline.Mul(1.0 / 12)
			default:
				continue
			}
			if spline.Sub(want).Len() > 1e-12 {
				t.Errorf("%v, as a spline %v", want, spline)
			}
		}
	}
}

// cube is a model of one, from −1 to 1, each side two triangles of one quad.
func cube() *model.Model {
	p := model.Part{Kind: model.Triangles, Normals: []float32{}, UV: []float32{}}
	for axis := range 3 {
		for _, way := range []float64{-1, 1} {
			n := geom.V{}
			u, v := geom.V{}, geom.V{}
			switch axis {
			case 0:
				n.X, u.Y, v.Z = way, way, 1
			case 1:
				n.Y, u.Z, v.X = way, way, 1
			case 2:
				n.Z, u.X, v.Y = way, way, 1
			}
			first := uint32(len(p.Positions) / 3)
			for _, c := range [][2]float64{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}} {
				q := n.Add(u.Mul(c[0])).Add(v.Mul(c[1]))
				p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
				p.Normals = append(p.Normals, float32(n.X), float32(n.Y), float32(n.Z))
				p.UV = append(p.UV, float32(c[0]), float32(c[1]))
			}
			p.Indices = append(p.Indices, first, first+1, first+2, first, first+2, first+3)
		}
	}
	return &model.Model{Meshes: []model.Mesh{{Parts: []model.Part{p}}}}
}

// volume is what a closed part holds.
func volume(p *model.Part) (v float64) {
	for t := 0; t+2 < len(p.Indices); t += 3 {
		a, b, c := p.Position(p.Indices[t]), p.Position(p.Indices[t+1]), p.Position(p.Indices[t+2])
		v += a.Dot(b.Cross(c)) / 6
	}
	return v
}

// A cube of quads becomes round, and stays a cube where its edges are sharp; in both its faces are divided into four as
// often as was said, its normals point outwards, and its pictures lie as before.
func TestACubeBecomesRound(t *testing.T) {
	src := cube()
	for _, by := range []string{"", "quads", "triangles"} {
		for _, sharp := range []float64{30, 180} {
			m, err := Model(src, &Smooth{Times: 3, By: by, Sharp: sharp})
			if err != nil {
				t.Fatal(err)
			}
			p := &m.Meshes[0].Parts[0]
			if n := p.Triangles(); n != 12*64 {
				t.Errorf("%d triangles", n)
			}
			v := volume(p)
			if sharp == 30 && math.Abs(v-8) > 1e-5 || sharp == 180 && (v > 5 || v < 1.5) {
				t.Errorf("by %q, sharp from %v: it holds %v", by, sharp, v)
			}
			for i := range p.Vertices() {
				q := p.Position(uint32(i))
				n := geom.V{X: float64(p.Normals[3*i]), Y: float64(p.Normals[3*i+1]), Z: float64(p.Normals[3*i+2])}
				if math.Abs(n.Len()-1) > 1e-5 || n.Dot(q) <= 0 {
					t.Fatalf("the normal %v at %v", n, q)
				}
				if sharp == 30 && math.Abs(max(math.Abs(q.X), math.Abs(q.Y), math.Abs(q.Z))-1) > 1e-6 {
					t.Fatalf("%v is not on the cube", q)
				}
				if u := math.Max(math.Abs(float64(p.UV[2*i])), math.Abs(float64(p.UV[2*i+1]))); u > 1 {
					t.Fatalf("%v in the picture", u)
				}
			}
		}
	}
	if v := volume(&src.Meshes[0].Parts[0]); v != 8 {
		t.Errorf("what it was made of holds %v now", v)
	}
	m, _ := Model(src, &Smooth{Times: 1, By: "quads", Sharp: 180})
	far := 0.0
	for i := range m.Meshes[0].Parts[0].Vertices() {
		far = max(far, m.Meshes[0].Parts[0].Position(uint32(i)).Len())
	}
	// The cube's own limit at a corner: P is (1,1,1), its three neighbours have one coordinate turned, the corners
	// across a side two: 9·1 + 4·(1+1−1) + (1−1−1)·1 = 12 of 24 in each coordinate.
	corner := geom.V{X: 0.5, Y: 0.5, Z: 0.5}
	near := math.Inf(1)
	for i := range m.Meshes[0].Parts[0].Vertices() {
		near = min(near, m.Meshes[0].Parts[0].Position(uint32(i)).Sub(corner).Len())
	}
	if near > 1e-6 || far > 1 {
		t.Errorf("no corner at %v: %v off; the farthest is %v", corner, near, far)
	}
}

// What cannot be done is said; what is no mesh stays as it is.
func TestLimitsOfDividing(t *testing.T) {
	for _, s := range []Smooth{{}, {Times: 4}, {Times: 1, By: "hexagons"}, {Times: 1, Sharp: math.NaN()},
		{Times: 1, Sharp: -1}} {
		if _, err := Model(cube(), &s); err == nil {
			t.Errorf("%+v is done", s)
		}
	}
	big := cube()
	big.Meshes[0].Parts[0].Indices = make([]uint32, 3*200_000)
	if _, err := Model(big, &Smooth{Times: 3}); err == nil {
		t.Error("too many triangles are made")
	}
	lines := &model.Model{Meshes: []model.Mesh{{Parts: []model.Part{{Kind: model.Triangles + 1}}}, {}}}
	if m, err := Model(lines, &Smooth{Times: 2}); err != nil || len(m.Meshes) != 2 {
		t.Error(m, err)
	}
}

// Any triangles are divided: flat ones, those that share edges three at a time, and those of no area.
func FuzzDivide(f *testing.F) {
	f.Add([]byte{0, 1, 2, 0, 2, 3, 0, 3, 1, 1, 0, 2, 2, 2, 2}, uint8(2), 40.0)
	f.Fuzz(func(t *testing.T, indices []byte, times uint8, sharp float64) {
		p := model.Part{Kind: model.Triangles, Colors: []float32{}}
		for i := range 8 {
			p.Positions = append(p.Positions, float32(i&1), float32(i>>1&1), float32(i>>2))
			p.Colors = append(p.Colors, 1, 1, 1, 1)
		}
		for _, i := range indices[:min(len(indices), 60)/3*3] {
			p.Indices = append(p.Indices, uint32(i%8))
		}
		m, err := Model(&model.Model{Meshes: []model.Mesh{{Parts: []model.Part{p}}}},
			&Smooth{Times: int(times), Sharp: sharp})
		if err != nil {
			return
		}
		q := &m.Meshes[0].Parts[0]
		for _, i := range q.Indices {
			if v := q.Position(i); !v.Finite() || v.X < -1e-6 || v.X > 1+1e-6 {
				t.Fatalf("%v lies outside", v)
			}
		}
	})
}
