package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/optics"
)

// edit does deeds as the page would send them.
func (s *site) edit(set string, deeds ...map[string]any) {
	s.Helper()
	if code, body := s.post("/api/sets/"+set+"/edit", map[string]any{"revision": -1, "commands": deeds}); code != 200 {
		s.Fatalf("%d %s", code, body)
	}
}

// street is a set of a floor, two figures and something far, in front of the lens.
func street(t *testing.T) (s *site, b *tab, set string) {
	t.Helper()
	s, b = newSite(t), browser(t)
	set = b.production(s, "street")
	eval[bool](b, "(localStorage.blur = 'off', true)") // without a graphics card it is slow
	s.edit(set,
		map[string]any{"op": "place", "args": map[string]any{"standIn": "slab", "name": "floor", "at": geom.V{Y: -0.2},
			"patch": map[string]any{"size": geom.V{X: 60, Y: 0.2, Z: 60}}}},
		map[string]any{"op": "place", "args": map[string]any{"standIn": "person", "name": "near man",
			"at": geom.V{X: 3.2, Z: 2.5}}},
		map[string]any{"op": "place", "args": map[string]any{"standIn": "person", "name": "far man",
			"at": geom.V{X: 1.5, Z: -9}}},
		map[string]any{"op": "place", "args": map[string]any{"standIn": "box", "name": "house",
			"at": geom.V{X: -9, Z: -24}, "patch": map[string]any{"size": geom.V{X: 8, Y: 6, Z: 6}}}},
		map[string]any{"op": "change set",
			"args": map[string]any{"patch": map[string]any{"view": map[string]any{"eye": geom.V{Y: 1.6, Z: 8}, "yaw": 0,
				"pitch": 0, "near": 0.1, "far": 20}}}})
	b.do(chromedp.Navigate(s.address + "/sets/" + set + "/frame"))
	b.until("document.documentElement.dataset.ready === 'yes' && Alpine.store('film').fr.bars.length === 4")
	return s, b, set
}

