package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"visator/app/query"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/model"
	"visator/store"
)

// lampPost is a model of a post with a bulb that glows, written for a test.
func lampPost(t *testing.T) string {
	t.Helper()
	m := &model.Model{Name: "street lamp"}
	add := func(name string, at, half geom.V, glow float64) {
		s := model.DefaultSurface()
		s.Name, s.Emissive = name, [3]float64{glow, glow * 0.8, glow * 0.5}
		m.Surfaces = append(m.Surfaces, s)
		p := model.Part{Surface: len(m.Surfaces) - 1, Indices: []uint32{0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6, 0, 1, 5, 0,
			5, 4,
			2, 6, 7, 2, 7, 3, 0, 4, 6, 0, 6, 2, 1, 3, 7, 1, 7, 5}}
		for i := range 8 {
			q := at.Add(geom.V{X: half.X * float64(i&1*2-1), Y: half.Y * float64(i>>1&1*2-1),
				Z: half.Z * float64(i>>2*2-1)})
			p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
		}
		m.Meshes = append(m.Meshes, model.Mesh{Name: name, Parts: []model.Part{p}})
		n := model.NewNode(name)
		n.Mesh = len(m.Meshes) - 1
		m.Nodes, m.Roots = append(m.Nodes, n), append(m.Roots, len(m.Nodes))
	}
	add("post", geom.V{Y: 1.5}, geom.V{X: 0.05, Y: 1.5, Z: 0.05}, 0)
	add("bulb", geom.V{Y: 3.1}, geom.V{X: 0.06, Y: 0.08, Z: 0.06}, 1)
	var b bytes.Buffer
	if err := exchange.WriteGLB(&b, m); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "street lamp.glb")
	if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	return path
}

