package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/surface"
)

// overrides are what surfaces of a scene are made of instead, and the weather that it stands in, as a file says it:
//
//	{"surfaces": {"planks": {"base": "#8a6a4a", "rough": 0.4, "maps": {"base": "oak.png"}}},
//	 "wear": [{"wet": 0.8, "from": -1, "to": 0.5}]}
//
// What is not named stays as it came; pictures are files beside it.
type overrides struct {
	Surfaces map[string]json.RawMessage `json:"surfaces"`
	Wear     []json.RawMessage          `json:"wear"`
}

// maxOverrides bounds the file, in bytes: thousands of surfaces.
const maxOverrides = 16 << 20

// readOverrides applies a file of overrides to a model.
func readOverrides(path string, m *model.Model) (*model.Model, []surface.Weather, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	raw, err := io.ReadAll(io.LimitReader(f, maxOverrides+1))
	if err != nil {
		return nil, nil, err
	}
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%s: %s", path, fmt.Sprintf(format, args...))
	}
	if len(raw) > maxOverrides {
		return nil, nil, wrong("it is larger than %d MB", maxOverrides>>20)
	}
	var o overrides
	if err := strictly(raw, &o); err != nil {
		return nil, nil, wrong("%v", err)
	}
	var weathers []surface.Weather
	for i, raw := range o.Wear {
		w := surface.NewWear()
		if err := strictly(raw, &w); err != nil {
			return nil, nil, wrong("wear %d: %v", i+1, err)
		}
		if err := w.Check(); err != nil {
			return nil, nil, wrong("wear %d: %v", i+1, err)
		}
		on, err := numbered(m, w.Only)
		if err != nil {
			return nil, nil, wrong("wear %d: %v", i+1, err)
		}
		var mask *image.NRGBA
		if w.Map.Blob != "" {
			data, err := os.ReadFile(filepath.Join(filepath.Dir(path), w.Map.Blob))
			if err == nil {
				mask, err = model.DecodePicture(data, w.Map.Blob)
			}
			if err != nil {
				return nil, nil, wrong("wear %d: %v", i+1, err)
			}
		}
		weathers = append(weathers, w.Ready(on, mask))
	}
	if len(o.Surfaces) == 0 {
		return m, weathers, nil
	}
	var matches []surface.Match
	found := surface.Of(m, m.Unit.MetresPerUnit)
	for name, raw := range o.Surfaces {
		i := slices.IndexFunc(found, func(f surface.Found) bool { return f.Surface == name })
		if i < 0 {
			names := make([]string, len(found))
			for k, f := range found {
				names[k] = f.Surface
			}
			return nil, nil, wrong("the scene has no surface %q; it has %s", name, strings.Join(names, ", "))
		}
		mat, err := overridden(m, i, found[i].Material, raw)
		if err != nil {
			return nil, nil, wrong("surface %q: %v", name, err)
		}
		matches = append(matches, surface.Match{On: surface.On{Surface: name}, Material: mat})
	}
	top := geom.Scaling(m.Unit.MetresPerUnit)
	out, err := surface.Coat(m, top, matches, reliefFine, func(hash string) ([]byte, error) {
		var k int
		if _, err := fmt.Sscanf(hash, ownMap, &k); err == nil {
			return m.Maps[k].Data, nil
		}
		return os.ReadFile(filepath.Join(filepath.Dir(path), hash))
	})
	if err != nil {
		return nil, nil, wrong("%v", err)
	}
	return out, weathers, nil
}

// reliefFine is how many metres a face of relief is wide.
const reliefFine = 0.005

// ownMap names a map of the scene itself.
const ownMap = ":own %d"

// overridden is a surface's material with what a file says of it.
func overridden(m *model.Model, i int, mat surface.Material, raw json.RawMessage) (*surface.Material, error) {
	said := struct {
		*surface.Material
		Maps map[string]string `json:"maps"` // in the place of those of the material: files by what they say
	}{Material: &mat}
	mat.Maps = map[string]surface.Map{}
	for role, r := range surface.Roles {
		if k := m.Surfaces[i].Slots[r].Map; k != model.None && m.Maps[k].Data != nil {
			mat.Maps[role] = surface.Map{Blob: fmt.Sprintf(ownMap, k), Name: m.Maps[k].Name}
		}
	}
	if err := strictly(raw, &said); err != nil {
		return nil, err
	}
	for role, file := range said.Maps {
		if mat.Maps[role] = (surface.Map{Blob: file, Name: file}); file == "" {
			delete(mat.Maps, role)
		}
	}
	return &mat, mat.Check()
}

// numbered are the objects of a scene by the names of their nodes, with all below them; nil of none: all.
func numbered(m *model.Model, names document.Names) (map[uint32]bool, error) {
	if len(names) == 0 {
		return nil, nil
	}
	on, find := map[uint32]bool{}, namedIn(m)
	for _, name := range names {
		ids := find(name)
		if len(ids) == 0 {
			return nil, fmt.Errorf("the scene has nothing named %q", name)
		}
		for _, id := range ids {
			on[id] = true
		}
	}
	return on, nil
}

// strictly reads JSON that says nothing which is not known.
func strictly(raw []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		return err
	}
	if d.More() {
		return fmt.Errorf("something follows what it says")
	}
	return nil
}
