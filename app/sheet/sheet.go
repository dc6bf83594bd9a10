// Package sheet puts shots on paper: their sheets, what is cut out of board for them, where lenses stand.
package sheet

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"slices"

	"visator/app/act"
	"visator/app/measure"
	"visator/app/shoot"
	"visator/app/takes"
	"visator/core/contact"
	"visator/core/drawing"
	"visator/core/frame"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/paper"
	"visator/core/plain"
	"visator/core/sizing"
	"visator/core/snag"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
)

// Office is where sheets are drawn of a studio's shots.
type Office struct{ studio *shoot.Studio }

// New is the office of a studio.
func New(s *shoot.Studio) *Office { return &Office{s} }

// Paper is something to print, as bytes of a kind.
type Paper struct {
	Name string
	Mime string
	Data []byte
}

// sheetDPI is how finely sheets are drawn as pixels: enough to look at, and to
// print small.
const sheetDPI = 130

// write writes a drawing as pdf, svg or png.
func write(d *drawing.Drawing, name, as string) (p Paper, err error) {
	var buf bytes.Buffer
	switch as {
	case "pdf":
		p.Mime, err = "application/pdf", d.WritePDF(&buf)
	case "svg":
		p.Mime, err = "image/svg+xml", d.WriteSVG(&buf)
	case "png":
		p.Mime, err = "image/png", d.WritePNG(&buf, sheetDPI)
	default:
		return p, act.Wrong("A sheet is written as pdf, svg or png.")
	}
	p.Name, p.Data = name+"."+as, buf.Bytes()
	return p, err
}

// looked is a shot, or the working view, made ready to be put on paper.
type looked struct {
	w    *measure.Snapshot
	f    *measure.Framing
	cast *stage.Cast
	shot stage.Shot
	now  frame.Moment
	in   unit.Ruler
}

func (a *Office) lookAt(ctx context.Context, setID, shotID string) (*looked, error) {
	w, f, err := a.studio.FramingOf(ctx, setID)
	if err != nil {
		return nil, err
	}
	l := &looked{w: w, f: f, shot: stage.Shot{Name: "working view", ShotSettings: w.SetRow.ShotSettings},
		in: unit.RulerOf(w.Production.Unit)}
	if shotID != "" {
		i := slices.IndexFunc(w.ShotRows, func(s store.ShotRow) bool { return s.ID == shotID })
		if i < 0 {
			return nil, act.NotThere(store.ErrNotFound, "The shot")
		}
		l.shot = w.ShotRows[i].Shot
	}
	l.cast = w.Cast(l.shot.Move)
	l.now = f.At(&l.shot.ShotSettings, l.cast, 0)
	return l, nil
}

// ShotSheet is the sheet of a kept shot, or of the working view, to be taken to the
// set: pdf, svg or png.
func (a *Office) ShotSheet(ctx context.Context, setID, shotID, as string) (Paper, error) {
	l, err := a.lookAt(ctx, setID, shotID)
	if err != nil {
		return Paper{}, err
	}
	v := &l.now.View
	k := &l.shot.ShotSettings
	s := &paper.Shot{Production: l.w.Production.Name, Set: l.w.SetRow.Name, Name: l.shot.Name, Status: l.shot.Status,
		Note: l.shot.Note, View: *v, Height: math.Inf(1)}
	if h, on := l.now.Scene.Below(v.Eye); on >= 0 {
		s.Height, s.On = h, l.now.Scene.Things[on].Name
	}
	focus := v.FocusOn
	if focus == "" {
		focus = v.Subject
	}
	if at, ok := l.cast.Where(focus, 0); ok {
		s.Subject, s.SubjectAt = l.name(focus), &at
	}
	if s.Focus = l.name(v.FocusOn); k.Move != nil && len(k.Move.Pulls) > 0 {
		s.Focus = l.name(k.Move.Pulls[0].On)
	}
	s.Clip = fmt.Sprintf("near %s, far %s", l.in.Distance(v.Near), l.in.Distance(v.Far))
	ls := &k.Light
	if s.Sun = "none"; ls.SunOn {
		s.Sun = fmt.Sprintf("from %.0f° (0° is the top of the plan, clockwise), %.0f° high, %.0f lx, %.0f K",
			math.Mod(unit.Degrees(ls.Azimuth)+360, 360), unit.Degrees(ls.Elevation), ls.Lux, ls.Kelvin)
	}
	s.Sky = ls.SkySaid()
	if m := k.Move; m != nil {
		first, last := k.Frames()
		s.Move = fmt.Sprintf("%.4g s at %.4g frames a second, frames %d to %d", m.Duration(), m.Rate, first+1, last+1)
		if m.Rail != nil {
			s.Move += ", " + m.Rail.Kind
		}
		for i := range measure.TraceSteps + 1 {
			s.Path = append(s.Path, k.At(m.Duration()*float64(i)/measure.TraceSteps, l.cast.Where).Eye)
		}
		for _, p := range m.Pulls {
			s.Marks = append(s.Marks, paper.Mark{At: p.At, On: l.name(p.On), Metres: k.At(p.At, l.cast.Where).Focus})
		}
	}
	s.Things = l.outlines()
	if s.Picture, err = a.pictureOf(ctx, l); err != nil {
		return Paper{}, err
	}
	return write(paper.ShotSheet(l.in, s), plain.FileName(l.shot.Name)+" shot sheet", as)
}

