package app_test

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/optics"
)

// Copies are linked: what is decided of the piece counts for each of them,
// and each stays where it stands.
func TestLinkedCopiesFollowTheirPiece(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	id := st.Pieces[0].ID
	d.edit(edit.Do(&edit.Place{Piece: id, At: geom.V{X: 1, Z: 2}}))
	first := d.state().Placements[0].ID
	d.edit(edit.Do(&edit.Copy{IDs: []string{first}, By: geom.V{X: 3}}))
	st = d.state()
	if len(st.Placements) != 2 || st.Placements[1].Shared != 2 || st.Pieces[0].Copies != 2 ||
		st.Placements[1].At != (geom.V{X: 4, Z: 2}) {
		t.Fatalf("%+v", st.Placements)
	}
	d.edit(edit.Do(&edit.TrueSize{ID: id, Of: "height", Metres: 2.5}))
	st = d.state()
	for _, p := range st.Placements {
		if math.Abs(p.Dims.Y-2.5) > 1e-9 || math.Abs(p.Dims.X-5) > 1e-9 || p.At.Y != 0 {
			t.Errorf("%s measures %v at %v", p.Name, p.Dims, p.At)
		}
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
		t.Fatal(err)
	}
	if st = d.state(); st.Placements[0].Dims.Y != 1 || len(st.Placements) != 2 {
		t.Errorf("after undo %v", st.Placements[0].Dims)
	}
}

// The fitted range cuts nothing that is seen, and the snags that said so go.
func TestFitRangeFollowsFromTheSet(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"near": 5, "far": 6}})}))
	v := d.state().Set.View
	ahead := func(metres float64) geom.V { return v.Eye.Add(v.Forward().Mul(metres)) }
	d.edit(edit.Do(&edit.Place{StandIn: "person", At: ahead(4)}), edit.Do(&edit.Place{StandIn: "box", At: ahead(900)}))
	cut := func() int { return len(d.snagsOf("cut near")) + len(d.snagsOf("cut far")) }
	if f := d.frame(0); cut() != 2 || !f.Fit.Fits || f.Fit.CutNear != 1 || f.Fit.CutFar != 1 {
		t.Fatalf("%d snags, %+v", cut(), f.Fit)
	}
	d.edit(edit.Do(&edit.FitRange{}))
	st := d.state()
	if cut() != 0 || st.Set.View.Near > 4 || st.Set.View.Far < 900 || st.Set.View.Far > 1000 || st.Set.View.Near < 3 {
		t.Errorf("near %v, far %v, snags %+v", st.Set.View.Near, st.Set.View.Far, st.Snags)
	}
}

func TestAimAndFocusOnAThing(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.Place{StandIn: "person", At: geom.V{X: 5, Z: -7}}))
	id := d.state().Placements[0].ID
	d.edit(edit.Do(&edit.Aim{ID: id}))
	d.edit(edit.Do(&edit.Focus{ID: id}))
	v := d.state().Set.View
	middle := geom.V{X: 5, Y: 1.75 / 2, Z: -7}
	x, y, depth, ok := v.Project(middle)
	if !ok || math.Abs(x-0.5) > 1e-9 || math.Abs(y-0.5) > 0.02 || math.Abs(v.Focus-depth) > 0.02 {
		t.Errorf("it is at %v, %v, %v m away, in focus is %v m", x, y, depth, v.Focus)
	}
	// What stands behind the lens cannot be focused on.
	d.edit(edit.Do(&edit.Place{StandIn: "box", At: v.Eye.Sub(v.Forward().Mul(5))}))
	behind := d.state().Placements[1].ID
	if _, err := d.a.Edit(d.ctx, d.set,
		desk.Request{Revision: -1, Commands: []desk.Command{edit.Do(&edit.Focus{ID: behind})}}); err == nil ||
		!strings.Contains(err.Error(), "behind the lens") {
		t.Errorf("%v", err)
	}
}

