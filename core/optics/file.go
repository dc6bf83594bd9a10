package optics

import (
	"math"

	"visator/core/geom"
	"visator/core/model"
)

// FromCamera is the view of a perspective camera that came with a file, on the
// sensor of Default; world is the transform of its node to the set, unit how many
// metres a unit of the file is there. A scale on the camera's own node changes neither
// its planes nor its focus. ok is false where it shows nothing, and for orthographic
// cameras, which have no lens.
func FromCamera(c *model.Camera, world geom.M, unit float64) (v View, ok bool) {
	v = Default()
	x, y, z := world.Dir(geom.V{X: 1}).Unit(), world.Dir(geom.V{Y: 1}).Unit(), world.Dir(geom.V{Z: 1}).Unit()
	v.Eye = world.Point(geom.V{})
	if c.Orthographic || !v.Eye.Finite() || math.Abs(x.Cross(y).Dot(z)) < 0.5 {
		return v, false
	}
	// Yaw and pitch by where it looks; roll by how its right hand lies to the level.
	v.AimAt(v.Eye.Sub(z))
	turn := v.Turn()
	right, up := turn.Rotate(geom.V{X: 1}), turn.Rotate(geom.V{Y: 1})
	v.Roll = math.Atan2(x.Dot(up), x.Dot(right))
	if c.Aspect > 0.1 && c.Aspect < 10 {
		v.Aspect = c.Aspect
	}
	_, gate := v.Gate()
	v.Focal = min(max(gate/(2*math.Tan(c.YFov/2)), 1), 5000)
	if c.Near > 0 {
		v.Near = c.Near * unit
	}
	if v.Far = 1000; c.Far > c.Near {
		v.Far = c.Far * unit
	}
	v.Far = max(v.Far, 2*v.Near)
	if c.Focus > 0 {
		v.Focus = c.Focus * unit
	}
	if c.FNumber >= 0.5 && c.FNumber <= 256 {
		v.FNumber = c.FNumber
	}
	return v, v.Check() == nil
}
