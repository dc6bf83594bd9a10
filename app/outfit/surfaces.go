package outfit

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"visator/app/act"
	"visator/app/measure"
	"visator/app/shoot"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/sizing"
	"visator/core/surface"
	"visator/store"
)

// Made is what one surface of a thing is made of.
type Made struct {
	surface.Found
	// By is the element that says so; "": it is as it came.
	By string `json:"by"`
	// Faces are those that it is of alone; nil: all of the surface.
	Faces *surface.Faces `json:"faces,omitempty"`
}

// Surfaces is what a thing is made of, and where a change of it counts.
type Surfaces struct {
	Thing  string `json:"thing"`
	Name   string `json:"name"`
	Piece  string `json:"piece"`  // "": of a stand-in, and of what an element is made of
	Linked int    `json:"linked"` // how many placements and copies show the piece, this one among them
	List   []Made `json:"list"`
}

// Surfaces tells what a thing of a set is made of; piece is which, of an element that lays several.
func (a *Outfitter) Surfaces(ctx context.Context, setID, thing, piece string) (*Surfaces, error) {
	shown, err := a.Show(ctx, setID, thing, piece)
	if err != nil {
		return nil, err
	}
	out := &Surfaces{Thing: thing, Name: shown.Name, Piece: shown.Piece, Linked: shown.Linked, List: []Made{}}
	matches := surface.Matching(shown.Worn, thing, out.Piece)
	for _, f := range surface.Of(shown.Model, shown.Metres) {
		made := Made{Found: f}
		if of := surface.For(matches, f.Surface); of != nil {
			made.Material, made.By, made.Maps, made.Doubts = *of, shown.By[of], []string{}, of.Likely()
		}
		out.List = append(out.List, made)
	}
	whole := 0.0
	for i := range matches {
		m := &matches[i]
		if m.Faces.None() {
			continue
		}
		if whole == 0 {
			for _, a := range sizing.Areas(shown.Model) {
				whole += a * shown.Metres * shown.Metres
			}
		}
		if g, ok := m.Faces.Find(shown.Model, shown.Top); ok {
			out.List = append(out.List, Made{Found: surface.Found{Surface: m.Surface, Material: *m.Material,
				Maps: []string{}, Share: g.Area / max(whole, 1e-30), Doubts: m.Material.Likely()},
				By: shown.By[m.Material], Faces: &m.Faces})
		}
	}
	return out, nil
}

// Picked are faces of a thing.
type Picked struct {
	Count int     `json:"count"`
	Area  float64 `json:"area"` // square metres, before the thing's own scale
}

// Pick tells how many faces of a placement belong to a place on it.
func (a *Outfitter) Pick(ctx context.Context, setID, thing string, f *surface.Faces) (*Picked, error) {
	if err := f.Check(); err != nil {
		return nil, act.Wrong("%v.", err)
	}
	shown, err := a.Show(ctx, setID, thing, "")
	if err != nil {
		return nil, err
	}
	g, ok := f.Find(shown.Model, shown.Top)
	if !ok {
		return nil, act.Wrong("%s has no faces.", shown.Name)
	}
	return &Picked{g.Count, g.Area}, nil
}

// maxMap bounds a picture of a material that is taken off, in bytes: that of an arrival's.
const maxMap = 256 << 20

// inLibrary is a piece as it is in the library, worn by no set.
func (a *Outfitter) inLibrary(ctx context.Context, id string) (*shoot.Shown, error) {
	p, err := store.GetPiece(ctx, a.Store.Pool, id)
	if err != nil {
		return nil, act.NotThere(err, "The piece")
	}
	f, s, err := measure.PieceFacts(&p)
	if err != nil {
		return nil, err
	}
	m, err := a.PieceModel(ctx, &p)
	if err != nil {
		return nil, err
	}
	top := s.Transform(f.Box())
	return &shoot.Shown{Name: p.Name, Piece: id, Model: m, Top: top, Metres: top.Dir(geom.V{X: 1}).Len()}, nil
}

// TakeOff is the material of a surface with its pictures and their true size, ready to be put on another; of no thing:
// of a piece as it is in the library.
func (a *Outfitter) TakeOff(ctx context.Context, setID, thing, piece, name string) (*surface.Material, error) {
	look := func() (*shoot.Shown, error) { return a.Show(ctx, setID, thing, piece) }
	if thing == "" && piece != "" {
		look = func() (*shoot.Shown, error) { return a.inLibrary(ctx, piece) }
	}
	out, err := look()
	if err != nil {
		return nil, err
	}
	if of := surface.For(surface.Matching(out.Worn, thing, out.Piece), name); of != nil {
		return of, nil
	}
	m := out.Model
	i := slices.IndexFunc(m.Surfaces, func(s model.Surface) bool { return s.Name == name })
	if i < 0 {
		return nil, act.Wrong("%s has no surface %q.", out.Name, name)
	}
	s := &m.Surfaces[i]
	mat := surface.Of(m, out.Metres)[i].Material
	for role, r := range surface.Roles {
		k := s.Slots[r].Map
		if k == model.None || m.Maps[k].Data == nil {
			continue
		}
		hash, _, err := a.Store.PutBlob(ctx, bytes.NewReader(m.Maps[k].Data), maxMap)
		if err != nil {
			return nil, err
		}
		if mat.Maps == nil {
			mat.Maps = map[string]surface.Map{}
		}
		mat.Maps[role] = surface.Map{Blob: hash, Name: clipped(m.Maps[k].Name)}
		if sx, sy := s.Slots[r].Scale[0], s.Slots[r].Scale[1]; role == "base" && sx != 0 && sy != 0 {
			mat.Tall = min(max(sx/sy, 0.01), 100)
			mat.Turn = s.Slots[r].Rotation
		}
	}
	return &mat, nil
}

// clipped is the last part of a path, of at most as many bytes as names have.
func clipped(name string) string {
	name = name[strings.LastIndexAny(name, `/\`)+1:]
	return strings.ToValidUTF8(name[:min(len(name), 100)], "")
}
