package library

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"visator/core/intake"
	"visator/core/intake/credit"
	"visator/core/intake/parts"
	"visator/core/intake/recipe"
	"visator/store"
)

// Shares of a piece's surface that a newer version must have in the same shape to be
// proposed as one: most of it, or a good part of it with the same author. A judgement:
// a redone model keeps most of its parts, and a namesake from elsewhere none.
const (
	enoughShared       = 0.5
	enoughByTheirMaker = 0.2
)

// hasNamesake reports whether a piece that came otherwise has a model's name.
func (r *reading) hasNamesake(pieces []store.Piece, path string) bool {
	return slices.ContainsFunc(pieces, func(p store.Piece) bool {
		return p.ArrivalID != r.ar.ID && intake.SameModel(p.Source, path)
	})
}

// newer says of which pieces the models may be newer versions: each of at most one
// piece, and each piece of at most one model, the one for which most speaks.
func (r *reading) newer(ctx context.Context, pieces []store.Piece, found []Found, author string) error {
	type match struct {
		found, piece int
		shared       float64
		maker        bool
	}
	var list []match
	for k := range pieces {
		p := &pieces[k]
		if p.ArrivalID == r.ar.ID {
			continue
		}
		var old []parts.Part
		for i := range found {
			if !intake.SameModel(p.Source, found[i].Path) {
				continue
			}
			if old == nil {
				raw, err := store.Inventory(ctx, r.a.Store.Pool, p.ID)
				if err != nil {
					return err
				}
				var inv recipe.Inventory
				if err := json.Unmarshal(raw, &inv); err != nil {
					return err
				}
				old = inv.Parts
			}
			var c credit.Credit
			if err := json.Unmarshal(p.Credit, &c); err != nil {
				return err
			}
			m := match{found: i, piece: k, maker: author != "" && strings.EqualFold(author, c.Author)}
			m.shared = parts.Shared(old, found[i].parts)
			list = append(list, m)
		}
	}
	slices.SortStableFunc(list, func(a, b match) int {
		return cmp.Or(cmp.Compare(b.shared, a.shared), -compareBool(a.maker, b.maker),
			-compareBool(found[a.found].Proposed, found[b.found].Proposed), cmp.Compare(a.found, b.found))
	})
	renewed := map[int]bool{}
	for _, m := range list {
		f := &found[m.found]
		if f.Renews != "" || renewed[m.piece] {
			continue
		}
		renewed[m.piece] = true
		f.Renews = pieces[m.piece].ID
		f.Sure = m.shared >= enoughShared || m.maker && m.shared >= enoughByTheirMaker
		why := []string{"the same name"}
		switch {
		case len(f.parts) == 0:
			why = append(why, "it was not read to compare its shape")
		case m.shared == 0:
			why = append(why, "no part has the same shape")
		default:
			why = append(why, fmt.Sprintf("%.0f %% of its surface has the same shape", 100*m.shared))
		}
		if m.maker {
			why = append(why, "the same author")
		}
		f.RenewsWhy = strings.Join(why, ", ")
	}
	return nil
}

// compareBool orders false before true.
func compareBool(a, b bool) int {
	n := map[bool]int{true: 1}
	return n[a] - n[b]
}
