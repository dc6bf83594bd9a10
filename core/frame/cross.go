package frame

import (
	"cmp"
	"math"
	"slices"

	"visator/core/geom"
)

// Pair is two moments, one shortly after the other.
type Pair struct {
	A, B Moment
	At   float64 // seconds into the move
	Dt   float64 // seconds between them
}

// Crossing is how fast a thing goes across the picture: in picture widths a second, the
// mean over what is seen of it.
type Crossing struct {
	ID    string  // "": the sky
	Name  string  // of the thing
	At    float64 // seconds into the move
	Speed float64
	Share float64 // of the picture that it covers then
}

// Noticed is the share of the picture from which on a thing that goes by is noticed: a
// fiftieth (ours).
const Noticed = 0.02

// SkyName is what crossings call what lies behind everything.
const SkyName = "the sky"

// beyond is how far away the sky is taken to be, in metres.
const beyond = 1e7

// Crossings are, for each pair, the things in view and how fast they cross the picture,
// the fastest first. Things are looked at on a grid of w x h rays: a place that is seen
// of one in the first moment is sought again in the second, where it may have moved by
// itself, and where camera and lens have moved.
func Crossings(pairs []Pair, w, h int) [][]Crossing {
	out := make([][]Crossing, len(pairs))
	rows(len(pairs), func(k int) { out[k] = pairs[k].crossings(w, h) })
	return out
}

func (p *Pair) crossings(w, h int) []Crossing {
	a, b := &p.A.View, &p.B.View
	skip := p.A.Scene.cutBy(a)
	type sum struct {
		way float64
		n   int
	}
	found := map[int]*sum{}
	for y := range h {
		for x := range w {
			px, py := (float64(x)+0.5)/float64(w), (float64(y)+0.5)/float64(h)
			d := a.Ray(px, py)
			at, thing := a.Eye.Add(d.Mul(beyond)), -1
			if hit, ok := p.A.Scene.Ray(a.Eye, d, 0, math.Inf(1), skip); ok {
				at, thing = a.Eye.Add(d.Mul(hit.T)), hit.Thing
				at = p.moved(thing, at)
			}
			way := 1.0 // out of sight in one step: a picture width at least
			if qx, qy, _, ok := b.Project(at); ok {
				way = min(math.Hypot(qx-px, (qy-py)/a.Aspect), 1)
			}
			s := found[thing]
			if s == nil {
				s = &sum{}
				found[thing] = s
			}
			s.way, s.n = s.way+way, s.n+1
		}
	}
	// What a row or drift lays is one thing.
	of := map[string]*Crossing{}
	for thing, s := range found {
		id, name := "", SkyName
		if thing >= 0 {
			id, name = p.A.Scene.Things[thing].ID, p.A.Scene.Things[thing].Name
		}
		c := of[id]
		if c == nil {
			c = &Crossing{ID: id, Name: name, At: p.At}
			of[id] = c
		}
		c.Speed += s.way / p.Dt
		c.Share += float64(s.n)
	}
	list := make([]Crossing, 0, len(of))
	for _, c := range of {
		c.Speed /= c.Share
		c.Share /= float64(w * h)
		list = append(list, *c)
	}
	slices.SortFunc(list, func(p, q Crossing) int {
		return cmp.Or(cmp.Compare(q.Speed, p.Speed), cmp.Compare(p.ID, q.ID))
	})
	return list
}

// moved is where a place on a thing is in the second moment.
func (p *Pair) moved(thing int, at geom.V) geom.V {
	if p.A.Scene == p.B.Scene || !p.A.Scene.Things[thing].Rides {
		return at
	}
	from, to := p.A.Scene.Things[thing].Body, p.B.Scene.Things[thing].Body
	if back, ok := from.World.Affine(); ok && to != nil {
		return to.World.Point(back.Point(at))
	}
	return at
}

// Worst are the crossings of a whole move, each thing once, where it is fastest while it
// is noticed; the fastest first.
func Worst(all [][]Crossing) []Crossing {
	best := map[string]Crossing{}
	for _, list := range all {
		for _, c := range list {
			if c.Share < Noticed {
				continue
			}
			if old, ok := best[c.ID]; !ok || c.Speed > old.Speed {
				best[c.ID] = c
			}
		}
	}
	list := make([]Crossing, 0, len(best))
	for _, c := range best {
		list = append(list, c)
	}
	slices.SortFunc(list, func(p, q Crossing) int {
		return cmp.Or(cmp.Compare(q.Speed, p.Speed), cmp.Compare(p.ID, q.ID))
	})
	return list
}
