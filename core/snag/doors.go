package snag

import (
	"fmt"
	"math"
	"slices"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
)

var _ = finds(doors)

// doors finds doors whose leaf meets something on its way open, and how far they open.
func doors(s *Set) (out []Snag) {
	for _, r := range s.Rooms {
		out = append(out, r.doors(s.Solids)...)
	}
	return out
}

// doors are those of one room, whose own walls do not count.
func (r *Room) doors(solids []Solid) (out []Snag) {
	for _, s := range r.Swings {
		turn := s.Open - s.Closed
		reach := geom.Box{Min: geom.V{X: s.Hinge.X - s.Width, Y: s.From, Z: s.Hinge.Z - s.Width},
			Max: geom.V{X: s.Hinge.X + s.Width, Y: s.To, Z: s.Hinge.Z + s.Width}}
		var near []*Solid
		for i := range solids {
			if o := &solids[i]; o.Body != nil && o.ID != r.ID && !o.Land && !o.Soft &&
				o.Body.Box.Meets(&reach, touchGap) {
				near = append(near, o)
			}
		}
		const steps = 30 // of three degrees for a quarter turn
		for k := range steps {
			a := s.Closed + turn*float64(k+1)/steps
			leaf := DoorLeaf(s, a)
			i := slices.IndexFunc(near, func(o *Solid) bool { return contact.Overlap(leaf, o.Body) })
			if i < 0 {
				continue
			}
			opens := math.Abs(turn) * float64(k) / steps * 180 / math.Pi
			mid := near[i].Body.Box.Center()
			out = append(out, Snag{Step: "dress", Kind: "door", ID: near[i].ID, IDs: []string{near[i].ID, r.ID},
				At: &mid, Number: opens, Key: key("door", r.ID+" "+s.Name, near[i].ID),
				What: fmt.Sprintf("%s of %s opens %.0f° only: %s is in its way", s.Name, r.Name, opens, near[i].Name)})
			break
		}
	}
	return out
}

// DoorLeaf is a leaf that stands open in direction a; a little clear of the
// hinge and of the floor, where it always touches.
func DoorLeaf(s lay.Swing, a float64) *contact.Placed {
	const thick, clear = 0.04, 0.06
	w, h := float32(s.Width), float32(s.To-s.From-0.02)
	x0, z := float32(clear), float32(thick/2)
	b := contact.Mesh([][3]float32{{x0, 0, -z}, {w, 0, -z}, {w, 0, z}, {x0, 0, z}, {x0, h, -z}, {w, h, -z}, {w, h, z},
		{x0, h, z}},
		[][3]uint32{{0, 1, 2}, {0, 2, 3}, {4, 6, 5}, {4, 7, 6}, {0, 5, 1}, {0, 4, 5}, {1, 6, 2}, {1, 5, 6}, {2, 7, 3},
			{2, 6, 7}, {3, 4, 0}, {3, 7, 4}})
	return contact.Place(b, geom.Compose(geom.V{X: s.Hinge.X, Y: s.From + 0.01, Z: s.Hinge.Z},
		geom.Turn(geom.V{Y: 1}, -a), geom.V{X: 1, Y: 1, Z: 1}))
}
