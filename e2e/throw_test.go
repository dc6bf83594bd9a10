package e2e

import (
	"encoding/json"
	"image/color"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"

	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/lay/keep"
	"visator/core/surface"
)

// An artist takes the material of a piece in the library and puts it on another thing, throws its picture onto that as
// the camera sees it, gives it relief and round edges, lets wear count about one of two things and by a picture, keeps
// the piece as it is seen by itself as its picture, and hangs a board beside the lens view, with names and in an order.
func TestPicturesAreThrownAndPiecesKept(t *testing.T) {
	t.Parallel()
	s, b := newSite(t), browser(t)
	set, _, _ := twoWalls(t, s, b)
	// In the library.
	b.step("intake")
	b.click("[data-piece-of^=boards]")
	b.until("document.querySelector('[data-piece-detail]')")
	b.press("Maps")
	b.click(`[aria-label="Take the material of boards in hand"]`)
	b.until("Alpine.store('surface').held?.name === 'boards of boards'")
	b.step("surface")
	b.whole()
	click := func(x, y, z float64) {
		t.Helper()
		at := b.seen(x, y, z)
		b.do(chromedp.MouseClickXY(at[0], at[1]))
	}
	click(1.2, 1, 0)
	made := func(what string, is func(w *surface.Worn) bool) {
		t.Helper()
		s.await(set, what, anyMade(func(_ string, w *surface.Worn) bool { return is(w) }))
	}
	made("the boards", func(w *surface.Worn) bool { return w.Maps["base"].Blob != "" && math.Abs(w.Tile-0.5) < 1e-3 })
	b.press("put back")
	b.until("document.querySelector('[data-surfaces]')?.innerText.includes('plain')")

	// Thrown from the camera.
	b.press("pictures")
	b.press("throw from this view")
	made("it thrown", func(w *surface.Worn) bool {
		return w.Lay == surface.AsThrown && w.Thrown.From.Sub(geom.V{Y: 1, Z: 5}).Len() < 1e-9 && w.Thrown.Wide > 0.1
	})
	b.until("Alpine.store('surface').worn?.spec.thrown")
	b.fill("edges look rounded by", "20 mm")
	made("round edges", func(w *surface.Worn) bool { return math.Abs(w.Bevel-0.02) < 1e-9 })
	b.fill("relief, black to white", "50 mm")
	made("relief", func(w *surface.Worn) bool { return math.Abs(w.Relief-0.05) < 1e-9 })
	settings := takes.Settings{Width: 96, Samples: 16, Bounces: 2, Seed: 1}
	if r, g, _ := brightness(t, s.take(t, set, settings)); r < 2.5*g {
		t.Errorf("with the picture thrown on it the wall is %v red, %v green", r, g)
	}

	// By itself, as it is to be seen in the library.
	was := s.state(set).Pieces[0].Picture + s.state(set).Pieces[1].Picture
	b.press("by itself")
	b.until("document.querySelector('[data-alone] img')?.naturalWidth === 352")
	b.press("keep as its picture in the library")
	s.await(set, "its picture", func(st *query.State) bool {
		now := st.Pieces[0].Picture + st.Pieces[1].Picture
		return now != was && len(now) == len(was)
	})

	// Wear about one thing, by a picture.
	b.press("add wear")
	b.press("in the area of what is selected")
	wear := func(what string, is func(w *surface.Wear) bool) {
		t.Helper()
		s.await(set, what, func(st *query.State) bool {
			e := elementOf(st, "wear")
			if e == nil {
				return false
			}
			var w keep.Wear
			return json.Unmarshal(e.Spec, &w) == nil && is(&w.Wear)
		})
	}
	wear("an area about the wall", func(w *surface.Wear) bool {
		return math.Abs(w.AreaX-1.2) < 0.01 && math.Abs(w.AreaWide-2) < 0.01 && math.Abs(w.AreaDeep-0.2) < 0.01
	})
	pic := filepath.Join(t.TempDir(), "worn.png")
	if err := os.WriteFile(pic, onlyOf(t, color.NRGBA{255, 255, 255, 255}), 0o600); err != nil {
		t.Fatal(err)
	}
	b.do(chromedp.SetUploadFiles(`[aria-label="Picture of wear over its area"]`, []string{pic}))
	wear("its picture", func(w *surface.Wear) bool { return w.Map.Name == "worn.png" && len(w.Map.Blob) == 64 })
	b.press("without worn.png")
	wear("no picture", func(w *surface.Wear) bool { return w.Map.Blob == "" && w.AreaWide > 1 })

	// The board.
	var files []string
	for name, c := range map[string]color.NRGBA{"sea.png": {40, 80, 140, 255}, "sand.png": {210, 190, 150, 255}} {
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, onlyOf(t, c), 0o600); err != nil {
			t.Fatal(err)
		}
		files = append(files, path)
	}
	b.dropFiles("[data-board]", files...)
	board := func(what string, is func(x *keep.Board) bool) (x keep.Board) {
		t.Helper()
		s.await(set, what, func(st *query.State) bool {
			e := elementOf(st, "board")
			if e == nil {
				return false
			}
			x = keep.Board{}
			return json.Unmarshal(e.Spec, &x) == nil && is(&x)
		})
		return x
	}
	first := board("two pictures", func(x *keep.Board) bool { return len(x.Pictures) == 2 }).Pictures[0]
	b.until("document.querySelectorAll('[data-board] img').length === 2")
	b.click(`[aria-label="Hang ` + first.Name + ` behind the next one"]`)
	board("the other order", func(x *keep.Board) bool { return x.Pictures[1].Blob == first.Blob })
	b.until(`document.querySelectorAll('[data-board] li input')[1]?.ariaLabel === "Name of the picture ` + first.Name + `"`)
	b.fill("Name of the picture "+first.Name, "the mood")
	board("its name", func(x *keep.Board) bool { return x.Pictures[1].Name == "the mood" && len(x.Palette) == 2 })
	b.press("beside the lens view")
	b.until("document.querySelectorAll('[data-board-beside] img').length === 2")
	b.step("light")
	b.until("document.querySelectorAll('[data-board-beside] img').length === 2")
	b.click(`[aria-label="See the mood large"]`)
	b.until("document.querySelector('[aria-label=\"See it small again\"] img')?.naturalWidth > 0")
	b.click(`[aria-label="See it small again"]`)
	b.until("!document.querySelector('[aria-label=\"See it small again\"]')")
	b.press("put the board away")
	b.until("!document.querySelector('[data-board-beside]')")
}
