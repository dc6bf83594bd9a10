package e2e

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"visator/app/query"
	"visator/core/geom"
	"visator/core/snag"
)

// on is where a place of the set lies on the plan, in pixels of the page.
func on(b *tab, x, z float64) [2]float64 {
	b.Helper()
	at := eval[[]float64](b, fmt.Sprintf("(p => { const r = p.svg.getBoundingClientRect(), [x, y] = p.screen(%g, %g); "+
		"return [r.x + r.width / 2 + x, r.y + r.height / 2 + y] })(Alpine.store('v').plan)", x, z))
	return [2]float64(at)
}

func (b *tab) clickPlan(x, z float64) {
	b.Helper()
	at := on(b, x, z)
	b.do(chromedp.MouseClickXY(at[0], at[1]))
}

// keys presses keys where the focus is.
func (b *tab) keys(k string) { b.Helper(); b.do(chromedp.KeyEvent(k)) }

// idle waits until no edit of the page is under way.
func (b *tab) idle() { b.Helper(); b.until("Alpine.store('v').waiting === 0") }

func placed(st *query.State, name string) *query.PlacementState {
	i := slices.IndexFunc(st.Placements, func(p query.PlacementState) bool { return p.Name == name })
	if i < 0 {
		return nil
	}
	return &st.Placements[i]
}

func element(st *query.State, kind string) *query.ElementState {
	i := slices.IndexFunc(st.Elements, func(e query.ElementState) bool { return e.Kind == kind })
	if i < 0 {
		return nil
	}
	return &st.Elements[i]
}

