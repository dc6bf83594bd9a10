package app_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"io"
	"math"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/library"
	"visator/app/query"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/intake/maps"
	"visator/core/light"
	"visator/core/model"
	"visator/core/snag"
	"visator/demo"
	"visator/store"
	"visator/supplier"
)

// folder sends files as one arrival and waits until it has been dealt with.
func (d *studio) folder(name, piece string, files ...string) *query.State {
	d.Helper()
	i := 0
	ar, _, err := d.a.ArriveFolder(d.ctx, d.production, name, piece, func() (library.Incoming, error) {
		if i >= len(files) {
			return library.Incoming{}, io.EOF
		}
		i += 2
		return library.Incoming{Path: files[i-2], Body: strings.NewReader(files[i-1])}, nil
	})
	if err != nil {
		d.Fatal(err)
	}
	return d.await(name, func(st *query.State) bool {
		k := slices.IndexFunc(st.Arrivals, func(a store.Arrival) bool { return a.ID == ar.ID })
		return k >= 0 && slices.Contains([]string{"done", "failed", "choose"}, st.Arrivals[k].State)
	})
}

const board = "mtllib b.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\no Front\nusemtl " +
	"Oak\nf 1/1 2/2 3/3 4/4\no Back\nusemtl Tin\nf 4/4 3/3 2/2\n"

func pngOf(t testing.TB) string {
	t.Helper()
	var buf bytes.Buffer
	if err := png.Encode(&buf, image.NewGray(image.Rect(0, 0, 4, 4))); err != nil {
		t.Fatal(err)
	}
	return buf.String()
}

func (d *studio) waitMade(id string) *query.PieceState {
	d.Helper()
	st := d.await("the piece to be made", func(st *query.State) bool {
		return slices.ContainsFunc(st.Pieces, func(p query.PieceState) bool { return p.ID == id && p.Making == "" })
	})
	for i := range st.Pieces {
		if st.Pieces[i].ID == id {
			return &st.Pieces[i]
		}
	}
	return nil
}

