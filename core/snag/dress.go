package snag

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/join"
	"visator/core/unit"
)

// Find lists the faults among what was measured. Where there is no land, things
// stand on the plane at height 0.
func (c *Contacts) Find(in unit.Ruler, solids []Solid) (list []Snag) {
	var lands []*Solid
	for i := range solids {
		if solids[i].Land && solids[i].Body != nil {
			lands = append(lands, &solids[i])
		}
	}
	keys := ""
	for _, l := range lands {
		keys += l.ID + " " + l.Key + " "
	}
	if keys != c.lands || c.under == nil {
		c.under, c.ropes, c.lands = map[string]beneath{}, map[string]sag{}, keys
	}
	buried := map[string]bool{}
	for i := range solids {
		s := &solids[i]
		if s.Rope && s.Body != nil {
			list = append(list, c.sags(in, s, lands)...)
		}
		if s.Body == nil || s.Fixed || s.Land || s.Soft {
			continue
		}
		if g, ok := c.below(in, s, lands); ok {
			list = append(list, g)
			buried[s.ID] = true
		}
	}
	list = append(list, c.floating(in, solids, lands, buried)...)
	rows := map[string]*crush{}
	for i := range solids {
		a := &solids[i]
		ids := make([]string, 0, len(c.pairs[a.ID]))
		for id, p := range c.pairs[a.ID] {
			if b := c.solids[id]; a.Row != "" && b != nil && b.Row == a.Row {
				if a.ID < id {
					rows[a.Row] = rows[a.Row].add(p, a, b)
				}
				continue
			}
			if a.ID < id {
				ids = append(ids, id)
			}
		}
		slices.Sort(ids)
		list = append(list, c.crowd(a)...)
		for _, id := range ids {
			if b := c.solids[id]; b != nil && !(buried[a.ID] && b.Land || buried[id] && a.Land) {
				list = append(list, c.pairs[a.ID][id].snags(in, a, b)...)
			}
		}
	}
	return append(list, crushed(in, rows)...)
}

// crush is what was measured between the things of one row.
type crush struct {
	id, name string
	n        int // pairs that reach into one another
	depth    float64
	at       geom.V
}

func (k *crush) add(p *pair, a, b *Solid) *crush {
	if k == nil {
		k = &crush{id: a.Row, name: a.RowName}
	}
	if p.rough || p.touch && p.depth > touchGap && !p.intended(a, b) {
		k.n++
	}
	if p.depth > k.depth && !p.intended(a, b) {
		k.depth, k.at = p.depth, p.at
	}
	return k
}

// crushed tells of rows whose things reach into their neighbours, by the deepest.
func crushed(in unit.Ruler, rows map[string]*crush) (list []Snag) {
	for _, k := range rows {
		if k.depth <= touchGap { // they touch, as boards of a fence do
			continue
		}
		at := k.at
		list = append(list, Snag{Step: "dress", Kind: "overlap", ID: k.id, IDs: []string{k.id}, At: &at,
			Number: k.depth, Key: key("row", k.id),
			What: fmt.Sprintf("%s: its things reach into their neighbours %d times, the deepest %s: set them farther "+
				"apart",
				k.name, k.n, in.Distance(k.depth))})
	}
	slices.SortFunc(list, func(a, b Snag) int { return strings.Compare(a.ID, b.ID) })
	return list
}

// sags tells how deep a rope that hangs dips under the ground: by the corners of its
// shape, each against the ground above it. It is remembered while neither has moved.
func (c *Contacts) sags(in unit.Ruler, s *Solid, lands []*Solid) []Snag {
	g, ok := c.ropes[s.ID]
	if !ok || g.key != s.Key {
		g = sag{key: s.Key}
		floor := 0.0
		for _, l := range lands {
			floor = max(floor, l.Body.Box.Max.Y)
		}
		s.Body.Reach(geom.Identity, func(m, h geom.V) bool { return m.Y-h.Y > floor }, func(t [3]geom.V) {
			for _, p := range t {
				y, on := landAt(lands, p.X, p.Z)
				if !on {
					y = 0
				}
				if y-p.Y > g.deep {
					g.deep, g.at = y-p.Y, p
				}
			}
		})
		c.ropes[s.ID] = g
	}
	if g.deep <= sunkLeast {
		return nil
	}
	at := g.at
	return []Snag{{Step: "dress", Kind: "below", ID: s.ID, IDs: []string{s.ID}, At: &at, Number: g.deep,
		Key: key("sags", s.ID),
		What: fmt.Sprintf("%s hangs %s below the ground: give it less sag, or raise its supports", s.Name,
			in.Distance(g.deep))}}
}

