package e2e

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"visator/app/query"
	"visator/core/geom"
)

// newTab is a page of a fresh set, open at a step.
func newTab(t *testing.T, step string) (s *site, b *tab, set string) {
	t.Helper()
	s, b = newSite(t), browser(t)
	_, set = s.newSet()
	b.do(chromedp.Navigate(s.address + "/sets/" + set + "/" + step))
	b.until("document.documentElement.dataset.ready === 'yes'")
	return s, b, set
}

// Everything that has a handle is done by hand: turn by the dial, scale by a
// corner, lift by the stalk, walk and aim the camera on the plan, pull a plane
// along the depth strip.
func TestHandles(t *testing.T) {
	s, b, set := newTab(t, "dress")
	b.press("plain box")
	st := s.await(set, "the box", func(st *query.State) bool { return len(st.Placements) == 1 })
	id := st.Placements[0].ID
	first := func(st *query.State) *query.PlacementState { return &st.Placements[0] }

	dial, at := b.middle("[data-dial]"), footprint(b, id)
	r := math.Hypot(dial[0]-at[0], dial[1]-at[1])
	b.drag(dial, [2]float64{at[0] - r, at[1]}) // a quarter turn to the left
	s.await(set, "the turn", func(st *query.State) bool { return math.Abs(first(st).Yaw-math.Pi/2) < 1e-9 })

	b.until("Math.abs(Alpine.store('v').st.placements[0].yaw - Math.PI / 2) < 1e-9")
	corner := b.middle("[data-corner]")
	b.drag(corner, [2]float64{at[0] + 2*(corner[0]-at[0]), at[1] + 2*(corner[1]-at[1])})
	s.await(set, "the scale", func(st *query.State) bool { return first(st).Scale == geom.V{X: 2, Y: 2, Z: 2} })

	b.until("Alpine.store('v').st.placements[0].scale.x === 2")
	stalk := b.middle("[data-stalk] circle")
	b.drag(stalk, [2]float64{stalk[0], stalk[1] - 30})
	st = s.await(set, "the lift", func(st *query.State) bool { return first(st).At.Y > 0.2 })
	if y := first(st).At.Y; math.Abs(y*20-math.Round(y*20)) > 1e-9 {
		t.Errorf("lifted to %v m with snapping on", y)
	}

	// What stands in the air has a mark on it: clicked it tells why, pulled it takes
	// the thing along.
	const mark = "#plan [data-snag]"
	b.until("document.querySelector('" + mark + "')")
	b.click(mark)
	b.until("Alpine.store('dress').snag")
	stood, pulled := st.Placements[0].At, b.middle(mark)
	b.drag(pulled, [2]float64{pulled[0] + 60, pulled[1]})
	st = s.await(set, "the pull by the mark", func(st *query.State) bool { return first(st).At.X > stood.X+0.1 })
	b.until(fmt.Sprintf("Math.abs(Alpine.store('v').st.placements[0].at.x - %v) < 1e-9", st.Placements[0].At.X))

	eye := b.middle("[data-camera=eye]")
	px := eval[float64](b, "Alpine.store('v').plan.px")
	was := st.Set.View
	b.drag(eye, [2]float64{eye[0] + 60, eye[1]})
	st = s.await(set, "the walk", func(st *query.State) bool { return st.Set.View.Eye != was.Eye })
	if d := st.Set.View.Eye.X - was.Eye.X; math.Abs(d-60/px) > 0.1 || st.Set.View.Eye.Y != was.Eye.Y {
		t.Errorf("walked %v m for %v", d, 60/px)
	}
	b.until(fmt.Sprintf("Math.abs(Alpine.store('v').st.set.view.eye.x - %v) < 1e-9", st.Set.View.Eye.X))
	aim, eye := b.middle("[data-camera=aim]"), b.middle("[data-camera=eye]")
	b.drag(aim, [2]float64{eye[0] - 80, eye[1]}) // to the left, along -X
	s.await(set, "the aim", func(st *query.State) bool { return math.Abs(st.Set.View.Yaw-math.Pi/2) < 0.15 })

	b.step("frame")
	b.until("document.querySelector('[data-handle=far] rect')?.getClientRects().length")
	far := b.middle("[data-handle=far] line")
	before := s.state(set).Set.View.Far
	b.drag(far, [2]float64{far[0] - 60, far[1]})
	st = s.await(set, "the far plane", func(st *query.State) bool { return st.Set.View.Far != before })
	if st.Set.View.Far > before {
		t.Errorf("the far plane went from %v to %v", before, st.Set.View.Far)
	}
	// The picture is pulled round in the lens view.
	lens := b.middle("#lens canvas")
	yaw := st.Set.View.Yaw
	b.until(fmt.Sprintf("Math.abs(Alpine.store('v').st.set.view.far - %v) < 1e-9", st.Set.View.Far))
	b.drag(lens, [2]float64{lens[0] + 50, lens[1]})
	s.await(set, "the pan", func(st *query.State) bool { return st.Set.View.Yaw > yaw+0.01 })
}

