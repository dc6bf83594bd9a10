package app_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"image/png"
	"math"
	"strings"
	"testing"

	"visator/app/act"
	"visator/app/edit"
	"visator/app/judge"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/openexr"
	"visator/store"
)

// made asks for a still of the working view and returns it once it is done.
func (d *studio) made(s takes.Settings) store.Take {
	d.Helper()
	t, err := d.a.Shoot(d.ctx, d.set, "", "still", s)
	if err != nil {
		d.Fatal(err)
	}
	return d.ended(t.ID)
}

// ended is a take once it ended.
func (d *studio) ended(id string) (out store.Take) {
	d.Helper()
	d.await("the take", func(st *query.State) bool {
		for _, x := range st.Takes {
			if x.ID == id && x.State != "waiting" && x.State != "working" {
				out = x
				return true
			}
		}
		return false
	})
	if out.State != "done" {
		d.Fatalf("the take is %s: %s", out.State, out.Note)
	}
	return out
}

func resultOf(t *testing.T, x *store.Take) (r takes.Result) {
	t.Helper()
	if err := json.Unmarshal(x.Result, &r); err != nil {
		t.Fatal(err)
	}
	return r
}

// A still that goes on is, byte for byte, the one that was asked for with all its samples; a film that is gone is
// made anew; a region is laid into the newest still.
func TestAStillGoesOnAndARegionIsLaidIn(t *testing.T) {
	d := newStudio(t)
	eye := d.state().Set.View.Eye
	d.stand("box", eye.Add(geom.V{Y: -2, Z: -6}), geom.V{X: 2, Y: 2, Z: 1})
	s := takes.Settings{Width: 64, Samples: 20, Seed: 4, Keep: true}
	first := d.made(s)
	if err := d.a.GoOn(d.ctx, first.ID, takes.More{Samples: 20}); err == nil {
		t.Error("it goes on for no sample more")
	}
	if err := d.a.GoOn(d.ctx, first.ID, takes.More{Samples: 33}); err != nil {
		t.Fatal(err)
	}
	more := d.ended(first.ID)
	s.Samples = 33
	whole := d.made(s)
	got, want := resultOf(t, &more), resultOf(t, &whole)
	if got.PNG != want.PNG || got.EXR != want.EXR || got.Samples != 33 || got.Noise != want.Noise {
		t.Errorf("20 samples and 13 more are another picture than 33: %+v, %+v", got, want)
	}
	s.Keep = false
	none := d.made(s)
	if err := d.a.GoOn(d.ctx, none.ID, takes.More{Samples: 99}); err == nil ||
		!strings.Contains(err.Error(), "to go on with later") {
		t.Errorf("without a film it goes on: %v", err)
	}
	// A part that was damaged: the picture is made anew, not lost.
	if _, err := d.a.Store.Pool.Exec(d.ctx, "update take set result = result || '{\"film\": \""+strings.Repeat("0", 64)+
		"\"}' where id = $1", more.ID); err != nil {
		t.Fatal(err)
	}
	if err := d.a.GoOn(d.ctx, more.ID, takes.More{Samples: 34}); err != nil {
		t.Fatal(err)
	}
	again := d.ended(more.ID)
	if r := resultOf(t, &again); r.Samples != 34 || r.PNG == "" {
		t.Errorf("its film gone, it ends with %+v", r)
	}

	// The wall turns up in the region alone.
	d.stand("box", eye.Add(geom.V{Y: -5, Z: -3}), geom.V{X: 10, Y: 10, Z: 1})
	s.Region = &[4]int{10, 8, 40, 30}
	part := d.made(s)
	r := resultOf(t, &part)
	if r.Around != none.ID {
		t.Errorf("about the region is %q, not the newest", r.Around)
	}
	picture := func(hash string) []byte {
		data, err := d.a.Store.ReadBlob(d.ctx, hash)
		if err != nil {
			t.Fatal(err)
		}
		return data
	}
	under, err1 := png.Decode(bytes.NewReader(picture(resultOf(t, &none).PNG)))
	over, err2 := png.Decode(bytes.NewReader(picture(r.PNG)))
	if err1 != nil || err2 != nil || under.Bounds() != over.Bounds() {
		t.Fatal(err1, err2, over.Bounds())
	}
	same, other := 0, 0
	for y := range over.Bounds().Dy() {
		for x := range over.Bounds().Dx() {
			within := x >= 10 && x < 40 && y >= 8 && y < 30
			if under.At(x, y) == over.At(x, y) {
				same++
			} else if other++; !within {
				t.Fatalf("pixel %d, %d, beside the region, is another", x, y)
			}
		}
	}
	if other < 300 || same == 0 {
		t.Errorf("%d pixels are others, %d the same", other, same)
	}
	s.Region = &[4]int{10, 8, 65, 30}
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still", s); err == nil {
		t.Error("a region beside the picture is taken")
	}
	if data, err := d.a.Noise(d.ctx, whole.ID); err != nil || !bytes.HasPrefix(data, []byte("\x89PNG")) {
		t.Errorf("the noise of a still: %v", err)
	}
}

