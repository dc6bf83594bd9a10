package app_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/lay"
	"visator/core/light"
	"visator/core/model"
)

// snagsOf are the measured snags of a kind, once the newest revision is measured.
func (d *studio) snagsOf(kind string) (list []string) {
	d.Helper()
	st := d.await("the measuring",
		func(st *query.State) bool { return st.Measured != nil && st.Measured.Revision == st.Revision })
	for _, s := range st.Snags {
		if s.Kind == kind {
			list = append(list, s.What)
		}
	}
	return list
}

func (d *studio) placement(name string) *query.PlacementState {
	d.Helper()
	for i, st := 0, d.state(); i < len(st.Placements); i++ {
		if st.Placements[i].Name == name {
			return &st.Placements[i]
		}
	}
	d.Fatalf("no placement %s", name)
	return nil
}

func (d *studio) add(kind string, spec any) string {
	d.Helper()
	return d.edit(edit.Do(&edit.AddElement{Kind: kind, Spec: patch(spec)})).Made[0]
}

func (d *studio) elementState(id string) query.ElementState {
	d.Helper()
	for _, e := range d.state().Elements {
		if e.ID == id {
			return e
		}
	}
	d.Fatalf("no element %s", id)
	return query.ElementState{}
}

func near(t testing.TB, what string, got, want, tol float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tol) {
		t.Errorf("%s is %.5f, want %.5f within %g", what, got, want, tol)
	}
}

func standIn(kind string, at, size geom.V, more map[string]any) desk.Command {
	p := map[string]any{"size": size}
	for k, v := range more {
		p[k] = v
	}
	return edit.Do(&edit.Place{StandIn: kind, At: at, Patch: patch(p)})
}

// A box floats 30 cm above a wedge: it is told, put down onto the slope by its true
// triangles, and the snag goes; on three points it lies square on the slope.
func TestThingsArePutDownOntoTrueTriangles(t *testing.T) {
	d := newStudio(t)
	d.edit(standIn("wedge", geom.V{}, geom.V{X: 4, Y: 1, Z: 4}, nil))
	id := d.edit(standIn("box", geom.V{Y: 1.2}, geom.V{X: 0.4, Y: 0.3, Z: 0.4}, nil)).Made[0]
	if list := d.snagsOf("floating"); len(list) != 1 || !strings.Contains(list[0], "above wedge") {
		t.Fatalf("%v", list)
	}
	d.edit(edit.Do(&edit.PutDown{IDs: []string{id}}))
	// The wedge rises by 1 m over 4 m towards -Z: its surface is at 0.5 - z/4, and
	// the box's back edge at z = -0.2 touches it first.
	near(t, "the box's height", d.placement("box").At.Y, 0.55, 1e-6)
	if list := d.snagsOf("floating"); len(list) != 0 {
		t.Errorf("%v", list)
	}
	d.edit(edit.Do(&edit.FollowSlope{IDs: []string{id}}))
	p := d.placement("box")
	up := p.World.Dir(geom.V{Y: 1})
	near(t, "its lean", math.Atan2(up.Z, up.Y), math.Atan(0.25), 1e-6)
	d.edit(edit.Do(&edit.ChangePlacement{ID: id,
		Patch: patch(map[string]any{"pitch": 0.0, "roll": 0.0, "yaw": 0.0, "at": geom.V{Y: 2}})}))
	d.settle(0, id)
	p = d.placement("box")
	up = p.World.Dir(geom.V{Y: 1})
	near(t, "its lean after settling", math.Atan2(up.Z, up.Y), math.Atan(0.25), 5e-3)
}

func TestThingsAreArranged(t *testing.T) {
	d := newStudio(t)
	a := d.edit(standIn("box", geom.V{X: 0, Z: 0}, geom.V{X: 1, Y: 1, Z: 1}, nil)).Made[0]
	b := d.edit(standIn("box", geom.V{X: 2, Z: 0.7}, geom.V{X: 0.5, Y: 1, Z: 1}, nil)).Made[0]
	c := d.edit(standIn("box", geom.V{X: 7, Z: -0.4}, geom.V{X: 2, Y: 1, Z: 1}, nil)).Made[0]
	d.edit(edit.Do(&edit.Align{IDs: []string{a, b, c}, To: "z-min"}))
	for _, n := range []string{"box 2", "box 3"} {
		near(t, n, d.placement(n).At.Z, 0, 1e-6)
	}
	// From -0.5 to 8 m with boxes of 1, 0.5 and 2 m: two gaps of 2.5 m.
	d.edit(edit.Do(&edit.Distribute{IDs: []string{c, a, b}, Along: "x"}))
	near(t, "the middle one", d.placement("box 2").At.X, 0.5+2.5+0.25, 1e-6)
	d.edit(standIn("wall", geom.V{X: 3.25, Z: -3}, geom.V{X: 4, Y: 2.5, Z: 0.2}, nil))
	d.edit(edit.Do(&edit.SetAgainst{IDs: []string{b}, Side: "back"}))
	near(t, "against the wall", d.placement("box 2").At.Z-0.5, -2.9, 1e-3)
	d.edit(edit.Do(&edit.Face{IDs: []string{b}, At: geom.V{X: 13.25, Z: d.placement("box 2").At.Z}}))
	near(t, "its turn", d.placement("box 2").Yaw, math.Pi/2, 1e-6)
	at := d.placement("box").At
	d.edit(edit.Do(&edit.Swap{IDs: []string{a, c}}))
	if got := d.placement("box 3").At; got != at {
		t.Errorf("after the swap it stands at %v", got)
	}
	d.edit(edit.Do(&edit.Mirror{IDs: []string{a, c}, Across: "x"}))
	if got := d.placement("box").At; got != at {
		t.Errorf("mirrored it stands at %v, want %v", got, at)
	}
	d.edit(edit.Do(&edit.Rename{IDs: []string{a, b, c}, Pattern: "crate ##"}))
	d.placement("crate 02")
	for _, bad := range []desk.Command{edit.Do(&edit.Align{IDs: []string{a}, To: "x"}),
		edit.Do(&edit.Align{IDs: []string{a, b}, To: "w-min"}), edit.Do(&edit.Swap{IDs: []string{a, b, c}}),
		edit.Do(&edit.Rename{IDs: []string{a}, Pattern: "a # b #"}),
		edit.Do(&edit.SetAgainst{IDs: []string{a}, Side: "down"}),
		edit.Do(&edit.Vary{IDs: []string{a}, VaryBy: edit.VaryBy{Size: 2}})} {
		if _, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: -1, Commands: []desk.Command{bad}}); err == nil {
			t.Errorf("%+v is done", bad)
		}
	}
}

