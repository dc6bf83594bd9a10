package edit

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"

	"visator/app/act"
	"visator/app/query"
	"visator/core/intake/recipe"
	"visator/core/sizing"
	"visator/store"
)

// TrueRepeat gives a surface of a piece its true repeat.
type TrueRepeat struct {
	ID         string  `json:"id"`
	Surface    string  `json:"surface"`
	Metres     float64 `json:"metres"`
	Was        float64 `json:"was"`        // metres that was measured on the picture as it is; 0: nothing was
	Everywhere bool    `json:"everywhere"` // on all pieces with a surface of that name
}

func (d *TrueRepeat) do(ctx context.Context, e *Editor) error {
	if !(d.Metres > 0) {
		return act.Wrong("A repeat must be more than nothing.")
	}
	pieces, err := store.Pieces(ctx, e.Tx, e.Set.ProductionID)
	if err != nil {
		return err
	}
	metres := d.Metres
	if d.Was > 0 { // measured on the picture of this piece
		now, err := e.repeatOf(ctx, pieces, d.ID, d.Surface)
		if err != nil {
			return err
		}
		metres *= now / d.Was
	}
	done := 0
	for i := range pieces {
		row := &pieces[i]
		if !d.Everywhere && row.ID != d.ID {
			continue
		}
		larger, err := e.enlarged(ctx, row, d.Surface, metres)
		if err != nil {
			return err
		}
		if len(larger) == 0 {
			continue
		}
		if err := e.Piece(ctx, row.ID, func(p *PieceEdit, _ *store.Piece) error {
			if p.Recipe.Repeat == nil {
				p.Recipe.Repeat = map[string]float64{}
			}
			maps.Copy(p.Recipe.Repeat, larger)
			return nil
		}); err != nil {
			return err
		}
		done++
	}
	if done == 0 {
		return act.Wrong("No piece has a surface %q with a picture whose size is known.", d.Surface)
	}
	e.Say("one repeat of %s is %s, on %d pieces", d.Surface, e.in.Distance(metres), done)
	return nil
}

// repeatOf is how many metres one repeat of the picture on a surface of a piece
// is as it is decided.
func (e *Editor) repeatOf(ctx context.Context, pieces []store.Piece, id, surface string) (float64, error) {
	for i := range pieces {
		if pieces[i].ID != id {
			continue
		}
		s, now, err := e.subject(ctx, &pieces[i])
		if err != nil {
			return 0, err
		}
		var rec recipe.Recipe
		if err := json.Unmarshal(pieces[i].Recipe, &rec); err != nil {
			return 0, fmt.Errorf("piece %s: %w", id, err)
		}
		for _, p := range query.PatternStates(e.in, s, now, &rec) {
			if p.Surface == surface {
				return p.Repeat, nil
			}
		}
	}
	return 0, act.Wrong("The piece has no surface %q with a picture whose size is known.", surface)
}

// enlarged is, by surface, how many times larger than they came the pictures on
// the surfaces of a name must be to repeat every so many metres.
func (e *Editor) enlarged(ctx context.Context, row *store.Piece, surface string,
	metres float64) (map[string]float64, error) {
	s, now, err := e.subject(ctx, row)
	if err != nil {
		return nil, err
	}
	out := map[string]float64{}
	for _, p := range s.Patterns {
		if p.Surface == surface {
			out[p.Key] = metres / (p.Repeat * now.Mean())
		}
	}
	return out, nil
}

// subject is what a piece's proposals go by, and its sizing.
func (e *Editor) subject(ctx context.Context, row *store.Piece) (*sizing.Subject, *sizing.Sizing, error) {
	raw, err := store.Subject(ctx, e.Tx, row.ID)
	if err != nil {
		return nil, nil, err
	}
	s, now := &sizing.Subject{}, &sizing.Sizing{}
	if err := cmp.Or(json.Unmarshal(raw, s), json.Unmarshal(row.Sizing, now)); err != nil {
		return nil, nil, fmt.Errorf("piece %s: %w", row.ID, err)
	}
	return s, now, nil
}
