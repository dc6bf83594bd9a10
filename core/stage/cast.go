package stage

import (
	"visator/core/geom"
	"visator/core/motion"
)

// Member is something that may move over a shot.
type Member struct {
	ID     string
	Groups []string // that it is in, the innermost first
	Middle geom.V   // where it stands at the start
}

// Cast is what stands in a set, and how it moves.
type Cast struct {
	move    *motion.Move
	members map[string]int
	middle  []geom.V
	rides   [][]int // of the move's, by member
	moving  []int   // members that ride
	ids     []string
}

// NewCast is the cast of a move, which may be nil.
func NewCast(move *motion.Move, members []Member) *Cast {
	c := &Cast{move: move, members: make(map[string]int, len(members)), middle: make([]geom.V, len(members)),
		ids: make([]string, len(members))}
	named := map[string][]int{}
	if move != nil {
		for r := range move.Rides {
			for _, id := range move.Rides[r].IDs {
				named[id] = append(named[id], r)
			}
		}
	}
	c.rides = make([][]int, len(members))
	for i := range members {
		m := &members[i]
		c.members[m.ID], c.middle[i], c.ids[i] = i, m.Middle, m.ID
		if len(named) == 0 {
			continue
		}
		c.rides[i] = append(c.rides[i], named[m.ID]...)
		for _, g := range m.Groups {
			c.rides[i] = append(c.rides[i], named[g]...)
		}
		if len(c.rides[i]) > 0 {
			c.moving = append(c.moving, i)
		}
	}
	return c
}

// Rides reports whether the thing of an ID moves.
func (c *Cast) Rides(id string) bool {
	i, ok := c.members[id]
	return ok && len(c.rides[i]) > 0
}

// Pose is how everything that rides is moved at t, by ID: a transform of the set.
func (c *Cast) Pose(t float64) map[string]geom.M {
	if len(c.moving) == 0 {
		return nil
	}
	by := make([]geom.M, len(c.move.Rides))
	for r := range by {
		by[r] = c.move.Rides[r].At(t)
	}
	out := make(map[string]geom.M, len(c.moving))
	for _, i := range c.moving {
		m := by[c.rides[i][0]]
		for _, r := range c.rides[i][1:] {
			m = by[r].Mul(m)
		}
		out[c.ids[i]] = m
	}
	return out
}

// Where is the middle of a thing at t.
func (c *Cast) Where(id string, t float64) (geom.V, bool) {
	i, ok := c.members[id]
	if !ok {
		return geom.V{}, false
	}
	p := c.middle[i]
	for _, r := range c.rides[i] {
		m := c.move.Rides[r].At(t)
		p = m.Point(p)
	}
	return p, true
}
