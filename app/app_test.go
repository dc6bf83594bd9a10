package app_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"image/png"
	"io"
	"log/slog"
	"math"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"visator/app"
	"visator/app/act"
	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/model"
	"visator/core/stage"
	"visator/jobs"
	"visator/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// studio is a production with its set and a running worker.
type studio struct {
	testing.TB
	a               *app.App
	ctx             context.Context
	production, set string
}

func newStudio(t testing.TB) *studio {
	t.Helper()
	d := &studio{TB: t, a: app.New(storetest.Open(t)), ctx: context.Background()}
	pool, err := jobs.Open(d.ctx, d.a, 1, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	if err := pool.Start(d.ctx); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := pool.Stop(context.Background()); err != nil {
			t.Error(err)
		}
	})
	if d.production, d.set, err = d.a.NewProduction(d.ctx, "test", "metre"); err != nil {
		t.Fatal(err)
	}
	return d
}

func (d *studio) state() *query.State {
	d.Helper()
	st, err := d.a.State(d.ctx, d.set)
	if err != nil {
		d.Fatal(err)
	}
	return st
}

func (d *studio) edit(deeds ...desk.Command) desk.Answer {
	d.Helper()
	r, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: d.state().Revision, Commands: deeds})
	if err != nil {
		d.Fatal(err)
	}
	return r
}

// hung is after how long something that is awaited is given up: long, since measuring
// gives way to all else that a busy machine does; what never comes is found out all the same.
const hung = 3 * time.Minute

// await looks again until ok, as the page does when it hears of a change.
func (d *studio) await(what string, ok func(st *query.State) bool) *query.State {
	d.Helper()
	for deadline := time.Now().Add(hung); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		if st := d.state(); ok(st) {
			return st
		}
	}
	d.Fatalf("waited in vain for %s", what)
	return nil
}

func patch(v any) json.RawMessage { raw, _ := json.Marshal(v); return raw }

// boxGLB is a box of 2 x 1 x 1 units on the ground, red.
func boxGLB(t testing.TB) []byte {
	m := stage.ShapeModel("box")
	m.Surfaces[0].BaseColor = [4]float64{0.8, 0.1, 0.1, 1}
	m.Nodes[0].Local = geom.Compose(geom.V{}, geom.Q{}, geom.V{X: 2, Y: 1, Z: 1})
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, m); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

func (d *studio) takeIn(name string, data []byte) *query.State {
	d.Helper()
	if _, _, err := d.a.Arrive(d.ctx, d.production, name, bytes.NewReader(data)); err != nil {
		d.Fatal(err)
	}
	return d.await(name, func(st *query.State) bool {
		for _, a := range st.Arrivals {
			if a.Name == name && (a.State == "done" || a.State == "failed") {
				return true
			}
		}
		return false
	})
}

func TestADownloadBecomesAPieceOfTrueSize(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	if len(st.Pieces) != 1 || st.Pieces[0].Size != (geom.V{X: 2, Y: 1, Z: 1}) || len(st.Pieces[0].Levels) == 0 {
		t.Fatalf("pieces %+v, arrivals %+v", st.Pieces, st.Arrivals)
	}
	id := st.Pieces[0].ID
	d.edit(edit.Do(&edit.Place{Piece: id}))
	d.edit(edit.Do(&edit.ChangePiece{ID: id,
		Patch: patch(map[string]any{"sizing": map[string]any{"metresPerUnit": 0.01}})}))
	if got := d.state().Placements[0].Dims; got.Sub(geom.V{X: 0.02, Y: 0.01, Z: 0.01}).Len() > 1e-12 {
		t.Errorf("in centimetres it is %v", got)
	}
	d.edit(edit.Do(&edit.TrueSize{ID: id, Of: "height", Metres: 0.9}))
	if got := d.state().Pieces[0].Size; math.Abs(got.X-1.8) > 1e-12 {
		t.Errorf("0.9 m high it is %v", got)
	}
	// The same content again is recognised, under any name.
	if ar, twice, err := d.a.Arrive(d.ctx, d.production, "again.glb", bytes.NewReader(boxGLB(t))); err != nil ||
		!twice || ar.Name != "box.glb" {
		t.Errorf("%+v, %v, %v", ar, twice, err)
	}
}

