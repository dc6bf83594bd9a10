// Package sizing brings a model to real size: unit, up axis, one true
// dimension, base on the ground, pivot at the base centre.
package sizing

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/unit"
)

// Sizing says how a piece's file coordinates become metres in the set.
type Sizing struct {
	MetresPerUnit float64    `json:"metresPerUnit"`
	Up            model.Axis `json:"up"`
	Factor        float64    `json:"factor"` // beyond the unit, from a true dimension
	// beyond the factor, of width, height and depth before the turn; 0 is 1: in proportion
	Stretch geom.V `json:"stretch"`
	// quarter turns that bring the front to face +Z, counter-clockwise from above
	Turn   int    `json:"turn"`
	Ground bool   `json:"ground"` // base at height 0
	Centre bool   `json:"centre"` // pivot at the middle of the base
	Pivot  Pivot  `json:"pivot"`  // where else; "" for what Ground and Centre say
	Point  geom.V `json:"point"`  // of the pivot that is a point: in the file's coordinates
	// how far what reaches below its base may go into the ground, in units of the file: roots, bolts
	Sunk    float64 `json:"sunk"`
	Decided bool    `json:"decided"` // the artist has looked at it
	Light   int     `json:"light"`   // which of its lighter versions is used in pictures; 0: the piece itself
}

// Pivot is the point of a piece that is put where it is placed.
type Pivot string

// Pivots other than the middle of the base.
const (
	Corner  Pivot = "corner"  // of the base: left and back
	Wall    Pivot = "wall"    // middle of the back of the base, for what stands against a wall
	Hanging Pivot = "hanging" // middle of the top, for lamps
	AtPoint Pivot = "point"   // where the artist clicked: a hook, a hinge, a foot
)

// From is the sizing that the file's own unit and axis give.
func From(m model.Unit, up model.Axis) Sizing {
	return Sizing{MetresPerUnit: m.MetresPerUnit, Up: up, Factor: 1, Ground: true, Centre: true}
}

// Check says what is impossible about a sizing.
func (s *Sizing) Check() error {
	if !(s.MetresPerUnit >= 1e-9 && s.MetresPerUnit <= 1e9) || !(s.Factor >= 1e-9 && s.Factor <= 1e9) {
		return errors.New("the scale must be between a billionth and a billion")
	}
	if s.Turn < 0 || s.Turn > 3 {
		return fmt.Errorf("the front is turned by 0 to 3 quarters, not %d", s.Turn)
	}
	if !slices.Contains([]Pivot{"", Corner, Wall, Hanging, AtPoint}, s.Pivot) {
		return fmt.Errorf("the pivot is corner, wall, hanging or a point, not %q", s.Pivot)
	}
	if !(s.Point.Len() <= 1e12) {
		return errors.New("the pivot lies too far off")
	}
	for _, v := range [3]float64{s.Stretch.X, s.Stretch.Y, s.Stretch.Z} {
		if v != 0 && !(v >= 1e-4 && v <= 1e4) {
			return errors.New("a side is stretched by a ten-thousandth to ten thousand times")
		}
	}
	if !(s.Sunk >= 0 && s.Sunk <= 1e12) {
		return errors.New("what goes into the ground is no less than nothing")
	}
	if s.Light < 0 || s.Light > 8 {
		return fmt.Errorf("a piece has lighter versions from 1 on, and is itself at 0; not %d", s.Light)
	}
	if s.Up != "X" && s.Up != "Y" && s.Up != "Z" {
		return fmt.Errorf("the up axis is X, Y or Z, not %q", s.Up)
	}
	return nil
}

// Is reports whether the sizing is this unit, with no factor or stretch beyond
// it, and this up axis.
func (s *Sizing) Is(metresPerUnit float64, up model.Axis) bool {
	return s.Factor == 1 && s.Distortion() == 0 && s.Up == up && math.Abs(s.MetresPerUnit/metresPerUnit-1) <= 1e-6
}

// Transform is from the file's coordinates to metres, +Y up, given the bounds
// in the file's coordinates.
func (s *Sizing) Transform(file geom.Box) geom.M {
	turn := geom.Compose(geom.V{}, geom.Turn(geom.V{Y: 1}, float64(s.Turn)*math.Pi/2), geom.V{X: 1, Y: 1, Z: 1})
	for i := range turn { // quarters exactly, so that a side stays as long as it is
		turn[i] = math.Round(turn[i])
	}
	scale := s.Scale()
	m := turn.Mul(geom.M{0: scale.X, 5: scale.Y, 10: scale.Z, 15: 1}).Mul(model.UpTurn(s.Up))
	if file.IsEmpty() {
		return m
	}
	box := file.Apply(m)
	var move geom.V
	if s.Ground || s.Pivot != "" {
		move.Y = -box.Min.Y - s.Sunk*scale.Y
	}
	if s.Centre || s.Pivot != "" {
		move.X, move.Z = -box.Center().X, -box.Center().Z
	}
	switch s.Pivot {
	case Corner:
		move.X, move.Z = -box.Min.X, -box.Min.Z
	case Wall:
		move.Z = -box.Min.Z
	case Hanging:
		move.Y = -box.Max.Y
	case AtPoint:
		move = m.Point(s.Point).Mul(-1)
	}
	return geom.Translation(move).Mul(m)
}

