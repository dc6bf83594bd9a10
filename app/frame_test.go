package app_test

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/png"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/measure"
	"visator/app/query"
	"visator/app/sheet"
	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/stage"
)

func (d *studio) frame(t float64) *measure.FrameState {
	d.Helper()
	f, err := d.a.Frame(d.ctx, d.set, t)
	if err != nil {
		d.Fatal(err)
	}
	return f
}

// refused is what the set says to an edit that it does not do.
func (d *studio) refused(deeds ...desk.Command) string {
	d.Helper()
	before := d.state()
	_, err := d.a.Edit(d.ctx, d.set, desk.Request{Revision: before.Revision, Commands: deeds})
	if err == nil {
		d.Fatal("it was done")
	}
	if after := d.state(); after.Revision != before.Revision {
		d.Errorf("it was refused, and the set has changed: %v", err)
	}
	return err.Error()
}

func setTo(what map[string]any) desk.Command {
	return edit.Do(&edit.ChangeSet{Patch: patch(what)})
}

func viewTo(what map[string]any) desk.Command { return setTo(map[string]any{"view": what}) }

// stand puts a stand-in somewhere and gives its name.
func (d *studio) stand(kind string, at, size geom.V) string {
	d.Helper()
	place := &edit.Place{StandIn: kind, At: at}
	if size != (geom.V{}) {
		place.Patch = patch(map[string]any{"size": size})
	}
	return d.edit(edit.Do(place)).Made[0]
}

func TestASubjectIsFramedWhereItWasAskedFor(t *testing.T) {
	d := newStudio(t)
	id := d.stand("person", geom.V{X: 3, Z: -4}, geom.V{})
	for _, how := range optics.Ways {
		d.edit(edit.Do(&edit.Compose{ID: id, Ask: optics.Ask{X: 1.0 / 3, Y: 0.55, Height: 0.6, How: how}}))
		f := d.frame(0)
		s := f.Figures.Subject
		if s == nil {
			t.Fatalf("%s: no subject", how)
		}
		if x, y := (s.Left+s.Right)/2, (s.Top+s.Bottom)/2; math.Abs(x-1.0/3) > 0.02 || math.Abs(y-0.55) > 0.02 ||
			math.Abs(s.Height-0.6) > 0.02 {
			t.Errorf("%s: it stands at %.3f, %.3f, %.3f high", how, x, y, s.Height)
		}
	}
	if say := d.refused(edit.Do(&edit.Compose{ID: id,
		Ask: optics.Ask{X: 0.5, Y: 0.5, Height: 0, How: "move"}})); !strings.Contains(say, "size in the picture") {
		t.Error(say)
	}
	if say := d.refused(edit.Do(&edit.Compose{ID: "nobody", Ask: optics.Ask{X: 0.5, Y: 0.5, Height: 0.5}})); say == "" {
		t.Error("an unknown subject is framed")
	}
}

func TestFocusFollowsAThingAndIsPulledBetweenTwo(t *testing.T) {
	d := newStudio(t)
	near, far := d.stand("person", geom.V{X: 0.4, Z: 4}, geom.V{}), d.stand("person", geom.V{X: -0.4, Z: -12}, geom.V{})
	d.edit(viewTo(map[string]any{"eye": geom.V{Y: 1.6, Z: 8}, "yaw": 0, "pitch": 0}), edit.Do(&edit.Focus{ID: near}))
	if v := d.state().Set.View; math.Abs(v.Focus-4) > 0.05 || v.FocusOn != near {
		t.Fatalf("focus %v on %q", v.Focus, v.FocusOn)
	}
	end := d.state().Set.View
	end.Eye.Z = 6
	d.edit(setTo(map[string]any{"move": motion.Move{Rate: 24,
		Keys: []motion.Key{{View: end, Seconds: 2, Easing: "linear"}}}}))
	if f := d.frame(2); math.Abs(f.View.Focus-2) > 0.01 { // two metres nearer
		t.Errorf("focus does not follow: %v", f.View.Focus)
	}
	d.edit(setTo(map[string]any{"move": map[string]any{"pulls": []motion.FocusKey{{At: 0.5, On: near, Easing: "smooth"},
		{At: 1.5, On: far, Easing: "smooth"}}}}))
	for at, want := range map[float64]float64{0: 4, 0.5: 3.5, 1.5: 18.5, 2: 18} {
		if f := d.frame(at); math.Abs(f.View.Focus-want) > 0.01 {
			t.Errorf("at %v s focus is at %v, want %v", at, f.View.Focus, want)
		}
	}
	if mid := d.frame(1).View.Focus; mid < 6 || mid > 10 { // half way by ratio: the root of 3·19
		t.Errorf("half way focus is at %v", mid)
	}
	track, err := d.a.TrackOf(d.ctx, d.set, 0, 1000)
	if err != nil || len(track.Poses) != 48 || math.Abs(track.Poses[36].View.Focus-18.5) > 0.01 {
		t.Errorf("the track has %d poses, %v", len(track.Poses), err)
	}
}

