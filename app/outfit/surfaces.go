package outfit

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"visator/app/act"
	"visator/core/model"
	"visator/core/sizing"
	"visator/core/surface"
)

// Made is what one surface of a thing is made of.
type Made struct {
	Surface  string           `json:"surface"`
	Material surface.Material `json:"material"`
	// By is the element that says so; "": it is as it came.
	By string `json:"by"`
	// Maps are what its own pictures say, while it is as it came.
	Maps   []string `json:"maps"`
	Doubts string   `json:"doubts"` // what no real thing looks like
	Share  float64  `json:"share"`  // of the thing's own area
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
	m, metres := shown.Model, shown.Metres
	out := &Surfaces{Thing: thing, Name: shown.Name, Piece: shown.Piece, Linked: shown.Linked, List: []Made{}}
	patterns := map[int]float64{}
	for _, p := range sizing.Patterns(m) {
		patterns[p.Index] = p.Repeat * metres
	}
	areas, whole := sizing.Areas(m), 0.0
	for _, x := range areas {
		whole += x
	}
	matches := surface.Matching(shown.Worn, thing, out.Piece)
	for i := range m.Surfaces {
		s := &m.Surfaces[i]
		made := Made{Surface: s.Name, Maps: []string{}}
		if whole > 0 {
			made.Share = areas[i] / whole
		}
		if of := surface.For(matches, s.Name); of != nil {
			made.Material, made.By = *of, shown.By[of]
		} else {
			made.Material = surface.Of(s, patterns[i])
			for name, role := range surface.Roles {
				if k := s.Slots[role].Map; k != model.None && m.Maps[k].Data != nil {
					made.Maps = append(made.Maps, name)
				}
			}
			slices.Sort(made.Maps)
		}
		made.Doubts = made.Material.Likely()
		if len(made.Maps) > 0 {
			made.Doubts = ""
		}
		out.List = append(out.List, made)
	}
	return out, nil
}

// maxMap bounds a picture of a material that is taken off, in bytes: that of an arrival's.
const maxMap = 256 << 20

// TakeOff is the material of a surface with its pictures and their true size, ready to be put on another.
func (a *Outfitter) TakeOff(ctx context.Context, setID, thing, piece, name string) (*surface.Material, error) {
	out, err := a.Show(ctx, setID, thing, piece)
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
	tile := 0.0
	for _, p := range sizing.Patterns(m) {
		if p.Index == i {
			tile = p.Repeat * out.Metres
		}
	}
	mat := surface.Of(s, tile)
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
