package measure

import (
	"context"

	"visator/app/cache"
	"visator/core/geom"
	"visator/store"
)

// Shelf is what a production has of pieces, as it was read: it is shared, and not to be changed.
type Shelf struct {
	Pieces []store.Piece
	Looks  []store.LookLevels
	boxes  map[string]geom.Box
}

// shelves are those of productions by what names them: one of a thousand pieces is asked for with every edit, and
// seldom changes.
var shelves = cache.Of("shelves", func(s *Shelf) int { return 8000 * len(s.Pieces) })

// shelfOf is what a production has as it is now; stamp is its name.
func shelfOf(ctx context.Context, q store.Querier, production, stamp string) (*Shelf, error) {
	if s, ok := shelves.GetOf(production, stamp); ok {
		return s, nil
	}
	s := &Shelf{}
	var err error
	if s.Pieces, err = store.Pieces(ctx, q, production); err != nil {
		return nil, err
	}
	if s.Looks, err = store.Looks(ctx, q, production); err != nil {
		return nil, err
	}
	if s.boxes, err = PieceBoxes(s.Pieces); err != nil {
		return nil, err
	}
	// Outside of a view that stands still another may have changed it meanwhile: then it is not kept.
	now, err := store.StampsOf(ctx, q, production)
	if err == nil && now.Pieces == stamp {
		shelves.PutOf(production, stamp, s)
	}
	return s, err
}