// A stand-in of 1 x 1 x 2 m is recast by a piece of 2 x 1 x 1 m: a quarter turn
// fits it wholly; the stand-in stays, hidden, in the layer of the blockout.
func TestStandInsAreRecast(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	id := d.edit(standIn("box", geom.V{X: 3, Z: 1}, geom.V{X: 1, Y: 1, Z: 2}, nil)).Made[0]
	r := d.edit(edit.Do(&edit.Recast{IDs: []string{id}, Piece: piece}))
	if !strings.Contains(r.Label, "fits 100 %") {
		t.Error(r.Label)
	}
	st := d.state()
	var was, is query.PlacementState
	for _, p := range st.Placements {
		if p.ID == id {
			was = p
		} else {
			is = p
		}
	}
	if !was.Hidden || was.Layer != "blockout" || is.Recast != id || math.Abs(math.Cos(is.Yaw)) > 1e-9 ||
		is.At.Sub(geom.V{X: 3, Z: 1}).Len() > 1e-9 {
		t.Errorf("the stand-in %+v, its piece %+v", was.Placement, is.Placement)
	}
	if _, err := d.a.Edit(d.ctx, d.set,
		desk.Request{Revision: -1,
			Commands: []desk.Command{edit.Do(&edit.Recast{IDs: []string{is.ID}, Piece: piece})}}); err == nil {
		t.Error("a piece is recast")
	}
	other := d.edit(standIn("box", geom.V{X: 9}, geom.V{X: 4, Y: 3, Z: 2}, nil)).Made[0]
	// How it fits is told before: of 4 x 3 x 2 m the piece fills 2 x 1 x 1 at its true size,
	// 4 x 2 x 2 scaled; the worst of several comes first.
	third := d.edit(standIn("box", geom.V{X: 19}, geom.V{X: 2, Y: 1, Z: 1}, nil)).Made[0]
	for _, c := range []struct {
		fill  bool
		fit   float64
		scale float64
	}{{false, 2.0 / 24, 1}, {true, 16.0 / 24, 2}} {
		fits, err := d.a.Fits(d.ctx, d.set, piece, []string{third, other, is.ID}, c.fill)
		if err != nil || len(fits) != 2 || fits[0].ID != other || math.Abs(fits[0].Fit-c.fit) > 1e-9 ||
			math.Abs(fits[0].Scale-c.scale) > 1e-9 || math.Abs(fits[1].Fit-1) > 1e-9 {
			t.Errorf("filled %v: %+v, %v", c.fill, fits, err)
		}
	}
	if _, err := d.a.Fits(d.ctx, d.set, "none", []string{other}, true); err == nil {
		t.Error("a piece that is not there fits")
	}
	d.edit(edit.Do(&edit.Recast{IDs: []string{other}, Piece: piece, Fill: true}))
	for _, p := range d.state().Placements {
		if p.Recast == other && p.Dims.Sub(geom.V{X: 4, Y: 2, Z: 2}).Len() > 1e-9 {
			t.Errorf("filled it measures %v", p.Dims)
		}
	}
}

