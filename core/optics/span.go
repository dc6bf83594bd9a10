package optics

import (
	"math"

	"visator/core/geom"
	"visator/core/model"
)

// Span is how far a thing reaches along the view axis and in the picture.
// What is seen of it counts where it is seen at all, else the whole of it.
type Span struct {
	Near   float64 `json:"near"` // metres along the axis; only what is before the lens
	Far    float64 `json:"far"`
	Height float64 `json:"height"` // share of the picture's height
	Seen   bool    `json:"seen"`   // some of its box lies in the picture
	Behind bool    `json:"behind"` // all of it lies behind the lens
	Left   float64 `json:"left"`   // in the picture, 0..1
	Right  float64 `json:"right"`
	Top    float64 `json:"top"`
	Bottom float64 `json:"bottom"`
}

// faces are the corners of a box's sides, each around its edge.
var faces = [6][4]int{{0, 2, 6, 4}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 3, 7, 6}, {0, 1, 3, 2}, {4, 5, 7, 6}}

// SpanOf measures a box under a transform: its sides are cut by the four
// planes through the lens and the picture's edges, near and far planes do not
// count. A lens inside of the box sees it from distance 0.
func (v *View) SpanOf(box geom.Box, world geom.M) Span {
	all, tx, ty := v.toCamera(world)
	var corner [8]geom.V
	s := Span{Near: math.Inf(1), Far: math.Inf(-1)}
	for i := range corner {
		corner[i] = all.Point(box.Corner(i))
		s.Near, s.Far = min(s.Near, -corner[i].Z), max(s.Far, -corner[i].Z)
	}
	inside := false
	if back, ok := all.Affine(); ok {
		lens := back.Point(geom.V{})
		inside = lens.X > box.Min.X && lens.X < box.Max.X && lens.Y > box.Min.Y && lens.Y < box.Max.Y &&
			lens.Z > box.Min.Z && lens.Z < box.Max.Z
	}
	s.Behind, s.Near = s.Far <= 0, max(s.Near, 0)
	seen := nothingSeen()
	for _, f := range faces {
		seen.add([]geom.V{corner[f[0]], corner[f[1]], corner[f[2]], corner[f[3]]}, tx, ty)
	}
	if inside {
		seen.Near = 0
	}
	return seen.or(s)
}

// toCamera is the transform from a thing's space to the camera's, with the
// tangents of half the angles of view.
func (v *View) toCamera(world geom.M) (m geom.M, tx, ty float64) {
	all, tx, ty := v.Upright()
	return all.Mul(world), tx, ty
}

// Upright is the transform from the set to a space in which the picture is a
// pyramid even about the axis -Z, with the tangents of half its angles: the
// camera's own space, sheared so that shift is gone. Distances along the axis
// are kept.
func (v *View) Upright() (m geom.M, tx, ty float64) {
	camera := v.World()
	inv, _ := camera.Affine()
	w := v.Window()
	cx, cy := w.Mid()
	tx, ty = w.Half()
	if cx != 0 || cy != 0 {
		shear := geom.Identity
		shear[8], shear[9] = cx, cy // x' = x + cx·z: z is minus the distance
		inv = shear.Mul(inv)
	}
	return inv, tx, ty
}

// nothingSeen is a span for add to begin with.
func nothingSeen() Span {
	return Span{Near: math.Inf(1), Far: math.Inf(-1), Left: 1, Top: 1, Seen: true}
}

// or is the span, or the other one where add took nothing in.
func (s Span) or(whole Span) Span {
	if s.Far <= 0 {
		return whole
	}
	s.Height = max(s.Bottom-s.Top, 0)
	return s
}

// ClipSides cuts a polygon by the pyramid of the picture: |x| <= d·tx and
// |y| <= d·ty, with d = -z (Sutherland and Hodgman, Reentrant Polygon Clipping,
// 1974). The result lies in one of poly and room, which are both used; with room
// for four more corners nothing is allocated.
func ClipSides(poly, room []geom.V, tx, ty float64) []geom.V {
	for side := range 4 {
		value := func(p geom.V) float64 {
			switch side {
			case 0:
				return -p.Z*tx - p.X
			case 1:
				return -p.Z*tx + p.X
			case 2:
				return -p.Z*ty - p.Y
			}
			return -p.Z*ty + p.Y
		}
		if len(poly) == 0 {
			return nil
		}
		room = room[:0]
		last := poly[len(poly)-1]
		lastIn := value(last)
		for _, p := range poly {
			in := value(p)
			if (in >= 0) != (lastIn >= 0) {
				room = append(room, last.Add(p.Sub(last).Mul(lastIn/(lastIn-in))))
			}
			if in >= 0 {
				room = append(room, p)
			}
			last, lastIn = p, in
		}
		poly, room = room, poly
	}
	return poly
}

// SpanOfModel measures a model under a transform by its triangles: what a box
// is too coarse for, such as land that the lens stands on.
func (v *View) SpanOfModel(m *model.Model, world geom.M) Span {
	all, tx, ty := v.toCamera(world)
	whole := v.SpanOf(m.Bounds(), world)
	whole.Seen = false // unless one of the triangles is
	seen := nothingSeen()
	var place []geom.V
	m.Walk(func(_ int, n *model.Node, local geom.M) {
		if n.Mesh == model.None {
			return
		}
		to := all.Mul(local)
		for i := range m.Meshes[n.Mesh].Parts {
			p := &m.Meshes[n.Mesh].Parts[i]
			place = place[:0]
			for k := range p.Vertices() {
				place = append(place, to.Point(p.Position(uint32(k))))
			}
			for t := 0; t+2 < len(p.Indices) && p.Kind == model.Triangles; t += 3 {
				seen.add([]geom.V{place[p.Indices[t]], place[p.Indices[t+1]], place[p.Indices[t+2]]}, tx, ty)
			}
		}
	})
	return seen.or(whole)
}

// add takes in what is seen of a polygon in camera space.
func (s *Span) add(poly []geom.V, tx, ty float64) {
	// Most lie beyond one side, or within all of them.
	all, any := uint8(15), uint8(0)
	for _, p := range poly {
		beyond := uint8(0)
		w, h := -p.Z*tx, -p.Z*ty
		if p.X > w {
			beyond = 1
		}
		if p.X < -w {
			beyond |= 2
		}
		if p.Y > h {
			beyond |= 4
		}
		if p.Y < -h {
			beyond |= 8
		}
		all, any = all&beyond, any|beyond
	}
	if all != 0 {
		return
	}
	if any != 0 {
		poly = ClipSides(poly, nil, tx, ty)
	}
	for _, p := range poly {
		d := -p.Z
		s.Near, s.Far = min(s.Near, d), max(s.Far, d)
		if d > 0 {
			x, y := 0.5+p.X/d/(2*tx), 0.5-p.Y/d/(2*ty)
			s.Left, s.Right = min(s.Left, x), max(s.Right, x)
			s.Top, s.Bottom = min(s.Top, y), max(s.Bottom, y)
		}
	}
}