func TestMissingMapsAreFoundInAnotherArrivalAndByHand(t *testing.T) {
	d := newStudio(t)
	st := d.folder("board", "", "board/b.obj", board, "board/b.mtl",
		"newmtl Oak\nmap_Kd tex/Oak_BaseColor.png\nnewmtl Tin\nKd 0.5 0.5 0.5\n")
	id := st.Pieces[0].ID
	if st.Pieces[0].Lacks != 1 {
		t.Fatalf("lacks %d", st.Pieces[0].Lacks)
	}
	pic := pngOf(t)
	st = d.folder("maps", "", "maps/oak_albedo_2k.png", pic, "maps/tin_rough.png", pic, "maps/unknown.png", pic)
	arrival := st.Arrivals[1].ID
	if st.Arrivals[1].Pictures != 3 || len(st.Pieces) != 1 {
		t.Errorf("%+v", st.Arrivals[1])
	}
	found, err := d.a.FindMaps(d.ctx, "", arrival)
	if err != nil || len(found) != 1 || found[0].Set != 2 || found[0].Lacks != 0 {
		t.Fatalf("%+v, %v", found, err)
	}
	if p := d.waitMade(id); p.Lacks != 0 || len(p.Facts.Textures) != 2 {
		t.Errorf("lacks %d, %+v", p.Lacks, p.Facts.Textures)
	}
	if tray, err := d.a.Tray(d.ctx, arrival); err != nil || len(tray) != 3 {
		t.Errorf("%v, %v", tray, err)
	}
	// By hand, then left empty, then as it came.
	if err := d.a.AssignMap(d.ctx, id, "Tin", maps.Metallic, arrival, "maps/unknown.png", 1); err != nil {
		t.Fatal(err)
	}
	d.waitMade(id)
	detail, err := d.a.Piece(d.ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	cell := func(d *library.PieceDetail, surface string, role maps.Role) library.MapState {
		for _, s := range d.Surfaces {
			for _, c := range s.Cells {
				if s.Key == surface && c.Role == role {
					return c
				}
			}
		}
		return library.MapState{}
	}
	if c := cell(detail, "Tin", maps.Metallic); c.State != "chosen" || !strings.Contains(c.Say, "by hand") || !c.Hand {
		t.Errorf("%+v", c)
	}
	if err := d.a.AssignMap(d.ctx, id, "Tin", "smell", arrival, "maps/unknown.png", 0); err == nil {
		t.Error("a slot that no surface has was filled")
	}
	if err := d.a.AssignMap(d.ctx, id, "Tin", maps.Normal, arrival, "maps/gone.png", 0); err == nil {
		t.Error("a picture that is not there was taken")
	}
	d.edit(decision(id, map[string]any{"op": "unmap", "surface": "Tin", "role": "metallic"}))
	if detail, _ = d.a.Piece(d.ctx, id); cell(detail, "Tin", maps.Metallic).State != "" {
		t.Error("the slot is not as it came")
	}
}

func TestDecisionsAboutPartsAreEditsLikeAnyOther(t *testing.T) {
	d := newStudio(t)
	st := d.folder("board", "", "board/b.obj", board, "board/b.mtl", "newmtl Oak\nnewmtl Tin\n")
	id := st.Pieces[0].ID
	decide := func(v map[string]any) {
		t.Helper()
		d.edit(decision(id, v))
		d.waitMade(id)
	}
	decide(map[string]any{"op": "drop", "parts": []string{"Back"}})
	if p := d.waitMade(id); p.Facts.Triangles != 2 || p.Facts.Parts != 1 {
		t.Errorf("%+v", p.Facts)
	}
	decide(map[string]any{"op": "keep", "parts": []string{"Back"}})
	decide(map[string]any{"op": "name", "parts": []string{"Front", "Back"}, "name": "side"})
	detail, err := d.a.Piece(d.ctx, id)
	if err != nil || detail.Parts[1].Label != "side 2" || detail.Parts[0].Thumb == "" {
		t.Errorf("%+v, %v", detail.Parts, err)
	}
	decide(map[string]any{"op": "join", "parts": []string{"Front", "Back"}, "name": "both"})
	if p := d.waitMade(id); p.Facts.Triangles != 3 || p.Facts.Parts != 2 { // one thing, two surfaces
		t.Errorf("%+v", p.Facts)
	}
	decide(map[string]any{"op": "apart", "name": "both"})
	// What was made before comes back at once, without a job.
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
		t.Fatal(err)
	}
	if p := d.state().Pieces[0]; p.Making != "" {
		t.Errorf("after undo it is %q", p.Making)
	}
	for name, v := range map[string]map[string]any{"nothing chosen": {"op": "drop"}, "unknown": {"op": "paint"},
		"no name": {"op": "name", "parts": []string{"Front"}}, "by smell": {"op": "split", "parts": []string{"Front"},
			"by": "smell"}} {
		if _, err := d.a.Edit(d.ctx, d.set,
			desk.Request{Revision: -1, Commands: []desk.Command{decision(id, v)}}); err == nil {
			t.Errorf("%s was accepted", name)
		}
	}
	// All parts dropped: the piece stays as it was and says why.
	d.edit(decision(id, map[string]any{"op": "drop", "parts": []string{"Front", "Back", "both"}}))
	st = d.await("the failure", func(st *query.State) bool { return strings.HasPrefix(st.Pieces[0].Making, "failed") })
	if !slices.ContainsFunc(st.Snags, func(s snag.Snag) bool { return strings.Contains(s.What, "keep at least one") }) {
		t.Errorf("%+v", st.Snags)
	}
}