// A row stands on what is beneath it, follows when that is moved, is changed
// later, and is broken up.
func TestARowStandsOnWhatIsBeneath(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	slab := d.edit(standIn("slab", geom.V{X: 3}, geom.V{X: 6, Y: 0.5, Z: 2}, nil)).Made[0]
	row := &lay.Array{Shape: "line", Points: []lay.P{{X: -4}, {X: 6}}, Pieces: []lay.Share{{Piece: piece, Weight: 1}},
		By: "count", Count: 3, Rest: true}
	id := d.add("row", row)
	heights := func() (list []float64) {
		raw, err := d.a.ElementInstances(d.ctx, d.set, id, 0)
		if err != nil {
			t.Fatal(err)
		}
		for i := 0; i < len(raw); i += 36 {
			var y float32
			bits := uint32(raw[i+8]) | uint32(raw[i+9])<<8 | uint32(raw[i+10])<<16 | uint32(raw[i+11])<<24
			y = math.Float32frombits(bits)
			list = append(list, float64(y))
		}
		return list
	}
	// A line overhead carries nothing.
	d.add("line", &lay.Garland{Points: []geom.V{{X: -6, Y: 4}, {X: 7, Y: 4}}, Thick: 0.2, Sag: 0.1})
	if got := heights(); !slices.Equal(got, []float64{0, 0.5, 0.5}) {
		t.Errorf("heights %v", got)
	}
	d.edit(edit.Do(&edit.ChangePlacement{ID: slab, Patch: patch(map[string]any{"at": geom.V{X: 40}})}))
	if got := heights(); !slices.Equal(got, []float64{0, 0, 0}) {
		t.Errorf("without the slab %v", got)
	}
	d.edit(edit.Do(&edit.ChangeElement{ID: id, Patch: patch(map[string]any{"spec": map[string]any{"count": 5}})}))
	if e := d.elementState(id); e.Count != 5 || e.Said == "" {
		t.Errorf("%+v", e)
	}
	d.edit(edit.Do(&edit.BreakUp{ID: id}))
	if st := d.state(); len(st.Placements) != 6 || len(st.Elements) != 1 {
		t.Errorf("%d placements, %d elements", len(st.Placements), len(st.Elements))
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
		t.Fatal(err)
	}
	if e := d.elementState(id); e.Count != 5 {
		t.Error("the row does not come back")
	}
}

// What cannot be laid is refused with a sentence, and nothing of it is kept.
func TestElementsThatCannotBeAreRefused(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	before := d.state().Revision
	square := []lay.P{{X: 0}, {X: 1000}, {X: 1000, Z: 1000}, {Z: 1000}}
	drift := map[string]any{"area": square, "pieces": []lay.Share{{Piece: piece, Weight: 1}}, "density": 5000,
		"sizeMin": 1, "sizeMax": 1}
	for what, c := range map[string]struct {
		kind string
		spec any
		say  string
	}{
		"a billion things": {"drift", drift, "billion"},
		"a path with a loop": {"path", map[string]any{"points": []lay.P{{}, {X: 5, Z: 5}, {X: 5}, {Z: 5}}, "width": 1},
			"crosses itself"},
		"an area of zero": {"water", map[string]any{"outline": []lay.P{{}, {X: 1}, {X: 2}}}, "no area"},
		"a lost piece": {"row",
			&lay.Array{Shape: "line", Points: square[:2], Pieces: []lay.Share{{Piece: "gone", Weight: 1}}, By: "count",
				Count: 2}, "not in the library"},
		"a field unknown": {"room", map[string]any{"walls": 3}, "cannot be read"},
		"an unknown kind": {"tower", map[string]any{}, "not a kind"},
	} {
		_, err := d.a.Edit(d.ctx, d.set,
			desk.Request{Revision: -1,
				Commands: []desk.Command{edit.Do(&edit.AddElement{Kind: c.kind, Spec: patch(c.spec)})}})
		if err == nil || !strings.Contains(err.Error(), c.say) {
			t.Errorf("%s: %v", what, err)
		}
	}
	// Groups in a circle.
	g1 := d.add("group", &lay.Group{})
	g2 := d.add("group", &lay.Group{Parent: g1})
	_, err := d.a.Edit(d.ctx, d.set,
		desk.Request{Revision: -1,
			Commands: []desk.Command{edit.Do(&edit.ChangeElement{ID: g1,
				Patch: patch(map[string]any{"spec": map[string]any{"parent": g2}})})}})
	if err == nil || !strings.Contains(err.Error(), "cannot hold itself") {
		t.Errorf("groups in a circle: %v", err)
	}
	if st := d.state(); st.Revision != before+2 || len(st.Elements) != 2 {
		t.Errorf("%d edits were kept, %d elements", st.Revision-before, len(st.Elements))
	}
	// Two people brush the same ground: the second is told.
	ground := d.add("ground", &lay.Ground{Width: 10, Depth: 10, Cell: 1})
	seen := d.state().Revision
	stroke := edit.Do(&edit.Stroke{ID: ground,
		Stroke: patch(lay.Sculpt{Do: "raise", Points: []lay.P{{X: 1}}, Radius: 2, Height: 1})})
	d.edit(stroke)
	if _, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: seen, Commands: []desk.Command{stroke}}); err == nil ||
		!strings.Contains(err.Error(), "changed elsewhere") {
		t.Errorf("a stale stroke: %v", err)
	}
}

