package e2e

import (
	"fmt"
	"math"
	"testing"

	"github.com/chromedp/chromedp"

	"visator/app/desk"
	"visator/app/edit"
)

// An artist looks along the line-up: pulls it, zooms it, puts it in order, turns
// it, and goes through it by keys.
func TestTheLineUpIsPulledZoomedAndOrdered(t *testing.T) {
	s := newSite(t)
	b := browser(t)
	set := b.production(s, "In a row")
	sizes := map[string][3]float64{"stool": {0.4, 0.45, 0.4}, "door": {0.9, 2.1, 0.05}, "table": {1.6, 0.75, 0.9},
		"bottle": {0.08, 0.3, 0.08}}
	var files []string
	for name, d := range sizes {
		files = append(files, name+"/"+name+".obj", solid(d[0], d[1], d[2]))
	}
	st := takeAll(s, b, set, "things.zip", files)
	b.step("size")
	b.until("document.querySelectorAll('#lineup [data-piece] > path[d^=M]').length === 4")
	id := func(name string) string { return piece(st, name).ID }
	eval[bool](b, fmt.Sprintf("(Alpine.store('size').choosePiece(%q), true)", id("door")))
	b.until(fmt.Sprintf("document.querySelector('[data-sized]').dataset.sized === 'door' && "+
		"Math.abs(Alpine.store('size').line.px * 2.1 - document.querySelector('#lineup [data-piece=\"%s\"] "+
		"path')?.getBoundingClientRect().height) < 2", id("door")))
	b.until("[...document.querySelectorAll('#lineup [data-piece] > path')].filter((p) => " +
		"p.getAttribute('d')?.includes('L')).length === 4")
	// rect is where a piece is on the page: left, top, width, height.
	rect := func(name string) []float64 {
		t.Helper()
		return eval[[]float64](b,
			fmt.Sprintf("(r => [r.left, r.top, r.width, r.height])(document.querySelector('#lineup "+
				"[data-piece=\"%s\"] path').getBoundingClientRect())", id(name)))
	}
	near := func(what string, got, want, off float64) {
		t.Helper()
		if math.Abs(got-want) > off {
			t.Errorf("%s: %.2f, want %.2f", what, got, want)
		}
	}
	// All in one scale, smallest first, on one line.
	table, door := rect("table"), rect("door")
	near("heights", door[3]/table[3], 2.1/0.75, 0.02)
	near("widths", door[2]/table[2], 0.9/1.6, 0.02)
	near("feet", door[1]+door[3], table[1]+table[3], 1)
	if x, y := rect("bottle")[0], rect("stool")[0]; !(x < y && y < table[0] && table[0] < door[0]) {
		t.Errorf("not by size: %v %v %v %v", x, y, table[0], door[0])
	}
	// Pulled 120 pixels to the left by hand, as a whole.
	ground := door[1] + door[3] + 40
	b.drag([2]float64{600, ground}, [2]float64{480, ground})
	moved := fmt.Sprintf("Math.abs(document.querySelector('#lineup [data-piece=\"%s\"] "+
		"path').getBoundingClientRect().left - %v) < 1.5", id("door"), door[0]-120)
	b.until(moved)
	near("the table too", rect("table")[0], table[0]-120, 1.5)
	// The wheel zooms about the pointer.
	at := rect("door")
	middle := at[0] + at[2]/2
	b.do(chromedp.Evaluate[chromedp.Void](fmt.Sprintf("document.getElementById('lineup').dispatchEvent(new "+
		"WheelEvent('wheel', {deltaY: -200, clientX: %v, clientY: 300, bubbles: true, cancelable: true}))", middle)))
	b.until(fmt.Sprintf("document.querySelector('#lineup [data-piece=\"%s\"] path').getBoundingClientRect().width > %v",
		id("door"), at[2]*1.3))
	now := rect("door")
	near("zoomed", now[2]/at[2], math.Exp(0.3), 0.02)
	near("about the pointer", now[0]+now[2]/2, middle, 1.5)
	// From the right a door is a board.
	b.choose("Side of the silhouettes", "right")
	b.until(fmt.Sprintf("document.querySelector('#lineup [data-piece=\"%s\"]').textContent.includes('door')",
		id("door")))
	b.until(fmt.Sprintf("(r => r.height / r.width > 30)(document.querySelector('#lineup [data-piece=\"%s\"] "+
		"path').getBoundingClientRect())", id("door")))
	b.choose("Side of the silhouettes", "front")
	// Each as high as the others, with its size written.
	b.press("each as high")
	b.until(fmt.Sprintf("document.querySelector('#lineup [data-piece=\"%s\"]')?.textContent.includes('0.30 m')",
		id("bottle")))
	near("as high", rect("bottle")[3], rect("door")[3], 2)
	b.press("each as high")
	// By supplier, with the supplier's name.
	b.choose("Order of the line-up", "supplier")
	b.until("document.getElementById('lineup').textContent.includes('things.zip')")
	// By keys: what has the focus is taken with Enter.
	eval[bool](b, fmt.Sprintf("(document.querySelector('#lineup [data-piece=\"%s\"]').focus(), true)", id("stool")))
	b.do(chromedp.KeyEvent("\r"))
	b.until("document.querySelector('[data-sized]').dataset.sized === 'stool'")
	if !eval[bool](b, fmt.Sprintf("document.activeElement?.dataset.piece === %q", id("stool"))) {
		t.Error("the focus was lost")
	}
	// Only what is in the set: nothing yet, then the table.
	b.choose("Pieces in the line-up", "what is in the set")
	b.until("document.querySelectorAll('#lineup [data-piece]').length === 0")
	if code, out := s.post("/api/sets/"+set+"/edit",
		map[string]any{"revision": -1,
			"commands": []desk.Command{edit.Do(&edit.Place{Piece: id("table")})}}); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	b.until(fmt.Sprintf("document.querySelectorAll('#lineup [data-piece]').length === 1 && "+
		"document.querySelector('#lineup [data-piece=\"%s\"]')", id("table")))
	b.choose("Pieces in the line-up", "things.zip")
	b.until("document.querySelectorAll('#lineup [data-piece]').length === 4")
}
