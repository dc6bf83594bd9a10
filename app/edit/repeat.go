package edit

import (
	"context"
	"maps"

	"visator/app/act"
	"visator/app/desk"
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

func (d *TrueRepeat) Do(ctx context.Context, e *desk.Editor) error {
	if !(d.Metres > 0) {
		return act.Wrong("A repeat must be more than nothing.")
	}
	pieces, err := store.Pieces(ctx, e.Tx, e.Set.ProductionID)
	if err != nil {
		return err
	}
	metres := d.Metres
	if d.Was > 0 { // measured on the picture of this piece
		now, err := e.RepeatOf(ctx, pieces, d.ID, d.Surface)
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
		larger, err := e.Enlarged(ctx, row, d.Surface, metres)
		if err != nil {
			return err
		}
		if len(larger) == 0 {
			continue
		}
		if err := e.Piece(ctx, row.ID, func(p *desk.PieceEdit, _ *store.Piece) error {
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
	e.Say("one repeat of %s is %s, on %d pieces", d.Surface, e.Ruler.Distance(metres), done)
	return nil
}
