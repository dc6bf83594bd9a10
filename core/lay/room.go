package lay

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"visator/core/document"
	"visator/core/geom"
)

var _ = Kind("room", func() Spec { return &Room{} })

// Room is walls along an outline, with openings; a facade is one whose outline
// stays open.
type Room struct {
	Outline  []P       `json:"outline"` // the inner faces
	Open     bool      `json:"open"`    // a wall, or a facade: no floor, no ceiling, not closed
	Floor    float64   `json:"floor"`   // height of its floor
	Height   float64   `json:"height"`  // from the floor to the ceiling
	Wall     float64   `json:"wall"`    // thickness, outwards
	Ceiling  bool      `json:"ceiling"`
	Openings []Opening `json:"openings"`
}

// Opening is a door or a window in a wall, or a whole facade of them.
type Opening struct {
	Wall    int     `json:"wall"`   // side of the outline, from 0
	Along   float64 `json:"along"`  // its middle, from where the wall begins
	Width   float64 `json:"width"`  // metres
	Sill    float64 `json:"sill"`   // height of its lower edge above the floor; 0: a door
	Head    float64 `json:"head"`   // height of its upper edge
	Door    string  `json:"door"`   // the side of its hinges seen from inside, "left" or "right"; "": no leaf
	Out     bool    `json:"out"`    // the leaf opens outwards
	Ajar    float64 `json:"ajar"`   // radians by which the leaf stands open
	Frame   float64 `json:"frame"`  // how wide its frame is seen; 0: none
	Bays    int     `json:"bays"`   // how many side by side
	Pitch   float64 `json:"pitch"`  // from one to the next
	Floors  int     `json:"floors"` // how many above one another
	Storey  float64 `json:"storey"` // from one floor to the next
	Filling string  `json:"piece"`  // a piece that stands in each, on its sill; "": none
}

// Swing is the room that a door's leaf takes when it opens.
type Swing struct {
	Name   string  `json:"name"`
	Hinge  P       `json:"hinge"`
	Closed float64 `json:"closed"` // direction of the closed leaf, from X to Z
	Open   float64 `json:"open"`   // and of the open one
	Width  float64 `json:"width"`
	From   float64 `json:"from"` // height of its lower edge
	To     float64 `json:"to"`
	Stands float64 `json:"stands"` // direction in which the leaf stands
}

// Limits of rooms: a cathedral's nave is 48 m high, a hangar 300 m long.
const (
	maxRoom     = 2000 // metres
	maxOpenings = 5000
)

// leaf is how thick a door's leaf is (from memory: inner doors are 40 mm).
const leaf = 0.04

// Default is a room as it begins.
func (*Room) Default() Spec { return &Room{Height: 2.5, Wall: 0.2} }

// Fields are what a room is described by.
func (r *Room) Fields() []document.Field {
	return []document.Field{
		document.Of(&r.Height, document.Length, "height", "ceiling at", "the ceiling's height").In(0.1, maxRoom),
		document.Of(&r.Wall, document.Length, "wall", "walls thick", "the walls' thickness").In(0.005, 20),
		document.Of(&r.Floor, document.Length, "floor", "floor at", "the floor's height").In(-maxPlace, maxPlace),
		document.Of(&r.Ceiling, document.Yes, "ceiling", "ceiling", ""),
	}
}

// Check says what is impossible about a room.
func (r *Room) Check() error {
	var err error
	least := 2
	if r.Open {
		if err = checkPoints("a wall", r.Outline, least); err != nil {
			return err
		}
		if i, j, ok := crossing(r.Outline, false); ok {
			return fmt.Errorf("the wall crosses itself: side %d and side %d meet", i+1, j+1)
		}
	} else if err = checkArea("the room's outline", r.Outline); err != nil {
		return err
	}
	if err = document.Check(r); err != nil {
		return err
	}
	n := 0
	for i := range r.Openings {
		o := &r.Openings[i]
		if o.Wall < 0 || o.Wall >= r.walls() {
			return fmt.Errorf("opening %d lies in wall %d; there are %d walls", i+1, o.Wall+1, r.walls())
		}
		if err := o.check(r.Height); err != nil {
			return fmt.Errorf("opening %d: %w", i+1, err)
		}
		n += max(o.Bays, 1) * max(o.Floors, 1)
	}
	if n > maxOpenings {
		return fmt.Errorf("%d openings; a room has at most %d", n, maxOpenings)
	}
	for w := range r.walls() {
		holes := r.holes(w)
		length := r.length(w)
		for i, h := range holes {
			if h.from < -1e-9 || h.to > length+1e-9 || h.head > r.Height+1e-9 {
				return fmt.Errorf("an opening from %.2f m to %.2f m and up to %.2f m does not fit into wall %d, "+
					"which is %.2f m long and %.2f m high", h.from, h.to, h.head, w+1, length, r.Height)
			}
			for _, g := range holes[:i] {
				if h.from < g.to-1e-9 && g.from < h.to-1e-9 && h.sill < g.head-1e-9 && g.sill < h.head-1e-9 {
					return fmt.Errorf("two openings of wall %d overlap at %.2f m", w+1, max(h.from, g.from))
				}
			}
		}
	}
	return nil
}