// Linked copies change together; one that is detached does not. Layers hide and
// lock what is in them; groups nest and become pieces of the library.
func TestLayersGroupsAndDetaching(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	d.edit(edit.Do(&edit.Place{Piece: piece}), edit.Do(&edit.Place{Piece: piece, At: geom.V{X: 4}}))
	ids := []string{d.placement("box").ID, d.placement("box 2").ID}
	d.edit(edit.Do(&edit.Detach{IDs: ids[1:]}))
	own := d.placement("box 2")
	if own.Piece == piece || own.Shared != 1 {
		t.Fatalf("it is still linked: %+v", own)
	}
	d.edit(edit.Do(&edit.TrueSize{ID: piece, Of: "height", Metres: 3}))
	if a, b := d.placement("box").Dims.Y, d.placement("box 2").Dims.Y; a != 3 || b != 1 {
		t.Errorf("heights %g and %g", a, b)
	}
	d.edit(edit.Do(&edit.IntoLayer{IDs: ids, Layer: "props"}))
	var layer string
	for _, e := range d.state().Elements {
		if e.Kind == "layer" && e.Name == "props" {
			layer = e.ID
		}
	}
	bars := len(d.frame(0).Bars)
	d.edit(edit.Do(&edit.ChangeElement{ID: layer, Patch: patch(map[string]any{"hidden": true})}))
	if n := len(d.frame(0).Bars); n != bars-2 {
		t.Errorf("%d bars on the depth strip, %d with the layer shown", n, bars)
	}
	d.edit(edit.Do(&edit.ChangeElement{ID: layer, Patch: patch(map[string]any{"hidden": false, "locked": true})}))
	if _, err := d.a.Edit(d.ctx, d.set,
		desk.Request{Revision: -1,
			Commands: []desk.Command{edit.Do(&edit.ChangePlacement{ID: ids[0],
				Patch: patch(map[string]any{"at": geom.V{X: 9}})})}}); err == nil {
		t.Error("what is in a locked layer is moved")
	}
	d.edit(edit.Do(&edit.ChangeElement{ID: layer, Patch: patch(map[string]any{"locked": false, "name": "things"})}))
	if d.placement("box").Layer != "things" {
		t.Error("a layer that is renamed loses what is in it")
	}
	r := d.edit(edit.Do(&edit.Group{IDs: ids, Name: "pair"}))
	outer := d.edit(edit.Do(&edit.Group{IDs: []string{r.Made[0],
		d.edit(standIn("box", geom.V{X: 9}, geom.V{X: 1, Y: 1, Z: 1}, nil)).Made[0]}, Name: "all"})).Made[0]
	ar, err := d.a.KeepPiece(d.ctx, d.set, outer)
	if err != nil {
		t.Fatal(err)
	}
	st := d.await("the group as a piece",
		func(st *query.State) bool { return len(st.Pieces) == 3 && st.Pieces[2].Making == "" })
	// From -3 to 9.5 m: the first box is 6 m wide now.
	if p := st.Pieces[2]; p.Arrival != ar.ID || math.Abs(p.Size.X-12.5) > 1e-6 {
		t.Errorf("the piece measures %v", p.Size)
	}
	d.edit(edit.Do(&edit.Ungroup{IDs: []string{outer}}))
	if d.placement("box").Group != r.Made[0] {
		t.Error("the inner group is lost")
	}
}

// One snag of each kind that a set can show, and that each is mended or meant.
func TestSnagsAreToldAndMeant(t *testing.T) {
	d := newStudio(t)
	d.edit(standIn("box", geom.V{Y: 0.4}, geom.V{X: 1, Y: 1, Z: 1}, nil))
	st := d.await("the snag", func(st *query.State) bool { return len(st.Snags) > 0 && st.Snags[0].Kind == "floating" })
	d.edit(edit.Do(&edit.IsMeant{Snag: st.Snags[0].Key, Why: "it hangs on a thread"}))
	st = d.await("what is meant", func(st *query.State) bool { return len(st.Meant) == 1 })
	if len(st.Snags) != 0 || st.Meant[0].Meant == "" {
		t.Errorf("%+v", st.Snags)
	}
	d.edit(edit.Do(&edit.Delete{IDs: []string{st.Meant[0].Meant}}))
	if list := d.snagsOf("floating"); len(list) != 1 {
		t.Errorf("told again: %v", list)
	}
	d.add("limit", &lay.Limit{Instances: 1})
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	d.edit(edit.Do(&edit.Place{Piece: piece, At: geom.V{X: 5}}), edit.Do(&edit.Place{Piece: piece, At: geom.V{X: 8}}))
	if list := d.snagsOf("budget"); len(list) != 1 || !strings.Contains(list[0], "2") {
		t.Errorf("budget: %v", list)
	}
}

