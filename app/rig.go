package app

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"slices"
	"strings"

	"visator/app/develop"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/edit"
	"visator/core/lay"
	"visator/core/light"
	"visator/core/rig"
	"visator/store"
)

// ReadRig lights a set as a rig says, as one edit: sun, sky and air are the rig's; lamps of the same name are
// changed, others hung, and those that the rig does not have are put out. What a lamp lights or does not is found by
// name; a panorama is not brought: the set keeps its own.
func (a *App) ReadRig(ctx context.Context, setID string, r io.Reader) (said string, err error) {
	rg, err := rig.Read(r)
	if err != nil {
		return "", act.Wrong("The light cannot be read: %v", err)
	}
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return "", act.NotThere(err, "The set")
	}
	elements, err := store.Elements(ctx, a.Store.Pool, setID)
	if err != nil {
		return "", err
	}
	placements, err := store.Placements(ctx, a.Store.Pool, setID)
	if err != nil {
		return "", err
	}
	ids := map[string][]string{}
	for i := range placements {
		ids[placements[i].Name] = append(ids[placements[i].Name], placements[i].ID)
	}
	for i := range elements {
		ids[elements[i].Name] = append(ids[elements[i].Name], elements[i].ID)
	}
	l := rg.Light
	l.Lamps = nil
	if l.Sky == "panorama" {
		if l.Panorama = set.Light.Panorama; l.Panorama == "" {
			return "", act.Wrong("The sky of that light is a panorama: give the set its picture first.")
		}
	}
	if l.Behind.Behind == "picture" {
		if l.Picture = set.Light.Picture; l.Picture == "" {
			return "", act.Wrong("Behind that light a picture is seen: give the set its own first.")
		}
	}
	state, err := json.Marshal(map[string]any{"light": l})
	if err != nil {
		return "", err
	}
	var all []desk.Command
	used := map[string]bool{}
	for i := range rg.Lamps {
		one := &rg.Lamps[i]
		for _, list := range [2]*[]string{(*[]string)(&one.Only), (*[]string)(&one.Except)} {
			found := []string{}
			for _, name := range *list {
				if len(ids[name]) == 0 {
					return "", act.Wrong("Lamp %s lights or does not light %s: nothing here is called so.", one.Name,
						name)
				}
				found = append(found, ids[name]...)
			}
			*list = found
		}
		if one.Photometry != "" {
			p, err := a.Photometry(ctx, one.FileName, strings.NewReader(one.Photometry))
			if err != nil {
				return "", err
			}
			one.File = p.Blob
		}
		spec, err := json.Marshal(one.Lamp)
		if err != nil {
			return "", err
		}
		at := slices.IndexFunc(elements, func(e store.ElementRow) bool {
			return e.Kind == "lamp" &&
				e.Name == one.Name && !used[e.ID]
		})
		if at < 0 {
			all = append(all, edit.Do(&edit.AddElement{Kind: "lamp", Name: one.Name, Spec: spec}))
			continue
		}
		used[elements[at].ID] = true
		patch, err := json.Marshal(map[string]json.RawMessage{"spec": spec})
		if err != nil {
			return "", err
		}
		all = append(all, edit.Do(&edit.ChangeElement{ID: elements[at].ID, Patch: patch}))
	}
	for i := range elements {
		if e := &elements[i]; (e.Kind == "lamp" || e.Kind == "fixture") && !used[e.ID] {
			all = append(all, edit.Do(&edit.ChangeElement{ID: e.ID, Patch: json.RawMessage(`{"spec":{"on":false}}`)}))
		}
	}
	all = append(all, edit.Do(&edit.ChangeSet{Patch: bytes.TrimSpace(state)}))
	res, err := a.Edit(ctx, setID, desk.Request{Revision: -1, Commands: all})
	return res.Label, err
}

// WriteBack writes what was done to the lights of a finished take back to its set, as one edit: a new render gives
// that picture.
func (a *App) WriteBack(ctx context.Context, take string, gains []develop.Gain) (string, error) {
	var elements []store.ElementRow
	own := func(set, id string) (b light.Burn, ok bool) {
		if elements == nil {
			list, err := store.Elements(ctx, a.Store.Pool, set)
			if err != nil {
				return b, false
			}
			elements = list
		}
		element := light.Element(id)
		at := slices.IndexFunc(elements, func(e store.ElementRow) bool { return e.ID == element })
		if at < 0 {
			return b, false
		}
		spec, err := elements[at].Read()
		if err != nil {
			return b, false
		}
		switch l := spec.(type) {
		case *lay.Lamp:
			return l.Burn(), true
		case *lay.Fixture:
			return l.Burn(), true
		}
		return b, false
	}
	set, l, tints, err := a.Balanced(ctx, take, gains, own)
	if err != nil {
		return "", err
	}
	now, err := store.GetSet(ctx, a.Store.Pool, set)
	if err != nil {
		return "", act.NotThere(err, "The set")
	}
	for id := range now.Light.Lamps { // what was done to it since the take is undone
		if _, is := l.Lamps[id]; is {
			continue
		}
		if b, ok := own(set, id); ok {
			l.Lamps[id] = b
		}
	}
	raw, err := json.Marshal(map[string]any{"light": l})
	if err != nil {
		return "", err
	}
	all := []desk.Command{edit.Do(&edit.ChangeSet{Patch: raw})}
	done := map[string]bool{}
	for id, tint := range tints {
		element := light.Element(id)
		if done[element] {
			continue
		}
		done[element] = true
		patch, err := json.Marshal(map[string]any{"spec": map[string]any{"tint": tint}})
		if err != nil {
			return "", err
		}
		all = append(all, edit.Do(&edit.ChangeElement{ID: element, Patch: patch}))
	}
	res, err := a.Edit(ctx, set, desk.Request{Revision: -1, Commands: all})
	return res.Label, err
}
