package measure

import (
	"cmp"
	"context"
	"slices"

	"visator/app/cache"
	"visator/store"
)

// placed are the placements of sets as they were read last, so that reading them again
// costs what was changed since.
var placed = cache.Of("placements", func(k keptRows) int { return placementBytes * len(k.rows) })

// placementBytes is what a placement takes, about, with its name and ids.
const placementBytes = 600

// keptRows are all placements of a set, also those of what lies in the bin, in the order of
// the manifest. They are never changed.
type keptRows struct {
	newest int64 // of their revisions
	rows   []store.PlacementRow
}

// readPlaced reads the placements of a set; what they are at revision of its production is kept:
// what an edit wrote that is not over yet is newer, and is not. The rows are the caller's own.
func readPlaced(ctx context.Context, q store.Querier, set string, revision int64) ([]store.PlacementRow, error) {
	newest, n, err := store.NewestPlacement(ctx, q, set)
	if err != nil {
		return nil, err
	}
	had, ok := placed.Get(set)
	var rows []store.PlacementRow
	switch {
	case ok && had.newest == newest:
		rows = had.rows
	case ok && had.newest < newest:
		changed, err := store.PlacementsSince(ctx, q, set, had.newest)
		if err != nil {
			return nil, err
		}
		rows = had.with(changed)
	}
	// What was taken away leaves no trace but the number: then they are read anew.
	if len(rows) != n || rows == nil {
		if rows, err = store.PlacementsSince(ctx, q, set, -1); err != nil {
			return nil, err
		}
	}
	if newest <= revision && (!ok || newest >= had.newest) {
		placed.Put(set, keptRows{newest, rows})
	}
	hidden, err := store.PiecesInBin(ctx, q, set)
	if err != nil {
		return nil, err
	}
	out := make([]store.PlacementRow, 0, len(rows))
	for i := range rows {
		if r := &rows[i]; r.Piece == "" || !slices.Contains(hidden, r.Piece) {
			out = append(out, *r)
		}
	}
	return out, nil
}

// with is the rows with some that were changed or are new.
func (k *keptRows) with(changed []store.PlacementRow) []store.PlacementRow {
	by := make(map[string]*store.PlacementRow, len(changed))
	for i := range changed {
		by[changed[i].ID] = &changed[i]
	}
	rows := make([]store.PlacementRow, 0, len(k.rows)+len(changed))
	for i := range k.rows {
		r := &k.rows[i]
		if c := by[r.ID]; c != nil {
			r = c
			delete(by, c.ID)
		}
		rows = append(rows, *r)
	}
	for i := range changed {
		if by[changed[i].ID] != nil {
			rows = append(rows, changed[i])
		}
	}
	slices.SortStableFunc(rows, func(a, b store.PlacementRow) int {
		return cmp.Or(cmp.Compare(a.Order, b.Order), cmp.Compare(a.ID, b.ID))
	})
	return rows
}
