package frame

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/optics"
)

// Figures are what a picture is made of.
type Figures struct {
	Cover   []Cover  `json:"cover"` // the largest first
	Sky     float64  `json:"sky"`   // share where there is nothing
	Land    float64  `json:"land"`
	Empty   []string `json:"empty"` // ninths of the picture with nothing but sky and ground in them
	Subject *Subject `json:"subject"`
	Notes   []Note   `json:"notes"` // what an eye stumbles over
	// Foreground, Middle and Background are the shares of what lies before, about
	// and behind the subject, or without one before and behind the focus.
	Foreground float64   `json:"foreground"`
	Middle     float64   `json:"middle"`
	Background float64   `json:"background"`
	Horizon    []float64 `json:"horizon"` // where it crosses the left and right edge, 0..1 from the top; null: nowhere
}

// Cover is the share of the picture that a thing covers.
type Cover struct {
	ID    string  `json:"id"`
	Name  string  `json:"name"`
	Share float64 `json:"share"`
	Layer string  `json:"layer"` // foreground, middle, background
}

// Subject is how what a picture is about stands in it.
type Subject struct {
	ID       string   `json:"id"`
	Left     float64  `json:"left"`
	Right    float64  `json:"right"`
	Top      float64  `json:"top"`
	Bottom   float64  `json:"bottom"`
	Height   float64  `json:"height"`   // share of the picture's
	Share    float64  `json:"share"`    // of the picture that it covers
	Headroom float64  `json:"headroom"` // share of the picture's height above it
	Hidden   float64  `json:"hidden"`   // share of it that others hide
	By       []Cover  `json:"by"`       // who
	Distance float64  `json:"distance"` // metres to its middle, along the axis
	Behind   *float64 `json:"behind"`   // metres from it to what shows around it; null: the sky
	Sharp    float64  `json:"sharp"`    // share of its depth in the sharp zone
}

// Note is something that an eye stumbles over in a picture.
type Note struct {
	Kind string     `json:"kind"` // edge, tangent, head, hidden, soft
	What string     `json:"what"`
	IDs  []string   `json:"ids"`
	At   [2]float64 `json:"at"` // in the picture
}

// Thresholds of composition, ours: shares of the picture's width or height.
const (
	touches   = 0.006 // nearer to an edge than this: it just touches
	noticed   = 0.002 // share of the picture from which on a thing is told
	headShare = 0.14  // of a standing figure is its head: a seventh and a half (artists' canon)
	emptyMost = 0.01  // of a ninth may be covered for it to count as empty
)

var ninths = [9]string{"top left", "top middle", "top right", "middle left", "the middle", "middle right",
	"bottom left", "bottom middle", "bottom right"}

// FiguresOf measures the composition of a view, by its picture and the spans of
// the scene's things in it.
func (s *Scene) FiguresOf(v *optics.View, p *Picture, spans []optics.Span) Figures {
	f := Figures{Cover: []Cover{}, Empty: []string{}, Notes: []Note{}}
	if l, r, ok := v.Horizon(); ok {
		f.Horizon = []float64{l, r}
	}
	pixel := 1 / float64(p.W*p.H)
	subject := s.Find(v.Subject)
	nearSub, farSub := v.SharpZone()
	if subject >= 0 && spans[subject].Seen {
		nearSub, farSub = spans[subject].Near, spans[subject].Far
	}
	share := map[string]*Cover{}
	var ninth, filled [9]int
	for k, i := range p.Thing {
		n := k/p.W*3/p.H*3 + k%p.W*3/p.W
		ninth[n]++
		switch d := p.Depth[k]; {
		case i < 0:
			f.Sky += pixel
			f.Background += pixel
			continue
		case d < nearSub*0.98:
			f.Foreground += pixel
		case d > farSub*1.02:
			f.Background += pixel
		default:
			f.Middle += pixel
		}
		t := &s.Things[i]
		if t.Land {
			f.Land += pixel
		} else {
			filled[n]++
		}
		c := share[t.ID]
		if c == nil {
			c = &Cover{ID: t.ID, Name: t.Name, Layer: "middle"}
			if d := p.Depth[k]; d < nearSub*0.98 {
				c.Layer = "foreground"
			} else if d > farSub*1.02 {
				c.Layer = "background"
			}
			share[t.ID] = c
		}
		c.Share += pixel
	}
	for _, c := range share {
		f.Cover = append(f.Cover, *c)
	}
	slices.SortFunc(f.Cover, func(a, b Cover) int {
		return cmp.Or(cmp.Compare(b.Share, a.Share), cmp.Compare(a.ID, b.ID))
	})
	for n, c := range filled {
		if float64(c) < emptyMost*float64(ninth[n]) {
			f.Empty = append(f.Empty, ninths[n])
		}
	}
	if subject >= 0 {
		f.Subject = s.subject(v, p, subject, spans)
	}
	f.Notes = append(f.Notes, s.notes(v, spans, share, f.Subject, f.Horizon)...)
	return f
}

