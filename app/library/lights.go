package library

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"image/png"
	"io"
	"math"
	"path"
	"slices"
	"strings"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/document"
	"visator/core/finish"
	"visator/core/light"
	"visator/core/optics"
	"visator/core/photometry"
	"visator/store"
)

// ShelvedPanorama is a panorama that a production keeps at hand.
type ShelvedPanorama struct {
	ID      string  `json:"id"`
	Name    string  `json:"name"`
	Blob    string  `json:"blob"`
	Picture string  `json:"picture"` // blob of a small PNG
	Said    string  `json:"said"`    // how large it is, and its own sun
	Width   int     `json:"width"`
	Height  int     `json:"height"`
	Sun     bool    `json:"sun"` // one stands out in it
	Lux     float64 `json:"lux"` // on level ground, for a strength of 1
}

// ShelvedLamp is a lamp to be hung: of everybody's, or of the production's own.
type ShelvedLamp struct {
	light.Kind
	Own bool `json:"own"`
}

// Lights are what a production has at hand to light by.
type Lights struct {
	Lamps     []ShelvedLamp     `json:"lamps"`
	Panoramas []ShelvedPanorama `json:"panoramas"`
}

// mostShelved is how many lamps, and how many panoramas, a production keeps: what is more nobody finds.
const mostShelved = 500

// LightShelf is what a production has at hand to light by.
func (a *Library) LightShelf(ctx context.Context, production string) (out Lights, err error) {
	if _, err := store.GetProduction(ctx, a.Store.Pool, production); err != nil {
		return out, act.NotThere(err, "The production")
	}
	out.Panoramas = []ShelvedPanorama{}
	for _, k := range light.Kinds() {
		out.Lamps = append(out.Lamps, ShelvedLamp{Kind: k})
	}
	own, err := store.ShelfOf(ctx, a.Store.Pool, production, "lamp")
	if err != nil {
		return out, err
	}
	for _, s := range own {
		l := light.DefaultLamp()
		if err := json.Unmarshal(s.Doc, &l); err != nil {
			return out, err
		}
		out.Lamps = append(out.Lamps, ShelvedLamp{light.Kind{ID: s.ID, Name: s.Name, Says: "kept here", Lamp: l}, true})
	}
	kept, err := store.ShelfOf(ctx, a.Store.Pool, production, "panorama")
	if err != nil {
		return out, err
	}
	for _, s := range kept {
		var p ShelvedPanorama
		if err := json.Unmarshal(s.Doc, &p); err != nil {
			return out, err
		}
		p.ID, p.Name = s.ID, s.Name
		out.Panoramas = append(out.Panoramas, p)
	}
	return out, nil
}

// LampPicture is a PNG of a lamp of the shelf by its light.
func (a *Library) LampPicture(ctx context.Context, production, id string) ([]byte, error) {
	shelf, err := a.LightShelf(ctx, production)
	if err != nil {
		return nil, err
	}
	for i := range shelf.Lamps {
		l := &shelf.Lamps[i].Lamp
		if shelf.Lamps[i].ID != id {
			continue
		}
		if l.File != "" {
			data, err := a.Store.ReadBlob(ctx, l.File)
			if err == nil {
				l.Web, err = photometry.Read(bytes.NewReader(data))
			}
			if err != nil {
				return nil, err
			}
		}
		var b bytes.Buffer
		err := png.Encode(&b, l.Portrait(96, 64))
		return b.Bytes(), err
	}
	return nil, act.NotThere(store.ErrNotFound, "The lamp")
}

// ShelveLamp keeps a lamp at hand by a name.
func (a *Library) ShelveLamp(ctx context.Context, production, name string, l *light.Lamp) error {
	name, err := ShelfName("lamp", name)
	if err != nil {
		return err
	}
	if err := l.Check(); err != nil {
		return act.Wrong("%v", err)
	}
	l.Only, l.Except = document.Names{}, document.Names{} // they are of one set
	doc, err := json.Marshal(l)
	if err != nil {
		return err
	}
	return a.KeepAtHand(ctx, production, &store.Shelved{Kind: "lamp", Name: name, Doc: doc}, mostShelved)
}

// ShelfName is a name that a person gives to a thing of a kind on the shelf, as it is kept.
func ShelfName(kind, name string) (string, error) {
	if name = strings.TrimSpace(name); name == "" || len(name) > document.MaxName {
		return "", act.Wrong("A %s on the shelf has a name of 1 to %d characters.", kind, document.MaxName)
	}
	return name, nil
}

