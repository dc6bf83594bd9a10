package desk

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/measure"
	"visator/app/query"
	"visator/core/geom"
	"visator/core/intake/credit"
	"visator/core/intake/recipe"
	"visator/core/sizing"
	"visator/store"
)

// PieceEdit is what of a piece can be edited.
type PieceEdit struct {
	Name      string          `json:"name"`
	Sizing    sizing.Sizing   `json:"sizing"`
	Gone      bool            `json:"gone"`
	Recipe    recipe.Recipe   `json:"recipe"`
	Credit    credit.Credit   `json:"credit"`
	Tags      []string        `json:"tags"`
	Favourite bool            `json:"favourite"`
	Arrival   string          `json:"arrival"`
	Source    string          `json:"source"`
	News      *recipe.Carried `json:"news"`
}

// Check says what is impossible.
func (p *PieceEdit) Check() error {
	if len(p.Name) == 0 || len(p.Name) > 200 {
		return fmt.Errorf("a name has 1 to 200 characters")
	}
	if len(p.Tags) > 100 {
		return fmt.Errorf("a piece has 100 tags at most")
	}
	for _, t := range p.Tags {
		if t == "" || len(t) > 60 {
			return fmt.Errorf("a tag has 1 to 60 characters")
		}
	}
	return cmp.Or(p.Sizing.Check(), p.Recipe.Check(), p.Credit.Check())
}

// EditOf reads what of a piece can be edited.
func EditOf(row *store.Piece) (p PieceEdit, err error) {
	p = PieceEdit{Name: row.Name, Gone: row.Gone, Favourite: row.Favourite, Arrival: row.ArrivalID, Source: row.Source}
	err = cmp.Or(json.Unmarshal(row.Sizing, &p.Sizing), json.Unmarshal(row.Recipe, &p.Recipe),
		json.Unmarshal(row.Credit, &p.Credit), json.Unmarshal(row.Tags, &p.Tags))
	if err == nil && len(row.News) > 0 {
		err = json.Unmarshal(row.News, &p.News)
	}
	if err != nil {
		err = fmt.Errorf("piece %s: %w", row.ID, err)
	}
	return p, err
}

// Stay keeps the placements of a piece where they stand. When only its pivot
// changes nothing moves by that; when its size does and its pivot is where its
// file has it, the middle of its base stays. Other pivots are points that were
// chosen to stay.
func (e *Editor) Stay(ctx context.Context, row *store.Piece, before, after *sizing.Sizing) error {
	facts, _, err := measure.PieceFacts(row)
	if err != nil {
		return err
	}
	var back geom.V
	switch same := before.Scale() == after.Scale() && before.Up == after.Up; {
	case same && (before.Turn != after.Turn || before.Sunk != after.Sunk): // these are to be seen
	case same:
		old, now := before.Transform(facts.Box()), after.Transform(facts.Box())
		back = geom.V{X: old[12] - now[12], Y: old[13] - now[13], Z: old[14] - now[14]}
	case before.Pivot == "" && after.Pivot == "":
		back = before.Foot(facts.Box()).Sub(after.Foot(facts.Box()))
	}
	if back.Len() < 1e-12 {
		return nil
	}
	list, err := e.Placements(ctx)
	if err != nil {
		return err
	}
	for i := range list {
		if list[i].Piece != row.ID {
			continue
		}
		before := list[i].Placement
		world := before.World()
		list[i].At = world.Point(back)
		if err := e.PutPlacement(ctx, &list[i], before); err != nil {
			return err
		}
	}
	others, sets, err := store.Elsewhere(ctx, e.Tx, row.ID, e.Set.ID)
	if err != nil {
		return err
	}
	for i := range others {
		before := others[i].Placement
		world := before.World()
		others[i].At = world.Point(back)
		if err := store.PutPlacement(ctx, e.Tx, sets[i], others[i].Placement, e.Rev); err != nil {
			return err
		}
		if err := e.Note("placement", before.ID, before, others[i].Placement); err != nil {
			return err
		}
	}
	return nil
}

// LengthOf is the width, height or depth of a placement, in metres.
func (e *Editor) LengthOf(ctx context.Context, placement, of string) (float64, error) {
	row, err := e.Placement(ctx, placement)
	if err != nil {
		return 0, err
	}
	boxes, err := e.boxes(ctx)
	if err != nil {
		return 0, err
	}
	axis, err := sizing.AxisOf(of)
	if err != nil {
		return 0, err
	}
	box := row.Box(e.a.Boxed(boxes).Box)
	return box.Size().Times(row.Scale).At(axis), nil
}