// A small waiting room is blocked out, tried through the camera, recast and
// dressed, as an artist does it, with mouse and keyboard only.
func TestASetIsDressedFromTheBlockout(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := browser(t)
	glb, zipped, _ := files(t)
	set := b.production(s, "Waiting room")
	b.do(chromedp.SetUploadFiles("#files", []string{glb, zipped}))
	b.until("document.querySelectorAll('[data-arrival][data-state=done]').length === 2")
	b.step("dress")
	b.until("document.documentElement.dataset.ready === 'yes'")

	// Block out: a room dragged over 6 x 4 m, with a door; two seats; a table.
	b.press("show the camera")
	b.press("room")
	b.drag(on(b, -3, 2), on(b, 3, 6))
	s.await(set, "the room", func(st *query.State) bool { return element(st, "room") != nil })
	b.idle()
	b.fill("ceiling at", "2.6m")
	b.press("Door")
	s.await(set, "the door", func(st *query.State) bool {
		return len(element(st, "room").Swings) == 1 && strings.Contains(string(element(st, "room").Spec),
			`"height":2.6`)
	})
	b.until("document.querySelector('[data-swing]')")
	b.idle()
	b.press("box")
	b.drag(on(b, -2.6, 4.6), on(b, -1, 5.2))
	st := s.await(set, "the seat", func(st *query.State) bool { return placed(st, "box") != nil })
	b.idle()
	if p := placed(st, "box"); math.Abs(p.Dims.X-1.6) > 0.11 || math.Abs(p.Dims.Z-0.6) > 0.11 || p.At.Y != 0 {
		t.Errorf("the seat measures %v at %v", p.Dims, p.At)
	}
	b.fill("Height of the stand-in", "85 cm")
	b.fill("Width of the stand-in", "1.6m")
	b.fill("Depth of the stand-in", "60cm")
	s.await(set, "its true size",
		func(st *query.State) bool { return placed(st, "box").Dims.Y == 0.85 && placed(st, "box").Dims.Z == 0.6 })
	// A wall drawn with the keyboard: the cross moves, Space puts its ends.
	b.idle()
	b.press("wall")
	b.until("document.activeElement.id === 'plan'")
	b.keys(" ")
	for range 8 {
		b.do(chromedp.KeyEvent(kb.ArrowRight)) // right arrow
	}
	b.keys(" ")
	st = s.await(set, "the wall", func(st *query.State) bool { return placed(st, "wall") != nil })
	b.idle()
	if p := placed(st, "wall"); p.Dims.Y != 2.5 || p.Dims.X < 0.2 {
		t.Errorf("the wall measures %v", p.Dims)
	}
	b.until("Alpine.store('dress').tool === ''")
	b.keys(kb.Delete) // Delete: it was only to try
	s.await(set, "the wall to go", func(st *query.State) bool { return placed(st, "wall") == nil })
	b.idle()

	// Try the camera: aimed at the seat, which the lens view shows in brackets.
	b.clickPlan(-1.8, 4.9)
	b.until("document.querySelector('[data-spec=box]')")
	b.press("Aim camera at it")
	b.idle()
	b.until("document.querySelector('#lens [data-over] text')?.textContent === 'box'")

	// Recast the seat by the bench.
	b.choose("Piece to recast by", "bench")
	// told before it is done
	b.until("/^fits \\d+ %, × 1: /.test(document.querySelector('[data-fits]')?.textContent.trim())")
	b.press("Recast")
	st = s.await(set, "the bench", func(st *query.State) bool {
		return slices.ContainsFunc(st.Placements, func(p query.PlacementState) bool { return p.Recast != "" })
	})
	b.idle()
	if p := placed(st, "box"); !p.Hidden || p.Layer != "blockout" {
		t.Errorf("the seat after recasting: %+v", p.Placement)
	}
	if !strings.Contains(eval[string](b, "document.getElementById('message').textContent"), "it fits") {
		t.Error("it does not say how well it fits")
	}
	// Compare with the blockout, in both views.
	b.press("blockout over it")
	b.until("document.querySelector('#plan [data-id=\"" + placed(st, "box").ID + "\"]')")
	b.until("Alpine.store('v').lens.placed.has('" + placed(st, "box").ID + "')")
	b.press("blockout over it")
	b.until("!document.querySelector('#plan [data-id=\"" + placed(st, "box").ID + "\"]')")

	// A suitcase let go of over the bench floats, is found, and is put down.
	b.press("library")
	b.click("[data-list] [data-name='suitcase brown']")
	s.await(set, "the suitcase", func(st *query.State) bool { return placed(st, "suitcase brown") != nil })
	b.idle()
	b.fill("Place along X", "1.5m")
	b.fill("Place along Z", "4m")
	b.fill("Height above ground", "1.2m")
	s.await(set, "the snag", func(st *query.State) bool {
		p := placed(st, "suitcase brown").At
		return p.X == 1.5 && p.Y == 1.2 && p.Z == 4 && st.Measured != nil && st.Measured.Revision == st.Revision &&
			slices.ContainsFunc(st.Snags, func(n snag.Snag) bool { return n.Kind == "floating" })
	})
	b.idle()
	b.until("document.querySelector('#plan [data-snag]')")
	b.click("#plan [data-snag]")
	b.until("document.querySelector('[data-kind=floating].on')")
	b.press("put down")
	st = s.await(set, "the floor", func(st *query.State) bool {
		return st.Measured.Revision == st.Revision && !slices.ContainsFunc(st.Snags,
			func(n snag.Snag) bool { return n.Kind == "floating" })
	})
	if y := placed(st, "suitcase brown").At.Y; math.Abs(y) > 0.01 {
		t.Errorf("it lies at %g m", y)
	}
	b.idle()

	// A row of suitcases before the room, and a drift of them behind.
	b.press("library")
	b.click("[aria-label='suitcase brown in the mix']")
	b.press("show all")
	b.press("row")
	b.clickPlan(-3, 1)
	b.clickPlan(3, 1)
	b.keys(kb.Enter)
	s.await(set, "the row",
		func(st *query.State) bool { return element(st, "row") != nil && element(st, "row").Count > 2 })
	b.idle()
	b.fill("apart", "0.5 m")
	s.await(set, "a denser row", func(st *query.State) bool { return element(st, "row").Count == 13 })
	b.idle()
	b.press("drift")
	b.drag(on(b, -2.8, 2.3), on(b, 2.8, 4.4))
	st = s.await(set, "the drift",
		func(st *query.State) bool { return element(st, "drift") != nil && element(st, "drift").Count > 5 })
	b.idle()
	before := element(st, "drift").Count
	b.fill("density, per m²", "0.3")
	s.await(set, "a thinner drift",
		func(st *query.State) bool { n := element(st, "drift").Count; return n > 0 && n < before })
	b.idle()
	b.fill("density, per m²", "9000000000")
	b.until("document.querySelector('.complaint')?.textContent.includes('billion') || " +
		"document.getElementById('message').textContent.includes('billion')")
	b.keys(kb.Escape)

	// Everything is undone, in order, to the empty set.
	for n := 0; ; n++ {
		st = s.state(set)
		if len(st.Placements) == 0 && len(st.Elements) == 0 {
			break
		}
		if n > 60 {
			t.Fatalf("after %d steps back there are %d placements and %d elements", n, len(st.Placements),
				len(st.Elements))
		}
		was := st.Revision
		b.press("Undo")
		s.await(set, "a step back", func(st *query.State) bool { return st.Revision > was })
		b.idle()
	}
}

