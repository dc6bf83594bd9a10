// Package stage is the set: placements, views, shots, light; and the pure
// edits of it. Lengths are metres, angles radians.
package stage

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"visator/core/document"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/plain"
)

// Placement is one piece, or a stand-in, standing in a set.
type Placement struct {
	ID      string  `json:"id"`
	Piece   string  `json:"piece"`   // "" for a stand-in
	StandIn string  `json:"standIn"` // a name of StandIns; "" for a piece
	Size    geom.V  `json:"size"`    // of a stand-in, metres
	Name    string  `json:"name"`
	At      geom.V  `json:"at"`
	Yaw     float64 `json:"yaw"` // about +Y, counter-clockwise seen from above
	Pitch   float64 `json:"pitch"`
	Roll    float64 `json:"roll"`
	Scale   geom.V  `json:"scale"`
	Hidden  bool    `json:"hidden"`
	Locked  bool    `json:"locked"`
	Order   int     `json:"order"`
	Layer   string  `json:"layer"`  // "": none
	Group   string  `json:"group"`  // the element that groups it; "": none
	Tint    string  `json:"tint"`   // "#rrggbb" that its colours are multiplied by; "": as they are
	Bends   string  `json:"bends"`  // in wind: "yes", "no", or "" as what its piece is called
	Recast  string  `json:"recast"` // the stand-in that this took the place of; "": none
}

// World is the transform from the piece, in metres about its pivot, to the set.
func (p *Placement) World() geom.M {
	q := geom.Turn(geom.V{Y: 1}, p.Yaw).Mul(geom.Turn(geom.V{X: 1}, p.Pitch)).Mul(geom.Turn(geom.V{Z: 1}, p.Roll))
	return geom.Compose(p.At, q, p.Scale)
}

// Box is the box of a placement before its own scale: that of its piece, as piece tells it,
// or of the stand-in.
func (p *Placement) Box(piece func(string) geom.Box) geom.Box {
	if p.Piece != "" {
		return piece(p.Piece)
	}
	return geom.Box{Min: geom.V{X: -p.Size.X / 2, Z: -p.Size.Z / 2},
		Max: geom.V{X: p.Size.X / 2, Y: p.Size.Y, Z: p.Size.Z / 2}}
}

// SetTransform sets where the placement stands and how it is turned to those of a
// transform that turns, scales and moves; its scale stays.
func (p *Placement) SetTransform(m *geom.M) {
	// What is mirrored points the other way.
	s := p.Scale
	x, y, z := (geom.V{X: m[0], Y: m[1], Z: m[2]}).Mul(math.Copysign(1, s.X)).Unit(),
		(geom.V{X: m[4], Y: m[5], Z: m[6]}).Mul(math.Copysign(1, s.Y)).Unit(),
		(geom.V{X: m[8], Y: m[9], Z: m[10]}).Mul(math.Copysign(1, s.Z)).Unit()
	p.At = geom.V{X: m[12], Y: m[13], Z: m[14]}
	// Of yaw, then pitch, then roll: the third column's Y is -sin(pitch).
	p.Pitch = math.Asin(min(max(-z.Y, -1), 1))
	if math.Abs(z.Y) > 1-1e-9 { // straight up or down: roll and yaw are one
		p.Yaw, p.Roll = math.Atan2(-x.Z, x.X), 0
		return
	}
	p.Yaw, p.Roll = math.Atan2(z.X, z.Z), math.Atan2(x.Y, y.Y)
}

// PersonHeight is the height of the person that stands in for scale.
const PersonHeight = 1.75

// Person is a stand-in of 1.75 m; shoulders and depth are those of a man
// standing (from memory: about 0.5 m and 0.3 m).
func Person(at geom.V) Placement {
	return Placement{StandIn: "person", Name: "person", Size: geom.V{X: 0.5, Y: PersonHeight, Z: 0.3}, At: at,
		Scale: geom.V{X: 1, Y: 1, Z: 1}}
}

// Limits: names are labels on a drawing, sets lie on this earth.
const (
	maxPlace = optics.MaxAway
	maxTurn  = 1e5 // radians
)

// MaxOrder is the largest number in an order, as the database keeps it.
const MaxOrder = math.MaxInt32

// Next is the order behind all others. What was put at the very end shares its
// place with what comes later: their ids part them.
func Next(last int) int { return min(max(last, -1)+1, MaxOrder) }