func TestCamerasInAFileBecomeShots(t *testing.T) {
	d := newStudio(t)
	m := &model.Model{}
	m.Stand(model.Mesh{Name: "wall",
		Parts: []model.Part{{Surface: model.None, Positions: []float32{-5, 0, -20, 5, 0, -20, 0, 10, -21},
			Indices: []uint32{0, 1, 2}}}})
	n := model.NewNode("view of the wall")
	n.Local, n.Camera = geom.Translation(geom.V{Y: 2, Z: 5}), 0
	m.Cameras = []model.Camera{{YFov: 2 * math.Atan(12.0/50), Aspect: 1.5, Near: 0.5, Far: 300}}
	m.Nodes, m.Roots = append(m.Nodes, n), append(m.Roots, 1)
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, m); err != nil {
		t.Fatal(err)
	}
	st := d.takeIn("wall.glb", buf.Bytes())
	id := st.Pieces[0].ID
	d.edit(edit.Do(&edit.ChangePiece{ID: id,
		Patch: patch(map[string]any{"sizing": map[string]any{"centre": false, "ground": false}})}),
		edit.Do(&edit.Place{Piece: id, At: geom.V{X: 100}}))
	if count, skipped, err := d.a.TakeCameras(d.ctx, d.set, id); err != nil || count != 1 || len(skipped) != 0 {
		t.Fatalf("%d, %v", count, err)
	}
	s := d.state().Shots[0]
	if s.Name != "view of the wall" || s.View.Eye.Sub(geom.V{X: 100, Y: 2, Z: 5}).Len() > 1e-9 ||
		math.Abs(s.View.Far-300) > 1e-9 {
		t.Errorf("%+v", s)
	}
	// The wall's box begins 25 m ahead.
	if math.Abs(s.View.Focus-25) > 0.01 {
		t.Errorf("focused at %v", s.View.Focus)
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil || len(d.state().Shots) != 0 {
		t.Errorf("%v", err)
	}
}

