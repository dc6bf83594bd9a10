// Package paper is what goes to a real set on paper: the sheet of a shot, with
// its plan to scale, and the map by which painters place cut-outs.
package paper

import (
	"encoding/csv"
	"fmt"
	"image"
	"io"
	"math"
	"strconv"

	"visator/core/drawing"
	"visator/core/geom"
	"visator/core/optics"
	"visator/core/plain"
	"visator/core/unit"
)

// Outline is the outline of a thing from above, in metres.
type Outline struct {
	Name   string
	Points []geom.V // X and Z
	Open   bool     // a line, not an area
	Strong bool     // a wall
}

// Shot is what a shot's sheet tells.
type Shot struct {
	Production, Set, Name string
	Status, Note          string
	View                  optics.View
	Picture               image.Image
	Things                []Outline
	Height                float64 // of the eye above On
	On                    string
	Subject               string
	SubjectAt             *geom.V // metres
	Focus                 string  // what focus lies on; "": a distance
	Sun                   string  // the light, in words
	Sky                   string
	Marks                 []Mark // of focus
	Path                  []geom.V
	Move                  string // in words; "": a still
	Clip                  string
}

// Mark is where focus lies at a time.
type Mark struct {
	At     float64 // seconds
	On     string
	Metres float64
}

// Sheets are A4, lying.
const (
	sheetW = 297
	sheetH = 210
	margin = 12
)

// scales are those that a ruler has.
var scales = []float64{10, 20, 25, 50, 100, 200, 250, 500, 1000, 2000, 5000, 10000}

// ShotSheet draws the sheet of a shot.
func ShotSheet(in unit.Ruler, s *Shot) *drawing.Drawing {
	d := &drawing.Drawing{Title: s.Name + ", shot sheet", W: sheetW, H: sheetH}
	v := &s.View
	d.Text(drawing.Text{X: margin, Y: 18, Words: s.Name, Size: 7, Bold: true})
	sub := s.Production + " / " + s.Set
	if s.Status != "" {
		sub += " · " + s.Status
	}
	d.Text(drawing.Text{X: margin, Y: 24, Words: sub, Size: 3.4, Grey: 0.3})
	d.Line(drawing.Line{Points: []drawing.Point{{X: margin, Y: 27}, {X: sheetW - margin, Y: 27}}, Width: 0.3})
	// The picture, upper left.
	const picW, picH = 128.0, 82.0
	w, h := picW, picW/v.Aspect
	if h > picH {
		w, h = picH*v.Aspect, picH
	}
	const top = 31.0
	if s.Picture != nil {
		d.Image(drawing.Image{X: margin, Y: top, W: w, H: h, Picture: s.Picture})
	}
	d.Line(drawing.Line{Points: drawing.Rect(margin, top, w, h), Width: 0.25, Closed: true})
	for _, k := range []float64{1.0 / 3, 2.0 / 3} {
		d.Line(drawing.Line{Points: []drawing.Point{{X: margin + w*k, Y: top}, {X: margin + w*k, Y: top + 2}},
			Width: 0.25})
		d.Line(drawing.Line{Points: []drawing.Point{{X: margin + w*k, Y: top + h - 2}, {X: margin + w*k, Y: top + h}},
			Width: 0.25})
		d.Line(drawing.Line{Points: []drawing.Point{{X: margin, Y: top + h*k}, {X: margin + 2, Y: top + h*k}},
			Width: 0.25})
		d.Line(drawing.Line{Points: []drawing.Point{{X: margin + w - 2, Y: top + h*k}, {X: margin + w, Y: top + h*k}},
			Width: 0.25})
	}
	s.numbers(d, in, margin, top+h+9)
	s.plan(d, in, 148, 31, sheetW-margin-148, sheetH-margin-31)
	return d
}