// Things are moved on the plan in line with others, without a jump; groups move as
// one; a click goes through to what lies beneath; a frame takes many.
func TestThingsAreMovedTogetherAndInLine(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := browser(t)
	set := b.production(s, "Moving")
	b.step("dress")
	for i, x := range []float64{0, 3, 6} {
		s.post("/api/sets/"+set+"/edit",
			map[string]any{"revision": -1,
				"commands": []any{map[string]any{"op": "place",
					"args": map[string]any{"standIn": "box", "at": map[string]float64{"x": x,
						"z": 0.13 * float64(i)}}}}})
	}
	s.post("/api/sets/"+set+"/edit",
		map[string]any{"revision": -1,
			"commands": []any{map[string]any{"op": "place",
				"args": map[string]any{"standIn": "slab", "at": map[string]float64{"x": 0, "y": -0.2}}}}})
	b.until("Alpine.store('v').st.placements.length === 4")
	b.press("show all")
	b.until("document.querySelectorAll('#plan [data-id]').length === 4")
	// Dragged near the line of its neighbour it goes there, and says so.
	a, z := on(b, 3, 0.13), on(b, 3.4, 2.05)
	b.do(chromedp.MouseEvent("mousePressed", a[0], a[1], chromedp.ButtonLeft),
		chromedp.MouseEvent("mouseMoved", a[0]+5, a[1]+5, chromedp.ButtonLeft))
	moved := eval[[]float64](b, "(p => [p.at.x, p.at.z])(Alpine.store('dress').placement(Alpine.store('v').sel[0]))")
	px := eval[float64](b, "Alpine.store('v').plan.px")
	if math.Hypot(moved[0]-3, moved[1]-0.13) > 20/px {
		t.Errorf("it jumps to %v", moved)
	}
	b.do(chromedp.MouseEvent("mouseMoved", z[0], z[1], chromedp.ButtonLeft))
	b.until("document.querySelectorAll('#plan [data-gap]').length > 0")
	b.do(chromedp.MouseEvent("mouseReleased", z[0], z[1], chromedp.ButtonLeft))
	s.await(set, "the move", func(st *query.State) bool { return placed(st, "box 2").At.Z > 1.5 })
	b.idle()
	// A second click on what is selected reaches the slab beneath the first box.
	b.clickPlan(0, 0)
	b.until("document.querySelector('[data-spec=box]')")
	b.clickPlan(0, 0)
	b.until("document.querySelector('[data-spec=slab]')")
	// A frame about two, grouped: one drag moves both.
	b.keys(kb.Escape)
	from, to := on(b, 2.2, -1.2), on(b, 7.5, 3.2)
	b.do(chromedp.MouseEvent("mousePressed", from[0], from[1], chromedp.ButtonLeft, chromedp.ButtonModifiers(8)),
		chromedp.MouseEvent("mouseMoved", to[0], to[1], chromedp.ButtonLeft, chromedp.ButtonModifiers(8)),
		chromedp.MouseEvent("mouseReleased", to[0], to[1], chromedp.ButtonLeft, chromedp.ButtonModifiers(8)))
	b.until("Alpine.store('v').sel.length === 2")
	// Both get a name with a number, by one pattern.
	eval[bool](b, "(document.querySelector('details:has([aria-label=\"Pattern for the names\"])').open = true)")
	b.fill("Pattern for the names", "crate ##")
	s.await(set, "the names",
		func(st *query.State) bool { return placed(st, "crate 01") != nil && placed(st, "crate 02") != nil })
	b.do(chromedp.KeyEvent(","))
	s.await(set, "the names of before",
		func(st *query.State) bool { return placed(st, "box 2") != nil && placed(st, "box 3") != nil })
	b.idle()
	b.keys("g")
	st := s.await(set, "the group", func(st *query.State) bool { return placed(st, "box 2").Group != "" })
	b.idle()
	x2, x3 := placed(st, "box 2").At.X, placed(st, "box 3").At.X
	p := placed(st, "box 3").At
	b.drag(on(b, p.X, p.Z), on(b, p.X+2, p.Z+1))
	st = s.await(set, "the group's move", func(st *query.State) bool { return placed(st, "box 3").At.X > x3+1 })
	if d2, d3 := placed(st, "box 2").At.X-x2, placed(st, "box 3").At.X-x3; math.Abs(d2-d3) > 1e-9 {
		t.Errorf("one moved by %g, the other by %g", d2, d3)
	}
	b.idle()
	// Same again: a copy of the copy, by the same way.
	b.clickPlan(0, 0)
	b.until("document.querySelector('[data-spec=slab], [data-spec=box]')")
	b.keys("c")
	s.await(set, "the copy", func(st *query.State) bool { return len(st.Placements) == 5 })
	b.idle()
	b.keys("y")
	st = s.await(set, "one more", func(st *query.State) bool { return len(st.Placements) == 6 })
	n := len(st.Placements)
	if a, b, c := st.Placements[n-2].At, st.Placements[n-1].At, st.Placements[n-2].Dims.X; math.Abs(b.X-a.X-c) > 1e-9 {
		t.Errorf("from %v to %v", a, b)
	}
}

