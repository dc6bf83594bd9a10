package e2e

import (
	"context"
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"visator/app/query"
	"visator/core/geom"
)

// seen is where a place of the set falls in the lens view, in pixels of the page.
func (b *tab) seen(x, y, z float64) [2]float64 {
	b.Helper()
	at := eval[[]float64](b, fmt.Sprintf("(l => { const r = l.canvas.getBoundingClientRect(), f = l.frame(), [x, y] = "+
		"l.screen(%g, %g, %g); return [r.x + f.x + x * f.w, r.y + f.y + y * f.h] })(Alpine.store('v').lens)", x, y, z))
	return [2]float64(at)
}

// whole waits until all of the lens view is there and drawn.
func (b *tab) whole() {
	b.Helper()
	b.until("Alpine.store('v').lens?.placed.size && !Alpine.store('v').coming && !Alpine.store('v').lens.asked && " +
		"!Alpine.store('v').lens.turn && " +
		"!Alpine.store('v').lens.veiled.length")
}

// In the lens view things are taken as they are seen: moved onto what lies beneath the
// pointer, turned by their ring, scaled by their corner, and the camera stays. What is
// behind a wall is not hit through it; a drag beside things turns the camera, and says so.
func TestThingsAreHandledInTheLensView(t *testing.T) {
	s, b := newSite(t), browser(t)
	set := b.production(s, "yard")
	eval[bool](b, "(localStorage.snap = 'off', true)")
	s.edit(set,
		map[string]any{"op": "place", "args": map[string]any{"standIn": "slab", "name": "floor", "at": geom.V{Y: -0.2},
			"patch": map[string]any{"size": geom.V{X: 60, Y: 0.2, Z: 60}}}},
		map[string]any{"op": "place", "args": map[string]any{"standIn": "box", "name": "crate", "at": geom.V{X: -1},
			"patch": map[string]any{"size": geom.V{X: 1, Y: 1, Z: 1}}}},
		map[string]any{"op": "place", "args": map[string]any{"standIn": "slab", "name": "table",
			"at": geom.V{X: 2, Z: 0}, "patch": map[string]any{"size": geom.V{X: 2.4, Y: 0.8, Z: 2.4}}}},
		map[string]any{"op": "place", "args": map[string]any{"standIn": "wall", "name": "screen",
			"at": geom.V{X: -4, Z: -3}, "patch": map[string]any{"size": geom.V{X: 2, Y: 3, Z: 0.2}}}},
		map[string]any{"op": "place", "args": map[string]any{"standIn": "person", "name": "hider",
			"at": geom.V{X: -4.2, Z: -4}}},
		map[string]any{"op": "change set",
			"args": map[string]any{"patch": map[string]any{"view": map[string]any{"eye": geom.V{Y: 3, Z: 9}, "yaw": 0,
				"pitch": -0.25, "focal": 28, "near": 0.1, "far": 200}}}})
	b.step("light")
	b.whole()
	st := s.state(set)
	view := st.Set.View
	crate := placed(st, "crate").ID
	sel := func() string { return eval[string](b, "Alpine.store('v').sel.join()") }
	tap := func(at [2]float64) { b.drag(at, at) }

	tap(b.seen(-4.3, 1.2, -2.9))
	b.until(fmt.Sprintf("Alpine.store('v').sel.join() === %q", placed(st, "screen").ID))
	tap(b.seen(1.5, 0, 4))
	b.until("Alpine.store('v').sel.length === 0") // the floor stops the pointer and is not taken

	// A drag over what is not selected turns the camera, and says so.
	at := b.seen(-1, 0.5, 0)
	b.drag(at, [2]float64{at[0] + 40, at[1]})
	s.await(set, "the turn of the camera", func(st *query.State) bool { return st.Set.View.Yaw != view.Yaw })
	b.until("Alpine.store('v').message.includes('The camera was turned by')")
	b.press("Undo")
	s.await(set, "the camera back", func(st *query.State) bool { return st.Set.View.Yaw == view.Yaw })
	b.until(fmt.Sprintf("Math.abs(Alpine.store('v').st.set.view.yaw - %v) < 1e-9", view.Yaw))
	b.whole()

	tap(b.seen(-1, 0.5, 0.5))
	b.until(fmt.Sprintf("Alpine.store('v').sel.join() === %q", crate))
	// Its foot follows the hand, onto the table.
	from, foot, to := b.seen(-1, 0.6, 0.5), b.seen(-1, 0, 0), b.seen(2, 0.8, 0.2)
	b.drag(from, [2]float64{from[0] + to[0] - foot[0], from[1] + to[1] - foot[1]})
	st = s.await(set, "the crate on the table", func(st *query.State) bool { return placed(st, "crate").At.X > 1 })
	if p := placed(st, "crate").At; math.Abs(p.X-2) > 0.05 || math.Abs(p.Z-0.2) > 0.05 || math.Abs(p.Y-0.8) > 1e-6 {
		t.Errorf("the crate stands at %v", p)
	}
	if !st.Set.View.Equal(&view) {
		t.Error("the camera went along")
	}
	b.until("Alpine.store('v').st.placements.some(p => p.name === 'crate' && p.at.x > 1)")
	b.whole()

	ring := b.middle("[data-ring] circle")
	b.drag(ring, b.seen(2-1.2, 0.8, 0.2))
	st = s.await(set, "the turn", func(st *query.State) bool { return placed(st, "crate").Yaw != 0 })
	if yaw := placed(st, "crate").Yaw; math.Abs(yaw-math.Pi/2) > 0.1 {
		t.Errorf("turned to %v", yaw)
	}
	b.until("Alpine.store('v').st.placements.some(p => p.name === 'crate' && p.yaw)")
	grow, foot := b.middle("[data-grow] rect"), b.seen(2, 0.8, 0.2)
	b.drag(grow, [2]float64{foot[0] + 1.5*(grow[0]-foot[0]), foot[1] + 1.5*(grow[1]-foot[1])})
	st = s.await(set, "the scale", func(st *query.State) bool { return placed(st, "crate").Scale.X != 1 })
	if k := placed(st, "crate").Scale; math.Abs(k.X-1.5) > 0.06 || k.X != k.Y || k.X != k.Z {
		t.Errorf("scaled by %v", k)
	}
	if sel() != crate {
		t.Errorf("%q is selected", sel())
	}
}

