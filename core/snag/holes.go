package snag

import (
	"fmt"
	"math"
	"slices"

	"visator/core/contact"
	"visator/core/geom"
)

var _ = finds(holes)

// holeLeast is the share of the picture from which on a hole is told.
const holeLeast = 0.003

// holes finds pictures in which the void is seen: rays through them that go down
// and meet nothing.
func holes(s *Set) (out []Snag) {
	if !s.Floor || !s.Kept {
		return nil
	}
	views, names, solids := s.Views, s.Names, s.Solids
	lands, others := []*contact.Placed{}, []*contact.Placed{}
	for i := range solids {
		switch s := &solids[i]; {
		case s.Body == nil:
		case s.Land || s.Soft:
			lands = append(lands, s.Body)
		default:
			others = append(others, s.Body)
		}
	}
	const nx, ny = 48, 27
	done := map[string]bool{}
	for n := range views {
		v := &views[n]
		missed := 0
		var sum geom.V
		for j := range ny {
			for i := range nx {
				d := v.Ray((float64(i)+0.5)/nx, (float64(j)+0.5)/ny)
				if d.Y > -0.002*d.Len() {
					continue
				}
				hit := func(b *contact.Placed) bool { _, _, ok := b.Ray(v.Eye, d, math.Inf(1)); return ok }
				if slices.ContainsFunc(lands, hit) || slices.ContainsFunc(others, hit) {
					continue
				}
				missed++
				sum = sum.Add(d)
			}
		}
		share := float64(missed) / (nx * ny)
		if share < holeLeast || done[names[n]] {
			continue
		}
		done[names[n]] = true
		// Where that lies on the ground, at most 100 m away.
		d := sum.Unit()
		at := v.Eye.Add(d.Mul(min(math.Abs(v.Eye.Y)/max(-d.Y, 1e-3), 100)))
		out = append(out, Snag{Step: "dress", Kind: "hole", At: &at, Number: share, IDs: []string{}, Key: "hole:" +
			names[n],
			What: fmt.Sprintf("the void is seen through %.1f %% of %s, below the horizon: widen the ground or hang a "+
				"backdrop",
				100*share, names[n])})
	}
	return out
}
