package shoot

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"slices"

	"visator/app/act"
	"visator/core/intake/credit"
	"visator/store"
)

// creditLines are the pieces that stand in a set, with their credits.
func (a *Studio) creditLines(ctx context.Context, set *store.Set) ([]credit.Line, error) {
	w, err := a.LaidOut(ctx, set.ID)
	if err != nil {
		return nil, err
	}
	copies := map[string]int{}
	for t := range w.Seen {
		if t.Piece() != "" {
			copies[t.Piece()]++
		}
		if t.Laid != nil {
			for _, c := range t.Laid.Counts {
				copies[c.Piece] += c.N
			}
		}
	}
	var out []credit.Line
	for id, n := range copies {
		p, err := store.GetPiece(ctx, a.Store.Pool, id)
		if err != nil {
			return nil, err
		}
		l := credit.Line{Piece: p.Name, Copies: n}
		if err := json.Unmarshal(p.Credit, &l.Credit); err != nil {
			return nil, err
		}
		out = append(out, l)
	}
	slices.SortFunc(out, func(x, y credit.Line) int { return cmp.Compare(x.Piece, y.Piece) })
	return out, nil
}

// Credits is the list of credits and costs of what stands in a set, as "txt"
// or "csv".
func (a *Studio) Credits(ctx context.Context, setID, kind string) ([]byte, error) {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, act.NotThere(err, "The set")
	}
	lines, err := a.creditLines(ctx, &set)
	if err != nil {
		return nil, err
	}
	var buf bytes.Buffer
	if kind == "csv" {
		err = credit.WriteCSV(&buf, lines)
	} else {
		err = credit.WriteText(&buf, set.Name, lines)
	}
	return buf.Bytes(), err
}
