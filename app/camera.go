package app

import (
	"bytes"
	"context"
	"encoding/json"
	"math"
	"slices"

	"visator/core/frame"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/match"
	"visator/core/optics"
	"visator/core/stage"
	"visator/store"
)

// filming are the deeds that frame a shot: each changes the working view by
// computation.
var filming = map[string]func(e *editor, ctx context.Context, d *Command) error{
	"fit": (*editor).fit, "aim": (*editor).aim, "focus": (*editor).focusOn, "compose": (*editor).compose, "lens": (*editor).lens, "straight": (*editor).straight,
	"eye": (*editor).eyeHeight, "all sharp": (*editor).allSharp, "expose": (*editor).expose, "match": (*editor).match, "look through": (*editor).lookThrough,
}

// film does one of them: the view is checked and kept.
func (e *editor) film(ctx context.Context, d *Command, do func(e *editor, ctx context.Context, d *Command) error) error {
	if err := e.stale(e.set.Rev, "The view"); err != nil {
		return err
	}
	before := e.set.Scene
	if err := do(e, ctx, d); err != nil {
		e.set.Scene = before
		return err
	}
	if err := e.set.Scene.Check(); err != nil {
		e.set.Scene = before
		return wrong("%v", err)
	}
	return e.putSet(ctx, before)
}

// framed is the set as cameras see it, with what this edit changed.
func (e *editor) framed(ctx context.Context) (*framing, *stage.Cast, error) {
	w, err := e.a.snapshot(ctx, e.tx, e.set.ID)
	if err != nil {
		return nil, nil, err
	}
	w.set.ShotSettings = e.set.ShotSettings
	if _, err := w.LayOut(ctx, false); err != nil {
		return nil, nil, err
	}
	f, err := e.a.framingFor(ctx, w)
	if err != nil {
		return nil, nil, err
	}
	return f, w.Cast(w.set.Move), nil
}

// target is the shape of a placement, an element or a group: points of it that
// lie outermost, at the start of the move.
func (e *editor) target(ctx context.Context, id string) (points []geom.V, name string, err error) {
	f, _, err := e.framed(ctx)
	if err != nil {
		return nil, "", err
	}
	return f.target(id)
}

// target is outer, or why there is nothing to frame.
func (f *framing) target(id string) (points []geom.V, name string, err error) {
	points, name = f.outer(id)
	if name == "" {
		return nil, "", notThere(store.ErrNotFound, "The thing")
	}
	if len(points) == 0 {
		return nil, "", wrong("%s has no shape yet: its piece is being made, or it is hidden.", name)
	}
	return points, name, nil
}

// outer is what a thing, or a group with all in it, is like from afar.
func (f *framing) outer(id string) (points []geom.V, name string) {
	in := map[string]bool{id: true}
	for i := range f.w.elements {
		if f.w.elements[i].ID == id {
			name = f.w.elements[i].Name
		}
	}
	for i := range f.w.rows {
		p := &f.w.rows[i].Placement
		if p.ID == id {
			name = p.Name
		}
		if slices.Contains(f.w.Groups.Of(p.Group), id) {
			in[p.ID] = true
		}
	}
	for i := range f.things {
		if t := &f.things[i]; in[t.ID] && t.Body != nil {
			points = append(points, t.Body.Outer()...)
		}
	}
	return points, name
}

// middleOf is where focus and aim take a thing to be: the middle of its box, as it
// is followed over a move; of a group that of all in it.
func (e *editor) middleOf(ctx context.Context, id string) (at geom.V, name string, err error) {
	f, cast, err := e.framed(ctx)
	if err != nil {
		return at, name, err
	}
	points, name, err := f.target(id)
	if err != nil {
		return at, name, err
	}
	if p, ok := cast.Where(id, 0); ok {
		return p, name, nil
	}
	b := geom.Empty()
	for _, p := range points {
		b = b.Add(p)
	}
	return b.Center(), name, nil
}

