package stage

import (
	"fmt"
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/model"
)

// StandIns are the kinds of stand-ins with the size that they begin with, in
// metres. A wedge and steps rise towards -Z.
var StandIns = map[string]geom.V{
	"box": {X: 1, Y: 1, Z: 1}, "slab": {X: 3, Y: 0.2, Z: 3}, "wall": {X: 3, Y: 2.5, Z: 0.2}, "cylinder": {X: 0.5, Y: 1,
		Z: 0.5},
	"wedge": {X: 1, Y: 1, Z: 2}, "steps": {X: 1.2, Y: 0.85, Z: 1.4}, "card": {X: 2, Y: 3, Z: 0.01},
	"person": {X: 0.5, Y: PersonHeight, Z: 0.3},
}

// rise is how high a step is made (from memory: 17 cm are comfortable).
const rise = 0.17

// Shape names the model of a stand-in: its kind, and for steps how many.
func (p *Placement) Shape() string {
	if p.StandIn != "steps" {
		return p.StandIn
	}
	return fmt.Sprintf("steps-%d", min(max(int(math.Round(p.Size.Y/rise)), 1), maxSteps))
}

const maxSteps = 400 // a tower's

// ShapeModel is the plain volume that Shape names, in metres with the pivot at
// its base centre: a person of PersonHeight, or a volume of one metre each way
// that the placement's size scales; nil when there is none of that name.
func ShapeModel(name string) *model.Model {
	mesh := model.Mesh{Name: name}
	steps := 0
	if _, err := fmt.Sscanf(name, "steps-%d", &steps); err == nil && steps > 0 && steps <= maxSteps &&
		name == fmt.Sprintf("steps-%d", steps) {
		for i := range steps { // each a box from the floor, so that it is closed
			h, d := float64(i+1)/float64(steps), 1/float64(steps)
			p := boxPart()
			m := geom.Compose(geom.V{Z: 0.5 - (float64(i)+0.5)*d}, geom.Q{}, geom.V{X: 1, Y: h, Z: d})
			mesh.Parts = append(mesh.Parts, p.Moved(&m))
		}
	}
	switch name {
	case "person":
		mesh.Parts = person(PersonHeight / 8)
	case "box", "slab", "wall", "card":
		mesh.Parts = []model.Part{boxPart()}
	case "wedge":
		mesh.Parts = []model.Part{prism([][2]float64{{0.5, 0}, {-0.5, 0}, {-0.5, 1}})}
	case "cylinder":
		mesh.Parts = []model.Part{cylinder(32)}
	}
	if len(mesh.Parts) == 0 {
		return nil
	}
	s := model.DefaultSurface()
	s.Name, s.Metallic, s.Roughness, s.BaseColor = "stand-in", 0, 1, [4]float64{0.45, 0.45, 0.45, 1}
	n := model.NewNode(name)
	n.Mesh = 0
	return &model.Model{Name: name, Format: "built-in", Up: "Y",
		Unit:     model.Unit{Name: "metre", MetresPerUnit: 1, From: "format"},
		Surfaces: []model.Surface{s}, Meshes: []model.Mesh{mesh}, Nodes: []model.Node{n}, Roots: []int{0}}
}

// flat adds a polygon with one normal to a part.
func flat(p *model.Part, corners ...geom.V) {
	n := corners[1].Sub(corners[0]).Cross(corners[2].Sub(corners[0])).Unit()
	base := uint32(len(p.Positions) / 3)
	for _, c := range corners {
		p.Positions = append(p.Positions, float32(c.X), float32(c.Y), float32(c.Z))
		p.Normals = append(p.Normals, float32(n.X), float32(n.Y), float32(n.Z))
	}
	for k := uint32(1); k+1 < uint32(len(corners)); k++ {
		p.Indices = append(p.Indices, base, base+k, base+k+1)
	}
}

