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

	"visator/app"
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
		name + ".obj": "mtllib a.mtl\no " + name + "\nusemtl Planks\nv 0 0 0\nv 4 0 0\nv 4 0 4\nv 0 0 4\nv 2 0.5 2\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvt 0.5 0.5\nf 1/1 4/4 3/3 2/2\nf 1/1 2/2 5/5\n",
		"a.mtl":       "newmtl Planks\nmap_Kd planks.png\n", "planks.png": picture.String(),
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
	d := newDesk(t)
	d.takeIn("floor.zip", planks(t, "floor"))
	st := d.takeIn("stage.zip", planks(t, "stage"))
	if len(st.Pieces) != 2 {
		t.Fatalf("pieces %+v", st.Pieces)
	}
	repeat := func(id string) app.PatternState {
		t.Helper()
		p, err := d.a.Proposal(d.ctx, id)
		if err != nil || len(p.Patterns) != 1 {
			t.Fatalf("%v: %+v", err, p)
		}
		return p.Patterns[0]
	}
	a, b := st.Pieces[0].ID, st.Pieces[1].ID
	if r := repeat(a); math.Abs(r.Repeat-4) > 0.1 || r.Surface != "Planks" || r.Wrong != "" || math.Abs(r.Texels-16) > 0.5 {
		t.Errorf("as it came: %+v", r)
	}
	// In centimetres the picture would be a hundred times smaller: a snag.
	d.edit(app.Deed{Do: "change", Kind: "piece", ID: a, Patch: patch(map[string]any{"sizing": map[string]any{"metresPerUnit": 0.01, "decided": true}})})
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
	d.edit(app.Deed{Do: "repeat", Kind: "all", ID: a, Of: "Planks", Metres: 1.2})
	for _, id := range []string{a, b} {
		if r := repeat(id); math.Abs(r.Repeat-1.2) > 1e-6 {
			t.Errorf("%s: %+v", id, r)
		}
	}
	// Once more, before anything was made anew: it does not add up.
	d.edit(app.Deed{Do: "repeat", ID: b, Of: "Planks", Metres: 2})
	if r, q := repeat(b), repeat(a); math.Abs(r.Repeat-2) > 1e-6 || math.Abs(q.Repeat-1.2) > 1e-6 {
		t.Errorf("%+v, %+v", r, q)
	}
	made := d.await("made anew", func(st *app.State) bool { return st.Pieces[0].Making == "" && st.Pieces[1].Making == "" })
	if r := repeat(made.Pieces[1].ID); math.Abs(r.Repeat-2) > 1e-6 {
		t.Errorf("made anew: %+v", r)
	}
	if _, err := d.a.Edit(d.ctx, d.set, app.EditRequest{Revision: -1, Deeds: []app.Deed{{Do: "repeat", ID: b, Of: "Bricks", Metres: 2}}}); err == nil || !strings.Contains(err.Error(), "Bricks") {
		t.Errorf("a surface that is not there: %v", err)
	}
	if _, err := d.a.Edit(d.ctx, d.set, app.EditRequest{Revision: -1, Deeds: []app.Deed{{Do: "repeat", ID: b, Of: "Planks"}}}); err == nil {
		t.Error("a repeat of nothing was accepted")
	}
	if _, err := d.a.Proposal(d.ctx, "nothing"); err == nil {
		t.Error("a proposal for nothing")
	}
}
