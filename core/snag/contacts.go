package snag

import (
	"cmp"
	"context"
	"runtime"
	"slices"
	"strings"
	"sync/atomic"

	"visator/core/contact"
	"visator/core/crew"
	"visator/core/geom"
)

// Solid is a thing with the body by which it is measured.
type Solid struct {
	ID, Name string
	Key      string // another when it was moved or its body changed
	Piece    string
	Group    string // things of one group belong together
	Body     *contact.Placed
	Land     bool // ground, road, floor: things stand in it
	Fixed    bool // laid out, not placed: it is where it should be
	Soft     bool // water: it carries, and things dip into it
	StandIn  bool
	Wild     bool   // it grows or lies in soil: plants and stones
	Row      string // the element that lays it, when it is one of many; then its group as well
	RowName  string
	Rope     bool // it hangs: what of it lies under the ground is told
}

// Tolerances of touching, in metres. The eye sees a gap of 5 mm in a near
// picture by its shadow; meshes of round things are off by about as much.
const (
	touchGap   = 0.005
	flushSkin  = 0.0002
	flushLeast = 0.0004 // m² in one plane that are seen to flicker: a stamp
	sunkLeast  = 0.05   // metres that anything may stand in soil
	sunkShare  = 0.08   // of its height, for what has feet in it
	rootShare  = 0.35   // of its height, for what grows or lies in it
	sunkMost   = 0.9
	slender    = 0.06 // thickness of what is driven into others: nails, poles, stalks
)

// pair is what was measured between two things.
type pair struct {
	touch  bool
	depth  float64 // 0: they only touch
	volume float64
	flush  float64
	at     geom.V
	most   bool // the depth is at most that: it was not searched in all directions
	rough  bool // they reach into one another; how deep was not measured
}

// Contacts measures what touches what in a set, and remembers it: after an
// edit only what it changed is measured again. It is not safe for use by many
// at once.
type Contacts struct {
	// Enter, if set, is called on each goroutine before it measures: a place to give
	// way to more urgent work.
	Enter func()

	solids map[string]*Solid
	pairs  map[string]map[string]*pair // both ways
	under  map[string]beneath          // by thing
	ropes  map[string]sag              // how deep each hangs under the ground, by thing
	lands  string                      // keys of the lands that these go by
}

// sag is how deep a rope hangs under the ground, and where.
type sag struct {
	key  string
	deep float64
	at   geom.V
}

// beneath is the height of the land at the middle of a thing.
type beneath struct {
	key string
	y   float64
	on  bool
}

// landAt is the height of the highest land at the middle of a thing, remembered
// while neither has moved.
func (c *Contacts) surface(s *Solid, lands []*Solid) (y float64, on bool) {
	if b, ok := c.under[s.ID]; ok && b.key == s.Key {
		return b.y, b.on
	}
	mid := s.Body.Box.Center()
	y, on = landAt(lands, mid.X, mid.Z)
	c.under[s.ID] = beneath{s.Key, y, on}
	return y, on
}

// pairing says whether what is between two things is measured at all.
func pairing(a, b *Solid) bool {
	if a.Row != "" && a.Row == b.Row {
		return !a.Wild
	}
	return !(a.Fixed && b.Fixed) && !(a.Land && b.Land) && (a.Group == "" || a.Group != b.Group)
}

// Update brings what was measured to solids. When ctx ends it stops; the next time
// it goes on with what is left.
func (c *Contacts) Update(ctx context.Context, solids []Solid) error {
	if c.solids == nil {
		c.solids, c.pairs = map[string]*Solid{}, map[string]map[string]*pair{}
	}
	here := make(map[string]*Solid, len(solids))
	var changed []*Solid
	for i := range solids {
		s := &solids[i]
		here[s.ID] = s
		if old := c.solids[s.ID]; old == nil || old.Key != s.Key || old.Group != s.Group {
			changed = append(changed, s)
		}
	}
	for id, old := range c.solids {
		if now := here[id]; now == nil || now.Key != old.Key || now.Group != old.Group {
			c.drop(id)
		}
	}
	c.solids = here
	return c.measure(ctx, solids, changed)
}

