package lamp

import (
	"math"
	"sort"

	"visator/core/geom"
)

// Tree chooses among the lamps of a scene by what they give at a place: few exactly, many by way of groups of lamps
// near each other (Conty Estevez and Kulla, Importance Sampling of Many Lights with Adaptive Tree Splitting, 2018,
// without its splitting).
type Tree struct {
	lamps []Lamp
	order []int32 // lamps as the leaves hold them
	brief []brief // of each of those
	nodes []node
	leaf  []int32 // of each lamp its leaf
}

// leafLamps is how many lamps are weighed one by one.
const leafLamps = 8

type node struct {
	parent, left, right int32 // left < 0: a leaf
	first, count        int32 // in order
	middle              geom.V
	radius              float64 // of a ball about all that shines
	power               float64 // the largest luminous intensities, summed
	axis                geom.V
	spread              float64 // radians: no lamp shines further from the axis; π or more all around
}

func luminance(c geom.V) float64 { return 0.2126*c.X + 0.7152*c.Y + 0.0722*c.Z }

// NewTree makes the tree of lamps, which must not change afterwards.
func NewTree(lamps []Lamp) *Tree {
	t := &Tree{lamps: lamps, order: make([]int32, len(lamps)), leaf: make([]int32, len(lamps))}
	for i := range lamps {
		t.order[i] = int32(i)
	}
	if len(lamps) > 0 {
		t.part(-1, 0, len(lamps))
	}
	t.brief = make([]brief, len(lamps))
	for k, i := range t.order {
		t.brief[k] = lamps[i].brief()
	}
	return t
}

// size is the radius of the sphere about a lamp.
func (l *Lamp) size() float64 { return max(l.Radius+l.U.Len(), l.U.Len()+l.V.Len()) }

// spread is how far from its axis a lamp shines, in radians.
func (l *Lamp) spread() float64 {
	switch {
	case l.Web != nil, l.Spot && l.Radius > 0: // seen from all of its disc
		return math.Pi
	case l.Spot:
		return math.Acos(min(max(l.CosOuter, -1), 1))
	case l.Shape == Rectangle, l.Shape == Disc:
		return math.Pi / 2
	}
	return math.Pi
}

// part makes the node of some of the order and returns its number.
func (t *Tree) part(parent int32, first, end int) int32 {
	at := int32(len(t.nodes))
	n := node{parent: parent, left: -1, first: int32(first), count: int32(end - first)}
	box := geom.Empty()
	for _, i := range t.order[first:end] {
		box = box.Add(t.lamps[i].At)
		n.axis = n.axis.Add(t.lamps[i].Dir)
	}
	n.middle = box.Center()
	n.axis = n.axis.Unit()
	for _, i := range t.order[first:end] {
		l := &t.lamps[i]
		n.radius = max(n.radius, l.At.Sub(n.middle).Len()+l.size())
		n.power += luminance(l.Candela)
		n.spread = max(n.spread, math.Acos(min(max(n.axis.Dot(l.Dir), -1), 1))+l.spread())
	}
	if n.axis == (geom.V{}) {
		n.spread = math.Pi
	}
	t.nodes = append(t.nodes, n)
	if end-first <= leafLamps {
		for _, i := range t.order[first:end] {
			t.leaf[i] = at
		}
		return at
	}
	side := box.Size()
	key := func(p geom.V) float64 { return p.X }
	switch {
	case side.Y > side.X && side.Y >= side.Z:
		key = func(p geom.V) float64 { return p.Y }
	case side.Z > side.X:
		key = func(p geom.V) float64 { return p.Z }
	}
	o := t.order[first:end]
	sort.Slice(o, func(a, b int) bool { return key(t.lamps[o[a]].At) < key(t.lamps[o[b]].At) })
	mid := (first + end) / 2
	left := t.part(at, first, mid)
	right := t.part(at, mid, end)
	t.nodes[at].left, t.nodes[at].right = left, right
	return at
}

// gives is about what a group gives at p, lux: never less than a hundredth of what it would give by its distance, for
// a group that is told too dark is never asked.
func (n *node) gives(p geom.V) float64 {
	d := p.Sub(n.middle)
	far := d.Len()
	near := max(far, n.radius)
	e := n.power / max(near*near, 1e-12)
	if n.spread >= math.Pi || far <= n.radius {
		return e
	}
	off := math.Acos(min(max(d.Dot(n.axis)/far, -1), 1)) - n.spread - math.Asin(min(n.radius/far, 1))
	if off > 0 {
		return e * 0.01
	}
	return e
}

// Given is about what all lamps give at p, lux.
func (t *Tree) Given(p geom.V) (sum float64) {
	if len(t.nodes) == 0 {
		return 0
	}
	return t.given(0, p)
}

func (t *Tree) given(at int32, p geom.V) (sum float64) {
	n := &t.nodes[at]
	if n.left < 0 {
		return t.of(n, p, nil)
	}
	if far := p.Sub(n.middle).Len(); far > 2*n.radius {
		return n.gives(p)
	}
	return t.given(n.left, p) + t.given(n.right, p)
}

// brief is what has to be known of a lamp to tell what it gives at a place, by itself in memory.
type brief struct {
	at    geom.V
	power float64 // the luminance of its intensity, cd
	near  float64 // no place counts as nearer, squared
	even  bool    // it shines as strongly all around, without limit; else the lamp itself is asked
}

