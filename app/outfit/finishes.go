package outfit

import (
	"context"
	"image"
	"slices"
	"sync"

	"visator/app/act"
	"visator/core/surface"
)

// finishes are what everybody has at hand.
var finishes = sync.OnceValue(surface.Finishes)

// Finishes are what everybody has at hand.
func (a *Outfitter) Finishes() []surface.Finish { return finishes() }

// Finish is the material of one of them, with its pictures, which are drawn and kept now.
func (a *Outfitter) Finish(ctx context.Context, id string) (*surface.Material, error) {
	list := finishes()
	i := slices.IndexFunc(list, func(f surface.Finish) bool { return f.ID == id })
	if i < 0 {
		return nil, act.Wrong("There is no finish %.60q.", id)
	}
	m := list[i].Material
	if !list[i].Painted() {
		return &m, nil
	}
	base, normal := list[i].Pictures()
	m.Maps = map[string]surface.Map{}
	for role, p := range map[string]*image.NRGBA{"base": base, "normal": normal} {
		hash, err := a.PutPicture(ctx, p)
		if err != nil {
			return nil, err
		}
		m.Maps[role] = surface.Map{Blob: hash, Name: list[i].ID + " " + role + ".png"}
	}
	return &m, nil
}
