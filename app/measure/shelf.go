package measure

import (
	"context"
	"maps"
	"slices"
	"sync"

	"visator/store"
)

// Shelf is what a production has of pieces, as it was read: it is shared, and not to be changed.
type Shelf struct {
	Pieces  []store.Piece
	Looks   []store.LookLevels
	library *Library
	stamp   string
}

// shelves are those of the productions that were read last: a production of a thousand pieces is asked for with every
// edit, and seldom changes.
type shelves struct {
	mu   sync.Mutex
	kept map[string]*Shelf // by production
}

// maxShelves bounds how many are kept: one of a thousand pieces takes some megabytes.
const maxShelves = 16

// shelf is what a production has as it is now; stamp is its name.
func (a *Sets) shelf(ctx context.Context, q store.Querier, production, stamp string) (*Shelf, error) {
	s := &a.shelves
	s.mu.Lock()
	k := s.kept[production]
	s.mu.Unlock()
	if k != nil && k.stamp == stamp {
		return k, nil
	}
	k = &Shelf{stamp: stamp}
	var err error
	if k.Pieces, err = store.Pieces(ctx, q, production); err != nil {
		return nil, err
	}
	if k.Looks, err = store.Looks(ctx, q, production); err != nil {
		return nil, err
	}
	if k.library, err = a.NewLibrary(k.Pieces, k.Looks); err != nil {
		return nil, err
	}
	// Outside of a view that stands still another may have changed it meanwhile: then it is not kept.
	if now, err := store.StampsOf(ctx, q, production); err != nil || now.Pieces != stamp {
		return k, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.kept == nil {
		s.kept = map[string]*Shelf{}
	}
	if len(s.kept) >= maxShelves && s.kept[production] == nil {
		delete(s.kept, slices.Collect(maps.Keys(s.kept))[0]) // any: it is read again
	}
	s.kept[production] = k
	return k, nil
}
