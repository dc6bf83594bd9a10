package app_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"image/png"
	"math"
	"reflect"
	"testing"

	"visator/app/edit"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/stage"
	"visator/store"
)

// A take is finished as its shot says: with edges darkened as by a simple lens the corner
// has the fourth power of its angle's cosine of the light that it had, and the middle is as
// it was. What is no step is refused, and nothing is changed.
func TestTakesAreFinishedAsTheirShotSays(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"view":{"focal":24,"ev":12,"pitch":0},` +
		`"light":{"zenith":"#808080","horizon":"#808080","level":9000,"sunOn":false}}`)}))
	lit := func() (corner, middle float64) {
		t.Helper()
		if _, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 64, Samples: 4}); err != nil {
			t.Fatal(err)
		}
		n := len(d.state().Takes)
		st := d.await("the take",
			func(st *query.State) bool { return len(st.Takes) == n && st.Takes[0].State == "done" })
		var r takes.Result
		if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil {
			t.Fatal(err)
		}
		data, err := d.a.Store.ReadBlob(d.ctx, r.PNG)
		if err != nil {
			t.Fatal(err)
		}
		m, err := png.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		at := func(x, y int) float64 {
			_, g, _, _ := m.At(x, y).RGBA()
			return finish.Decode(float64(g) / 65535)
		}
		return at(0, 0), at(m.Bounds().Dx()/2, m.Bounds().Dy()/2-1)
	}
	corner, middle := lit()
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"finish":{"falloff":{"amount":1}}}`)}))
	darker, same := lit()
	w := d.state().Set.View.Window()
	k := 1 - 1.0/64
	tan2 := k*k*w.Left*w.Left + w.Top*w.Top*math.Pow(1-1.0/36, 2)
	// The tone mapper takes 0.04 away from what is brighter than 0.08 (Khronos PBR Neutral).
	want := (corner+0.04)/math.Pow(1+tan2, 2) - 0.04
	if math.Abs(darker-want) > 0.02*want+0.004 || math.Abs(same-middle) > 0.01 || middle < 0.1 || middle > 0.7 {
		t.Errorf("the corner has %.4f of %.4f, want %.4f; the middle %.4f of %.4f", darker, corner, want, same, middle)
	}
	before := d.state().Revision
	if said := d.refused(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"finish":{"sparkle":{}}}`)})); said == "" ||
		d.state().Revision != before {
		t.Errorf("said %q", said)
	}
}

// A still that is done is finished again of what was rendered: balanced for a place that is grey it is grey there, seen
// small first and then kept, as large as it was; its film is not made again. A place outside, black, or a take that is
// not done are refused.
func TestAStillIsFinishedAgain(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"view":{"focal":24,"ev":12,"pitch":0.6},` +
		`"light":{"zenith":"#a08060","horizon":"#a08060","level":2500,"sunOn":false}}`)}))
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 64, Samples: 4}); err != nil {
		t.Fatal(err)
	}
	st := d.await("the take", func(st *query.State) bool { return len(st.Takes) == 1 && st.Takes[0].State == "done" })
	take := st.Takes[0].ID
	result := func() (r takes.Result, s takes.Settings) {
		t.Helper()
		now := d.state().Takes[0]
		if err := errors.Join(json.Unmarshal(now.Result, &r), json.Unmarshal(now.Settings, &s)); err != nil {
			t.Fatal(err)
		}
		return r, s
	}
	// the middle of a picture, red and blue
	middle := func(data []byte) (red, blue float64, wide int) {
		t.Helper()
		m, err := png.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		r, _, b, _ := m.At(m.Bounds().Dx()/2, m.Bounds().Dy()/2).RGBA()
		return float64(r), float64(b), m.Bounds().Dx()
	}
	was, _ := result()
	data, err := d.a.Store.ReadBlob(d.ctx, was.PNG)
	if err != nil {
		t.Fatal(err)
	}
	if r, b, _ := middle(data); r < 1.2*b {
		t.Fatalf("it begins with %v red and %v blue", r, b)
	}
	white, err := d.a.WhiteAt(d.ctx, take, 0.5, 0.5)
	if err != nil || white.Kelvin > 5500 {
		t.Fatalf("%+v, %v", white, err)
	}
	raw, err := json.Marshal(white)
	if err != nil {
		t.Fatal(err)
	}
	chain := finish.Chain{"white": raw}
	seen, err := d.a.Developed(d.ctx, take, chain)
	if err != nil {
		t.Fatal(err)
	}
	if r, b, _ := middle(seen); math.Abs(r-b) > 0.02*r {
		t.Errorf("balanced it is seen with %v red and %v blue", r, b)
	}
	if err := d.a.Redevelop(d.ctx, take, chain); err != nil {
		t.Fatal(err)
	}
	now, settings := result()
	if now.PNG == was.PNG || now.EXR != was.EXR || now.Samples != was.Samples || len(settings.Finish) != 1 {
		t.Errorf("%+v, %+v", now, settings.Finish)
	}
	if data, err = d.a.Store.ReadBlob(d.ctx, now.PNG); err != nil {
		t.Fatal(err)
	}
	if r, b, wide := middle(data); math.Abs(r-b) > 0.02*r || wide != 64 {
		t.Errorf("it is kept with %v red and %v blue, %d wide", r, b, wide)
	}
	for what, err := range map[string]error{
		"a place outside": second(d.a.WhiteAt(d.ctx, take, 2, 0.5)), "no take": second(d.a.WhiteAt(d.ctx, "none", 0, 0)),
		"no step":       second(d.a.Developed(d.ctx, take, finish.Chain{"sparkle": raw})),
		"what it is no": d.a.Redevelop(d.ctx, take, finish.Chain{"white": json.RawMessage(`{"kelvin": 1}`)}),
	} {
		if err == nil {
			t.Errorf("%s: it is done", what)
		}
	}
}