func TestWhatRidesMovesAsOneAndIsFollowed(t *testing.T) {
	d := newStudio(t)
	cart, box := d.stand("box", geom.V{Z: -4}, geom.V{X: 1, Y: 1, Z: 2}),
		d.stand("box", geom.V{Y: 1, Z: -4}, geom.V{X: 0.5, Y: 0.5, Z: 0.5})
	d.edit(edit.Do(&edit.Group{IDs: []string{cart, box}, Name: "train"}))
	var group string
	for _, e := range d.state().Elements {
		if e.Kind == "group" {
			group = e.ID
		}
	}
	m := motion.Move{Rate: 10, Seconds: 2, Follow: cart,
		Rides: []motion.Animation{{IDs: []string{group}, Points: []geom.V{{Z: -4}, {X: 6, Z: -4}}, Seconds: 2,
			Easing: "linear"}}}
	d.edit(viewTo(map[string]any{"eye": geom.V{Y: 1.6, Z: 8}, "yaw": 0, "pitch": 0}), setTo(map[string]any{"move": m}))
	track, err := d.a.TrackOf(d.ctx, d.set, 0, 100)
	if err != nil || len(track.Poses) != 20 {
		t.Fatalf("%d poses, %v", len(track.Poses), err)
	}
	p := track.Poses[10]
	for _, id := range []string{cart, box} {
		by, ok := p.Moved[id]
		if !ok || by.Point(geom.V{Z: -4}).Sub(geom.V{X: 3, Z: -4}).Len() > 1e-9 {
			t.Errorf("after a second %s is moved by %v", id, by)
		}
	}
	x0, y0, _, _ := track.Poses[0].View.Project(geom.V{Y: 0.5, Z: -4})
	x1, y1, _, _ := p.View.Project(geom.V{X: 3, Y: 0.5, Z: -4})
	if math.Abs(x0-x1)+math.Abs(y0-y1) > 1e-6 {
		t.Errorf("it is followed from %v, %v to %v, %v", x0, y0, x1, y1)
	}
	if f := d.frame(1); f.Move == nil || f.Move.Frames != 20 || len(f.Bars) != 2 {
		t.Errorf("%+v", f.Move)
	}
}

func TestLensesVerticalsAndEyeHeights(t *testing.T) {
	d := newStudio(t)
	d.stand("box", geom.V{Y: -1, Z: 8}, geom.V{X: 4, Y: 1.5, Z: 4}) // a stage half a metre high, from -1 to 0.5
	d.edit(viewTo(map[string]any{"eye": geom.V{Y: 3, Z: 8}, "focus": 10, "focal": 35, "yaw": 0, "pitch": 0}))
	d.edit(edit.Do(&edit.Lens{Focal: 70, KeepSize: true}))
	if v := d.state().Set.View; v.Focal != 70 || math.Abs(v.Eye.Z-18) > 1e-9 || v.Focus != 20 {
		t.Errorf("a dolly zoom to %v mm at %v", v.Focal, v.Eye)
	}
	d.edit(viewTo(map[string]any{"eye": geom.V{Y: 3, Z: 8}, "pitch": 0.2, "focal": 35}))
	d.edit(edit.Do(&edit.Straighten{}))
	if v := d.state().Set.View; v.Pitch != 0 || math.Abs(v.ShiftY-35*math.Tan(0.2)) > 1e-9 {
		t.Errorf("shifted by %v", v.ShiftY)
	}
	d.edit(edit.Do(&edit.EyeHeight{Metres: 1.6}))
	if v := d.state().Set.View; math.Abs(v.Eye.Y-2.1) > 1e-6 {
		t.Errorf("the eye is at %v", v.Eye.Y)
	}
	d.edit(edit.Do(&edit.AllSharp{Near: 2, Far: 8}))
	if n, f := func() (float64, float64) { v := d.state().Set.View; return v.SharpZone() }(); math.Abs(n-2) > 1e-6 ||
		math.Abs(f-8) > 1e-6 {
		t.Errorf("sharp from %v to %v", n, f)
	}
	for say, deed := range map[string]desk.Command{
		"focal length": edit.Do(&edit.Lens{Focal: 0}),
		"sharp zone":   edit.Do(&edit.AllSharp{Near: 5, Far: 2}),
		"aspect":       viewTo(map[string]any{"aspect": 0}),
		"far plane":    viewTo(map[string]any{"near": 10, "far": 2}),
		"two points": setTo(map[string]any{"move": motion.Move{Rate: 24,
			Rail: &motion.CameraPath{Kind: "path", Points: []geom.V{{}}, Seconds: 1, Easing: "linear"}}}),
		"Lay a picture":             edit.Do(&edit.Match{}),
		"unknown field":             setTo(map[string]any{"move": map[string]any{"rate": 24, "keyz": 1}}),
		"more than 0 s":             setTo(map[string]any{"move": motion.Move{Rate: 24}}),
		"what the picture is about": viewTo(map[string]any{"subject": strings.Repeat("x", 200)}),
	} {
		if got := d.refused(deed); !strings.Contains(got, say) {
			t.Errorf("%q: %s", say, got)
		}
	}
}

