package app_test

import (
	"bytes"
	"image/color"
	"image/png"
	"math"
	"strings"
	"testing"

	"visator/app/edit"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/model"
	"visator/core/surface"
)

// plankFloor is a floor of 3 x 3 m in one mesh unit a metre, whose picture repeats every half metre.
func plankFloor(t *testing.T, picture []byte) []byte {
	t.Helper()
	s := model.DefaultSurface()
	s.Name, s.Metallic, s.Roughness = "planks", 0, 0.4
	s.Slots[model.BaseColorMap] = model.Slot{Map: 0, Scale: [2]float64{6, 6}}
	n := model.NewNode("floor")
	n.Mesh = 0
	m := &model.Model{Nodes: []model.Node{n}, Roots: []int{0}, Surfaces: []model.Surface{s},
		Maps: []model.Map{{Name: "oak.png", Mime: "image/png", Data: picture, Status: model.Embedded}},
		Meshes: []model.Mesh{{Parts: []model.Part{{Positions: []float32{0, 0, 0, 0, 0, 3, 3, 0, 3, 3, 0, 0},
			Normals: []float32{0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0}, UV: []float32{0, 0, 0, 1, 1, 1, 1, 0},
			Indices: []uint32{0, 1, 2, 0, 2, 3}}}}}}
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, m); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

// A material is taken off a floor and put on a box: its picture comes along as large as it is, on a body that has no
// coordinates too; it counts where it was said to, is undone, and is taken away again.
func TestAMaterialTakenOffOneThingAndPutOnAnother(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	data, err := d.a.Store.ReadBlob(d.ctx, d.plain(color.NRGBA{150, 110, 70, 255}))
	if err != nil {
		t.Fatal(err)
	}
	d.takeIn("floor.glb", plankFloor(t, data))
	st := d.takeIn("box.glb", boxGLB(t))
	of := map[string]string{}
	for _, p := range st.Pieces {
		of[p.Name] = p.ID
	}
	floor := d.edit(edit.Do(&edit.Place{Piece: of["floor"]})).Made[0]
	box := d.edit(edit.Do(&edit.Place{Piece: of["box"], At: geom.V{X: 9}})).Made[0]
	other := d.edit(edit.Do(&edit.Place{Piece: of["box"], At: geom.V{X: 19}})).Made[0]
	one := func(thing string) surface.Material {
		t.Helper()
		got, err := d.a.Surfaces(d.ctx, d.set, thing, "")
		if err != nil || len(got.List) != 1 {
			t.Fatalf("%+v, %v", got, err)
		}
		if thing != floor && got.Linked != 2 {
			t.Errorf("%d show the piece", got.Linked)
		}
		return got.List[0].Material
	}
	if m := one(floor); math.Abs(m.Tile-0.5) > 1e-6 || m.Rough != 0.4 {
		t.Errorf("%+v", m)
	}
	oak, err := d.a.TakeOff(d.ctx, d.set, floor, "", "planks")
	if err != nil || math.Abs(oak.Tile-0.5) > 1e-6 || oak.Maps["base"].Name != "oak.png" {
		t.Fatalf("%+v, %v", oak, err)
	}
	got, _ := d.a.Surfaces(d.ctx, d.set, box, "")
	name := got.List[0].Surface
	d.edit(edit.Do(&edit.PutOn{Name: "oak", Material: oak, On: []surface.On{{Thing: box, Surface: name}}}))
	if one(box).Tile != oak.Tile || one(other).Rough == 0.4 {
		t.Error("it is not on the box alone")
	}
	var raw bytes.Buffer
	if err := d.a.Export(d.ctx, d.set, false, &raw); err != nil {
		t.Fatal(err)
	}
	whole, err := gltf.Read("set", raw.Bytes(), model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	// On the box, which has no coordinates, a picture of half a metre is thrown from three sides: metres over half a
	// metre, whatever the box's own scale.
	found := false
	for _, mesh := range whole.Meshes {
		for i := range mesh.Parts {
			p := &mesh.Parts[i]
			if p.Surface == model.None || whole.Surfaces[p.Surface].Name != name ||
				whole.Surfaces[p.Surface].Slots[model.BaseColorMap].Map == model.None {
				continue
			}
			found = true
			slot := &whole.Surfaces[p.Surface].Slots[model.BaseColorMap]
			lo, hi := math.Inf(1), math.Inf(-1)
			for k := 0; k < len(p.UV); k += 2 {
				u := float64(p.UV[k]) * slot.Scale[0]
				lo, hi = min(lo, u), max(hi, u)
			}
			if hi-lo < 1.9 || hi-lo > 4.1 {
				t.Errorf("pictures of half a metre lie %.2f times along a box of 1 by 2 m", hi-lo)
			}
		}
	}
	if !found {
		t.Error("the exported box bears no picture")
	}
	// On all of the piece, but what is said of one thing counts before it.
	red := surface.New()
	red.Base = "#ff0000"
	d.edit(edit.Do(&edit.PutOn{Name: "red", Material: &red, On: []surface.On{{Piece: of["box"], Surface: name}}}))
	if one(other).Base != "#ff0000" || one(box).Base == "#ff0000" {
		t.Error("what is said of the thing does not count first")
	}
	d.edit(edit.Do(&edit.AsItCame{On: []surface.On{{Thing: box, Surface: name}}}))
	if one(box).Base != "#ff0000" {
		t.Error("it is not as its piece is")
	}
	if !d.step(true) || one(box).Rough != 0.4 {
		t.Error("undo")
	}
	for _, wrong := range []edit.PutOn{{Material: &red}, {ID: "nobody", On: []surface.On{{Thing: box}}},
		{Material: &surface.Material{}, On: []surface.On{{Thing: box}}}} {
		if said := d.refused(edit.Do(&wrong)); said == "" {
			t.Errorf("%+v is done", wrong)
		}
	}
	if _, err := d.a.TakeOff(d.ctx, d.set, floor, "", "marble"); err == nil || !strings.Contains(err.Error(), "marble") {
		t.Errorf("%v", err)
	}
	p, err := d.a.Sample(d.ctx, oak, false, false)
	if err != nil {
		t.Fatal(err)
	}
	if m, err := png.Decode(bytes.NewReader(p)); err != nil || m.Bounds().Dx() != 128 {
		t.Errorf("its picture: %v", err)
	}
	gone := *oak
	gone.Maps = map[string]surface.Map{"base": {Blob: strings.Repeat("0", 64), Name: "gone.png"}}
	if _, err := d.a.Sample(d.ctx, &gone, true, true); err == nil || !strings.Contains(err.Error(), "gone.png") {
		t.Errorf("of a picture that is gone: %v", err)
	}
}