func second[T any](_ T, err error) error { return err }

// A take is of the set as it was when it was asked for: rendered once more after a wall was put before the camera it is
// the same picture, byte for byte, while a new take shows the wall. What was frozen is frozen again as it was.
func TestATakeIsOfTheSetAsItWas(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	eye := d.state().Set.View.Eye
	d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID, At: eye.Add(geom.V{Z: -6})}))
	take := func() (id, picture string) {
		t.Helper()
		if _, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 48, Samples: 2, Seed: 4}); err != nil {
			t.Fatal(err)
		}
		n := len(d.state().Takes)
		now := d.await("the take", func(st *query.State) bool { return len(st.Takes) == n && st.Takes[0].State == "done" })
		return now.Takes[0].ID, pictureOf(t, &now.Takes[0])
	}
	first, was := take()
	world, err := d.a.Store.World(d.ctx, first)
	if err != nil {
		t.Fatal(err)
	}
	thawed, err := d.a.Thaw(world)
	if err != nil {
		t.Fatal(err)
	}
	if again, err := thawed.Freeze(); err != nil || !sameJSON(again, world) {
		t.Errorf("frozen again it is another: %v\n%s\n%s", err, world, again)
	}
	d.stand("box", eye.Add(geom.V{Y: -5, Z: -3}), geom.V{X: 10, Y: 10, Z: 1})
	if _, other := take(); other == was {
		t.Error("the wall is not to be seen")
	}
	if _, err := d.a.Store.Pool.Exec(d.ctx, "update take set state = 'waiting', result = '{}' where id = $1",
		first); err != nil {
		t.Fatal(err)
	}
	if err := d.a.RunTake(d.ctx, first); err != nil {
		t.Fatal(err)
	}
	for _, x := range d.state().Takes {
		if x.ID == first && (x.State != "done" || pictureOf(t, &x) != was) {
			t.Errorf("rendered once more it is %s, and another picture: %v", x.State, pictureOf(t, &x) != was)
		}
	}
}

