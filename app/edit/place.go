package edit

import (
	"context"
	"encoding/json"
	"slices"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/geom"
	"visator/core/stage"
	"visator/store"
)

// placing is of placements.
var placing = family{
	"place": of[Place], "change placement": of[ChangePlacement], "copy": of[Copy], "delete": of[Delete],
}

// Place puts a piece or a stand-in into the set.
type Place struct {
	Piece   string          `json:"piece"`
	StandIn string          `json:"standIn"` // instead of a piece
	Name    string          `json:"name"`
	At      geom.V          `json:"at"`
	Rest    bool            `json:"rest"`  // it comes to rest on what is beneath
	Here    bool            `json:"here"`  // its height was pointed at
	Patch   json.RawMessage `json:"patch"` // more of the placement
}

// Feels says that it is put down onto what is beneath it.
func (d *Place) Feels() bool { return d.Rest }

func (d *Place) Do(ctx context.Context, e *desk.Editor) error {
	list, err := e.Placements(ctx)
	if err != nil {
		return err
	}
	p := stage.Placement{StandIn: d.StandIn, Piece: d.Piece, Name: d.Name, At: d.At, Scale: geom.V{X: 1, Y: 1, Z: 1}}
	if d.StandIn != "" {
		p.Size, p.Piece = stage.StandIns[d.StandIn], ""
		if p.Name == "" {
			p.Name = d.StandIn
		}
	} else {
		piece, err := store.GetPiece(ctx, e.Tx, d.Piece)
		if err != nil || piece.Gone || piece.ProductionID != e.Set.ProductionID {
			return act.NotThere(store.ErrNotFound, "The piece")
		}
		if p.Name == "" {
			p.Name = piece.Name
		}
	}
	p.Name = stage.NextName(p.Name, e.Taken)
	p.ID = store.NewID()
	p.Order = lastly(list)
	if len(d.Patch) > 0 {
		own := p
		if err := stage.Patch(&p, d.Patch); err != nil {
			return act.Wrong("%v", err)
		}
		p.ID, p.Piece, p.StandIn = own.ID, own.Piece, own.StandIn // these are not told
		p.Order = min(p.Order, lastly(list))
	}
	if err := p.Check(); err != nil {
		return act.Wrong("%v", err)
	}
	if d.Rest {
		if err := e.RestAt(ctx, &p, d.Here); err != nil {
			return err
		}
	}
	e.Say("place %s", p.Name)
	return e.Add(ctx, p)
}

// lastly is the order behind all placements.
func lastly(list []store.PlacementRow) int {
	return desk.After(list, func(r *store.PlacementRow) int { return r.Order })
}

// ChangePlacement changes fields of a placement.
type ChangePlacement struct {
	ID    string          `json:"id"`
	Patch json.RawMessage `json:"patch"`
}

func (d *ChangePlacement) Do(ctx context.Context, e *desk.Editor) error {
	row, err := e.Placement(ctx, d.ID)
	if err != nil {
		return err
	}
	before := row.Placement
	if err := stage.Patch(&row.Placement, d.Patch); err != nil {
		return act.Wrong("%s: %v", before.Name, err)
	}
	row.ID, row.Piece, row.StandIn = before.ID, before.Piece, before.StandIn
	if row.Order != before.Order {
		last, err := store.LastOrder(ctx, e.Tx, e.Set.ID)
		if err != nil {
			row.Placement = before
			return err
		}
		row.Order = min(row.Order, stage.Next(last))
	}
	moved := row.At != before.At || row.Yaw != before.Yaw || row.Pitch != before.Pitch || row.Roll != before.Roll ||
		row.Scale != before.Scale
	if (before.Locked && row.Locked || e.LockedLayer(ctx, row.Layer)) && moved {
		row.Placement = before
		return act.Wrong("%s is locked; unlock it first", before.Name)
	}
	switch {
	case row.Name != before.Name:
		e.Say("rename %s to %s", before.Name, row.Name)
	case row.Hidden != before.Hidden:
		e.Say("%s %s", map[bool]string{true: "hide", false: "show"}[row.Hidden], row.Name)
	case row.Locked != before.Locked:
		e.Say("%s %s", map[bool]string{true: "lock", false: "unlock"}[row.Locked], row.Name)
	case row.At != before.At:
		e.Say("move %s", row.Name)
	case row.Scale != before.Scale:
		e.Say("scale %s", row.Name)
	default:
		e.Say("turn %s", row.Name)
	}
	return e.PutPlacement(ctx, row, before)
}

// Delete takes placements and elements out of the set.
type Delete struct {
	IDs []string `json:"ids"`
}

func (d *Delete) Do(ctx context.Context, e *desk.Editor) error {
	if _, err := e.Elements(ctx); err != nil {
		return err
	}
	for _, id := range d.IDs {
		i := slices.IndexFunc(e.Elems, func(r store.ElementRow) bool { return r.ID == id })
		if i < 0 {
			if err := e.Drop(ctx, id); err != nil {
				return err
			}
			continue
		}
		if err := e.Stale(e.Elems[i].Rev, e.Elems[i].Name); err != nil {
			return err
		}
		if err := e.DropElement(ctx, &e.Elems[i]); err != nil {
			return err
		}
	}
	return nil
}