// Find is which of Things has an ID and a body; -1 if none has.
func (s *Scene) Find(id string) int {
	if id == "" {
		return -1
	}
	return slices.IndexFunc(s.Things, func(t Thing) bool { return t.ID == id && t.Body != nil })
}

// subject measures one thing: it is drawn alone, and held against the picture.
func (s *Scene) subject(v *optics.View, p *Picture, i int, spans []optics.Span) *Subject {
	t := &s.Things[i]
	span := &spans[i]
	out := &Subject{ID: t.ID, By: []Cover{}, Distance: distance(v, t.Body.Box.Center())}
	if !span.Seen {
		out.Hidden = 1
		return out
	}
	out.Left, out.Right, out.Top, out.Bottom = span.Left, span.Right, span.Top, span.Bottom
	out.Height, out.Headroom = span.Bottom-span.Top, span.Top
	sn, sf := v.SharpZone()
	if depth := span.Far - span.Near; depth > 1e-9 {
		out.Sharp = max(min(sf, span.Far)-max(sn, span.Near), 0) / depth
	} else if span.Near >= sn && span.Near <= sf {
		out.Sharp = 1
	}
	// Fine enough for small subjects: a grid of its own over its part.
	const n = 48
	own, hidden := 0, 0
	by := map[string]*Cover{}
	for y := range n {
		for x := range n {
			px, py := span.Left+(float64(x)+0.5)/n*(span.Right-span.Left),
				span.Top+(float64(y)+0.5)/n*(span.Bottom-span.Top)
			d := v.Ray(px, py)
			mine, _, ok := t.Body.Ray(v.Eye, d, math.Inf(1))
			if !ok {
				continue
			}
			own++
			h, ok := s.Ray(v.Eye, d, 0, mine*(1-1e-6),
				func(k int) bool { return s.Things[k].ID == t.ID || v.Cut(s.Things[k].ID) })
			if !ok {
				continue
			}
			hidden++
			o := &s.Things[h.Thing]
			c := by[o.ID]
			if c == nil {
				c = &Cover{ID: o.ID, Name: o.Name}
				by[o.ID] = c
			}
			c.Share++
		}
	}
	if own > 0 {
		out.Hidden = float64(hidden) / float64(own)
		out.Share = float64(own-hidden) / (n * n) * (span.Right - span.Left) * (span.Bottom - span.Top)
		for _, c := range by {
			c.Share /= float64(own)
			out.By = append(out.By, *c)
		}
		slices.SortFunc(out.By, func(a, b Cover) int {
			return cmp.Or(cmp.Compare(b.Share, a.Share), cmp.Compare(a.ID, b.ID))
		})
	}
	// What shows around its upper half, where an eye parts it from the rest: the
	// median depth of the places beside its box.
	var depths []float64
	for k, d := range p.Depth {
		x, y := (float64(k%p.W)+0.5)/float64(p.W), (float64(k/p.W)+0.5)/float64(p.H)
		w, h := span.Right-span.Left, span.Bottom-span.Top
		if x > span.Left-w/2 && x < span.Right+w/2 && y > span.Top-h/4 && y < span.Top+h/2 && d > span.Far {
			depths = append(depths, d)
		}
	}
	if len(depths) > 0 {
		slices.Sort(depths)
		if d := depths[len(depths)/2]; !math.IsInf(d, 1) {
			d -= span.Far
			out.Behind = &d
		}
	}
	return out
}