// SaySize says whose size an edit changes, and how many placements with it.
func (e *Editor) SaySize(ctx context.Context, id, name string) error {
	if e.sized++; e.sized > 1 {
		e.Label = fmt.Sprintf("size %d pieces", e.sized)
		return nil
	}
	n, sets, err := store.CountPlacements(ctx, e.Tx, id)
	switch {
	case n == 1:
		e.Say("size %s, 1 placement changes", name)
	case sets > 1:
		e.Say("size %s, %d placements in %d sets change", name, n, sets)
	case n > 1:
		e.Say("size %s, %d placements change", name, n)
	default:
		e.Say("size %s", name)
	}
	return err
}

// Piece changes what of a piece can be edited, by do, which gets a copy of it.
func (e *Editor) Piece(ctx context.Context, id string, do func(p *PieceEdit, row *store.Piece) error) error {
	row, err := store.GetPiece(ctx, e.Tx, id)
	if err != nil || row.ProductionID != e.Set.ProductionID {
		return act.NotThere(store.ErrNotFound, "The piece")
	}
	if err := e.Stale(row.Rev, row.Name); err != nil {
		return err
	}
	before, err := EditOf(&row)
	if err != nil {
		return err
	}
	after, err := EditOf(&row) // its own copy of everything
	if err != nil {
		return err
	}
	if err := do(&after, &row); err != nil {
		return act.Wrong("%s: %v", row.Name, err)
	}
	if err := after.Check(); err != nil {
		return act.Wrong("%s: %v", row.Name, err)
	}
	if err := e.storePiece(ctx, id, &after); err != nil {
		return err
	}
	return e.Note("piece", id, before, after)
}

func (e *Editor) storePiece(ctx context.Context, id string, p *PieceEdit) error {
	row := store.Piece{ID: id, Name: p.Name, Gone: p.Gone, Favourite: p.Favourite, ArrivalID: p.Arrival,
		Source: p.Source}
	if p.Tags == nil {
		p.Tags = []string{}
	}
	var errs [5]error
	row.Sizing, errs[0] = json.Marshal(p.Sizing)
	row.Recipe, errs[1] = json.Marshal(&p.Recipe)
	row.Credit, errs[2] = json.Marshal(p.Credit)
	row.Tags, errs[3] = json.Marshal(p.Tags)
	if p.News != nil {
		row.News, errs[4] = json.Marshal(p.News)
	}
	if err := cmp.Or(errs[:]...); err != nil {
		return err
	}
	if err := store.PutPiece(ctx, e.Tx, &row, e.Rev); err != nil {
		return err
	}
	return e.a.Remake(ctx, e.Tx, &row)
}

// EditPiece edits one piece outside of a set's sheet.
func (a *Desk) EditPiece(ctx context.Context, production, id string, do func(e *Editor, pe *PieceEdit) error) error {
	return a.EditProduction(ctx, production, func(e *Editor) error {
		return e.Piece(ctx, id, func(pe *PieceEdit, _ *store.Piece) error { return do(e, pe) })
	})
}

// EditProduction edits what belongs to no set, logged and undoable as any
// edit.
func (a *Desk) EditProduction(ctx context.Context, production string, do func(e *Editor) error) error {
	return a.Locked(ctx, production, func(tx pgx.Tx, p store.Production) error {
		e := &Editor{a: a, Tx: tx, Rev: p.Revision + 1, seen: -1}
		e.Set.ProductionID = production
		if err := do(e); err != nil || len(e.changes) == 0 {
			return err
		}
		return e.record(ctx)
	})
}

// RepeatOf is how many metres one repeat of the picture on a surface of a piece
// is as it is decided.
func (e *Editor) RepeatOf(ctx context.Context, pieces []store.Piece, id, surface string) (float64, error) {
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
		for _, p := range query.PatternStates(e.Ruler, s, now, &rec) {
			if p.Surface == surface {
				return p.Repeat, nil
			}
		}
	}
	return 0, act.Wrong("The piece has no surface %q with a picture whose size is known.", surface)
}

// Enlarged is, by surface, how many times larger than they came the pictures on
// the surfaces of a name must be to repeat every so many metres.
func (e *Editor) Enlarged(ctx context.Context, row *store.Piece, surface string,
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