// Two boxes in the air are let fall with the key, which is seen to go on and ends with both
// on the ground; then they are tumbled with the button, and all is taken back in two steps.
func TestThingsFallUntilTheyRest(t *testing.T) {
	s, b, set := newTab(t, "dress")
	for range 2 {
		b.press("plain box")
		b.idle()
	}
	st := s.await(set, "the boxes", func(st *query.State) bool { return len(st.Placements) == 2 })
	for i, p := range st.Placements {
		s.edit(set,
			map[string]any{"op": "change placement",
				"args": map[string]any{"id": p.ID,
					"patch": map[string]any{"at": geom.V{X: 0.3 * float64(i), Y: 1 + 1.5*float64(i)}}}})
	}
	high := func(st *query.State) float64 { return st.Placements[0].At.Y + st.Placements[1].At.Y }
	s.await(set, "the boxes aloft", func(st *query.State) bool { return high(st) > 3.4 })
	b.until("Alpine.store('v').st.placements.every(p => p.at.y > 0.9)")
	eval[bool](b, "(Alpine.store('v').sel = Alpine.store('v').st.placements.map(p => p.id), Alpine.store('v').draw(), "+
		"document.activeElement.blur(), true)")
	b.keys("e")
	b.until("Alpine.store('v').message.includes('came to rest')")
	down := s.await(set, "the fall", func(st *query.State) bool { return high(st) < 1.8 })
	b.until(fmt.Sprintf("Alpine.store('v').st.revision >= %d && !document.querySelector('[data-settling]')",
		down.Revision))
	b.press("Tumble into a heap")
	heap := s.await(set, "the heap", func(st *query.State) bool {
		return st.Revision > down.Revision && st.Placements[0].Yaw != down.Placements[0].Yaw
	})
	b.until(fmt.Sprintf("Alpine.store('v').st.revision >= %d", heap.Revision))
	b.press("Undo")
	s.await(set, "the heap taken back", func(st *query.State) bool {
		return slices.EqualFunc(st.Placements, down.Placements,
			func(x, y query.PlacementState) bool { return x.At == y.At })
	})
	b.idle()
	b.press("Undo")
	s.await(set, "the fall taken back", func(st *query.State) bool { return high(st) > 3.4 })
}

// A list that is drawn anew while a row is being pressed, since something else changed,
// does not take the row from under the hand.
func TestAPressIsNotLostWhileListsAreDrawn(t *testing.T) {
	s, b, set := newTab(t, "dress")
	at := b.middle("[data-list] [data-name='plain box']")
	b.mouse(chromedp.MousePressed, at[0], at[1])
	eval[bool](b, "(Alpine.store('v').st.pieces = [...Alpine.store('v').st.pieces], true)")
	s.edit(set,
		map[string]any{"op": "place", "args": map[string]any{"standIn": "person", "name": "passer-by",
			"at": geom.V{X: 3}}})
	b.until("Alpine.store('v').st.placements.length === 1")
	b.mouse(chromedp.MouseReleased, at[0], at[1])
	s.await(set, "the box", func(st *query.State) bool { return placed(st, "box") != nil })
}