// A take opens its set again: as it was by one edit, which is undone as one; as a set of its own, whose ids are its own
// wherever one thing names another; and its view as a shot.
func TestATakeOpensItsSetAgain(t *testing.T) {
	d := newStudio(t)
	st := d.takeIn("box.glb", boxGLB(t))
	eye := d.state().Set.View.Eye
	d.edit(edit.Do(&edit.Place{Piece: st.Pieces[0].ID, At: eye.Add(geom.V{Z: -6})}))
	d.stand("box", eye.Add(geom.V{X: 2, Z: -5}), geom.V{X: 1, Y: 1, Z: 1})
	st = d.state()
	d.edit(edit.Do(&edit.Group{IDs: []string{st.Placements[0].ID, st.Placements[1].ID}}))
	d.edit(edit.Do(&edit.KeepShot{Name: "yard"}))
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 32, Samples: 1, Seed: 4}); err != nil {
		t.Fatal(err)
	}
	st = d.await("the take", func(st *query.State) bool { return len(st.Takes) == 1 && st.Takes[0].State == "done" })
	take, was := st.Takes[0], st

	// All is changed since.
	d.edit(edit.Do(&edit.ChangePlacement{ID: st.Placements[0].ID, Patch: json.RawMessage(`{"at": {"x": 3, "y": 0, "z": 0}}`)}))
	d.edit(edit.Do(&edit.Delete{IDs: []string{st.Placements[1].ID}}))
	d.stand("wedge", eye.Add(geom.V{Y: 1, Z: -4}), geom.V{X: 1, Y: 1, Z: 1})
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"view": {"focal": 85}}`)}))
	changed := d.state()

	d.edit(edit.Do(&edit.GoBackToTake{Take: take.ID}))
	if now := d.state(); !sameJSON(asJSON(t, standing(now)), asJSON(t, standing(was))) ||
		now.Set.View.Focal != was.Set.View.Focal {
		t.Errorf("gone back it is\n%s, not\n%s", asJSON(t, standing(now)), asJSON(t, standing(was)))
	}
	if _, err := d.a.Undo(d.ctx, d.set, ""); err != nil {
		t.Fatal(err)
	}
	if now := d.state(); !sameJSON(asJSON(t, standing(now)), asJSON(t, standing(changed))) || now.Set.View.Focal != 85 {
		t.Errorf("undone it is\n%s, not\n%s", asJSON(t, standing(now)), asJSON(t, standing(changed)))
	}

	d.edit(edit.Do(&edit.KeepShotOfTake{Take: take.ID, Name: "as shot"}))
	if s := d.state().Shots; len(s) != 2 || s[1].Name != "as shot" || s[1].View.Focal != was.Set.View.Focal {
		t.Errorf("the shots are %+v", s)
	}

	own, err := d.a.SetAsIn(d.ctx, take.ID, "")
	if err != nil {
		t.Fatal(err)
	}
	there, err := d.a.State(d.ctx, own)
	if err != nil {
		t.Fatal(err)
	}
	if len(there.Placements) != len(was.Placements) || len(there.Shots) != 1 || there.Set.View.Focal != was.Set.View.Focal {
		t.Fatalf("its own set has %d things and %d shots", len(there.Placements), len(there.Shots))
	}
	group := there.Placements[0].Group
	known := false
	for _, e := range there.Elements {
		known = known || e.ID == group
	}
	for i, p := range there.Placements {
		if p.ID == was.Placements[i].ID || p.Group != group || !known || p.At != was.Placements[i].At {
			t.Errorf("thing %d is %+v, of the group %q", i, p.Placement, group)
		}
	}
	if _, err := d.a.SetAsIn(d.ctx, "nowhere", ""); err == nil {
		t.Error("a take that is not there has a set")
	}
}

// standing is what stands in a set.
func standing(st *query.State) any {
	list := []stage.Placement{}
	for _, p := range st.Placements {
		list = append(list, p.Placement)
	}
	return list
}

func asJSON(t *testing.T, v any) []byte {
	t.Helper()
	raw, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return raw
}

// pictureOf is the content of a take's picture.
func pictureOf(t *testing.T, x *store.Take) string {
	t.Helper()
	var r takes.Result
	if err := json.Unmarshal(x.Result, &r); err != nil {
		t.Fatal(err)
	}
	return r.PNG
}

// sameJSON reports whether two texts say the same.
func sameJSON(a, b []byte) bool {
	var x, y any
	return json.Unmarshal(a, &x) == nil && json.Unmarshal(b, &y) == nil && reflect.DeepEqual(x, y)
}
