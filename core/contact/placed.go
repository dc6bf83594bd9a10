package contact

import (
	"math"

	"visator/core/geom"
)

// Placed is a body where it stands.
type Placed struct {
	*Body
	World geom.M
	Box   geom.Box // in the set
	inv   geom.M
	herd  *Herd // of many that stand as one; then the body has its box alone
}

// Place stands a body; a transform that flattens it, or a nil body, gives nil.
func Place(b *Body, world geom.M) *Placed {
	if b == nil {
		return nil
	}
	inv, ok := world.Affine()
	if !ok || !world.Finite() {
		return nil
	}
	p := &Placed{Body: b, World: world, inv: inv}
	p.Box = p.bounds()
	return p
}

// bounds is the box about the placed points: exact, by the tree, whose boxes
// beyond what was found already are passed over.
func (p *Placed) bounds() geom.Box {
	out := geom.Empty()
	var room [64]int32
	stack := append(room[:0], 0)
	for len(stack) > 0 {
		n := p.node(stack[len(stack)-1])
		stack = stack[:len(stack)-1]
		b := n.under(&p.World)
		if b.Min.X >= out.Min.X && b.Min.Y >= out.Min.Y && b.Min.Z >= out.Min.Z && b.Max.X <= out.Max.X &&
			b.Max.Y <= out.Max.Y && b.Max.Z <= out.Max.Z {
			continue
		}
		if n.count == 0 {
			stack = append(stack, n.first, n.first+1)
			continue
		}
		for k := range n.count {
			for _, i := range p.triangle(n.first + k) {
				out = out.Add(p.World.Point(p.point(i)))
			}
		}
	}
	return out
}

// under is the box about a transformed box (Arvo, Transforming Axis-Aligned
// Bounding Boxes, Graphics Gems, 1990).
func (n *node) under(m *geom.M) geom.Box {
	var c, h [3]float64
	for k := range 3 {
		c[k], h[k] = (float64(n.lo[k])+float64(n.hi[k]))/2, (float64(n.hi[k])-float64(n.lo[k]))/2
	}
	x, y, z := m[0]*c[0]+m[4]*c[1]+m[8]*c[2]+m[12], m[1]*c[0]+m[5]*c[1]+m[9]*c[2]+m[13],
		m[2]*c[0]+m[6]*c[1]+m[10]*c[2]+m[14]
	a := math.Abs(m[0])*h[0] + math.Abs(m[4])*h[1] + math.Abs(m[8])*h[2]
	b := math.Abs(m[1])*h[0] + math.Abs(m[5])*h[1] + math.Abs(m[9])*h[2]
	d := math.Abs(m[2])*h[0] + math.Abs(m[6])*h[1] + math.Abs(m[10])*h[2]
	return geom.Box{Min: geom.V{X: x - a, Y: y - b, Z: z - d}, Max: geom.V{X: x + a, Y: y + b, Z: z + d}}
}

// Moved is the body moved by d.
func (p *Placed) Moved(d geom.V) *Placed {
	q := *p
	q.World[12], q.World[13], q.World[14] = q.World[12]+d.X, q.World[13]+d.Y, q.World[14]+d.Z
	q.inv, _ = q.World.Affine()
	q.Box = geom.Box{Min: p.Box.Min.Add(d), Max: p.Box.Max.Add(d)}
	return &q
}

// Mass is the centre of mass in the set.
func (p *Placed) Mass() geom.V { return p.World.Point(p.Center) }

// Ray is where a ray meets the body, as Body.Ray, in the set.
func (p *Placed) Ray(o, d geom.V, limit float64) (float64, geom.V, bool) {
	if near, ok := p.Box.Hit(o, d); !ok || near > limit {
		return limit, geom.V{}, false
	}
	return p.Meet(o, d, limit)
}

// Meet is Ray for who knows that the ray enters the body's box.
func (p *Placed) Meet(o, d geom.V, limit float64) (float64, geom.V, bool) {
	ray := p.Body.Ray
	if p.herd != nil {
		ray = p.herd.meet
	}
	t, n, ok := ray(p.inv.Point(o), p.inv.Dir(d), limit)
	if !ok {
		return t, n, false
	}
	return t, p.inv.NormalDir(n).Unit(), true
}

// Within reports whether a point of the set lies inside.
func (p *Placed) Within(q geom.V) bool {
	if p.herd != nil {
		return p.herd.within(p.inv.Point(q))
	}
	return p.Inside(p.inv.Point(q))
}

// Stand is Place with a looser box, made of the body's own: enough where many
// copies are only looked at.
func Stand(b *Body, world geom.M) *Placed {
	if b == nil {
		return nil
	}
	inv, ok := world.Affine()
	if !ok || !world.Finite() {
		return nil
	}
	return &Placed{Body: b, World: world, inv: inv, Box: b.Box.Apply(world)}
}

// Reach visits the triangles of the body by its tree, in the space that to
// brings the set into. skip is asked for the middle and the half sizes of boxes
// in that space; what it skips is not visited.
func (p *Placed) Reach(to geom.M, skip func(c, h geom.V) bool, each func(tri [3]geom.V)) {
	if p.herd != nil {
		p.herd.reach(to.Mul(p.World), geom.V{Z: 1}, skip, each)
		return
	}
	p.Body.reach(to.Mul(p.World), skip, each)
}

// reach is Reach of a body; m brings its own space to where skip and each look.
func (b *Body) reach(m geom.M, skip func(c, h geom.V) bool, each func(tri [3]geom.V)) {
	var room [64]int32
	stack := append(room[:0], 0)
	for len(stack) > 0 {
		n := b.node(stack[len(stack)-1])
		stack = stack[:len(stack)-1]
		box := n.under(&m)
		if skip(box.Center(), box.Size().Mul(0.5)) {
			continue
		}
		if n.count == 0 {
			stack = append(stack, n.first, n.first+1)
			continue
		}
		for k := range n.count {
			t := b.triangle(n.first + k)
			each([3]geom.V{m.Point(b.point(t[0])), m.Point(b.point(t[1])), m.Point(b.point(t[2]))})
		}
	}
}

// Outer is points of the body in the set that lie farthest out in many
// directions: its shape from afar, and never beyond it.
func (p *Placed) Outer() []geom.V {
	var out []geom.V
	seen := map[int]bool{}
	for i := range outerWays {
		best, at := math.Inf(-1), -1
		d := p.World.Dir(outerWays[i])
		local := geom.V{X: p.World.Dir(geom.V{X: 1}).Dot(d), Y: p.World.Dir(geom.V{Y: 1}).Dot(d),
			Z: p.World.Dir(geom.V{Z: 1}).Dot(d)}
		if p.herd != nil {
			out = append(out, p.World.Point(p.herd.outer(local)))
			continue
		}
		for k, q := range p.points {
			if s := local.X*float64(q[0]) + local.Y*float64(q[1]) + local.Z*float64(q[2]); s > best {
				best, at = s, k
			}
		}
		if at >= 0 && !seen[at] {
			seen[at] = true
			out = append(out, p.World.Point(p.point(uint32(at))))
		}
	}
	return out
}
