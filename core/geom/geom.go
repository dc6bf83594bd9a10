// Package geom is the arithmetic of space: vectors, quaternions, matrices,
// boxes, rays. The world is right-handed, +Y up, in metres; a camera looks
// along -Z. Angles are radians. Values are plain structs and functions on
// them; nothing here allocates unless its name says so.
package geom

import "math"

// V is a vector or point in three dimensions.
type V struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
	Z float64 `json:"z"`
}

func (a V) Add(b V) V             { return V{a.X + b.X, a.Y + b.Y, a.Z + b.Z} }
func (a V) Sub(b V) V             { return V{a.X - b.X, a.Y - b.Y, a.Z - b.Z} }
func (a V) Mul(s float64) V       { return V{a.X * s, a.Y * s, a.Z * s} }
func (a V) Times(b V) V           { return V{a.X * b.X, a.Y * b.Y, a.Z * b.Z} }
func (a V) Dot(b V) float64       { return a.X*b.X + a.Y*b.Y + a.Z*b.Z }
func (a V) Len() float64          { return math.Sqrt(a.Dot(a)) }
func (a V) Max() float64          { return max(a.X, a.Y, a.Z) }
func (a V) Lerp(b V, t float64) V { return a.Add(b.Sub(a).Mul(t)) }
func (a V) Cross(b V) V {
	return V{a.Y*b.Z - a.Z*b.Y, a.Z*b.X - a.X*b.Z, a.X*b.Y - a.Y*b.X}
}

// Float32 is the vector as structures for rays hold it.
func (a V) Float32() [3]float32 { return [3]float32{float32(a.X), float32(a.Y), float32(a.Z)} }

// Unit returns a with length one; the zero vector stays zero.
func (a V) Unit() V {
	if l := a.Len(); l > 0 {
		return a.Mul(1 / l)
	}
	return a
}

// Finite reports whether no component is NaN or infinite.
func (a V) Finite() bool {
	s := a.X - a.X + (a.Y - a.Y) + (a.Z - a.Z)
	return s == 0
}

// At returns component i: 0 is X, 1 is Y, 2 is Z.
func (a V) At(i int) float64 {
	switch i {
	case 0:
		return a.X
	case 1:
		return a.Y
	}
	return a.Z
}

// Frame returns two unit vectors that complete the unit vector n to a
// right-handed orthonormal frame (Duff et al., Building an Orthonormal
// Basis, Revisited, JCGT 2017).
func Frame(n V) (t, b V) {
	s := math.Copysign(1, n.Z)
	a := -1 / (s + n.Z)
	c := n.X * n.Y * a
	return V{1 + s*n.X*n.X*a, s * c, -s * n.X}, V{c, s + n.Y*n.Y*a, -n.Y}
}

// Cosine is a direction on the side of n, of length 1, drawn by the cosine to it with two numbers from 0 to 1.
func Cosine(n V, u1, u2 float64) V {
	t, b := Frame(n)
	sin, cos := math.Sincos(2 * math.Pi * u2)
	return t.Mul(math.Sqrt(u1) * cos).Add(b.Mul(math.Sqrt(u1) * sin)).Add(n.Mul(math.Sqrt(1 - u1)))
}

// Spiral is the unit vector at the height z, -1 to 1, that the i-th step of the golden angle about +Y leads to: those
// of even heights lie evenly over the sphere (Vogel, A better way to construct the sunflower head, 1979).
func Spiral(i int, z float64) V {
	sin, cos := math.Sincos(float64(i) * 2.399963)
	r := math.Sqrt(1 - z*z)
	return V{r * cos, z, r * sin}
}

// Q is a rotation as a unit quaternion; the zero value means no rotation.
type Q struct{ X, Y, Z, W float64 }

// Turn returns the rotation by angle about the unit axis, counter-clockwise
// when the axis points at the viewer.
func Turn(axis V, angle float64) Q {
	s, c := math.Sincos(angle / 2)
	return Q{axis.X * s, axis.Y * s, axis.Z * s, c}
}

// Unit returns q with length one; the zero quaternion becomes no rotation.
func (q Q) Unit() Q {
	l := math.Sqrt(q.X*q.X + q.Y*q.Y + q.Z*q.Z + q.W*q.W)
	if l == 0 || math.IsNaN(l) || math.IsInf(l, 0) {
		return Q{W: 1}
	}
	return Q{q.X / l, q.Y / l, q.Z / l, q.W / l}
}

// Back is the rotation that undoes q, of length one.
func (q Q) Back() Q { return Q{-q.X, -q.Y, -q.Z, q.W} }

// Mul returns the rotation that does b first and then a.
func (a Q) Mul(b Q) Q {
	a, b = a.Unit(), b.Unit()
	return Q{
		a.W*b.X + a.X*b.W + a.Y*b.Z - a.Z*b.Y,
		a.W*b.Y - a.X*b.Z + a.Y*b.W + a.Z*b.X,
		a.W*b.Z + a.X*b.Y - a.Y*b.X + a.Z*b.W,
		a.W*b.W - a.X*b.X - a.Y*b.Y - a.Z*b.Z,
	}
}