func firstOf(errs ...error) error {
	for _, e := range errs {
		if e != nil {
			return e
		}
	}
	return nil
}

func (o *Opening) check(height float64) error {
	switch {
	case o.Door != "" && o.Door != "left" && o.Door != "right":
		return errors.New("a door's hinges are left or right, seen from inside")
	case o.Bays > 1 && !(o.Pitch >= o.Width):
		return fmt.Errorf("bays of %.2f m do not fit %.2f m apart", o.Width, o.Pitch)
	case o.Floors > 1 && !(o.Storey >= o.Head-o.Sill):
		return fmt.Errorf("floors are farther apart than their openings are high, %.2f m", o.Head-o.Sill)
	case o.Bays < 0 || o.Floors < 0 || o.Bays > maxOpenings || o.Floors > maxOpenings:
		return errors.New("bays and floors are counted from 1")
	}
	return firstOf(within("the way to the next", o.Pitch, 0, maxRoom), within("its storey", o.Storey, 0, maxRoom),
		within("its width", o.Width, 0.05, maxRoom), within("its sill", o.Sill, 0, height),
		within("its head", o.Head, o.Sill+0.05, height),
		within("its place", o.Along, 0, maxRoom), within("its frame", o.Frame, 0, o.Width/3),
		within("how far its leaf stands open, in radians,", o.Ajar, 0, math.Pi))
}

// Middle is the middle of an opening of the room, of the first where it is many.
func (r *Room) Middle(o *Opening) geom.V {
	a := r.Outline[o.Wall]
	b := r.Outline[(o.Wall+1)%len(r.Outline)]
	p := a.add(b.sub(a).unit().mul(o.Along))
	return geom.V{X: p.X, Y: r.Floor + (o.Sill+o.Head)/2, Z: p.Z}
}

func (r *Room) walls() int {
	if r.Open {
		return len(r.Outline) - 1
	}
	return len(r.Outline)
}

func (r *Room) length(w int) float64 {
	return r.Outline[(w+1)%len(r.Outline)].sub(r.Outline[w]).len()
}

// hole is one opening of a wall, in metres along and above its floor.
type hole struct {
	from, to, sill, head float64
	of                   *Opening
}

func (r *Room) holes(w int) (list []hole) {
	for i := range r.Openings {
		o := &r.Openings[i]
		if o.Wall != w {
			continue
		}
		for f := range max(o.Floors, 1) {
			for b := range max(o.Bays, 1) {
				at, up := o.Along+float64(b)*o.Pitch, float64(f)*o.Storey
				list = append(list, hole{at - o.Width/2, at + o.Width/2, o.Sill + up, o.Head + up, o})
			}
		}
	}
	return list
}

// Lay builds the room.
func (r *Room) Lay() *Laid {
	out := &Laid{}
	s := newShape("room")
	side := 1.0 // outwards is to the right of a wall that turns from X to Z
	if !r.Open && Area(r.Outline) < 0 {
		side = -1
	}
	if !r.Open {
		outer := r.offset(side * r.Wall)
		s.prism(paint{name: "floor", color: [3]float64{0.36, 0.36, 0.36}, rough: 0.8}, r.Floor-0.15, r.Floor, outer...)
		if r.Ceiling {
			s.prism(paint{name: "ceiling", color: [3]float64{0.7, 0.7, 0.7}, rough: 0.9}, r.Floor+r.Height,
				r.Floor+r.Height+0.15, outer...)
		}
	}
	for w := range r.walls() {
		r.wall(s, out, w, side)
	}
	out.Model = s.made()
	out.Said = count(len(r.allHoles()), "opening") + ", " + count(len(out.Swings), "door")
	return out
}

func (r *Room) allHoles() (list []hole) {
	for w := range r.walls() {
		list = append(list, r.holes(w)...)
	}
	return list
}

// offset is the outline moved outwards by d, with mitred corners.
func (r *Room) offset(d float64) []P {
	n := len(r.Outline)
	out := make([]P, n)
	for i, p := range r.Outline {
		before, after := p.sub(r.Outline[(i+n-1)%n]).unit(), r.Outline[(i+1)%n].sub(p).unit()
		if r.Open && i == 0 {
			before = after
		}
		if r.Open && i == n-1 {
			after = before
		}
		out[i] = p.add(mitre(before, after).mul(d))
	}
	return out
}

// mitre is by how much a corner moves when both of its sides move to the right
// by one; sharp corners are cut at four.
func mitre(before, after P) P {
	a, b := P{before.Z, -before.X}, P{after.Z, -after.X}
	m := a.add(b)
	k := 1 + a.dot(b)
	if k < 1.0/8 {
		return m.unit().mul(4)
	}
	return m.mul(1 / k)
}

