package app_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"errors"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"visator/app/act"
	"visator/app/edit"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/openexr"
)

// A turntable goes once around a thing and ends where it began; each frame is kept as OpenEXR with its layers, of which
// motion is that of the camera; a video for editing is made of them that ffprobe knows. All around, a picture is twice as
// wide as high, or six squares, and says so.
func TestTurntablesAndAllAround(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	eye := d.state().Set.View.Eye
	d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID, At: eye.Add(geom.V{Y: -0.5, Z: -3})}))
	box := d.state().Placements[0].ID
	take := func(kind string, s takes.Settings) takes.Result {
		t.Helper()
		if _, err := d.a.Shoot(d.ctx, d.set, "", kind, s); err != nil {
			t.Fatal(err)
		}
		n := len(d.state().Takes)
		st := d.await(kind, func(st *query.State) bool {
			return len(st.Takes) == n && (st.Takes[0].State == "done" || st.Takes[0].State == "failed")
		})
		if st.Takes[0].State != "done" {
			t.Fatalf("%s: %s", kind, st.Takes[0].Note)
		}
		return resultOf(t, &st.Takes[0])
	}
	exr := func(hash string) *openexr.Reader {
		t.Helper()
		data, err := d.a.Store.ReadBlob(d.ctx, hash)
		if err != nil {
			t.Fatal(err)
		}
		e, err := openexr.Open(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		return e
	}

	r := take("turntable", takes.Settings{Width: 256, Samples: 1, Seed: 1, About: box, Lasts: 0.25, Linear: true,
		Editing: true, Layers: []string{"motion", "shadow"}})
	if len(r.Frames) != 6 || len(r.Linears) != 6 {
		t.Fatalf("%d frames, %d of them linear", len(r.Frames), len(r.Linears))
	}
	e := exr(r.Linears[2])
	planes, err := e.Planes("Z", "motion.X", "shadow.V")
	if err != nil {
		t.Fatal(err)
	}
	middle := e.Height/2*e.Width + e.Width/2
	if far := planes[0][middle]; !(far > 1 && far < 5) {
		t.Errorf("the box is %v m away in the third frame", far)
	}
	most := 0.0
	for _, x := range planes[1] {
		most = max(most, math.Abs(float64(x)))
	}
	if most < 50 { // a sixth of a turn in a frame
		t.Errorf("until the next frame it moves by %v pixels", most)
	}
	data, err := d.a.Store.ReadBlob(d.ctx, r.EXRs)
	if err != nil {
		t.Fatal(err)
	}
	if z, err := zip.NewReader(bytes.NewReader(data), int64(len(data))); err != nil || len(z.File) != 6 ||
		z.File[5].Name != "frame-00006.exr" {
		t.Errorf("the zip: %v", err)
	}
	cut := filepath.Join(t.TempDir(), "cut.mov")
	if data, err = d.a.Store.ReadBlob(d.ctx, r.Cut); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(cut, data, 0o600); err != nil {
		t.Fatal(err)
	}
	if probe, err := exec.LookPath("ffprobe"); err == nil {
		said, err := exec.Command(probe, "-v", "error", "-count_frames", "-show_entries",
			"stream=codec_name,pix_fmt,nb_read_frames", "-of", "csv=p=0", cut).CombinedOutput()
		if err != nil || !strings.Contains(string(said), "dnxhd,yuv422p10le,6") {
			t.Errorf("ffprobe: %v: %s", err, said)
		}
	}

	for around, size := range map[string][2]int{"sphere": {64, 32}, "cube": {16, 96}} {
		r := take("still", takes.Settings{Width: size[0], Samples: 1, Seed: 1, Around: around})
		e := exr(r.EXR)
		if e.Width != size[0] || e.Height != size[1] {
			t.Errorf("%s: %d x %d", around, e.Width, e.Height)
		}
		data, err := d.a.Store.ReadBlob(d.ctx, r.EXR)
		if err != nil || !bytes.Contains(data[:600], []byte("envmap\x00envmap\x00\x01\x00\x00\x00")) {
			t.Errorf("%s does not say that it is all around: %v", around, err)
		}
	}
	for _, bad := range []takes.Settings{{Width: 4000, Samples: 1, Around: "cube"}, {Width: 64, Samples: 1, Around: "out"},
		{Width: 64, Samples: 1, Around: "sphere", Region: &[4]int{0, 0, 8, 8}}} {
		if _, err := d.a.Shoot(d.ctx, d.set, "", "still", bad); !errors.Is(err, act.ErrWrong) {
			t.Errorf("%+v: %v", bad, err)
		}
	}
	for _, bad := range []takes.Settings{{Width: 64, Samples: 1, About: "nobody"}, {Width: 64, Samples: 1, Lasts: -1},
		{Width: 96, Samples: 1, Editing: true}} {
		if _, err := d.a.Shoot(d.ctx, d.set, "", "turntable", bad); !errors.Is(err, act.ErrWrong) {
			raw, _ := json.Marshal(bad)
			t.Errorf("%s: %v", raw, err)
		}
	}
}