// An unseen sequence of edits of every kind, undone one by one, gives the same
// bytes as before; done again, the same as after.
func TestAnySequenceOfEditsIsUndone(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	r := rand.New(rand.NewPCG(11, 12))
	snap := func() []byte {
		st := d.state()
		for i := range st.Placements {
			st.Placements[i].Shared = 0
		}
		raw, err := json.Marshal([]any{st.Set, st.Placements, st.Elements, st.Shots, st.Pieces[0].Sizing})
		if err != nil {
			t.Fatal(err)
		}
		return raw
	}
	states, labels := [][]byte{snap()}, []string{}
	for len(labels) < 60 {
		st := d.state()
		var ids, elements, free []string
		for _, p := range st.Placements {
			ids = append(ids, p.ID)
			if p.StandIn == "box" && !p.Hidden {
				free = append(free, p.ID)
			}
		}
		for _, e := range st.Elements {
			elements = append(elements, e.ID)
		}
		some := func(list []string, n int) []string {
			list = slices.Clone(list)
			r.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
			return list[:min(n, len(list))]
		}
		at := geom.V{X: 20 * r.Float64(), Y: r.Float64(), Z: 20 * r.Float64()}
		deeds := []desk.Command{standIn("box", at, geom.V{X: 1, Y: 1, Z: 1}, nil),
			edit.Do(&edit.Place{Piece: piece, At: at, Rest: true}),
			edit.Do(&edit.AddElement{Kind: "group", Spec: patch(lay.Group{})}),
			edit.Do(&edit.AddElement{Kind: "room",
				Spec: patch(lay.Room{Outline: []lay.P{{}, {X: 4}, {X: 4, Z: 3}}, Height: 2.5, Wall: 0.1})}),
			edit.Do(&edit.KeepShot{Name: "shot"}),
			edit.Do(&edit.AddElement{Kind: "ground", Spec: patch(lay.Ground{Width: 8, Depth: 8, Cell: 1})}),
			edit.Do(&edit.TrueSize{ID: piece, Of: "height", Metres: 1 + r.Float64()}),
			edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"focal": 20 + r.IntN(60)}})})}
		list, one, layer, seed := some(ids, 1+r.IntN(3)), some(ids, 1), "layer "+fmt.Sprint(r.IntN(3)),
			uint64(r.IntN(3))
		for _, args := range []any{&edit.PutDown{IDs: list}, &edit.FollowSlope{IDs: list},
			&edit.Align{IDs: list, To: "x-mid"}, &edit.Distribute{IDs: list, Along: "z"},
			&edit.Face{IDs: list, At: at}, &edit.Mirror{IDs: list, Across: "x"},
			&edit.Vary{IDs: list, Seed: seed, VaryBy: edit.Varied}, &edit.Rename{IDs: list, Pattern: layer},
			&edit.Copy{IDs: list, By: at}, &edit.Delete{IDs: list}, &edit.Group{IDs: list, Name: layer},
			&edit.IntoLayer{IDs: list, Layer: layer},
			&edit.Recast{IDs: some(free, 2), Piece: piece}, &edit.Swap{IDs: some(ids, 2)}, &edit.Detach{IDs: list}} {
			deeds = append(deeds, edit.Do(args))
		}
		if len(one) > 0 {
			deeds = append(deeds, edit.Do(&edit.MoveOut{ID: one[0]}), edit.Do(&edit.SetApart{ID: one[0]}))
		}
		for _, id := range some(elements, 2) {
			deeds = append(deeds, edit.Do(&edit.Delete{IDs: []string{id}}),
				edit.Do(&edit.ChangeElement{ID: id,
					Patch: patch(map[string]any{"hidden": true, "name": "e" + fmt.Sprint(r.IntN(100))})}),
				edit.Do(&edit.Stroke{ID: id,
					Stroke: patch(lay.Sculpt{Do: "raise", Points: []lay.P{{X: 1}}, Radius: 2, Height: 1})}),
				edit.Do(&edit.Ungroup{IDs: []string{id}}))
		}
		n := 1 + r.IntN(3)
		var now []desk.Command
		for range n {
			now = append(now, deeds[r.IntN(len(deeds))])
		}
		res, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: -1, Commands: now})
		after := snap()
		if err != nil || res.Revision == st.Revision {
			if !bytes.Equal(after, states[len(states)-1]) {
				t.Fatalf("refused (%v), but something of %+v was done", err, now)
			}
			continue
		}
		states, labels = append(states, after), append(labels, res.Label)
	}
	for i := len(labels) - 1; i >= 0; i-- {
		if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
			t.Fatal(err)
		}
		if got := snap(); !bytes.Equal(got, states[i]) {
			t.Fatalf("undoing %q gives other bytes than before:\n%s\n%s", labels[i], got, states[i])
		}
	}
	for i := range labels {
		if _, err := d.a.Redo(d.ctx, d.set, ""); err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(snap(), states[i+1]) {
			t.Fatalf("doing %q again gives other bytes", labels[i])
		}
	}
}

// Within one edit a thing may be changed, others added, and it be changed again:
// what the edit itself wrote was not changed elsewhere.
func TestAnEditIsNotStaleByItself(t *testing.T) {
	d := newStudio(t)
	id := d.edit(standIn("box", geom.V{}, geom.V{X: 1, Y: 1, Z: 1}, nil)).Made[0]
	move := func(x float64) desk.Command {
		return edit.Do(&edit.ChangePlacement{ID: id, Patch: patch(map[string]any{"at": geom.V{X: x}})})
	}
	seen := d.state().Revision
	d.edit(move(1), standIn("box", geom.V{X: 9}, geom.V{X: 1, Y: 1, Z: 1}, nil), move(2))
	if x := d.placement("box").At.X; x != 2 {
		t.Errorf("it stands at %g", x)
	}
	if _, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: seen, Commands: []desk.Command{move(3)}}); err == nil ||
		!strings.Contains(err.Error(), "changed elsewhere") {
		t.Errorf("one that saw less: %v", err)
	}
}