// Two takes are held against one another: by their pictures, and in words of what was changed between them.
func TestTakesAreHeldAgainstOneAnother(t *testing.T) {
	d := newStudio(t)
	eye := d.state().Set.View.Eye
	box := d.stand("box", eye.Add(geom.V{Y: -2, Z: -6}), geom.V{X: 2, Y: 2, Z: 1})
	s := takes.Settings{Width: 64, Samples: 4, Seed: 4}
	one := d.made(s)
	same := d.made(s)
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"view": {"focal": 50}}`)}))
	d.edit(edit.Do(&edit.ChangePlacement{ID: box, Patch: patch(map[string]any{
		"at": eye.Add(geom.V{X: 1.25, Y: -2, Z: -6})})}))
	two := d.made(s)
	far, err := d.a.Against(d.ctx, one.ID, two.ID)
	if err != nil {
		t.Fatal(err)
	}
	near, err := d.a.Against(d.ctx, one.ID, same.ID)
	if err != nil {
		t.Fatal(err)
	}
	if near.Mean != 0 || len(near.Words) != 0 || !(far.Mean > 1) {
		t.Errorf("the same take differs by %v (%v), another by %v", near.Mean, near.Words, far.Mean)
	}
	var said []string
	for _, w := range far.Words {
		said = append(said, w.What+": "+w.One+" | "+w.Two)
	}
	all := strings.Join(said, "\n")
	for _, want := range []string{"focal length: 35 mm | 50 mm", "moved by 1.25 m"} {
		if !strings.Contains(all, want) {
			t.Errorf("of %q nothing is said:\n%s", want, all)
		}
	}
	if data, err := d.a.Heat(d.ctx, one.ID, two.ID); err != nil || !bytes.HasPrefix(data, []byte("\x89PNG")) {
		t.Errorf("the heat: %v", err)
	}

	// Marks: of a shot one is its own now.
	stars, yes, note := 4, true, "the best so far"
	for _, id := range []string{one.ID, two.ID} {
		if err := d.a.Mark(d.ctx, id, judge.Marks{Current: &yes}); err != nil {
			t.Fatal(err)
		}
	}
	if err := d.a.Mark(d.ctx, one.ID, judge.Marks{Stars: &stars, Note: &note}); err != nil {
		t.Fatal(err)
	}
	for _, x := range d.state().Takes {
		var m judge.Marks
		if err := json.Unmarshal(x.Marks, &m); err != nil {
			t.Fatal(err)
		}
		if current := m.Current != nil && *m.Current; current != (x.ID == two.ID) {
			t.Errorf("take %s is the shot's: %v", x.Name, current)
		}
		if x.ID == one.ID && (m.Stars == nil || *m.Stars != 4 || m.Note == nil || *m.Note != note) {
			t.Errorf("the marks are %s", x.Marks)
		}
	}
	six, nul := 6, "a\x00"
	for _, m := range []judge.Marks{{Stars: &six}, {Note: &nul}} {
		if err := d.a.Mark(d.ctx, one.ID, m); err == nil {
			t.Errorf("%+v is taken", m)
		}
	}
}

// A still with all layers says of each what it is, the picture is the same as without, and who is who is in it by name.
func TestAStillHasTheLayersThatAreAskedFor(t *testing.T) {
	d := newStudio(t)
	eye := d.state().Set.View.Eye
	d.stand("box", eye.Add(geom.V{Y: -2, Z: -6}), geom.V{X: 2, Y: 2, Z: 1})
	s := takes.Settings{Width: 48, Samples: 4, Seed: 4}
	plain := d.made(s)
	s.Layers, s.Halves = []string{"depth", "ways", "lights", "identity", "occlusion", "position", "noise"}, true
	full := d.made(s)
	p, q := resultOf(t, &plain), resultOf(t, &full)
	if p.PNG != q.PNG {
		t.Error("with layers it is another picture")
	}
	data, err := d.a.Store.ReadBlob(d.ctx, q.EXR)
	if err != nil {
		t.Fatal(err)
	}
	e, err := openexr.Open(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"R", "Z", "direct.diffuse.G", "light.sky.R", "VisatorThing00.R", "VisatorLayer02.A",
		"occlusion.V", "position.Y", takes.NoiseLayer} {
		if !e.Has(name) {
			t.Errorf("there is no %s", name)
		}
	}
	if !bytes.Contains(data, []byte(`{"`+d.state().Placements[0].Name+`":"`)) {
		t.Error("its name is not in the manifest")
	}
	told := 0
	for _, l := range q.Layers {
		told += len(l.Channels)
	}
	if told < 40 {
		t.Errorf("%d channels are told of: %+v", told, q.Layers)
	}
	s.Layers = []string{"deep"}
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still", s); err == nil || !strings.Contains(err.Error(), "deep") {
		t.Errorf("a layer that is none: %v", err)
	}
}