// While the lens view waits for things it says for how many and which, and shows where
// they will be; then all of that is gone.
func TestTheLensViewSaysWhatIsComing(t *testing.T) {
	s, b := newSite(t), browser(t)
	set := b.production(s, "yard")
	s.edit(set,
		map[string]any{"op": "place", "args": map[string]any{"standIn": "box", "name": "crate", "at": geom.V{Z: -4}}})
	b.step("dress")
	b.whole()
	// The next model is held up on its way.
	eval[bool](b,
		`((f) => { window.free = new Promise((go) => { window.letGo_ = go; }); window.fetch = (u, o) => String(u).includes("/standins/person") ? window.free.then(() => f(u, o)) : f(u, o); return true })(window.fetch)`)
	s.edit(set,
		map[string]any{"op": "place", "args": map[string]any{"standIn": "person", "name": "late man",
			"at": geom.V{X: 1, Z: -4}}})
	b.until("document.querySelector('[data-coming-told]')?.textContent.includes('late man') && " +
		"document.querySelector('[data-coming-told]').textContent.includes('1 of 2') && " +
		"document.querySelector('[data-coming]')")
	eval[bool](b, "(window.letGo_(), true)")
	b.whole()
	b.until("!document.querySelector('[data-coming-told]') && !document.querySelector('[data-coming]')")
}

// What the camera sees is there before any script is, drawn quickly; and it is gone when
// the lens view is.
func TestSomethingTrueIsSeenBeforeTheScripts(t *testing.T) {
	s, b := newSite(t), browser(t)
	set := b.production(s, "yard")
	s.edit(set,
		map[string]any{"op": "place", "args": map[string]any{"standIn": "box", "name": "crate", "at": geom.V{},
			"patch": map[string]any{"size": geom.V{X: 4, Y: 4, Z: 4}}}},
		map[string]any{"op": "change set",
			"args": map[string]any{"patch": map[string]any{"view": map[string]any{"eye": geom.V{Y: 2, Z: 12}, "yaw": 0,
				"pitch": 0, "focal": 35}}}})
	scripts := func(off bool) chromedp.Action[chromedp.Void] {
		return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
			_, err := cdp.Call(ctx, t, emulation.SetScriptExecutionDisabled,
				emulation.SetScriptExecutionDisabledParams{Value: off})
			return err
		})
	}
	b.do(scripts(true), chromedp.Navigate(s.address+"/sets/"+set+"/dress"))
	b.until("(i => i?.complete && i.naturalWidth === 320 && i.getBoundingClientRect().width > 200 && " +
		"getComputedStyle(i).visibility === 'visible')(document.querySelector('#lens [data-first]'))")
	// what does nothing yet is not offered
	b.until("getComputedStyle(document.querySelector('#lens canvas')).visibility === 'hidden'")
	// The crate fills the middle and leaves the edges.
	tone := func(x, y float64) float64 {
		return eval[float64](b,
			fmt.Sprintf(`(i => { const c = document.createElement("canvas"); c.width = i.naturalWidth; c.height = i.naturalHeight; const x = c.getContext("2d"); x.drawImage(i, 0, 0); return x.getImageData(%g * c.width, %g * c.height, 1, 1).data[0] })(document.querySelector("[data-first]"))`, x, y))
	}
	if middle, edge := tone(0.5, 0.5), tone(0.05, 0.05); middle > 240 || edge < 250 {
		t.Errorf("drawn in the middle %.0f, at the edge %.0f", middle, edge)
	}
	b.do(scripts(false), chromedp.Navigate(s.address+"/sets/"+set+"/dress"))
	b.whole()
	b.until("!document.querySelector('[data-first]')")
}