// notes finds what just touches an edge or another thing, and the horizon through
// a head.
func (s *Scene) notes(v *optics.View, spans []optics.Span, share map[string]*Cover, subject *Subject,
	horizon []float64) (out []Note) {
	var seen []int
	copies := map[string]int{} // what is laid many times has no outline of its own
	for i := range s.Things {
		if b := s.Things[i].Body; b != nil {
			copies[s.Things[i].ID] += b.Copies()
		}
	}
	for i := range spans {
		t := &s.Things[i]
		if c := share[t.ID]; c != nil && c.Share > noticed && !t.Land && copies[t.ID] == 1 && spans[i].Seen &&
			t.Body != nil {
			seen = append(seen, i)
		}
	}
	const most = 60 // of which pairs are looked at: the largest
	if len(seen) > most {
		slices.SortStableFunc(seen, func(a, b int) int {
			return cmp.Compare(share[s.Things[b].ID].Share, share[s.Things[a].ID].Share)
		})
		seen = seen[:most]
	}
	for _, i := range seen {
		t, p := &s.Things[i], &spans[i]
		mx, my := (p.Left+p.Right)/2, (p.Top+p.Bottom)/2
		for _, e := range []struct {
			name string
			gap  float64
			at   [2]float64
		}{{"left", p.Left, [2]float64{0, my}}, {"right", 1 - p.Right, [2]float64{1, my}}, {"upper", p.Top,
			[2]float64{mx, 0}}, {"lower", 1 - p.Bottom, [2]float64{mx, 1}}} {
			// A thing that is cut by the edge ends there exactly.
			if e.gap > 1e-7 && e.gap < touches {
				out = append(out, Note{"edge", fmt.Sprintf("%s just touches the %s edge", t.Name, e.name),
					[]string{t.ID}, e.at})
			}
		}
		if t.Figure && len(horizon) == 2 {
			head := p.Top + headShare*(p.Bottom-p.Top)
			y := horizon[0] + (horizon[1]-horizon[0])*mx
			if y > p.Top && y < head && p.Bottom-p.Top > 0.1 {
				out = append(out, Note{"head", "the horizon goes through the head of " + t.Name, []string{t.ID},
					[2]float64{mx, y}})
			}
		}
	}
	for n, i := range seen {
		for _, j := range seen[n+1:] {
			a, b := &spans[i], &spans[j]
			// beside one another they may touch
			if s.Things[i].ID == s.Things[j].ID || (a.Near < b.Far && b.Near < a.Far) {
				continue
			}
			over := func(a0, a1, b0, b1 float64) float64 {
				return (min(a1, b1) - max(a0, b0)) / max(min(a1-a0, b1-b0), 1e-9)
			}
			tall, wide := over(a.Top, a.Bottom, b.Top, b.Bottom), over(a.Left, a.Right, b.Left, b.Right)
			at, ok := [2]float64{}, false
			switch {
			case tall > 0.3 && math.Abs(a.Right-b.Left) < touches:
				at, ok = [2]float64{a.Right, max(a.Top, b.Top)}, true
			case tall > 0.3 && math.Abs(b.Right-a.Left) < touches:
				at, ok = [2]float64{a.Left, max(a.Top, b.Top)}, true
			case wide > 0.3 && math.Abs(a.Top-b.Top) < touches/2 && a.Top > 0.001:
				at, ok = [2]float64{(max(a.Left, b.Left) + min(a.Right, b.Right)) / 2, a.Top}, true
			case wide > 0.3 && (math.Abs(a.Bottom-b.Top) < touches || math.Abs(b.Bottom-a.Top) < touches):
				at, ok = [2]float64{(max(a.Left, b.Left) + min(a.Right, b.Right)) / 2, max(a.Top, b.Top)}, true
			}
			// One must be of weight, or every blade of grass is told.
			if ok && (subject != nil && (subject.ID == s.Things[i].ID || subject.ID == s.Things[j].ID) ||
				share[s.Things[i].ID].Share+share[s.Things[j].ID].Share > 0.02) {
				out = append(out,
					Note{"tangent", fmt.Sprintf("%s and %s just touch in the picture, at different distances",
						s.Things[i].Name, s.Things[j].Name), []string{s.Things[i].ID, s.Things[j].ID}, at})
			}
		}
	}
	const told = 8
	return out[:min(len(out), told)]
}

