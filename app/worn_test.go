package app_test

import (
	"bytes"
	"image/color"
	"math"
	"slices"
	"strings"
	"testing"

	"visator/app/edit"
	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/lay/keep"
	"visator/core/model"
	"visator/core/subdivide"
	"visator/core/surface"
)

// A worn floor is handed out as it stands when that is asked for: its dust is in a picture of its own, in its second
// coordinates; else it is handed out clean. Only what is worn gets one.
func TestWornThingsAreHandedOutAsTheyStand(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	blob := d.plain(color.NRGBA{60, 60, 60, 255})
	data, err := d.a.Store.ReadBlob(d.ctx, blob)
	if err != nil {
		t.Fatal(err)
	}
	d.takeIn("floor.glb", plankFloor(t, data))
	st := d.takeIn("box.glb", boxGLB(t))
	made := map[string]string{}
	for _, p := range st.Pieces {
		made[p.Name] = d.edit(edit.Do(&edit.Place{Piece: p.ID, At: geom.V{X: 8 * float64(len(made))}})).Made[0]
	}
	w := surface.NewWear()
	w.Dust, w.DustOf, w.Only = 1, "#ffffff", []string{made["floor"]}
	wear := d.add("wear", &keep.Wear{Wear: w})
	// how bright the base colour of the floor is on the mean, and how many pictures there are
	export := func(baked bool) (bright float64, pictures int) {
		t.Helper()
		var raw bytes.Buffer
		if err := d.a.Export(d.ctx, d.set, baked, &raw); err != nil {
			t.Fatal(err)
		}
		m, err := gltf.Read("set", raw.Bytes(), model.Folder{})
		if err != nil {
			t.Fatal(err)
		}
		for i := range m.Surfaces {
			s := &m.Surfaces[i]
			slot := s.Slots[model.BaseColorMap]
			if s.Name != "planks" || slot.Map == model.None {
				continue
			}
			pic, err := m.Maps[slot.Map].Picture()
			if err != nil {
				t.Fatal(err)
			}
			n := 0
			for k := 0; k < len(pic.Pix); k += 4 {
				if pic.Pix[k+3] != 0 {
					bright, n = bright+float64(pic.Pix[k]), n+1
				}
			}
			bright /= float64(n)
			if bright > 100 && slot.Set != 1 {
				t.Error("it is not in its second coordinates")
			}
		}
		return bright, len(m.Maps)
	}
	if clean, n := export(false); math.Abs(clean-60) > 1 || n != 1 {
		t.Errorf("clean it is %v, with %d pictures", clean, n)
	}
	if dusty, n := export(true); dusty < 120 || n < 3 {
		t.Errorf("dusty it is %v, with %d pictures", dusty, n)
	}
	d.edit(edit.Do(&edit.ChangeElement{ID: wear, Patch: patch(map[string]any{"hidden": true})}))
	if clean, _ := export(true); math.Abs(clean-60) > 1 {
		t.Errorf("its wear taken off it is %v", clean)
	}
	// By a picture that is black it is worn nowhere; of one that is gone the set says so.
	d.edit(edit.Do(&edit.ChangeElement{ID: wear, Patch: patch(map[string]any{"hidden": false, "spec": map[string]any{
		"areaWide": 100, "map": surface.Map{Blob: d.plain(color.NRGBA{0, 0, 0, 255}), Name: "black.png"}}})}))
	if clean, _ := export(true); math.Abs(clean-60) > 2 {
		t.Errorf("where its picture is black it is %v", clean)
	}
	d.edit(edit.Do(&edit.ChangeElement{ID: wear, Patch: patch(map[string]any{"spec": map[string]any{
		"map": surface.Map{Blob: strings.Repeat("0", 64), Name: "gone.png"}}})}))
	if err := d.a.Export(d.ctx, d.set, true, &bytes.Buffer{}); err == nil || !strings.Contains(err.Error(), "gone.png") {
		t.Errorf("of a picture that is gone: %v", err)
	}
}

// The material of a piece is taken off it in the library, without its standing anywhere, as wide as it is there; a piece
// keeps a picture that it was given, until that is undone.
func TestPiecesInTheLibraryHaveMaterialsAndPictures(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	data, err := d.a.Store.ReadBlob(d.ctx, d.plain(color.NRGBA{150, 110, 70, 255}))
	if err != nil {
		t.Fatal(err)
	}
	st := d.takeIn("floor.glb", plankFloor(t, data))
	piece := st.Pieces[0]
	oak, err := d.a.TakeOff(d.ctx, d.set, "", piece.ID, "planks")
	if err != nil || math.Abs(oak.Tile-0.5) > 1e-6 || oak.Rough != 0.4 || oak.Maps["base"].Name != "oak.png" {
		t.Fatalf("%+v, %v", oak, err)
	}
	if _, err := d.a.TakeOff(d.ctx, d.set, "", piece.ID, "marble"); err == nil {
		t.Error("it has a surface that it has not")
	}
	if _, err := d.a.TakeOff(d.ctx, d.set, "", "nothing", "planks"); err == nil {
		t.Error("a piece that is not there has a material")
	}
	d.waitMade(piece.ID)
	was := d.state().Pieces[0].Picture
	red := d.plain(color.NRGBA{200, 0, 0, 255})
	d.edit(edit.Do(&edit.Recipe{ID: piece.ID, Step: edit.RecipeStep{Op: "portrait", Name: red}}))
	if p := d.waitMade(piece.ID); p.Picture != red {
		t.Errorf("its picture is %q, not %q", p.Picture, red)
	}
	if !d.step(true) {
		t.Fatal("it is not undone")
	}
	if p := d.waitMade(piece.ID); p.Picture != was {
		t.Errorf("its picture is %q, it was %q", p.Picture, was)
	}
}

// A piece that is smoother within 5 m of the lens is divided there, and as it came farther away.
func TestSmootherNearTheLensAlone(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	st := d.takeIn("box.glb", boxGLB(t))
	d.edit(edit.Do(&edit.Recipe{ID: st.Pieces[0].ID, Step: edit.RecipeStep{Op: "smooth",
		Smooth: subdivide.Smooth{Times: 1, By: "triangles", Sharp: 180, Near: 5}}}))
	d.waitMade(st.Pieces[0].ID)
	eye := d.state().Set.View.Eye
	d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID, At: eye.Add(geom.V{Z: -4})}))
	d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID, At: eye.Add(geom.V{Z: -40})}))
	var raw bytes.Buffer
	if err := d.a.Export(d.ctx, d.set, false, &raw); err != nil {
		t.Fatal(err)
	}
	m, err := gltf.Read("set", raw.Bytes(), model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	var list []int
	for i := range m.Meshes {
		n := 0
		for k := range m.Meshes[i].Parts {
			n += m.Meshes[i].Parts[k].Triangles()
		}
		list = append(list, n)
	}
	slices.Sort(list)
	if len(list) != 2 || list[1] != 4*list[0] {
		t.Errorf("bodies of %v triangles, not of one number and of four times that", list)
	}
}
