package app_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"math"
	"slices"
	"strings"
	"testing"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/measure"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/stage"
)

// plain keeps a picture of one colour.
func (d *studio) plain(c color.Color) string {
	d.Helper()
	m := image.NewNRGBA(image.Rect(0, 0, 8, 8))
	for i := range 64 {
		m.Set(i%8, i/8, c)
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, m); err != nil {
		d.Fatal(err)
	}
	hash, err := d.a.CardPicture(d.ctx, &buf)
	if err != nil {
		d.Fatal(err)
	}
	return hash
}

// pictures are the frames of a rendered move.
func (d *studio) pictures(settings takes.Settings) (list []image.Image) {
	d.Helper()
	if _, err := d.a.Shoot(d.ctx, d.set, "", "move", settings); err != nil {
		d.Fatal(err)
	}
	st := d.await("the move",
		func(st *query.State) bool { return st.Takes[0].State == "done" || st.Takes[0].State == "failed" })
	var r takes.Result
	if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil || st.Takes[0].State != "done" {
		d.Fatalf("%v, %s", err, st.Takes[0].Note)
	}
	for _, hash := range r.Frames {
		data, err := d.a.Store.ReadBlob(d.ctx, hash)
		if err != nil {
			d.Fatal(err)
		}
		m, err := png.Decode(bytes.NewReader(data))
		if err != nil {
			d.Fatal(err)
		}
		list = append(list, m)
	}
	return list
}

// A set without a move has one pose; a long one is told in parts, and what is
// asked for beyond its ends is what is there.
func TestATrackIsToldInParts(t *testing.T) {
	d := newStudio(t)
	track := func(from, count int) *measure.Track {
		t.Helper()
		tr, err := d.a.TrackOf(d.ctx, d.set, from, count)
		if err != nil {
			t.Fatal(err)
		}
		return tr
	}
	if tr := track(0, 100); tr.Frames != 1 || len(tr.Poses) != 1 ||
		len(tr.Poses[0].Moved)+len(tr.Poses[0].Lights)+len(tr.Poses[0].Cards) != 0 {
		t.Errorf("without a move: %+v", tr)
	}
	v := d.state().Set.View
	to := v
	to.Eye.X += 10
	d.edit(setTo(map[string]any{"move": motion.Move{Rate: 100,
		Keys: []motion.Key{{View: to, Seconds: 20, Easing: "linear"}}}}))
	whole := 0
	for from := 0; ; {
		tr := track(from, 5000)
		if tr.Frames != 2001 && tr.Frames != 2000 {
			t.Fatalf("%d frames", tr.Frames)
		}
		for i, p := range tr.Poses {
			if want := v.Eye.X + 10*float64(from+i)/100/20; math.Abs(p.View.Eye.X-want) > 1e-9 {
				t.Fatalf("frame %d at %v, want %v", from+i, p.View.Eye.X, want)
			}
		}
		if len(tr.Poses) > 1000 {
			t.Fatalf("%d poses at once", len(tr.Poses))
		}
		whole += len(tr.Poses)
		if from += len(tr.Poses); from >= tr.Frames {
			break
		}
	}
	if whole < 2000 {
		t.Errorf("%d poses in all", whole)
	}
	if tr := track(-5, 0); tr.From != 0 || len(tr.Poses) != 1 {
		t.Errorf("from before its start: %d, %d poses", tr.From, len(tr.Poses))
	}
	if tr := track(1e6, 10); tr.From != tr.Frames-1 || len(tr.Poses) != 1 {
		t.Errorf("from after its end: %d, %d poses", tr.From, len(tr.Poses))
	}
	if _, err := d.a.TrackOf(d.ctx, "nowhere", 0, 1); err == nil {
		t.Error("a set that is not there has a track")
	}
}