// Rotate turns the vector v by q.
func (q Q) Rotate(v V) V {
	q = q.Unit()
	u := V{q.X, q.Y, q.Z}
	t := u.Cross(v).Mul(2)
	return v.Add(t.Mul(q.W)).Add(u.Cross(t))
}

// Slerp goes from a (t = 0) to b (t = 1) along the shorter arc
// (Shoemake, Animating Rotation with Quaternion Curves, 1985).
func Slerp(a, b Q, t float64) Q {
	a, b = a.Unit(), b.Unit()
	d := a.X*b.X + a.Y*b.Y + a.Z*b.Z + a.W*b.W
	if d < 0 {
		b, d = Q{-b.X, -b.Y, -b.Z, -b.W}, -d
	}
	wa, wb := 1-t, t
	if d < 0.9995 {
		o := math.Acos(d)
		wa, wb = math.Sin((1-t)*o)/math.Sin(o), math.Sin(t*o)/math.Sin(o)
	}
	return Q{wa*a.X + wb*b.X, wa*a.Y + wb*b.Y, wa*a.Z + wb*b.Z, wa*a.W + wb*b.W}.Unit()
}

// M is a 4x4 matrix in column-major order, as glTF stores it: M[12..14] is
// the translation.
type M [16]float64

// Identity changes nothing.
var Identity = M{0: 1, 5: 1, 10: 1, 15: 1}

// Compose returns the matrix that scales, then rotates, then translates.
func Compose(t V, q Q, s V) M {
	x, y, z := q.Rotate(V{X: s.X}), q.Rotate(V{Y: s.Y}), q.Rotate(V{Z: s.Z})
	return M{x.X, x.Y, x.Z, 0, y.X, y.Y, y.Z, 0, z.X, z.Y, z.Z, 0, t.X, t.Y, t.Z, 1}
}

// Scaling returns the matrix of a uniform scale.
func Scaling(s float64) M { return M{0: s, 5: s, 10: s, 15: 1} }

// Translation returns the matrix of a move by t.
func Translation(t V) M {
	m := Identity
	m[12], m[13], m[14] = t.X, t.Y, t.Z
	return m
}

// Mul returns the matrix that does b first and then a.
func (a M) Mul(b M) M {
	var m M
	for c := 0; c < 4; c++ {
		for r := 0; r < 4; r++ {
			m[c*4+r] = a[r]*b[c*4] + a[4+r]*b[c*4+1] + a[8+r]*b[c*4+2] + a[12+r]*b[c*4+3]
		}
	}
	return m
}

// Point applies m to a point.
func (m *M) Point(p V) V {
	return V{
		m[0]*p.X + m[4]*p.Y + m[8]*p.Z + m[12],
		m[1]*p.X + m[5]*p.Y + m[9]*p.Z + m[13],
		m[2]*p.X + m[6]*p.Y + m[10]*p.Z + m[14],
	}
}

// Dir applies m to a direction: no translation.
func (m *M) Dir(p V) V {
	return V{
		m[0]*p.X + m[4]*p.Y + m[8]*p.Z,
		m[1]*p.X + m[5]*p.Y + m[9]*p.Z,
		m[2]*p.X + m[6]*p.Y + m[10]*p.Z,
	}
}

// NormalDir applies the transpose of m to a direction; with m the inverse of
// a transform this carries surface normals through that transform.
func (m *M) NormalDir(p V) V {
	return V{
		m[0]*p.X + m[1]*p.Y + m[2]*p.Z,
		m[4]*p.X + m[5]*p.Y + m[6]*p.Z,
		m[8]*p.X + m[9]*p.Y + m[10]*p.Z,
	}
}

// Det3 is the determinant of the upper left 3x3 block: negative when m mirrors.
func (m *M) Det3() float64 {
	return V{m[0], m[1], m[2]}.Dot(V{m[4], m[5], m[6]}.Cross(V{m[8], m[9], m[10]}))
}

// Affine inverts an affine matrix; ok is false when it flattens space.
func (m *M) Affine() (inv M, ok bool) {
	x, y, z := V{m[0], m[1], m[2]}, V{m[4], m[5], m[6]}, V{m[8], m[9], m[10]}
	d := m.Det3()
	if d == 0 || math.IsNaN(d) || math.IsInf(1/d, 0) {
		return Identity, false
	}
	a, b, c := y.Cross(z).Mul(1/d), z.Cross(x).Mul(1/d), x.Cross(y).Mul(1/d)
	t := V{m[12], m[13], m[14]}
	return M{a.X, b.X, c.X, 0, a.Y, b.Y, c.Y, 0, a.Z, b.Z, c.Z, 0, -a.Dot(t), -b.Dot(t), -c.Dot(t), 1}, true
}