// fit sets the clipping planes to the tightest that cut nothing of what is to be
// seen, over the whole move.
func (e *editor) fit(ctx context.Context, d *Command) error {
	f, cast, err := e.framed(ctx)
	if err != nil {
		return err
	}
	k := &e.set.ShotSettings
	r := frame.RangeOf(f.moments(k, cast, maxMoments))
	if !r.Seen {
		return wrong("Nothing stands in the picture: there is no range to fit.")
	}
	near, far := optics.FitClip(r.Near, r.Far, nearestPlane)
	k.View.Near, k.View.Far, k.View.CutMeant = near, far, false
	if k.Move != nil { // the same all along: a range that changes shows as a change of what flickers
		m := *k.Move
		m.Keys = slices.Clone(m.Keys)
		for i := range m.Keys {
			m.Keys[i].View.Near, m.Keys[i].View.Far = near, far
		}
		k.Move = &m
	}
	e.say("fit the range to %s and %s", e.in.Distance(near), e.in.Distance(far))
	return nil
}

// nearestPlane is the nearest that a fitted near plane comes: a hand's width
// before the lens, where real lenses do not focus either.
const nearestPlane = 0.05

func (e *editor) aim(ctx context.Context, d *Command) error {
	at, name, err := e.middleOf(ctx, d.ID)
	if err != nil {
		return err
	}
	e.set.View.AimAt(at)
	e.say("aim the camera at %s", name)
	return nil
}

// focusOn puts focus on a thing, which it follows, or on a place.
func (e *editor) focusOn(ctx context.Context, d *Command) error {
	v := &e.set.View
	if d.ID == "" {
		_, _, depth, ok := v.Project(d.At)
		if !ok {
			return wrong("That place lies behind the lens and cannot be focused on.")
		}
		v.Focus, v.FocusOn = depth, ""
		e.say("focus at %s", e.in.Distance(depth))
		return nil
	}
	at, name, err := e.middleOf(ctx, d.ID)
	if err != nil {
		return err
	}
	_, _, depth, ok := v.Project(at)
	if !ok {
		return wrong("%s stands behind the lens and cannot be focused on.", name)
	}
	v.Focus, v.FocusOn = depth, d.ID
	e.say("focus on %s", name)
	return nil
}

// read reads what a deed carries with it; a field that nobody knows is an error.
func (d *Command) read(into any) error {
	if len(d.Patch) == 0 {
		return nil
	}
	dec := json.NewDecoder(bytes.NewReader(d.Patch))
	dec.DisallowUnknownFields()
	if err := dec.Decode(into); err != nil {
		return wrong("The request cannot be read: %v", err)
	}
	return nil
}

// compose brings the subject to where it was asked for, at the size that was
// asked for.
func (e *editor) compose(ctx context.Context, d *Command) error {
	var a optics.Ask
	if err := d.read(&a); err != nil {
		return err
	}
	points, name, err := e.target(ctx, d.ID)
	if err != nil {
		return err
	}
	v, err := e.set.View.Compose(points, a)
	if err != nil {
		return wrong("%s: %v", name, err)
	}
	v.Subject = d.ID
	e.set.View = v
	e.say("frame %s", name)
	return nil
}

// lens puts another focal length on; the size of what is in focus may be kept by
// moving the camera.
func (e *editor) lens(ctx context.Context, d *Command) error {
	var a struct {
		Focal    float64 `json:"focal"`
		KeepSize bool    `json:"keepSize"`
	}
	if err := d.read(&a); err != nil {
		return err
	}
	if !(a.Focal >= 1 && a.Focal <= 5000) {
		return wrong("focal length must be 1 to 5000 mm")
	}
	v := &e.set.View
	*v = v.With(a.Focal, a.KeepSize)
	if a.KeepSize {
		e.say("%.4g mm, and the camera moves to keep the size", a.Focal)
	} else {
		e.say("%.4g mm", a.Focal)
	}
	return nil
}

// straight keeps verticals parallel by shift.
func (e *editor) straight(ctx context.Context, d *Command) error {
	v, high := e.set.View.Straight()
	e.set.View = v
	if high {
		e.say("verticals parallel, with %.1f mm of shift: more than shift lenses have", v.ShiftY)
	} else {
		e.say("verticals parallel, with %.1f mm of shift", v.ShiftY)
	}
	return nil
}

// eyeHeight puts the eye at a height above what is beneath it.
func (e *editor) eyeHeight(ctx context.Context, d *Command) error {
	if !(d.Metres > 0 && d.Metres <= 1e5) {
		return wrong("An eye is more than 0 above what it stands on.")
	}
	f, cast, err := e.framed(ctx)
	if err != nil {
		return err
	}
	v := &e.set.View
	from := v.Eye
	from.Y += 1 // also from a little beneath
	s := f.scene(&e.set.ShotSettings, cast)
	h, on := s.Below(from)
	ground, what := 0.0, "the ground at height 0"
	if on >= 0 {
		ground, what = from.Y-h, s.Things[on].Name
	}
	v.Eye.Y = ground + d.Metres
	e.say("eye %s above %s", e.in.Distance(d.Metres), what)
	return nil
}