func TestAFileThatCannotBeReadSaysSoAndLeavesTheRestAlone(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("cut.glb", boxGLB(t)[:200])
	if a := st.Arrivals[0]; a.State != "failed" || !strings.Contains(a.Note, "cut.glb") ||
		!strings.Contains(a.Note, "fetch it again") || len(st.Pieces) != 0 {
		t.Errorf("%+v", a)
	}
	if len(st.Snags) != 1 || st.Snags[0].Step != "intake" {
		t.Errorf("snags %+v", st.Snags)
	}
	var wrong *act.Problem
	if _, _, err := d.a.Arrive(d.ctx, d.production, "virus.exe", strings.NewReader("MZ")); !errors.As(err, &wrong) {
		t.Errorf("%v", err)
	}
	if _, _, err := d.a.Arrive(d.ctx, d.production, "empty.glb", strings.NewReader("")); !errors.As(err, &wrong) {
		t.Errorf("%v", err)
	}
}

func TestEveryEditCanBeUndoneAndDoneAgain(t *testing.T) {
	d := newStudio(t)
	var history []string
	snapshot := func() string {
		st := d.state()
		raw, _ := json.Marshal([]any{st.Set, st.Placements, st.Shots})
		return string(raw)
	}
	history = append(history, snapshot())
	step := func(deeds ...desk.Command) desk.Answer {
		r := d.edit(deeds...)
		history = append(history, snapshot())
		return r
	}
	id := step(edit.Do(&edit.Place{StandIn: "person", At: geom.V{X: 1}})).Made[0]
	step(edit.Do(&edit.ChangePlacement{ID: id,
		Patch: patch(map[string]any{"at": map[string]any{"z": 4}, "yaw": 1.0, "name": "guard"})}))
	copied := step(edit.Do(&edit.Copy{IDs: []string{id}, By: geom.V{X: 2}})).Made[0]
	step(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"focal": 85}})}))
	shot := step(edit.Do(&edit.KeepShot{Name: "close"})).Made[0]
	step(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"light": map[string]any{"lux": 5}})}),
		edit.Do(&edit.KeepShot{}))
	step(edit.Do(&edit.Delete{IDs: []string{id, copied}}), edit.Do(&edit.DeleteShot{ID: shot}))
	for i := len(history) - 2; i >= 0; i-- {
		if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
			t.Fatal(err)
		}
		if got := snapshot(); got != history[i] {
			t.Fatalf("after undoing edit %d:\n%s\nwant\n%s", i+1, got, history[i])
		}
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); !errors.Is(err, act.ErrNone) {
		t.Errorf("one undo too many: %v", err)
	}
	for i := 1; i < len(history); i++ {
		if _, err := d.a.Redo(d.ctx, d.set, ""); err != nil {
			t.Fatal(err)
		}
		if got := snapshot(); got != history[i] {
			t.Fatalf("after doing edit %d again:\n%s\nwant\n%s", i, got, history[i])
		}
	}
	// A new edit after an undo ends what could be redone.
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
		t.Fatal(err)
	}
	d.edit(edit.Do(&edit.Place{StandIn: "box"}))
	if _, err := d.a.Redo(d.ctx, d.set, ""); !errors.Is(err, act.ErrNone) {
		t.Errorf("redo after a new edit: %v", err)
	}
}

