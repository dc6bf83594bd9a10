// Package subdivide makes meshes smoother and rounder: faces are divided again and again, as Catmull and Clark do with
// quads (Recursively generated B-spline surfaces on arbitrary topological meshes, 1978) and Loop with triangles (Smooth
// subdivision surfaces based on triangles, 1987), and what is left lies on the surface that all further divisions would
// come to. Sharp edges stay sharp (Hoppe et al., Piecewise smooth surface reconstruction, 1994).
package subdivide

import (
	"math"

	"visator/core/geom"
)

// pair is an edge by its vertices, the lower first.
type pair struct{ a, b int32 }

func pairOf(a, b int32) pair { return pair{min(a, b), max(a, b)} }

// attributes are what a corner has beside its place: both coordinates of pictures, and its colour.
type attributes [8]float32

// face is a triangle or a quad. Its corners have attributes of their own, so that seams stay.
type face struct {
	n    int // corners
	v    [4]int32
	has  [4]attributes
	part int32
}

// mesh is what is divided.
type mesh struct {
	at    []geom.V
	faces []face
	sharp map[pair]bool
}

// edge is what is known of one.
type edge struct {
	faces int
	of    [2]int32 // the first two
	point int32    // the vertex that it becomes
	sharp bool
}

// edges are those of the mesh, and their order.
func (m *mesh) edges() (of map[pair]*edge, order []pair) {
	of = make(map[pair]*edge, 2*len(m.faces))
	for i := range m.faces {
		f := &m.faces[i]
		for k := range f.n {
			p := pairOf(f.v[k], f.v[(k+1)%f.n])
			e := of[p]
			if e == nil {
				e = &edge{sharp: m.sharp[p]}
				of[p] = e
				order = append(order, p)
			}
			if e.faces < 2 {
				e.of[e.faces] = int32(i)
			}
			e.faces++
		}
	}
	for _, e := range of {
		e.sharp = e.sharp || e.faces != 2 // a rim, or where more than two faces meet
	}
	return of, order
}

// ring is what lies about a vertex.
type ring struct {
	edges, faces int
	ends         geom.V // sum of the other ends of its edges
	diagonal     geom.V // of its faces' middles; of a quad's corner across while the limit is asked for
	sharps       int
	sharp        geom.V // sum of the other ends of its sharp edges
}

// rings are those of all vertices; across says that faces count by their corner across instead of by their middle.
func (m *mesh) rings(of map[pair]*edge, order []pair, across bool) []ring {
	list := make([]ring, len(m.at))
	for _, p := range order {
		sharp := of[p].sharp
		for _, q := range [2]pair{p, {p.b, p.a}} {
			r := &list[q.a]
			r.edges, r.ends = r.edges+1, r.ends.Add(m.at[q.b])
			if sharp {
				r.sharps, r.sharp = r.sharps+1, r.sharp.Add(m.at[q.b])
			}
		}
	}
	for i := range m.faces {
		f := &m.faces[i]
		mid := m.middle(f)
		for k := range f.n {
			r := &list[f.v[k]]
			r.faces++
			if across {
				mid = m.at[f.v[(k+2)%f.n]]
			}
			r.diagonal = r.diagonal.Add(mid)
		}
	}
	return list
}

func (m *mesh) middle(f *face) (p geom.V) {
	for k := range f.n {
		p = p.Add(m.at[f.v[k]])
	}
	return p.Mul(1 / float64(f.n))
}

// fixed are vertices that stay: where three or more sharp edges meet, or one ends at a rim.
func (r *ring) fixed() bool { return r.sharps > 2 || r.edges == 2 && r.faces == 1 }

// quads divides each face into quads, one for each of its corners.
func (m *mesh) quads() *mesh {
	of, order := m.edges()
	rings := m.rings(of, order, false)
	out := &mesh{at: make([]geom.V, len(m.at), len(m.at)+len(order)+len(m.faces)), sharp: map[pair]bool{}}
	for i, r := range rings {
		n := float64(r.edges)
		switch {
		case r.fixed() || n == 0:
			out.at[i] = m.at[i]
		case r.sharps == 2:
			out.at[i] = m.at[i].Mul(6).Add(r.sharp).Mul(1.0 / 8)
		default: // (F + 2R + (n−3)P)/n, where R is the mean of the edges' middles
			mids := r.ends.Mul(1 / n).Add(m.at[i]).Mul(0.5)
			out.at[i] = r.diagonal.Mul(1 / n).Add(mids.Mul(2)).Add(m.at[i].Mul(n - 3)).Mul(1 / n)
		}
	}
	for _, p := range order {
		e := of[p]
		mid := m.at[p.a].Add(m.at[p.b]).Mul(0.5)
		if !e.sharp {
			mid = mid.Mul(2).Add(m.middle(&m.faces[e.of[0]])).Add(m.middle(&m.faces[e.of[1]])).Mul(0.25)
		}
		m.divided(out, p, e, mid)
	}
	for i := range m.faces {
		f := &m.faces[i]
		center := int32(len(out.at))
		out.at = append(out.at, m.middle(f))
		var mid attributes
		for k := range f.n {
			for c := range mid {
				mid[c] += f.has[k][c] / float32(f.n)
			}
		}
		for k := range f.n {
			next, before := (k+1)%f.n, (k+f.n-1)%f.n
			out.faces = append(out.faces, face{4, [4]int32{f.v[k], of[pairOf(f.v[k], f.v[next])].point, center,
				of[pairOf(f.v[k], f.v[before])].point}, [4]attributes{f.has[k], half(&f.has[k], &f.has[next]), mid,
				half(&f.has[k], &f.has[before])}, f.part})
		}
	}
	return out
}