// Fields are what a placement is described by; where it stands comes from what was drawn.
func (p *Placement) Fields() []document.Field {
	of := document.Of
	list := []document.Field{
		of(&p.Name, document.Text, "name", "name", "a name").In(1, document.MaxName).Drawn(),
		of(&p.At.X, document.Length, "at.x", "along x", "a place").In(-maxPlace, maxPlace).Drawn(),
		of(&p.At.Z, document.Length, "at.z", "along z", "a place").In(-maxPlace, maxPlace).Drawn(),
		of(&p.At.Y, document.Length, "at.y", "base up", "a height").In(-maxPlace, maxPlace).Drawn(),
		of(&p.Yaw, document.Angle, "yaw", "turn", "a turn").In(-maxTurn, maxTurn),
		of(&p.Pitch, document.Angle, "pitch", "tip", "a tip").In(-maxTurn, maxTurn),
		of(&p.Roll, document.Angle, "roll", "tilt", "a tilt").In(-maxTurn, maxTurn),
		of(&p.Scale.X, document.Number, "scale.x", "scale along x", "a scale").In(1e-6, 1e6),
		of(&p.Scale.Y, document.Number, "scale.y", "scale upwards", "a scale").In(1e-6, 1e6),
		of(&p.Scale.Z, document.Number, "scale.z", "scale along z", "a scale").In(1e-6, 1e6),
		of(&p.Hidden, document.Yes, "hidden", "hidden", ""),
		of(&p.Locked, document.Yes, "locked", "locked", ""),
		of(&p.Layer, document.Text, "layer", "layer", "a layer's name").In(0, document.MaxName),
		of(&p.Group, document.Thing, "group", "group", "a group's id"),
		of(&p.Recast, document.Thing, "recast", "in the place of", "a stand-in's id"),
		of(&p.Bends, document.Choice, "bends", "bends in wind", "whether it bends in wind is").Among("as its kind does",
			"yes", "no").Or("as its kind does"),
		of(&p.Tint, document.Color, "tint", "tint", ""),
		of(&p.Order, document.Count, "order", "order", "the order").In(0, MaxOrder).Drawn(),
	}
	if p.Piece == "" {
		list = append(list,
			of(&p.Size.X, document.Length, "size.x", "width", "a stand-in's width").In(1e-4, 1e6).Drawn(),
			of(&p.Size.Y, document.Length, "size.y", "height", "a stand-in's height").In(1e-4, 1e6).Drawn(),
			of(&p.Size.Z, document.Length, "size.z", "depth", "a stand-in's depth").In(1e-4, 1e6).Drawn())
	}
	return list
}

// Check says what is impossible about a placement.
func (p *Placement) Check() error {
	if err := document.Check(p); err != nil {
		return err
	}
	switch {
	case p.At.Len() > maxPlace:
		return errors.New("a place is given in metres, at most 10000 km from the middle")
	case len(p.ID) > document.MaxName:
		return errors.New("an id is no description")
	case p.Piece == "" && StandIns[p.StandIn] == (geom.V{}):
		return errors.New("a placement is a piece or a stand-in: " + strings.Join(slices.Sorted(maps.Keys(StandIns)),
			", "))
	}
	return nil
}

// ShotSettings is what a shot keeps: how the set is seen and lit, what moves, and which
// layers it does without.
type ShotSettings struct {
	View  optics.View    `json:"view"`
	Light light.State    `json:"light"`
	Move  *motion.Move   `json:"move"`
	Hide  document.Names `json:"hide"`  // layers by name
	First int            `json:"first"` // of the move's frames, counted from 1; 0: from its start
	Last  int            `json:"last"`  // 0: to its end
	Match *Match         `json:"match"` // a picture laid over the view; null: none
	// Finish is what is done to its pictures; what is not named is as it begins.
	Finish finish.Chain `json:"finish,omitempty"`
}

// Match is a photograph or sketch that is laid over or under the lens view, with
// what was marked in it.
type Match struct {
	Picture string      `json:"picture"` // blob
	Opacity float64     `json:"opacity"` // 0..1
	Wipe    float64     `json:"wipe"`    // share of the width, from the left, on which it lies; 1: all
	Under   bool        `json:"under"`   // it shows where nothing stands
	Points  []MatchDot  `json:"points"`
	Lines   []MatchLine `json:"lines"`
	Pixels  float64     `json:"pixels"` // by which the solved camera is off; 0: not solved
	Open    string      `json:"open"`   // what the marks do not tell of it; "": all is told
	Each    []float64   `json:"each"`   // by each mark
}

// MatchDot is a place in the picture whose place in the set is known.
type MatchDot struct {
	At geom.V  `json:"at"`
	X  float64 `json:"x"` // 0..1 from the left
	Y  float64 `json:"y"` // from the top
}

