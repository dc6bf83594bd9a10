package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"

	"visator/app/query"
	"visator/app/takes"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/openexr"
)

// hills writes a panorama: a pale sky over dark ground, and a red hill ahead.
func hills(t *testing.T) string {
	t.Helper()
	const w, h = 256, 128
	pix := make([]float32, 0, 3*w*h)
	for y := range h {
		for x := range w {
			switch {
			case y > h/2:
				pix = append(pix, 0.1, 0.1, 0.1)
			case y > h*2/5 && x > w/2-12 && x < w/2+12:
				pix = append(pix, 2, 0.1, 0.1)
			default:
				pix = append(pix, 0.8, 0.9, 1)
			}
		}
	}
	var b bytes.Buffer
	if err := exchange.WriteEXR(&b, w, h, exchange.RGB("", pix)); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "hills.exr")
	if err := os.WriteFile(path, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// An artist takes a lamp from the shelf and hangs it where it is clicked in the lens view, keeps it on the shelf, lights
// the set by a panorama and turns it by hand, sees another colour behind, lets it snow, and finds all of it in the true
// view.
func TestLampsAndSkiesAreTakenFromTheShelf(t *testing.T) {
	t.Parallel()
	s, b := newSite(t), browser(t)
	set := b.production(s, "shelf")
	s.edit(set,
		map[string]any{"op": "place", "args": map[string]any{"standIn": "slab", "name": "floor", "at": geom.V{Y: -0.2},
			"patch": map[string]any{"size": geom.V{X: 28, Y: 0.2, Z: 28}}}},
		map[string]any{"op": "change set", "args": map[string]any{"patch": map[string]any{"view": map[string]any{
			"eye": geom.V{Y: 1.6, Z: 4}, "yaw": 0, "pitch": 0, "ev": 10, "near": 0.05, "far": 50},
			"light": map[string]any{"sunOn": false}}}})
	b.step("light")
	b.whole()
	b.press("Shelf of lamps")
	b.until("document.querySelectorAll('[data-shelf] li').length >= 11 && " +
		"[...document.querySelectorAll('[data-shelf] img')].some((i) => i.naturalWidth === 96)")
	b.click(`[aria-label^="Hang: globe"]`)
	at := b.seen(1, 0, -1)
	b.do(chromedp.MouseClickXY(at[0], at[1]))
	st := s.await(set, "a lamp", func(st *query.State) bool { return lamp(st) != nil })
	spec := light.DefaultLamp()
	read(t, lamp(st).Spec, &spec)
	if lamp(st).Name != "globe" || spec.Radius != 0.15 || math.Abs(spec.At.X-1) > 0.1 || math.Abs(spec.At.Z+1) > 0.2 ||
		math.Abs(spec.At.Y-2.2) > 0.05 {
		t.Errorf("%s hangs as %+v", lamp(st).Name, spec)
	}
	b.press("Put on the shelf")
	b.until("document.querySelector('[aria-label^=\"Take globe from the shelf\"]')")

	b.do(chromedp.SetUploadFiles("#hdr", []string{hills(t)}))
	s.await(set, "the panorama", func(st *query.State) bool { return st.Set.Light.Sky == "panorama" })
	b.press("Shelf of panoramas")
	b.until("document.querySelector('[data-skies]').innerText.includes('it lights the set')")
	// Turned by the hand: what is dragged to the right lies to the right.
	b.press("Turn it in the lens view")
	b.drag(b.seen(0, 2.5, -8), b.seen(3, 2.5, -8))
	st = s.await(set, "the sky turned", func(st *query.State) bool { return st.Set.Light.Turn != 0 })
	if want := -math.Atan2(3, 12); math.Abs(st.Set.Light.Turn-want) > 0.12 {
		t.Errorf("it is turned by %v, want about %v", st.Set.Light.Turn, want)
	}
	b.press("Turn it in the lens view")
	b.press("a colour")
	s.await(set, "a colour behind", func(st *query.State) bool { return st.Set.Light.Behind.Behind == "colour" })
	b.choose("falls", "snow")
	s.await(set, "snow", func(st *query.State) bool { return st.Set.Light.Falls == "snow" })
	b.fill("Wind in metres a second", "5")
	s.await(set, "wind", func(st *query.State) bool { return st.Set.Light.Wind == 5 })
	b.do(screen(900, 560)) // paths through snow take their time on a machine that does other work
	b.keys("t")
	b.choose("Noise at which the true view is clean enough", "40 % noise")
	b.until("Alpine.store('film').trueShown && Alpine.store('film').trueNow?.samples > 0")
	b.do(screen(1280, 800))
	for range 4 { // each of them can be taken back
		b.keys(",")
	}
	s.await(set, "all taken back", func(st *query.State) bool {
		return st.Set.Light.Turn == 0 && st.Set.Light.Wind == 0 && st.Set.Light.Behind.Behind != "colour"
	})
}

// lensFields are the means of luminance of the lens view over the nine fields of the frame, from the upper left, cd/m².
const lensFields = `(() => { const L = Alpine.store("v").lens, w = 180, h = Math.round(w / L.viewNow.aspect),
	t = L.smalls.light; L.through(L.window, L.viewNow); t.setSize(w, h); L.renderer.setRenderTarget(t);
	L.renderer.render(L.scene, L.camera); const b = new Uint16Array(4 * w * h);
	L.renderer.readRenderTargetPixels(t, 0, 0, w, h, b); L.renderer.setRenderTarget(null); L.invalidate();
	const half = (x) => { const e = (x >> 10) & 31, m = x & 1023;
		return e === 0 ? m * 2 ** -24 : 2 ** (e - 15) * (1 + m / 1024); };
	const sum = Array(9).fill(0), n = Array(9).fill(0);
	for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) {
		const k = Math.floor((h - 1 - y) * 3 / h) * 3 + Math.floor(x * 3 / w), i = 4 * (y * w + x);
		sum[k] += 0.2126 * half(b[i]) + 0.7152 * half(b[i + 1]) + 0.0722 * half(b[i + 2]); n[k]++; }
	return sum.map((v, k) => v / n[k]); })()`

// With all of its light the lens view is as bright as the render in each of the nine fields of the frame, to half a
// stop: a court in the sun with a roof that shades it, walls that throw light back, and a lamp beneath the roof.
func TestTheLensViewIsAsBrightAsTheRender(t *testing.T) {
	s, b := newSite(t), browser(t)
	set := b.production(s, "court")
	place := func(name string, at, size geom.V) map[string]any {
		return map[string]any{"op": "place", "args": map[string]any{"standIn": "box", "name": name, "at": at,
			"patch": map[string]any{"size": size}}}
	}
	bulb := light.DefaultLamp()
	bulb.At, bulb.Output, bulb.Radius, bulb.Seen = geom.V{X: -2.5, Y: 2.2, Z: -1}, 40_000, 0.05, false
	s.edit(set, place("ground", geom.V{Y: -0.5}, geom.V{X: 40, Y: 0.5, Z: 40}),
		place("wall", geom.V{Z: -5}, geom.V{X: 12, Y: 4, Z: 0.4}), place("side", geom.V{X: -5, Z: -1},
			geom.V{X: 0.4, Y: 4, Z: 9}), place("roof", geom.V{X: -2.5, Y: 3, Z: -2.5}, geom.V{X: 5, Y: 0.3, Z: 5}),
		place("block", geom.V{X: 2, Z: -2}, geom.V{X: 1.2, Y: 1.6, Z: 1.2}),
		map[string]any{"op": "add element", "args": map[string]any{"kind": "lamp", "name": "bulb", "spec": bulb}},
		map[string]any{"op": "change set", "args": map[string]any{"patch": map[string]any{"view": map[string]any{
			"eye": geom.V{X: 1, Y: 1.7, Z: 7}, "yaw": 0.1, "pitch": -0.08, "ev": 13, "near": 0.05, "far": 100},
			"light": map[string]any{"azimuth": 2.2, "elevation": 0.8, "lux": 60000}}}})
	b.step("light")
	b.whole()
	b.until("document.querySelector('[data-ambient-said]').innerText.includes('left out')")
	b.press("shadows and bounced light")
	b.until("document.querySelector('[data-ambient=fine]')")
	b.whole()
	lens := eval[[]float64](b, lensFields)

	tk := s.take(t, set, takes.Settings{Width: 180, Samples: 64, Bounces: 4, Seed: 1})
	e, err := openexr.Open(bytes.NewReader(tk))
	if err != nil {
		t.Fatal(err)
	}
	var sum, n [9]float64
	if err := e.Rows([]string{"R", "G", "B"}, func(x, y int, v [][]float32) {
		for i := range v[0] {
			k := y*3/e.Height*3 + (x+i)*3/e.Width
			sum[k] += 0.2126*float64(v[0][i]) + 0.7152*float64(v[1][i]) + 0.0722*float64(v[2][i])
			n[k]++
		}
	}); err != nil {
		t.Fatal(err)
	}
	said := ""
	for k := range sum {
		off := math.Log2(lens[k] / (sum[k] / n[k]))
		said += fmt.Sprintf("%+.2f ", off)
		if !(math.Abs(off) < 0.5) {
			t.Errorf("field %d: the lens view has %.0f cd/m², the render %.0f", k, lens[k], sum[k]/n[k])
		}
	}
	t.Logf("stops by which the lens view is brighter: %s", said)
}

// take renders a still of a set and gives its OpenEXR.
func (s *site) take(t testing.TB, set string, settings takes.Settings) []byte {
	t.Helper()
	s.post("/api/sets/"+set+"/takes", map[string]any{"shot": "", "kind": "still", "settings": settings})
	st := s.await(set, "a take", func(st *query.State) bool {
		return len(st.Takes) > 0 && (st.Takes[0].State == "done" || st.Takes[0].State == "failed")
	})
	var r takes.Result
	read(t, st.Takes[0].Result, &r)
	return s.get("/blobs/" + r.EXR + "?as=exr")
}

// read reads JSON.
func read(t testing.TB, raw []byte, into any) {
	t.Helper()
	if err := json.Unmarshal(raw, into); err != nil {
		t.Fatal(err)
	}
}