func TestASupplierIsFetchedFrom(t *testing.T) {
	d := newStudio(t)
	if _, err := d.a.Catalogue(d.ctx, ""); err == nil || !strings.Contains(err.Error(), "--supplier") {
		t.Errorf("no supplier: %v", err)
	}
	shop, err := demo.Shop()
	if err != nil {
		t.Fatal(err)
	}
	shop.SlowBytes = 1 << 20
	at := httptest.NewServer(shop)
	defer at.Close()
	d.a.Supplier = &supplier.Client{Address: at.URL}
	list, err := d.a.Catalogue(d.ctx, "cc-by semaphore")
	if err != nil || len(list) != 1 {
		t.Fatalf("%d, %v", len(list), err)
	}
	for _, f := range list[0].Formats {
		if _, err := d.a.Order(d.ctx, d.production, list[0].ID, f.File); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := d.a.Order(d.ctx, d.production, "bench", "bench.glb"); err != nil {
		t.Fatal(err)
	}
	st := d.await("the goods", func(st *query.State) bool {
		n := 0
		for _, a := range st.Arrivals {
			if a.State == "done" || a.State == "failed" || a.State == "choose" {
				n++
			}
		}
		return n == 4
	})
	for _, a := range st.Arrivals {
		if a.Name == "bench.glb" && (a.State != "failed" || !strings.Contains(a.Note, "come back tomorrow")) ||
			a.Name == "signal_obj.zip" && a.State == "failed" {
			t.Errorf("%s: %s %s", a.Name, a.State, a.Note)
		}
	}
	if p := st.Pieces[0]; p.Credit.Price != 14 || p.Credit.Author != "Upper Valley Props" ||
		p.Credit.Licence != "CC-BY-4.0" {
		t.Errorf("%+v", p.Credit)
	}
}

func TestAnIntakeIsStoppedAndTakenUpAgain(t *testing.T) {
	d := newStudio(t)
	shop := &supplier.Server{SlowBytes: 20_000,
		Files:  map[string][]byte{"slow.glb": append(boxGLB(t), make([]byte, 100_000)...)},
		Offers: []supplier.Offer{{ID: "1", Formats: []supplier.Form{{File: "slow.glb", Manner: supplier.Slow}}}}}
	at := httptest.NewServer(shop)
	defer at.Close()
	d.a.Supplier = &supplier.Client{Address: at.URL}
	ar, err := d.a.Order(d.ctx, d.production, "1", "slow.glb")
	if err != nil {
		t.Fatal(err)
	}
	d.await("the fetching", func(st *query.State) bool { return strings.HasPrefix(st.Arrivals[0].Note, "fetching") })
	if err := d.a.CancelArrival(d.ctx, ar.ID); err != nil {
		t.Fatal(err)
	}
	if err := d.a.CancelArrival(d.ctx, ar.ID); err == nil {
		t.Error("it was stopped twice")
	}
	if s := d.state().Arrivals[0]; s.State != "cancelled" {
		t.Errorf("%+v", s)
	}
	shop.SlowBytes = 10 << 20
	if err := d.a.ResumeArrival(d.ctx, ar.ID); err != nil {
		t.Fatal(err)
	}
	d.await("the arrival",
		func(st *query.State) bool { return st.Arrivals[0].State == "done" || st.Arrivals[0].State == "failed" })
}

// A namesake does not take a piece's place: it takes evidence, a hand, or both, and of
// several models one follows.
func TestReplacingNeedsMoreThanAName(t *testing.T) {
	d := newStudio(t)
	mtl := "newmtl Oak\nKd 0.5 0.4 0.3\nnewmtl Tin\nKd 0.5 0.5 0.5\n"
	found := func(st *query.State, arrival string) (out []library.Found, id string) {
		t.Helper()
		for _, a := range st.Arrivals {
			if a.Name == arrival {
				if err := json.Unmarshal(a.Found, &out); err != nil {
					t.Fatal(err)
				}
				return out, a.ID
			}
		}
		t.Fatal("no arrival", arrival)
		return nil, ""
	}
	st := d.folder("first", "", "chair.obj", board, "b.mtl", mtl)
	id := st.Pieces[0].ID

	// Another's chair, of another shape: offered, and not proposed.
	other := "mtllib b.mtl\nv 0 0 0\nv 9 0 0\nv 9 1 0\nv 0 1 2\no Seat\nusemtl Oak\nf 1 2 3\nf 1 3 4\n"
	st = d.folder("namesake", "", "chair.obj", other, "b.mtl", mtl)
	list, arrival := found(st, "namesake")
	if list[0].Renews != id || list[0].Sure || !strings.Contains(list[0].RenewsWhy, "no part has the same shape") {
		t.Errorf("the namesake: %+v", list[0])
	}
	if err := d.a.Take(d.ctx, arrival, []string{"chair.obj"}, nil); err != nil {
		t.Fatal(err)
	}
	d.await("the namesake", func(st *query.State) bool { return len(st.Pieces) == 2 })

	// Its newer version among six variants: one of them is proposed, and one can follow.
	longer := strings.ReplaceAll(board, "f 4/4 3/3 2/2\n",
		"f 4/4 3/3 2/2\no Knob\nv 0.4 0.4 0\nv 0.5 0.4 0\nv 0.5 0.5 0.1\nf 5 6 7\n")
	files := []string{"b.mtl", mtl}
	for _, v := range []string{"low", "mid", "high", "old", "new", "final"} {
		files = append(files, "chair_"+v+".obj", longer)
	}
	st = d.folder("variants", "", files...)
	list, arrival = found(st, "variants")
	sure, all, renew := 0, []string{}, map[string]string{}
	for _, f := range list {
		all = append(all, f.Path)
		if f.Sure {
			sure++
			renew[f.Path] = f.Renews
			if f.Renews != id || !strings.Contains(f.RenewsWhy, "100 % of its surface") {
				t.Errorf("%+v", f)
			}
		}
	}
	if len(list) != 6 || sure != 1 {
		t.Fatalf("%d models, %d proposed as newer versions", len(list), sure)
	}
	twice := map[string]string{all[0]: id, all[1]: id}
	if err := d.a.Take(d.ctx, arrival, all, twice); err == nil || !strings.Contains(err.Error(), "only one model") {
		t.Errorf("two models follow one piece: %v", err)
	}
	if err := d.a.Take(d.ctx, arrival, all, renew); err != nil {
		t.Fatal(err)
	}
	st = d.await("all six", func(st *query.State) bool {
		return len(st.Pieces) == 7 && !slices.ContainsFunc(st.Pieces,
			func(p query.PieceState) bool { return p.Making != "" })
	})
	if n := len(slices.DeleteFunc(slices.Clone(st.Pieces), func(p query.PieceState) bool { return !p.News })); n != 1 {
		t.Errorf("%d pieces were renewed", n)
	}

	// A renamed file is declared by hand, after it was taken as a piece of its own.
	st = d.folder("renamed", "", "stool_b.obj", longer, "b.mtl", mtl)
	_, arrival = found(st, "renamed")
	d.await("the renamed", func(st *query.State) bool { return len(st.Pieces) == 8 })
	if err := d.a.Take(d.ctx, arrival, []string{"stool_b.obj"}, map[string]string{"stool_b.obj": id}); err != nil {
		t.Fatal(err)
	}
	d.await("the declared version", func(st *query.State) bool {
		return slices.ContainsFunc(st.Pieces,
			func(p query.PieceState) bool { return p.ID == id && p.Arrival == arrival && p.Making == "" })
	})
}

// A sun in a file becomes the set's, as an edit; a camera without a lens is named; a
// favourite stays one in another production, where it is brought once.
func TestWhatAFileBringsBesidesItsMesh(t *testing.T) {
	d := newStudio(t)
	m := &model.Model{Cameras: []model.Camera{{Name: "plan", Orthographic: true, XMag: 5, YMag: 5, Far: 9}}}
	m.Stand(model.Mesh{Name: "wall",
		Parts: []model.Part{{Surface: model.None, Positions: []float32{0, 0, 0, 1, 0, 0, 0, 1, 0},
			Indices: []uint32{0, 1, 2}}}})
	colour := light.Color(3000)
	peak := max(colour.X, colour.Y, colour.Z)
	m.Lights = []model.Light{{Name: "sun", Kind: model.Directional,
		Color: [3]float64{colour.X / peak, colour.Y / peak, colour.Z / peak}, Intensity: 900}}
	sun, camera := model.NewNode("sun"), model.NewNode("plan")
	// It shines along -Z of its node: straight down after a quarter turn about X.
	sun.Local, sun.Light = geom.Compose(geom.V{Y: 3}, geom.Turn(geom.V{X: 1}, -math.Pi/3), geom.V{X: 1, Y: 1, Z: 1}), 0
	camera.Camera = 0
	m.Nodes, m.Roots = append(m.Nodes, sun, camera), append(m.Roots, 1, 2)
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, m); err != nil {
		t.Fatal(err)
	}
	id := d.takeIn("wall.glb", buf.Bytes()).Pieces[0].ID
	if detail, err := d.a.Piece(d.ctx, id); err != nil || detail.Suns != 1 {
		t.Fatalf("%+v, %v", detail, err)
	}
	if err := d.a.TakeSun(d.ctx, d.set, id); err != nil {
		t.Fatal(err)
	}
	if l := d.state().Set.Light; math.Abs(l.Elevation-math.Pi/3) > 1e-6 || math.Abs(l.Lux-900) > 1e-3 ||
		math.Abs(1e6/l.Kelvin-1e6/3000) > 2 {
		t.Errorf("%+v", l)
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil || d.state().Set.Light.Lux == 900 {
		t.Errorf("undone: %v", err)
	}
	if n, skipped, err := d.a.TakeCameras(d.ctx, d.set, id); err != nil || n != 0 ||
		!slices.Equal(skipped, []string{"plan"}) {
		t.Errorf("%d, %q, %v", n, skipped, err)
	}

	d.edit(edit.Do(&edit.ChangePiece{ID: id, Patch: patch(map[string]any{"favourite": true})}))
	other, _, err := d.a.NewProduction(d.ctx, "other", "metre")
	if err != nil {
		t.Fatal(err)
	}
	brought, err := d.a.Bring(d.ctx, other, id)
	if err != nil {
		t.Fatal(err)
	}
	if p, err := store.GetPiece(d.ctx, d.a.Store.Pool, brought); err != nil || !p.Favourite {
		t.Errorf("%v, favourite %v", err, p.Favourite)
	}
	if _, err := d.a.Bring(d.ctx, other, id); err == nil || !strings.Contains(err.Error(), "here already") {
		t.Errorf("brought twice: %v", err)
	}
}

// decision is one about a piece.
func decision(piece string, step map[string]any) desk.Command {
	return desk.Command{Op: "recipe", Args: patch(map[string]any{"id": piece, "step": step})}
}