// allSharp sets aperture and focus so that all between two distances, or from the
// front of one thing to the back of another, is sharp.
func (e *editor) allSharp(ctx context.Context, d *Command) error {
	var a struct {
		Near float64 `json:"near"`
		Far  float64 `json:"far"` // 0: to infinity
		From string  `json:"from"`
		To   string  `json:"to"`
	}
	if err := d.read(&a); err != nil {
		return err
	}
	v := &e.set.View
	reach := func(id string) (lo, hi float64, err error) {
		points, name, err := e.target(ctx, id)
		if err != nil {
			return 0, 0, err
		}
		lo, hi = math.Inf(1), 0
		for _, p := range points {
			_, _, depth, _ := v.Project(p)
			lo, hi = min(lo, depth), max(hi, depth)
		}
		if lo <= 0 {
			return 0, 0, wrong("%s reaches behind the lens: it cannot be sharp as a whole.", name)
		}
		return lo, hi, nil
	}
	if a.From != "" {
		lo, hi, err := reach(a.From)
		if err != nil {
			return err
		}
		a.Near, a.Far = lo, hi
	}
	if a.To != "" {
		lo, hi, err := reach(a.To)
		if err != nil {
			return err
		}
		a.Near, a.Far = min(a.Near, lo), max(a.Far, hi)
	}
	if a.Far == 0 {
		a.Far = math.Inf(1)
	}
	n, focus, err := v.AllSharp(a.Near, a.Far)
	if err != nil {
		return wrong("%v", err)
	}
	v.FNumber, v.Focus, v.FocusOn = n, focus, ""
	end := "infinity"
	if !math.IsInf(a.Far, 1) {
		end = e.in.Distance(a.Far)
	}
	e.say("f/%.3g at %s: sharp from %s to %s", n, e.in.Distance(focus), e.in.Distance(a.Near), end)
	return nil
}

// expose sets the exposure to what the light gives, so many stops more or less. A
// camera that exposes by itself changes its sensitivity.
func (e *editor) expose(ctx context.Context, d *Command) error {
	var a struct {
		Stops float64 `json:"stops"` // brighter where positive
	}
	if err := d.read(&a); err != nil {
		return err
	}
	if !(math.Abs(a.Stops) <= 10) {
		return wrong("Exposure is compensated by 10 stops at most.")
	}
	f, cast, err := e.framed(ctx)
	if err != nil {
		return err
	}
	m := f.at(&e.set.ShotSettings, cast, 0)
	ev := meter(&e.set.Light, &m, m.Scene.Draw(&m.View, gridW, gridH)) - a.Stops
	v := &e.set.View
	if v.ByCamera {
		// EV = log2(N²/t·100/S)
		v.ISO = v.FNumber * v.FNumber / v.Open() * 100 / math.Exp2(ev)
		if v.ISO < 1 || v.ISO > 1e7 {
			return wrong("It would take ISO %.3g: change aperture or shutter.", v.ISO)
		}
	}
	v.EV = ev
	e.say("expose for EV %.1f", ev)
	return nil
}

