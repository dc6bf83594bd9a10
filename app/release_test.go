package app_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/core/geom"
	"visator/core/lay"
)

// written is what a release wrote beside its backup: what its set held, then after each
// undo until nothing was left to undo. What could be redone was redone before.
type written struct {
	Schema int64             `json:"schema"`
	Held   []json.RawMessage `json:"held"`
}

// documents are what the set is made of, as JSON.
func (d *studio) documents() json.RawMessage {
	d.Helper()
	w, err := d.a.Snapshot(d.ctx, d.a.Store.Pool, d.set)
	if err != nil {
		d.Fatal(err)
	}
	out := map[string]any{"set": w.SetRow.Scene}
	for i := range w.PlacementRows {
		out["placement "+w.PlacementRows[i].ID] = w.PlacementRows[i].Placement
	}
	for i := range w.ElementRows {
		out["element "+w.ElementRows[i].ID] = w.ElementRows[i].Element
	}
	for i := range w.ShotRows {
		out["shot "+w.ShotRows[i].ID] = w.ShotRows[i].Shot
	}
	raw, err := json.Marshal(out)
	if err != nil {
		d.Fatal(err)
	}
	return raw
}

// step undoes or redoes; false when there is nothing left.
func (d *studio) step(undo bool) bool {
	d.Helper()
	do := d.a.Redo
	if undo {
		do = d.a.Undo
	}
	_, err := do(d.ctx, d.set, "")
	if errors.Is(err, act.ErrNone) {
		return false
	}
	if err != nil {
		d.Fatal(err)
	}
	return true
}

// aLifetime does something of every kind in a set.
func (d *studio) aLifetime() {
	d.Helper()
	st := d.takeIn("box.glb", boxGLB(d))
	piece := st.Pieces[0].ID
	made := d.edit(edit.Do(&edit.Place{Piece: piece, At: geom.V{X: 1, Z: -2.5}}),
		edit.Do(&edit.Place{StandIn: "person"}), edit.Do(&edit.Place{StandIn: "box", At: geom.V{X: -3}})).Made
	d.edit(edit.Do(&edit.ChangePlacement{ID: made[0], Patch: json.RawMessage(`{"yaw":0.7853981633974483,"pitch":1e-7,` +
		`"scale":{"x":1.5,"y":1,"z":0.25},"tint":"#aabbcc","name":"“Kiste”, außen <1>"}`)}))
	d.edit(edit.Do(&edit.ChangePlacement{ID: made[1], Patch: json.RawMessage(`{"at":{"x":-0.0,"y":0.1,"z":1e-12}}`)}))
	laid := 0
	for kind := range lay.Kinds {
		_, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: -1,
			Commands: []desk.Command{edit.Do(&edit.AddElement{Kind: kind, Name: "a " + kind})}})
		if err == nil {
			laid++
		}
	}
	if laid < 5 {
		d.Fatalf("only %d kinds of elements begin without being told more", laid)
	}
	room, _ := json.Marshal(lay.Room{Outline: []lay.P{{}, {X: 4}, {X: 4, Z: 4}, {Z: 4}}, Height: 2.5, Wall: 0.1})
	d.edit(edit.Do(&edit.AddElement{Kind: "room", Name: "hall", Spec: room}))
	d.edit(edit.Do(&edit.Group{IDs: made[:2], Name: "together"}))
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"view":{"focal":85,"eye":{"x":0.1,"y":1.6,"z":7}},` +
		`"light":{"lux":32000,"kelvin":4200},"hide":["a layer"]}`)}))
	d.edit(edit.Do(&edit.KeepShot{Name: "wide"}))
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"first":3,"last":20,"move":{"rate":24,"seconds":2,"rides":[{"ids":["` +
		made[2] + `"],"points":[{"x":0,"y":0,"z":0},{"x":1,"y":0,"z":0}],"seconds":1,"easing":"linear"}]}}`)}))
	shot := d.edit(edit.Do(&edit.KeepShot{Name: "ride"})).Made[0]
	d.edit(edit.Do(&edit.ChangeShot{ID: shot, Patch: json.RawMessage(`{"note":"of the crate","status":"to approve"}`)}))
	d.edit(edit.Do(&edit.TrueSize{ID: piece, Of: "height", Metres: 0.9}))
	d.edit(edit.Do(&edit.Delete{IDs: made[2:3]}))
	d.edit(edit.Do(&edit.DeleteShot{ID: shot}))
	d.waitMade(piece)
}