func TestExposureFollowsTheLightAndTheCamera(t *testing.T) {
	d := newStudio(t)
	d.stand("slab", geom.V{}, geom.V{X: 40, Y: 0.1, Z: 40})
	d.edit(edit.Do(&edit.Expose{Stops: 0}))
	ev := d.state().Set.View.EV
	if f := d.frame(0); math.Abs(f.Metered-ev) > 1e-9 {
		t.Errorf("exposed for %v, metered %v", ev, f.Metered)
	}
	d.edit(edit.Do(&edit.Expose{Stops: 1.5}))
	if got := d.state().Set.View.EV; math.Abs(got-(ev-1.5)) > 1e-9 {
		t.Errorf("a stop and a half more is EV %v of %v", got, ev)
	}
	d.edit(viewTo(map[string]any{"byCamera": true, "fNumber": 16, "shutter": 0.01, "iso": 100}))
	if got := d.state().Set.View.EV; math.Abs(got-14.64) > 0.005 { // ISO 2720, as in the test of optics
		t.Errorf("EV %v", got)
	}
	d.edit(edit.Do(&edit.Expose{}))
	if v := d.state().Set.View; math.Abs(v.EV-ev) > 1e-9 ||
		math.Abs(optics.EV100(v.FNumber, v.Shutter, v.ISO)-ev) > 1e-9 {
		t.Errorf("EV %v at ISO %v", v.EV, v.ISO)
	}
}

func TestTheCameraOfAPictureIsFoundFromMarkedPoints(t *testing.T) {
	d := newStudio(t)
	truth := optics.Default()
	truth.Eye, truth.Focal = geom.V{X: 3, Y: 2.2, Z: 7}, 28
	truth.AimAt(geom.V{Y: 1})
	var points []stage.MatchDot
	for _, p := range []geom.V{{}, {X: 1}, {X: 1, Y: 2}, {Y: 2, Z: -2}, {Z: -3}, {X: -2, Y: 1, Z: -1}, {X: 2, Z: 1}} {
		x, y, _, _ := truth.Project(p)
		points = append(points, stage.MatchDot{At: p, X: x, Y: y})
	}
	d.edit(setTo(map[string]any{"match": stage.Match{Opacity: 0.5, Wipe: 1, Points: points}}),
		edit.Do(&edit.Match{By: "points", Width: 1920}))
	st := d.state()
	if st.Set.View.Eye.Sub(truth.Eye).Len() > 1e-5 || math.Abs(st.Set.View.Focal-28) > 1e-4 ||
		st.Set.Match.Pixels > 1e-3 || len(st.Set.Match.Each) != 7 {
		t.Errorf("found %+v, off by %v px", st.Set.View, st.Set.Match.Pixels)
	}
	d.edit(setTo(map[string]any{"match": map[string]any{"points": points[:3]}}))
	if say := d.refused(edit.Do(&edit.Match{By: "points"})); !strings.Contains(say, "4 points") {
		t.Error(say)
	}
}

