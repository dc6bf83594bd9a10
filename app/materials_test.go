package app_test

import (
	"fmt"
	"image/color"
	"math"
	"strings"
	"testing"

	"visator/app/edit"
	"visator/app/outfit"
	"visator/core/model"
	"visator/core/surface"
)

// A folder of maps becomes a material that every production finds, with gloss turned into roughness; it is marked,
// named otherwise and taken away; what cannot be one is refused and nothing is kept of it.
func TestMaterialsOnTheShelf(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	grey := func(v uint8) string { return d.plain(color.NRGBA{v, v, v, 255}) }
	files := []outfit.Handed{{Blob: d.plain(color.NRGBA{120, 60, 40, 255}), Name: "wall/red_brick_color.png"},
		{Blob: grey(200), Name: "wall/red_brick_gloss.png"}, {Blob: grey(10), Name: "wall/red_brick_height.png"}}
	made, notes, err := d.a.Gather(d.ctx, d.production, files)
	if err != nil || len(made) != 1 || len(notes) != 1 || !strings.Contains(notes[0], "height") {
		t.Fatal(made, notes, err)
	}
	data, err := d.a.Store.ReadBlob(d.ctx, made[0].Material.Maps["roughness"].Blob)
	if err != nil {
		t.Fatal(err)
	}
	pic, err := model.DecodePicture(data, "roughness")
	if err != nil || pic.Pix[0] != 55 {
		t.Errorf("gloss of 200 is a roughness of %v: %v", pic.Pix[0], err)
	}
	other, _, err := d.a.NewProduction(d.ctx, "another", "m")
	if err != nil {
		t.Fatal(err)
	}
	if err := d.a.Shelve(d.ctx, &outfit.Shelved{Name: "ash", Home: other, Material: surface.New()}); err != nil {
		t.Fatal(err)
	}
	list, err := d.a.Materials(d.ctx)
	if err != nil || len(list) != 2 || list[0].Name != "ash" || list[0].Production != "another" ||
		list[1].Material.Maps["base"].Name != "red_brick_color.png" || list[1].Material.Tile != 1 {
		t.Fatalf("%+v %v", list, err)
	}
	brick := list[1]
	brick.Marked, brick.Name, brick.Tags = true, "wall of the mill", []string{" Red ", "", "red", "old"}
	brick.Credit.Author, brick.Credit.Licence = "somebody", "CC0-1.0"
	if err := d.a.Shelve(d.ctx, &brick); err != nil {
		t.Fatal(err)
	}
	if list, err = d.a.Materials(d.ctx); err != nil || list[0].Name != "wall of the mill" || !list[0].Marked ||
		strings.Join(list[0].Tags, "+") != "red+old" || list[0].Credit.Author != "somebody" {
		t.Errorf("%+v %v", list, err)
	}
	for _, bad := range []outfit.Shelved{{Name: " ", Home: other, Material: surface.New()},
		{Name: "x", Home: other}, {Name: "x", Home: "nowhere", Material: surface.New()},
		{Name: "x", Home: d.production, ID: "nothing", Material: surface.New()},
		{Name: "x", Home: other, ID: brick.ID, Material: surface.New()}} {
		if err := d.a.Shelve(d.ctx, &bad); err == nil {
			t.Errorf("%+v is kept", bad)
		}
	}
	for _, bad := range [][]outfit.Handed{nil, {{Blob: grey(1), Name: "photo.png"}},
		{{Blob: strings.Repeat("0", 64), Name: "oak_color.png"}}, make([]outfit.Handed, 2000)} {
		if made, _, err := d.a.Gather(d.ctx, d.production, bad); err == nil || len(made) > 0 {
			t.Errorf("%d files make %v", len(bad), made)
		}
	}
	if err := d.a.Unshelve(d.ctx, d.production, brick.ID); err != nil {
		t.Fatal(err)
	}
	if list, err = d.a.Materials(d.ctx); err != nil || len(list) != 1 {
		t.Errorf("%+v %v", list, err)
	}
}

// A thing by itself is drawn in each light, another in each; turned it looks otherwise, beside a person it is smaller;
// red it is red.
func TestAThingByItself(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	st := d.takeIn("box.glb", boxGLB(t))
	box := d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID})).Made[0]
	seen := map[string]string{}
	alone := func(o outfit.Alone) (r, g float64) {
		t.Helper()
		o.Thing, o.Wide = box, 64
		data, err := d.a.Alone(d.ctx, d.set, o)
		if err != nil {
			t.Fatal(o, err)
		}
		for is, had := range seen {
			if had == string(data) {
				t.Errorf("%+v is as %s", o, is)
			}
		}
		seen[fmt.Sprintf("%+v", o)] = string(data)
		m, err := model.DecodePicture(data, "alone")
		if err != nil || m.Rect.Dx() != 64 || m.Rect.Dy() != 64 {
			t.Fatal(m.Rect, err)
		}
		for y := 24; y < 40; y++ {
			for x := 24; x < 40; x++ {
				c := m.NRGBAAt(x, y)
				r, g = r+float64(c.R), g+float64(c.G)
			}
		}
		return r, g
	}
	for _, l := range outfit.AloneLights {
		alone(outfit.Alone{Light: l})
	}
	r0, g0 := alone(outfit.Alone{Light: "studio", Turn: 0.6})
	alone(outfit.Alone{Light: "studio", Person: true})
	m := surface.New()
	m.Base = "#c01010"
	d.edit(edit.Do(&edit.PutOn{Name: "red", Material: &m, On: []surface.On{{Thing: box}}}))
	if r, g := alone(outfit.Alone{Light: "studio", Turn: 0.6}); r/g < 2*r0/g0 {
		t.Errorf("red it is %v red and %v green, it was %v and %v", r, g, r0, g0)
	}
	for _, bad := range []outfit.Alone{{Thing: box, Light: "disco", Wide: 64}, {Thing: box, Light: "studio", Wide: 9999},
		{Thing: "nothing", Light: "studio", Wide: 64}, {Thing: box, Light: "studio", Wide: 64, Turn: math.Inf(1)}} {
		if _, err := d.a.Alone(d.ctx, d.set, bad); err == nil {
			t.Errorf("%+v is drawn", bad)
		}
	}
}
