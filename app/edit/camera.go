package edit

import (
	"context"
	"math"
	"slices"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/measure"
	"visator/core/frame"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/match"
	"visator/core/optics"
)

// filming frames a shot: each changes the working view by computation.
var filming = family{
	"fit range": films[FitRange], "aim": films[Aim], "focus": films[Focus], "compose": films[Compose],
	"lens": films[Lens], "straighten": films[Straighten], "eye height": films[EyeHeight],
	"all sharp": films[AllSharp], "expose": films[Expose], "match": films[Match], "look through": films[LookThrough],
}

// film is a command that changes the working view.
type film interface {
	film(ctx context.Context, e *desk.Editor) error
}

// filmed does one of them: the view is checked and kept.
type filmed struct{ film }

func films[T any, P interface {
	*T
	film
}]() desk.Op {
	return filmed{P(new(T))}
}

// Feels says that it looks at what the camera sees.
func (f filmed) Feels() bool { return true }

func (f filmed) Do(ctx context.Context, e *desk.Editor) error {
	if err := e.Stale(e.Set.Rev, "The view"); err != nil {
		return err
	}
	before := e.Set.Scene
	if err := f.film.film(ctx, e); err != nil {
		e.Set.Scene = before
		return err
	}
	e.Set.Settle(&before)
	if err := e.Set.Scene.Check(); err != nil {
		e.Set.Scene = before
		return act.Wrong("%v", err)
	}
	return e.PutSet(ctx, before)
}

// FitRange sets the clipping planes to the tightest that cut nothing of what is to be
// seen, over the whole move.
type FitRange struct{}

func (d *FitRange) film(ctx context.Context, e *desk.Editor) error {
	f, cast, err := e.Framed(ctx)
	if err != nil {
		return err
	}
	k := &e.Set.ShotSettings
	r := frame.RangeOf(f.Moments(k, cast, measure.MaxMoments))
	if !r.Seen {
		return act.Wrong("Nothing stands in the picture: there is no range to fit.")
	}
	near, far := optics.FitClip(r.Near, r.Far, measure.NearestPlane)
	k.View.Near, k.View.Far, k.View.CutMeant = near, far, false
	if k.Move != nil { // the same all along: a range that changes shows as a change of what flickers
		m := *k.Move
		m.Keys = slices.Clone(m.Keys)
		for i := range m.Keys {
			m.Keys[i].View.Near, m.Keys[i].View.Far = near, far
		}
		k.Move = &m
	}
	e.Say("fit the range to %s and %s", e.Ruler.Distance(near), e.Ruler.Distance(far))
	return nil
}

// Aim turns the camera to the middle of a thing.
type Aim struct {
	ID string `json:"id"`
}

func (d *Aim) film(ctx context.Context, e *desk.Editor) error {
	at, name, err := e.MiddleOf(ctx, d.ID)
	if err != nil {
		return err
	}
	e.Set.View.AimAt(at)
	e.Say("aim the camera at %s", name)
	return nil
}

// Focus puts focus on a thing, which it follows, or on a place.
type Focus struct {
	ID string `json:"id"` // "": on the place
	At geom.V `json:"at"`
}

func (d *Focus) film(ctx context.Context, e *desk.Editor) error {
	v := &e.Set.View
	if d.ID == "" {
		_, _, depth, ok := v.Project(d.At)
		if !ok {
			return act.Wrong("That place lies behind the lens and cannot be focused on.")
		}
		v.Focus, v.FocusOn = depth, ""
		e.Say("focus at %s", e.Ruler.Distance(depth))
		return nil
	}
	at, name, err := e.MiddleOf(ctx, d.ID)
	if err != nil {
		return err
	}
	_, _, depth, ok := v.Project(at)
	if !ok {
		return act.Wrong("%s stands behind the lens and cannot be focused on.", name)
	}
	v.Focus, v.FocusOn = depth, d.ID
	e.Say("focus on %s", name)
	return nil
}

