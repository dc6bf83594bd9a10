package measure

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"visator/core/frame"
	"visator/core/optics"
	"visator/core/stage"
	"visator/core/unit"
)

// flickerMoments is how often a move is looked at for flicker.
const flickerMoments = 5

// flickersOf are the pairs of surfaces that flicker over a shot, the largest in a
// picture first.
func flickersOf(f *Framing, k *stage.ShotSettings, cast *stage.Cast) []FlickerState {
	worst := map[string]FlickerState{}
	for _, m := range f.Moments(k, cast, flickerMoments) {
		for _, fl := range m.Scene.Flickers(&m.View, GridW, GridH) {
			a, b := &m.Scene.Things[fl.A], &m.Scene.Things[fl.B]
			ids := []string{a.ID, b.ID}
			slices.Sort(ids)
			key := strings.Join(ids, " ")
			if old, ok := worst[key]; ok && old.Share >= fl.Share {
				continue
			}
			st := FlickerState{A: a.Name, B: b.Name, IDs: ids, Distance: fl.Distance, Gap: fl.Gap, Step: fl.Step,
				Share: fl.Share}
			if n := optics.NearFor(m.View.Depth, fl.Distance, max(fl.Gap, 1e-9), m.View.Far); fl.Gap > 1e-6 &&
				!math.IsInf(n, 1) {
				st.Near = &n
			}
			worst[key] = st
		}
	}
	list := make([]FlickerState, 0, len(worst))
	for _, fl := range worst {
		list = append(list, fl)
	}
	slices.SortFunc(list, func(p, q FlickerState) int {
		return cmp.Or(cmp.Compare(q.Share, p.Share), cmp.Compare(p.IDs[0], q.IDs[0]), cmp.Compare(p.IDs[1], q.IDs[1]))
	})
	const told = 20
	return list[:min(len(list), told)]
}

// adviceOf says what to give up where no range serves: which near things stand
// before the plane that the flicker asks for, or which far ones to make into cards.
func adviceOf(in unit.Ruler, k *stage.ShotSettings, flickers []FlickerState, r frame.Range, s *frame.Scene,
	all []frame.Moment) []string {
	out := []string{}
	for _, fl := range flickers {
		switch {
		case fl.Gap <= 1e-6:
			out = append(out,
				fmt.Sprintf("%s and %s lie in one plane at %s: no range helps, move one of them by a few "+
					"millimetres", fl.A, fl.B, in.Distance(fl.Distance)))
			continue
		case fl.Near == nil:
			out = append(out,
				fmt.Sprintf("%s and %s are %s apart at %s, too little for this depth buffer: make what lies "+
					"there into one card, or move them apart", fl.A, fl.B, in.Distance(fl.Gap),
					in.Distance(fl.Distance)))
			continue
		}
		need := *fl.Near
		if need <= r.Near {
			out = append(out,
				fmt.Sprintf("%s and %s, %s apart at %s, stop flickering with the near plane at %s or farther: "+
					"fit the range", fl.A, fl.B, in.Distance(fl.Gap), in.Distance(fl.Distance), in.Distance(need)))
			continue
		}
		var names []string
		seen := map[string]bool{}
		for _, m := range []frame.Moment{all[0], all[len(all)/2], all[len(all)-1]} {
			for i, span := range m.Scene.Spans(&m.View) {
				if t := &m.Scene.Things[i]; span.Seen && span.Near < need && !seen[t.ID] {
					seen[t.ID] = true
					names = append(names, t.Name)
				}
			}
		}
		who := some(names)
		if who == "" {
			who = s.Things[r.NearThing].Name
		}
		out = append(out,
			fmt.Sprintf("%s and %s, %s apart at %s, need the near plane at %s: give up %s, or make the far "+
				"ones into a card", fl.A, fl.B, in.Distance(fl.Gap), in.Distance(fl.Distance), in.Distance(need), who))
	}
	return out
}