func TestAStaleEditIsRefusedWhole(t *testing.T) {
	d := newStudio(t)
	a := d.edit(edit.Do(&edit.Place{StandIn: "person"})).Made[0]
	b := d.edit(edit.Do(&edit.Place{StandIn: "box"})).Made[0]
	seen := d.state().Revision
	d.edit(edit.Do(&edit.ChangePlacement{ID: a, Patch: patch(map[string]any{"at": map[string]any{"x": 1}})}))
	move := func(id string) desk.Command {
		return edit.Do(&edit.ChangePlacement{ID: id, Patch: patch(map[string]any{"at": map[string]any{"x": 9}})})
	}
	if _, err := d.a.Edit(d.ctx, d.set,
		desk.Request{Revision: seen, Commands: []desk.Command{move(b), move(a)}}); !errors.Is(err, act.ErrStale) {
		t.Errorf("%v", err)
	}
	for _, p := range d.state().Placements {
		if p.At.X == 9 {
			t.Errorf("%s moved although the edit was refused", p.Name)
		}
	}
	// What nobody else touched can still be edited.
	if _, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: seen, Commands: []desk.Command{move(b)}}); err != nil {
		t.Error(err)
	}
}

func TestImpossibleEditsSayWhatIsWrong(t *testing.T) {
	d := newStudio(t)
	id := d.edit(edit.Do(&edit.Place{StandIn: "person"})).Made[0]
	d.edit(edit.Do(&edit.ChangePlacement{ID: id, Patch: patch(map[string]any{"locked": true})}))
	for name, deed := range map[string]desk.Command{
		"move a locked one": edit.Do(&edit.ChangePlacement{ID: id,
			Patch: patch(map[string]any{"at": map[string]any{"x": 9}})}),
		"delete a locked one": edit.Do(&edit.Delete{IDs: []string{id}}),
		"no such op":          {Op: "explode"}, "no such field": {Op: "delete", Args: []byte(`{"id": "x"}`)},
		"no such piece": edit.Do(&edit.Place{Piece: "x"}), "no such shot": edit.Do(&edit.GoToShot{ID: "x"}),
		"far before near": edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"far": 0.01}})}),
	} {
		var p *act.Problem
		if _, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: -1, Commands: []desk.Command{deed}}); !errors.As(err,
			&p) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestChangingTheViewDoesNotAlterAKeptShot(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.KeepShot{Name: "wide"}))
	kept := d.state().Shots[0]
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"focal": 120}})}))
	st := d.state()
	if !st.Changed || !st.Shots[0].View.Equal(&kept.View) {
		t.Errorf("changed %v, shot %+v", st.Changed, st.Shots[0].View)
	}
	d.edit(edit.Do(&edit.GoToShot{ID: kept.ID}))
	if st = d.state(); st.Changed || !st.Set.View.Equal(&kept.View) {
		t.Error("going back did not bring the view back")
	}
}

func TestAStillAndAMoveAreRenderedAndKept(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID}))
	v := d.state().Set.View
	to := v
	to.Eye.X = 2
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"move": map[string]any{"to": to, "duration": 0.5,
		"easing": "smooth", "rate": 6}})}), edit.Do(&edit.KeepShot{Name: "pan"}))
	shot := d.state().Shots[0].ID
	settings := takes.Settings{Width: 64, Samples: 4, Bounces: 2, Denoise: true, Blur: true}
	for _, kind := range []string{"still", "move"} {
		take, err := d.a.Shoot(d.ctx, d.set, shot, kind, settings)
		if err != nil {
			t.Fatal(err)
		}
		st := d.await(kind,
			func(st *query.State) bool { return st.Takes[0].State == "done" || st.Takes[0].State == "failed" })
		var r takes.Result
		if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil || st.Takes[0].ID != take.ID ||
			st.Takes[0].State != "done" {
			t.Fatalf("%s: %v, %s: %s", kind, err, st.Takes[0].State, st.Takes[0].Note)
		}
		if kind == "still" {
			data, err := d.a.Store.ReadBlob(d.ctx, r.PNG)
			if err != nil {
				t.Fatal(err)
			}
			img, err := png.Decode(bytes.NewReader(data))
			if err != nil || img.Bounds().Dx() != 64 || img.Bounds().Dy() != 36 {
				t.Fatalf("%v", err)
			}
			// The box is red and stands below the middle.
			if red, _, blue, _ := img.At(32, 27).RGBA(); red < blue*3/2 {
				t.Errorf("the box is %v", img.At(32, 27))
			}
			continue
		}
		if len(r.Frames) != 3 || r.MP4 == "" {
			t.Fatalf("move %+v", r)
		}
		data, err := d.a.Store.ReadBlob(d.ctx, r.Zip)
		if err != nil {
			t.Fatal(err)
		}
		z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		if err != nil || len(z.File) != 3 || z.File[0].Name != "frame-00001.png" {
			t.Errorf("zip %v, %v", z, err)
		}
		// A frame is made again: the same, and the others are left alone; a look at it all is a video.
		if err := d.a.FramesAgain(d.ctx, take.ID, 2, 2); err != nil {
			t.Fatal(err)
		}
		again := d.ended(take.ID)
		if a := resultOf(t, &again); !slices.Equal(a.Frames, r.Frames) || a.Zip == "" || a.MP4 == "" {
			t.Errorf("made again the frames are %v, were %v", a.Frames, r.Frames)
		}
		path, done, err := d.a.Look(d.ctx, take.ID)
		if err != nil {
			t.Fatal(err)
		}
		if video, err := os.ReadFile(path); err != nil || !bytes.Contains(video[:min(len(video), 64)], []byte("ftyp")) {
			t.Errorf("a look: %v", err)
		}
		done()
		for _, bad := range [][2]int{{0, 1}, {2, 1}, {1, 4}} {
			if err := d.a.FramesAgain(d.ctx, take.ID, bad[0], bad[1]); !errors.Is(err, act.ErrWrong) {
				t.Errorf("frames %v again: %v", bad, err)
			}
		}
	}
}