// A drift that only the shot's camera sees is where it sees; one of a hundred
// thousand is laid in the background and said to be.
func TestDriftsFollowTheShot(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	area := []lay.P{{X: -50, Z: -50}, {X: 50, Z: -50}, {X: 50, Z: 50}, {X: -50, Z: 50}}
	drift := lay.Scatter{Area: area, Pieces: []lay.Share{{Piece: piece, Weight: 1}}, Density: 0.5, SizeMin: 0.1,
		SizeMax: 0.2, Seed: 1}
	id := d.add("drift", &drift)
	all := d.elementState(id).Count
	near(t, "how many", float64(all), 5000, 150)
	d.edit(edit.Do(&edit.ChangeElement{ID: id,
		Patch: patch(map[string]any{"spec": map[string]any{"seen": true, "margin": 0.5}})}))
	seen := d.elementState(id).Count
	// The default view from z = 8 m towards -z, 54 degrees wide: a triangle of
	// 58 x 59 m of the 100 x 100 m, a little wider.
	near(t, "how many are seen", float64(seen)/float64(all), 58*59.0/2/1e4, 0.03)
	d.edit(edit.Do(&edit.ChangeElement{ID: id,
		Patch: patch(map[string]any{"spec": map[string]any{"seen": false, "density": 12}})}))
	if e := d.elementState(id); !e.Laying && e.Count == 0 {
		t.Errorf("%+v", e)
	}
	st := d.await("the drift",
		func(st *query.State) bool { return st.Elements[0].Count > 100_000 && !st.Elements[0].Laying })
	raw, err := d.a.ElementInstances(d.ctx, d.set, id, 1000)
	if err != nil || len(raw)%36 != 0 || len(raw)/36 > 1001 || len(raw)/36 < 900 {
		t.Errorf("of %d instances %d bytes, %v", st.Elements[0].Count, len(raw), err)
	}
	if len(st.Elements[0].Spec) > 1e6 {
		t.Errorf("%d bytes are stored", len(st.Elements[0].Spec))
	}
}

// A drift through a crate is told with how many of its things grow through it: those whose
// foot lies in it, by their places. Kept off its floor, there are none.
func TestDriftsThroughThingsAreTold(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	d.edit(standIn("box", geom.V{}, geom.V{X: 2, Y: 1, Z: 1}, nil))
	area := []lay.P{{X: -5, Z: -5}, {X: 5, Z: -5}, {X: 5, Z: 5}, {X: -5, Z: 5}}
	drift := lay.Scatter{Area: area, Pieces: []lay.Share{{Piece: piece, Weight: 1}}, Density: 8, SizeMin: 0.1,
		SizeMax: 0.1, Seed: 1}
	id := d.add("drift", &drift)
	raw, err := d.a.ElementInstances(d.ctx, d.set, id, 0)
	if err != nil {
		t.Fatal(err)
	}
	want := 0
	for i := range len(raw) / 36 {
		at := func(k int) float64 {
			return float64(math.Float32frombits(binary.LittleEndian.Uint32(raw[36*i+4*k:])))
		}
		if math.Abs(at(1)) < 1 && math.Abs(at(3)) < 0.5 {
			want++
		}
	}
	list := d.snagsOf("overlap")
	if want < 8 || len(list) != 1 || !strings.HasPrefix(list[0], fmt.Sprintf("%d things of ", want)) {
		t.Errorf("%d grow through it, and it is told %v", want, list)
	}
	drift.Keep = [][]lay.P{{{X: -1.3, Z: -0.8}, {X: 1.3, Z: -0.8}, {X: 1.3, Z: 0.8}, {X: -1.3, Z: 0.8}}}
	d.edit(edit.Do(&edit.ChangeElement{ID: id,
		Patch: patch(map[string]any{"spec": map[string]any{"keep": drift.Keep}})}))
	if list := d.snagsOf("overlap"); len(list) != 0 {
		t.Errorf("%v", list)
	}
}

// A facade whose piece is not as large as its openings is told once for all bays; one that
// fits is not.
func TestBaysThatDoNotFitAreTold(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	size := d.state().Pieces[0].Size
	hole := lay.Opening{Along: 2, Width: size.X - 0.8, Head: size.Y, Bays: 3, Pitch: 3, Filling: piece}
	id := d.add("room", &lay.Room{Outline: []lay.P{{}, {X: 12}, {X: 12, Z: 6}, {Z: 6}}, Height: 4, Wall: 0.3,
		Openings: []lay.Opening{hole}})
	if list := d.snagsOf("bay"); len(list) != 1 || !strings.Contains(list[0], "3 times") {
		t.Errorf("%v", list)
	}
	hole.Width = size.X
	d.edit(edit.Do(&edit.ChangeElement{ID: id,
		Patch: patch(map[string]any{"spec": map[string]any{"openings": []lay.Opening{hole}}})}))
	if list := d.snagsOf("bay"); len(list) != 0 {
		t.Errorf("%v", list)
	}
}

