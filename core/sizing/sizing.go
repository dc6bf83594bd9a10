// Package sizing brings a model to real size: unit, up axis, one true
// dimension, base on the ground, pivot at the base centre.
package sizing

import (
	"errors"
	"fmt"
	"math"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/unit"
)

// Sizing says how a piece's file coordinates become metres in the set.
type Sizing struct {
	MetresPerUnit float64    `json:"metresPerUnit"`
	Up            model.Axis `json:"up"`
	Factor        float64    `json:"factor"`  // beyond the unit, from a true dimension
	Ground        bool       `json:"ground"`  // base at height 0
	Centre        bool       `json:"centre"`  // pivot at the middle of the base
	Decided       bool       `json:"decided"` // the artist has looked at it
}

// From is the sizing that the file's own unit and axis give.
func From(m model.Unit, up model.Axis) Sizing {
	return Sizing{MetresPerUnit: m.MetresPerUnit, Up: up, Factor: 1, Ground: true, Centre: true}
}

// Check says what is impossible about a sizing.
func (s *Sizing) Check() error {
	if !(s.MetresPerUnit >= 1e-9 && s.MetresPerUnit <= 1e9) || !(s.Factor >= 1e-9 && s.Factor <= 1e9) {
		return errors.New("the scale must be between a billionth and a billion")
	}
	if s.Up != "X" && s.Up != "Y" && s.Up != "Z" {
		return fmt.Errorf("the up axis is X, Y or Z, not %q", s.Up)
	}
	return nil
}

// Transform is from the file's coordinates to metres, +Y up, given the bounds
// in the file's coordinates.
func (s *Sizing) Transform(file geom.Box) geom.M {
	m := geom.Scaling(s.MetresPerUnit * s.Factor).Mul(model.UpTurn(s.Up))
	if file.IsEmpty() {
		return m
	}
	box := file.Apply(m)
	var move geom.V
	if s.Ground {
		move.Y = -box.Min.Y
	}
	if s.Centre {
		move.X, move.Z = -box.Center().X, -box.Center().Z
	}
	return geom.Translation(move).Mul(m)
}

// Size is width (X), height (Y) and depth (Z) in metres.
func (s *Sizing) Size(file geom.Box) geom.V { return file.Apply(s.Transform(file)).Size() }

// SetTrue changes the factor so that the dimension along "width", "height" or
// "depth" becomes metres; the proportions stay.
func (s *Sizing) SetTrue(file geom.Box, dimension string, metres float64) error {
	size := s.Size(file)
	have, ok := map[string]float64{"width": size.X, "height": size.Y, "depth": size.Z}[dimension]
	if !ok {
		return fmt.Errorf("%q is not width, height or depth", dimension)
	}
	if !(metres > 0) || math.IsInf(metres, 0) {
		return errors.New("a true dimension must be more than nothing")
	}
	if have < 1e-12 {
		return fmt.Errorf("the model has no %s to go by; give another dimension", dimension)
	}
	s.Factor *= metres / have
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
		c.MetresPerUnit, c.Factor = u.Metres, 1
		out = append(out, Choice{u, c.Size(file)})
	}
	return out
}