// An artist frames a shot: a lens from the row, the subject on a third, the range
// fitted, focus pulled between two things over a move; keeps it, changes it, goes
// back; prints its sheet; and looks at what is rendered.
func TestAShotIsFramedAsAnArtistDoes(t *testing.T) {
	s, b, set := street(t)
	far := placed(s.state(set), "far man").ID

	// The row shows this place through each lens; one is taken.
	b.press("lens")
	b.until("document.querySelectorAll('[data-lens-picture][data-drawn=yes]').length === 8")
	b.click("[data-lens='50']")
	s.await(set, "50 mm", func(st *query.State) bool { return st.Set.View.Focal == 50 })

	// The subject is named, asked for on the left third, and put there.
	b.press("compose")
	b.choose("Subject", "far man")
	s.await(set, "the subject", func(st *query.State) bool { return st.Set.View.Subject == far })
	b.press("left third")
	b.fill("Height of the subject in percent of the picture", "28")
	b.until("Alpine.store('film').composing.size === 0.28")
	b.press("Frame it")
	b.until("Math.abs((Alpine.store('film').fr.figures.subject?.left + Alpine.store('film').fr.figures.subject?.right) / 2 - " +
		"1/3) < 0.02")
	sub := eval[[]float64](b, "(f => [f.height, f.left, f.right])(Alpine.store('film').fr.figures.subject)")
	if math.Abs(sub[0]-0.28) > 0.02 {
		t.Errorf("it is %v high", sub[0])
	}
	b.until("document.querySelector('[data-cover]').textContent.includes('far man')")

	b.press("focus")
	b.press("the lens view shows the blur")
	b.until("Alpine.store('film').blur && Alpine.store('v').lens.drawn > 0")
	b.press("the lens view shows the blur")
	b.fill("f-number", "1.4")
	s.await(set, "the aperture", func(st *query.State) bool { return st.Set.View.FNumber == 1.4 })
	ev := s.state(set).Set.View.EV
	b.press("expose for the light")
	s.await(set, "the exposure", func(st *query.State) bool { return st.Set.View.EV != ev })

	// What the far plane cuts is hatched and counted; fitting cures it.
	b.until("document.querySelector('#strip [data-cuts]')?.textContent.includes('cut by the far plane') && " +
		"document.querySelector('#strip [data-cut=far] rect[fill^=url]')")
	b.press("lens")
	b.press("fit range")
	b.until("!document.querySelector('#strip [data-cuts]') && Alpine.store('film').fr.fit.cutFar === 0")
	st := s.state(set)
	if st.Set.View.Far < 33 || st.Set.View.Far > 70 {
		t.Errorf("the far plane is at %v", st.Set.View.Far)
	}

	// Hovering a bar marks the thing in the plan and in the lens view.
	b.until("Alpine.store('film').fr.revision === Alpine.store('v').st.revision")
	at := b.middle(fmt.Sprintf("#strip [data-bar=%q] rect", placed(st, "house").ID))
	b.do(chromedp.MouseEvent("mouseMoved", at[0], at[1]))
	b.until("Alpine.store('v').hover && document.querySelector('#plan [data-hover]') && document.querySelector('#lens " +
		"[data-hover]')")

	// A move: a dolly line, focus from the near man to the far man.
	b.press("move")
	b.choose("Rail", "dolly line")
	s.await(set, "the rail", func(st *query.State) bool { return st.Set.Move != nil && st.Set.Move.Rail != nil })
	b.fill("Length of the dolly line", "60 cm")
	b.fill("Rail takes, in seconds", "1")
	b.fill("Frames a second", "6")
	s.await(set, "the dolly", func(st *query.State) bool {
		m := st.Set.Move
		return m.Rate == 6 && m.Duration() == 1 && math.Abs(m.Rail.Points[1].Sub(m.Rail.Points[0]).Len()-0.6) < 1e-6
	})
	b.idle()
	b.choose("Mark focus on", "near man")
	s.await(set, "the first mark", func(st *query.State) bool { return len(st.Set.Move.Pulls) == 1 })
	b.until("Alpine.store('film').track?.revision === Alpine.store('v').st.revision")
	eval[bool](b, "(e => { e.value = 0.8333; e.dispatchEvent(new Event('input', { bubbles: true })); return true "+
		"})(document.querySelector('[aria-label=\"Time in the move\"]'))")
	b.until("Math.abs(Alpine.store('film').time - 0.8333) < 0.01")
	b.choose("Mark focus on", "far man")
	s.await(set, "the second mark",
		func(st *query.State) bool { return len(st.Set.Move.Pulls) == 2 && st.Set.Move.Pulls[1].At > 0.8 })
	b.until("Alpine.store('film').fr.revision === Alpine.store('v').st.revision && " +
		"document.querySelectorAll('[data-pull]').length === 2")
	// Scrubbed, the strip shows focus where it is then.
	focus := func(seconds float64) float64 {
		eval[bool](b, fmt.Sprintf("(Alpine.store('film').scrub(%v), true)", seconds))
		b.until(fmt.Sprintf("Math.abs(Alpine.store('film').fr.time - %v) < 0.01 && Alpine.store('film').fr.revision === "+
			"Alpine.store('v').st.revision", seconds))
		return eval[float64](b, "Number(document.querySelector('[data-handle=focus]').getAttribute('aria-valuenow'))")
	}
	first, mid, last := focus(0), focus(0.5), focus(0.8333)
	if !(first < mid && mid < last) {
		t.Errorf("focus goes %v, %v, %v m", first, mid, last)
	}
	b.until("document.querySelector('#plan [data-trace]')")

	// The move comes nearer to the near man: what its near plane cuts now is told, and
	// fitting goes over the whole move.
	b.until("document.querySelector('[aria-label=\"Snags of framing\"]').textContent.includes('the near plane at') && " +
		"Alpine.store('film').fr.fit.cutNear === 1")
	b.press("lens")
	b.press("fit range")
	b.until("Alpine.store('film').fr.fit.cutNear === 0")

	// It plays by key, in real time, and stops.
	b.click("#lens canvas")
	b.idle()
	b.keys("p")
	b.until("Alpine.store('film').playing && Alpine.store('film').time > 0.3")
	b.keys("p")
	b.until("!Alpine.store('film').playing")

	// Kept; changed, which is told and not written into it; gone back from.
	b.fill("Name of the new shot", "street")
	b.press("Keep as new")
	s.await(set, "the shot", func(st *query.State) bool { return len(st.Shots) == 1 && !st.Changed })
	b.press("lens")
	b.click("[data-lens='85']")
	st = s.await(set, "the change", func(st *query.State) bool { return st.Set.View.Focal == 85 && st.Changed })
	if st.Shots[0].View.Focal != 50 {
		t.Errorf("the kept shot has %v mm", st.Shots[0].View.Focal)
	}
	b.until("document.getElementById('shot-state').textContent === 'changed since kept' && " +
		"document.querySelector('[data-shot=street]').textContent.includes('changed')")
	b.press("Back to kept")
	s.await(set, "the way back", func(st *query.State) bool { return st.Set.View.Focal == 50 && !st.Changed })

	// Its sheet is a PDF with the marks of focus on it, read by another program.
	b.press("paper")
	b.until("document.querySelector('a[download=\"shot-sheet.pdf\"]')?.getAttribute('href').includes('shot=')")
	file := filepath.Join(t.TempDir(), "sheet.pdf")
	if err := os.WriteFile(file,
		s.get(eval[string](b, "document.querySelector('a[download=\"shot-sheet.pdf\"]').getAttribute('href')")),
		0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("pdftotext", "-layout", file, "-").CombinedOutput()
	for _, want := range []string{"street", "50 mm, 39.6° wide", "focus mark", "on far man", "plan 1 :"} {
		if err != nil || !strings.Contains(string(out), want) {
			t.Errorf("%q is not on the sheet: %v\n%s", want, err, out)
		}
	}
	if csv := string(s.get(eval[string](b, "[...document.querySelectorAll('a')].find(a => a.textContent === "+
		"'csv').getAttribute('href')"))); !strings.Contains(csv, "near man") || !strings.Contains(csv, "far man") {
		t.Errorf("the cut-outs:\n%s", csv)
	}

	// Rendered: at the start the near man is sharp, at the end the far one.
	b.step("shoot")
	b.fill("Picture width in pixels", "480")
	b.fill("Samples a pixel", "12")
	b.press("Render the move")
	s.every, s.patience = 200e6, 5*time.Minute // renders give way to all else that the machine does
	st = s.await(set, "the frames",
		func(st *query.State) bool { return len(st.Takes) == 1 && st.Takes[0].State == "done" })
	var r takes.Result
	if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil || len(r.Frames) != 6 {
		t.Fatalf("%d frames, %v", len(r.Frames), err)
	}
	data := s.get("/blobs/" + r.Zip + "?as=zip")
	if z, err := zip.NewReader(bytes.NewReader(data), int64(len(data))); err != nil || len(z.File) != 6 {
		t.Errorf("the zip: %v", err)
	}
	var pictures []image.Image
	for _, k := range []int{0, 3, 5} {
		m, err := png.Decode(bytes.NewReader(s.get("/blobs/" + r.Frames[k] + "?as=png")))
		if err != nil {
			t.Fatal(err)
		}
		pictures = append(pictures, m)
	}
	view, move := st.Set.View, st.Set.Move
	edge := func(k int, at geom.V) float64 { // the steepest step of brightness across the side of a figure
		v := move.At(view, []float64{0, 0.5, 5.0 / 6}[k], nil)
		x, y, _, _ := v.Project(at)
		m, best := pictures[k], 0.0
		for dx := -9; dx <= 9; dx++ {
			px, py := int(x*480)+dx, int(y*270)
			a, c := lightness(m, px, py), lightness(m, px+1, py)
			best = max(best, math.Abs(a-c))
		}
		return best
	}
	side := geom.V{X: 1.5 + 0.08, Y: 1.68, Z: -9} // of the head, against the sky
	if start, end := edge(0, side), edge(2, side); end < 1.3*start || end < 10 {
		t.Errorf("the far man's side is as sharp at the start (%.1f) as at the end (%.1f)", start, end)
	}
	if math.Abs(lightness(pictures[0], 240, 20)-lightness(pictures[2], 240, 20)) > 60 {
		t.Error("the sky changed over the move")
	}
}

func lightness(m image.Image, x, y int) float64 {
	r, g, b, _ := m.At(x, y).RGBA()
	return (0.2126*float64(r) + 0.7152*float64(g) + 0.0722*float64(b)) / 257
}

// three.js puts points on the same pixels as the core, through shifted, rolled and
// squeezed lenses.
func TestProjectionAgreesThroughEveryLens(t *testing.T) {
	s, b, set := street(t)
	for _, view := range []map[string]any{
		{"shiftX": 5, "shiftY": -4}, {"shiftX": 0, "shiftY": 9, "roll": 0.2, "pitch": 0.1}, {"shiftX": -3, "shiftY": 2,
			"squeeze": 2, "aspect": 2.39, "roll": -0.1, "yaw": 0.2},
	} {
		s.edit(set, map[string]any{"op": "change set", "args": map[string]any{"patch": map[string]any{"view": view}}})
		b.until(fmt.Sprintf("Alpine.store('v').st.revision === %d && Alpine.store('v').lens.viewNow.shiftX === %v",
			s.state(set).Revision, view["shiftX"]))
		v := s.state(set).Set.View
		for _, p := range []geom.V{{X: 0.3, Y: 1, Z: 0.5}, {X: -2, Z: -3}, {X: 1.2, Y: 1.75}, {X: 90, Y: 40, Z: -700}} {
			x, y, _, ok := v.Project(p)
			got := eval[[]float64](b, fmt.Sprintf("Alpine.store('v').lens.screen(%v, %v, %v)", p.X, p.Y, p.Z))
			if !ok || math.Abs(got[0]-x)*1280 > 0.5 || math.Abs(got[1]-y)*1280/v.Aspect > 0.5 {
				t.Errorf("%v: %v is at %v, %v in the core and %v in the lens view", view, p, x, y, got)
			}
		}
		// The same by three.js's own camera with a view offset, which knows no shift.
		w := v.Window()
		hx, hy := w.Half()
		mx, my := w.Mid()
		p := geom.V{X: -2, Y: 0.4, Z: -3}
		x, y, _, _ := v.Project(p)
		got := eval[[]float64](b, fmt.Sprintf("Alpine.store('v').lens.reference(%v, %v, %v, %v, [%v, %v, %v])", hx, hy,
			mx, my, p.X, p.Y, p.Z))
		if math.Abs(got[0]-x)*1280 > 0.5 || math.Abs(got[1]-y)*1280/v.Aspect > 0.5 {
			t.Errorf("%v: by a view offset %v, in the core %v, %v", view, got, x, y)
		}
	}
}

// A photograph is laid over the view, places in it are marked with the mouse and
// told where they are, and the camera that took it is found.
func TestACameraIsMatchedToAPicture(t *testing.T) {
	t.Parallel()
	s, b, set := street(t)
	truth := optics.Default()
	truth.Eye, truth.Focal, truth.Aspect = geom.V{X: 2.5, Y: 1.9, Z: 9}, 30, 1.5
	truth.AimAt(geom.V{X: -0.5, Y: 1, Z: -3})
	var buf bytes.Buffer
	if err := png.Encode(&buf, image.NewGray(image.Rect(0, 0, 600, 400))); err != nil {
		t.Fatal(err)
	}
	photo := filepath.Join(t.TempDir(), "photo.png")
	if err := os.WriteFile(photo, buf.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	b.press("match")
	b.do(chromedp.SetUploadFiles("#overlay-picture", []string{photo}))
	s.await(set, "the picture",
		func(st *query.State) bool { return st.Set.Match != nil && math.Abs(st.Set.View.Aspect-1.5) < 1e-9 })
	b.until("document.querySelector('#lens img')?.naturalWidth === 600 && " +
		"Math.abs(Alpine.store('v').lens.viewNow.aspect - 1.5) < 1e-9")
	known := []geom.V{{X: 3.2, Z: 2.5}, {X: 3.2, Y: 1.75, Z: 2.5}, {X: 1.5, Z: -9}, {X: 1.5, Y: 1.75, Z: -9},
		{X: -13, Z: -21}, {X: -5, Y: 6, Z: -21}}
	b.press("a known place")
	for i, p := range known {
		x, y, _, _ := truth.Project(p)
		at := eval[[2]float64](b,
			fmt.Sprintf("(l => { const r = l.canvas.getBoundingClientRect(), f = l.frame(); return "+
				"[r.left + f.x + %v * f.w, r.top + f.y + %v * f.h] })(Alpine.store('v').lens)", x, y))
		b.do(chromedp.MouseClickXY(at[0], at[1]))
		s.await(set, "the mark", func(st *query.State) bool { return len(st.Set.Match.Points) == i+1 })
		b.until(fmt.Sprintf("Alpine.store('film').match.points.length === %d", i+1))
		for axis, m := range map[string]float64{"x": p.X, "y": p.Y, "z": p.Z} {
			b.fill(fmt.Sprintf("Place %d, %s", i+1, axis), fmt.Sprintf("%v m", m))
			b.idle()
		}
		s.await(set, "its place", func(st *query.State) bool { return st.Set.Match.Points[i].At.Sub(p).Len() < 1e-9 })
	}
	b.press("Solve by places")
	st := s.await(set, "the camera",
		func(st *query.State) bool { return st.Set.Match.Pixels > 0 || len(st.Set.Match.Each) > 0 })
	// The mouse hits whole pixels of a frame about 780 wide.
	if st.Set.View.Eye.Sub(truth.Eye).Len() > 0.4 || math.Abs(st.Set.View.Focal-30) > 1.5 || st.Set.Match.Pixels > 2 {
		t.Errorf("found %v at %v mm, off by %v px", st.Set.View.Eye, st.Set.View.Focal, st.Set.Match.Pixels)
	}
	b.until("document.querySelector('[data-off]')?.textContent.includes('pixels')")
	b.press("z")
	a, z := b.middle("#lens canvas"), b.middle("#lens canvas")
	z[1] += 60
	b.drag(a, z)
	s.await(set, "a line",
		func(st *query.State) bool { return len(st.Set.Match.Lines) == 1 && st.Set.Match.Lines[0].Axis == "z" })
}

// Walking goes along the floor at eye height, and stops before a wall; focus is put
// on what is clicked; letterbox and guides are drawn.
func TestWalkingFocusingByClickAndGuides(t *testing.T) {
	t.Parallel()
	s, b, set := street(t)
	before := s.state(set).Set.View
	b.press("walk")
	for range 4 {
		b.keys(kb.ArrowUp)
	}
	b.keys(kb.ArrowLeft)
	st := s.await(set, "the walk",
		func(st *query.State) bool { return st.Set.View.Eye.Z < before.Eye.Z-0.9 && st.Set.View.Yaw > 0.01 })
	if math.Abs(st.Set.View.Eye.Y-1.6) > 0.05 {
		t.Errorf("walking, the eye is at %v m", st.Set.View.Eye.Y)
	}
	b.keys(kb.Escape)
	b.until("!Alpine.store('film').walking")
	s.edit(set, map[string]any{"op": "aim", "args": map[string]any{"id": placed(st, "far man").ID}})
	b.until(fmt.Sprintf("Alpine.store('v').st.revision === %d", s.state(set).Revision))
	b.press("focus")
	b.press("click it in the view")
	v := s.state(set).Set.View
	x, y, _, _ := v.Project(geom.V{X: 1.5, Y: 1, Z: -9})
	b.until("Alpine.store('v').lens.placed.size === 4")
	at := eval[[2]float64](b, fmt.Sprintf("(l => { const r = l.canvas.getBoundingClientRect(), f = l.frame(); return "+
		"[r.left + f.x + %v * f.w, r.top + f.y + %v * f.h] })(Alpine.store('v').lens)", x, y))
	b.do(chromedp.MouseClickXY(at[0], at[1]))
	far := placed(st, "far man").ID
	s.await(set, "the focus", func(st *query.State) bool { return st.Set.View.FocusOn == far })
	b.press("lens")
	b.fill("Letterbox, width for a height of 1", "2.39")
	s.await(set, "the mask", func(st *query.State) bool { return st.Set.View.Mask == 2.39 })
	b.until("document.querySelector('#lens [data-letterbox]')")
	b.fill("Focal length in millimetres", "0")
	b.until("document.querySelector('[aria-label=\"Focal length in millimetres\"]').classList.contains('bad') || " +
		"Alpine.store('v').message.includes('focal length must be 1 to 5000 mm')")
	if f := s.state(set).Set.View.Focal; f != 35 {
		t.Errorf("a focal length of 0 made it %v", f)
	}
}
