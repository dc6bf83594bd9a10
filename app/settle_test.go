package app_test

import (
	"encoding/json"
	"math"
	"slices"
	"strings"
	"testing"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/core/geom"
	"visator/store"
)

// settle lets placements settle, and waits until they have.
func (d *studio) settle(seed uint64, ids ...string) {
	d.Helper()
	if _, err := d.a.Settle(d.ctx, d.set, ids, seed); err != nil {
		d.Fatal(err)
	}
	d.await("the settling", func(st *query.State) bool { return len(st.Settling) == 0 })
}

// heap is a slab with boxes above it.
func (d *studio) heap(n int) (ids []string) {
	d.Helper()
	d.edit(standIn("slab", geom.V{}, geom.V{X: 6, Y: 0.2, Z: 6}, nil))
	var deeds []desk.Command
	for i := range n {
		deeds = append(deeds, standIn("box", geom.V{X: 0.1 * float64(i%2), Y: 0.5 + 0.5*float64(i),
			Z: 0.07 * float64(i%3)}, geom.V{X: 0.4, Y: 0.3, Z: 0.25}, nil))
	}
	return d.edit(deeds...).Made
}

func (d *studio) places() (list []geom.V) {
	d.Helper()
	for _, p := range d.state().Placements {
		list = append(list, p.At)
	}
	return list
}

// A heap of stand-ins settles onto a slab as one edit, the same for a seed, and goes back
// as one; settled again nothing moves by more than a millimetre.
func TestAHeapIsOneStep(t *testing.T) {
	d := newStudio(t)
	ids := d.heap(6)
	before := d.places()
	d.settle(5, ids...)
	first := d.places()
	if list := append(d.snagsOf("floating"), d.snagsOf("overlap")...); len(list) != 0 {
		t.Errorf("%v", list)
	}
	d.settle(0, ids...)
	for i, p := range d.places() {
		if l := p.Sub(first[i]).Len(); l > 0.001 {
			t.Errorf("%d moves %.4f m when it settles again", i, l)
		}
	}
	for now := d.places(); !slices.Equal(now, before); now = d.places() {
		if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
			t.Fatal(err)
		}
		if slices.Equal(d.places(), now) {
			t.Fatal("undo does not bring it back")
		}
	}
	d.settle(5, ids...)
	if again := d.places(); !slices.Equal(first, again) {
		t.Error("the second time it settles elsewhere")
	}
}

// While a heap settles the set is edited as ever. What was changed meanwhile is not moved
// back, nor is it moved from under what lay on it.
func TestSettlingHoldsUpNobody(t *testing.T) {
	d := newStudio(t)
	ids := d.heap(30)
	s, err := d.a.Settle(d.ctx, d.set, ids, 3)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.a.Settle(d.ctx, d.set, ids[3:5], 0); err == nil || !strings.Contains(err.Error(), "already") {
		t.Errorf("what settles can be let go twice: %v", err)
	}
	// That it falls is not noticed by who moves one of them.
	d.edit(edit.Do(&edit.ChangePlacement{ID: ids[0], Patch: patch(map[string]any{"at": geom.V{X: 2, Y: 4, Z: 2}})}))
	between := d.places()
	d.await("the end", func(st *query.State) bool { return len(st.Settling) == 0 })
	if now := d.places(); !slices.Equal(now, between) {
		// It was over before the hand was there: then all lie, but that one.
		if p := d.placement("box").At; p != (geom.V{X: 2, Y: 4, Z: 2}) {
			t.Errorf("what was moved meanwhile is at %v", p)
		}
	}
	if err := d.a.RunSettle(d.ctx, s.ID); err != nil {
		t.Errorf("done again: %v", err)
	}
}

// A settling that is stopped leaves everything where it stood, and is no edit.
func TestASettlingIsStopped(t *testing.T) {
	d := newStudio(t)
	ids := d.heap(60)
	before, rev := d.places(), d.state().Revision
	s, err := d.a.Settle(d.ctx, d.set, ids, 3)
	if err != nil {
		t.Fatal(err)
	}
	if list := d.state().Settling; len(list) != 1 || list[0].Name != "box and 59 more" {
		t.Errorf("%+v", list)
	}
	if err := d.a.StopSettle(d.ctx, d.set, s.ID); err != nil {
		t.Fatal(err)
	}
	st := d.state()
	if len(st.Settling) != 0 {
		t.Error("it goes on")
	}
	if st.Revision == rev && !slices.Equal(d.places(), before) {
		t.Error("things moved without an edit")
	}
	if err := d.a.StopSettle(d.ctx, d.set, s.ID); err != nil {
		t.Errorf("stopped twice: %v", err)
	}
}

// A settling of which the queue knows nothing, as after a restore, is put in again.
func TestALostSettlingGoesOn(t *testing.T) {
	d := newStudio(t)
	ids := d.heap(2)
	p := d.placement("box")
	was, _ := json.Marshal([]map[string]any{{"id": ids[0], "at": p.At, "yaw": p.Yaw, "pitch": p.Pitch, "roll": p.Roll,
		"scale": p.Scale, "size": p.Size, "piece": p.Piece}})
	lost := store.Settling{ID: store.NewID(), SetID: d.set, Name: "box", Was: was}
	if err := store.InsertSettling(d.ctx, d.a.Store.Pool, lost); err != nil {
		t.Fatal(err)
	}
	if n, err := d.a.Requeue(d.ctx); n != 1 || err != nil {
		t.Fatalf("%d put in again, %v", n, err)
	}
	d.await("the settling", func(st *query.State) bool { return len(st.Settling) == 0 })
	near(t, "where it lies", d.placement("box").At.Y, 0.2, 0.002)
	if n, err := d.a.Requeue(d.ctx); n != 0 || err != nil {
		t.Errorf("%d put in again, %v", n, err)
	}
}

// What cannot settle is refused with the reason; what a stranger says of where things came
// to rest is looked at like everything.
func TestWhatCannotSettle(t *testing.T) {
	d := newStudio(t)
	ids := d.heap(3)
	d.edit(edit.Do(&edit.ChangePlacement{ID: ids[1], Patch: patch(map[string]any{"locked": true})}))
	for _, c := range []struct {
		ids  []string
		seed uint64
		want string
	}{
		{nil, 0, "Select"}, {[]string{"none"}, 0, "not there"}, {[]string{"a\x00b"}, 0, "names nothing here"}, {ids, 0,
			"locked"},
		{make([]string, 201), 0, "at most 200"}, {ids[:1], math.MaxUint64, "A seed is"},
	} {
		if _, err := d.a.Settle(d.ctx, d.set, c.ids, c.seed); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%v: %v", c.want, err)
		}
	}
	if _, err := d.a.Settle(d.ctx, "none", ids, 0); err == nil {
		t.Error("in no set things settle")
	}
	at := map[string]any{"id": ids[0], "at": geom.V{Y: 1e308}}
	for _, p := range []any{nil, map[string]any{}, map[string]any{"was": []any{at}, "now": []any{at}},
		map[string]any{"was": []any{}, "now": []any{at}}} {
		raw, _ := json.Marshal(p)
		if _, err := d.a.Edit(d.ctx, d.set,
			desk.Request{Revision: -1, Commands: []desk.Command{{Op: "rest", Args: raw}}}); err == nil {
			t.Errorf("%s is taken", raw)
		}
	}
}
