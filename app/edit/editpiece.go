package edit

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/geom"
	"visator/core/intake/credit"
	"visator/core/intake/recipe"
	"visator/core/sizing"
	"visator/core/stage"
	"visator/store"
)

// sizes is of pieces, for all that place them.
var sizes = family{
	"change piece": of[ChangePiece], "true size": of[TrueSize], "true repeat": of[TrueRepeat], "pivot": of[Pivot],
	"recipe": of[Recipe],
}

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

// ChangePiece changes fields of a piece.
type ChangePiece struct {
	ID    string          `json:"id"`
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangePiece) do(ctx context.Context, e *Editor) error {
	return e.Piece(ctx, d.ID, func(p *PieceEdit, row *store.Piece) error {
		before := *p
		if err := stage.Patch(p, d.Patch); err != nil {
			return err
		}
		// These have commands of their own.
		p.Recipe, p.Arrival, p.Source, p.News = before.Recipe, before.Arrival, before.Source, before.News
		switch {
		case p.Gone != before.Gone:
			e.Say("%s %s", map[bool]string{true: "take out of the library:", false: "bring back"}[p.Gone], before.Name)
		case p.Name != before.Name:
			e.Say("rename %s to %s", before.Name, p.Name)
		case p.Credit != before.Credit:
			p.Credit.From = "by hand"
			e.Say("credit of %s", before.Name)
		case !slices.Equal(p.Tags, before.Tags):
			e.Say("tags of %s", before.Name)
		case p.Favourite != before.Favourite:
			e.Say("%s %s", map[bool]string{true: "mark", false: "unmark"}[p.Favourite], before.Name)
		case p.Sizing.Light != before.Sizing.Light:
			if p.Sizing.Light > 0 {
				e.Say("use a lighter version of %s", before.Name)
			} else {
				e.Say("use %s itself", before.Name)
			}
		case p.Sizing.Scale() == before.Sizing.Scale() && p.Sizing.Up == before.Sizing.Up &&
			p.Sizing.Decided == before.Sizing.Decided:
			e.Say("stand %s right", before.Name)
			return e.stay(ctx, row, &before.Sizing, &p.Sizing)
		default:
			return cmp.Or(e.saySize(ctx, d.ID, before.Name), e.stay(ctx, row, &before.Sizing, &p.Sizing))
		}
		return nil
	})
}

// stay keeps the placements of a piece where they stand. When only its pivot
// changes nothing moves by that; when its size does and its pivot is where its
// file has it, the middle of its base stays. Other pivots are points that were
// chosen to stay.
func (e *Editor) stay(ctx context.Context, row *store.Piece, before, after *sizing.Sizing) error {
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
		if err := e.putPlacement(ctx, &list[i], before); err != nil {
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
		if err := store.PutPlacement(ctx, e.Tx, sets[i], others[i].Placement, e.rev); err != nil {
			return err
		}
		if err := e.note("placement", before.ID, before, others[i].Placement); err != nil {
			return err
		}
	}
	return nil
}

// Pivot puts the pivot of a piece where the artist clicked.
type Pivot struct {
	ID string `json:"id"`
	At geom.V `json:"at"` // metres from where it is
}

func (d *Pivot) do(ctx context.Context, e *Editor) error {
	return e.Piece(ctx, d.ID, func(p *PieceEdit, row *store.Piece) error {
		facts, _, err := measure.PieceFacts(row)
		if err != nil {
			return err
		}
		before := p.Sizing
		if err := p.Sizing.SetPoint(facts.Box(), d.At); err != nil {
			return err
		}
		e.Say("pivot of %s", p.Name)
		return e.stay(ctx, row, &before, &p.Sizing)
	})
}

// TrueSize makes a piece as large as the real thing.
type TrueSize struct {
	ID string `json:"id"`
	// width, height or depth; distance: between two points of the piece; proportions: it gets those
	// back that it came with
	Of     string  `json:"of"`
	Metres float64 `json:"metres"`
	Was    float64 `json:"was"`    // metres that a distance measured before
	Alone  bool    `json:"alone"`  // the other dimensions stay, not the proportions
	Like   string  `json:"like"`   // a placement that is as long, instead of metres
	LikeOf string  `json:"likeOf"` // its width, height or depth
}

func (d *TrueSize) do(ctx context.Context, e *Editor) error {
	return e.Piece(ctx, d.ID, func(p *PieceEdit, row *store.Piece) error {
		facts, _, err := measure.PieceFacts(row)
		if err != nil {
			return err
		}
		metres, before := d.Metres, p.Sizing
		if d.Like != "" {
			if metres, err = e.lengthOf(ctx, d.Like, d.LikeOf); err != nil {
				return err
			}
		}
		p.Sizing.Decided = true
		switch d.Of {
		case "distance":
			err = p.Sizing.SetDistance(d.Was, metres)
		case "proportions":
			err = p.Sizing.Even()
		default:
			err = p.Sizing.SetTrue(facts.Box(), d.Of, metres, !d.Alone)
		}
		return cmp.Or(err, e.saySize(ctx, d.ID, p.Name), e.stay(ctx, row, &before, &p.Sizing))
	})
}

// lengthOf is the width, height or depth of a placement, in metres.
func (e *Editor) lengthOf(ctx context.Context, placement, of string) (float64, error) {
	row, err := e.placement(ctx, placement)
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

// saySize says whose size an edit changes, and how many placements with it.
func (e *Editor) saySize(ctx context.Context, id, name string) error {
	if e.sized++; e.sized > 1 {
		e.label = fmt.Sprintf("size %d pieces", e.sized)
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
	if err := e.stale(row.Rev, row.Name); err != nil {
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
	return e.note("piece", id, before, after)
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
	if err := store.PutPiece(ctx, e.Tx, &row, e.rev); err != nil {
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
		e := &Editor{a: a, Tx: tx, rev: p.Revision + 1, seen: -1}
		e.Set.ProductionID = production
		if err := do(e); err != nil || len(e.changes) == 0 {
			return err
		}
		return e.record(ctx)
	})
}