// What lines do not tell of a camera is said, and an upright with its foot tells it.
func TestWhatLinesDoNotTellIsSaid(t *testing.T) {
	d := newStudio(t)
	truth := optics.Default()
	truth.Eye, truth.Focal = geom.V{X: 3, Y: 2.2, Z: 7}, 28
	truth.AimAt(geom.V{X: -1.5, Y: 1, Z: -2})
	var lines []stage.MatchLine
	for axis, dir := range map[string]geom.V{"x": {X: 1}, "z": {Z: 1}} {
		for _, from := range []geom.V{{X: -2, Z: -2}, {X: -1, Y: 2, Z: -1}, {Y: 0.5}} {
			x0, y0, _, _ := truth.Project(from)
			x1, y1, _, _ := truth.Project(from.Add(dir))
			lines = append(lines, stage.MatchLine{Axis: axis, X0: x0, Y0: y0, X1: x1, Y1: y1})
		}
	}
	fx, fy, _, _ := truth.Project(geom.V{X: -1, Z: 1})
	hx, hy, _, _ := truth.Project(geom.V{X: -1, Y: 2, Z: 1})
	solve := func(more map[string]any) *query.State {
		given := map[string]any{"by": "lines", "width": 1920}
		for k, v := range more {
			given[k] = v
		}
		d.edit(setTo(map[string]any{"view": map[string]any{"eye": geom.V{X: 1, Y: 5, Z: 9}, "yaw": 0.2},
			"match": stage.Match{Opacity: 0.5, Wipe: 1, Lines: lines}}), desk.Command{Op: "match", Args: patch(given)})
		return d.state()
	}
	off := func(st *query.State) float64 { return st.Set.View.Eye.Sub(truth.Eye).Len() }
	if st := solve(nil); st.Set.Match.Pixels > 1e-3 || off(st) < 1 || !strings.Contains(st.Set.Match.Open,
		"where the camera stands") {
		t.Errorf("by lines alone, off by %v m: %+v", off(st), st.Set.Match)
	}
	upright := []float64{fx, fy, hx, hy}
	if st := solve(map[string]any{"height": 2, "upright": upright}); math.Abs(st.Set.View.Eye.Y-2.2) > 1e-3 ||
		!strings.Contains(st.Set.Match.Open, "where on the ground") {
		t.Errorf("with an upright: eye %v, %q", st.Set.View.Eye, st.Set.Match.Open)
	}
	if st := solve(map[string]any{"height": 2, "upright": upright, "foot": geom.V{X: -1, Z: 1}}); off(st) > 1e-3 ||
		st.Set.Match.Open != "" {
		t.Errorf("with its foot: off by %v m, %q", off(st), st.Set.Match.Open)
	}
}

func TestShotsAreOrderedCopiedAndNoted(t *testing.T) {
	d := newStudio(t)
	for _, n := range []string{"one", "two", "three"} {
		d.edit(edit.Do(&edit.KeepShot{Name: n}))
	}
	ids := func() (list, names []string) {
		for _, s := range d.state().Shots {
			list, names = append(list, s.ID), append(names, s.Name)
		}
		return list, names
	}
	list, _ := ids()
	d.edit(edit.Do(&edit.OrderShots{IDs: []string{list[2], list[0], list[1]}}))
	if _, names := ids(); strings.Join(names, " ") != "three one two" {
		t.Errorf("%v", names)
	}
	d.edit(edit.Do(&edit.CopyShot{ID: list[0]}))
	if _, names := ids(); strings.Join(names, " ") != "three one two one 2" {
		t.Errorf("%v", names)
	}
	d.edit(edit.Do(&edit.ChangeShot{ID: list[1],
		Patch: patch(map[string]any{"note": "wait for the train", "status": "blocked"})}))
	d.edit(edit.Do(&edit.GoToShot{ID: list[1]}))
	st := d.state()
	if st.Changed || st.Shots[2].Note != "wait for the train" || st.Shots[2].Status != "blocked" {
		t.Errorf("%+v", st.Shots[2])
	}
	d.edit(viewTo(map[string]any{"focal": 85}))
	if st := d.state(); !st.Changed || len(changedSnags(st)) != 1 {
		t.Errorf("a view that differs from its shot: %+v", changedSnags(st))
	}
	d.edit(edit.Do(&edit.GoToShot{ID: list[1]}))
	if st := d.state(); st.Changed || st.Set.View.Focal != 35 || len(changedSnags(st)) != 0 {
		t.Error("going back does not bring the kept view back")
	}
}

func changedSnags(st *query.State) (list []string) {
	for _, s := range st.Snags {
		if s.Kind == "changed" {
			list = append(list, s.What)
		}
	}
	return list
}