// mouse presses, moves or lets go of the left button somewhere.
func (b *tab) mouse(what input.DispatchMouseEventType, x, y float64) {
	b.Helper()
	b.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		p := input.DispatchMouseEventParams{Type: what, X: x, Y: y, Button: input.MouseButtonLeft}
		if what != chromedp.MouseMoved {
			p.ClickCount = 1
		}
		_, err := cdp.Call(ctx, t, input.DispatchMouseEvent, p)
		return err
	}))
}

// What is in the hand goes back with Escape, whatever it is; what others do
// meanwhile waits until the hand is empty, and is not undone by it.
func TestWhatIsInTheHandCanBeGivenUp(t *testing.T) {
	s, b, set := newTab(t, "dress")
	b.press("plain box")
	st := s.await(set, "the box", func(st *query.State) bool { return len(st.Placements) == 1 })
	id, stood := st.Placements[0].ID, st.Placements[0].At
	shown := func(what string) float64 { return eval[float64](b, "Alpine.store('v').st."+what) }
	var last [2]float64 // where the pointer is
	carry := func(find string, dx, dy float64) {
		t.Helper()
		at := b.middle(find)
		last = [2]float64{at[0] + dx, at[1] + dy}
		b.mouse(chromedp.MousePressed, at[0], at[1])
		b.mouse(chromedp.MouseMoved, at[0]+dx/2, at[1]+dy/2)
		b.mouse(chromedp.MouseMoved, at[0]+dx, at[1]+dy)
	}
	giveUp := func() { t.Helper(); b.do(chromedp.KeyEvent("\x1b")); b.mouse(chromedp.MouseReleased, 5, 5) }
	box := fmt.Sprintf("#plan [data-id=%q]", id)

	carry(box, 90, 0)
	if x := shown("placements[0].at.x"); x < stood.X+0.1 {
		t.Errorf("in the hand it stands at %v", x)
	}
	giveUp()
	if x := shown("placements[0].at.x"); x != stood.X {
		t.Errorf("given up, it is shown at %v", x)
	}
	if sel := eval[string](b, "Alpine.store('v').sel[0]"); sel != id {
		t.Errorf("selected is %q", sel)
	}
	for _, pair := range [][2]string{{"[data-corner]", "placements[0].scale.x"},
		{"[data-stalk] circle", "placements[0].at.y"}, {"[data-dial]", "placements[0].yaw"},
		{"[data-camera=eye]", "set.view.eye.x"}, {"[data-camera=aim]", "set.view.yaw"}} {
		find, value := pair[0], pair[1]
		was := shown(value)
		carry(find, -60, -40)
		if now := shown(value); now == was {
			t.Errorf("%s: in the hand it is %v as before", value, now)
		}
		giveUp()
		if now := shown(value); now != was {
			t.Errorf("%s: given up, it is %v, was %v", value, now, was)
		}
	}

	// Another moves the camera while the box is in the hand.
	carry(box, 0, 60)
	s.edit(set,
		map[string]any{"op": "change set",
			"args": map[string]any{"patch": map[string]any{"view": map[string]any{"focal": 77}}}})
	b.until("Alpine.store('v').looks > Alpine.store('v').seen") // it was heard of
	if f := shown("set.view.focal"); f == 77 {
		t.Error("the set changed under the hand")
	}
	b.mouse(chromedp.MouseReleased, last[0], last[1])
	b.until("Alpine.store('v').st.set.view.focal === 77")
	st = s.await(set, "the move", func(st *query.State) bool { return st.Placements[0].At.Z > stood.Z+0.1 })
	if p := st.Placements[0]; p.At.X != stood.X || p.Yaw != 0 || p.Scale.X != 1 || p.At.Y != stood.Y ||
		st.Set.View.Focal != 77 {
		t.Errorf("what was given up is left: %+v", p)
	}

	// So it is in the lens view and along the depth strip.
	b.step("frame")
	b.until("document.querySelector('[data-handle=far] rect')?.getClientRects().length")
	far := shown("set.view.far")
	carry("[data-handle=far] line", -60, 0)
	giveUp()
	yaw := shown("set.view.yaw")
	carry("#lens canvas", 80, 0)
	giveUp()
	if a, c := shown("set.view.far"), shown("set.view.yaw"); a != far || c != yaw {
		t.Errorf("far %v, was %v; yaw %v, was %v", a, far, c, yaw)
	}
	if got := s.state(set); got.Set.View.Far != far || got.Set.View.Yaw != yaw || got.Undo != "move box" {
		t.Errorf("kept was %q", got.Undo)
	}
}