// numbers writes what the camera is set to.
func (s *Shot) numbers(d *drawing.Drawing, in unit.Ruler, x, y float64) {
	v := &s.View
	hor, ver := v.FieldOfView()
	near, far := v.SharpZone()
	end := "infinity"
	if !math.IsInf(far, 1) {
		end = in.Distance(far)
	}
	lens := fmt.Sprintf("%.4g mm, %.1f° wide, %.1f° high", v.Focal, unit.Degrees(hor), unit.Degrees(ver))
	if v.Squeeze != 0 && v.Squeeze != 1 {
		lens += fmt.Sprintf(", squeeze %.3g", v.Squeeze)
	}
	height := in.Distance(v.Eye.Y) + " above 0"
	if !math.IsInf(s.Height, 1) && s.On != "" {
		height = in.Distance(s.Height) + " above " + s.On
	}
	aim := fmt.Sprintf("tilt %+.1f°, roll %+.1f°", unit.Degrees(v.Pitch), unit.Degrees(v.Roll))
	if v.ShiftX != 0 || v.ShiftY != 0 {
		aim += fmt.Sprintf(", shift %.1f mm aside, %.1f mm up", v.ShiftX, v.ShiftY)
	}
	expose := fmt.Sprintf("EV %.1f", v.EV)
	if v.ByCamera {
		expose = fmt.Sprintf("f/%.3g, %s, ISO %.0f: EV %.1f", v.FNumber, shutter(v.Open()), v.Speed(), v.EV)
	}
	rows := [][2]string{
		{"lens", lens},
		{"sensor", fmt.Sprintf("%.4g × %.4g mm, picture %.4g : 1", v.SensorW, v.SensorH, v.Aspect)},
		{"lens height", height},
		{"aim", aim},
		{"aperture", fmt.Sprintf("f/%.3g", v.FNumber)},
		{"focus", in.Distance(v.Focus) + on(s.Focus) + ", sharp from " + in.Distance(near) + " to " + end},
		{"exposure", expose},
		{"range", s.Clip},
		{"sun", s.Sun},
		{"sky", s.Sky},
	}
	if s.Move != "" {
		rows = append(rows, [2]string{"move", s.Move})
	}
	for _, m := range s.Marks {
		rows = append(rows, [2]string{"focus mark", fmt.Sprintf("%.2f s: %s%s", m.At, in.Distance(m.Metres), on(m.On))})
	}
	if s.Note != "" {
		rows = append(rows, [2]string{"note", s.Note})
	}
	const line, label = 4.7, 24.0
	for _, r := range rows {
		if r[1] == "" {
			continue
		}
		if y > sheetH-margin {
			break
		}
		d.Text(drawing.Text{X: x, Y: y, Words: r[0], Size: 3.1, Grey: 0.4})
		for i, words := range wrap(r[1], 62) {
			if i > 0 {
				y += line
			}
			d.Text(drawing.Text{X: x + label, Y: y, Words: words, Size: 3.3})
		}
		y += line
	}
}

func on(name string) string {
	if name == "" {
		return ""
	}
	return " on " + name
}

func shutter(s float64) string {
	if s >= 0.4 {
		return fmt.Sprintf("%.3g s", s)
	}
	return fmt.Sprintf("1/%.3g s", 1/s)
}

// wrap breaks words into lines of at most so many letters.
func wrap(s string, most int) (out []string) {
	line, word := []rune{}, []rune{}
	put := func() {
		if len(line) > 0 && len(line)+1+len(word) > most {
			out = append(out, string(line))
			line = nil
		}
		if len(line) > 0 && len(word) > 0 {
			line = append(line, ' ')
		}
		line, word = append(line, word...), nil
	}
	for _, r := range s {
		if r == ' ' || r == '\n' {
			put()
			continue
		}
		word = append(word, r)
	}
	put()
	return append(out, string(line))
}

