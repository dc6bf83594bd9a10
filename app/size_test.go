package app_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"image"
	"image/png"
	"math"
	"strings"
	"testing"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/core/geom"
)

// planks is a download: a floor of 4 m with one picture that it shows once.
func planks(t *testing.T, name string) []byte {
	t.Helper()
	var picture, out bytes.Buffer
	if err := png.Encode(&picture, image.NewGray(image.Rect(0, 0, 64, 64))); err != nil {
		t.Fatal(err)
	}
	z := zip.NewWriter(&out)
	for file, data := range map[string]string{
		name + ".obj": "mtllib a.mtl\no " + name +
			"\nusemtl Planks\nv 0 0 0\nv 4 0 0\nv 4 0 4\nv 0 0 4\nv 2 0.5 2\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvt 0.5 0.5\nf " +
			"1/1 4/4 3/3 2/2\nf 1/1 2/2 5/5\n",
		"a.mtl": "newmtl Planks\nmap_Kd planks.png\n", "planks.png": picture.String(),
	} {
		w, err := z.Create(file)
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprint(w, data)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

func TestATrueRepeatIsSetOnAllPiecesThatHaveTheSurface(t *testing.T) {
	d := newStudio(t)
	d.takeIn("floor.zip", planks(t, "floor"))
	st := d.takeIn("stage.zip", planks(t, "stage"))
	if len(st.Pieces) != 2 {
		t.Fatalf("pieces %+v", st.Pieces)
	}
	repeat := func(id string) query.PatternState {
		t.Helper()
		p, err := d.a.Proposal(d.ctx, id)
		if err != nil || len(p.Patterns) != 1 {
			t.Fatalf("%v: %+v", err, p)
		}
		return p.Patterns[0]
	}
	a, b := st.Pieces[0].ID, st.Pieces[1].ID
	if r := repeat(a); math.Abs(r.Repeat-4) > 0.1 || r.Surface != "Planks" || r.Wrong != "" ||
		math.Abs(r.Texels-16) > 0.5 {
		t.Errorf("as it came: %+v", r)
	}
	// In centimetres the picture would be a hundred times smaller: a snag.
	d.edit(edit.Do(&edit.ChangePiece{ID: a,
		Patch: patch(map[string]any{"sizing": map[string]any{"metresPerUnit": 0.01, "decided": true}})}))
	if r := repeat(a); !strings.Contains(r.Wrong, "pictures of planks show") {
		t.Errorf("in centimetres: %+v", r)
	}
	found := false
	for _, s := range d.state().Snags {
		found = found || s.ID == a && strings.Contains(s.What, "one repeat of")
	}
	if !found {
		t.Errorf("no snag: %+v", d.state().Snags)
	}
	// On its picture, 4 cm wide now, what measured 1 cm is really 30 cm: a repeat
	// of 1.2 m.
	d.edit(edit.Do(&edit.TrueRepeat{Everywhere: true, ID: a, Surface: "Planks", Was: 0.25 * repeat(a).Repeat,
		Metres: 0.3}))
	for _, id := range []string{a, b} {
		if r := repeat(id); math.Abs(r.Repeat-1.2) > 1e-6 {
			t.Errorf("%s: %+v", id, r)
		}
	}
	// Once more, before anything was made anew: it does not add up.
	d.edit(edit.Do(&edit.TrueRepeat{ID: b, Surface: "Planks", Metres: 2}))
	if r, q := repeat(b), repeat(a); math.Abs(r.Repeat-2) > 1e-6 || math.Abs(q.Repeat-1.2) > 1e-6 {
		t.Errorf("%+v, %+v", r, q)
	}
	made := d.await("made anew",
		func(st *query.State) bool { return st.Pieces[0].Making == "" && st.Pieces[1].Making == "" })
	if r := repeat(made.Pieces[1].ID); math.Abs(r.Repeat-2) > 1e-6 {
		t.Errorf("made anew: %+v", r)
	}
	if _, err := d.a.Edit(d.ctx, d.set,
		desk.Request{Revision: -1,
			Commands: []desk.Command{edit.Do(&edit.TrueRepeat{ID: b, Surface: "Bricks", Metres: 2})}}); err == nil ||
		!strings.Contains(err.Error(), "Bricks") {
		t.Errorf("a surface that is not there: %v", err)
	}
	if _, err := d.a.Edit(d.ctx, d.set,
		desk.Request{Revision: -1,
			Commands: []desk.Command{edit.Do(&edit.TrueRepeat{ID: b, Surface: "Planks"})}}); err == nil {
		t.Error("a repeat of nothing was accepted")
	}
	if _, err := d.a.Proposal(d.ctx, "nothing"); err == nil {
		t.Error("a proposal for nothing")
	}
}

// A block of 2 x 1 x 3 m, placed turned and scaled, whose size and pivot change.
func TestSizesFromThingsInTheSetAndPivotsThatAreClicked(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("block.obj", []byte("v 0 0 0\nv 2 0 0\nv 2 1 0\nv 0 0 3\nv 2 1 3\nf 1 2 3\nf 1 3 4\nf 4 2 5\n"))
	id := st.Pieces[0].ID
	made := d.edit(
		edit.Do(&edit.Place{StandIn: "box",
			Patch: patch(map[string]any{"size": geom.V{X: 1, Y: 0.6, Z: 1}, "scale": geom.V{X: 1, Y: 5, Z: 1}})}),
		edit.Do(&edit.Place{Piece: id, At: geom.V{X: 10},
			Patch: patch(map[string]any{"yaw": math.Pi / 2, "scale": geom.V{X: 2, Y: 2, Z: 2}})})).Made
	box, block := made[0], made[1]
	size := func(want geom.V, when string) {
		t.Helper()
		if p := d.state().Pieces[0]; p.Size.Sub(want).Len() > 1e-9 {
			t.Errorf("%s: %v, want %v", when, p.Size, want)
		}
	}
	// As wide as the box is high: 3 m. The proportions stay.
	d.edit(edit.Do(&edit.TrueSize{ID: id, Of: "width", Like: box, LikeOf: "height"}))
	size(geom.V{X: 3, Y: 1.5, Z: 4.5}, "like the box")
	// Its height alone.
	d.edit(edit.Do(&edit.TrueSize{ID: id, Of: "height", Metres: 1.8, Alone: true}))
	size(geom.V{X: 3, Y: 1.8, Z: 4.5}, "stretched")
	st = d.state()
	if got := snagOf(st, id, "out of proportion"); got != "block is out of proportion by 20 %" {
		t.Errorf("snags: %+v", st.Snags)
	}
	if o := st.Pieces[0].Outline; !strings.Contains(o.Front, "scale(1.5 1.7999999999999998)") ||
		!strings.Contains(o.Right, "scale(1.5 ") {
		t.Errorf("drawn with %+v", o)
	}
	if k := st.Pieces[0].Stretched; math.Abs(k.Y-1.2) > 1e-9 || k.X != 1 || k.Z != 1 {
		t.Errorf("stretched by %v", k)
	}
	d.edit(edit.Do(&edit.TrueSize{ID: id, Of: "proportions"}))
	size(geom.V{X: 3.6, Y: 1.8, Z: 5.4}, "in proportion")

	// Its pivot goes to a corner of its top: it is held there, and stands where
	// it stood.
	where := func() geom.Box {
		for _, p := range d.state().Placements {
			if p.ID == block {
				return p.Box.Apply(p.World)
			}
		}
		t.Fatal("no block")
		return geom.Box{}
	}
	before := where()
	d.edit(edit.Do(&edit.Pivot{ID: id, At: geom.V{X: 1.8, Y: 1.8, Z: 2.7}}))
	after, st := where(), d.state()
	if after.Min.Sub(before.Min).Len() > 1e-9 || after.Max.Sub(before.Max).Len() > 1e-9 {
		t.Errorf("it went from %v to %v", before, after)
	}
	if b := st.Pieces[0].Box; b.Max.Len() > 1e-9 || b.Min.Sub(geom.V{X: -3.6, Y: -1.8, Z: -5.4}).Len() > 1e-9 {
		t.Errorf("about its pivot: %v", b)
	}
	if st.Undo != "pivot of block" {
		t.Errorf("undo says %q", st.Undo)
	}
	d.edit(edit.Do(&edit.ChangePiece{ID: id,
		Patch: patch(map[string]any{"sizing": map[string]any{"pivot": "hanging"}})}))
	if b := where(); b.Min.Sub(before.Min).Len() > 1e-9 {
		t.Errorf("hanging: %v, want %v", b, before)
	}
	for range 2 {
		if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
			t.Fatal(err)
		}
	}
	for _, p := range d.state().Placements {
		if p.ID == block && (p.At != geom.V{X: 10}) {
			t.Errorf("undone, it is at %v", p.At)
		}
	}

	// With its pivot where the file has it, a corner, it grows and shrinks on its
	// base; sunk, it stays as deep as it is large.
	d.edit(edit.Do(&edit.ChangePiece{ID: id,
		Patch: patch(map[string]any{"sizing": map[string]any{"centre": false, "ground": false}})}))
	foot := func() geom.V { b := where(); return geom.V{X: b.Center().X, Y: b.Min.Y, Z: b.Center().Z} }
	stood := foot()
	d.edit(edit.Do(&edit.TrueSize{ID: id, Of: "width", Metres: 0.7}))
	if now := foot(); now.Sub(stood).Len() > 1e-9 {
		t.Errorf("smaller, it stands at %v, not at %v", now, stood)
	}
	d.edit(edit.Do(&edit.ChangePiece{ID: id,
		Patch: patch(map[string]any{"sizing": map[string]any{"metresPerUnit": 0.3048, "factor": 1}})}))
	if now := foot(); now.Sub(stood).Len() > 1e-9 {
		t.Errorf("in feet, it stands at %v, not at %v", now, stood)
	}

	for name, c := range map[string]desk.Command{
		"no such thing":   edit.Do(&edit.TrueSize{ID: id, Of: "width", Like: "nothing", LikeOf: "height"}),
		"no such side":    edit.Do(&edit.TrueSize{ID: id, Of: "width", Like: box, LikeOf: "girth"}),
		"without limit":   edit.Do(&edit.TrueSize{ID: id, Of: "width", Metres: 1e9, Alone: true}),
		"pivot far off":   edit.Do(&edit.Pivot{ID: id, At: geom.V{X: 1e300}}),
		"of no dimension": edit.Do(&edit.TrueSize{ID: id, Of: "beauty", Metres: 1}),
	} {
		if _, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: -1, Commands: []desk.Command{c}}); err == nil {
			t.Errorf("%s was accepted", name)
		}
	}
}

func snagOf(st *query.State, id, what string) string {
	for _, s := range st.Snags {
		if s.ID == id && strings.Contains(s.What, what) {
			return s.What
		}
	}
	return ""
}