// prism is a profile of Z and Y, convex and turning from Z to Y, one metre wide.
func prism(profile [][2]float64) (p model.Part) {
	var left, right []geom.V
	for _, q := range profile {
		left = append(left, geom.V{X: -0.5, Y: q[1], Z: q[0]})
		right = append([]geom.V{{X: 0.5, Y: q[1], Z: q[0]}}, right...)
	}
	flat(&p, reverse(left)...)
	flat(&p, reverse(right)...)
	for i := range left {
		a, b := left[i], left[(i+1)%len(left)]
		flat(&p, a, b, geom.V{X: 0.5, Y: b.Y, Z: b.Z}, geom.V{X: 0.5, Y: a.Y, Z: a.Z})
	}
	return p
}

func reverse(list []geom.V) []geom.V {
	list = slices.Clone(list)
	slices.Reverse(list)
	return list
}

// cylinder stands on its end, one metre across and high.
func cylinder(sides int) (p model.Part) {
	at := func(k int, y float64) geom.V {
		s, c := math.Sincos(2 * math.Pi * float64(k%sides) / float64(sides))
		return geom.V{X: c / 2, Y: y, Z: -s / 2}
	}
	var top, bottom []geom.V
	for k := range sides {
		top, bottom = append(top, at(k, 1)), append(bottom, at(-k+sides, 0))
		flat(&p, at(k, 0), at(k+1, 0), at(k+1, 1), at(k, 1))
	}
	flat(&p, top...)
	flat(&p, bottom...)
	return p
}

// person is a standing adult in eighths e of the height, the drawing teacher's
// canon (common practice).
func person(e float64) (parts []model.Part) {
	at := func(x, y, z float64) geom.V { return geom.V{X: x * e, Y: y * e, Z: z * e} }
	round := func(c, r geom.V) { parts = append(parts, ellipsoid(c, r)) }
	round(at(0, 7.5, 0.05), at(0.36, 0.5, 0.43))
	parts = append(parts, limb(at(0, 6.5, -0.05), at(0, 7.1, 0), 0.24*e, 0.22*e),
		limb(at(-0.62, 6.3, -0.05), at(0.62, 6.3, -0.05), 0.32*e, 0.32*e))
	round(at(0, 5.8, 0), at(0.82, 0.95, 0.5))
	round(at(0, 4.95, 0), at(0.62, 0.85, 0.42))
	round(at(0, 4.3, 0), at(0.74, 0.6, 0.5))
	for _, side := range []float64{-1, 1} {
		parts = append(parts, limb(at(0.86*side, 6.3, -0.05), at(1.04*side, 4.95, -0.05), 0.25*e, 0.19*e),
			limb(at(1.04*side, 4.95, -0.05), at(1.1*side, 3.8, 0.1), 0.19*e, 0.13*e),
			limb(at(0.4*side, 4.2, 0), at(0.42*side, 2.2, 0.02), 0.42*e, 0.27*e),
			limb(at(0.42*side, 2.2, 0.02), at(0.43*side, 0.35, -0.05), 0.27*e, 0.17*e))
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
	if p.StandIn != "person" {
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

// BestFit is how a piece of a size, in metres along its own axes, goes into the
// room of a stand-in: the turn about the upright in quarters, its scale, and how
// well it fits: what both boxes share, of what they fill together, 0..1. Without
// fill it keeps its size; with fill it is scaled, in proportion, as large as
// goes in.
func BestFit(room, size geom.V, fill bool) (turn float64, scale geom.V, fit float64) {
	fit = -1
	for quarter := range 4 {
		w := size
		if quarter%2 == 1 {
			w.X, w.Z = w.Z, w.X
		}
		k := 1.0
		if fill {
			k = math.Inf(1)
			for i := range 3 {
				if w.At(i) > 1e-9 {
					k = min(k, room.At(i)/w.At(i))
				}
			}
			if math.IsInf(k, 1) {
				k = 1
			}
		}
		w = w.Mul(k)
		common, a, b := 1.0, 1.0, 1.0
		for i := range 3 {
			common *= min(room.At(i), w.At(i))
			a *= room.At(i)
			b *= w.At(i)
		}
		f := 0.0
		if u := a + b - common; u > 0 {
			f = common / u
		}
		if f > fit+1e-9 { // the first of equals: as little turned as may be
			turn, scale, fit = float64(quarter)*math.Pi/2, geom.V{X: k, Y: k, Z: k}, f
		}
	}
	return turn, scale, fit
}