// A quiet take waits while somebody is at work, says so, and goes on when they are not.
func TestAQuietTakeWaits(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.Place{StandIn: "person"}))
	d.a.Touch()
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still",
		takes.Settings{Width: 32, Samples: 4, Bounces: 2, Quietly: true}); err != nil {
		t.Fatal(err)
	}
	st := d.await("the waiting", func(st *query.State) bool { return strings.Contains(st.Takes[0].Note, "at work") })
	if st.Takes[0].State != "working" {
		t.Errorf("it is %s", st.Takes[0].State)
	}
	d.await("the end", func(st *query.State) bool { return st.Takes[0].State == "done" })
}

func TestACancelledTakeStops(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.Place{StandIn: "person"}))
	take, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 640, Samples: 1 << 20, Bounces: 4})
	if err != nil {
		t.Fatal(err)
	}
	d.await("the first picture",
		func(st *query.State) bool { return strings.Contains(string(st.Takes[0].Result), "preview") })
	if err := d.a.CancelTake(d.ctx, take.ID); err != nil {
		t.Fatal(err)
	}
	// The worker is free again: another take is made.
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 16, Samples: 1}); err != nil {
		t.Fatal(err)
	}
	st := d.await("the next take", func(st *query.State) bool { return st.Takes[0].State == "done" })
	if st.Takes[1].State != "cancelled" {
		t.Errorf("the first is %s", st.Takes[1].State)
	}
}

