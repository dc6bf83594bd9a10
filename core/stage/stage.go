// Package stage is the set: placements, views, shots, light; and the pure
// edits of it. Lengths are metres, angles radians.
package stage

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/light"
	"visator/core/motion"
	"visator/core/optics"
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
	Recast  string  `json:"recast"` // the stand-in that this took the place of; "": none
}

// World is the transform from the piece, in metres about its pivot, to the set.
func (p *Placement) World() geom.M {
	q := geom.Turn(geom.V{Y: 1}, p.Yaw).Mul(geom.Turn(geom.V{X: 1}, p.Pitch)).Mul(geom.Turn(geom.V{Z: 1}, p.Roll))
	return geom.Compose(p.At, q, p.Scale)
}

// Stand sets where the placement stands and how it is turned to those of a
// transform that turns, scales and moves; its scale stays.
func (p *Placement) Stand(m *geom.M) {
	x, y, z := (geom.V{X: m[0], Y: m[1], Z: m[2]}).Unit(), (geom.V{X: m[4], Y: m[5], Z: m[6]}).Unit(), (geom.V{X: m[8], Y: m[9], Z: m[10]}).Unit()
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
	return Placement{StandIn: "person", Name: "person", Size: geom.V{X: 0.5, Y: PersonHeight, Z: 0.3}, At: at, Scale: geom.V{X: 1, Y: 1, Z: 1}}
}

var tintForm = regexp.MustCompile("^#[0-9a-f]{6}$")

// Limits: names are labels on a drawing, sets lie on this earth.
const (
	maxName  = 200
	maxPlace = 1e7 // metres
)

// Check says what is impossible about a placement.
func (p *Placement) Check() error {
	switch {
	case strings.TrimSpace(p.Name) == "" || len(p.Name) > maxName:
		return fmt.Errorf("a name has 1 to %d characters", maxName)
	case !p.At.Finite() || p.At.Len() > maxPlace:
		return errors.New("a place is given in metres, at most 10000 km from the middle")
	case !(geom.V{X: p.Yaw, Y: p.Pitch, Z: p.Roll}).Finite():
		return errors.New("a turn is given in degrees")
	case !p.Scale.Finite() || min(p.Scale.X, p.Scale.Y, p.Scale.Z) < 1e-6 || p.Scale.Max() > 1e6:
		return errors.New("a scale is between a millionth and a million")
	case p.Piece == "" && StandIns[p.StandIn] == (geom.V{}):
		return errors.New("a placement is a piece or a stand-in: " + strings.Join(slices.Sorted(maps.Keys(StandIns)), ", "))
	case len(p.Layer) > maxName:
		return fmt.Errorf("a layer's name has at most %d characters", maxName)
	case p.Tint != "" && !tintForm.MatchString(p.Tint):
		return fmt.Errorf("%q is not a colour such as #e8e0d0", p.Tint)
	case p.Piece == "" && (!p.Size.Finite() || min(p.Size.X, p.Size.Y, p.Size.Z) < 1e-4 || p.Size.Max() > 1e6):
		return errors.New("a stand-in measures from 0.1 mm to 1000 km")
	}
	return nil
}

// Scene is the one row of a set: its working view and light.
type Scene struct {
	ID    string       `json:"id"`
	Name  string       `json:"name"`
	View  optics.View  `json:"view"`
	Light light.State  `json:"light"`
	Shot  string       `json:"shot"` // the shot that the view came from; "" none
	Move  *motion.Move `json:"move"` // of the working view
}

// Check says what is impossible about a set.
func (s *Scene) Check() error {
	if strings.TrimSpace(s.Name) == "" || len(s.Name) > maxName {
		return fmt.Errorf("a name has 1 to %d characters", maxName)
	}
	if err := s.View.Check(); err != nil {
		return err
	}
	if s.Move != nil {
		if err := s.Move.Check(); err != nil {
			return err
		}
	}
	return s.Light.Check()
}

// Shot is a kept camera with its light and move.
type Shot struct {
	ID    string       `json:"id"`
	Name  string       `json:"name"`
	View  optics.View  `json:"view"`
	Light light.State  `json:"light"`
	Move  *motion.Move `json:"move"`
	Order int          `json:"order"`
}

// Check says what is impossible about a shot.
func (s *Shot) Check() error {
	as := Scene{Name: s.Name, View: s.View, Light: s.Light, Move: s.Move}
	return as.Check()
}

// Changed reports whether the working view differs from the kept shot.
func (s *Scene) Changed(k *Shot) bool {
	a, _ := json.Marshal([]any{s.View, s.Light, s.Move})
	b, _ := json.Marshal([]any{k.View, k.Light, k.Move})
	return string(a) != string(b)
}

// Checker is a row that knows what is impossible about it.
type Checker interface{ Check() error }

// Patch lays the fields of patch, a JSON object, over row and checks the
// result; row is unchanged when there is an error. Fields that row does not
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
	dec := json.NewDecoder(strings.NewReader(string(patch)))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&fresh); err != nil {
		return fmt.Errorf("the change cannot be read: %w", err)
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