// Shots are kept, changed only when told, deleted, and all of it can be undone.
func TestShotsCanBeUndoneLikeEverything(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.KeepShot{Name: "wide"}))
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"focal": 85}})}))
	d.edit(edit.Do(&edit.KeepShot{Name: "close"}))
	st := d.state()
	wide, close := st.Shots[0], st.Shots[1]
	if wide.View.Focal != optics.Default().Focal || close.View.Focal != 85 || st.Set.Shot != close.ID || st.Changed {
		t.Fatalf("%+v", st.Shots)
	}
	d.edit(edit.Do(&edit.GoToShot{ID: wide.ID}))
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"focal": 20}})}))
	if st = d.state(); !st.Changed || st.Shots[0].View.Focal != wide.View.Focal {
		t.Errorf("changed: %v, kept: %v mm", st.Changed, st.Shots[0].View.Focal)
	}
	d.edit(edit.Do(&edit.KeepShot{}))
	if st = d.state(); st.Changed || st.Shots[0].View.Focal != 20 {
		t.Errorf("kept: %v mm", st.Shots[0].View.Focal)
	}
	d.edit(edit.Do(&edit.DeleteShot{ID: close.ID}))
	d.edit(edit.Do(&edit.ChangeShot{ID: wide.ID, Patch: patch(map[string]any{"name": "widest"})}))
	if st = d.state(); len(st.Shots) != 1 || st.Shots[0].Name != "widest" {
		t.Errorf("%+v", st.Shots)
	}
	for range 8 {
		if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
			t.Fatal(err)
		}
	}
	if st = d.state(); len(st.Shots) != 0 || st.Undo != "" || st.Set.View.Focal != optics.Default().Focal {
		t.Errorf("undone: %+v, next %q", st.Shots, st.Undo)
	}
	for range 8 {
		if _, err := d.a.Redo(d.ctx, d.set, ""); err != nil {
			t.Fatal(err)
		}
	}
	if st = d.state(); len(st.Shots) != 1 || st.Shots[0].Name != "widest" || st.Redo != "" {
		t.Errorf("done again: %+v", st.Shots)
	}
}

// A take stops at its time limit with the samples that it has, and what is
// hidden is not in it.
func TestATimeLimitEndsATake(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.Place{StandIn: "box", At: geom.V{Z: -2}, Patch: patch(map[string]any{"hidden": true})}))
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 160, Samples: 1 << 20, Bounces: 1,
		Seconds: 0.5}); err != nil {
		t.Fatal(err)
	}
	st := d.await("the take", func(st *query.State) bool { return st.Takes[0].State == "done" })
	var r takes.Result
	if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil || r.Samples < 1 || r.Samples >= 1<<20 || r.PNG == "" {
		t.Errorf("%+v, %v", r, err)
	}
}

// A bare number is in the production's unit; the setting is refused when it is
// no unit, or when the lens view cannot draw so much.
func TestProductionOptions(t *testing.T) {
	d := newStudio(t)
	if err := d.a.SetOptions(d.ctx, d.production, "foot", 50_000); err != nil {
		t.Fatal(err)
	}
	if p := d.state().Production; p.Unit != "foot" || p.Budget != 50_000 {
		t.Errorf("%+v", p)
	}
	for unit, budget := range map[string]int{"cubit": 50_000, "metre": 3} {
		if err := d.a.SetOptions(d.ctx, d.production, unit, budget); err == nil {
			t.Errorf("%s, %d triangles", unit, budget)
		}
	}
	if p := d.state().Production; p.Unit != "foot" || p.Budget != 50_000 {
		t.Errorf("a refused setting was kept: %+v", p)
	}
}

// What a change of a piece touches is told for all sets, by the page and by the log;
// undoing belongs to the set in which it was done.
func TestWhatAPieceTouchesElsewhereIsTold(t *testing.T) {
	d := newStudio(t)
	id := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	d.edit(edit.Do(&edit.Place{Piece: id}), edit.Do(&edit.Place{Piece: id, At: geom.V{X: 3}}))
	second, err := d.a.NewSet(d.ctx, d.production, "second")
	if err != nil {
		t.Fatal(err)
	}
	var deeds []desk.Command
	for i := range 3 {
		deeds = append(deeds, edit.Do(&edit.Place{Piece: id, At: geom.V{Z: float64(3 * i)}}))
	}
	if _, err := d.a.Edit(d.ctx, second, desk.Request{Revision: -1, Commands: deeds}); err != nil {
		t.Fatal(err)
	}
	if p := d.state().Pieces[0]; p.Copies != 2 || p.Elsewhere != 3 || p.OtherSets != 1 {
		t.Errorf("%d here, %d elsewhere in %d", p.Copies, p.Elsewhere, p.OtherSets)
	}
	d.edit(edit.Do(&edit.TrueSize{ID: id, Of: "height", Metres: 2}))
	if label := d.state().Undo; !strings.Contains(label, "5 placements in 2 sets change") {
		t.Error(label)
	}
	other, err := d.a.State(d.ctx, second)
	if err != nil || strings.Contains(other.Undo, "size") || other.Placements[0].Dims.Y != 2 {
		t.Errorf("the other set offers %q, %v", other.Undo, err)
	}
	if err := d.a.PutInBin(d.ctx, "set", second); err != nil {
		t.Fatal(err)
	}
	if p := d.state().Pieces[0]; p.Elsewhere != 0 {
		t.Errorf("%d stand in a set that lies in the bin", p.Elsewhere)
	}
}
