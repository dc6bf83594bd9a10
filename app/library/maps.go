package library

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"path"
	"slices"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/intake/maps"
	"visator/core/intake/recipe"
	"visator/core/model"
	"visator/store"
)

// keepPicture keeps a picture out of an arrival by its content, in a format
// that models carry.
func (a *Library) keepPicture(ctx context.Context, o *opened, file string) (blob string, data []byte, err error) {
	raw, err := model.Folder{Root: o}.Read(file)
	if err != nil {
		return "", nil, err
	}
	if data, _, err = model.AdoptPicture(raw, file); err != nil {
		return "", nil, err
	}
	blob, _, err = a.Store.PutBlob(ctx, bytes.NewReader(data), 0)
	return blob, data, err
}

// fill looks among the files of an arrival for the pictures that a piece
// needs and sets them in its recipe. It returns how many were set, and what
// is wrong with those that were found and could not be used.
func (a *Library) fill(ctx context.Context, o *opened, inv *recipe.Inventory, rec *recipe.Recipe) (set int,
	bad []string, err error) {
	for _, m := range maps.Find(rec.Needs(inv), o.Files(), len(inv.Surfaces)) {
		if err := ctx.Err(); err != nil {
			return set, bad, err
		}
		blob, data, err := a.keepPicture(ctx, o, m.File)
		if err != nil {
			bad = append(bad, err.Error())
			continue
		}
		rec.Set(inv.Surfaces[m.Need.Surface].Key, m.Need.Role, recipe.Choose(m, blob, data))
		set++
	}
	return set, bad, nil
}

// ownMaps fills the slots of a model that has just arrived from what came with
// it.
func (r *reading) ownMaps(ctx context.Context, m *model.Model, inv *recipe.Inventory, rec *recipe.Recipe) error {
	_, bad, err := r.a.fill(ctx, r.o, inv, rec)
	for _, b := range bad {
		m.Warn("%s", b)
	}
	return err
}

// MapsFound is what a search for maps gave.
type MapsFound struct {
	Piece string   `json:"piece"`
	Set   int      `json:"set"`
	Lacks int      `json:"lacks"` // slots that still name a picture that is not there
	Bad   []string `json:"bad"`   // pictures that were found and could not be used
}

// FindMaps takes every map that a piece needs and that an arrival has, across
// all surfaces, as one edit. An empty piece stands for all pieces of the
// production that lack a map.
func (a *Library) FindMaps(ctx context.Context, piece, arrival string) ([]MapsFound, error) {
	o, err := a.OpenArrival(ctx, arrival)
	if err != nil {
		return nil, err
	}
	defer o.Close()
	list, err := store.Pieces(ctx, a.Store.Pool, o.from.ProductionID)
	if err != nil {
		return nil, err
	}
	if piece != "" && !slices.ContainsFunc(list, func(p store.Piece) bool { return p.ID == piece }) {
		return nil, act.NotThere(store.ErrNotFound, "The piece")
	}
	out := []MapsFound{}
	for i := range list {
		if piece != "" && list[i].ID != piece {
			continue
		}
		f, err := a.findFor(ctx, o, list[i].ID, piece == "")
		if err != nil {
			return nil, err
		}
		if f != nil {
			out = append(out, *f)
		}
	}
	return out, nil
}

func (a *Library) findFor(ctx context.Context, o *opened, id string, onlyLacking bool) (*MapsFound, error) {
	raw, err := store.Inventory(ctx, a.Store.Pool, id)
	if err != nil {
		return nil, err
	}
	p, err := store.GetPiece(ctx, a.Store.Pool, id)
	if err != nil {
		return nil, err
	}
	var inv recipe.Inventory
	var rec recipe.Recipe
	if err := cmp.Or(json.Unmarshal(raw, &inv), json.Unmarshal(p.Recipe, &rec)); err != nil {
		return nil, err
	}
	if onlyLacking && rec.Lacks(&inv) == 0 {
		return nil, nil
	}
	set, bad, err := a.fill(ctx, o, &inv, &rec)
	if err != nil {
		return nil, err
	}
	f := &MapsFound{Piece: id, Set: set, Lacks: rec.Lacks(&inv), Bad: append([]string{}, bad...)}
	if set == 0 {
		return f, nil
	}
	return f, a.EditPiece(ctx, o.from.ProductionID, id, func(e *desk.Editor, pe *desk.PieceEdit) error {
		// Choices that came in between stay.
		for surface, slots := range rec.Maps {
			for role, c := range slots {
				if _, ok := pe.Recipe.Maps[surface][role]; !ok {
					pe.Recipe.Set(surface, role, c)
				}
			}
		}
		e.Say("take %d maps for %s from %s", set, pe.Name, o.from.Name)
		return nil
	})
}

// AssignMap puts a picture out of an arrival into a slot of a surface, by
// hand. An empty file leaves the slot empty.
func (a *Library) AssignMap(ctx context.Context, piece, surface string, role maps.Role, arrival, file string,
	channel int) error {
	if _, ok := recipe.Slots[role]; !ok {
		return act.Wrong("%q is not a slot of a surface.", role)
	}
	p, err := store.GetPiece(ctx, a.Store.Pool, piece)
	if err != nil {
		return act.NotThere(err, "The piece")
	}
	c := recipe.Choice{Name: file, How: "by hand", Channel: channel}
	if file != "" {
		if arrival == "" {
			arrival = p.ArrivalID
		}
		o, err := a.OpenArrival(ctx, arrival)
		if err != nil {
			return err
		}
		defer o.Close()
		if o.from.ProductionID != p.ProductionID {
			return act.NotThere(store.ErrNotFound, "The arrival")
		}
		blob, data, err := a.keepPicture(ctx, o, file)
		if err != nil {
			return act.Wrong("%v", err)
		}
		match := maps.Match{Need: maps.Need{Role: role}, File: file, How: "by hand", Channel: channel}
		named := maps.Parse(file)
		match.Gloss = role == maps.Roughness &&
			(named.Role == maps.Gloss || channel > 0 && named.Channels[channel-1] == maps.Gloss)
		c = recipe.Choose(match, blob, data)
	}
	return a.EditPiece(ctx, p.ProductionID, piece, func(e *desk.Editor, pe *desk.PieceEdit) error {
		pe.Recipe.Set(surface, role, c)
		if file == "" {
			e.Say("leave %s of %s empty", role, pe.Name)
		} else {
			e.Say("%s of %s is %s", role, pe.Name, path.Base(file))
		}
		return nil
	})
}

// Tray are the pictures of an arrival, for assigning by hand.
func (a *Library) Tray(ctx context.Context, arrival string) ([]string, error) {
	o, err := a.OpenArrival(ctx, arrival)
	if err != nil {
		return nil, err
	}
	defer o.Close()
	return append([]string{}, maps.Pictures(o.Files())...), nil
}