func TestAnExportedSetHoldsEveryVisiblePlacement(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	a := d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID, At: geom.V{X: 5}})).Made[0]
	b := d.edit(edit.Do(&edit.Copy{IDs: []string{a}, By: geom.V{Z: 3}})).Made[0]
	d.edit(edit.Do(&edit.Place{StandIn: "person"}))
	d.edit(edit.Do(&edit.KeepShot{Name: "wide"}))
	d.edit(edit.Do(&edit.ChangePiece{ID: st.Pieces[0].ID,
		Patch: patch(map[string]any{"credit": map[string]any{"author": "Ada Example", "licence": "CC-BY-4.0"}})}))
	var buf bytes.Buffer
	if err := d.a.Export(d.ctx, d.set, false, &buf); err != nil {
		t.Fatal(err)
	}
	m, err := gltf.Read("set.glb", buf.Bytes(), model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	if box := m.Bounds(); math.Abs(box.Max.X-6) > 1e-6 || math.Abs(box.Max.Z-3.5) > 1e-6 ||
		math.Abs(box.Max.Y-stage.PersonHeight) > 1e-3 {
		t.Errorf("bounds %v", box)
	}
	if want := st.Pieces[0].Name + " by Ada Example (CC-BY-4.0)"; m.Copyright != want {
		t.Errorf("credits %q, want %q", m.Copyright, want)
	}
	if len(m.Meshes) != 2 || len(m.Cameras) != 1 || len(m.Lights) != 1 {
		t.Errorf("%d meshes (copies share theirs), %d cameras, %d lights", len(m.Meshes), len(m.Cameras), len(m.Lights))
	}
	// Lamps: 710 lm of a ball are 56.5 cd on all sides; a cone of a right angle is a spot of half of it, down.
	for shape, to := range map[string]float64{"ball": 0, "cone": 1} {
		d.edit(edit.Do(&edit.AddElement{Kind: "lamp", Name: shape, Spec: patch(map[string]any{"shape": shape,
			"at": geom.V{X: 1, Y: 3, Z: 2}, "to": geom.V{X: 1, Y: to, Z: 2}, "angle": math.Pi / 2, "output": 710,
			"in": "lm"})}))
	}
	buf.Reset()
	if err := d.a.Export(d.ctx, d.set, false, &buf); err != nil {
		t.Fatal(err)
	}
	if m, err = gltf.Read("set.glb", buf.Bytes(), model.Folder{}); err != nil || len(m.Lights) != 3 {
		t.Fatalf("with two lamps there are %d lights: %v", len(m.Lights), err)
	}
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Light == model.None || n.Name == "sun" {
			return
		}
		g := m.Lights[n.Light]
		luminance := 0.2126*g.Color[0] + 0.7152*g.Color[1] + 0.0722*g.Color[2]
		switch cd := luminance * g.Intensity; n.Name {
		case "ball":
			if g.Kind != model.Point || math.Abs(cd-710/(4*math.Pi)) > 0.01*cd {
				t.Errorf("the ball is %+v, %v cd", g, cd)
			}
		case "cone":
			down := world.Dir(geom.V{Z: -1})
			if g.Kind != model.Spot || math.Abs(g.Outer-math.Pi/4) > 1e-6 || down.Y > -0.999 || cd < 710/(2*math.Pi) {
				t.Errorf("the cone is %+v, %v cd, towards %v", g, cd, down)
			}
		default:
			t.Errorf("a light %q", n.Name)
		}
		if at := world.Point(geom.V{}); at.Sub(geom.V{X: 1, Y: 3, Z: 2}).Len() > 1e-6 {
			t.Errorf("%s stands at %v", n.Name, at)
		}
	})
	d.edit(edit.Do(&edit.ChangePlacement{ID: b, Patch: patch(map[string]any{"hidden": true})}))
	buf.Reset()
	if err := d.a.Export(d.ctx, d.set, false, &buf); err != nil {
		t.Fatal(err)
	}
	if m, err = gltf.Read("set.glb", buf.Bytes(), model.Folder{}); err != nil || m.Bounds().Max.Z > 1 {
		t.Errorf("a hidden placement was exported: %v", err)
	}
}

func TestPanoramasAreTakenInOnlyWhenTheyCanBeRead(t *testing.T) {
	d := newStudio(t)
	var buf bytes.Buffer
	if err := exchange.WriteHDR(&buf, make([]float32, 3*16*8), 16, 8); err != nil {
		t.Fatal(err)
	}
	hash, _, err := d.a.Panorama(d.ctx, &buf)
	if err != nil {
		t.Fatal(err)
	}
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"light": map[string]any{"sky": "panorama",
		"panorama": hash}})}))
	if pix, w, h, err := d.a.Sky(d.ctx, d.set, false, false); err != nil || len(pix) != 3*w*h {
		t.Error(err)
	}
	var p *act.Problem
	if _, _, err := d.a.Panorama(d.ctx, io.LimitReader(strings.NewReader("jpeg"), 4)); !errors.As(err, &p) {
		t.Errorf("%v", err)
	}
}