// A look from a .cube is laid over the takes of a shot; one that was never handed in is refused in words.
func TestALookIsLaidOverATake(t *testing.T) {
	d := newStudio(t)
	if _, _, err := d.a.TakeLook(d.ctx, strings.NewReader("LUT_3D_SIZE 1\n0 0 0\n")); err == nil ||
		!strings.Contains(err.Error(), "line 1") {
		t.Errorf("a table of one entry: %v", err)
	}
	name, title, err := d.a.TakeLook(d.ctx, strings.NewReader("TITLE \"negative\"\nLUT_1D_SIZE 2\n1 1 1\n0 0 0\n"))
	if err != nil || title != "negative" {
		t.Fatal(title, err)
	}
	s := takes.Settings{Width: 16, Samples: 1, Seed: 4}
	plain := d.made(s)
	look := func(table string) {
		d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"finish": {"look": {"table": "` + table +
			`", "share": 1}}}`)}))
	}
	look(name)
	negative := d.made(s)
	pixel := func(x store.Take) (r, g, b uint32) {
		data, err := d.a.Store.ReadBlob(d.ctx, resultOf(t, &x).PNG)
		if err != nil {
			t.Fatal(err)
		}
		m, err := png.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		r, g, b, _ = m.At(3, 2).RGBA()
		return r >> 8, g >> 8, b >> 8
	}
	r, g, b := pixel(plain)
	nr, ng, nb := pixel(negative)
	for _, p := range [][2]uint32{{r, nr}, {g, ng}, {b, nb}} {
		if sum := p[0] + p[1]; sum < 254 || sum > 256 {
			t.Errorf("%d became %d: no negative", p[0], p[1])
		}
	}
	look(strings.Repeat("0", 64))
	if _, err := d.a.Shoot(d.ctx, d.set, "", "still", s); err == nil || !strings.Contains(err.Error(), "choose a .cube file") {
		t.Errorf("a look that is not there: %v", err)
	}
}

// What changed since the newest still is found where it stood and where it stands; a still of that part is, but for the
// noise, the still of the whole.
func TestOnlyWhatChangedIsRendered(t *testing.T) {
	d := newStudio(t)
	eye := d.state().Set.View.Eye
	box := d.stand("box", eye.Add(geom.V{X: -1.2, Y: -1, Z: -6}), geom.V{X: 0.6, Y: 0.6, Z: 0.6})
	d.stand("box", eye.Add(geom.V{X: 2, Y: -1, Z: -6}), geom.V{X: 0.6, Y: 0.6, Z: 0.6})
	if _, err := d.a.ChangedSince(d.ctx, d.set, ""); !errors.Is(err, act.ErrWrong) {
		t.Errorf("before there is a still: %v", err)
	}
	s := takes.Settings{Width: 96, Samples: 64, Seed: 4, Denoise: true, Bounces: 1}
	d.made(s)
	if _, err := d.a.ChangedSince(d.ctx, d.set, ""); err == nil || !strings.Contains(err.Error(), "Nothing changed") {
		t.Errorf("nothing changed: %v", err)
	}
	d.edit(edit.Do(&edit.ChangePlacement{ID: box, Patch: patch(map[string]any{
		"at": eye.Add(geom.V{X: -0.6, Y: -1, Z: -6})})}))
	c, err := d.a.ChangedSince(d.ctx, d.set, "")
	if err != nil || len(c.Names) != 1 {
		t.Fatal(c, err)
	}
	v := d.state().Set.View
	for _, x := range []float64{-1.2, -0.6} {
		px, py, _, _ := v.Project(eye.Add(geom.V{X: x, Y: -0.7, Z: -6}))
		if px < c.Part[0] || px > c.Part[2] || py < c.Part[1] || py > c.Part[3] {
			t.Errorf("where it is at %v, it is %v, %v of the picture: not in %v", x, px, py, c.Part)
		}
	}
	if px, _, _, _ := v.Project(eye.Add(geom.V{X: 2, Y: -0.7, Z: -6})); px < c.Part[2] {
		t.Errorf("the other box, which did not move, is in the part %v", c.Part)
	}
	w, h := 96.0, 54.0
	s.Region = &[4]int{int(c.Part[0] * w), int(c.Part[1] * h), int(math.Ceil(c.Part[2] * w)), int(math.Ceil(c.Part[3] * h))}
	part := d.made(s)
	s.Region = nil
	whole := d.made(s)
	diff, err := d.a.Against(d.ctx, part.ID, whole.ID)
	if err != nil || diff.Mean > 0.5 {
		t.Errorf("rendered only there it is %v from the whole (%v)", diff.Mean, err)
	}
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"view": {"focal": 60}}`)}))
	if _, err := d.a.ChangedSince(d.ctx, d.set, ""); err == nil || !strings.Contains(err.Error(), "lens") {
		t.Errorf("with another lens: %v", err)
	}
}