// A turn of the camera moves kilobytes, whatever stands in the set: the edit answers what
// it changed, and what follows from it is all that is asked for.
func TestANudgeMovesKilobytes(t *testing.T) {
	s, b := newSite(t), browser(t)
	set := b.production(s, "yard")
	var deeds []map[string]any
	for i := range 400 {
		deeds = append(deeds,
			map[string]any{"op": "place",
				"args": map[string]any{"standIn": "box", "at": geom.V{X: float64(3 * (i % 20)),
					Z: -float64(3 * (i / 20))}}})
	}
	s.edit(set, deeds...)
	b.until("Alpine.store('v').st?.placements.length === 400")
	b.step("frame")
	s.await(set, "the measure",
		func(st *query.State) bool { return st.Measured != nil && st.Measured.Revision == st.Revision })
	b.until("Alpine.store('v').st.measured?.revision === Alpine.store('v').st.revision")
	b.idle()
	told := func(path string) string {
		return fmt.Sprintf("performance.getEntriesByType('resource').filter(e => e.name.includes('%s')).map(e => "+
			"e.decodedBodySize)", path)
	}
	if first := eval[[]float64](b, told("/topics")); len(first) == 0 || slices.Max(first) < 100_000 {
		t.Fatalf("the looks at the set are of %v bytes", first)
	}
	eval[bool](b, "(performance.clearResourceTimings(), true)")
	before := s.state(set).Revision
	b.fill("Focal length in millimetres", "41")
	s.await(set, "the lens", func(st *query.State) bool { return st.Set.View.Focal == 41 })
	b.until(fmt.Sprintf("Alpine.store('v').st.measured?.revision > %d && Alpine.store('v').st.set.view.focal === 41",
		before))
	b.idle()
	for path, most := range map[string]float64{"/edit": 4000, "/topics": 8000} {
		list := eval[[]float64](b, told(path))
		if len(list) == 0 {
			t.Errorf("nothing was asked of %s", path)
		}
		for _, n := range list {
			if n >= most {
				t.Errorf("%s answers %v bytes", path, n)
			}
		}
	}
	if n := eval[int](b, "Alpine.store('v').st.placements.length"); n != 400 {
		t.Errorf("%d placements are left", n)
	}
}

// The browser reads what came onto the canvas for its next picture of the page, and waits until all that it
// was asked for by then is drawn. So nothing else is asked for before that picture is made: the page stood
// still for most of a second where it was.
func TestNothingIsDrawnUntilTheCanvasIsHandedOn(t *testing.T) {
	s, b := newSite(t), browser(t)
	b.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, page.AddScriptToEvaluateOnNewDocument,
			page.AddScriptToEvaluateOnNewDocumentParams{Source: watchCanvas})
		return err
	}))
	set := b.production(s, "yard")
	for i := range 6 {
		s.edit(set, map[string]any{"op": "place", "args": map[string]any{"standIn": "box", "name": fmt.Sprint("box ", i),
			"at": geom.V{X: float64(i) - 3, Z: -4}}})
	}
	b.step("light")
	b.whole()
	// What lies beside the frame is dimmed, not hidden.
	b.until("document.querySelector('#lens [data-over] path[fill-rule=evenodd]')?.getTotalLength() > 1000")
	at := b.seen(0, 3, -4)
	for i := range 4 { // the camera is turned while pictures are made
		drawn := eval[int](b, "canvasDrawn")
		b.drag(at, [2]float64{at[0] + 30, at[1] + float64(10*i)})
		b.until(fmt.Sprintf("canvasDrawn > %d", drawn))
	}
	b.whole()
	if early := eval[int](b, "drawnEarly"); early > 0 {
		t.Errorf("%d times something was drawn before the canvas was handed on", early)
	}
}

// watchCanvas counts what is drawn onto canvases of the page, and what is drawn elsewhere between
// that and the page's next picture.
const watchCanvas = `{
	const all = WebGL2RenderingContext.prototype, bound = new WeakMap(), bind = all.bindFramebuffer;
	let waits = false;
	window.canvasDrawn = window.drawnEarly = 0;
	all.bindFramebuffer = function (target, f) {
		if (target !== this.READ_FRAMEBUFFER) bound.set(this, f);
		return bind.call(this, target, f);
	};
	for (const name of ["drawElements", "drawArrays", "drawElementsInstanced", "drawArraysInstanced"]) {
		const draw = all[name];
		all[name] = function (...args) {
			if (bound.get(this)) drawnEarly += waits;
			else if (this.canvas.isConnected) {
				canvasDrawn++;
				if (!waits) requestAnimationFrame(() => setTimeout(() => (waits = false)));
				waits = true;
			}
			return draw.apply(this, args);
		};
	}
}`
