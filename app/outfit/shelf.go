package outfit

import (
	"context"
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"strings"

	"visator/app/act"
	"visator/app/library"
	"visator/core/document"
	"visator/core/intake/credit"
	"visator/core/intake/maps"
	"visator/core/model"
	"visator/core/surface"
	"visator/store"
)

// Shelved is a material that is at hand in all productions.
type Shelved struct {
	ID         string           `json:"id"`
	Name       string           `json:"name"`
	Home       string           `json:"home"`       // the production that keeps it
	Production string           `json:"production"` // its name
	Material   surface.Material `json:"material"`
	Tags       []string         `json:"tags"`
	Marked     bool             `json:"marked"` // a favourite
	Credit     credit.Credit    `json:"credit"`
}

// Limits of the shelf of materials.
const (
	mostMaterials = 2000 // what one production keeps, and what is shown of all: nobody scrolls further
	mostTags      = 30
	materialKind  = "material"
)

// Materials are those that all productions keep, favourites first.
func (a *Outfitter) Materials(ctx context.Context) ([]Shelved, error) {
	list, err := store.ShelfOfAll(ctx, a.Store.Pool, materialKind, mostMaterials)
	if err != nil {
		return nil, err
	}
	out := make([]Shelved, len(list))
	for i, s := range list {
		out[i] = Shelved{Material: surface.New()}
		if err := json.Unmarshal(s.Doc, &out[i]); err != nil {
			return nil, fmt.Errorf("material %s: %w", s.ID, err)
		}
		out[i].ID, out[i].Name, out[i].Home, out[i].Production = s.ID, s.Name, s.ProductionID, s.ProductionName
	}
	slices.SortStableFunc(out, func(x, y Shelved) int { return library.MarkedFirst(x.Marked, y.Marked) })
	return out, nil
}

// Shelve keeps a material at hand, in the production that is its home; one with an id takes the place of what has it.
func (a *Outfitter) Shelve(ctx context.Context, in *Shelved) (err error) {
	if in.Name, err = library.ShelfName(materialKind, in.Name); err != nil {
		return err
	}
	if err := in.Material.Check(); err != nil {
		return act.Wrong("%v.", err)
	}
	if err := in.Credit.Check(); err != nil {
		return act.Wrong("%v.", err)
	}
	if in.Tags = tags(in.Tags); len(in.Tags) > mostTags {
		return act.Wrong("A material has at most %d tags.", mostTags)
	}
	doc, err := json.Marshal(in)
	if err != nil {
		return err
	}
	s := store.Shelved{ID: in.ID, Kind: materialKind, Name: in.Name, Doc: doc}
	err = a.KeepAtHand(ctx, in.Home, &s, mostMaterials)
	in.ID = s.ID
	return err
}

// tags are as they are kept: lower case, each once, without what is none.
func tags(list []string) []string {
	out := []string{}
	for _, t := range list {
		t = strings.ToLower(strings.TrimSpace(t))
		if t != "" && len(t) <= document.MaxName && !slices.Contains(out, t) {
			out = append(out, t)
		}
	}
	return out
}

// Handed is a picture that was handed in.
type Handed struct {
	Blob string `json:"blob"`
	Name string `json:"name"` // its file, with the folders that it lies in
}

// mostHanded is how many maps one folder of materials holds: those of a hundred materials.
const mostHanded = 1000

// Gather makes materials of a folder of maps, goes by their names, and keeps them on the shelf of a production. It
// returns what was made, and what was left and why.
func (a *Outfitter) Gather(ctx context.Context, production string, files []Handed) (made []Shelved, notes []string,
	err error) {
	if len(files) > mostHanded {
		return nil, nil, act.Wrong("These are %d files: hand in at most %d at a time.", len(files), mostHanded)
	}
	blobs, names := map[string]string{}, []string{}
	for _, f := range files {
		blobs[f.Name] = f.Blob
		names = append(names, f.Name)
	}
	folders := surface.Gather(names)
	if len(folders) == 0 {
		return nil, nil, act.Wrong("None of these files says by its name what it is a map of: " +
			"name them as in brick_color.png, brick_normal.png, brick_roughness.png.")
	}
	notes = []string{}
	for _, g := range folders {
		m, err := a.gathered(ctx, &g, blobs)
		if err != nil {
			return nil, nil, err
		}
		made = append(made, Shelved{Name: g.Name, Home: production, Material: *m, Tags: strings.Fields(g.Name)})
		for _, f := range g.Left {
			notes = append(notes, fmt.Sprintf("%s says nothing that a material has here: it was left.", f))
		}
	}
	for i := range made {
		if err := a.Shelve(ctx, &made[i]); err != nil {
			return made[:i], notes, err
		}
	}
	return made, notes, nil
}

// gathered is the material of a set of maps. How large its pattern is no file says: a metre.
func (a *Outfitter) gathered(ctx context.Context, g *surface.Gathered, blobs map[string]string) (*surface.Material,
	error) {
	m := surface.New()
	m.Tile, m.Maps = 1, map[string]surface.Map{}
	for _, t := range g.Takes {
		blob := blobs[t.File]
		data, err := a.Store.ReadBlob(ctx, blob)
		if err != nil {
			return nil, act.NotThere(err, "The picture "+t.File)
		}
		pic, err := model.DecodePicture(data, t.File)
		if err != nil {
			return nil, act.Wrong("%v.", err)
		}
		if t.Flip || t.Channel > 0 {
			pic = maps.Altered(pic, t.Channel, t.Invert, t.Flip)
			if blob, err = a.PutPicture(ctx, pic); err != nil {
				return nil, err
			}
		}
		m.Maps[t.Role] = surface.Map{Blob: blob, Name: clipped(path.Base(t.File))}
		switch t.Role { // values that maps are multiplied with
		case "base":
			m.Base = "#ffffff"
		case "roughness":
			m.Rough = 1
		case "metal":
			m.Metal = 1
		case "clear":
			m.Clear = 1
		case "glow":
			m.Glow = gatheredGlow
		case "opacity":
			m.Alpha = surface.Alphas[1]
		}
	}
	return &m, nil
}

// gatheredGlow is how bright the whitest of a map of glow is, in cd/m²: a lit screen (common practice).
const gatheredGlow = 300
