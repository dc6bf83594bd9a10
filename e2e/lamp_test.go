package e2e

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"visator/app/query"
	"visator/core/geom"
	"visator/core/lay"
)

// An artist lights a floor in the dark: a lamp is hung by a click on the plan, dimmed, turned into a cone and aimed
// by its handle; its light on the floor is drawn; the true view shows each, and gives way to the hand.
func TestAFloorInTheDarkIsLitByLamps(t *testing.T) {
	t.Parallel()
	s, b := newSite(t), browser(t)
	set := b.production(s, "dark")
	s.edit(set,
		map[string]any{"op": "place", "args": map[string]any{"standIn": "slab", "name": "floor", "at": geom.V{Y: -0.2},
			"patch": map[string]any{"size": geom.V{X: 28, Y: 0.2, Z: 28}}}},
		map[string]any{"op": "change set", "args": map[string]any{"patch": map[string]any{"view": map[string]any{
			"eye": geom.V{Y: 1.6, Z: 2.5}, "yaw": 0, "pitch": -0.12, "ev": 4, "near": 0.05, "far": 50},
			"light": map[string]any{"sunOn": false, "level": 0}}}})
	b.step("light")
	b.whole()
	b.until("document.querySelector('[data-lamps]').children.length === 1") // the template alone
	b.press("show all")                                                     // the plan may have been shown before the floor was there
	b.until("(p => Math.abs(p.screen(1, -1)[1]) < p.svg.getBoundingClientRect().height / 2)(Alpine.store('v').plan)")
	b.press("lamp")
	b.clickPlan(1, -1)
	spec := func() (l lay.Lamp) {
		e := lamp(s.state(set))
		v, err := e.Read()
		if err != nil {
			t.Fatal(err)
		}
		return *v.(*lay.Lamp)
	}
	s.await(set, "a lamp", func(st *query.State) bool { return lamp(st) != nil })
	if l := spec(); math.Abs(l.At.X-1) > 0.51 || math.Abs(l.At.Z+1) > 0.51 || l.At.Y != 2.2 {
		t.Errorf("it hangs at %v", l.At)
	}
	b.until("document.querySelectorAll('[data-pool]').length === 2 && document.querySelector('[data-lamp]')")
	b.until("document.querySelector('[data-lamps]').innerText.includes('710 lm')")

	// The true view: told how far it is, until it is as clean as was asked for.
	b.keys("t")
	b.choose("Noise at which the true view is clean enough", "40 % noise")
	b.until("Alpine.store('film').trueNow?.state === 'clean' && Alpine.store('film').trueShown")
	b.until("document.querySelector('[data-true-said]').innerText.includes('clean, in')")
	// bright is the mean of the picture, 0 to 255, once it shows the set as it is now.
	bright := func() float64 {
		t.Helper()
		b.idle()
		b.until("Alpine.store('film').trueNow?.state === 'clean' && Alpine.store('film').trueShown && " +
			"document.querySelector('[data-true]').complete")
		return eval[float64](b, `(img => { const c = document.createElement("canvas"); c.width = img.naturalWidth;
			c.height = img.naturalHeight; const x = c.getContext("2d"); x.drawImage(img, 0, 0);
			const d = x.getImageData(0, 0, c.width, c.height).data; let s = 0;
			for (let i = 0; i < d.length; i += 4) s += d[i] + d[i + 1] + d[i + 2];
			return s / d.length * 4 / 3 })(document.querySelector("[data-true]"))`)
	}
	lit := bright()
	// A part of it alone: all the work goes there, and the rest stays as it was.
	b.press("a part")
	b.drag(b.seen(-0.6, 1.2, -2), b.seen(1, 0.1, -2))
	b.until("Alpine.store('film').trueNow?.part[2] > Alpine.store('film').trueNow.part[0] && " +
		"Alpine.store('film').trueNow.state === 'clean' && document.querySelector('[data-part]')")
	b.press("whole again")
	b.until("Alpine.store('film').trueNow.part[2] === 0 && !document.querySelector('[data-part]')")
	if again := bright(); math.Abs(again-lit) > 3 {
		t.Errorf("after a part the whole is %v bright, was %v", again, lit)
	}

	// The meter: in the middle of the picture, by an arrow, by a click.
	b.keys("l")
	reads := "document.querySelector('[data-reading]').innerText"
	b.until(reads + ".includes('lx fall on it') && " + reads + ".includes('the key is lamp, ')")
	b.keys(kb.ArrowLeft)
	b.until("Alpine.store('film').meterAt.x === 0.49 && Alpine.store('film').reading")
	b.do(chromedp.MouseClickXY(b.seen(1, 0, -2)[0], b.seen(1, 0, -2)[1]))
	b.until("Math.abs(Alpine.store('film').reading?.at.x - 1) < 0.05 && " +
		"Math.abs(Alpine.store('film').reading.at.z + 2) < 0.1")
	b.press("meter")
	b.until("!Alpine.store('film').metering && !document.querySelector('[data-meter]')")
	b.fill("dimmed to", "20 %")
	b.idle()
	if l := spec(); math.Abs(l.Dim-0.2) > 1e-9 {
		t.Errorf("dimmed to %v", l.Dim)
	}
	b.until("Alpine.store('film').meterSaid.startsWith('before the last edit')")
	if dim := bright(); dim >= lit || dim < 1 {
		t.Errorf("dimmed to a fifth it is %v bright of %v", dim, lit)
	}
	b.click(`[aria-label="lamp burns"]`)
	s.await(set, "the lamp out", func(st *query.State) bool {
		b, is := st.Set.Light.Lamps[lamp(st).ID]
		return is && !b.On
	})
	if dark := bright(); dark > 1 {
		t.Errorf("with the lamp out it is %v bright", dark)
	}
	b.press("Undo")
	s.await(set, "the lamp on again", func(st *query.State) bool { return len(st.Set.Light.Lamps) == 0 })

	// While something is in the hand the lens view is seen, and the true view comes back.
	at := b.seen(-2, 2.4, -4)
	b.until("Alpine.store('film').trueShown")
	b.drag(at, [2]float64{at[0] + 25, at[1]})
	b.until("!Alpine.store('film').trueHeld && Alpine.store('film').trueShown")
	b.keys("t")
	b.until("!Alpine.store('film').truly && !document.querySelector('[data-true]').src.startsWith('blob:')")

	// A cone is aimed by its handle on the plan.
	b.choose("shape", "cone")
	s.await(set, "a cone", func(*query.State) bool { return spec().Shape == "cone" })
	b.until("document.querySelectorAll('[data-point]').length === 2")
	b.fill("aimed across", "-1 m")
	s.await(set, "its aim across", func(*query.State) bool { return spec().To.X == -1 })
	b.fill("aimed down the plan", "1 m")
	s.await(set, "its aim", func(*query.State) bool { return spec().To.X == -1 && spec().To.Z == 1 })
	id := lamp(s.state(set)).ID
	hand := b.middle(fmt.Sprintf(`[data-point="%s 1"]`, id))
	b.drag(hand, [2]float64{hand[0] + 40, hand[1]})
	s.await(set, "another aim", func(*query.State) bool { return spec().To.X > -0.9 })
	if said := lamp(s.state(set)).Said; !strings.Contains(said, "lm") || !strings.Contains(said, "lx at most") {
		t.Errorf("it says %q", said)
	}
	b.press("Take away")
	s.await(set, "no lamp", func(st *query.State) bool { return lamp(st) == nil })
}

// lamp is the first of a set's lamps; nil: there is none.
func lamp(st *query.State) *query.ElementState {
	for i := range st.Elements {
		if st.Elements[i].Kind == "lamp" {
			return &st.Elements[i]
		}
	}
	return nil
}