// match solves the camera from points whose places are known, or from lines along
// the set's axes, which are kept with the view.
func (e *editor) match(ctx context.Context, d *Command) error {
	m := e.set.Match
	if m == nil {
		return wrong("Lay a picture over the view first, and mark it.")
	}
	var a struct {
		FocalGiven bool      `json:"focalGiven"`
		By         string    `json:"by"`      // points or lines
		Width      float64   `json:"width"`   // pixels of the picture
		Height     float64   `json:"height"`  // metres of an upright of which foot and head are marked; 0: none
		Upright    []float64 `json:"upright"` // foot x, y, head x, y
		Foot       *geom.V   `json:"foot"`    // where its foot stands, if that is known
	}
	if err := d.read(&a); err != nil {
		return err
	}
	if !(a.Width >= 16 && a.Width <= 1e5) {
		a.Width = optics.Delivery
	}
	v := e.set.View
	var r match.Result
	var err error
	n := len(m.Points)
	open := ""
	if a.By == "lines" {
		open = "where the camera stands: lines tell its aim and lens alone, and it stays where it was. " +
			"Mark an upright of which you know the height"
		n = len(m.Lines)
		lines := make([]match.Line, n)
		for i, l := range m.Lines {
			lines[i] = match.Line{Axis: l.Axis, X0: l.X0, Y0: l.Y0, X1: l.X1, Y1: l.Y1}
		}
		r, err = match.SolveLines(v, lines, a.Width)
		if u := a.Upright; err == nil && a.Height > 0 && len(u) == 4 && a.Foot != nil {
			open = ""
			r.View, err = match.RiseFrom(r.View, u[0], u[1], u[2], u[3], a.Height, *a.Foot)
		} else if err == nil && a.Height > 0 && len(u) == 4 {
			open = "where on the ground the camera stands: its height above it is right. Say where the foot of the upright stands"
			r.View, err = match.Rise(r.View, u[0], u[1], u[2], u[3], a.Height)
		}
	} else {
		points := make([]match.Point, n)
		for i, p := range m.Points {
			points[i] = match.Point{At: p.At, X: p.X, Y: p.Y}
		}
		r, err = match.Solve(v, points, a.FocalGiven, a.Width)
	}
	if err != nil {
		return wrong("%v", err)
	}
	r.View.FocusOn = ""
	e.set.View = r.View
	again := *m
	again.Pixels, again.Each, again.Open = r.Pixels, r.Each, open
	e.set.Match = &again
	other := ""
	if open != "" {
		other = "; not told is " + open
	}
	if r.Other {
		other = "; another camera fits as well, more points would tell"
	}
	e.say("match the camera by %d %s, off by %.2f pixels of %.0f%s", n, map[bool]string{true: "lines", false: "points"}[a.By == "lines"], r.Pixels, a.Width, other)
	return nil
}

// lookThrough puts the eye where a thing is, looking the way that it faces; or far
// out along the sun's way to what is looked at now.
func (e *editor) lookThrough(ctx context.Context, d *Command) error {
	v := &e.set.View
	if d.Of == "sun" {
		to := light.Direction(e.set.Light.Azimuth, e.set.Light.Elevation)
		at := v.Eye.Add(v.Forward().Mul(v.Focus))
		v.Eye = at.Add(to.Mul(max(v.Focus, 20)))
		v.AimAt(at)
		v.Roll = 0
		e.say("look along the sun")
		return nil
	}
	at, name, err := e.middleOf(ctx, d.ID)
	if err != nil {
		return err
	}
	v.Eye, v.Roll = at, 0
	if row, err := e.placement(ctx, d.ID); err == nil {
		v.Yaw, v.Pitch = row.Yaw, min(max(row.Pitch, -math.Pi/2), math.Pi/2)
	}
	v.FocusOn = ""
	e.say("look through %s", name)
	return nil
}

// orderShots puts the kept shots into an order.
func (e *editor) orderShots(ctx context.Context, d *Command) error {
	list, err := e.shots(ctx)
	if err != nil {
		return err
	}
	if len(d.IDs) != len(list) {
		return wrong("The shots have changed meanwhile; look again.")
	}
	for i := range list {
		at := slices.Index(d.IDs, list[i].ID)
		if at < 0 {
			return wrong("The shots have changed meanwhile; look again.")
		}
		if list[i].Order == at {
			continue
		}
		if err := e.stale(list[i].Rev, list[i].Name); err != nil {
			return err
		}
		before := list[i].Shot
		list[i].Order = at
		if err := store.PutShot(ctx, e.tx, e.set.ID, list[i].Shot, e.rev); err != nil {
			return err
		}
		if err := e.note("shot", list[i].ID, before, list[i].Shot); err != nil {
			return err
		}
	}
	e.say("order the shots")
	return nil
}

// copyShot keeps a shot once more, under another name.
func (e *editor) copyShot(ctx context.Context, d *Command) error {
	list, err := e.shots(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(list, func(s store.ShotRow) bool { return s.ID == d.ID })
	if i < 0 {
		return notThere(store.ErrNotFound, "The shot")
	}
	s := list[i].Shot
	s.ID = store.NewID()
	e.say("duplicate %s", list[i].Name)
	return e.keepShot(ctx, list, s, list[i].Name)
}