// Compose brings the subject to where it was asked for, at the size that was asked for.
type Compose struct {
	ID string `json:"id"` // the subject
	optics.Ask
}

func (d *Compose) film(ctx context.Context, e *desk.Editor) error {
	points, name, err := e.Target(ctx, d.ID)
	if err != nil {
		return err
	}
	v, err := e.Set.View.Compose(points, d.Ask)
	if err != nil {
		return act.Wrong("%s: %v", name, err)
	}
	v.Subject = d.ID
	e.Set.View = v
	e.Say("frame %s", name)
	return nil
}

// Lens puts another focal length on; the size of what is in focus may be kept by moving
// the camera.
type Lens struct {
	Focal    float64 `json:"focal"` // mm
	KeepSize bool    `json:"keepSize"`
}

func (d *Lens) film(ctx context.Context, e *desk.Editor) error {
	if !(d.Focal >= 1 && d.Focal <= 5000) {
		return act.Wrong("focal length must be 1 to 5000 mm")
	}
	v := &e.Set.View
	*v = v.With(d.Focal, d.KeepSize)
	if d.KeepSize {
		e.Say("%.4g mm, and the camera moves to keep the size", d.Focal)
	} else {
		e.Say("%.4g mm", d.Focal)
	}
	return nil
}

// Straighten keeps verticals parallel by shift.
type Straighten struct{}

func (d *Straighten) film(ctx context.Context, e *desk.Editor) error {
	v, high := e.Set.View.Straight()
	e.Set.View = v
	if high {
		e.Say("verticals parallel, with %.1f mm of shift: more than shift lenses have", v.ShiftY)
	} else {
		e.Say("verticals parallel, with %.1f mm of shift", v.ShiftY)
	}
	return nil
}

// EyeHeight puts the eye at a height above what is beneath it.
type EyeHeight struct {
	Metres float64 `json:"metres"`
}

func (d *EyeHeight) film(ctx context.Context, e *desk.Editor) error {
	if !(d.Metres > 0 && d.Metres <= 1e5) {
		return act.Wrong("An eye is more than 0 above what it stands on.")
	}
	f, cast, err := e.Framed(ctx)
	if err != nil {
		return err
	}
	v := &e.Set.View
	from := v.Eye
	from.Y += 1 // also from a little beneath
	s := f.Scene(&e.Set.ShotSettings, cast)
	h, on := s.Below(from)
	ground, what := 0.0, "the ground at height 0"
	if on >= 0 {
		ground, what = from.Y-h, s.Things[on].Name
	}
	v.Eye.Y = ground + d.Metres
	e.Say("eye %s above %s", e.Ruler.Distance(d.Metres), what)
	return nil
}

// AllSharp sets aperture and focus so that all between two distances, or from the front of
// one thing to the back of another, is sharp.
type AllSharp struct {
	Near float64 `json:"near"` // metres
	Far  float64 `json:"far"`  // metres; 0: to infinity
	From string  `json:"from"` // a thing, instead of near
	To   string  `json:"to"`   // a thing, instead of far
}