// wall builds wall w of boxes about its holes, mitred at its ends.
func (r *Room) wall(s *shape, out *Laid, w int, side float64) {
	n := len(r.Outline)
	a, b := r.Outline[w], r.Outline[(w+1)%n]
	far := r.offset(side * r.Wall)
	c, d := far[w], far[(w+1)%n]
	along := b.sub(a).unit()
	right := P{along.Z, -along.X}.mul(side * r.Wall)
	length := r.length(w)
	holes := r.holes(w)
	cuts := []float64{0, length}
	for _, h := range holes {
		cuts = append(cuts, h.from, h.to)
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	outer := func(t float64) P { // on the outer face; the ends are mitred
		switch {
		case t <= 0:
			return c
		case t >= length:
			return d
		}
		return a.add(along.mul(t)).add(right)
	}
	for i := 0; i+1 < len(cuts); i++ {
		from, to := cuts[i], cuts[i+1]
		if to-from < 1e-9 {
			continue
		}
		var gaps [][2]float64
		for _, h := range holes {
			if h.from < to-1e-9 && h.to > from+1e-9 {
				gaps = append(gaps, [2]float64{h.sill, h.head})
			}
		}
		slices.SortFunc(gaps, func(x, y [2]float64) int { return int(math.Copysign(1, x[0]-y[0])) })
		y := 0.0
		for _, g := range append(gaps, [2]float64{r.Height, r.Height}) {
			if g[0] > y+1e-9 {
				if y == 0 { // what stands on the floor is drawn on the plan
					out.Strips = append(out.Strips, []P{a.add(along.mul(from)), a.add(along.mul(to)), outer(to),
						outer(from)})
				}
				s.prism(plaster, r.Floor+y, r.Floor+g[0], a.add(along.mul(from)), a.add(along.mul(to)), outer(to),
					outer(from))
			}
			y = g[1]
		}
	}
	for i, h := range holes {
		r.fill(s, out, h, fmt.Sprintf("door %d.%d", w+1, i+1), a, along, right)
	}
}

// fill puts frame, leaf and piece into a hole.
func (r *Room) fill(s *shape, out *Laid, h hole, name string, a, along, right P) {
	o := h.of
	y0, y1 := r.Floor+h.sill, r.Floor+h.head
	at := func(t, depth float64) P { return a.add(along.mul(t)).add(right.mul(depth)) }
	bar := func(with paint, from, to, y0, y1, d0, d1 float64) {
		s.prism(with, y0, y1, at(from, d0), at(to, d0), at(to, d1), at(from, d1))
	}
	if f := o.Frame; f > 0 {
		with := paint{name: "frame", color: [3]float64{0.3, 0.3, 0.3}, rough: 0.5}
		bar(with, h.from, h.from+f, y0, y1, 0.3, 0.7)
		bar(with, h.to-f, h.to, y0, y1, 0.3, 0.7)
		bar(with, h.from+f, h.to-f, y1-f, y1, 0.3, 0.7)
		if h.sill > 0 {
			bar(with, h.from+f, h.to-f, y0, y0+f, 0.3, 0.7)
		}
	}
	if o.Door != "" {
		thick := leaf / r.Wall
		depth := 0.0
		if o.Out {
			depth = 1 - thick
		}
		// Seen from inside, with the outside ahead, a wall that begins at the
		// left runs to the right.
		left := along.cross(right) < 0
		begin := (o.Door == "left") == left
		hinge, dir := at(h.from+o.Frame, depth), along
		if !begin {
			hinge, dir = at(h.to-o.Frame, depth), along.mul(-1)
		}
		way := right.mul(-1)
		if o.Out {
			hinge, way = hinge.add(right.mul(thick)), right
		}
		closed := math.Atan2(dir.Z, dir.X)
		turn := math.Atan2(dir.cross(way), dir.dot(way))
		// The leaf, turned about its hinge by how far it stands open.
		stands := math.Copysign(o.Ajar, turn)
		swung := func(p P) P {
			sin, cos := math.Sincos(stands)
			d := p.sub(hinge)
			return hinge.add(P{d.X*cos - d.Z*sin, d.X*sin + d.Z*cos})
		}
		from, to := h.from+o.Frame, h.to-o.Frame
		s.prism(paint{name: "door", color: [3]float64{0.42, 0.42, 0.42}, rough: 0.6}, y0+0.005, y1-o.Frame-0.002,
			swung(at(from, depth)), swung(at(to, depth)), swung(at(to, depth+thick)), swung(at(from, depth+thick)))
		out.Swings = append(out.Swings, Swing{name, hinge, closed, closed + turn, to - from, y0 + 0.005, y1 - o.Frame,
			closed + stands})
	}
	if o.Filling != "" {
		p := at((h.from+h.to)/2, 0.5)
		yaw := math.Atan2(right.X, right.Z) // its front looks out
		out.Instances = append(out.Instances,
			Instance{o.Filling, geom.V{X: p.X, Y: y0, Z: p.Z}, geom.Turn(geom.V{Y: 1}, yaw), 1})
	}
}
