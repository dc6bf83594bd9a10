package shoot

import (
	"context"
	"io"
	"slices"

	"visator/app/act"
	"visator/core/rig"
	"visator/store"
)

// WriteRig writes the light of a shot, or of the working view where shot is empty, as a rig: lamps as they burn in it.
func (a *Studio) WriteRig(ctx context.Context, setID, shot string, w io.Writer) error {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return act.NotThere(err, "The set")
	}
	if shot != "" {
		list, err := store.Shots(ctx, a.Store.Pool, setID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(s store.ShotRow) bool { return s.ID == shot })
		if i < 0 {
			return act.Wrong("The shot is not there any more.")
		}
		set.ShotSettings = list[i].ShotSettings
	}
	l, err := a.loadScene(ctx, &set)
	if err != nil {
		return err
	}
	out := rig.Rig{Light: set.Light, Lamps: []rig.Lamp{}}
	out.Light.Lamps = nil // they are told as they burn
	if out.Light.Sky == "panorama" {
		out.Panorama = out.Light.Panorama + ".hdr"
	}
	if out.Light.Behind.Behind == "picture" {
		out.Behind = out.Light.Picture + ".hdr"
	}
	names := map[string]string{}
	for i := range l.stands {
		names[l.stands[i].id] = l.stands[i].name
	}
	for _, h := range l.lamps {
		one := rig.Lamp{Name: h.name, Lamp: h.Lamp}
		for _, list := range [2]*[]string{(*[]string)(&one.Only), (*[]string)(&one.Except)} {
			said := []string{}
			for _, id := range *list {
				if n := names[id]; n != "" {
					said = append(said, n)
				}
			}
			*list = said
		}
		if h.File != "" {
			data, err := a.Store.ReadBlob(ctx, h.File)
			if err != nil {
				return err
			}
			one.Photometry, one.File = string(data), ""
		}
		out.Lamps = append(out.Lamps, one)
	}
	return out.Write(w)
}
