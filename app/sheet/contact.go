package sheet

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"

	"visator/app/act"
	"visator/app/takes"
	"visator/core/paper"
	"visator/core/plain"
	"visator/store"
)

// Chosen is the take that stands for a shot.
type Chosen struct {
	ID, Shot string // of the shot, and its name
	Take     *store.Take
	Settings takes.Settings
	Result   takes.Result
}

// Picture is what of it is shown: "" nothing yet.
func (c *Chosen) Picture() string {
	if c.Result.PNG == "" && len(c.Result.Frames) > 0 {
		return c.Result.Frames[0]
	}
	return c.Result.PNG
}

// ChosenOf are the takes that stand for the shots of a set, by kind: the one that was said to be the shot's, or the
// newest that is done and not rejected. A shot of which there is none has no take.
func (a *Office) ChosenOf(ctx context.Context, setID, kind string) ([]Chosen, error) {
	shots, err := store.Shots(ctx, a.studio.Store.Pool, setID)
	if err != nil {
		return nil, err
	}
	made, err := store.Takes(ctx, a.studio.Store.Pool, setID)
	if err != nil {
		return nil, err
	}
	var out []Chosen
	for _, s := range shots {
		c := Chosen{ID: s.ID, Shot: s.Name}
		for i := range made {
			t := &made[i]
			var m struct{ Current, Rejected bool }
			if t.ShotID != s.ID || t.State != "done" || t.Kind != kind || json.Unmarshal(t.Marks, &m) != nil ||
				m.Rejected {
				continue
			}
			var beside struct { // pictures of all around and turntables are of a shot only if somebody says so
				Around string
				Lasts  float64
			}
			if err := json.Unmarshal(t.Settings, &beside); err != nil {
				return nil, err
			}
			if !m.Current && (beside.Around != "" || beside.Lasts > 0) {
				continue
			}
			if c.Take == nil || m.Current {
				c.Take = t
			}
		}
		if c.Take != nil {
			if c.Settings, c.Result, err = takes.Of(c.Take); err != nil {
				return nil, err
			}
		}
		out = append(out, c)
	}
	return out, nil
}

// ContactSheets are all shots of a set with their takes, at equal scale: pages as pdf, svg or png.
func (a *Office) ContactSheets(ctx context.Context, setID, as string) (list []Paper, err error) {
	set, err := store.GetSet(ctx, a.studio.Store.Pool, setID)
	if err != nil {
		return nil, act.NotThere(err, "The set")
	}
	chosen, err := a.ChosenOf(ctx, setID, "still")
	if err != nil {
		return nil, err
	}
	if len(chosen) == 0 {
		return nil, act.Wrong("No shot is kept yet: there is nothing to lay side by side.")
	}
	var frames []paper.Frame
	for i := range chosen {
		c := &chosen[i]
		f := paper.Frame{Name: c.Shot, Words: "no take yet"}
		if c.Take != nil {
			v := &c.Settings.View
			f.Words = fmt.Sprintf("%.4g mm, f/%.3g, %d × %d", v.Focal, v.FNumber, c.Settings.Width, c.Settings.Height)
			data, err := a.studio.Store.ReadBlob(ctx, c.Picture())
			if err != nil {
				return nil, err
			}
			if f.Picture, _, err = image.Decode(bytes.NewReader(data)); err != nil {
				return nil, err
			}
		}
		frames = append(frames, f)
	}
	for n, d := range paper.ContactSheets(set.Name, frames) {
		p, err := write(d, fmt.Sprintf("%s contact sheet %d", plain.FileName(set.Name), n+1), as)
		if err != nil {
			return nil, err
		}
		list = append(list, p)
	}
	return list, nil
}