// A shot can do without a layer and without a wall; others keep them.
func TestAShotDoesWithoutLayersAndWalls(t *testing.T) {
	d := newStudio(t)
	wall, post := d.stand("wall", geom.V{Z: 4}, geom.V{}), d.stand("cylinder", geom.V{X: 1, Z: -2}, geom.V{})
	d.edit(edit.Do(&edit.IntoLayer{IDs: []string{post}, Layer: "posts"}))
	if n := len(d.frame(0).Bars); n != 2 {
		t.Fatalf("%d bars", n)
	}
	d.edit(setTo(map[string]any{"hide": []string{"posts"}}))
	if f := d.frame(0); len(f.Bars) != 1 || f.Bars[0].ID != wall {
		t.Errorf("with the layer hidden: %+v", f.Bars)
	}
	d.edit(setTo(map[string]any{"hide": []string{}}), viewTo(map[string]any{"cutWalls": []string{wall}}))
	for _, c := range d.frame(0).Figures.Cover {
		if c.ID == wall {
			t.Error("the cut wall is seen")
		}
	}
}

func TestSnagsOfFraming(t *testing.T) {
	d := newStudio(t)
	id := d.stand("person", geom.V{Z: -2}, geom.V{})
	d.stand("slab", geom.V{Y: -0.2}, geom.V{X: 60, Y: 0.2, Z: 60})
	d.stand("box", geom.V{X: 20}, geom.V{X: 2, Y: 2, Z: 2})
	for kind, deeds := range map[string][]desk.Command{
		"within":   {viewTo(map[string]any{"eye": geom.V{X: 20, Y: 1}, "pitch": 0, "roll": 0})},
		"converge": {viewTo(map[string]any{"eye": geom.V{Y: 1.6, Z: 8}, "pitch": 0.03, "roll": 0})},
		"horizon":  {viewTo(map[string]any{"eye": geom.V{Y: 1.6, Z: 8}, "pitch": 0, "roll": 0.01})},
		"eye":      {viewTo(map[string]any{"eye": geom.V{Y: 2.2, Z: 8}, "pitch": 0, "roll": 0})},
		"soft": {viewTo(map[string]any{"eye": geom.V{Y: 1.6, Z: 8}, "pitch": 0, "roll": 0, "subject": id, "focus": 2,
			"fNumber": 2, "focal": 50})},
		"hidden": {viewTo(map[string]any{"eye": geom.V{Y: 1.6, Z: 8}, "pitch": 0, "yaw": 2, "roll": 0, "subject": id})},
		"fast": {setTo(map[string]any{"view": map[string]any{"eye": geom.V{Y: 1.6, Z: 8}, "yaw": 0},
			"move": motion.Move{Rate: 24, Rail: &motion.CameraPath{Kind: "turntable", Center: geom.V{Y: 1.6, Z: 8},
				Angle: 3, Seconds: 2, Easing: "smooth"}}})},
		"through": {setTo(map[string]any{"view": map[string]any{"eye": geom.V{Y: 1, Z: 8}, "yaw": 0},
			"move": motion.Move{Rate: 24, Rail: &motion.CameraPath{Kind: "dolly", Points: []geom.V{{Z: 8}, {Z: -8}},
				Seconds: 60, Easing: "linear"}}})},
	} {
		d.edit(append([]desk.Command{setTo(map[string]any{"move": nil})}, deeds...)...)
		if got := d.snagsOf(kind); len(got) != 1 {
			t.Errorf("%s: %+v", kind, got)
		}
	}
}

func TestShotSheetAndCutOutMapGoOut(t *testing.T) {
	d := newStudio(t)
	d.stand("person", geom.V{Z: -2}, geom.V{})
	far := d.stand("person", geom.V{X: 2, Z: -12}, geom.V{})
	d.stand("slab", geom.V{Y: -0.2}, geom.V{X: 60, Y: 0.2, Z: 60})
	d.edit(viewTo(map[string]any{"eye": geom.V{Y: 1.6, Z: 8}, "yaw": 0, "pitch": 0}), edit.Do(&edit.Focus{ID: far}),
		edit.Do(&edit.KeepShot{Name: "one/two"}))
	shot := d.state().Shots[0].ID
	for as, start := range map[string]string{"pdf": "%PDF-", "svg": "<svg", "png": "\x89PNG"} {
		for name, make := range map[string]func() (sheet.Paper, error){
			"sheet":    func() (sheet.Paper, error) { return d.a.ShotSheet(d.ctx, d.set, shot, as) },
			"cut-outs": func() (sheet.Paper, error) { return d.a.CutOuts(d.ctx, d.set, shot, as, true) },
		} {
			p, err := make()
			if err != nil || !strings.HasPrefix(string(p.Data), start) || strings.Contains(p.Name, "/") {
				t.Errorf("%s as %s: %v, %q", name, as, err, p.Name)
			}
		}
	}
	p, err := d.a.CutOuts(d.ctx, d.set, "", "csv", false)
	if err != nil || !strings.Contains(string(p.Data), "2,person 2,1.75000,19.97") {
		t.Errorf("%v: %s", err, p.Data)
	}
	if _, err := d.a.ShotSheet(d.ctx, d.set, "nobody", "pdf"); err == nil {
		t.Error("a shot that is not there has a sheet")
	}
	if _, err := d.a.ShotSheet(d.ctx, d.set, "", "doc"); err == nil {
		t.Error("a sheet of an unknown kind is made")
	}
}