func (d *AllSharp) film(ctx context.Context, e *desk.Editor) error {
	a := *d
	v := &e.Set.View
	reach := func(id string) (lo, hi float64, err error) {
		points, name, err := e.Target(ctx, id)
		if err != nil {
			return 0, 0, err
		}
		lo, hi = math.Inf(1), 0
		for _, p := range points {
			_, _, depth, _ := v.Project(p)
			lo, hi = min(lo, depth), max(hi, depth)
		}
		if lo <= 0 {
			return 0, 0, act.Wrong("%s reaches behind the lens: it cannot be sharp as a whole.", name)
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
		return act.Wrong("%v", err)
	}
	v.FNumber, v.Focus, v.FocusOn = n, focus, ""
	end := "infinity"
	if !math.IsInf(a.Far, 1) {
		end = e.Ruler.Distance(a.Far)
	}
	e.Say("f/%.3g at %s: sharp from %s to %s", n, e.Ruler.Distance(focus), e.Ruler.Distance(a.Near), end)
	return nil
}

// Expose sets the exposure to what the light gives, so many stops more or less. A camera
// that exposes by itself changes its sensitivity.
type Expose struct {
	Stops float64 `json:"stops"` // brighter where positive
}

func (d *Expose) film(ctx context.Context, e *desk.Editor) error {
	if !(math.Abs(d.Stops) <= 10) {
		return act.Wrong("Exposure is compensated by 10 stops at most.")
	}
	f, cast, err := e.Framed(ctx)
	if err != nil {
		return err
	}
	m := f.At(&e.Set.ShotSettings, cast, 0)
	ev := e.Meter(ctx, &m, m.Scene.Draw(&m.View, measure.GridW, measure.GridH)) - d.Stops
	v := &e.Set.View
	if v.ByCamera {
		// EV = log2(N²/t·100/S)
		v.ISO = v.FNumber * v.FNumber / v.Open() * 100 / math.Exp2(ev)
		if v.ISO < 1 || v.ISO > 1e7 {
			return act.Wrong("It would take ISO %.3g: change aperture or shutter.", v.ISO)
		}
	}
	v.EV = ev
	e.Say("expose for EV %.1f", ev)
	return nil
}

// Match solves the camera from points whose places are known, or from lines along the
// set's axes, which are kept with the view.
type Match struct {
	FocalGiven bool      `json:"focalGiven"`
	By         string    `json:"by"`      // points or lines
	Width      float64   `json:"width"`   // pixels of the picture
	Height     float64   `json:"height"`  // metres of an upright of which foot and head are marked; 0: none
	Upright    []float64 `json:"upright"` // foot x, y, head x, y
	Foot       *geom.V   `json:"foot"`    // where its foot stands, if that is known
}

func (d *Match) film(ctx context.Context, e *desk.Editor) error {
	m := e.Set.Match
	if m == nil {
		return act.Wrong("Lay a picture over the view first, and mark it.")
	}
	a := *d
	if !(a.Width >= 16 && a.Width <= 1e5) {
		a.Width = optics.Delivery
	}
	v := e.Set.View
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
			open = "where on the ground the camera stands: its height above it is right. Say where the foot of the " +
				"upright stands"
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
		return act.Wrong("%v", err)
	}
	r.View.FocusOn = ""
	e.Set.View = r.View
	again := *m
	again.Pixels, again.Each, again.Open = r.Pixels, r.Each, open
	e.Set.Match = &again
	other := ""
	if open != "" {
		other = "; not told is " + open
	}
	if r.Other {
		other = "; another camera fits as well, more points would tell"
	}
	e.Say("match the camera by %d %s, off by %.2f pixels of %.0f%s", n,
		map[bool]string{true: "lines", false: "points"}[a.By == "lines"], r.Pixels, a.Width, other)
	return nil
}

// LookThrough puts the eye where a thing is, looking the way that it faces; or far out
// along the sun's way to what is looked at now.
type LookThrough struct {
	ID  string `json:"id"`
	Sun bool   `json:"sun"` // instead of a thing
}

func (d *LookThrough) film(ctx context.Context, e *desk.Editor) error {
	v := &e.Set.View
	if d.Sun {
		to := light.Direction(e.Set.Light.Azimuth, e.Set.Light.Elevation)
		at := v.Eye.Add(v.Forward().Mul(v.Focus))
		v.Eye = at.Add(to.Mul(max(v.Focus, 20)))
		v.AimAt(at)
		v.Roll = 0
		e.Say("look along the sun")
		return nil
	}
	at, name, err := e.MiddleOf(ctx, d.ID)
	if err != nil {
		return err
	}
	v.Eye, v.Roll = at, 0
	if row, err := e.Placement(ctx, d.ID); err == nil {
		v.Yaw, v.Pitch = row.Yaw, min(max(row.Pitch, -math.Pi/2), math.Pi/2)
	}
	v.FocusOn = ""
	e.Say("look through %s", name)
	return nil
}