// KeepAtHand keeps a thing on the shelf of a production, of at most so many of its kind; one with an ID takes the place
// of what has it there, one without gets one.
func (a *Library) KeepAtHand(ctx context.Context, production string, s *store.Shelved, most int) error {
	if _, err := store.GetProduction(ctx, a.Store.Pool, production); err != nil {
		return act.NotThere(err, "The production")
	}
	list, err := store.ShelfOf(ctx, a.Store.Pool, production, s.Kind)
	if err != nil {
		return err
	}
	switch {
	case s.ID != "":
		if !slices.ContainsFunc(list, func(had store.Shelved) bool { return had.ID == s.ID }) {
			return act.NotThere(store.ErrNotFound, "The "+s.Kind)
		}
	case len(list) >= most:
		return act.Wrong("The shelf is full: it holds %d. Take one away first.", most)
	default:
		s.ID = store.NewID()
	}
	return store.PutShelf(ctx, a.Store.Pool, production, s)
}

// Unshelve takes a thing from the shelf. What is lit by it stays as it is.
func (a *Library) Unshelve(ctx context.Context, production, id string) error {
	return act.NotThere(store.DropShelf(ctx, a.Store.Pool, production, id), "What is to be taken from the shelf")
}

// ShelvePanorama takes in a picture for the sky, Radiance or OpenEXR, and keeps it at hand; what is there already is
// found again. note is what is worth saying of it.
func (a *Library) ShelvePanorama(ctx context.Context, production, name string, r io.Reader) (p ShelvedPanorama,
	note string, err error) {
	shelf, err := a.LightShelf(ctx, production)
	if err != nil {
		return p, "", err
	}
	blob, note, err := a.Panorama(ctx, r)
	if err != nil {
		return p, "", err
	}
	for _, p := range shelf.Panoramas {
		if p.Blob == blob {
			return p, note, nil
		}
	}
	pic, err := a.SkyPicture(ctx, blob)
	if err != nil {
		return p, "", err
	}
	p = ShelvedPanorama{Name: strings.TrimSuffix(path.Base(name), path.Ext(name)), Blob: blob,
		Width: pic.W, Height: pic.H, Sun: pic.Shines, Lux: pic.Lux}
	p.Name = cmp.Or(p.Name, "panorama")
	p.Said = skySaid(pic)
	small, err := smallSky(pic)
	if err != nil {
		return p, "", err
	}
	if p.Picture, _, err = a.Store.PutBlob(ctx, small, 0); err != nil {
		return p, "", notKept("The panorama", err)
	}
	doc, err := json.Marshal(p)
	if err != nil {
		return p, "", err
	}
	s := store.Shelved{Kind: "panorama", Name: p.Name, Doc: doc}
	err = a.KeepAtHand(ctx, production, &s, mostShelved)
	p.ID = s.ID
	return p, note, err
}

// skySaid is a panorama in words.
func skySaid(p *measure.Panorama) string {
	if !p.Shines {
		return "no sun stands out in it"
	}
	_, high := light.Towards(p.Own.To)
	return fmt.Sprintf("its own sun stands %.0f° high", high*180/math.Pi)
}

// smallSky is a panorama as a small PNG, as bright as a meter has it.
func smallSky(p *measure.Panorama) (*bytes.Buffer, error) {
	const w, h = 192, 96
	color := make([]float32, 3*w*h)
	for y := range h {
		for x := range w {
			// The mean of what falls into the pixel.
			x0, x1 := x*p.W/w, max((x+1)*p.W/w, x*p.W/w+1)
			y0, y1 := y*p.H/h, max((y+1)*p.H/h, y*p.H/h+1)
			var sum [3]float64
			for v := y0; v < y1; v++ {
				for u := x0; u < x1; u++ {
					for c := range 3 {
						sum[c] += float64(p.Pix[3*(v*p.W+u)+c])
					}
				}
			}
			for c := range 3 {
				color[3*(y*w+x)+c] = float32(sum[c] / float64((x1-x0)*(y1-y0)))
			}
		}
	}
	v := optics.Default()
	v.EV = finish.Measure(color)
	var out bytes.Buffer
	return &out, png.Encode(&out, finish.Develop(&finish.Linear{Width: w, Height: h, Color: color}, &v, nil))
}
