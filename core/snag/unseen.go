package snag

import (
	"fmt"
	"slices"

	"visator/core/optics"
)

var _ = finds(unseen)

// unseen finds what no shot sees, as one snag: it may still throw a shadow or be
// mirrored.
func unseen(in *Set) []Snag {
	if !in.Kept {
		return nil
	}
	views, list := in.Views, in.Stands
	var ids []string
	first := -1
	for i := range list {
		s := &list[i]
		if s.Land || slices.ContainsFunc(views, func(v optics.View) bool { return v.SpanOf(s.Box, s.World).Seen }) {
			continue
		}
		if ids = append(ids, s.ID); first < 0 {
			first = i
		}
	}
	if first < 0 {
		return nil
	}
	mid := list[first].World.Point(list[first].Box.Center())
	what := fmt.Sprintf("%s is in no shot", list[first].Name)
	if len(ids) > 1 {
		what = fmt.Sprintf("%s and %d more are in no shot", list[first].Name, len(ids)-1)
	}
	return []Snag{{Step: "dress", Kind: "unseen", ID: ids[0], IDs: ids, At: &mid, Number: float64(len(ids)),
		Key: key("unseen", ids...), Fix: "hide", Label: "hide", What: what}}
}