func (c *Contacts) drop(id string) {
	for other := range c.pairs[id] {
		delete(c.pairs[other], id)
	}
	delete(c.pairs, id)
}

// measure finds which things come near the changed ones, by sorting along X.
func (c *Contacts) measure(ctx context.Context, all []Solid, changed []*Solid) error {
	isNew := make(map[string]bool, len(changed))
	for _, s := range changed {
		isNew[s.ID] = true
	}
	order := make([]*Solid, 0, len(all))
	for i := range all {
		if all[i].Body != nil {
			order = append(order, &all[i])
		}
	}
	slices.SortFunc(order, func(a, b *Solid) int {
		switch {
		case a.Body.Box.Min.X < b.Body.Box.Min.X:
			return -1
		case a.Body.Box.Min.X > b.Body.Box.Min.X:
			return 1
		}
		return strings.Compare(a.ID, b.ID)
	})
	var open []*Solid
	var near [][2]*Solid
	for _, s := range order {
		kept := open[:0]
		for _, o := range open {
			if o.Body.Box.Max.X+touchGap < s.Body.Box.Min.X {
				continue
			}
			kept = append(kept, o)
			if pairing(s, o) && s.Body.Box.Meets(&o.Body.Box, touchGap) {
				near = append(near, [2]*Solid{o, s})
			}
		}
		open = append(kept, s)
	}
	type job struct {
		of    [2]*Solid
		rough bool
	}
	var work []job
	rough := crowded(near)
	for i, of := range near {
		old := c.pairs[of[0].ID][of[1].ID]
		if isNew[of[0].ID] || isNew[of[1].ID] || old != nil && old.rough != rough[i] {
			work = append(work, job{of, rough[i]})
		}
	}
	found, done := make([]*pair, len(work)), make([]bool, len(work))
	err := inParallel(ctx, len(work), c.Enter, func(i int) {
		if work[i].rough {
			found[i] = meet(work[i].of[0], work[i].of[1])
		} else {
			found[i] = measurePair(work[i].of[0], work[i].of[1])
		}
		done[i] = true
	})
	for i, p := range found {
		a, b := work[i].of[0].ID, work[i].of[1].ID
		if !done[i] { // counts as changed the next time
			delete(c.solids, a)
			c.drop(a)
			continue
		}
		if p == nil {
			delete(c.pairs[a], b)
			delete(c.pairs[b], a)
			continue
		}
		for _, k := range [][2]string{{a, b}, {b, a}} {
			if c.pairs[k[0]] == nil {
				c.pairs[k[0]] = map[string]*pair{}
			}
			c.pairs[k[0]][k[1]] = p
		}
	}
	for i := range found { // also when a later one of them was not measured
		if !done[i] {
			c.drop(work[i].of[0].ID)
		}
	}
	return err
}

// deepest is with how many of its neighbours it is measured how deep a thing
// reaches into them, at least: those whose boxes share most with its own. That
// takes some hundredths of a second a pair, and in a crowd everything reaches into
// everything.
const deepest = 3

// crowded says of which pairs only whether they meet is measured: those that are
// among the deepest of neither.
func crowded(near [][2]*Solid) []bool {
	type reach struct {
		i      int
		volume float64
		other  string
	}
	of := map[string][]reach{}
	out := make([]bool, len(near))
	rows := map[string][]reach{} // neighbours of a row are much alike: of some it is measured how deep
	for i, p := range near {
		a, b := p[0], p[1]
		if a.Row != "" && a.Row == b.Row {
			rows[a.Row] = append(rows[a.Row], reach{i, shared(&a.Body.Box, &b.Body.Box), b.ID})
			continue
		}
		if a.Land || b.Land || a.Soft || b.Soft || a.Wild && b.Wild || a.StandIn && b.StandIn {
			continue
		}
		v := shared(&a.Body.Box, &b.Body.Box)
		of[a.ID] = append(of[a.ID], reach{i, v, b.ID})
		of[b.ID] = append(of[b.ID], reach{i, v, a.ID})
	}
	for _, list := range rows {
		slices.SortFunc(list,
			func(x, y reach) int { return cmp.Or(cmp.Compare(y.volume, x.volume), cmp.Compare(x.i, y.i)) })
		for _, r := range list[min(deepest, len(list)):] {
			out[r.i] = true
		}
	}
	for _, list := range of {
		slices.SortFunc(list, func(x, y reach) int {
			return cmp.Or(cmp.Compare(y.volume, x.volume), strings.Compare(x.other, y.other))
		})
		for _, r := range list[min(deepest, len(list)):] {
			out[r.i] = true
		}
	}
	for _, list := range of {
		for _, r := range list[:min(deepest, len(list))] {
			out[r.i] = false
		}
	}
	return out
}