// crowd tells of a thing that reaches into so many that only of some it was
// measured how deep.
func (c *Contacts) crowd(a *Solid) []Snag {
	ids := []string{a.ID}
	for id, p := range c.pairs[a.ID] {
		if b := c.solids[id]; p.rough && (a.Row == "" || b == nil || b.Row != a.Row) {
			ids = append(ids, id)
		}
	}
	if len(ids) == 1 {
		return nil
	}
	slices.Sort(ids[1:])
	n, at := len(ids)-1, a.Body.Box.Center()
	return []Snag{{Step: "dress", Kind: "overlap", ID: a.ID, IDs: ids, At: &at, Number: float64(n),
		Key: key("crowd", a.ID),
		What: fmt.Sprintf("%s reaches into %d more; of the %d that it shares most with it was measured how deep",
			a.Name, n, deepest)}}
}

// snags of two things that reach into one another or flicker.
func (p *pair) snags(in unit.Ruler, a, b *Solid) (list []Snag) {
	if a.Land || a.Fixed {
		a, b = b, a
	}
	if !p.intended(a, b) {
		s := Snag{Step: "dress", ID: a.ID, IDs: []string{a.ID, b.ID}, At: &p.at, Number: p.depth, Fix: "clear",
			Label: "move out", Key: key("in", a.ID, b.ID)}
		volume := ""
		if p.volume > 0 {
			volume = ", " + liters(p.volume)
		}
		if b.Land {
			s.Kind, s.What, s.Fix, s.Label = "sunk", fmt.Sprintf("%s is sunk %s into %s", a.Name, in.Distance(p.depth),
				b.Name), "ground", "put down"
		} else {
			s.Kind, s.What = "overlap", fmt.Sprintf("%s and %s reach %s%s into one another%s", a.Name, b.Name,
				map[bool]string{true: "at most "}[p.most], in.Distance(p.depth), volume)
		}
		list = append(list, s)
	}
	if p.flush > flushLeast && !(a.StandIn && b.StandIn) {
		list = append(list, Snag{Step: "dress", Kind: "flush", ID: a.ID, IDs: []string{a.ID, b.ID}, At: &p.at,
			Number: p.flush, Key: key("flush", a.ID, b.ID), Fix: "part", Label: "set 2 mm apart",
			What: fmt.Sprintf("%s and %s lie in one plane over %s: it will flicker", a.Name, b.Name, area(p.flush))})
	}
	return list
}

func key(kind string, ids ...string) string {
	ids = slices.Clone(ids)
	slices.Sort(ids)
	return kind + ":" + strings.Join(ids, ":")
}

func liters(m3 float64) string {
	if m3 >= 0.1 {
		return fmt.Sprintf("%.2f m³", m3)
	}
	return fmt.Sprintf("%.2f l", m3*1000)
}

func area(m2 float64) string {
	if m2 >= 0.1 {
		return fmt.Sprintf("%.2f m²", m2)
	}
	return fmt.Sprintf("%.1f cm²", m2*1e4)
}

// landAt is the height of the highest land at a place.
func landAt(lands []*Solid, x, z float64) (y float64, ok bool) {
	y = math.Inf(-1)
	for _, l := range lands {
		top := l.Body.Box.Max.Y + 1
		if t, _, hit := l.Body.Ray(geom.V{X: x, Y: top, Z: z}, geom.V{Y: -1}, math.Inf(1)); hit {
			y, ok = max(y, top-t), true
		}
	}
	return y, ok
}