// divided puts the middle of an edge into a mesh; of a sharp edge both halves are sharp.
func (m *mesh) divided(out *mesh, p pair, e *edge, mid geom.V) {
	e.point = int32(len(out.at))
	out.at = append(out.at, mid)
	if e.sharp {
		out.sharp[pairOf(p.a, e.point)], out.sharp[pairOf(p.b, e.point)] = true, true
	}
}

func half(a, b *attributes) (out attributes) {
	for i := range out {
		out[i] = (a[i] + b[i]) / 2
	}
	return out
}

// loop is how much each neighbour of a vertex with n of them counts (Loop 1987).
func loop(n int) float64 {
	c := 3.0/8 + math.Cos(2*math.Pi/float64(n))/4
	return (5.0/8 - c*c) / float64(n)
}

// triangles divides each triangle into four.
func (m *mesh) triangles() *mesh {
	of, order := m.edges()
	rings := m.rings(of, order, false)
	out := &mesh{at: make([]geom.V, len(m.at), len(m.at)+len(order)), sharp: map[pair]bool{}}
	for i, r := range rings {
		switch {
		case r.fixed() || r.edges == 0:
			out.at[i] = m.at[i]
		case r.sharps == 2:
			out.at[i] = m.at[i].Mul(6).Add(r.sharp).Mul(1.0 / 8)
		default:
			b := loop(r.edges)
			out.at[i] = m.at[i].Mul(1 - float64(r.edges)*b).Add(r.ends.Mul(b))
		}
	}
	for _, p := range order {
		e := of[p]
		mid := m.at[p.a].Add(m.at[p.b])
		if e.sharp {
			mid = mid.Mul(0.5)
		} else {
			mid = mid.Mul(3).Add(m.opposite(e.of[0], p)).Add(m.opposite(e.of[1], p)).Mul(1.0 / 8)
		}
		m.divided(out, p, e, mid)
	}
	for i := range m.faces {
		f := &m.faces[i]
		var v [3]int32
		var has [3]attributes
		for k := range 3 {
			v[k], has[k] = of[pairOf(f.v[k], f.v[(k+1)%3])].point, half(&f.has[k], &f.has[(k+1)%3])
		}
		for k := range 3 {
			b := (k + 2) % 3
			out.faces = append(out.faces, face{3, [4]int32{f.v[k], v[k], v[b]}, [4]attributes{f.has[k], has[k], has[b]},
				f.part})
		}
		out.faces = append(out.faces, face{3, [4]int32{v[0], v[1], v[2]}, [4]attributes{has[0], has[1], has[2]},
			f.part})
	}
	return out
}

// opposite is the corner of a triangle that lies on none of an edge's ends.
func (m *mesh) opposite(f int32, p pair) geom.V {
	for _, v := range m.faces[f].v[:3] {
		if v != p.a && v != p.b {
			return m.at[v]
		}
	}
	return m.at[p.a]
}

// limit moves each vertex to where all further divisions would bring it: of quads as Halstead, Kass and DeRose
// (Efficient, fair interpolation using Catmull-Clark surfaces, 1993) tell, of triangles as Loop does; along sharp edges
// the limit is that of a cubic B-spline.
func (m *mesh) limit() []geom.V {
	of, order := m.edges()
	quads := len(m.faces) > 0 && m.faces[0].n == 4
	out := make([]geom.V, len(m.at))
	for i, r := range m.rings(of, order, quads) {
		n := float64(r.edges)
		switch {
		case r.fixed() || n == 0:
			out[i] = m.at[i]
		case r.sharps == 2:
			out[i] = m.at[i].Mul(4).Add(r.sharp).Mul(1.0 / 6)
		case quads:
			out[i] = m.at[i].Mul(n * n).Add(r.ends.Mul(4)).Add(r.diagonal).Mul(1 / (n * (n + 5)))
		default:
			w := 1 / (n + 3/(8*loop(r.edges)))
			out[i] = m.at[i].Mul(1 - n*w).Add(r.ends.Mul(w))
		}
	}
	return out
}