// name is what a thing is called; "" without one.
func (l *looked) name(id string) string {
	if id == "" {
		return ""
	}
	_, name := l.f.Outer(id)
	return name
}

// pictureOf is the newest picture of a kept shot, or a sketch of what is seen.
func (a *Office) pictureOf(ctx context.Context, l *looked) (image.Image, error) {
	if l.shot.ID != "" {
		made, err := store.Takes(ctx, a.studio.Store.Pool, l.w.SetRow.ID)
		if err != nil {
			return nil, err
		}
		for i := range made {
			var s takes.Settings
			var r takes.Result
			if made[i].ShotID != l.shot.ID || made[i].State != "done" || json.Unmarshal(made[i].Settings,
				&s) != nil || json.Unmarshal(made[i].Result, &r) != nil || !s.View.Equal(&l.shot.View) {
				continue
			}
			hash := r.PNG
			if hash == "" && len(r.Frames) > 0 {
				hash = r.Frames[0]
			}
			if data, err := a.studio.Store.ReadBlob(ctx, hash); err == nil {
				if m, err := png.Decode(bytes.NewReader(data)); err == nil {
					return m, nil
				}
			}
		}
	}
	const wide = 640
	return l.now.Scene.Sketch(&l.now.View, wide, max(int(wide/l.now.View.Aspect), 1)), nil
}

// leastDrawn is how wide a copy is that a plan shows, in metres; of more copies than
// mostDrawn a plan shows the area that they fill, which says more than a black sheet.
const (
	leastDrawn = 0.8
	mostDrawn  = 20_000
)

// outlines are the things of the set from above.
func (l *looked) outlines() (out []paper.Outline) {
	for i := range l.f.Things {
		t := &l.f.Things[i]
		kind := l.f.Kind[t.ID]
		if t.Body == nil || t.Land || kind != "piece" && kind != "stand-in" && kind != "row" && kind != "line" &&
			kind != "drift" {
			continue
		}
		draw := func(b *contact.Placed, name string) {
			out = append(out, paper.Outline{Name: name, Points: contact.Hull(flat(b.Outer()))})
		}
		if kind == "piece" || kind == "stand-in" || t.Body.Copies() > mostDrawn {
			draw(t.Body, t.Name)
			continue
		}
		t.Body.Each(func(b *contact.Placed) bool {
			if size := b.Box.Size(); max(size.X, size.Z) >= leastDrawn { // else it is grass
				draw(b, "") // copies are not named one by one
			}
			return true
		})
	}
	slices.SortStableFunc(out, func(a, b paper.Outline) int { // the large beneath the small
		if x, y := span2(a.Points), span2(b.Points); x > y {
			return -1
		} else if x < y {
			return 1
		}
		return 0
	})
	for t := range l.w.Seen {
		if t.Laid == nil {
			continue
		}
		spec, err := t.Element.Read()
		if err != nil {
			continue
		}
		if s, ok := spec.(*lay.Room); ok {
			out = append(out, paper.Outline{Name: t.Name, Points: places(s.Outline), Open: s.Open, Strong: true})
		}
		for _, s := range t.Laid.Swings {
			p := []geom.V{{X: s.Hinge.X, Z: s.Hinge.Z}}
			for k := range 13 {
				a := s.Closed + (s.Open-s.Closed)*float64(k)/12
				p = append(p, geom.V{X: s.Hinge.X + s.Width*math.Cos(a), Z: s.Hinge.Z + s.Width*math.Sin(a)})
			}
			out = append(out, paper.Outline{Points: append(p, p[0]), Open: true})
		}
		for _, strip := range t.Laid.Strips {
			out = append(out, paper.Outline{Points: places(strip), Open: true})
		}
	}
	return out
}

func places(list []lay.P) (out []geom.V) {
	for _, p := range list {
		out = append(out, geom.V{X: p.X, Z: p.Z})
	}
	return out
}

// flat are points on the ground.
func flat(list []geom.V) (out []geom.V) {
	for _, p := range list {
		out = append(out, geom.V{X: p.X, Z: p.Z})
	}
	return out
}