// An artist lights a dusk: the hour is pulled along the dial, lamps are found in the street lamps and hung, one is
// aimed at the subject and brought to 4:1 by the meter in the true view, the light is kept, and in the take the lights
// are balanced anew and written back.
func TestADuskIsLit(t *testing.T) {
	s, b := newSite(t), browser(t)
	set := b.production(s, "dusk")
	b.do(chromedp.SetUploadFiles("#files", []string{lampPost(t)}))
	b.until("document.querySelectorAll('[data-arrival][data-state=done]').length === 1")
	st := s.await(set, "the piece", func(st *query.State) bool { return len(st.Pieces) == 1 })
	piece := st.Pieces[0].ID
	place := func(name string, args map[string]any) {
		args["name"] = name
		s.edit(set, map[string]any{"op": "place", "args": args})
	}
	place("floor", map[string]any{"standIn": "slab", "at": geom.V{Y: -0.2},
		"patch": map[string]any{"size": geom.V{X: 30, Y: 0.2, Z: 30}}})
	place("someone", map[string]any{"standIn": "box", "at": geom.V{},
		"patch": map[string]any{"size": geom.V{X: 0.6, Y: 1.7, Z: 0.5}}})
	place("lamp left", map[string]any{"piece": piece, "at": geom.V{X: -3, Z: -3}})
	place("lamp right", map[string]any{"piece": piece, "at": geom.V{X: 3, Z: -3}})
	s.edit(set, map[string]any{"op": "change set",
		"args": map[string]any{"patch": map[string]any{"view": map[string]any{
			"eye": geom.V{Y: 1.6, Z: 6}, "yaw": 0, "pitch": -0.1, "ev": 3, "near": 0.1, "far": 100,
			"subject": placed(s.state(set), "someone").ID},
			"light": map[string]any{"latitude": 0.82, "longitude": 0.15, "day": "2026-08-30", "hour": 17, "zone": 2}}}})
	b.step("light")
	b.whole()

	// The hour: the sun by the place, pulled along the dial to where it has set.
	b.press("by place, day and hour")
	b.press("clear, by the sun")
	b.until("document.querySelector('[data-dial] circle, [data-dial] path')")
	dial := b.middle("[data-dial]")
	hour := func() float64 { return s.state(set).Set.Light.Hour }
	from := eval[[]float64](b, "(s => { const c = s.querySelector('[data-sun]').getBoundingClientRect(); "+
		"return [c.x + c.width / 2, c.y + c.height / 2] })(document.querySelector('[data-dial]'))")
	b.drag([2]float64(from), [2]float64{dial[0] - 108, dial[1] - 22})
	s.await(set, "dusk", func(*query.State) bool { return hour() > 19 })
	b.fill("Hour of the clock", "20.7 h")
	s.await(set, "the blue hour", func(st *query.State) bool {
		return st.Set.Light.Elevation < 0 &&
			st.Set.Light.Lux < 1
	})

	// Lamps are found in the street lamps, and hung on both.
	b.press("Find lamps in pieces")
	b.until("document.querySelector('[data-found]').innerText.includes('“bulb” glows')")
	b.press("Hang it")
	fixture := s.await(set, "the fixture", func(st *query.State) bool {
		return element(st, "fixture") != nil && len(element(st, "fixture").Lit) == 2
	})
	if said := element(fixture, "fixture").Said; !strings.Contains(said, "710 lm each on 2 things, 2 burn") {
		t.Errorf("the fixture says %q", said)
	}

	// A lamp of his own, aimed at the subject.
	b.press("show all")
	b.until("(p => Math.abs(p.screen(-2, 2)[1]) < p.svg.getBoundingClientRect().height / 2)(Alpine.store('v').plan)")
	b.press("lamp")
	b.clickPlan(-2, 2)
	s.await(set, "the key", func(st *query.State) bool { return element(st, "lamp") != nil })
	b.idle()
	b.choose("shape", "cone")
	b.fill("across", "-2 m") // the plan shows so much that it snaps to whole paces
	b.fill("down the plan", "2.5 m")
	b.fill("above zero", "2.4 m")
	b.idle()
	b.press("Aim at the subject")
	key := func() (l lay.Lamp, id string) {
		e := element(s.state(set), "lamp")
		v, err := e.Read()
		if err != nil {
			t.Fatal(err)
		}
		return *v.(*lay.Lamp), e.ID
	}
	s.await(set, "its aim", func(*query.State) bool {
		l, _ := key()
		return l.Shape == "cone" && math.Hypot(l.To.X, l.To.Z) < 0.01 && l.To.Y > 0.5
	})

	// Judged in the true view, read by the meter, brought to four to one.
	b.keys("t")
	b.choose("Noise at which the true view is clean enough", "40 % noise")
	b.until("Alpine.store('film').trueNow?.samples > 0 && Alpine.store('film').trueShown")
	b.until("document.querySelectorAll('[data-ladder] [data-bar]').length > 3")
	b.keys("l")
	at := b.seen(-0.1, 0.9, 0.25)
	b.do(chromedp.MouseClickXY(at[0], at[1]))
	type reading struct {
		Revision int64
		Hit      bool
		Lux      float64
		Ratio    float64
		Key      string
	}
	read := func() (r reading) {
		b.idle()
		b.until("Alpine.store('film').reading?.hit && " +
			"Alpine.store('film').reading.revision >= Alpine.store('v').st.revision")
		raw := eval[string](b, "JSON.stringify(Alpine.store('film').reading)")
		if err := json.Unmarshal([]byte(raw), &r); err != nil {
			t.Fatal(err)
		}
		return r
	}
	r := read()
	if r.Key != "lamp" {
		l, _ := key()
		t.Fatalf("the key is %q: %+v, %+v, lit %+v", r.Key, r, l, element(s.state(set), "lamp").Lit)
	}
	_, id := key()
	for range 4 { // what bounces changes with the key
		if math.Abs(r.Ratio-4) < 0.3 {
			break
		}
		own := r.Lux * (1 - 1/r.Ratio)
		l, _ := key()
		b.fill("output", fmt.Sprintf("%.4g", l.Output*3*(r.Lux-own)/own))
		s.await(set, "another output", func(*query.State) bool { now, _ := key(); return now.Output != l.Output })
		b.do(chromedp.MouseClickXY(at[0], at[1]))
		r = read()
	}
	if math.Abs(r.Ratio-4) > 0.3 || r.Key != "lamp" {
		t.Errorf("key to fill is %v, the key %s", r.Ratio, r.Key)
	}
	b.press("meter")
	b.choose("How the true view is drawn", "by stops")
	b.until("document.querySelector('[data-true]').src === Alpine.store('film').falsePicture")
	b.choose("How the true view is drawn", "as it is")
	b.keys("t")

	// Kept by name, and with the shot.
	b.fill("Name to keep the light by", "blue hour")
	b.press("Keep the light")
	s.await(set, "the kept light", func(st *query.State) bool { return element(st, "kept light") != nil })
	b.step("frame")
	b.press("Keep as new")
	s.await(set, "the shot", func(st *query.State) bool {
		return len(st.Shots) == 1 && st.Shots[0].Light.Sky == "hour" && st.Shots[0].Light.Hour == 20.7
	})

	// In the take the key is halved, the street lamps put out, and both are written back.
	b.step("shoot")
	b.fill("Picture width in pixels", "160")
	b.fill("Samples a pixel", "16")
	b.click(`[x-model="$store.v.take.apart"]`)
	b.press("Render a still")
	s.await(set, "the take", func(st *query.State) bool {
		return slices.ContainsFunc(st.Takes, func(t store.Take) bool { return t.State == "done" })
	})
	b.until("document.querySelectorAll('[data-balance] input[type=range]').length === 5")
	b.click(`[aria-label="bulb of street lamp shines"]`)
	eval[bool](b, `(e => { e.value = -1; e.dispatchEvent(new Event("input", {bubbles: true})); return true })`+
		`(document.querySelector('[aria-label="Strength of lamp in stops"]'))`)
	b.until("Alpine.store('shoot').balance?.url && !Alpine.store('shoot').mixes && " +
		"document.querySelector('img[alt^=\"take of\"]').src.startsWith('blob:')")
	b.press("Write back to the lamps")
	s.await(set, "the balance", func(st *query.State) bool {
		own, street := st.Set.Light.Lamps[id], false
		for k, v := range st.Set.Light.Lamps {
			street = street || strings.HasPrefix(k, element(st, "fixture").ID) && !v.On
		}
		return own.On && math.Abs(own.Dim-0.5) < 1e-9 && street
	})
	b.press("Undo")
	s.await(set, "as it was", func(st *query.State) bool { return len(st.Set.Light.Lamps) == 0 })
}
