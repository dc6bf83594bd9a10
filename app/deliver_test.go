package app_test

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
	"math"
	"strings"
	"testing"

	"visator/app/act"
	"visator/app/deliver"
	"visator/app/edit"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/intake/usd"
	"visator/core/model"
	"visator/store"
)

// A parcel holds what was asked for; its list has the checksum of each file; the set in it, as glTF and as USD, is the
// set that stands.
func TestAParcelHoldsWhatItsListSays(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	eye := st.Set.View.Eye
	d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID, At: eye.Add(geom.V{Y: -2, Z: -6})}))
	d.edit(edit.Do(&edit.KeepShot{Name: "the / first"}))
	x, err := d.a.Shoot(d.ctx, d.set, d.state().Shots[0].ID, "still",
		takes.Settings{Width: 48, Samples: 2, Seed: 1, Layers: []string{"ways"}})
	if err != nil {
		t.Fatal(err)
	}
	d.ended(x.ID)
	var all []string
	for _, k := range deliver.Parts {
		all = append(all, k[0])
	}
	p, err := d.a.Deliver(d.ctx, d.production, deliver.Settings{Set: d.set, Parts: all})
	if err != nil {
		t.Fatal(err)
	}
	var r deliver.Result
	d.await("the parcel", func(*query.State) bool {
		list, err := d.a.Parcels(d.ctx, d.production)
		if err != nil || len(list) != 1 || list[0].ID != p.ID {
			t.Fatal(list, err)
		}
		if list[0].State == "failed" {
			t.Fatal(list[0].Note)
		}
		return list[0].State == "done" && json.Unmarshal(list[0].Result, &r) == nil
	})
	data, err := d.a.Store.ReadBlob(d.ctx, r.Zip)
	if err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	files := map[string][]byte{}
	for _, f := range z.File {
		rc, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if files[f.Name], err = io.ReadAll(rc); err != nil {
			t.Fatal(err)
		}
	}
	for _, want := range []string{"pictures/the - first.png", "linear/the - first.exr", "linear/the - first.layers.json",
		"finish/the - first.json", "finish/the - first.rig.json", "finish/the - first.cube", "set.glb", "set.usda", "set.obj", "set.mtl",
		"papers/the - first shot sheet.pdf", "papers/first set contact sheet 1.pdf", "credits.txt", "credits.csv"} {
		if len(files["first set/"+want]) == 0 {
			t.Errorf("there is no %s", want)
		}
	}
	var list struct{ Files []deliver.Content }
	if err := json.Unmarshal(files["contents.json"], &list); err != nil {
		t.Fatal(err)
	}
	if len(list.Files) != len(files)-2 || len(files["CONTENTS.txt"]) == 0 {
		t.Errorf("%d files are listed of %d", len(list.Files), len(files))
	}
	for _, c := range list.Files {
		sum := sha256.Sum256(files[c.File])
		if hex.EncodeToString(sum[:]) != c.SHA || int64(len(files[c.File])) != c.Bytes || c.Is == "" {
			t.Errorf("%s is not as it is listed", c.File)
		}
	}
	g, err := gltf.Read("set.glb", files["first set/set.glb"], model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	u, err := usd.Read("set.usda", files["first set/set.usda"], model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	a, b := g.Bounds(), u.Bounds()
	off := math.Max(a.Min.Sub(b.Min).Len(), a.Max.Sub(b.Max).Len())
	if off > 1e-4 || len(g.Cameras) != 1 || len(u.Cameras) != 1 {
		t.Errorf("as glTF it is %v with %d cameras, as USD %v with %d", a, len(g.Cameras), b, len(u.Cameras))
	}
	for _, s := range []deliver.Settings{{}, {Parts: []string{"gold"}}, {Set: "nowhere", Parts: []string{"glb"}}} {
		if _, err := d.a.Deliver(d.ctx, d.production, s); !errors.Is(err, act.ErrWrong) && !errors.Is(err, act.ErrNone) {
			t.Errorf("%+v: %v", s, err)
		}
	}
	if text := string(files["first set/finish/the - first settings.json"]); !strings.Contains(text, `"focal": 35`) {
		t.Errorf("the settings are %s", text)
	}
	used, err := store.References(d.ctx, d.a.Store.Pool)
	if err != nil || !used[r.Zip] {
		t.Errorf("the parcel would be swept: %v", err)
	}
}
