package measure

import (
	"context"
	"fmt"
	"math"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/plain"
	"visator/core/snag"
	"visator/core/unit"
)

// grown tells what drifts grow through: each thing of a drift, of a million, whose stem,
// the upright over its foot as tall as it is, meets something that is no ground. What
// stands beside, or grows under a bench without reaching its seat, does not count. kept is
// what was counted before, by drift and thing.
func (w *Snapshot) grown(ctx context.Context, solids []snag.Solid, kept map[string]int) (list []snag.Snag, err error) {
	used := map[string]bool{}
	for e := range w.Seen {
		l := e.Laid
		if e.Kind != "drift" || len(l.Instances) == 0 {
			continue
		}
		h, err := l.Herd(ctx, w)
		if err != nil {
			return nil, err
		}
		if h == nil {
			continue
		}
		for k := range solids {
			s := &solids[k]
			if s.Body == nil || s.Land || s.Soft || s.Wild || s.Rope || s.Row != "" || s.Body.Copies() > 1 ||
				!h.Box.Meets(&s.Body.Box, 0) {
				continue
			}
			name := plain.Name(l.Key, s.ID, s.Key)
			n, ok := kept[name]
			if !ok {
				n = through(h, s.Body)
				if err := ctx.Err(); err != nil {
					return nil, err
				}
				kept[name] = n
			}
			used[name] = true
			if n == 0 {
				continue
			}
			at := s.Body.Box.Center()
			list = append(list, snag.Snag{Step: "dress", Kind: "overlap", ID: s.ID, IDs: []string{s.ID, e.ID}, At: &at,
				Number: float64(n), Key: "grown:" + e.ID + ":" + s.ID,
				What: fmt.Sprintf("%d things of %s grow through %s: keep its floor free, or brush them away", n, e.Name,
					s.Name)})
		}
	}
	for name := range kept {
		if !used[name] {
			delete(kept, name)
		}
	}
	return list, nil
}

// through counts the copies whose stem meets a thing.
func through(h *contact.Herd, b *contact.Placed) (n int) {
	h.Among(b.Box, func(c contact.Copy) bool {
		box := c.Body.Box
		foot := c.At.Add(c.Turn.Rotate(geom.V{Y: box.Min.Y * c.Scale}))
		stem := c.Turn.Rotate(geom.V{Y: box.Size().Y * c.Scale})
		if b.Within(foot) {
			n++
		} else if t, _, ok := b.Ray(foot, stem, 1); ok && t < 1 {
			n++
		}
		return true
	})
	return n
}

// misfit is by how much a piece may be narrower or wider than the opening that it stands
// in, in metres: joints are filled up to 2 cm (common practice, from memory).
const misfit = 0.02

// unfit tells of facades whose piece does not fit its opening: it is told once for all bays.
func (w *Snapshot) unfit(in unit.Ruler) (list []snag.Snag) {
	for e := range w.Seen {
		if e.Kind != "room" {
			continue
		}
		spec, err := e.Element.Read()
		if err != nil {
			continue
		}
		room := spec.(*lay.Room)
		for k := range room.Openings {
			o := &room.Openings[k]
			p := w.PieceOf[o.Filling]
			if o.Filling == "" || p == nil {
				continue
			}
			box := w.boxes[o.Filling]
			if box.IsEmpty() {
				continue
			}
			size := box.Size()
			wide, tall := size.X-o.Width, size.Y-(o.Head-o.Sill)
			if math.Abs(wide) <= misfit && math.Abs(tall) <= misfit {
				continue
			}
			bays := max(o.Bays, 1) * max(o.Floors, 1)
			at := room.Middle(o)
			list = append(list, snag.Snag{Step: "dress", Kind: "bay", ID: e.ID, IDs: []string{e.ID}, At: &at,
				Number: max(math.Abs(wide), math.Abs(tall)), Key: fmt.Sprintf("bay:%s:%d", e.ID, k),
				What: fmt.Sprintf("%s: %s is %s by %s, its opening %s by %s, %d times: "+
					"make the opening as large, or choose another piece", e.Name, p.Name, in.Distance(size.X),
					in.Distance(size.Y), in.Distance(o.Width), in.Distance(o.Head-o.Sill), bays)})
		}
	}
	return list
}
