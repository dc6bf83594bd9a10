package snag

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"visator/core/unit"
)

var _ = finds(twins)

// Twins stand alike when their turns differ by less than twinTurn and their sizes
// by less than a share; smaller than twinHeight of the picture nobody sees it.
const (
	twinTurn   = 6 * math.Pi / 180
	twinSize   = 0.04
	twinHeight = 0.02
)

// twins finds copies of one piece that stand alike in one picture.
func twins(s *Set) (out []Snag) {
	views, list := s.Views, s.Stands
	type look struct{ piece, tint string }
	var order []string
	worst := map[string]map[int]bool{} // by piece
	alike := func(a, b *Stand) bool {
		return math.Abs(a.Pitch-b.Pitch) < twinTurn && math.Abs(a.Roll-b.Roll) < twinTurn &&
			math.Abs(math.Log(a.Scale/b.Scale)) < twinSize
	}
	turn := func(i int) float64 { return unit.Turned(list[i].Yaw) }
	for v := range views {
		seen := map[look][]int{}
		for i := range list {
			s := &list[i]
			if s.Piece == "" || s.Land {
				continue
			}
			span := views[v].SpanOf(s.Box, s.World)
			if !span.Seen || span.Height < twinHeight {
				continue
			}
			k := look{s.Piece, s.Tint}
			seen[k] = append(seen[k], i)
		}
		for k, ids := range seen {
			// By their turns, so that each has its likes behind it, and once around.
			slices.SortFunc(ids, func(a, b int) int { return cmp.Or(cmp.Compare(turn(a), turn(b)), cmp.Compare(a, b)) })
			var found []int
			for n, i := range ids {
				for m := n + 1; m < n+len(ids); m++ {
					j := ids[m%len(ids)]
					way := unit.Turned(turn(j) - turn(i))
					if way >= twinTurn {
						break
					}
					if alike(&list[i], &list[j]) {
						found = append(found, i, j)
						break
					}
				}
			}
			if len(found) == 0 {
				continue
			}
			if worst[k.piece] == nil {
				order = append(order, k.piece)
				worst[k.piece] = map[int]bool{}
			}
			for _, i := range found {
				worst[k.piece][i] = true
			}
		}
	}
	slices.Sort(order)
	for _, piece := range order {
		ids := slices.Sorted(maps.Keys(worst[piece]))
		var names, named []string
		for _, i := range ids {
			named = append(named, list[i].ID)
			if len(names) < 3 {
				names = append(names, list[i].Name)
			}
		}
		more := ""
		if n := len(ids) - len(names); n > 0 {
			more = fmt.Sprintf(" and %d more", n)
		}
		mid := list[ids[0]].World.Point(list[ids[0]].Box.Center())
		out = append(out, Snag{Step: "dress", Kind: "twins", ID: named[0], IDs: named, At: &mid,
			Number: float64(len(ids)), Key: "twins:" + piece, Fix: "vary", Label: "vary",
			What: fmt.Sprintf("%s%s stand alike in one picture", strings.Join(names, ", "), more)})
	}
	return out
}