// A figure on the cut-out map has the outline that the camera sees: of steps, which are no
// more than some five eighths of their hull, so much is filled.
func TestCutOutsHaveTheirTrueOutline(t *testing.T) {
	d := newStudio(t)
	id := d.stand("steps", geom.V{Z: -8}, geom.V{X: 0.2, Y: 2, Z: 2})
	d.edit(edit.Do(&edit.ChangePlacement{ID: id, Patch: patch(map[string]any{"yaw": math.Pi / 2})}),
		viewTo(map[string]any{"eye": geom.V{Y: 1, Z: 30}, "yaw": 0, "pitch": 0, "focal": 300, "subject": id}))
	p, err := d.a.CutOuts(d.ctx, d.set, "", "svg", true)
	if err != nil {
		t.Fatal(err)
	}
	fill := regexp.MustCompile(`<path d="([^"]+)" fill="#d1d1d1"`).FindSubmatch(p.Data)
	if fill == nil {
		t.Fatalf("nothing is filled: %s", p.Data)
	}
	var pts []geom.V
	for _, m := range regexp.MustCompile(`(-?[0-9.]+)[ ,](-?[0-9.]+)`).FindAllStringSubmatch(string(fill[1]), -1) {
		x, _ := strconv.ParseFloat(m[1], 64)
		y, _ := strconv.ParseFloat(m[2], 64)
		pts = append(pts, geom.V{X: x, Z: y})
	}
	area := func(l []geom.V) (a float64) {
		for i, p := range l {
			q := l[(i+1)%len(l)]
			a += (p.X*q.Z - q.X*p.Z) / 2
		}
		return math.Abs(a)
	}
	// Eleven steps of a hull that is a triangle with one step more: 0.5 + 1/22 of the square
	// over what the hull takes, 0.5 + 1/11 - 1/242.
	if share := area(pts) / area(contact.Hull(pts)); math.Abs(share-0.93) > 0.06 || len(pts) < 20 {
		t.Errorf("%.3f of the hull is filled, by %d points", share, len(pts))
	}
}

func TestLensesAreTriedFromWhereTheyFit(t *testing.T) {
	d := newStudio(t)
	id := d.stand("person", geom.V{Z: -2}, geom.V{})
	d.stand("slab", geom.V{Y: -0.2}, geom.V{X: 60, Y: 0.2, Z: 60})
	rows, err := d.a.LensPlaces(d.ctx, d.set, id, 0.7, []float64{24, 50})
	if err != nil || len(rows) != 2 || rows[0].Free == 0 || rows[0].Best == nil ||
		rows[1].Distance < 2*rows[0].Distance {
		t.Errorf("%v: %+v", err, rows)
	}
	for _, bad := range []func() error{
		func() error { _, err := d.a.LensPlaces(d.ctx, d.set, id, 0, []float64{24}); return err },
		func() error { _, err := d.a.LensPlaces(d.ctx, d.set, id, 0.5, []float64{0}); return err },
		func() error { _, err := d.a.LensPlaces(d.ctx, d.set, "nobody", 0.5, []float64{24}); return err },
	} {
		if bad() == nil {
			t.Error("it was accepted")
		}
	}
}

func TestLookThroughAThingAndAlongTheSun(t *testing.T) {
	d := newStudio(t)
	id := d.stand("box", geom.V{X: 3, Z: -4}, geom.V{X: 1, Y: 2, Z: 1})
	d.edit(edit.Do(&edit.ChangePlacement{ID: id, Patch: patch(map[string]any{"yaw": 1})}),
		edit.Do(&edit.LookThrough{ID: id}))
	if v := d.state().Set.View; v.Eye.Sub(geom.V{X: 3, Y: 1, Z: -4}).Len() > 1e-6 || v.Yaw != 1 {
		t.Errorf("%+v", v)
	}
	before := d.state()
	d.edit(edit.Do(&edit.LookThrough{Sun: true}))
	v := d.state().Set.View
	to := before.Light.ToSun
	if v.Forward().Add(to).Len() > 1e-9 {
		t.Errorf("it looks along %v, the sun is at %v", v.Forward(), to)
	}
}