// Scale is metres per unit of the file along width, height and depth, before
// the turn.
func (s *Sizing) Scale() geom.V { return s.stretch().Mul(s.MetresPerUnit * s.Factor) }

// Mean is metres per unit of the file, of a stretched piece on the geometric
// mean.
func (s *Sizing) Mean() float64 {
	k := s.stretch()
	return s.MetresPerUnit * s.Factor * math.Cbrt(k.X*k.Y*k.Z)
}

func (s *Sizing) stretch() geom.V {
	return geom.V{X: cmp.Or(s.Stretch.X, 1), Y: cmp.Or(s.Stretch.Y, 1), Z: cmp.Or(s.Stretch.Z, 1)}
}

// Distortion is by what part of the least stretched side the most stretched one
// is longer than in proportion: 0 in proportion, 0.25 when one side was given a
// quarter more.
func (s *Sizing) Distortion() float64 {
	k := s.stretch()
	return max(k.X, k.Y, k.Z)/min(k.X, k.Y, k.Z) - 1
}

// Stretched is how many times longer than in proportion with the least
// stretched side its width, height and depth are.
func (s *Sizing) Stretched() geom.V {
	k := s.stretch()
	if s.Turn%2 == 1 {
		k.X, k.Z = k.Z, k.X
	}
	return k.Mul(1 / min(k.X, k.Y, k.Z))
}

// Even gives a piece its proportions back; its height stays.
func (s *Sizing) Even() error {
	s.Factor *= s.stretch().Y
	s.Stretch = geom.V{}
	return s.Check()
}

// Foot is the middle of the base, where the piece stands on the ground, in metres
// about its pivot.
func (s *Sizing) Foot(file geom.Box) geom.V {
	box := file.Apply(s.Transform(file))
	c := box.Center()
	return geom.V{X: c.X, Y: box.Min.Y + s.Sunk*s.Scale().Y, Z: c.Z}
}

// Size is width (X), height (Y) and depth (Z) in metres.
func (s *Sizing) Size(file geom.Box) geom.V { return file.Apply(s.Transform(file)).Size() }

// AxisOf is the axis that "width", "height" or "depth" runs along: 0 to 2 for X
// to Z.
func AxisOf(dimension string) (int, error) {
	axis := slices.Index([]string{"width", "height", "depth"}, dimension)
	if axis < 0 {
		return 0, fmt.Errorf("%q is not width, height or depth", dimension)
	}
	return axis, nil
}

// SetTrue makes the dimension along "width", "height" or "depth" so many
// metres. The proportions stay, or else the other dimensions do.
func (s *Sizing) SetTrue(file geom.Box, dimension string, metres float64, proportions bool) error {
	axis, err := AxisOf(dimension)
	if err != nil {
		return err
	}
	if !(metres > 0) || math.IsInf(metres, 0) {
		return errors.New("a true dimension must be more than nothing")
	}
	have := s.Size(file).At(axis)
	if have < 1e-12 {
		return fmt.Errorf("the model has no %s to go by; give another dimension", dimension)
	}
	if proportions {
		s.Factor *= metres / have
		return s.Check()
	}
	if s.Turn%2 == 1 { // before the turn its width was its depth
		axis = 2 - axis
	}
	k := s.stretch()
	*[3]*float64{&k.X, &k.Y, &k.Z}[axis] *= metres / have
	s.Stretch = k
	return s.Check()
}

// SetPoint puts the pivot at a point given in metres about the present pivot.
func (s *Sizing) SetPoint(file geom.Box, at geom.V) error {
	m := s.Transform(file)
	back, ok := m.Affine()
	if !ok || !at.Finite() {
		return errors.New("the pivot cannot be put there")
	}
	s.Pivot, s.Point = AtPoint, back.Point(at)
	return s.Check()
}

// SetDistance changes the factor so that what measures was metres becomes
// metres; the proportions stay.
func (s *Sizing) SetDistance(was, metres float64) error {
	if !(metres > 0) || math.IsInf(metres, 0) {
		return errors.New("a true distance must be more than nothing")
	}
	if !(was > 1e-12) || math.IsInf(was, 0) {
		return errors.New("the two points lie in one place; choose two that are apart")
	}
	s.Factor *= metres / was
	return s.Check()
}

// Choice is a unit with the size that a model would have in it.
type Choice struct {
	Unit unit.Unit
	Size geom.V // metres
}

// Choices lists what a model would measure in every unit, up axis as set.
func (s *Sizing) Choices(file geom.Box) []Choice {
	var out []Choice
	for _, u := range unit.All {
		c := *s
		c.MetresPerUnit, c.Factor, c.Stretch = u.Metres, 1, geom.V{}
		out = append(out, Choice{u, c.Size(file)})
	}
	return out
}
