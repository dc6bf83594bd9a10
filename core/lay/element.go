// Package lay makes what is described by a few numbers and not placed piece by
// piece: rooms, rows, hanging lines, drifts, ground, paths, water, cards. An
// element is kept as its description and laid out from it again, the same every
// time. Lengths are metres, angles radians; plan places are X to the right and Z
// down.
package lay

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"

	"visator/core/air"
	"visator/core/document"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/plain"
)

// Element is one row of a set that is described. Some only keep order: layers,
// groups, what is meant to be as it is, and the limits of the budget.
type Element struct {
	ID     string          `json:"id"`
	Kind   string          `json:"kind"` // a name of Kinds
	Name   string          `json:"name"`
	Layer  string          `json:"layer"` // "": none
	Hidden bool            `json:"hidden"`
	Locked bool            `json:"locked"`
	Order  int             `json:"order"`
	Spec   json.RawMessage `json:"spec"`
}

// Spec is what an element of one kind is described by.
type Spec interface {
	Check() error             // what is impossible about it; nothing is changed
	Default() Spec            // one as it begins
	Fields() []document.Field // what a panel shows of it
}

// noFields is of kinds that a panel shows nothing of.
type noFields struct{}

func (noFields) Fields() []document.Field { return nil }

// Kinds makes an empty description of each kind of element: each kind puts itself in.
var Kinds = map[string]func() Spec{}

// Kind puts one in.
func Kind(name string, empty func() Spec) bool {
	Kinds[name] = empty
	return true
}

var (
	_ = Kind("layer", func() Spec { return &Layer{} })
	_ = Kind("group", func() Spec { return &Group{} })
	_ = Kind("meant", func() Spec { return &Meant{} })
	_ = Kind("limit", func() Spec { return &Limit{} })
)

// Plain is a description that is laid out by itself, whatever lies about it and wherever
// the camera is.
type Plain interface {
	Spec
	Lay() *Laid
}

// Drawing is how a kind of element is drawn on the plan, for kinds that say so themselves:
// as points, along a line or about an area, which the description has under a key.
type Drawing struct {
	Way string `json:"way"` // point, points or area
	Key string `json:"key"` // of the description: one place, or a list of them
	Say string `json:"say"` // what the hand does
	Row string `json:"row"` // of the tools, in which it is: block out, build, repeat, land, light
}

// Drawn is a Spec that says how it is drawn.
type Drawn interface{ Drawn() Drawing }

// Drawings are those of the kinds that say so, by kind.
func Drawings() map[string]Drawing {
	all := map[string]Drawing{}
	for name, empty := range Kinds {
		if d, ok := empty().(Drawn); ok {
			all[name] = d.Drawn()
		}
	}
	return all
}

// IsPlain says whether a kind of element is laid out by itself.
func IsPlain(name string) bool {
	empty := Kinds[name]
	if empty == nil {
		return false
	}
	_, ok := empty().(Plain)
	return ok
}

// Layer is a name under which things are hidden and locked together; it is
// named by its element's name, and hidden and locked by its flags.
type Layer struct{ noFields }

// Check says what is impossible.
func (*Layer) Check() error { return nil }

// Default is a layer as it begins.
func (*Layer) Default() Spec { return &Layer{} }

// Group holds placements, elements and other groups that move as one.
type Group struct {
	noFields
	Parent string `json:"parent"` // a group; "": none
	Open   bool   `json:"open"`   // its members are taken one by one
}

// Default is a group as it begins.
func (*Group) Default() Spec { return &Group{} }

// Check says what is impossible.
func (g *Group) Check() error {
	if len(g.Parent) > document.MaxName {
		return errors.New("the group that a group is in is named, not described")
	}
	return nil
}

// Meant says that a snag is as it should be.
type Meant struct {
	noFields
	Snag string `json:"snag"` // its key
	Why  string `json:"why"`
}

// Default is nothing that is meant.
func (*Meant) Default() Spec { return &Meant{} }

// Check says what is impossible.
func (m *Meant) Check() error {
	if m.Snag == "" || len(m.Snag) > 2000 || len(m.Why) > 500 {
		return errors.New("what is meant is one snag, with a reason of at most 500 characters")
	}
	return nil
}

// maxLimit is more than any machine draws.
const maxLimit = 1_000_000_000

// Limit is what a set may weigh; 0 is no limit.
type Limit struct {
	noFields
	Triangles int `json:"triangles"`
	Instances int `json:"instances"`
	Megabytes int `json:"megabytes"` // of textures on the graphics card
}

// Default is no limit.
func (*Limit) Default() Spec { return &Limit{} }

// Check says what is impossible.
func (l *Limit) Check() error {
	if min(l.Triangles, l.Instances, l.Megabytes) < 0 || max(l.Triangles, l.Instances, l.Megabytes) > maxLimit {
		return fmt.Errorf("a limit is 0, for none, to %d", maxLimit)
	}
	return nil
}