// A new true size moves no placement, in no set of the production.
func TestPlacementsOfOtherSetsStayWhereTheyStand(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	other, err := d.a.NewSet(d.ctx, d.production, "other")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.a.NewSet(d.ctx, d.production, " "); err == nil {
		t.Error("a set without a name is made")
	}
	place := desk.Request{Revision: -1,
		Commands: []desk.Command{edit.Do(&edit.Place{Piece: piece, At: geom.V{X: 3, Z: 1}})}}
	for _, set := range []string{d.set, other} {
		if _, err := d.a.Edit(d.ctx, set, place); err != nil {
			t.Fatal(err)
		}
	}
	box := func(set string) geom.Box {
		st, err := d.a.State(d.ctx, set)
		if err != nil || len(st.Placements) != 1 {
			t.Fatal(err)
		}
		p := st.Placements[0]
		return p.Box.Apply(p.World)
	}
	was := box(other)
	d.edit(edit.Do(&edit.Pivot{ID: piece, At: geom.V{X: 0.7, Y: 0.2, Z: 0.1}}))
	if here, there := box(d.set), box(other); here.Min.Sub(was.Min).Len() > 1e-9 ||
		there.Min.Sub(was.Min).Len() > 1e-9 {
		t.Errorf("they stand at %v and %v, stood at %v", here, there, was)
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
		t.Fatal(err)
	}
	if there := box(other); there != was {
		t.Errorf("undone it stands at %v, stood at %v", there, was)
	}
}

// A stone of 70 000 triangles that stands far off is more than any shot can show:
// a lighter version is proposed, used in pictures, and taken back.
func TestALighterVersionIsProposedWhereItDoes(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("stone.glb", lump(t, 1, 190)).Pieces[0]
	d.edit(edit.Do(&edit.Place{Piece: piece.ID, At: geom.V{Z: -60}}), edit.Do(&edit.KeepShot{Name: "far"}))
	st := d.await("the saving", func(st *query.State) bool { return len(st.Budget.Savings) == 1 })
	s := st.Budget.Savings[0]
	if s.Light < 1 || s.Off > 0.5 || s.Triangles < 40_000 || s.Pixels > 40 {
		t.Errorf("%+v", s)
	}
	before := st.Budget.Triangles
	d.edit(edit.Do(&edit.ChangePiece{ID: piece.ID,
		Patch: patch(map[string]any{"sizing": map[string]any{"light": s.Light}})}))
	st = d.await("no more to save", func(st *query.State) bool { return len(st.Budget.Savings) == 0 })
	if st.Budget.Triangles != before-s.Triangles && st.Budget.Triangles >= before {
		t.Errorf("%d triangles, before %d", st.Budget.Triangles, before)
	}
	var buf bytes.Buffer
	if err := d.a.Export(d.ctx, d.set, false, &buf); err != nil {
		t.Fatal(err)
	}
	m, err := gltf.Read("set", buf.Bytes(), model.Folder{})
	if err != nil || m.Weigh().Triangles != st.Budget.Triangles {
		t.Errorf("written with %d triangles, weighed as %d, %v", m.Weigh().Triangles, st.Budget.Triangles, err)
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
		t.Fatal(err)
	}
	if st := d.state(); st.Budget.Triangles != before || st.Pieces[0].Sizing.Decided != piece.Sizing.Decided {
		t.Errorf("undone %d triangles, before %d", st.Budget.Triangles, before)
	}
	// Close to the lens less is to be saved, if anything.
	d.edit(edit.Do(&edit.ChangePlacement{ID: st.Placements[0].ID,
		Patch: patch(map[string]any{"at": geom.V{Y: 1, Z: 6.6}})}))
	st = d.await("its true worth", func(st *query.State) bool { return st.Measured.Revision == st.Revision })
	if l := st.Budget.Savings; len(l) > 0 && (l[0].Triangles >= s.Triangles || l[0].Off > 0.5) {
		t.Errorf("close: %+v, far: %+v", l[0], s)
	}
}

func TestCardsShowPicturesOnly(t *testing.T) {
	d := newStudio(t)
	if _, err := d.a.CardPicture(d.ctx, strings.NewReader("no picture")); err == nil || !strings.Contains(err.Error(),
		"PNG or JPEG") {
		t.Errorf("%v", err)
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, image.NewGray(image.Rect(0, 0, 8, 4))); err != nil {
		t.Fatal(err)
	}
	hash, err := d.a.CardPicture(d.ctx, &buf)
	if err != nil {
		t.Fatal(err)
	}
	id := d.add("card", &lay.Card{At: geom.V{Z: -30}, Width: 20, Height: 10, Facing: true, Shape: "picture",
		Picture: hash, Relief: 5})
	raw, err := d.a.ElementModel(d.ctx, d.set, id)
	if err != nil {
		t.Fatal(err)
	}
	m, err := gltf.Read("card", raw, model.Folder{})
	if err != nil || len(m.Maps) != 1 || m.Weigh().Triangles != 2 {
		t.Errorf("%+v, %v", m, err)
	}
	// Two metres of dolly across the view at 35 mm on 36 mm, 1920 pixels: what is
	// 5 m deep is flat from √(2 · 5 · 35/36 · 1920) m on.
	to := d.state().Set.View
	to.Eye.X += 2
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"move": map[string]any{"to": to, "duration": 2,
		"easing": "linear", "rate": 24}})}))
	near(t, "the safe distance", *d.elementState(id).Safe, math.Sqrt(2*5*to.Focal/36*1920), 0.5)
}