// A card plays pictures, the sun flickers: the track tells it and the frames show
// it.
func TestCardsPlayAndLightsFlicker(t *testing.T) {
	d := newStudio(t)
	red, blue := d.plain(color.NRGBA{200, 20, 20, 255}), d.plain(color.NRGBA{20, 20, 200, 255})
	card := d.add("card", &lay.Card{At: geom.V{Z: -8}, Width: 30, Height: 16, Facing: true, Shape: "picture",
		Picture: red})
	flicker := motion.Flicker{Depth: 1, Hertz: 3, Seed: 9}
	d.edit(viewTo(map[string]any{"eye": geom.V{Y: 4, Z: 8}, "yaw": 0, "pitch": 0, "roll": 0, "far": 100}),
		setTo(map[string]any{"move": motion.Move{Rate: 4, Seconds: 1,
			Plays:    []motion.Flipbook{{ID: card, Pictures: []string{red, blue}, Rate: 2}},
			Flickers: []motion.Flicker{flicker}}}))
	track, err := d.a.TrackOf(d.ctx, d.set, 0, 10)
	if err != nil || len(track.Poses) != 4 {
		t.Fatalf("%+v, %v", track, err)
	}
	for i, want := range []string{red, red, blue, blue} {
		if got := track.Poses[i].Cards[card]; got != want {
			t.Errorf("frame %d shows %s", i, got)
		}
		if got, want := track.Poses[i].Lights[""], flicker.At(float64(i)/4); got != want {
			t.Errorf("frame %d is lit by %v of the light, want %v", i, got, want)
		}
	}
	frames := d.pictures(takes.Settings{Width: 32, Samples: 4, Bounces: 1})
	if len(frames) != 4 {
		t.Fatalf("%d frames", len(frames))
	}
	for i, m := range frames {
		r, _, b, _ := m.At(16, 9).RGBA()
		if more := r > b; more != (i < 2) {
			t.Errorf("frame %d: red %d, blue %d", i+1, r>>8, b>>8)
		}
	}
	light := func(i int) uint32 { r, g, b, _ := frames[i].At(16, 9).RGBA(); return r + g + b }
	if brighter := flicker.At(0.25) > flicker.At(0); brighter != (light(1) > light(0)) {
		t.Errorf("light goes from %v to %v, the picture from %d to %d", flicker.At(0), flicker.At(0.25), light(0),
			light(1))
	}
}

// Pictures that are not there are named, and nothing changes.
func TestPicturesThatAreNotThereAreRefused(t *testing.T) {
	d := newStudio(t)
	red := d.plain(color.NRGBA{200, 20, 20, 255})
	card := d.add("card", &lay.Card{At: geom.V{Z: -8}, Width: 3, Height: 2, Shape: "picture", Picture: red})
	gone := strings.Repeat("0", 64)
	for say, what := range map[string]map[string]any{
		"over the view": {"match": stage.Match{Picture: gone, Opacity: 0.5, Wipe: 1}},
		"2 of those that a card": {"move": motion.Move{Rate: 4, Seconds: 1,
			Plays: []motion.Flipbook{{ID: card, Pictures: []string{red, gone}, Rate: 2}}}},
		"covers 0 to 100 %": {"match": stage.Match{Picture: red, Opacity: 1.5, Wipe: 1}},
		"a card plays 1 to 5000": {"move": motion.Move{Rate: 4, Seconds: 1,
			Plays: []motion.Flipbook{{ID: card, Rate: 2}}}},
		"a picture has at most":  {"match": stage.Match{Picture: red, Wipe: 1, Points: make([]stage.MatchDot, 5000)}},
		"the last is not before": {"first": 8, "last": 3},
		"must be at most 500":    {"hide": make([]string, 501)},
	} {
		if got := d.refused(setTo(what)); !strings.Contains(got, say) {
			t.Errorf("%q: %s", say, got)
		}
	}
	d.edit(setTo(map[string]any{"match": stage.Match{Picture: red, Opacity: 0.5, Wipe: 1}}))
	shot := d.edit(edit.Do(&edit.KeepShot{Name: "overlaid"})).Made[0]
	if got := d.refused(edit.Do(&edit.ChangeShot{ID: shot,
		Patch: patch(map[string]any{"match": stage.Match{Picture: gone, Wipe: 1}})})); !strings.Contains(got,
		"over the view") {
		t.Error(got)
	}
	d.edit(setTo(map[string]any{"match": nil}))
}