// distance is how far a point lies along a view's axis.
func distance(v *optics.View, p geom.V) float64 { return p.Sub(v.Eye).Dot(v.Forward()) }

// Stuck is what is wrong with where a camera stands; "" nothing. name is the
// thing that it is about.
func (s *Scene) Stuck(v *optics.View) (kind, name, id string) {
	for i := range s.Things {
		t := &s.Things[i]
		if t.Body == nil || !inside(t.Body.Box, v.Eye) || v.Cut(t.ID) {
			continue
		}
		if !t.Land && t.Body.Within(v.Eye) {
			return "within", t.Name, t.ID
		}
	}
	up, okUp := s.Ray(v.Eye, geom.V{Y: 1}, 0, 1000, func(i int) bool { return !s.Things[i].Land })
	if okUp && up.Normal.Y > 0 { // it is the upper side of the ground that lies above
		return "under", s.Things[up.Thing].Name, s.Things[up.Thing].ID
	}
	return "", "", ""
}

func inside(b geom.Box, p geom.V) bool {
	return p.X > b.Min.X && p.X < b.Max.X && p.Y > b.Min.Y && p.Y < b.Max.Y && p.Z > b.Min.Z && p.Z < b.Max.Z
}

// Below is how high a point stands above what is beneath it, and on what; +Inf
// above nothing.
func (s *Scene) Below(p geom.V) (height float64, on int) {
	h, ok := s.Ray(p, geom.V{Y: -1}, 0, 1e5, nil)
	if !ok {
		return math.Inf(1), -1
	}
	return h.T, h.Thing
}

// Through is the first thing that the way from a to b goes through.
func (s *Scene) Through(v *optics.View, a, b geom.V) (thing int, ok bool) {
	d := b.Sub(a)
	if d.Len() < 1e-9 {
		return 0, false
	}
	h, ok := s.Ray(a, d, 0, 1, func(i int) bool { return v.Cut(s.Things[i].ID) })
	return h.Thing, ok
}

// Meter is the luminance that a meter finds in a picture, in cd/m²: the mean of
// its logarithm, with the surfaces taken for grey ones that throw back 18 % as
// meters do (common practice). sun is in lux, toSun the way to it; the sky is
// seen by what sky says.
func (s *Scene) Meter(v *optics.View, p *Picture, sun float64, toSun geom.V, sky func(d geom.V) float64) float64 {
	const reflects = 0.18
	up := sky(geom.V{Y: 1})
	around := (sky(geom.V{X: 1, Y: 0.1}) + sky(geom.V{X: -1, Y: 0.1}) + sky(geom.V{Y: 0.1, Z: 1}) +
		sky(geom.V{Y: 0.1, Z: -1})) / 4
	logs := make([]float64, p.H)
	skip := s.cutBy(v)
	rows(p.H, func(y int) {
		for x := range p.W {
			k := y*p.W + x
			d := v.Ray((float64(x)+0.5)/float64(p.W), (float64(y)+0.5)/float64(p.H))
			l := 0.0
			if p.Thing[k] < 0 {
				l = sky(d)
			} else {
				n := p.Normal[k]
				if n.Dot(d) > 0 {
					n = n.Mul(-1)
				}
				// Half of the sky, brighter above: what a level or an upright face gets.
				e := math.Pi * (0.5*(1+n.Y)*up + (1-math.Abs(n.Y))*0.5*around)
				if c := n.Dot(toSun); c > 0 && sun > 0 {
					at := v.Eye.Add(d.Mul(p.Depth[k])).Add(n.Mul(1e-3 * p.Depth[k]))
					if _, shaded := s.Ray(at, toSun, 0, math.Inf(1), skip); !shaded {
						e += sun * c
					}
				}
				l = reflects * e / math.Pi
			}
			logs[y] += math.Log(math.Max(l, 1e-4))
		}
	})
	sum := 0.0
	for _, l := range logs {
		sum += l
	}
	return math.Exp(sum / float64(p.W*p.H))
}