// What is being typed is not overwritten by what others do meanwhile, and
// Escape gives it up.
func TestTypingIsNotOverwritten(t *testing.T) {
	s, b, set := newTab(t, "frame")
	const field = "document.querySelector('[aria-label=\"Focal length in millimetres\"]')"
	b.until(field)
	eval[bool](b, "("+field+".focus(), "+field+".select(), true)")
	b.do(chromedp.KeyEvent("11"))
	edit := func(focal float64) {
		t.Helper()
		if code, out := s.post("/api/sets/"+set+"/edit",
			map[string]any{"revision": -1,
				"commands": []any{map[string]any{"op": "change set",
					"args": map[string]any{"patch": map[string]any{"view": map[string]any{"focal": focal}}}}}}); code != 200 {
			t.Fatalf("%d %s", code, out)
		}
		b.until(fmt.Sprintf("Alpine.store('v').st.set.view.focal === %v", focal))
	}
	edit(40)
	if got := eval[string](b, field+".value"); got != "11" {
		t.Errorf("the field holds %q", got)
	}
	was := s.state(set).Revision
	eval[bool](b, "("+field+".addEventListener('change', () => { window.changes = (window.changes || 0) + 1 }), true)")
	b.do(chromedp.KeyEvent("\x1b"))
	b.until(field + ".value === '40 mm' && document.activeElement !== " + field)
	if n := eval[float64](b, "window.changes || 0"); n != 0 {
		t.Errorf("given up, it is told as changed %v times", n)
	}
	b.idle()
	if now := s.state(set).Revision; now != was {
		t.Errorf("giving up was an edit: %d after %d", now, was)
	}
	// A field that nobody types in follows.
	edit(60)
	b.until(field + ".value === '60 mm'")
	// What was about to be typed over still is, though it has another value now.
	eval[bool](b, "("+field+".focus(), "+field+".select(), true)")
	edit(70)
	b.until(field + ".value === '70 mm'")
	b.do(chromedp.KeyEvent("28"), chromedp.KeyEvent("\r"))
	s.await(set, "the typed value", func(st *query.State) bool { return st.Set.View.Focal == 28 })
	// What cannot be is refused beside the field and can be mended.
	b.fill("Focal length in millimetres", "long")
	b.until(field + ".classList.contains('bad') && [...document.querySelectorAll('[role=alert]')].some((e) => " +
		"e.textContent.includes('long'))")
	if got := eval[string](b, field+".value"); got != "long" {
		t.Errorf("the refused text became %q", got)
	}
	b.fill("Focal length in millimetres", "85")
	s.await(set, "the mended value", func(st *query.State) bool { return st.Set.View.Focal == 85 })
	// Of two answers about one field the later question counts, whichever comes
	// first: the one to "far" is held up until the other was given.
	eval[bool](b, `(() => {
		const real = fetch, plane = document.querySelector('[aria-label="Far plane"]');
		window.fetch = async (...a) => { const r = await real(...a); if (String(a[0]).includes('text=far')) await new Promise((go) => { window.late = go; }); return r; };
		for (const text of ['far', '900 m']) { plane.value = text; plane.dispatchEvent(new Event('change')); }
		return true;
	})()`)
	s.await(set, "the far plane", func(st *query.State) bool { return st.Set.View.Far == 900 })
	b.until("window.late")
	eval[bool](b, "(window.late(), setTimeout(() => { window.over = true; }, 50), true)")
	b.until("window.over")
	if eval[bool](b, "document.querySelector('[aria-label=\"Far plane\"]').classList.contains('bad')") {
		t.Error("an older refusal came over a newer value")
	}
}

