package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"visator/app/query"
	"visator/app/takes"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/demo"
)

// files writes two of the demo's downloads and a panorama to disk: a GLB, and
// a zip with OBJ, MTL and textures.
func files(t *testing.T) (glb, zipped, hdr string) {
	t.Helper()
	dir := t.TempDir()
	list, err := demo.Downloads()
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range list {
		if d.Name == "suitcase_brown.glb" || d.Name == "bench_slatted.zip" {
			if err := os.WriteFile(filepath.Join(dir, d.Name), d.Data, 0o600); err != nil {
				t.Fatal(err)
			}
		}
	}
	pix := make([]float32, 3*64*32)
	for i := range pix {
		pix[i] = 0.5
	}
	var buf bytes.Buffer
	if err := exchange.WriteHDR(&buf, pix, 64, 32); err != nil {
		t.Fatal(err)
	}
	hdr = filepath.Join(dir, "overcast.hdr")
	if err := os.WriteFile(hdr, buf.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	return filepath.Join(dir, "suitcase_brown.glb"), filepath.Join(dir, "bench_slatted.zip"), hdr
}

// The whole path of an artist's day: from two downloads to a still and a
// moving shot, with mouse and keyboard.
func TestTheWholePath(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := browser(t)
	glb, zipped, hdr := files(t)

	// A production of one's own.
	set := b.production(s, "Test halt")

	// Intake: both files at once.
	b.do(chromedp.SetUploadFiles("#files", []string{glb, zipped}))
	b.until("document.querySelectorAll('[data-arrival][data-state=done]').length === 2")
	st := s.state(set)
	if len(st.Pieces) != 2 {
		t.Fatalf("%d pieces", len(st.Pieces))
	}
	for _, p := range st.Pieces {
		if len(p.Facts.Textures) == 0 || p.Facts.Textures[0].Status == "missing" {
			t.Errorf("%s: maps %+v", p.Name, p.Facts.Textures)
		}
	}

	sizing(b, s, set)
	dressing(b, s, set)
	framing(b, s, set)

	// Light: typed, and a panorama.
	b.step("light")
	b.fill("Sun strength in lux", "32000")
	b.fill("Sun colour in kelvin", "4200")
	s.await(set, "the sun",
		func(st *query.State) bool { return st.Set.Light.Lux == 32000 && st.Set.Light.Kelvin == 4200 })
	// What was changed goes back to what it begins with by one click, and that is undone too.
	b.click("[aria-label='Sun colour in kelvin: back to 5400 K']")
	s.await(set, "daylight", func(st *query.State) bool { return st.Set.Light.Kelvin == 5400 })
	b.press("Undo")
	s.await(set, "its colour again", func(st *query.State) bool { return st.Set.Light.Kelvin == 4200 })
	b.do(chromedp.SetUploadFiles("#hdr", []string{hdr}))
	s.await(set, "the panorama", func(st *query.State) bool { return st.Set.Light.Sky == "panorama" })
	b.fill("Exposure value", "13.5")
	s.await(set, "the exposure", func(st *query.State) bool { return st.Set.View.EV == 13.5 })

	shooting(b, s, set)
}

func piece(st *query.State, name string) *query.PieceState {
	for i := range st.Pieces {
		if strings.Contains(st.Pieces[i].Name, name) {
			return &st.Pieces[i]
		}
	}
	return nil
}

func sizing(b *tab, s *site, set string) {
	b.Helper()
	b.step("size")
	id := piece(s.state(set), "suitcase").ID
	b.click(fmt.Sprintf("[data-piece=%s] rect", id))
	b.until("document.querySelector('[data-sized]').dataset.sized.includes('suitcase')")
	// The wrong unit makes it a hundred times smaller, one true dimension mends it.
	b.click("[data-units] summary")
	b.click("[aria-label='Unit of the file'] button:nth-of-type(2)")
	s.await(set, "centimetres",
		func(st *query.State) bool { return math.Abs(piece(st, "suitcase").Size.X-0.0062) < 0.0005 })
	b.fill("True width", `2' 1"`)
	s.await(set, "the true width",
		func(st *query.State) bool { return math.Abs(piece(st, "suitcase").Size.X-0.635) < 1e-9 })
	b.until("document.querySelector('[data-size=width]').value.includes('0.635 m')")
	b.fill("True width", "wide")
	b.until("document.querySelector('[role=alert]')?.textContent.includes('is not a length')")
	// Up axis there and back.
	b.click("[aria-label='Up axis of the file'] button:nth-of-type(2)")
	s.await(set, "Z up", func(st *query.State) bool { return piece(st, "suitcase").Sizing.Up == "Z" })
	b.press("Undo")
	s.await(set, "Y up again", func(st *query.State) bool { return piece(st, "suitcase").Sizing.Up == "Y" })
}

// footprint is the middle of a placement on the plan, in pixels of the page.
func footprint(b *tab, id string) [2]float64 {
	b.Helper()
	return b.middle(fmt.Sprintf("#plan [data-id=%q]", id))
}

func dressing(b *tab, s *site, set string) {
	b.Helper()
	b.step("dress")
	b.press("person, 1.75 m")
	st := s.await(set, "the person", func(st *query.State) bool { return len(st.Placements) == 1 })
	person := st.Placements[0].ID
	if st.Placements[0].Dims.Y != 1.75 {
		b.Errorf("the person is %v m high", st.Placements[0].Dims.Y)
	}
	b.until("document.querySelector('[data-spec=person]')")
	drawn := eval[float64](b, "Number(document.getElementById('lens').dataset.drawn || 0)")

	// Drag it on the plan: it moves by what the scale says, and the lens view
	// is drawn again; a second tab sees it too.
	second := browser(b.TB)
	second.do(chromedp.Navigate(s.address + "/sets/" + set + "/dress"))
	second.until("document.documentElement.dataset.ready === 'yes'")
	px := eval[float64](b, "Alpine.store('v').plan.px")
	at := footprint(b, person)
	from := st.Placements[0].At
	b.drag(at, [2]float64{at[0] + 80, at[1] - 40})
	st = s.await(set, "the move", func(st *query.State) bool { return st.Undo == "move person" })
	moved := st.Placements[0].At
	grid := eval[float64](b, "Alpine.store('v').plan.step()") // it snaps to this
	if math.Abs(moved.X-from.X-80/px) > grid || math.Abs(moved.Z-from.Z+40/px) > grid {
		b.Errorf("moved from %v to %v, want by about %v, %v", from, moved, 80/px, -40/px)
	}
	b.until(fmt.Sprintf("Number(document.getElementById('lens').dataset.drawn) > %v", drawn))
	second.until(fmt.Sprintf("Math.abs(Alpine.store('v').st.placements[0].at.x - %v) < 1e-9", moved.X))
	second.do(chromedp.Navigate("about:blank")) // it would be drawn at every step

	// By number, in any unit, and by key.
	b.fill("Place along X", "1m + 20cm")
	b.fill("Height above ground", "1/2 ft")
	b.fill("Turn in degrees", "30")
	s.await(set, "the typed place", func(st *query.State) bool {
		p := st.Placements[0]
		return math.Abs(p.At.X-1.2) < 1e-9 && math.Abs(p.At.Y-0.1524) < 1e-9 && math.Abs(p.Yaw-math.Pi/6) < 1e-9
	})
	b.press("Put down")
	s.await(set, "the ground", func(st *query.State) bool { return math.Abs(st.Placements[0].At.Y) < 1e-9 })
	b.do(chromedp.KeyEvent("]"))
	s.await(set, "the turn by key",
		func(st *query.State) bool { return math.Abs(st.Placements[0].Yaw-math.Pi/12) < 1e-9 })
	b.do(chromedp.KeyEvent("c"))
	s.await(set, "the copy", func(st *query.State) bool { return len(st.Placements) == 2 })
	b.until("document.querySelector('[data-spec=\"person 2\"]')")
	b.fill("Name", "guard")
	s.await(set, "the name", func(st *query.State) bool { return st.Placements[1].Name == "guard" })
	b.press("Lock")
	s.await(set, "the lock", func(st *query.State) bool { return st.Placements[1].Locked })
	b.until("document.querySelector('[aria-label=\"Place along X\"]').disabled")
	b.press("Unlock")
	s.await(set, "the key", func(st *query.State) bool { return !st.Placements[1].Locked })
	b.press("Hide")
	s.await(set, "the hiding", func(st *query.State) bool { return st.Placements[1].Hidden })
	b.press("Delete")
	s.await(set, "the deletion", func(st *query.State) bool { return len(st.Placements) == 1 })
	b.do(chromedp.KeyEvent(","))
	s.await(set, "the undo", func(st *query.State) bool { return len(st.Placements) == 2 && st.Placements[1].Hidden })
	b.do(chromedp.KeyEvent("."))
	s.await(set, "the redo", func(st *query.State) bool { return len(st.Placements) == 1 })

	// Pieces out of the library.
	for i, name := range []string{"suitcase", "bench"} {
		at := b.middle(fmt.Sprintf("[...document.querySelectorAll('[draggable=true]')].find(e => e.textContent.includes(%q))", name))
		b.do(chromedp.MouseClickXY(at[0], at[1]))
		s.await(set, name, func(st *query.State) bool { return len(st.Placements) == 2+i })
	}
	b.until("Alpine.store('v').lens.placed.size === 3")
}

func framing(b *tab, s *site, set string) {
	b.Helper()
	b.step("frame")
	b.fill("Focal length in millimetres", "50")
	b.fill("Eye height", "1.6 m")
	b.fill("Far plane", "35'")
	b.press("focus")
	b.fill("f-number", "2.8")
	b.fill("Focus distance", "7.5")
	st := s.await(set, "the lens", func(st *query.State) bool {
		v := st.Set.View
		return v.Focal == 50 && v.FNumber == 2.8 && v.Focus == 7.5 && math.Abs(v.Far-10.668) < 1e-9
	})
	if st.Lens.SharpFar == nil || *st.Lens.SharpFar > 12 || math.Abs(st.Lens.Horizontal-39.6) > 0.01 {
		b.Errorf("lens %+v", st.Lens)
	}
	// A handle of the depth strip moves by key.
	b.click("[data-handle=near] text")
	b.do(chromedp.KeyEvent("\uE00F")) // nothing happens on a key that means nothing
	near := s.state(set).Set.View.Near
	eval[bool](b, "(document.querySelector('[data-handle=near]').focus(), true)")
	b.do(chromedp.KeyEvent("\u0303"))
	b.press("lens")
	b.press("fit range")
	s.await(set, "the fitted range", func(st *query.State) bool { return st.Set.View.Near != near })
	b.until("Alpine.store('film').fr.view.far === Alpine.store('v').st.set.view.far && " +
		"!Alpine.store('film').fr.bars.some((x) => x.cut)")
	b.until("document.querySelector('#plan [data-wedge]') && document.querySelector('#plan [data-far]')")

	// Keep it, change the view, go back with one click.
	b.fill("Name of the new shot", "close")
	b.press("Keep as new")
	s.await(set, "the shot", func(st *query.State) bool { return len(st.Shots) == 1 && st.Set.Shot == st.Shots[0].ID })
	b.press("85")
	st = s.await(set, "the longer lens", func(st *query.State) bool { return st.Set.View.Focal == 85 })
	if !st.Changed || st.Shots[0].View.Focal != 50 {
		b.Errorf("the kept shot has %v mm; changed: %v", st.Shots[0].View.Focal, st.Changed)
	}
	b.until("document.getElementById('shot-state').textContent === 'changed since kept'")
	b.click("[data-shot=close]")
	s.await(set, "the way back", func(st *query.State) bool { return st.Set.View.Focal == 50 && !st.Changed })

	projection(b, s, set)
}

// A point of the set falls on the same pixel in the lens view as in the
// renderer, to within half a pixel of a picture 1280 wide.
func projection(b *tab, s *site, set string) {
	b.Helper()
	view := s.state(set).Set.View
	b.until(fmt.Sprintf("Math.abs(Alpine.store('v').lens.viewNow.focal - %v) < 1e-9", view.Focal))
	for _, p := range []geom.V{{X: 0.3, Y: 1, Z: 0.5}, {X: -2, Y: 0, Z: -3}, {X: 1.2, Y: 1.75},
		{X: 90, Y: 40, Z: -700}} {
		x, y, _, ok := view.Project(p)
		got := eval[[]float64](b, fmt.Sprintf("Alpine.store('v').lens.screen(%v, %v, %v)", p.X, p.Y, p.Z))
		if !ok || math.Abs(got[0]-x)*1280 > 0.5 || math.Abs(got[1]-y)*720 > 0.5 {
			b.Errorf("%v is at %v, %v in the renderer and %v in the lens view", p, x, y, got)
		}
	}
}

func shooting(b *tab, s *site, set string) {
	b.Helper()
	// A move: from the kept view to one a step to the side.
	b.step("frame")
	b.press("move")
	b.press("End a move at this view")
	s.await(set, "the move", func(st *query.State) bool { return st.Set.Move != nil })
	b.fill("Duration in seconds", "0.5")
	b.fill("Frames a second", "8")
	b.press("lens")
	b.fill("Aim to the side in degrees", "4")
	s.await(set, "its length", func(st *query.State) bool {
		return st.Set.Move.Duration() == 0.5 && st.Set.Move.Rate == 8 && math.Abs(st.Set.View.Yaw-4*math.Pi/180) < 1e-9
	})
	b.press("Keep")
	s.await(set, "the kept move", func(st *query.State) bool { return !st.Changed && st.Shots[0].Move != nil })

	b.step("shoot")
	b.fill("Picture width in pixels", "96")
	b.fill("Samples a pixel", "4")
	// The finish is of the shot; back is where it began.
	b.fill("edge darkening", "30")
	s.await(set, "the finish",
		func(st *query.State) bool { return strings.Contains(string(st.Set.Finish["falloff"]), "0.3") })
	b.click("[aria-label='edge darkening: back to 0 %']")
	s.await(set, "no finish",
		func(st *query.State) bool { return strings.Contains(string(st.Set.Finish["falloff"]), ":0}") })
	b.press("Undo")
	s.await(set, "the finish again",
		func(st *query.State) bool { return strings.Contains(string(st.Set.Finish["falloff"]), "0.3") })
	b.press("Render a still")
	st := s.await(set, "the still",
		func(st *query.State) bool { return len(st.Takes) == 1 && st.Takes[0].State == "done" })
	b.until("document.querySelector('[data-take=still][data-state=done]') && " +
		"document.querySelector('section[aria-label=Picture] img')?.naturalWidth === 96")
	var r takes.Result
	if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil {
		b.Fatal(err)
	}
	// The still is finished again, without its being rendered again: white by a click, seen first, then kept.
	b.press("white by a click")
	b.click("[data-shown]")
	s.await(set, "white", func(st *query.State) bool { return strings.Contains(string(st.Set.Finish["white"]), "kelvin") })
	b.until("Alpine.store('shoot').live")
	// Back to what it was shot with: what it had not is not there any more.
	b.press("back to its view")
	s.await(set, "as it was shot", func(st *query.State) bool {
		return len(st.Set.Finish["white"]) == 0 && strings.Contains(string(st.Set.Finish["falloff"]), "0.3")
	})
	b.press("Undo")
	s.await(set, "white again", func(st *query.State) bool { return len(st.Set.Finish["white"]) > 0 })
	b.press("finish the take so")
	var again takes.Result
	s.await(set, "the still finished again", func(st *query.State) bool {
		return json.Unmarshal(st.Takes[0].Result, &again) == nil && again.PNG != r.PNG
	})
	if again.EXR != r.EXR {
		b.Error("it was rendered again")
	}
	b.until("document.querySelector('[data-shown]')?.src.includes('" + again.PNG + "')")
	b.press("Undo") // the balance, for what follows
	s.await(set, "no balance", func(st *query.State) bool { return len(st.Set.Finish["white"]) == 0 })
	// The links that the page shows give the files.
	links := eval[[]string](b, "[...document.querySelectorAll('[data-take=still] a')].map(a => a.getAttribute('href'))")
	if len(links) != 2 {
		b.Fatalf("links %v", links)
	}
	img, err := png.Decode(bytes.NewReader(s.get(links[0])))
	if err != nil || img.Bounds().Dx() != 96 || img.Bounds().Dy() != 54 {
		b.Fatalf("the PNG: %v", err)
	}
	exr := filepath.Join(b.TempDir(), "a.exr")
	if err := os.WriteFile(exr, s.get(links[1]), 0o600); err != nil {
		b.Fatal(err)
	}
	if out, err := exec.Command("exrheader", exr).CombinedOutput(); err != nil || !strings.Contains(string(out),
		"(0 0) - (95 53)") {
		b.Errorf("the EXR: %v: %s", err, out)
	}

	b.press("Render the move")
	s.await(set, "the moving shot",
		func(st *query.State) bool { return st.Takes[0].Kind == "move" && st.Takes[0].State == "done" })
	b.until("document.querySelectorAll('[data-take=move][data-state=done] a').length === 2")
	links = eval[[]string](b, "[...document.querySelectorAll('[data-take=move] a')].map(a => a.getAttribute('href'))")
	data := s.get(links[0])
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil || len(z.File) != 4 {
		b.Fatalf("the zip: %v", err)
	}
	mp4 := filepath.Join(b.TempDir(), "a.mp4")
	if err := os.WriteFile(mp4, s.get(links[1]), 0o600); err != nil {
		b.Fatal(err)
	}
	out, err := exec.Command("ffprobe", "-v", "error", "-count_frames", "-select_streams", "v", "-show_entries",
		"stream=width,height,r_frame_rate,nb_read_frames", "-of", "csv=p=0", mp4).CombinedOutput()
	if err != nil || strings.TrimSpace(string(out)) != "96,54,8/1,4" {
		b.Errorf("ffprobe: %v: %s", err, out)
	}
}