// Finite reports whether no entry is NaN or infinite.
func (m *M) Finite() bool {
	for _, v := range m {
		if v-v != 0 {
			return false
		}
	}
	return true
}

// Box is an axis-aligned box. Build it from Empty; the zero Box is the origin.
type Box struct {
	Min V `json:"min"`
	Max V `json:"max"`
}

// Empty contains nothing and grows by Add and Union.
func Empty() Box {
	i := math.Inf(1)
	return Box{V{i, i, i}, V{-i, -i, -i}}
}

// IsEmpty reports whether the box contains no point.
func (b Box) IsEmpty() bool { return b.Min.X > b.Max.X || b.Min.Y > b.Max.Y || b.Min.Z > b.Max.Z }

// Add returns the box grown to contain p.
func (b Box) Add(p V) Box {
	return Box{
		V{min(b.Min.X, p.X), min(b.Min.Y, p.Y), min(b.Min.Z, p.Z)},
		V{max(b.Max.X, p.X), max(b.Max.Y, p.Y), max(b.Max.Z, p.Z)},
	}
}

// Union returns the smallest box that contains both.
func (b Box) Union(o Box) Box {
	return Box{V{min(b.Min.X, o.Min.X), min(b.Min.Y, o.Min.Y), min(b.Min.Z, o.Min.Z)},
		V{max(b.Max.X, o.Max.X), max(b.Max.Y, o.Max.Y), max(b.Max.Z, o.Max.Z)}}
}

// Size is the extent along each axis; zero for an empty box.
func (b Box) Size() V {
	if b.IsEmpty() {
		return V{}
	}
	return b.Max.Sub(b.Min)
}

// Center is the middle of the box.
func (b Box) Center() V { return b.Min.Add(b.Max).Mul(0.5) }

// Corner returns one of the eight corners; bit 0 of i chooses X, bit 1 Y, bit 2 Z.
func (b Box) Corner(i int) V {
	c := b.Min
	if i&1 != 0 {
		c.X = b.Max.X
	}
	if i&2 != 0 {
		c.Y = b.Max.Y
	}
	if i&4 != 0 {
		c.Z = b.Max.Z
	}
	return c
}

// Apply returns the box around the transformed corners of b.
func (b Box) Apply(m M) Box {
	if b.IsEmpty() {
		return b
	}
	out := Empty()
	for i := 0; i < 8; i++ {
		out = out.Add(m.Point(b.Corner(i)))
	}
	return out
}

// Meets reports whether two boxes have a point in common, or would if either were wider
// by reach on all sides.
func (b *Box) Meets(o *Box, reach float64) bool {
	return b.Max.X+reach >= o.Min.X && b.Min.X-reach <= o.Max.X &&
		b.Max.Y+reach >= o.Min.Y && b.Min.Y-reach <= o.Max.Y &&
		b.Max.Z+reach >= o.Min.Z && b.Min.Z-reach <= o.Max.Z
}

// Enter is where a ray from o enters the box, 0 from inside; +Inf where it passes it.
// inv is one over the ray's direction, of any length. wide and least say by how much,
// relative and absolute, it may be passed and still count as met.
func (b *Box) Enter(o, inv V, wide, least float64) float64 {
	x0, x1 := (b.Min.X-o.X)*inv.X, (b.Max.X-o.X)*inv.X
	y0, y1 := (b.Min.Y-o.Y)*inv.Y, (b.Max.Y-o.Y)*inv.Y
	z0, z1 := (b.Min.Z-o.Z)*inv.Z, (b.Max.Z-o.Z)*inv.Z
	if inv.X < 0 {
		x0, x1 = x1, x0
	}
	if inv.Y < 0 {
		y0, y1 = y1, y0
	}
	if inv.Z < 0 {
		z0, z1 = z1, z0
	}
	// Within a face 0·Inf is not a number, and compares as false: it passes.
	near, far := 0.0, math.Inf(1)
	if x0 > near {
		near = x0
	}
	if y0 > near {
		near = y0
	}
	if z0 > near {
		near = z0
	}
	if x1 < far {
		far = x1
	}
	if y1 < far {
		far = y1
	}
	if z1 < far {
		far = z1
	}
	if near > far*(1+wide)+least {
		return math.Inf(1)
	}
	return near
}

// Hit returns the distance at which the ray from o along d enters b, with d
// not necessarily of unit length; a ray that starts inside enters at 0.
func (b Box) Hit(o, d V) (float64, bool) {
	near, far := 0.0, math.Inf(1)
	for i := 0; i < 3; i++ {
		p, q, lo, hi := o.At(i), d.At(i), b.Min.At(i), b.Max.At(i)
		if q == 0 {
			if p < lo || p > hi {
				return 0, false
			}
			continue
		}
		t0, t1 := (lo-p)/q, (hi-p)/q
		if t0 > t1 {
			t0, t1 = t1, t0
		}
		near, far = max(near, t0), min(far, t1)
	}
	return near, near <= far
}