// Pointed at beneath a table top, a thing rests on the floor; dropped from above,
// on the table.
func TestWhatIsPointedAtBeneathATableRestsThere(t *testing.T) {
	d := newStudio(t)
	d.stand("slab", geom.V{Y: 0.7}, geom.V{X: 2, Y: 0.05, Z: 2})
	d.stand("slab", geom.V{Y: -0.2}, geom.V{X: 20, Y: 0.2, Z: 20})
	small := patch(map[string]any{"size": geom.V{X: 0.3, Y: 0.3, Z: 0.3}})
	under := d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "under", Rest: true, Here: true, Patch: small})).Made[0]
	over := d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "over", At: geom.V{X: 0.5}, Rest: true,
		Patch: small})).Made[0]
	for id, want := range map[string]float64{under: 0, over: 0.75} {
		for _, p := range d.state().Placements {
			if p.ID == id && math.Abs(p.At.Y-want) > 1e-3 {
				t.Errorf("%s rests at %v, want %v", p.Name, p.At.Y, want)
			}
		}
	}
}

// Copies of a whole group are a group of their own, with the groups in it; of a part they
// stay in the group. Turned together they keep their places among themselves.
func TestCopiesOfAGroupAreAGroup(t *testing.T) {
	d := newStudio(t)
	at := func(x float64) desk.Command {
		return edit.Do(&edit.Place{StandIn: "box", Name: "box", At: geom.V{X: x}})
	}
	ids := d.edit(at(0), at(2), at(4)).Made
	inner := d.edit(edit.Do(&edit.Group{IDs: ids[:2], Name: "pair"})).Made[0]
	outer := d.edit(edit.Do(&edit.Group{IDs: []string{inner, ids[2]}, Name: "all"})).Made[0]
	groups := func() (list []query.ElementState) {
		for _, e := range d.state().Elements {
			if e.Kind == "group" {
				list = append(list, e)
			}
		}
		return list
	}
	group := func(id string) string {
		for _, p := range d.state().Placements {
			if p.ID == id {
				return p.Group
			}
		}
		return ""
	}
	part := d.edit(edit.Do(&edit.Copy{IDs: ids[:1], By: geom.V{Z: 1}})).Made
	if len(part) != 1 || group(part[0]) != inner || len(groups()) != 2 {
		t.Errorf("a copy of one: in %q, %d groups", group(part[0]), len(groups()))
	}
	d.edit(edit.Do(&edit.Delete{IDs: part}))
	made := d.edit(edit.Do(&edit.Copy{IDs: ids, By: geom.V{Z: 10}, Turn: math.Pi / 2})).Made
	if len(made) != 3 || len(groups()) != 4 {
		t.Fatalf("%d copies, %d groups", len(made), len(groups()))
	}
	pair, lone := group(made[0]), group(made[2])
	if pair != group(made[1]) || pair == inner || pair == "" || lone == outer || lone == pair {
		t.Errorf("the copies are in %q and %q, the first ones in %q and %q", pair, lone, inner, outer)
	}
	for _, g := range groups() {
		var spec lay.Group
		if err := json.Unmarshal(g.Spec, &spec); err != nil {
			t.Fatal(err)
		}
		if g.ID == pair && (spec.Parent != lone || g.Name != "pair 2") {
			t.Errorf("%s lies in %q, not in %q", g.Name, spec.Parent, lone)
		}
	}
	// A quarter turn counter-clockwise about the first brings +x to -z.
	for i, p := range d.state().Placements[3:] {
		if want := (geom.V{Z: 10 - 2*float64(i)}); p.At.Sub(want).Len() > 1e-9 || math.Abs(p.Yaw-math.Pi/2) > 1e-9 {
			t.Errorf("copy %d stands at %v turned %v, want %v", i, p.At, p.Yaw, want)
		}
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil || len(groups()) != 2 || len(d.state().Placements) != 3 {
		t.Errorf("undone: %v", err)
	}
}

// One number of a place is changed by itself: what another hand, or the same one a moment before, did to the others stays.
func TestOneNumberOfAPlaceIsChangedByItself(t *testing.T) {
	d := newStudio(t)
	id := d.add("lamp", &lay.Lamp{Lamp: light.DefaultLamp()})
	change := func(key string, v any) desk.Command {
		return edit.Do(&edit.ChangeElement{ID: id, Patch: patch(map[string]any{"spec": map[string]any{key: v}})})
	}
	d.edit(change("at.x", 3))
	d.edit(change("at.z", -2), change("radius", 0.1))
	e := d.elementState(id)
	spec, err := e.Read()
	if err != nil {
		t.Fatal(err)
	}
	if l := spec.(*lay.Lamp); l.At != (geom.V{X: 3, Y: light.DefaultLamp().At.Y, Z: -2}) || l.Radius != 0.1 {
		t.Errorf("it hangs at %v, radius %v", l.At, l.Radius)
	}
	for _, key := range []string{"nothing.x", "shape.x", "."} {
		if said := d.refused(change(key, 1)); said == "" {
			t.Errorf("%s is changed", key)
		}
	}
}