// What a deed of framing carries is read to the letter, and what cannot be is said
// with what to do.
func TestWhatCannotBeFramedIsRefused(t *testing.T) {
	d := newStudio(t)
	box := d.stand("box", geom.V{Z: -6}, geom.V{X: 1, Y: 1, Z: 1})
	behind := d.stand("box", geom.V{Z: 40}, geom.V{X: 1, Y: 1, Z: 1})
	d.edit(viewTo(map[string]any{"eye": geom.V{Y: 1.6, Z: 6}, "yaw": 0, "pitch": 0}))
	line := []stage.MatchDot{}
	for i := range 5 {
		line = append(line, stage.MatchDot{At: geom.V{X: float64(i)}, X: 0.1 * float64(i), Y: 0.5})
	}
	for say, deed := range map[string]desk.Command{
		"unknown field": {Op: "compose", Args: patch(map[string]any{"id": box, "x": 0.5, "y": 0.5,
			"high": 0.5})},
		"cannot be read":             {Op: "lens", Args: patch(map[string]any{"focal": "long"})},
		"behind the lens":            edit.Do(&edit.Focus{ID: behind}),
		"That place lies behind":     edit.Do(&edit.Focus{At: geom.V{Z: 60}}),
		"reaches behind the lens":    edit.Do(&edit.AllSharp{From: behind}),
		"10 stops at most":           edit.Do(&edit.Expose{Stops: 11}),
		"more than 0 above":          edit.Do(&edit.EyeHeight{Metres: -1}),
		"is not there":               edit.Do(&edit.Aim{ID: "nobody"}),
		"roll must be -180 to 180":   viewTo(map[string]any{"roll": 4}),
		"sensor width must be":       viewTo(map[string]any{"sensorW": 0}),
		"squeeze must be":            viewTo(map[string]any{"squeeze": 9}),
		"the depth buffer is 24":     viewTo(map[string]any{"depth": "16"}),
		"the shutter's time must be": viewTo(map[string]any{"shutter": -1}),
		"a path has two points": setTo(map[string]any{"move": motion.Move{Rate: 10, Seconds: 1,
			Rides: []motion.Animation{{IDs: []string{box}, Points: []geom.V{{}, {}}, Seconds: 1, Easing: "linear"}}}}),
		"the easing is one of": setTo(map[string]any{"move": motion.Move{Rate: 10,
			Keys: []motion.Key{{View: optics.Default(), Seconds: 1, Easing: "bouncy"}}}}),
	} {
		if got := d.refused(deed); !strings.Contains(got, say) {
			t.Errorf("%q: %s", say, got)
		}
	}
	d.edit(setTo(map[string]any{"match": stage.Match{Opacity: 0.5, Wipe: 1, Points: line}}))
	if got := d.refused(edit.Do(&edit.Match{By: "points"})); !strings.Contains(got, "on one line") {
		t.Error(got)
	}
	if got := d.refused(edit.Do(&edit.Match{By: "lines"})); !strings.Contains(got, "two lines or more") {
		t.Error(got)
	}
}

// A move along a wall, about a thing, about its own axis and into it: what crosses the
// picture too fast is told by name, whatever kind of move it is.
func TestWhatCrossesThePictureTooFastIsTold(t *testing.T) {
	d := newStudio(t)
	id := d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "wall", At: geom.V{Z: -8}})).Made[0]
	d.edit(edit.Do(&edit.ChangePlacement{ID: id, Patch: patch(map[string]any{"size": geom.V{X: 400, Y: 60, Z: 0.2}})}))
	v := optics.Default()
	v.Eye, v.Shutter = geom.V{Y: 1.6}, 1.0/48
	wide, _ := v.FieldOfView()
	for name, c := range map[string]struct {
		rail  motion.CameraPath
		fast  bool
		takes float64 // seconds to cross; 0: not computed here
	}{
		"along, fast": {motion.CameraPath{Kind: "dolly", Points: []geom.V{{X: -100}, {X: 100}}, Seconds: 10,
			Easing: "linear"}, true, 2 * 7.9 * math.Tan(wide/2) / 20},
		"along, slow": {motion.CameraPath{Kind: "dolly", Points: []geom.V{{X: -1}, {X: 1}}, Seconds: 10,
			Easing: "linear"}, false, 2 * 7.9 * math.Tan(wide/2) / 0.2},
		"about itself": {motion.CameraPath{Kind: "turntable", Center: v.Eye, Angle: 2, Seconds: 2, Easing: "linear"},
			true, 0},
	} {
		d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": v,
			"move": motion.Move{Rate: 24, Rail: &c.rail}})}))
		m := d.frame(1).Move
		if len(m.Crossing) == 0 || m.Crossing[0].Judders != c.fast || m.Looked < 16 {
			t.Errorf("%s: %+v", name, m.Crossing)
			continue
		}
		if got := m.Crossing[0]; c.takes > 0 && (got.Name != "wall" || math.Abs(got.Seconds/c.takes-1) > 0.05) {
			t.Errorf("%s: %s crosses in %v s, want %v", name, got.Name, got.Seconds, c.takes)
		}
		told := slices.ContainsFunc(m.Troubles,
			func(x measure.MoveTrouble) bool { return strings.Contains(x.What, "crosses the picture in") })
		if told != c.fast {
			t.Errorf("%s: troubles %+v", name, m.Troubles)
		}
	}
}