func span2(list []geom.V) float64 {
	b := geom.Empty()
	for _, p := range list {
		b = b.Add(p)
	}
	return b.Size().X * b.Size().Z
}

// maxCutOuts bounds the figures of a map: more are no map.
const maxCutOuts = 60

// CutOuts is the map by which painters place figures: every person that is seen,
// and the subject; where there are none, or where all are asked for, all that
// stands: pdf, svg, png or csv.
func (a *Office) CutOuts(ctx context.Context, setID, shotID, as string, everything bool) (Paper, error) {
	l, err := a.lookAt(ctx, setID, shotID)
	if err != nil {
		return Paper{}, err
	}
	v := &l.now.View
	spans := l.now.Scene.Spans(v)
	collect := func(all bool) (list []paper.CutOut) {
		for i := range l.now.Scene.Things {
			t := &l.now.Scene.Things[i]
			kind := l.f.Kind[t.ID]
			if t.Body == nil || t.Land || !spans[i].Seen ||
				!(t.Figure || t.ID == v.Subject || all && (kind == "piece" || kind == "stand-in")) {
				continue
			}
			b := t.Body.Box
			foot, head := b.Center(), b.Center()
			foot.Y, head.Y = b.Min.Y, b.Max.Y
			x, fy, depth, ok := v.Project(foot)
			_, hy, _, ok2 := v.Project(head)
			if !ok || !ok2 {
				continue
			}
			c := paper.CutOut{Name: t.Name, X: x, Feet: fy, Head: hy, Height: b.Size().Y, Distance: depth}
			c.Shape = sizing.Outline(func(draw func(a, b, c [2]float64)) {
				t.Body.Reach(geom.Identity, func(geom.V, geom.V) bool { return false }, func(tri [3]geom.V) {
					var q [3][2]float64
					for k := range tri {
						x, y, _, ok := v.Project(tri[k])
						if !ok {
							return // behind the camera
						}
						q[k] = [2]float64{x, y}
					}
					draw(q[0], q[1], q[2])
				})
			}, 4) // so many pictures' widths
			list = append(list, c)
		}
		return list
	}
	list := collect(everything)
	if len(list) == 0 {
		list = collect(true)
	}
	if len(list) == 0 {
		return Paper{}, act.Wrong("No figure stands in the picture: place people, or name a subject.")
	}
	slices.SortStableFunc(list, func(p, q paper.CutOut) int {
		if p.Distance < q.Distance {
			return -1
		}
		return 1
	})
	list = paper.CutOutsOf(list[:min(len(list), maxCutOuts)])
	var horizon []float64
	if left, right, ok := v.Horizon(); ok {
		horizon = []float64{left, right}
	}
	name := plain.FileName(l.shot.Name) + " cut-outs"
	if as == "csv" {
		var buf bytes.Buffer
		err := paper.WriteCutOuts(&buf, horizon, list)
		return Paper{name + ".csv", "text/csv", buf.Bytes()}, err
	}
	return write(paper.CutOutMap(l.in, l.shot.Name, v.Aspect, horizon, list), name, as)
}

// LensPlaces is where each lens shows a subject as large as asked, with room for
// the camera and who is behind it, and all doors open.
func (a *Office) LensPlaces(ctx context.Context, setID, subject string, share float64,
	focals []float64) (rows []frame.LensPlace, err error) {
	if !(share >= 0.05 && share <= 3) {
		return nil, act.Wrong("A subject fills 5 to 300 %% of the picture's height.")
	}
	if len(focals) == 0 || len(focals) > 20 {
		return nil, act.Wrong("Give 1 to 20 focal lengths.")
	}
	for _, f := range focals {
		if !(f >= 4 && f <= 2000) {
			return nil, act.Wrong("A focal length is 4 to 2000 mm.")
		}
	}
	l, err := a.lookAt(ctx, setID, "")
	if err != nil {
		return nil, err
	}
	points, name := l.f.Outer(subject)
	if len(points) == 0 {
		if name == "" {
			return nil, act.NotThere(store.ErrNotFound, "The subject")
		}
		return nil, act.Wrong("%s has no shape yet.", name)
	}
	things := slices.Clone(l.now.Scene.Things)
	for t := range l.w.Seen {
		if t.Laid == nil {
			continue
		}
		for _, s := range t.Laid.Swings {
			things = append(things, frame.Thing{ID: "door", Name: s.Name, Body: snag.DoorLeaf(s, s.Open)})
		}
	}
	up := 1.5
	if h, on := l.now.Scene.Below(l.now.View.Eye); on >= 0 && h > 0.2 && h < 3 {
		up = h
	}
	return frame.NewScene(things).Stands(frame.StandAsk{View: l.now.View, Subject: points, ID: subject, Share: share,
		Focals: focals}, up), nil
}
