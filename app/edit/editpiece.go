package edit

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"

	"visator/app/desk"
	"visator/app/measure"
	"visator/core/geom"
	"visator/core/stage"
	"visator/store"
)

// sizes is of pieces, for all that place them.
var sizes = family{
	"change piece": of[ChangePiece], "true size": of[TrueSize], "true repeat": of[TrueRepeat], "pivot": of[Pivot],
	"recipe": of[Recipe],
}

// ChangePiece changes fields of a piece.
type ChangePiece struct {
	ID    string          `json:"id"`
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangePiece) Do(ctx context.Context, e *desk.Editor) error {
	return e.Piece(ctx, d.ID, func(p *desk.PieceEdit, row *store.Piece) error {
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
			return e.Stay(ctx, row, &before.Sizing, &p.Sizing)
		default:
			return cmp.Or(e.SaySize(ctx, d.ID, before.Name), e.Stay(ctx, row, &before.Sizing, &p.Sizing))
		}
		return nil
	})
}

// Pivot puts the pivot of a piece where the artist clicked.
type Pivot struct {
	ID string `json:"id"`
	At geom.V `json:"at"` // metres from where it is
}

func (d *Pivot) Do(ctx context.Context, e *desk.Editor) error {
	return e.Piece(ctx, d.ID, func(p *desk.PieceEdit, row *store.Piece) error {
		facts, _, err := measure.PieceFacts(row)
		if err != nil {
			return err
		}
		before := p.Sizing
		if err := p.Sizing.SetPoint(facts.Box(), d.At); err != nil {
			return err
		}
		e.Say("pivot of %s", p.Name)
		return e.Stay(ctx, row, &before, &p.Sizing)
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

func (d *TrueSize) Do(ctx context.Context, e *desk.Editor) error {
	return e.Piece(ctx, d.ID, func(p *desk.PieceEdit, row *store.Piece) error {
		facts, _, err := measure.PieceFacts(row)
		if err != nil {
			return err
		}
		metres, before := d.Metres, p.Sizing
		if d.Like != "" {
			if metres, err = e.LengthOf(ctx, d.Like, d.LikeOf); err != nil {
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
		return cmp.Or(err, e.SaySize(ctx, d.ID, p.Name), e.Stay(ctx, row, &before, &p.Sizing))
	})
}