// Read is what the element is described by; unknown fields and impossible
// numbers are errors.
func (e *Element) Read() (Spec, error) {
	kind := Kinds[e.Kind]
	if kind == nil {
		return nil, fmt.Errorf("%q is not a kind of element", e.Kind)
	}
	if err := plain.JSON(e.Spec); err != nil {
		return nil, fmt.Errorf("the description of %s cannot be taken: %w", e.Name, err)
	}
	s := kind()
	if err := plain.Read(e.Spec, s); err != nil {
		return nil, fmt.Errorf("the description of %s cannot be read: %w", e.Name, err)
	}
	if err := s.Check(); err != nil {
		return nil, fmt.Errorf("%s: %w", e.Name, err)
	}
	return s, nil
}

// Begun is the description of a new element: what is said of it, over what its kind begins
// with. What it cannot read it leaves as it is, for Read to refuse.
func Begun(kind string, said json.RawMessage) json.RawMessage {
	create := Kinds[kind]
	if len(said) == 0 {
		said = json.RawMessage("{}")
	}
	if create == nil || plain.JSON(said) != nil {
		return said
	}
	s := create().Default()
	if err := plain.Read(said, s); err != nil {
		return said
	}
	whole, err := json.Marshal(s)
	if err != nil {
		return said
	}
	return whole
}

// Schema is what panels show of each kind of element, with what it begins with.
func Schema() map[string][]document.Field {
	all := map[string][]document.Field{}
	for name, create := range Kinds {
		all[name] = document.Schema(create().Default())
	}
	return all
}

// Check says what is impossible about an element.
func (e *Element) Check() error {
	if strings.TrimSpace(e.Name) == "" || len(e.Name) > document.MaxName {
		return fmt.Errorf("a name has 1 to %d characters", document.MaxName)
	}
	if len(e.Layer) > document.MaxName || len(e.ID) > document.MaxName {
		return fmt.Errorf("a layer's name has at most %d characters", document.MaxName)
	}
	if e.Order < 0 || e.Order > math.MaxInt32 {
		return errors.New("the order counts from 0")
	}
	_, err := e.Read()
	return err
}

// Instance is a piece that an element lays down.
type Instance struct {
	Piece string
	At    geom.V
	Turn  geom.Q
	Scale float64
}

// World is the transform from the piece, in metres about its pivot, to the set.
func (i *Instance) World() geom.M {
	return geom.Compose(i.At, i.Turn, geom.V{X: i.Scale, Y: i.Scale, Z: i.Scale})
}

// Laid is what an element is made to: a model of its own in the set's
// coordinates, and pieces. Either may be missing.
type Laid struct {
	Model     *model.Model
	Instances []Instance
	Swings    []Swing
	Strips    [][]P        // for the plan: the course of a row, line or path, the footprints of walls
	Hung      []light.Hung // the lamps that it is, or hangs
	Air       []air.Part   // that it fills the air with
	Pools     []light.Pool // for the plan: its light on what lies beneath
	Said      string       // what is worth saying about it
}

// Beneath is what things are laid on.
type Beneath interface {
	// Under is the highest surface beneath the point, at most at height from,
	// with its normal turned upwards.
	Under(x, z, from float64) (y float64, normal geom.V, ok bool)
}

// Share is a piece with its weight among others, more than 0.
type Share struct {
	Piece  string  `json:"piece"`
	Weight float64 `json:"weight"`
}

const maxShares = 64 // pieces in one row or drift: more than a person mixes

func checkShares(list []Share) error {
	if len(list) == 0 || len(list) > maxShares {
		return fmt.Errorf("choose 1 to %d pieces for it", maxShares)
	}
	for _, s := range list {
		if s.Piece == "" || !(s.Weight > 0) || s.Weight > 1e6 {
			return errors.New("every piece has a weight above 0")
		}
	}
	return nil
}

// pick chooses one of a list by weight; u is 0..1.
func pick(list []Share, u float64) string {
	sum := 0.0
	for _, s := range list {
		sum += s.Weight
	}
	u *= sum
	for _, s := range list {
		if u -= s.Weight; u < 0 {
			return s.Piece
		}
	}
	return list[len(list)-1].Piece
}

// P is a place on the plan.
type P struct {
	X float64 `json:"x"`
	Z float64 `json:"z"`
}

func (p P) add(q P) P             { return P{p.X + q.X, p.Z + q.Z} }
func (p P) sub(q P) P             { return P{p.X - q.X, p.Z - q.Z} }
func (p P) mul(s float64) P       { return P{p.X * s, p.Z * s} }
func (p P) dot(q P) float64       { return p.X*q.X + p.Z*q.Z }
func (p P) cross(q P) float64     { return p.X*q.Z - p.Z*q.X }
func (p P) len() float64          { return math.Hypot(p.X, p.Z) }
func (p P) lerp(q P, t float64) P { return p.add(q.sub(p).mul(t)) }
func (p P) unit() P {
	if l := p.len(); l > 0 {
		return p.mul(1 / l)
	}
	return p
}