// plan draws the set from above, to a scale that a ruler has, about what the shot
// is about.
func (s *Shot) plan(d *drawing.Drawing, in unit.Ruler, x, y, w, h float64) {
	v := &s.View
	target := v.Eye.Add(v.Forward().Mul(v.Focus))
	if s.SubjectAt != nil {
		target = *s.SubjectAt
	}
	lo, hi := v.Eye, v.Eye
	put := func(p geom.V) {
		lo.X, lo.Z, hi.X, hi.Z = min(lo.X, p.X), min(lo.Z, p.Z), max(hi.X, p.X), max(hi.Z, p.Z)
	}
	put(target)
	for _, p := range s.Path {
		put(p)
	}
	const spare = 1.5 // metres around
	scale := scales[len(scales)-1]
	for _, k := range scales {
		if (hi.X-lo.X+2*spare)*1000/k <= w && (hi.Z-lo.Z+2*spare)*1000/k <= h {
			scale = k
			break
		}
	}
	mm := 1000 / scale
	cx, cz := (lo.X+hi.X)/2, (lo.Z+hi.Z)/2
	at := func(p geom.V) drawing.Point { return drawing.Point{X: x + w/2 + (p.X-cx)*mm, Y: y + h/2 + (p.Z-cz)*mm} }
	row := func(list []geom.V) (out []drawing.Point) {
		for _, p := range list {
			out = append(out, at(p))
		}
		return out
	}
	for _, t := range s.Things {
		pts := row(t.Points)
		switch {
		case t.Strong:
			d.LineWithin(drawing.Line{Points: pts, Width: 0.6, Closed: !t.Open}, x, y, w, h)
		case t.Open:
			d.LineWithin(drawing.Line{Points: pts, Width: 0.2, Grey: 0.4}, x, y, w, h)
		default:
			d.AreaWithin(drawing.Area{Points: pts, Fill: 0.88, Line: 0.35, Width: 0.2}, x, y, w, h)
		}
	}
	var named []drawing.Point
	for i := len(s.Things) - 1; i >= 0; i-- { // the small first: they need their names most
		t := &s.Things[i]
		if t.Name == "" || t.Open {
			continue
		}
		var c drawing.Point
		for _, p := range row(t.Points) {
			c.X, c.Y = c.X+p.X/float64(len(t.Points)), c.Y+p.Y/float64(len(t.Points))
		}
		half := 0.65 * float64(len([]rune(t.Name)))
		free := true
		for _, o := range named {
			free = free && (math.Abs(o.X-c.X) > 1.4*half+4 || math.Abs(o.Y-c.Y) > 2.6)
		}
		if free && c.X > x+half+1 && c.X < x+w-half-1 && c.Y > y+4 && c.Y < y+h-4 {
			named = append(named, c)
			d.Text(drawing.Text{X: c.X, Y: c.Y + 0.9, Words: t.Name, Size: 2.4, Anchor: drawing.Middle, Grey: 0.25,
				Halo: true})
		}
	}
	// The wedge of the picture, its sharp zone and focus.
	win := v.Window()
	eye := at(v.Eye)
	turn := v.Turn()
	dir := func(tx float64) (float64, float64) {
		r := turn.Rotate(geom.V{X: tx, Z: -1})
		l := math.Hypot(r.X, r.Z)
		return r.X / l, r.Z / l
	}
	lx, lz := dir(win.Left)
	rx, rz := dir(win.Right)
	long := (w + h) * 2
	for _, e := range [][2]float64{{lx, lz}, {rx, rz}} {
		d.LineWithin(drawing.Line{Points: []drawing.Point{eye, {X: eye.X + e[0]*long, Y: eye.Y + e[1]*long}},
			Width: 0.35}, x, y, w, h)
	}
	a0, a1 := math.Atan2(lz, lx), math.Atan2(rz, rx)
	if a1 < a0 {
		a1 += 2 * math.Pi
	}
	near, far := v.SharpZone()
	d.LineWithin(drawing.Line{Points: drawing.Arc(eye, v.Focus*mm, a0, a1), Width: 0.3, Dash: []float64{2, 1}}, x, y, w,
		h)
	for _, r := range []float64{near, far} {
		if r*mm < long {
			d.LineWithin(drawing.Line{Points: drawing.Arc(eye, r*mm, a0, a1), Width: 0.15, Grey: 0.3}, x, y, w, h)
		}
	}
	if len(s.Path) > 1 {
		d.LineWithin(drawing.Line{Points: row(s.Path), Width: 0.5, Dash: []float64{3, 1.5}}, x, y, w, h)
		end := at(s.Path[len(s.Path)-1])
		d.Line(drawing.Line{Points: drawing.Arc(end, 1.2, 0, 2*math.Pi), Width: 0.3})
	}
	// The camera: a triangle that points along its aim.
	fx, fz := dir((win.Left + win.Right) / 2)
	d.Area(drawing.Area{Points: []drawing.Point{{X: eye.X + fx*1, Y: eye.Y + fz*1},
		{X: eye.X - fx*4 - fz*2.2, Y: eye.Y - fz*4 + fx*2.2}, {X: eye.X - fx*4 + fz*2.2, Y: eye.Y - fz*4 - fx*2.2}},
		Fill: 0})
	words := in.Distance(geom.V{X: target.X - v.Eye.X, Z: target.Z - v.Eye.Z}.Len())
	d.Dimension(eye, at(target), 6, words)
	d.Line(drawing.Line{Points: drawing.Rect(x, y, w, h), Width: 0.3, Closed: true})
	// Scale and a bar to check a copy by.
	one := 1.0
	name := "1 m"
	if in == unit.InFeet {
		one, name = 3*0.3048, "3 ft"
	}
	for one*mm < 15 {
		one *= 5
		name = in.Distance(one)
	}
	bx, by := x+4, y+h-4
	d.Area(drawing.Area{Points: drawing.Rect(bx-2, by-6, one*mm+6, 8), Fill: 1})
	d.Line(drawing.Line{Points: []drawing.Point{{X: bx, Y: by - 1.5}, {X: bx, Y: by}, {X: bx + one*mm, Y: by},
		{X: bx + one*mm, Y: by - 1.5}}, Width: 0.3})
	d.Text(drawing.Text{X: bx + one*mm/2, Y: by - 1.2, Words: name, Size: 2.8, Anchor: drawing.Middle})
	d.Text(drawing.Text{X: x + w - 2, Y: y - 1.2, Words: fmt.Sprintf("plan 1 : %.0f, printed at 100 %%", scale),
		Size: 3, Anchor: drawing.End})
}