// A key that is held moves the thing as often as it is pressed, and undo takes
// the log back to its beginning.
func TestQuickKeysAddUp(t *testing.T) {
	s, b, set := newTab(t, "dress")
	b.press("person, 1.75 m")
	st := s.await(set, "the person", func(st *query.State) bool { return len(st.Placements) == 1 })
	b.until("Alpine.store('v').sel.length === 1")
	from := st.Placements[0].At.X
	for range 12 {
		b.do(chromedp.KeyEvent("\u0303")) // the right arrow
	}
	s.await(set, "twelve steps", func(st *query.State) bool { return math.Abs(st.Placements[0].At.X-from-1.2) < 1e-9 })
	b.until("Alpine.store('v').waiting === 0")
	for range 20 {
		if st = s.state(set); st.Undo == "" {
			break
		}
		before := st.Revision
		b.do(chromedp.KeyEvent(","))
		s.await(set, "an undo", func(st *query.State) bool { return st.Revision > before })
	}
	if st = s.state(set); len(st.Placements) != 0 || st.Undo != "" {
		t.Errorf("%d placements are left, undo says %q", len(st.Placements), st.Undo)
	}
}

// A handle starts from where it was taken: a few pixels of the hand are a few pixels of
// the thing, wherever its handle was touched, and what it is drawn to is said.
func TestHandlesDoNotJump(t *testing.T) {
	s, b, set := newTab(t, "dress")
	b.press("plain box")
	st := s.await(set, "the box", func(st *query.State) bool { return len(st.Placements) == 1 })
	id := st.Placements[0].ID
	// 20°
	s.edit(set,
		map[string]any{"op": "change placement", "args": map[string]any{"id": id,
			"patch": map[string]any{"yaw": 0.349}}})
	b.until("Math.abs(Alpine.store('v').st.placements[0].yaw - 0.349) < 1e-9")
	b.until("document.querySelector('[data-dial]')")
	dial := b.middle("[data-dial]")
	at := footprint(b, id)
	// A few pixels on its way round, by a handle that is touched beside its middle.
	r := math.Hypot(dial[0]-at[0], dial[1]-at[1])
	off := [2]float64{dial[0] + 2, dial[1] + 1}
	dx, dy := (dial[1]-at[1])/r, -(dial[0]-at[0])/r
	b.mouse("mousePressed", off[0], off[1])
	b.mouse("mouseMoved", off[0]+3*dx, off[1]+3*dy)
	b.mouse("mouseMoved", off[0]+6*dx, off[1]+6*dy)
	b.until("document.querySelector('[data-tip]')")
	b.mouse("mouseReleased", off[0]+6*dx, off[1]+6*dy)
	st = s.await(set, "the turn", func(st *query.State) bool { return st.Placements[0].Yaw != 0.349 })
	if got := math.Abs(st.Placements[0].Yaw - 0.349); got > 11/r || got < 2/r {
		t.Errorf("six pixels at %v pixels turned it by %v°", r, got*180/math.Pi)
	}
	// The camera's place off the grid, and its aim: by as much as the hand.
	s.edit(set,
		map[string]any{"op": "change set",
			"args": map[string]any{"patch": map[string]any{"view": map[string]any{"eye": geom.V{X: 0.137, Y: 1.6,
				Z: 6.211}, "yaw": 0.31}}}})
	b.until("Math.abs(Alpine.store('v').st.set.view.yaw - 0.31) < 1e-9")
	px := eval[float64](b, "Alpine.store('v').plan.px")
	eye := b.middle("[data-camera=eye]")
	b.drag(eye, [2]float64{eye[0] + 14, eye[1]})
	st = s.await(set, "the walk", func(st *query.State) bool { return st.Set.View.Eye.X != 0.137 })
	if d := (st.Set.View.Eye.X - 0.137) * px; math.Abs(d-14) > 5.5 {
		t.Errorf("14 pixels of the hand moved the camera by %v", d)
	}
	b.until(fmt.Sprintf("Math.abs(Alpine.store('v').st.set.view.eye.x - %v) < 1e-9", st.Set.View.Eye.X))
	aim := b.middle("[data-camera=aim]")
	yaw := st.Set.View.Yaw
	off = [2]float64{aim[0] + 5, aim[1] - 4}
	b.drag(off, [2]float64{off[0] + 4, off[1]})
	st = s.await(set, "the aim", func(st *query.State) bool { return st.Set.View.Yaw != yaw })
	if d := math.Abs(st.Set.View.Yaw - yaw); d > 0.12 {
		t.Errorf("four pixels turned the camera by %v°", d*180/math.Pi)
	}
}