// A release writes what the next ones are tried on: VISATOR_RELEASE=1.
func TestARelease(t *testing.T) {
	if os.Getenv("VISATOR_RELEASE") == "" {
		t.Skip("writes testdata for the releases to come: set VISATOR_RELEASE")
	}
	d := newStudio(t)
	d.aLifetime()
	for range 2 {
		d.step(true)
	}
	var file bytes.Buffer
	m, err := d.a.Backup(d.ctx, &file)
	if err != nil {
		t.Fatal(err)
	}
	for d.step(false) {
	}
	w := written{Schema: m.Schema, Held: []json.RawMessage{d.documents()}}
	for d.step(true) {
		w.Held = append(w.Held, d.documents())
	}
	raw, err := json.MarshalIndent(w, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join("testdata", fmt.Sprintf("release-%d", m.Schema))
	if err := os.WriteFile(name+".json", raw, 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(name+".visator", file.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
}

// A backup of every earlier release comes up with all that it held, and all that was done
// then can be done again and undone to the beginning.
func TestBackupsOfEarlierReleasesComeUp(t *testing.T) {
	list, err := filepath.Glob("testdata/release-*.visator")
	if err != nil || len(list) == 0 {
		t.Fatalf("no releases: %v", err)
	}
	for _, name := range list {
		t.Run(filepath.Base(name), func(t *testing.T) {
			d := newStudio(t)
			data, err := os.ReadFile(name)
			if err != nil {
				t.Fatal(err)
			}
			raw, err := os.ReadFile(strings.TrimSuffix(name, ".visator") + ".json")
			if err != nil {
				t.Fatal(err)
			}
			var w written
			if err := json.Unmarshal(raw, &w); err != nil {
				t.Fatal(err)
			}
			if _, _, err := d.a.Restore(d.ctx, bytes.NewReader(data), int64(len(data)), true, t.TempDir()); err != nil {
				t.Fatal(err)
			}
			list, err := d.a.Store.Productions(d.ctx)
			if err != nil || len(list) != 1 {
				t.Fatalf("%d productions, %v", len(list), err)
			}
			sets, err := d.a.Store.Sets(d.ctx, list[0].ID)
			if err != nil || len(sets) != 1 {
				t.Fatalf("%d sets, %v", len(sets), err)
			}
			d.production, d.set = list[0].ID, sets[0].ID
			for d.step(false) {
			}
			if len(w.Held) < 15 {
				t.Fatalf("only %d states were kept", len(w.Held))
			}
			for i := range w.Held {
				if i > 0 && !d.step(true) {
					t.Fatalf("after %d of %d undone there is nothing more to undo", i-1, len(w.Held)-1)
				}
				holds(t, fmt.Sprintf("with %d edits undone", i), w.Held[i], d.documents())
			}
			if d.step(true) {
				t.Error("more can be undone than was done")
			}
			for d.step(false) {
			}
			holds(t, "with all redone", w.Held[0], d.documents())
			if st := d.await("the piece",
				func(st *query.State) bool { return st.Pieces[0].Making == "" }); st.Pieces[0].Size.Y != 0.9 {
				t.Errorf("the piece is %v", st.Pieces[0].Size)
			}
		})
	}
}

// within says whether all that was is in what is now, however deep; more may be.
func within(was, now any) bool {
	a, isMap := was.(map[string]any)
	b, _ := now.(map[string]any)
	if !isMap {
		return reflect.DeepEqual(was, now)
	}
	for key, v := range a {
		if has, is := b[key]; !is || !within(v, has) {
			return false
		}
	}
	return true
}

// holds fails when something of JSON is not in what is there now: later releases may know
// of more fields.
func holds(t *testing.T, when string, was, now json.RawMessage) {
	t.Helper()
	var a, b map[string]map[string]any
	if err := errors.Join(json.Unmarshal(was, &a), json.Unmarshal(now, &b)); err != nil {
		t.Fatal(err)
	}
	if len(a) != len(b) {
		t.Errorf("%s: %d documents, not %d", when, len(b), len(a))
	}
	for id, doc := range a {
		for key, v := range doc {
			if listed(v); !within(v, b[id][key]) {
				t.Errorf("%s: %s of %s is %v, not %v", when, key, id, b[id][key], v)
			}
		}
	}
}

// listed makes lists of what releases up to 8 wrote as a text, parted by commas.
func listed(v any) {
	switch v := v.(type) {
	case []any:
		for _, x := range v {
			listed(x)
		}
	case map[string]any:
		for key, x := range v {
			if text, is := x.(string); is && (key == "guides" || key == "cutWalls") {
				v[key] = nil
				if text != "" {
					var list []any
					for _, name := range strings.Split(text, ",") {
						list = append(list, name)
					}
					v[key] = list
				}
				continue
			}
			listed(x)
		}
	}
}
