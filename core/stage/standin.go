package stage

import (
	"math"

	"visator/core/geom"
	"visator/core/model"
)

// StandInModel is the plain volume of a stand-in, in metres with the pivot at
// its base centre: a person of PersonHeight, or a box of one metre that the
// placement's size scales.
func StandInModel(kind string) *model.Model {
	s := model.DefaultSurface()
	s.Name, s.Metallic, s.Roughness, s.BaseColor = "stand-in", 0, 1, [4]float64{0.45, 0.45, 0.45, 1}
	m := &model.Model{Name: kind, Format: "built-in", Up: "Y", Unit: model.Unit{Name: "metre", MetresPerUnit: 1, From: "format"}, Surfaces: []model.Surface{s}}
	mesh := model.Mesh{Name: kind}
	if kind == "person" {
		// Proportions of a standing adult in eighths of the height, the
		// drawing teacher's canon (common practice).
		e := PersonHeight / 8
		for _, b := range [][6]float64{ // centre x, y, z and half sizes
			{0, 7.5 * e, 0, 0.42 * e, 0.5 * e, 0.45 * e}, {0, 6.9 * e, 0, 0.26 * e, 0.4 * e, 0.26 * e},
			{0, 5.75 * e, 0, 1.0 * e, 1.1 * e, 0.55 * e}, {0, 4.4 * e, 0, 0.8 * e, 0.9 * e, 0.5 * e},
			{-0.42 * e, 2.3 * e, 0, 0.42 * e, 2.3 * e, 0.42 * e}, {0.42 * e, 2.3 * e, 0, 0.42 * e, 2.3 * e, 0.42 * e},
			{-1.12 * e, 5.0 * e, 0, 0.24 * e, 1.65 * e, 0.28 * e}, {1.12 * e, 5.0 * e, 0, 0.24 * e, 1.65 * e, 0.28 * e},
		} {
			mesh.Parts = append(mesh.Parts, ellipsoid(geom.V{X: b[0], Y: b[1], Z: b[2]}, geom.V{X: b[3], Y: b[4], Z: b[5]}))
		}
	} else {
		mesh.Parts = []model.Part{boxPart()}
	}
	n := model.NewNode(kind)
	n.Mesh = 0
	m.Meshes, m.Nodes, m.Roots = []model.Mesh{mesh}, []model.Node{n}, []int{0}
	return m
}

func ellipsoid(c, r geom.V) model.Part {
	const n = 10
	p := model.Part{}
	for i := 0; i <= n; i++ {
		for j := 0; j <= 2*n; j++ {
			t, f := math.Pi*float64(i)/n, math.Pi*float64(j)/n
			d := geom.V{X: math.Sin(t) * math.Cos(f), Y: math.Cos(t), Z: -math.Sin(t) * math.Sin(f)}
			q := c.Add(d.Times(r))
			no := geom.V{X: d.X / r.X, Y: d.Y / r.Y, Z: d.Z / r.Z}.Unit()
			p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
			p.Normals = append(p.Normals, float32(no.X), float32(no.Y), float32(no.Z))
		}
	}
	const w = 2*n + 1
	for i := uint32(0); i < n; i++ {
		for j := uint32(0); j < 2*n; j++ {
			a := i*w + j
			if i > 0 {
				p.Indices = append(p.Indices, a, a+w+1, a+1)
			}
			if i < n-1 {
				p.Indices = append(p.Indices, a, a+w, a+w+1)
			}
		}
	}
	return p
}

func boxPart() model.Part {
	p := model.Part{}
	for axis := 0; axis < 3; axis++ {
		for _, s := range []float32{-1, 1} {
			base := uint32(len(p.Positions) / 3)
			for k := 0; k < 4; k++ {
				var q, n [3]float32
				u, v := float32(k&1)*2-1, float32(k>>1)*2-1
				q[axis], q[(axis+1)%3], q[(axis+2)%3] = s/2, u/2, v/2
				n[axis] = s
				p.Positions = append(p.Positions, q[0], q[1]+0.5, q[2])
				p.Normals = append(p.Normals, n[:]...)
			}
			if s > 0 {
				p.Indices = append(p.Indices, base, base+1, base+3, base, base+3, base+2)
			} else {
				p.Indices = append(p.Indices, base, base+3, base+1, base, base+2, base+3)
			}
		}
	}
	return p
}

// StandInScale is the scale that a stand-in's size asks for, before its own.
func (p *Placement) StandInScale() geom.V {
	if p.StandIn == "box" {
		return p.Size
	}
	return geom.V{X: 1, Y: 1, Z: 1}.Mul(p.Size.Y / PersonHeight)
}

// ChooseLevels picks for each piece how detailed it is drawn, so that all its
// copies together keep to the budget of triangles: 0 is the finest level.
// Pieces that stand tallest in the picture are refined first.
func ChooseLevels(triangles [][]int, copies []int, height []float64, budget int) []int {
	level := make([]int, len(triangles))
	total := 0
	for i, t := range triangles {
		level[i] = max(len(t)-1, 0)
		if len(t) > 0 {
			total += t[level[i]] * copies[i]
		}
	}
	for {
		best := -1
		for i, t := range triangles {
			if level[i] == 0 || copies[i] == 0 || total+(t[level[i]-1]-t[level[i]])*copies[i] > budget {
				continue
			}
			// What is coarse and tall comes first.
			if best < 0 || height[i]*float64(level[i]) > height[best]*float64(level[best]) {
				best = i
			}
		}
		if best < 0 {
			return level
		}
		total += (triangles[best][level[best]-1] - triangles[best][level[best]]) * copies[best]
		level[best]--
	}
}
