package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image/png"
	"strings"
	"testing"

	"visator/app/query"
	"visator/core/finish"
)

// held compares what the page draws of a take with what the server makes of it: the most that any value is apart, of 255,
// how many pixels there are, and how many of them are not black.
const held = `(async () => {
	const shoot = Alpine.store("shoot"), canvas = document.querySelector("[data-live]");
	const img = new Image();
	img.src = "/api/takes/" + shoot.shown.id + "/developed?finish=" +
		encodeURIComponent(JSON.stringify(Alpine.store("v").st.set.finish || {}));
	await img.decode();
	const c = Object.assign(document.createElement("canvas"), { width: img.naturalWidth, height: img.naturalHeight });
	const ink = c.getContext("2d");
	ink.drawImage(img, 0, 0);
	const a = ink.getImageData(0, 0, c.width, c.height).data;
	const b = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height).data;
	let most = 0, seen = 0;
	for (let i = 0; i < Math.max(a.length, b.length); i++) {
		most = Math.max(most, Math.abs(a[i] - b[i]) || (a[i] === b[i] ? 0 : 255));
		if (i % 4 === 1 && a[i] > 8) seen++;
	}
	window.heldNow = [most, a.length / 4, seen];
})()`

// The finish in the browser is that of the server, to one of 255, step by step and together; it follows a slider while
// that is held; before is seen beside after; it has scopes, is kept by name, given to shots, and written in encodings.
func TestTheFinishInTheBrowserIsTheServers(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := browser(t)
	set := b.production(s, "finished")
	st := s.state(set)
	eye := st.Set.View.Eye
	edit := func(op string, args any) {
		t.Helper()
		if code, out := s.post("/api/sets/"+set+"/edit", map[string]any{"revision": -1,
			"commands": []any{map[string]any{"op": op, "args": args}}}); code != 200 {
			t.Fatalf("%s: %d %s", op, code, out)
		}
	}
	for i, x := range []float64{-1, 0.3, 1.4} {
		edit("place", map[string]any{"standIn": "box", "at": map[string]any{"x": eye.X + x, "y": eye.Y - 1.5,
			"z": eye.Z - 4 - float64(i)}})
	}
	edit("keep shot", map[string]any{"name": "yard"})
	b.step("shoot")
	b.fill("Picture width in pixels", "160")
	b.fill("Samples a pixel", "12")
	b.click("[data-layers] summary")
	b.click("[data-layers] input[value=occlusion]")
	b.press("Render a still")
	s.await(set, "the take", func(st *query.State) bool { return len(st.Takes) == 1 && st.Takes[0].State == "done" })
	b.until("document.querySelector('[data-shown]')?.naturalWidth === 160")
	b.press("see the take so")
	b.until("Alpine.store('shoot').live")
	shown := func(chain string) {
		t.Helper()
		edit("change set", map[string]any{"patch": map[string]any{"finish": nil}})
		edit("change set", map[string]any{"patch": map[string]any{"finish": json.RawMessage(chain)}})
		b.until(fmt.Sprintf("(want => Object.entries(want).every(([k, step]) => Object.entries(step).every(([f, x]) => "+
			"JSON.parse(document.querySelector('[data-live]').dataset.steps)[k][f] === x)))(%s)", chain))
		b.until("JSON.stringify(Alpine.store('shoot').finishNow) === document.querySelector('[data-live]').dataset.steps")
		eval[bool](b, "window.heldNow = null; "+held+"; true")
		b.until("window.heldNow")
		got := eval[[3]float64](b, "window.heldNow")
		if got[0] > 1 || got[1] != 160*90 || got[2] < 2000 {
			t.Errorf("%s: %v of 255 apart, of %v pixels %v are seen", chain, got[0], got[1], got[2])
		}
	}
	for _, chain := range []string{`{}`, `{"occlusion": {"amount": 0.8}}`, `{"white": {"kelvin": 3200, "tint": 6}}`,
		`{"bloom": {"amount": 0.3, "wide": 0.15}}`, `{"distortion": {"bend": 0.2, "fringe": 4}}`,
		`{"falloff": {"amount": 1}}`, `{"grade": {"slopeR": 1.3, "offsetB": 0.02, "powerG": 0.8, "saturation": 1.5}}`,
		`{"hues": {"red": 0.4, "blue": -0.5, "moreGreen": 1, "moreBlue": -2}}`, `{"tone": {"by": "as a film print"}}`,
		`{"tone": {"by": "by its logarithm"}}`, `{"tone": {"by": "plain"}}`,
		`{"tone": {"by": "by an own curve", "minus4": 0.02, "grey": 0.55, "plus2": 0.8}}`,
		`{"curve": {"black": 0.1, "shadows": 0.15, "middle": 0.6, "white": 0.9}}`,
		`{"grain": {"amount": 0.4, "size": 2, "seed": 77}}`, `{"sharpen": {"amount": 1.5, "radius": 4}}`,
		`{"letterbox": {"on": true, "aspect": 2.4}}`,
		`{"white": {"kelvin": 8000}, "bloom": {"amount": 0.1}, "distortion": {"bend": -0.1, "fringe": -2},
			"falloff": {"amount": 0.5}, "grade": {"saturation": 0.7}, "tone": {"by": "by its logarithm"},
			"curve": {"middle": 0.45}, "grain": {"amount": 0.1}, "sharpen": {"amount": 0.5}}`} {
		shown(chain)
	}

	// While a slider is held the picture follows, and the set is as it was; let go, it is kept.
	slider := b.middle("[data-finish=grade] [aria-label='saturation'][type=range]")
	drawn := eval[float64](b, "Alpine.store('shoot').liveDrawn")
	b.mouse("mousePressed", slider[0], slider[1])
	b.mouse("mouseMoved", slider[0]+40, slider[1])
	b.until(fmt.Sprintf("Alpine.store('shoot').liveDrawn > %v && Alpine.store('shoot').trying", drawn))
	if was := string(s.state(set).Set.Finish["grade"]); !strings.Contains(was, "0.7") {
		t.Errorf("while it is held the set's grade is %s", was)
	}
	b.mouse("mouseReleased", slider[0]+40, slider[1])
	s.await(set, "the saturation",
		func(st *query.State) bool { return !strings.Contains(string(st.Set.Finish["grade"]), "0.7") })
	b.until("!Alpine.store('shoot').trying")

	// Before beside after.
	b.press("before beside after")
	b.until("Alpine.store('shoot').parted && document.querySelector('[data-live]').style.clipPath.includes('50%')")
	at := b.middle("[data-parted]")
	b.drag(at, [2]float64{at[0] - 150, at[1]})
	b.until("Alpine.store('shoot').besideAt < 45")

	// Scopes: of what is seen all is counted.
	b.press("scopes")
	b.until("document.querySelector('[data-scopes]')?.dataset.measured === '160 × 90'")
	b.until("[...document.querySelectorAll('[data-scope]')].every(c => " +
		"c.getContext('2d').getImageData(0, 0, c.width, c.height).data.some(x => x > 40))")

	// Kept by name, laid aside, put on again, and given to the shot.
	b.click("[data-kept-finishes] summary")
	b.fill("Name to keep the finish by", "old paper")
	b.press("keep it")
	b.until("Alpine.store('shoot').keptFinishes.length === 1")
	edit("change set", map[string]any{"patch": map[string]any{"finish": nil}})
	s.await(set, "no finish", func(st *query.State) bool { return len(st.Set.Finish) == 0 })
	b.click("[aria-label='Finish as old paper']")
	s.await(set, "the kept finish", func(st *query.State) bool { return len(st.Set.Finish) == 9 })
	b.choose("Shot that gets this finish", "yard")
	s.await(set, "the shot's finish", func(st *query.State) bool { return len(st.Shots[0].Finish) == 9 })

	// Written in every encoding that there is, as the page gives it.
	for _, e := range finish.Encodings() {
		b.choose("How the values of the picture are written", e)
		b.until(fmt.Sprintf("Alpine.store('shoot').encoding === '%s'", e))
		data := s.get(eval[string](b, "document.querySelector('[data-written] a').getAttribute('href')"))
		img, err := png.Decode(bytes.NewReader(data))
		if err != nil || img.Bounds().Dx() != 160 || !bytes.Contains(data[:64], []byte("cICP")) {
			t.Errorf("%s: %v", e, err)
		}
	}
}
