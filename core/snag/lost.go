package snag

import (
	"fmt"
	"math"
	"slices"
)

var _ = finds(lost)

// farOff is how many times farther than nine of ten things one stands before it
// counts as lost: a viaduct in the distance is not.
const farOff = 60

// lost finds what stands so far from the set that it was hardly meant.
func lost(s *Set) (out []Snag) {
	list := s.Stands
	if len(list) < 3 {
		return nil
	}
	var x, z []float64
	for i := range list {
		p := list[i].World.Point(list[i].Box.Center())
		x, z = append(x, p.X), append(z, p.Z)
	}
	slices.Sort(x)
	slices.Sort(z)
	mx, mz := x[len(x)/2], z[len(z)/2]
	away := make([]float64, len(list))
	for i := range list {
		p := list[i].World.Point(list[i].Box.Center())
		away[i] = math.Hypot(p.X-mx, p.Z-mz)
	}
	sorted := slices.Clone(away)
	slices.Sort(sorted)
	limit := farOff * max(sorted[min(len(sorted)*9/10, len(sorted)-2)], 5)
	for i := range list {
		if list[i].Land || away[i] <= limit {
			continue
		}
		p := list[i].World.Point(list[i].Box.Center())
		out = append(out, Snag{Step: "dress", Kind: "far", ID: list[i].ID, IDs: []string{list[i].ID}, At: &p,
			Number: away[i], Key: key("far", list[i].ID),
			What: fmt.Sprintf("%s stands %s from the middle of the set", list[i].Name, s.In.Distance(away[i]))})
	}
	return out
}
