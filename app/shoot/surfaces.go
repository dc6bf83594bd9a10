package shoot

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/geom"
	"visator/core/lay"
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
func (a *Studio) Surfaces(ctx context.Context, setID, thing, piece string) (*Surfaces, error) {
	l, t, out, err := a.surfacesOf(ctx, setID, thing, piece)
	if err != nil {
		return nil, err
	}
	m := l.models[t]
	metres := geom.V{X: l.top[t][0], Y: l.top[t][1], Z: l.top[t][2]}.Len()
	patterns := map[int]float64{}
	for _, p := range sizing.Patterns(m) {
		patterns[p.Index] = p.Repeat * metres
	}
	areas, whole := sizing.Areas(m), 0.0
	for _, x := range areas {
		whole += x
	}
	matches := surface.Matching(l.worn, thing, out.Piece)
	for i := range m.Surfaces {
		s := &m.Surfaces[i]
		made := Made{Surface: s.Name, Maps: []string{}}
		if whole > 0 {
			made.Share = areas[i] / whole
		}
		if of := surface.For(matches, s.Name); of != nil {
			made.Material, made.By = *of, l.wornBy[of]
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

// surfacesOf loads what a thing shows, as it came: its key among what was loaded.
func (a *Studio) surfacesOf(ctx context.Context, setID, thing, piece string) (l *loaded, key string, out *Surfaces,
	err error) {
	w, err := a.snapshotOf(ctx, setID)
	if err != nil {
		return nil, "", nil, err
	}
	if _, err := w.LayOut(ctx, false); err != nil {
		return nil, "", nil, err
	}
	l = newLoaded(a)
	if err := l.wear(w); err != nil {
		return nil, "", nil, err
	}
	out = &Surfaces{Thing: thing, List: []Made{}}
	var found *assembly.Thing
	for i := range w.Things {
		t := &w.Things[i]
		if t.ID == thing {
			found = t
		}
	}
	if found == nil {
		return nil, "", nil, act.Wrong("The thing is not there any more, or it is hidden.")
	}
	out.Name = found.Name
	switch p := found.Placement; {
	case p != nil && p.Piece == "":
		key = "stand-in " + p.Shape()
		err = l.stand(ctx, w, found)
	case p != nil:
		key, out.Piece = p.Piece, p.Piece
		err = l.load(ctx, w, p.Piece, p.Name)
	default:
		for _, c := range found.Laid.Counts {
			if piece == "" && found.Laid.Model == nil || piece == c.Piece {
				key, out.Piece = c.Piece, c.Piece
				err = l.load(ctx, w, c.Piece, found.Name)
				break
			}
		}
		if key == "" && found.Laid.Model != nil {
			key, l.models[thing], l.top[thing] = thing, found.Laid.Model, geom.Identity
		}
	}
	if err != nil {
		return nil, "", nil, err
	}
	if l.models[key] == nil {
		return nil, "", nil, act.Wrong("%s is made of nothing that shows.", found.Name)
	}
	out.Linked = linked(w, out.Piece)
	return l, key, out, nil
}

// linked is how many things of a set show a piece.
func linked(w *measure.Snapshot, piece string) (n int) {
	if piece == "" {
		return 1
	}
	for i := range w.Things {
		t := &w.Things[i]
		if t.Placement != nil {
			if t.Placement.Piece == piece {
				n++
			}
			continue
		}
		for _, c := range t.Laid.Counts {
			if c.Piece == piece {
				n += c.N
			}
		}
	}
	return n
}

// wear reads what surfaces of a set are made of.
func (l *loaded) wear(w *measure.Snapshot) (err error) {
	if l.worn, err = lay.Worn(w.Elements); err != nil {
		return err
	}
	if l.weathers, err = lay.Weathers(w.Elements); err != nil {
		return err
	}
	l.wornBy = map[*surface.Material]string{}
	i := 0
	for _, e := range w.Elements {
		if e.Kind == "material" && !e.Hidden {
			l.wornBy[&l.worn[i].Material] = e.ID
			i++
		}
	}
	return nil
}

// maxMap bounds a picture of a material that is taken off, in bytes: that of an arrival's.
const maxMap = 256 << 20

// TakeOff is the material of a surface with its pictures and their true size, ready to be put on another.
func (a *Studio) TakeOff(ctx context.Context, setID, thing, piece, name string) (*surface.Material, error) {
	l, key, out, err := a.surfacesOf(ctx, setID, thing, piece)
	if err != nil {
		return nil, err
	}
	if of := surface.For(surface.Matching(l.worn, thing, out.Piece), name); of != nil {
		return of, nil
	}
	m := l.models[key]
	i := slices.IndexFunc(m.Surfaces, func(s model.Surface) bool { return s.Name == name })
	if i < 0 {
		return nil, act.Wrong("%s has no surface %q.", out.Name, name)
	}
	s := &m.Surfaces[i]
	tile := 0.0
	for _, p := range sizing.Patterns(m) {
		if p.Index == i {
			tile = p.Repeat * geom.V{X: l.top[key][0], Y: l.top[key][1], Z: l.top[key][2]}.Len()
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