// below finds what lies wholly under the ground.
func (c *Contacts) below(in unit.Ruler, s *Solid, lands []*Solid) (g Snag, ok bool) {
	mid := s.Body.Box.Center()
	y, on := c.surface(s, lands)
	if !on {
		y = 0
	}
	deep := y - s.Body.Box.Max.Y
	if deep < touchGap {
		return g, false
	}
	mid.Y = s.Body.Box.Max.Y
	return Snag{Step: "dress", Kind: "below", ID: s.ID, IDs: []string{s.ID}, At: &mid, Number: deep,
		Key: key("below", s.ID), Fix: "ground", Label: "put down",
		What: fmt.Sprintf("%s lies %s below the ground", s.Name, in.Distance(deep))}, true
}

// floating finds things that nothing carries, holds or ties to what stands.
func (c *Contacts) floating(in unit.Ruler, solids []Solid, lands []*Solid, buried map[string]bool) (list []Snag) {
	index := make(map[string]int, len(solids))
	sets := join.New(len(solids))
	root := func(i int) int { return int(sets.Find(uint32(i))) }
	for i := range solids {
		index[solids[i].ID] = i
	}
	for i := range solids {
		for id, p := range c.pairs[solids[i].ID] {
			if j, ok := index[id]; ok && p.touch {
				sets.Join(uint32(i), uint32(j))
			}
		}
		if g := solids[i].Group; g != "" { // what belongs together holds together
			if j, ok := index["group "+g]; ok {
				sets.Join(uint32(i), uint32(j))
			} else {
				index["group "+g] = i
			}
		}
	}
	held := make(map[int]bool)
	for i := range solids {
		s := &solids[i]
		if s.Body == nil || s.Land || s.Fixed || s.Soft || buried[s.ID] || s.Body.Box.Min.Y <= touchGap &&
			c.onPlane(s, lands) {
			held[root(i)] = true
		}
	}
	lowest := map[int]int{} // of each that hangs together
	for i := range solids {
		r := root(i)
		if held[r] || solids[i].Body == nil {
			continue
		}
		if j, ok := lowest[r]; !ok || solids[i].Body.Box.Min.Y < solids[j].Body.Box.Min.Y {
			lowest[r] = i
		}
	}
	for i := range solids {
		r := root(i)
		if j, ok := lowest[r]; !ok || j != i {
			continue
		}
		s := &solids[i]
		var ids []string
		for k := range solids {
			if root(k) == r {
				ids = append(ids, solids[k].ID)
			}
		}
		gap, on := c.gap(s, solids, func(k int) bool { return root(k) != r })
		mid := s.Body.Box.Center()
		mid.Y = s.Body.Box.Min.Y
		what := fmt.Sprintf("%s floats %s above %s", s.Name, in.Distance(gap), on)
		if len(ids) > 1 {
			what = fmt.Sprintf("%s and what it touches float %s above %s", s.Name, in.Distance(gap), on)
		}
		list = append(list, Snag{Step: "dress", Kind: "floating", ID: s.ID, IDs: ids, At: &mid, Number: gap,
			Key: key("float", s.ID), Fix: "ground", Label: "put down", What: what})
	}
	return list
}

// onPlane says whether the plane at height 0 carries a thing: it does where there
// is no land.
func (c *Contacts) onPlane(s *Solid, lands []*Solid) bool {
	_, on := c.surface(s, lands)
	return !on
}

// gap is how far a thing would fall, and onto what.
func (c *Contacts) gap(s *Solid, solids []Solid, counts func(i int) bool) (gap float64, on string) {
	gap, on = math.Inf(1), "the ground"
	for i := range solids {
		o := &solids[i]
		if o.Body == nil || o.ID == s.ID || !counts(i) {
			continue
		}
		if t, _, ok := contact.First(s.Body, o.Body, geom.V{Y: -1}, min(gap, contact.Reach)); ok && t < gap {
			gap, on = t, o.Name
		}
	}
	if math.IsInf(gap, 1) {
		gap = max(s.Body.Box.Min.Y, 0)
	}
	return gap, on
}
