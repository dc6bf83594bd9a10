package query

import (
	"cmp"
	"context"
	"slices"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/geom"
	"visator/core/stage"
	"visator/store"
)

// Fit is how a piece would stand in a stand-in's place.
type Fit struct {
	ID    string  `json:"id"`
	Name  string  `json:"name"`
	Fit   float64 `json:"fit"`   // what both boxes share, of what they fill together, 0..1
	Scale float64 `json:"scale"` // of the piece
	Size  geom.V  `json:"size"`  // metres that it would be
}

// Fits tells how a piece would fit in the place of stand-ins, at its true size or, to fill,
// scaled in proportion: the worst first.
func (a *Pages) Fits(ctx context.Context, setID, piece string, ids []string, fill bool) ([]Fit, error) {
	if len(ids) == 0 || len(ids) > 5000 {
		return nil, act.Wrong("Select 1 to 5000 stand-ins.")
	}
	if err := act.Named(append([]string{piece}, ids...)...); err != nil {
		return nil, err
	}
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, act.NotThere(err, "The set")
	}
	p, err := store.GetPiece(ctx, a.Store.Pool, piece)
	if err != nil || p.Gone || p.ProductionID != set.ProductionID {
		return nil, act.NotThere(store.ErrNotFound, "The piece")
	}
	facts, s, err := measure.PieceFacts(&p)
	if err != nil {
		return nil, err
	}
	box := facts.Box().Apply(s.Transform(facts.Box()))
	rows, err := store.PlacementsOf(ctx, a.Store.Pool, setID, ids)
	if err != nil {
		return nil, err
	}
	out := make([]Fit, 0, len(rows))
	for i := range rows {
		r := &rows[i].Placement
		if r.Piece != "" {
			continue
		}
		_, scale, fit := stage.BestFit(r.Size.Times(r.Scale), box.Size(), fill)
		out = append(out, Fit{r.ID, r.Name, fit, scale.X, box.Size().Times(scale)})
	}
	slices.SortFunc(out, func(x, y Fit) int { return cmp.Or(cmp.Compare(x.Fit, y.Fit), cmp.Compare(x.ID, y.ID)) })
	return out, nil
}