// Before a wall a metre thick, a poster in its plane flickers whatever the range.
func TestFlickerIsToldWithBothSurfaces(t *testing.T) {
	d := newStudio(t)
	d.stand("box", geom.V{Z: -40}, geom.V{X: 20, Y: 10, Z: 1})
	d.stand("box", geom.V{Z: -39.4995}, geom.V{X: 6, Y: 6, Z: 0.001}) // from 0 to 1 mm before the wall
	d.edit(viewTo(map[string]any{"eye": geom.V{Y: 3, Z: 8}, "yaw": 0, "pitch": 0, "near": 0.01, "far": 1000}))
	got := d.snagsOf("flicker")
	if len(got) != 1 || !strings.Contains(got[0], "box 2 and box will flicker") {
		t.Fatalf("%v", got)
	}
	f := d.frame(0)
	if len(f.Flickers) != 1 || math.Abs(f.Flickers[0].Gap-0.001) > 1e-5 || len(f.Fit.Advice) != 1 ||
		!strings.Contains(f.Fit.Advice[0], "fit the range") {
		t.Errorf("%+v, %v", f.Flickers, f.Fit.Advice)
	}
	d.edit(edit.Do(&edit.FitRange{}))
	if got := d.snagsOf("flicker"); len(got) != 0 {
		t.Errorf("with the range fitted: %v", got)
	}
}

// A range that is said to cut nothing cuts none of 60,000 copies: where the corners of
// each fall in the picture, they lie between the planes; those beyond the first 20,000
// count as well, and so they do for what stands before the near plane.
func TestTheRangeHoldsForEveryCopy(t *testing.T) {
	d := newStudio(t)
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0]
	area := []lay.P{{X: -50, Z: -90}, {X: 50, Z: -90}, {X: 50, Z: 10}, {X: -50, Z: 10}}
	id := d.add("drift", &lay.Scatter{Area: area, Pieces: []lay.Share{{Piece: piece.ID, Weight: 1}}, Density: 6,
		SizeMin: 0.05, SizeMax: 0.15, Seed: 3})
	d.await("the drift", func(st *query.State) bool { return st.Elements[0].Count > 50_000 && !st.Elements[0].Laying })
	raw, err := d.a.ElementInstances(d.ctx, d.set, id, 0)
	if err != nil {
		t.Fatal(err)
	}
	v := optics.Default()
	v.Eye, v.Yaw, v.Pitch, v.Far = geom.V{X: 3, Y: 1.7, Z: 7}, 0.2, -0.05, 500
	// Each copy is 36 bytes; the box is 2 x 1 x 1 units about its pivot on the ground.
	f32 := func(b []byte, k int) float64 {
		return float64(math.Float32frombits(binary.LittleEndian.Uint32(b[4*k:])))
	}
	seen := func(from, to int) (lo, hi float64, n int) {
		lo = math.Inf(1)
		for i := from; i < to; i++ {
			b := raw[36*i:]
			world := geom.Compose(geom.V{X: f32(b, 1), Y: f32(b, 2), Z: f32(b, 3)},
				geom.Q{X: f32(b, 4), Y: f32(b, 5), Z: f32(b, 6), W: f32(b, 7)},
				geom.V{X: 1, Y: 1, Z: 1}.Mul(f32(b, 8)))
			for k := range 8 {
				c := geom.V{X: float64(k&1)*2 - 1, Y: float64(k >> 1 & 1), Z: float64(k>>2) - 0.5}
				if x, y, depth, ok := v.Project(world.Point(c)); ok && x >= 0 && x <= 1 && y >= 0 && y <= 1 {
					lo, hi = min(lo, depth), max(hi, depth)
					n++
				}
			}
		}
		return lo, hi, n
	}
	n := len(raw) / 36
	lo, hi, corners := seen(0, n)
	firstLo, firstHi, _ := seen(0, 20_000)
	if corners < 1000 || firstLo == lo && firstHi == hi {
		t.Fatalf("%d corners are seen from %v to %v: the first 20,000 say as much", corners, lo, hi)
	}
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": v})}))
	f := d.frame(0)
	if f.Fit.Near > lo || f.Fit.Far < hi || f.Fit.Near < lo*0.9 || f.Fit.Far > hi*1.1 {
		t.Errorf("fitted from %v to %v, seen from %v to %v", f.Fit.Near, f.Fit.Far, lo, hi)
	}
	if len(f.Bars) != 1 || f.Bars[0].Count != n || f.Bars[0].Cut != "" || f.Fit.CutNear+f.Fit.CutFar != 0 {
		t.Errorf("%d copies: %+v", n, f.Bars)
	}
	v.Near = lo + 0.05
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": v})}))
	if f := d.frame(0); f.Bars[0].Cut != "near" || f.Fit.CutNear != 1 {
		t.Errorf("the near plane at %v, the first copy at %v: %+v", v.Near, lo, f.Bars)
	}
}