// MatchLine is a line in the picture along one of the set's axes.
type MatchLine struct {
	Axis string  `json:"axis"`
	X0   float64 `json:"x0"`
	Y0   float64 `json:"y0"`
	X1   float64 `json:"x1"`
	Y1   float64 `json:"y1"`
}

// maxMarks bounds what is marked in a picture by hand.
const maxMarks = 500

// Check says what is impossible about it.
func (m *Match) Check() error {
	switch {
	case len(m.Picture) > 200 || !(m.Opacity >= 0 && m.Opacity <= 1) || !(m.Wipe >= 0 && m.Wipe <= 1):
		return errors.New("a picture over the view covers 0 to 100 % of it, at 0 to 100 %")
	case len(m.Points)+len(m.Lines) > maxMarks:
		return fmt.Errorf("a picture has at most %d marks", maxMarks)
	}
	for _, p := range m.Points {
		if !p.At.Finite() || p.At.Len() > maxPlace || !onPicture(p.X, p.Y) {
			return errors.New("a point of the picture has a place in the set, in metres, and lies in it or near it")
		}
	}
	for _, l := range m.Lines {
		if !onPicture(l.X0, l.Y0, l.X1, l.Y1) || len(l.Axis) > 10 {
			return errors.New("a line of the picture lies in it or near it")
		}
	}
	if len(m.Open) > 500 {
		return errors.New("what is not told of a camera is said in 500 characters")
	}
	if !(m.Pixels >= 0 && m.Pixels <= 1e9) || len(m.Each) > maxMarks {
		return errors.New("a camera is off by so many pixels")
	}
	for _, e := range m.Each {
		if !(e >= 0 && e <= 1e9) {
			return errors.New("a mark is off by so many pixels")
		}
	}
	return nil
}

// onPicture says whether places lie in a picture or at most some pictures beside it.
func onPicture(list ...float64) bool {
	for _, x := range list {
		if !(math.Abs(x) <= 1000) {
			return false
		}
	}
	return true
}

// maxHide bounds the layers that a shot does without.
const maxHide = 500

// Fields are what is kept of a shot beside its view, its light, its move and its finish.
func (k *ShotSettings) Fields() []document.Field {
	return []document.Field{
		document.Of(&k.First, document.Count, "first", "first frame", "the first frame").In(0, motion.MaxFrames),
		document.Of(&k.Last, document.Count, "last", "last frame", "the last frame").In(0, motion.MaxFrames),
		document.Of(&k.Hide, document.List, "hide", "without the layers", "layers that a shot hides").In(0, maxHide),
	}
}

// settle works out what follows from other fields.
func (k *ShotSettings) settle(before *ShotSettings) {
	k.View.Settle()
	k.Light.Settle(&before.Light)
}

// Settle works out what follows from other fields; before is the set as it was.
func (s *Scene) Settle(before *Scene) { s.settle(&before.ShotSettings) }

// Settle works out what follows from other fields; before is the shot as it was.
func (s *Shot) Settle(before *Shot) { s.settle(&before.ShotSettings) }

// Check says what is impossible about it.
func (k *ShotSettings) Check() error {
	if err := k.View.Check(); err != nil {
		return err
	}
	if k.Move != nil {
		if err := k.Move.Check(); err != nil {
			return err
		}
	}
	if k.Match != nil {
		if err := k.Match.Check(); err != nil {
			return err
		}
	}
	if err := k.Finish.Check(); err != nil {
		return err
	}
	if err := document.Check(k); err != nil {
		return err
	}
	if k.Last > 0 && k.Last < k.First {
		return errors.New("frames are counted from 1, and the last is not before the first")
	}
	return k.Light.Check()
}

// Shows says whether a shot shows what lies in a layer; "" is none.
func (k *ShotSettings) Shows(layer string) bool {
	return layer == "" || !slices.Contains(k.Hide, layer)
}

// Frames are the first and the last frame that are shot, counted from 0, of a
// move; 0, 0 without one.
func (k *ShotSettings) Frames() (first, last int) {
	if k.Move == nil {
		return 0, 0
	}
	n := k.Move.Frames()
	first, last = max(k.First-1, 0), n-1
	if k.Last > 0 {
		last = min(k.Last-1, n-1)
	}
	return min(first, last), last
}

// At is the view at a time, in seconds since the move's start.
func (k *ShotSettings) At(t float64, where motion.Where) optics.View {
	m := k.Move
	if m == nil {
		m = &motion.Move{}
	}
	return m.At(k.View, t, where)
}

