package surface

import (
	"hash/fnv"
	"math"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/points"
)

// Placed is where the pictures of a surface lie at a place of the set with a normal, by the seed of the thing that it
// is on and the coordinates that it has there. tan and bit are the ways in which the coordinates grow; zero: as those
// of its triangles.
func Placed(s *model.Surface, seed uint64, at, n geom.V, u, v float64) (su, sv float64, tan, bit geom.V) {
	p := &s.Pattern
	if p.World {
		u, v, tan, bit = fromSides(at, n)
	}
	if p.Thrown != nil {
		u, v = p.Thrown.At(at)
		tan, bit = p.Thrown.Right, p.Thrown.Up.Mul(-1)
	}
	if p.Apart {
		// Any way is as good as another: some whole number of repeats and a part of one.
		k := &s.Slots[model.BaseColorMap]
		if k.Map == model.None {
			k = &s.Slots[model.NormalMap]
		}
		if k.Scale[0] != 0 && k.Scale[1] != 0 {
			x, y := points.Pair(points.Mix(seed ^ p.Seed*0x9e3779b97f4a7c15))
			u, v = u+x/k.Scale[0], v+y/k.Scale[1]
		}
	}
	return u, v, tan, bit
}

// fromSides are the coordinates of a place that faces along n, in metres along the two axes that it faces least, as
// those of Boxed, and the ways in which they grow.
func fromSides(at, n geom.V) (u, v float64, tan, bit geom.V) {
	x, y, z := math.Abs(n.X), math.Abs(n.Y), math.Abs(n.Z)
	switch {
	case y >= x && y >= z:
		return at.X, at.Z, geom.V{X: 1}, geom.V{Z: 1}
	case x >= z:
		return at.Z, -at.Y, geom.V{Z: 1}, geom.V{Y: -1}
	}
	return at.X, -at.Y, geom.V{X: 1}, geom.V{Y: -1}
}

// Varied is by how much a colour is lighter or darker at a place, by the seed of the thing that it is on.
func Varied(p *model.Pattern, seed uint64, at geom.V) float64 {
	c := clouds(at.Mul(1/max(p.VaryOver, 1e-3)), p.Seed+77)
	if p.Apart {
		c = 0.5 * (c + float64(points.Mix(seed+p.Seed)>>11)/(1<<53))
	}
	return 1 + p.Vary*(2*c-1)
}

// SeedOf is the seed of a thing that shows so many others of its name before it.
func SeedOf(id string, before int) uint64 {
	h := fnv.New64a()
	_, _ = h.Write([]byte(id))
	return points.Mix(h.Sum64() + uint64(before))
}