// shared is the volume that two boxes share, in m³.
func shared(a, b *geom.Box) float64 {
	v := 1.0
	for k := range 3 {
		v *= max(min(a.Max.At(k), b.Max.At(k))-max(a.Min.At(k), b.Min.At(k)), 0)
	}
	return v
}

// meet measures only whether two things reach into one another.
func meet(a, b *Solid) *pair {
	if !contact.Overlap(a.Body, b.Body) {
		return nil
	}
	return &pair{touch: true, rough: true, at: contact.Where(a.Body, b.Body)}
}

// measurePair measures two things; nil when they do not touch. What moves out
// is never the land.
func measurePair(a, b *Solid) *pair {
	if a.Land || a.Fixed || a.Soft {
		a, b = b, a
	}
	p := &pair{at: contact.Where(a.Body, b.Body)}
	if !a.Soft && !b.Soft && !(a.Wild && b.Wild) {
		var at geom.V
		if p.flush, at = contact.Flush(a.Body, b.Body, flushSkin); p.flush > 0 {
			p.at = at
		}
	}
	switch {
	case contact.Overlap(a.Body, b.Body):
		p.touch = true
		if a.Soft || b.Soft || a.Wild && b.Wild || a.StandIn && b.StandIn { // how deep is of no interest
			return p
		}
		if b.Land { // out of the land is up
			p.depth, _ = contact.Clear(a.Body, []*contact.Placed{b.Body}, geom.V{Y: 1}, contact.Reach)
			return p
		}
		var whole bool
		p.depth, _, whole = contact.DepthFor(a.Body, b.Body, contact.DepthWork)
		p.most = !whole
		if p.depth > touchGap {
			p.volume = contact.Shared(a.Body, b.Body, 24)
		}
	case contact.Near(a.Body, b.Body, touchGap):
		p.touch = true
	case p.flush == 0:
		return nil
	}
	return p
}

// intended reports whether a may reach into b as deep as it does: what it
// touches, stands in, or is driven into.
func (p *pair) intended(a, b *Solid) bool {
	if p.depth <= touchGap || a.StandIn && b.StandIn || a.Wild && b.Wild { // crowns meet, tufts mingle
		return true
	}
	for _, k := range [][2]*Solid{{a, b}, {b, a}} {
		size := k[0].Body.Box.Size()
		share := sunkShare
		if k[0].Wild {
			share = rootShare
		}
		if k[1].Land && p.depth <= min(max(sunkLeast, share*size.Y), sunkMost) {
			return true
		}
		sides := []float64{size.X, size.Y, size.Z}
		slices.Sort(sides)
		if sides[1] < slender && p.depth < sides[2]/2 {
			return true
		}
	}
	return false
}

// inParallel does n things on all processors; it stops when ctx ends.
func inParallel(ctx context.Context, n int, enter func(), do func(i int)) error {
	var next atomic.Int64
	var wg crew.Group
	for range min(runtime.NumCPU(), n) { // as many as there are processors, not as many as may run
		wg.Go(func() {
			if enter != nil {
				enter()
			}
			for ctx.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				do(i)
			}
		})
	}
	wg.Wait()
	return ctx.Err()
}