const (
	maxPoints = 1000 // of a drawn line: more than a hand sets; every place of a drift or a ground asks each
	maxWork   = 4e9  // such questions for one element: some ten seconds
	maxPlace  = 1e6  // metres from the middle: farther than any set reaches
)

func checkPoints(what string, list []P, least int) error {
	if len(list) < least || len(list) > maxPoints {
		return fmt.Errorf("%s has %d to %d points", what, least, maxPoints)
	}
	for _, p := range list {
		if !(math.Abs(p.X) <= maxPlace && math.Abs(p.Z) <= maxPlace) {
			return fmt.Errorf("%s has a point that is not within 1000 km of the middle", what)
		}
	}
	return nil
}

// checkArea also refuses outlines that cross themselves or hold nothing.
func checkArea(what string, list []P) error {
	if err := checkPoints(what, list, 3); err != nil {
		return err
	}
	if i, j, ok := crossing(list, true); ok {
		return fmt.Errorf("%s crosses itself: side %d and side %d meet; draw it again without a loop", what, i+1, j+1)
	}
	if math.Abs(Area(list)) < 1e-6 {
		return fmt.Errorf("%s holds no area", what)
	}
	return nil
}

// crossing finds two sides of an outline that cross, but for neighbours.
func crossing(list []P, closed bool) (i, j int, ok bool) {
	n := len(list)
	sides := n
	if !closed {
		sides--
	}
	for i := 0; i < sides; i++ {
		a, b := list[i], list[(i+1)%n]
		for j := i + 2; j < sides; j++ {
			if closed && i == 0 && j == n-1 {
				continue
			}
			c, d := list[j], list[(j+1)%n]
			if b.sub(a).cross(c.sub(a))*b.sub(a).cross(d.sub(a)) < 0 &&
				d.sub(c).cross(a.sub(c))*d.sub(c).cross(b.sub(c)) < 0 {
				return i, j, true
			}
		}
	}
	return 0, 0, false
}

// Area of an outline in m²: above 0 when it turns from X to Z (Green's theorem).
func Area(list []P) float64 {
	sum := 0.0
	for i, p := range list {
		sum += p.cross(list[(i+1)%len(list)])
	}
	return sum / 2
}

// Holds reports whether an outline contains p, by the sides that a line from it
// crosses.
func Holds(list []P, p P) bool {
	in := false
	for i, a := range list {
		b := list[(i+1)%len(list)]
		if (a.Z > p.Z) != (b.Z > p.Z) && p.X < a.X+(p.Z-a.Z)/(b.Z-a.Z)*(b.X-a.X) {
			in = !in
		}
	}
	return in
}

// Distance is how far p is from the nearest side of an outline.
func Distance(list []P, p P, closed bool) float64 {
	best := math.Inf(1)
	for i, a := range list {
		if !closed && i == len(list)-1 {
			break
		}
		b := list[(i+1)%len(list)]
		best = min(best, p.sub(nearest(a, b, p)).len())
	}
	return best
}

// nearest is the point of the side a b that is nearest to p.
func nearest(a, b, p P) P {
	e := b.sub(a)
	l := e.dot(e)
	if l == 0 {
		return a
	}
	return a.add(e.mul(min(max(p.sub(a).dot(e)/l, 0), 1)))
}

func within(what string, v, lo, hi float64) error {
	if !(v >= lo && v <= hi) {
		return fmt.Errorf("%s is %g to %g, not %g", what, lo, hi, v)
	}
	return nil
}

// count says a number of things.
func count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// tooMuch says that what is drawn by hand would take too long to be laid out.
func tooMuch(work float64) error {
	if work > maxWork {
		return errors.New("there is too much drawn on so large an area to be laid out in time; make it of several, " +
			"or coarser")
	}
	return nil
}

// random is a stream of chance for one thing of a seed.
func random(seed uint64, of uint64) *rand.Rand {
	return rand.New(rand.NewPCG(seed, of*0x9e3779b97f4a7c15+1))
}

// hash is a number 0..1 for a seed and two whole numbers, the same everywhere
// (the finaliser of MurmurHash3, Appleby, public domain).
func hash(seed uint64, a, b int64) float64 {
	h := seed ^ uint64(a)*0x9e3779b97f4a7c15 ^ uint64(b)*0xc2b2ae3d27d4eb4f
	h ^= h >> 33
	h *= 0xff51afd7ed558ccd
	h ^= h >> 33
	h *= 0xc4ceb9fe1a85ec53
	h ^= h >> 33
	return float64(h>>11) / (1 << 53)
}
