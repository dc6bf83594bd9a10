package e2e

import (
	"fmt"
	"testing"

	"visator/core/geom"
)

// Many alike are drawn at once in the lens view, those that are seen, and each is still taken by the hand as one thing
// and drawn where it was put. On the plan, from far off, they are specks; near by each is itself.
func TestManyAlikeAreDrawnAtOnce(t *testing.T) {
	s, b := newSite(t), browser(t)
	set := b.production(s, "yard")
	eval[bool](b, "(localStorage.snap = 'off', true)")
	var list []map[string]any
	for i := range 24 { // six in a row, two metres apart
		list = append(list, map[string]any{"op": "place", "args": map[string]any{"standIn": "box",
			"name": fmt.Sprint("box ", i), "at": geom.V{X: float64(i%6)*2 - 5, Z: -float64(i/6) * 2},
			"patch": map[string]any{"size": geom.V{X: 1, Y: 1, Z: 1}}}})
	}
	s.edit(set, append(list, map[string]any{"op": "change set",
		"args": map[string]any{"patch": map[string]any{"view": map[string]any{"eye": geom.V{Y: 4, Z: 12}, "yaw": 0,
			"pitch": -0.25, "focal": 24, "near": 0.1, "far": 200}}}})...)
	b.step("dress")
	b.until("Alpine.store('v').st.placements.length === 24")
	b.whole()

	// herd says of the one herd how many it draws, and how many things are drawn by themselves beside it.
	const herd = "(l => { const h = [...l.herds.known.values()]; let own = 0; for (const it of l.placed.values()) " +
		"it.group.traverse((o) => { if (o.isMesh && o.visible) own++ }); " +
		"return h.length === 1 ? h[0].all.count * 100 + own : -1 })(Alpine.store('v').lens)"
	b.until(herd + " === 2400")
	// at says whether the herd draws one with its foot at a place.
	at := func(x, z float64) string {
		return fmt.Sprintf("(h => Array.from({length: h.count}, (_, i) => [h.instanceMatrix.array[16 * i + 12], "+
			"h.instanceMatrix.array[16 * i + 14]]).some(([x, z]) => Math.hypot(x - %v, z - %v) < 0.01))"+
			"([...Alpine.store('v').lens.herds.known.values()][0].all)", x, z)
	}
	b.until(at(-5, 0) + " && " + at(5, -6) + " && !" + at(0, 3))

	// One of them is taken in the picture, and moved; the herd has it where it is now.
	tap := b.seen(-1, 0.5, 0.5)
	b.drag(tap, tap)
	st := s.state(set)
	b.until(fmt.Sprintf("Alpine.store('v').sel.join() === %q", placed(st, "box 2").ID))
	s.edit(set, map[string]any{"op": "change placement", "args": map[string]any{"id": placed(st, "box 2").ID,
		"patch": map[string]any{"at": geom.V{X: 0, Z: 3}}}})
	b.until(at(0, 3) + " && !" + at(-1, 0))

	// Seen from so near that most of them are beside the picture or behind it, fewer are drawn.
	s.edit(set, map[string]any{"op": "change set",
		"args": map[string]any{"patch": map[string]any{"view": map[string]any{"eye": geom.V{X: 5, Y: 1, Z: -3}, "yaw": 0,
			"pitch": 0, "focal": 85, "near": 0.1, "far": 200}}}})
	b.until("Alpine.store('v').lens.viewNow.focal === 85")
	b.until(fmt.Sprintf("(n => n >= 0 && n < 1000)(%s)", herd))

	// Fewer than are worth it are drawn one by one.
	var gone []string
	for i := range 10 {
		gone = append(gone, placed(st, fmt.Sprint("box ", i)).ID)
	}
	s.edit(set, map[string]any{"op": "delete", "args": map[string]any{"ids": gone}})
	b.until("Alpine.store('v').lens.placed.size === 14 && Alpine.store('v').lens.herds.known.size === 0")
	b.until("(l => { let own = 0; for (const it of l.placed.values()) it.group.traverse((o) => " +
		"{ if (o.isMesh && o.visible) own++ }); return own })(Alpine.store('v').lens) === 14")

	// plan draws the plan at so many pixels a metre, and tells how many specks and how many things it has then.
	plan := func(px float64) [2]float64 {
		return [2]float64(eval[[]float64](b, fmt.Sprintf("(p => { p.x = 0; p.z = 0; p.px = %v; p.draw(); "+
			"return [(p.specks.getAttribute('d') || '').split('M').length - 1, p.things.children.length] })"+
			"(Alpine.store('v').plan)", px)))
	}
	for px, want := range map[float64][2]float64{40: {0, 14}, 2: {14, 0}} {
		if got := plan(px); got != want {
			t.Errorf("at %v pixels a metre: %v specks and %v things, want %v", px, got[0], got[1], want)
		}
	}
}
