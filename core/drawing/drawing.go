// Package drawing is a drawing on paper: lines, areas, words and pictures, in
// millimetres from the sheet's upper left corner. One drawing is written as SVG,
// PDF or PNG.
package drawing

import (
	"image"
	"math"
)

// Drawing is one sheet. Items lie over one another in their order.
type Drawing struct {
	Title  string
	W, H   float64 // mm
	Lines  []Line
	Areas  []Area
	Texts  []Text
	Images []Image
	order  []item
}

type item struct {
	kind byte
	at   int
}

// Point is a place on the sheet.
type Point struct{ X, Y float64 }

// Line is a row of points, in a grey from 0, black, to 1, white.
type Line struct {
	Points []Point
	Width  float64 // mm
	Grey   float64
	Dash   []float64 // mm on, off; none: drawn through
	Closed bool
}

// Area is filled; its border is drawn where Width is more than 0.
type Area struct {
	Points []Point
	Fill   float64 // grey
	Line   float64 // grey
	Width  float64
}

// Text stands on a base line.
type Text struct {
	X, Y   float64
	Words  string
	Size   float64 // mm of the letter body
	Bold   bool
	Anchor Anchor
	Grey   float64
	Halo   bool // paper around it, so that it is read over lines
}

// Anchor is the part of the words that lies at their place.
type Anchor int

// Anchors.
const (
	Start Anchor = iota
	Middle
	End
)

// Image is a picture between corners.
type Image struct {
	X, Y, W, H float64
	Picture    image.Image
}

// Line adds one.
func (d *Drawing) Line(l Line) {
	d.Lines = append(d.Lines, l)
	d.order = append(d.order, item{'l', len(d.Lines) - 1})
}

// Area adds one.
func (d *Drawing) Area(a Area) {
	d.Areas = append(d.Areas, a)
	d.order = append(d.order, item{'a', len(d.Areas) - 1})
}

// Text adds words.
func (d *Drawing) Text(t Text) {
	d.Texts = append(d.Texts, t)
	d.order = append(d.order, item{'t', len(d.Texts) - 1})
}

// Image adds a picture.
func (d *Drawing) Image(i Image) {
	d.Images = append(d.Images, i)
	d.order = append(d.order, item{'i', len(d.Images) - 1})
}

// Rect are the corners of a rectangle.
func Rect(x, y, w, h float64) []Point {
	return []Point{{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}}
}

// Arc are points of a circle about c, from angle a to b in radians, clockwise on
// the sheet from the right.
func Arc(c Point, r, a, b float64) (out []Point) {
	n := max(int(math.Abs(b-a)/0.06), 2)
	for i := range n + 1 {
		s, co := math.Sincos(a + (b-a)*float64(i)/float64(n))
		out = append(out, Point{c.X + r*co, c.Y + r*s})
	}
	return out
}

// Dimension draws a dimension line from a to b with its words, off to the left of
// the way by so many mm.
func (d *Drawing) Dimension(a, b Point, off float64, words string) {
	dx, dy := b.X-a.X, b.Y-a.Y
	l := math.Hypot(dx, dy)
	if l < 1e-6 {
		return
	}
	nx, ny := dy/l*off, -dx/l*off
	p, q := Point{a.X + nx, a.Y + ny}, Point{b.X + nx, b.Y + ny}
	d.Line(Line{Points: []Point{p, q}, Width: 0.18})
	for _, e := range []Point{p, q} { // slanted ticks, as on a building plan
		tx, ty := (dx/l+dy/l)*1, (dy/l-dx/l)*1
		d.Line(Line{Points: []Point{{e.X - tx, e.Y - ty}, {e.X + tx, e.Y + ty}}, Width: 0.3})
	}
	for i, e := range []Point{a, b} {
		d.Line(Line{Points: []Point{e, []Point{p, q}[i]}, Width: 0.1, Grey: 0.4})
	}
	d.Text(Text{X: (p.X + q.X) / 2, Y: (p.Y+q.Y)/2 - 0.8, Words: words, Size: 2.8, Anchor: Middle, Halo: true})
}

// clip is the part of a line within a rectangle (Liang and Barsky, 1984); ok is
// false where there is none.
func clip(a, b Point, x, y, w, h float64) (p, q Point, ok bool) {
	dx, dy := b.X-a.X, b.Y-a.Y
	t0, t1 := 0.0, 1.0
	for _, e := range [4][2]float64{{-dx, a.X - x}, {dx, x + w - a.X}, {-dy, a.Y - y}, {dy, y + h - a.Y}} {
		switch {
		case e[0] == 0:
			if e[1] < 0 {
				return p, q, false
			}
		case e[0] < 0:
			t0 = max(t0, e[1]/e[0])
		default:
			t1 = min(t1, e[1]/e[0])
		}
	}
	if t0 > t1 {
		return p, q, false
	}
	return Point{a.X + t0*dx, a.Y + t0*dy}, Point{a.X + t1*dx, a.Y + t1*dy}, true
}

// LineWithin adds what lies of a line within a rectangle.
func (d *Drawing) LineWithin(l Line, x, y, w, h float64) {
	pts := l.Points
	if l.Closed && len(pts) > 1 {
		pts = append(append([]Point{}, pts...), pts[0])
	}
	var run []Point
	flush := func() {
		if len(run) > 1 {
			d.Line(Line{Points: run, Width: l.Width, Grey: l.Grey, Dash: l.Dash})
		}
		run = nil
	}
	for i := 1; i < len(pts); i++ {
		p, q, ok := clip(pts[i-1], pts[i], x, y, w, h)
		if !ok {
			flush()
			continue
		}
		if len(run) == 0 || run[len(run)-1] != p {
			flush()
			run = []Point{p}
		}
		run = append(run, q)
	}
	flush()
}

// AreaWithin adds what lies of a convex or simple area within a rectangle
// (Sutherland and Hodgman, 1974).
func (d *Drawing) AreaWithin(a Area, x, y, w, h float64) {
	pts := a.Points
	for side := range 4 {
		in := func(p Point) float64 {
			switch side {
			case 0:
				return p.X - x
			case 1:
				return x + w - p.X
			case 2:
				return p.Y - y
			}
			return y + h - p.Y
		}
		var out []Point
		for i, p := range pts {
			q := pts[(i+len(pts)-1)%len(pts)]
			a, b := in(q), in(p)
			if (a >= 0) != (b >= 0) {
				t := a / (a - b)
				out = append(out, Point{q.X + (p.X-q.X)*t, q.Y + (p.Y-q.Y)*t})
			}
			if b >= 0 {
				out = append(out, p)
			}
		}
		pts = out
	}
	if len(pts) > 2 {
		a.Points = pts
		d.Area(a)
	}
}
