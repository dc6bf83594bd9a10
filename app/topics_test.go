package app_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/core/geom"
	"visator/core/lay"
)

func (d *studio) topics(have map[string]string, of ...string) *query.Topics {
	d.Helper()
	t, err := d.a.Topics(d.ctx, d.set, of, have)
	if err != nil {
		d.Fatal(err)
	}
	return t
}

// placedAt is the tag of so many placements that were changed at a revision, with the
// library that is had: as pages make it that know what an edit changed.
func placedAt(revision int64, n int, had *query.Topics) string {
	return fmt.Sprintf("%d-%d.%s", revision, n, had.Tags["library"])
}

// changed are the topics that have another tag.
func changed(a, b *query.Topics) (list []string) {
	for _, name := range query.TopicNames {
		if a.Tags[name] != b.Tags[name] {
			list = append(list, name)
		}
	}
	return list
}

// All topics together are the state; one that a page has is not told again; each changes
// with what belongs to it and with nothing else.
func TestTopicsAreTheState(t *testing.T) {
	d := newStudio(t)
	made := d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "crate"}),
		edit.Do(&edit.Place{StandIn: "person", At: geom.V{X: 3}}))
	d.edit(edit.Do(&edit.AddElement{Kind: "card", Name: "far",
		Spec: patch(lay.Card{At: geom.V{Z: -50}, Width: 20, Height: 8, Shape: "ridge", Color: "#667788"})}))
	d.await("the measure",
		func(st *query.State) bool { return st.Measured != nil && st.Measured.Revision == st.Revision })
	all := d.topics(nil)
	raw, err := json.Marshal(d.state())
	if err != nil {
		t.Fatal(err)
	}
	var whole map[string]json.RawMessage
	if err := json.Unmarshal(raw, &whole); err != nil {
		t.Fatal(err)
	}
	told := map[string]bool{"revision": true}
	for _, name := range query.TopicNames {
		var part map[string]json.RawMessage
		if err := json.Unmarshal(all.Topics[name], &part); err != nil {
			t.Fatal(name, err)
		}
		for k, v := range part {
			if told[k] {
				t.Errorf("%s is told twice", k)
			}
			told[k] = true
			if k != "pieces" && k != "elements" && k != "levels" && k != "cards" && k != "measured" &&
				string(v) != string(whole[k]) {
				t.Errorf("%s: %s is %.200s, in the state %.200s", name, k, v, whole[k])
			}
		}
	}
	for k := range whole {
		if !told[k] {
			t.Errorf("%s is in no topic", k)
		}
	}
	again := d.topics(all.Tags)
	delete(again.Topics, "derived") // it may have been measured once more, in another time
	if len(again.Topics) != 0 {
		t.Errorf("what is had is told: %v", again.Tags)
	}
	if one := d.topics(nil, "shots"); len(one.Topics) != 1 || one.Tags["shots"] != all.Tags["shots"] {
		t.Errorf("%v", one.Tags)
	}
	if _, err := d.a.Topics(d.ctx, d.set, []string{"weather"}, nil); err == nil {
		t.Error("a topic that is none is told")
	}

	// A nudge of the camera tells neither things nor the library, though a card is nearer.
	// Nor does it to a page that has not heard of it yet.
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{X: 0.5, Y: 1.6,
		Z: 9}}})}))
	b := d.topics(all.Tags)
	if got := changed(all, b); !slices.Equal(got, []string{"set", "derived"}) { // its distance is another
		t.Errorf("after a nudge: %v", got)
	}
	r := d.edit(edit.Do(&edit.ChangePlacement{ID: made.Made[0], Patch: patch(map[string]any{"at": geom.V{X: 1}})}))
	c := d.topics(b.Tags)
	if c.Tags["placements"] != placedAt(r.Revision, 2, c) {
		t.Errorf("the placements are %s, told as %s", c.Tags["placements"], placedAt(r.Revision, 2, c))
	}
	if got := changed(b, c); !slices.Contains(got, "placements") || slices.Contains(got, "elements") ||
		slices.Contains(got, "shots") || slices.Contains(got, "library") {
		t.Errorf("after a move: %v", got)
	}
	r = d.edit(edit.Do(&edit.Delete{IDs: made.Made[1:2]}))
	gone := d.topics(nil)
	if got := changed(c, gone); !slices.Contains(got, "placements") {
		t.Errorf("after one was deleted: %v", got)
	}
	if told := r.Placed + "." + gone.Tags["library"]; told != gone.Tags["placements"] {
		t.Errorf("the placements are %s, told as %s", gone.Tags["placements"], told)
	}
	// Taken back, and another taken away: as many as before, and none changed but the one that came back.
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
		t.Fatal(err)
	}
	d.edit(edit.Do(&edit.Delete{IDs: made.Made[:1]}))
	if got := changed(gone, d.topics(nil)); !slices.Contains(got, "placements") {
		t.Errorf("with the other one: %v", got)
	}
}

// What an edit answers is what is told of it when asked, and a nudge of the camera is
// answered in less than 4 kB whatever stands in the set.
func TestAnEditTellsWhatItChanged(t *testing.T) {
	d := newStudio(t)
	var deeds []desk.Command
	for i := range 300 {
		deeds = append(deeds, edit.Do(&edit.Place{StandIn: "box", At: geom.V{X: float64(i)}}))
	}
	r := d.edit(deeds...)
	if !slices.Equal(r.Touched, []string{"placements"}) || !r.Only || len(r.Topics) != 0 {
		t.Errorf("%v %v", r.Touched, r.Topics)
	}
	if now := d.topics(nil, "library", "placements"); now.Tags["placements"] != placedAt(r.Revision, 300, now) {
		t.Errorf("the placements are %s, told as %s", now.Tags["placements"], placedAt(r.Revision, 300, now))
	}
	r = d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{Y: 1.6,
		Z: 9}}})}))
	now := d.topics(nil, "set")
	if string(r.Topics["set"]) != string(now.Topics["set"]) || !slices.Equal(r.Touched, []string{"set"}) {
		t.Errorf("answered %s\nasked for %s", r.Topics["set"], now.Topics["set"])
	}
	raw, err := json.Marshal(r)
	if err != nil || len(raw) >= 4000 {
		t.Errorf("%v: a nudge is answered in %d bytes", err, len(raw))
	}
	r = d.edit(edit.Do(&edit.KeepShot{Name: "one"}))
	if now := d.topics(nil, "shots"); !slices.Contains(r.Touched, "shots") ||
		string(r.Topics["shots"]) != string(now.Topics["shots"]) {
		t.Errorf("%v: answered %s\nasked for %s", r.Touched, r.Topics["shots"], now.Topics["shots"])
	}
}
