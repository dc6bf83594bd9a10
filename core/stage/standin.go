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
		mesh.Parts = person(PersonHeight / 8)
	} else {
		mesh.Parts = []model.Part{boxPart()}
	}
	n := model.NewNode(kind)
	n.Mesh = 0
	m.Meshes, m.Nodes, m.Roots = []model.Mesh{mesh}, []model.Node{n}, []int{0}
	return m
}

// person is a standing adult in eighths e of the height, the drawing teacher's
// canon (common practice).
func person(e float64) (parts []model.Part) {
	at := func(x, y, z float64) geom.V { return geom.V{X: x * e, Y: y * e, Z: z * e} }
	round := func(c, r geom.V) { parts = append(parts, ellipsoid(c, r)) }
	round(at(0, 7.5, 0.05), at(0.36, 0.5, 0.43))
	parts = append(parts, limb(at(0, 6.5, -0.05), at(0, 7.1, 0), 0.24*e, 0.22*e), limb(at(-0.62, 6.3, -0.05), at(0.62, 6.3, -0.05), 0.32*e, 0.32*e))
	round(at(0, 5.8, 0), at(0.82, 0.95, 0.5))
	round(at(0, 4.95, 0), at(0.62, 0.85, 0.42))
	round(at(0, 4.3, 0), at(0.74, 0.6, 0.5))
	for _, side := range []float64{-1, 1} {
		parts = append(parts, limb(at(0.86*side, 6.3, -0.05), at(1.04*side, 4.95, -0.05), 0.25*e, 0.19*e), limb(at(1.04*side, 4.95, -0.05), at(1.1*side, 3.8, 0.1), 0.19*e, 0.13*e),
			limb(at(0.4*side, 4.2, 0), at(0.42*side, 2.2, 0.02), 0.42*e, 0.27*e), limb(at(0.42*side, 2.2, 0.02), at(0.43*side, 0.35, -0.05), 0.27*e, 0.17*e))
		round(at(1.1*side, 3.45, 0.13), at(0.12, 0.4, 0.2))
		round(at(0.45*side, 0.15, 0.22), at(0.21, 0.15, 0.55))
	}
	return parts
}

// limb is a cone from a to b with round ends of the radii ra and rb.
func limb(a, b geom.V, ra, rb float64) model.Part {
	const rings, sides = 4, 14
	axis := b.Sub(a).Unit()
	t, s := geom.Frame(axis)
	p := model.Part{}
	ring := func(c geom.V, r, angle float64) { // angle from the equator towards b
		sin, cos := math.Sincos(angle)
		for k := range sides + 1 {
			u, v := math.Sincos(2 * math.Pi * float64(k) / sides)
			n := t.Mul(v * cos).Add(s.Mul(u * cos)).Add(axis.Mul(sin))
			q := c.Add(n.Mul(r))
			p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
			p.Normals = append(p.Normals, float32(n.X), float32(n.Y), float32(n.Z))
		}
	}
	for i := range rings + 1 {
		ring(a, ra, math.Pi/2*(float64(i)/rings-1))
	}
	for i := range rings + 1 {
		ring(b, rb, math.Pi/2*float64(i)/rings)
	}
	for i := range uint32(2*rings + 1) {
		for k := range uint32(sides) {
			q := i*(sides+1) + k
			p.Indices = append(p.Indices, q, q+1, q+sides+2, q, q+sides+2, q+sides+1)
		}
	}
	return p
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