// Scene is the one row of a set: its working view and light.
type Scene struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	ShotSettings
	Shot string `json:"shot"` // the shot that the view came from; "" none
}

// Fields are what a set is described by, beside its settings.
func (s *Scene) Fields() []document.Field {
	return []document.Field{
		document.Of(&s.Name, document.Text, "name", "name", "a name").In(1, document.MaxName).Drawn(),
		document.Of(&s.Shot, document.Thing, "shot", "shot", "a shot's id"),
	}
}

// Check says what is impossible about a set.
func (s *Scene) Check() error {
	if err := document.Check(s); err != nil {
		return err
	}
	return s.ShotSettings.Check()
}

// Shot is a kept camera with its light and move.
type Shot struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	ShotSettings
	Order  int    `json:"order"`
	Note   string `json:"note"`
	Status string `json:"status"` // how far it is, in a word of the artist's
}

// maxNote bounds what is written about a shot.
const maxNote = 10000

// Fields are what a shot is described by, beside its settings.
func (s *Shot) Fields() []document.Field {
	return []document.Field{
		document.Of(&s.Name, document.Text, "name", "name", "a name").In(1, document.MaxName).Drawn(),
		document.Of(&s.Status, document.Text, "status", "status", "a status").In(0, document.MaxName),
		document.Of(&s.Note, document.Text, "note", "note", "a note").In(0, maxNote),
		document.Of(&s.Order, document.Count, "order", "order", "the order").In(0, MaxOrder).Drawn(),
	}
}

// Check says what is impossible about a shot.
func (s *Shot) Check() error {
	if err := document.Check(s); err != nil {
		return err
	}
	return s.ShotSettings.Check()
}

// Changed reports whether the working view differs from the kept shot.
func (s *Scene) Changed(k *Shot) bool {
	one, other := s.ShotSettings, k.ShotSettings
	one.Hide, other.Hide = append([]string{}, one.Hide...), append([]string{}, other.Hide...) // none is none
	a, _ := json.Marshal(one)
	b, _ := json.Marshal(other)
	return string(a) != string(b)
}

// Checker is a row that knows what is impossible about it.
type Checker interface{ Check() error }

// Patch lays the fields of patch, a JSON object, over row and checks the
// result, once a row that can has settled what follows from it; row is unchanged when there is an
// error. Fields that row does not
// have are errors, so that a misspelt one is not lost in silence.
func Patch[T any, P interface {
	*T
	Checker
}](row P, patch json.RawMessage) error {
	next := *row
	// Nested objects are merged too: the decoder fills what is there. Pointers
	// are copied first, so that the old row keeps its own.
	raw, err := json.Marshal(next)
	if err != nil {
		return fmt.Errorf("patch: %w", err)
	}
	var fresh T
	if err := json.Unmarshal(raw, &fresh); err != nil {
		return fmt.Errorf("patch: %w", err)
	}
	if err := plain.JSON(patch); err != nil {
		return fmt.Errorf("the change cannot be taken: %w", err)
	}
	if err := plain.Read(patch, &fresh); err != nil {
		return fmt.Errorf("the change cannot be read: %w", err)
	}
	if s, ok := any(&fresh).(interface{ Settle(before *T) }); ok {
		s.Settle(&next)
	}
	if err := P(&fresh).Check(); err != nil {
		return err
	}
	*row = fresh
	return nil
}

// Copy returns a linked copy of p, moved by offset, with a name that says
// which one it is.
func Copy(p Placement, offset geom.V, taken func(string) bool) Placement {
	c := p
	c.ID = ""
	c.At = p.At.Add(offset)
	c.Locked = false
	c.Name = NextName(p.Name, taken)
	return c
}

// NextName counts a name up until it is free: bench, bench 2, bench 3.
func NextName(name string, taken func(string) bool) string {
	base, n := name, 1
	if i := strings.LastIndexByte(name, ' '); i > 0 {
		var k int
		if _, err := fmt.Sscanf(name[i+1:], "%d", &k); err == nil && fmt.Sprint(k) == name[i+1:] {
			base, n = name[:i], k
		}
	}
	for {
		if n > 1 || base != name {
			name = fmt.Sprintf("%s %d", base, n)
		}
		if !taken(name) {
			return name
		}
		n++
		name = ""
	}
}

// Snap rounds v to the grid; a grid of 0 leaves it.
func Snap(v, grid float64) float64 {
	if grid <= 0 {
		return v
	}
	return math.Round(v/grid) * grid
}
