package motion

import (
	"math"

	"visator/core/geom"
)

// Sway is wind that bends plants.
type Sway struct {
	Wind  geom.V  // its velocity, m/s, level
	Gusts float64 // the share of it that comes and goes
	Seed  uint64
}

// What plants do in wind: ours, for pictures. Their lean grows with the square of the wind, as its pressure does, up to
// what a stem bears; a tall one swings slowly, about as trees of 10 to 20 m do that were timed (0.2 to 0.5 Hz), grass
// of half a metre twice a second.
const (
	leanAt10   = 0.05 // metres a metre of height, in wind of 10 m/s
	mostLean   = 0.35
	swingOf1   = 1.5 // Hz of a plant of a metre; it falls with the root of the height
	swingShare = 0.6 // of the lean, to and fro
	gustHertz  = 0.25
)

// Lean is how far a plant of a height that stands at a place leans t seconds into a shot: metres across and down the
// plan for each metre of height. Gusts travel with the wind.
func (s *Sway) Lean(at geom.V, high, t float64) (x, z float64) {
	v := math.Hypot(s.Wind.X, s.Wind.Z)
	if !(v > 0) || !(high > 0) {
		return 0, 0
	}
	dx, dz := s.Wind.X/v, s.Wind.Z/v
	along := at.X*dx + at.Z*dz
	gust := 1 + s.Gusts*noise(s.Seed, 0, (t-along/v)*gustHertz*2)
	lean := min(leanAt10*v*v/100*max(gust, 0), mostLean)
	// Each swings in its own time: which, its place says.
	own := math.Float64bits(at.X)*31 + math.Float64bits(at.Z)
	hz := swingOf1 / math.Sqrt(high) * (1 + 0.2*noise(own, 1, 0.5))
	to := lean * (1 + swingShare*math.Sin(2*math.Pi*(hz*t+noise(own, 2, 0.5))))
	side := lean * swingShare / 2 * math.Sin(2*math.Pi*(0.83*hz*t+noise(own, 3, 0.5)))
	return dx*to - dz*side, dz*to + dx*side
}

// Bent moves what stands at a place as Lean says: sheared, so that its foot stays.
func (s *Sway) Bent(at geom.V, high, t float64) geom.M {
	x, z := s.Lean(at, high, t)
	m := geom.Identity
	// Columns, as all transforms: what y gives to x and z.
	m[4], m[6] = x, z
	m[12], m[14] = -x*at.Y, -z*at.Y
	return m
}