// CutOut is a figure as a painter places it.
type CutOut struct {
	Name     string
	Shape    [][][2]float64 // its outlines in the picture, 0..1: about what is filled, and the other way about holes
	X        float64        // of its middle, 0..1 from the left
	Feet     float64        // 0..1 from the top
	Head     float64
	Height   float64 // true height, metres
	Distance float64 // metres along the axis
	Scale    float64 // of its picture, relative to the first
}

// CutOutsOf orders figures from the nearest and gives them their scales: how large
// a thing of one height is drawn, relative to the first.
func CutOutsOf(list []CutOut) []CutOut {
	for i := range list {
		list[i].Scale = 1
		if i > 0 && list[i].Distance > 0 {
			list[i].Scale = list[0].Distance / list[i].Distance
		}
	}
	return list
}

// CutOutMap draws where every figure stands in the picture. horizon is where it
// crosses the picture's left and right edge.
func CutOutMap(in unit.Ruler, name string, aspect float64, horizon []float64, list []CutOut) *drawing.Drawing {
	d := &drawing.Drawing{Title: name + ", cut-out map", W: sheetW, H: sheetH}
	d.Text(drawing.Text{X: margin, Y: 17, Words: name + ": cut-out map", Size: 6, Bold: true})
	const maxH = 118.0
	w := sheetW - 2*margin - 30.0
	h := w / aspect
	if h > maxH {
		w, h = maxH*aspect, maxH
	}
	x, y := float64(margin), 22.0
	at := func(px, py float64) drawing.Point { return drawing.Point{X: x + px*w, Y: y + py*h} }
	for k := 1; k < 10; k++ { // a grid of tenths, to carry over by hand
		t := float64(k) / 10
		d.Line(drawing.Line{Points: []drawing.Point{at(t, 0), at(t, 1)}, Width: 0.1, Grey: 0.75})
		d.Line(drawing.Line{Points: []drawing.Point{at(0, t), at(1, t)}, Width: 0.1, Grey: 0.75})
	}
	if len(horizon) == 2 {
		d.LineWithin(drawing.Line{Points: []drawing.Point{at(0, horizon[0]), at(1, horizon[1])}, Width: 0.4,
			Dash: []float64{4, 1.5}}, x, y, w, h)
		if horizon[1] > 0 && horizon[1] < 1 {
			d.Text(drawing.Text{X: x + w + 1.5, Y: at(1, horizon[1]).Y + 1, Words: "horizon", Size: 3})
		}
	}
	for i := len(list) - 1; i >= 0; i-- { // the nearest over the others
		c := &list[i]
		var pts []drawing.Point // all loops as one, by way of the first's beginning and back
		var lines [][]drawing.Point
		for _, loop := range c.Shape {
			var line []drawing.Point
			for _, p := range loop {
				line = append(line, at(p[0], p[1]))
			}
			line = append(line, line[0])
			lines = append(lines, line)
			if pts = append(pts, line...); len(pts) > len(line) {
				pts = append(pts, pts[0])
			}
		}
		if len(pts) > 2 {
			d.AreaWithin(drawing.Area{Points: pts, Fill: 0.82}, x, y, w, h)
		}
		for _, line := range lines {
			d.LineWithin(drawing.Line{Points: line, Width: 0.3, Grey: 0.2}, x, y, w, h)
		}
		foot := at(c.X, c.Feet)
		d.LineWithin(drawing.Line{Points: []drawing.Point{{X: foot.X - 3, Y: foot.Y}, {X: foot.X + 3, Y: foot.Y}},
			Width: 0.5}, x, y, w, h)
		if head := at(c.X, c.Head); foot.X > x && foot.X < x+w {
			d.Text(drawing.Text{X: head.X, Y: min(max(head.Y-1.2, y+4.5), y+h-2), Words: strconv.Itoa(i + 1), Size: 3.4,
				Bold: true, Anchor: drawing.Middle, Halo: true})
		}
	}
	d.Line(drawing.Line{Points: drawing.Rect(x, y, w, h), Width: 0.4, Closed: true})
	// The table.
	cols := []float64{margin, margin + 8, margin + 68, margin + 98, margin + 128, margin + 160, margin + 192,
		margin + 228}
	ty := y + h + 8
	for k, t := range []string{"", "figure", "true height", "distance", "scale", "height here", "feet, from below",
		"middle, from left"} {
		d.Text(drawing.Text{X: cols[k], Y: ty, Words: t, Size: 3, Grey: 0.4})
	}
	for i, c := range list {
		ty += 4.6
		if ty > sheetH-margin+4 {
			d.Text(drawing.Text{X: cols[1], Y: ty, Words: fmt.Sprintf("and %d more, in the table", len(list)-i),
				Size: 3.2})
			break
		}
		for k, t := range []string{strconv.Itoa(i + 1), plain.Cell(c.Name), in.Distance(c.Height),
			in.Distance(c.Distance),
			fmt.Sprintf("%.3f", c.Scale), fmt.Sprintf("%.1f %%", 100*(c.Feet-c.Head)),
			fmt.Sprintf("%.1f %%", 100*(1-c.Feet)),
			fmt.Sprintf("%.1f %%", 100*c.X)} {
			d.Text(drawing.Text{X: cols[k], Y: ty, Words: t, Size: 3.2, Bold: k == 0})
		}
	}
	return d
}

// WriteCutOuts writes the map as a table: CSV (RFC 4180), shares of the picture
// from its lower left corner, metres.
func WriteCutOuts(out io.Writer, horizon []float64, list []CutOut) error {
	w := csv.NewWriter(out)
	put := func(x float64) string { return strconv.FormatFloat(x, 'f', 5, 64) }
	rows := [][]string{{"number", "figure", "true height m", "distance m", "scale to the first", "middle from left",
		"feet from below", "head from below", "height share"}}
	for i, c := range list {
		rows = append(rows, []string{strconv.Itoa(i + 1), plain.Cell(c.Name), put(c.Height), put(c.Distance),
			put(c.Scale), put(c.X), put(1 - c.Feet), put(1 - c.Head), put(c.Feet - c.Head)})
	}
	if len(horizon) == 2 {
		rows = append(rows, []string{"", "horizon at the left edge", "", "", "", put(0), put(1 - horizon[0]), "", ""},
			[]string{"", "horizon at the right edge", "", "", "", put(1), put(1 - horizon[1]), "", ""})
	}
	if err := w.WriteAll(rows); err != nil {
		return err
	}
	return w.Error()
}