// A shot that was approved is marked when its picture changes, with what changed; what
// it does not see, what is put back, and approving it again, leave no mark.
func TestAnApprovedShotTellsWhatChanged(t *testing.T) {
	d := newStudio(t)
	ids := d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "bench", At: geom.V{Z: -2}}),
		edit.Do(&edit.Place{StandIn: "box", Name: "behind", At: geom.V{Z: 60}}),
		edit.Do(&edit.KeepShot{Name: "wide"})).Made
	shot := d.state().Shots[0].ID
	approve := func() {
		t.Helper()
		for _, status := range []string{"lit", "approved"} {
			d.edit(edit.Do(&edit.ChangeShot{ID: shot, Patch: patch(map[string]any{"status": status})}))
		}
	}
	change := func(id string, what map[string]any) {
		t.Helper()
		d.edit(edit.Do(&edit.ChangePlacement{ID: id, Patch: patch(what)}))
	}
	told := func() (say string) {
		t.Helper()
		list, err := d.a.Measure(d.ctx, d.set)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range list {
			if s.Kind == "approved" {
				say += s.What
			}
		}
		return say
	}
	change(ids[0], map[string]any{"yaw": 0.3})
	approve()
	if say := told(); say != "" {
		t.Errorf("just approved: %s", say)
	}
	change(ids[1], map[string]any{"at": geom.V{X: 3, Z: 60}})
	if say := told(); say != "" {
		t.Errorf("what is behind the camera: %s", say)
	}
	change(ids[0], map[string]any{"at": geom.V{X: 0.5, Z: -2}})
	if say := told(); !strings.Contains(say, "wide is approved, and since then bench was moved by 0.50 m") {
		t.Errorf("moved: %q", say)
	}
	change(ids[0], map[string]any{"at": geom.V{Z: -2}})
	if say := told(); say != "" {
		t.Errorf("put back: %s", say)
	}
	d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "crate", At: geom.V{X: 1, Z: -3}}),
		edit.Do(&edit.Delete{IDs: ids[:1]}))
	if say := told(); !strings.Contains(say, "crate was added") || !strings.Contains(say, "bench was taken away") {
		t.Errorf("one for the other: %q", say)
	}
	approve()
	if say := told(); say != "" {
		t.Errorf("approved again: %s", say)
	}
	d.edit(edit.Do(&edit.ChangeShot{ID: shot, Patch: patch(map[string]any{"view": map[string]any{"focal": 50}})}))
	if say := told(); !strings.Contains(say, "its own camera, move or light was changed") {
		t.Errorf("its camera: %q", say)
	}
}

// The first picture of a page is that of the newest revision, drawn when the set is
// measured, and shows what stands where.
func TestASketchIsOfTheNewestRevision(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.Place{StandIn: "box", Name: "crate",
		Patch: patch(map[string]any{"size": geom.V{X: 4, Y: 4, Z: 4}})}),
		edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{Y: 2, Z: 12}, "yaw": 0,
			"pitch": 0, "focal": 35}})}))
	tone := func() (middle, edge uint8) {
		t.Helper()
		data, err := d.a.Sketch(d.ctx, d.set)
		if err != nil {
			t.Fatal(err)
		}
		m, err := png.Decode(bytes.NewReader(data))
		if err != nil || m.Bounds().Dx() != 320 {
			t.Fatalf("%v", err)
		}
		g := m.(*image.Gray)
		return g.GrayAt(160, g.Rect.Dy()/2).Y, g.GrayAt(4, 4).Y
	}
	if m, e := tone(); m > 240 || e < 250 {
		t.Errorf("with the crate: middle %d, edge %d", m, e)
	}
	if _, err := d.a.Measure(d.ctx, d.set); err != nil {
		t.Fatal(err)
	}
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"yaw": math.Pi}})}))
	if m, _ := tone(); m < 250 {
		t.Errorf("turned away: middle %d", m)
	}
}