func (l *Lamp) brief() brief {
	b := brief{at: l.At, power: luminance(l.Candela), even: l.Range <= 0}
	switch l.Shape {
	case Ball:
		b.near = l.Radius * l.Radius / 4
	case Point:
		b.even = b.even && !l.Spot && l.Web == nil
	default:
		b.even = false
	}
	return b
}

// gives is what Toward says of lamp k of the order at p, lux.
func (t *Tree) gives(k int32, p geom.V) float64 {
	b := &t.brief[k]
	if !b.even {
		share, _, _ := t.lamps[t.order[k]].share(p)
		return b.power * share
	}
	d := b.at.Sub(p)
	near := max(d.Dot(d), b.near)
	if near == 0 {
		return 0
	}
	return b.power / near
}

// of is what the lamps of a leaf give at p, and each of them so far, if asked.
func (t *Tree) of(n *node, p geom.V, each *[leafLamps]float64) (sum float64) {
	for k := n.first; k < n.first+n.count; k++ {
		sum += t.gives(k, p)
		if each != nil {
			each[k-n.first] = sum
		}
	}
	return sum
}

// Choose is a lamp for a number u in [0, 1), as likely as chance says, by what it gives at p; left is what of u is
// still by chance. i is -1 where none gives anything.
func (t *Tree) Choose(p geom.V, u float64) (i int, chance, left float64) {
	if len(t.nodes) == 0 {
		return -1, 0, u
	}
	chance = 1
	n := &t.nodes[0]
	for n.left >= 0 {
		l, r := &t.nodes[n.left], &t.nodes[n.right]
		a, b := l.gives(p), r.gives(p)
		if !(a+b > 0) {
			return -1, 0, u
		}
		if share := a / (a + b); u < share {
			n, chance, u = l, chance*share, u/share
		} else {
			n, chance, u = r, chance*(1-share), (u-share)/(1-share)
		}
	}
	var each [leafLamps]float64
	sum := t.of(n, p, &each)
	if !(sum > 0) {
		return -1, 0, u
	}
	k := min(sort.SearchFloat64s(each[:n.count], u*sum), int(n.count)-1)
	before := 0.0
	if k > 0 {
		before = each[k-1]
	}
	own := each[k] - before
	if !(own > 0) {
		return -1, 0, u
	}
	return int(t.order[int(n.first)+k]), chance * own / sum, min(max((u*sum-before)/own, 0), 1-1e-12)
}

// Chance is how likely Choose chooses lamp i at p.
func (t *Tree) Chance(p geom.V, i int) float64 {
	n := &t.nodes[t.leaf[i]]
	var own, sum float64
	for k := n.first; k < n.first+n.count; k++ {
		e := t.gives(k, p)
		if sum += e; int(t.order[k]) == i {
			own = e
		}
	}
	if !(sum > 0) {
		return 0
	}
	chance := own / sum
	for at := t.leaf[i]; n.parent >= 0; {
		up := &t.nodes[n.parent]
		a, b := t.nodes[up.left].gives(p), t.nodes[up.right].gives(p)
		if !(a+b > 0) {
			return 0
		}
		if up.left == at {
			chance *= a / (a + b)
		} else {
			chance *= b / (a + b)
		}
		at, n = n.parent, up
	}
	return chance
}

// Across is about how much light of lamps a way from o along d passes, as far as far: the sum of their luminous
// intensities over how near to it they are, cd/m. (What air along a way without end scatters of a lamp that shines all
// around goes by it: the integral of 1/(h² + t²) over t is π/h.)
func (t *Tree) Across(o, d geom.V, far float64) float64 {
	if len(t.nodes) == 0 {
		return 0
	}
	return t.across(0, o, d, far)
}

func (t *Tree) across(at int32, o, d geom.V, far float64) (sum float64) {
	// beside is how far a place is from the way.
	beside := func(p geom.V) float64 {
		to := p.Sub(o)
		return to.Sub(d.Mul(min(max(to.Dot(d), 0), far))).Len()
	}
	n := &t.nodes[at]
	if h := beside(n.middle); h > 2*n.radius {
		return n.power / h
	}
	if n.left >= 0 {
		return t.across(n.left, o, d, far) + t.across(n.right, o, d, far)
	}
	for _, i := range t.order[n.first : n.first+n.count] {
		l := &t.lamps[i]
		sum += luminance(l.Candela) / max(beside(l.At), l.size(), 1e-3)
	}
	return sum
}

// Along calls meet for the lamps with a surface that a ray may meet nearer than far.
func (t *Tree) Along(o, d geom.V, far float64, meet func(i int)) {
	if len(t.nodes) > 0 {
		t.along(0, o, d, far, meet)
	}
}

func (t *Tree) along(at int32, o, d geom.V, far float64, meet func(i int)) {
	n := &t.nodes[at]
	to := n.middle.Sub(o)
	b := to.Dot(d)
	if off := to.Sub(d.Mul(b)); off.Dot(off) > n.radius*n.radius*(1+1e-9) || b+n.radius < 0 || b-n.radius > far {
		return
	}
	if n.left >= 0 {
		t.along(n.left, o, d, far, meet)
		t.along(n.right, o, d, far, meet)
		return
	}
	for _, i := range t.order[n.first : n.first+n.count] {
		if t.lamps[i].Shape != Point {
			meet(int(i))
		}
	}
}
