package measure

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"visator/core/optics"
	"visator/core/plain"
	"visator/core/snag"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
)

// approvedWord is the status by which an artist says that a shot's picture stands.
const approvedWord = "approved"

func isApproved(status string) bool {
	return strings.EqualFold(strings.TrimSpace(status), approvedWord)
}

// maxSince bounds the edits after an approval that are looked at: with more, that they
// are many is told.
const maxSince = 5000

// sinceApproved tells of every approved shot whose picture has changed since, and what
// changed in it: the log knows both. What was put back is as it was.
func (w *Snapshot) sinceApproved(ctx context.Context) (list []snag.Snag, err error) {
	for i := range w.ShotRows {
		s := &w.ShotRows[i].Shot
		if !isApproved(s.Status) {
			continue
		}
		what, ids, err := w.changedSince(ctx, s)
		if err != nil {
			return nil, err
		}
		if len(what) == 0 {
			continue
		}
		list = append(list, snag.Snag{Step: "frame", Kind: "approved", Shot: s.ID, IDs: ids,
			Key: "approved:" + s.ID + ":" + plain.Name(strings.Join(what, ";")),
			What: fmt.Sprintf("%s is approved, and since then %s: look at it, and approve it again", s.Name,
				some(what))})
	}
	return list, nil
}

// changedSince are the changes in a shot's picture after it was approved, in words, with
// the things that they are about.
func (w *Snapshot) changedSince(ctx context.Context, s *stage.Shot) (what, ids []string, err error) {
	entries, err := store.EntriesSince(ctx, w.a.Store.Pool, w.SetRow.ProductionID, w.SetRow.ID, s.ID, approvedWord,
		maxSince)
	if err != nil {
		return nil, nil, err
	}
	first := map[[2]string]json.RawMessage{} // how things were before the first change
	var order [][2]string
	for _, e := range entries {
		var changes []store.Change
		if err := json.Unmarshal(e.Changes, &changes); err != nil {
			return nil, nil, fmt.Errorf("log entry %d: %w", e.ID, err)
		}
		for _, c := range changes {
			k := [2]string{c.Kind, c.ID}
			if _, ok := first[k]; !ok {
				first[k] = c.Before
				order = append(order, k)
			}
		}
	}
	say := func(id, text string) {
		what = append(what, text)
		if id != "" {
			ids = append(ids, id)
		}
	}
	if len(order) == 0 {
		return nil, nil, nil
	}
	views, places := w.glances(s), make(map[string]*stage.Placement, len(w.PlacementRows))
	for i := range w.PlacementRows {
		places[w.PlacementRows[i].ID] = &w.PlacementRows[i].Placement
	}
	for _, k := range order {
		id := k[1]
		switch k[0] {
		case "shot":
			if id == s.ID && changedView(first[k], s) {
				say("", "its own camera, move or light was changed")
			}
		case "placement":
			if text := w.moved(views, places[id], first[k]); text != "" {
				say(id, text)
			}
		case "element":
			e := w.element(id)
			if e != nil && !slices.Contains([]string{"layer", "group", "meant", "kept light", "limit", "material",
				"wear", "board"}, e.Kind) {
				say(id, e.Name+" was changed")
			}
		case "piece":
			for i := range w.PlacementRows {
				if p := &w.PlacementRows[i].Placement; p.Piece == id && w.inShot(views, p) {
					say(p.ID, p.Name+" was changed as a piece")
					break
				}
			}
		}
	}
	if len(entries) == maxSince {
		what = append(what, fmt.Sprintf("more than %d edits were made", maxSince))
	}
	return what, append([]string{}, ids...), nil
}

func (w *Snapshot) element(id string) *store.ElementRow {
	if i := slices.IndexFunc(w.ElementRows, func(e store.ElementRow) bool { return e.ID == id }); i >= 0 {
		return &w.ElementRows[i]
	}
	return nil
}

// changedView says whether what a shot keeps of camera and light is another than it was.
func changedView(before json.RawMessage, s *stage.Shot) bool {
	var was stage.Shot
	if json.Unmarshal(before, &was) != nil {
		return false
	}
	a, _ := json.Marshal(was.ShotSettings)
	b, _ := json.Marshal(s.ShotSettings)
	return string(a) != string(b)
}

// moved says what became of a placement that a shot's views see, or saw; "" nothing. now
// is nil when it is gone.
func (w *Snapshot) moved(views []optics.View, now *stage.Placement, before json.RawMessage) string {
	if now != nil && now.Hidden {
		now = nil
	}
	var was *stage.Placement
	if len(before) > 0 && string(before) != "null" {
		was = &stage.Placement{}
		if json.Unmarshal(before, was) != nil || was.Hidden {
			was = nil
		}
	}
	sawIt, seesIt := was != nil && w.inShot(views, was), now != nil && w.inShot(views, now)
	switch {
	case !sawIt && !seesIt:
		return ""
	case was == nil:
		return now.Name + " was added"
	case now == nil:
		return was.Name + " was taken away"
	case was.At != now.At:
		return fmt.Sprintf("%s was moved by %s", now.Name,
			unit.RulerOf(w.Production.Unit).Distance(now.At.Sub(was.At).Len()))
	case was.Yaw != now.Yaw || was.Pitch != now.Pitch || was.Roll != now.Roll:
		return now.Name + " was turned"
	case was.Scale != now.Scale || was.Size != now.Size:
		return now.Name + " was scaled"
	case was.Piece != now.Piece || was.Tint != now.Tint:
		return now.Name + " looks another way"
	}
	return ""
}

// glances are the views of a shot by which it is told what it sees: at its start, its
// middle and its end.
func (w *Snapshot) glances(s *stage.Shot) (views []optics.View) {
	cast := w.Cast(s.Move)
	if s.Move == nil {
		return []optics.View{s.At(0, cast.Where)}
	}
	for _, share := range []float64{0, 0.5, 1} {
		views = append(views, s.At(share*s.Move.Duration(), cast.Where))
	}
	return views
}

// inShot says whether a placement lies in one of the views of a shot.
func (w *Snapshot) inShot(views []optics.View, p *stage.Placement) bool {
	box := w.BoxOf(p)
	return slices.ContainsFunc(views, func(v optics.View) bool {
		span := v.SpanOf(box, p.World())
		return span.Seen && !span.Behind
	})
}
