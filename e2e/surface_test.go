package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"visator/app/outfit"
	"visator/core/lay/keep"

	"github.com/chromedp/chromedp"

	"visator/app/query"
	"visator/app/takes"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/openexr"
	"visator/core/surface"
)

// onlyOf is a PNG of one colour.
func onlyOf(t *testing.T, c color.NRGBA) []byte {
	t.Helper()
	m := image.NewNRGBA(image.Rect(0, 0, 16, 16))
	for i := range 256 {
		m.SetNRGBA(i%16, i/16, c)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// wall is a body of 2 x 2 m with a picture that repeats every half metre, or a grey one without.
func wall(t *testing.T, name string, picture []byte) string {
	t.Helper()
	s := model.DefaultSurface()
	s.Name, s.Metallic, s.Roughness = name, 0, 0.8
	m := &model.Model{Roots: []int{0}, Meshes: []model.Mesh{{Parts: []model.Part{{
		Positions: []float32{-1, 0, 0, 1, 0, 0, 1, 2, 0, -1, 2, 0, -1, 0, -0.2, 1, 0, -0.2, 1, 2, -0.2, -1, 2, -0.2},
		UV:        []float32{0, 1, 1, 1, 1, 0, 0, 0, 0, 1, 1, 1, 1, 0, 0, 0},
		Indices:   []uint32{0, 1, 2, 0, 2, 3, 5, 4, 7, 5, 7, 6, 3, 2, 6, 3, 6, 7}}}}}}
	if picture != nil {
		s.Slots[model.BaseColorMap] = model.Slot{Map: 0, Scale: [2]float64{4, 4}}
		m.Maps = []model.Map{{Name: "boards.png", Mime: "image/png", Data: picture, Status: model.Embedded}}
	} else {
		s.BaseColor = [4]float64{0.5, 0.5, 0.5, 1}
	}
	n := model.NewNode(name)
	n.Mesh = 0
	m.Nodes, m.Surfaces = []model.Node{n}, []model.Surface{s}
	var b bytes.Buffer
	if err := exchange.WriteGLB(&b, m); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), name+".glb")
	if err := os.WriteFile(path, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

func elementOf(st *query.State, kind string) *query.ElementState {
	for i := range st.Elements {
		if st.Elements[i].Kind == kind {
			return &st.Elements[i]
		}
	}
	return nil
}

// brightness is the mean of a take's luminance over its right half, in the middle.
func brightness(t *testing.T, data []byte) (r, g, b float64) {
	t.Helper()
	e, err := openexr.Open(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	n, w, h := 0.0, e.Width, e.Height
	if err := e.Rows([]string{"R", "G", "B"}, func(x0, y int, v [][]float32) {
		for i := range v[0] {
			if x := x0 + i; y >= h*2/5 && y < h*3/5 && x >= w*3/5 && x < w*4/5 {
				r, g, b, n = r+float64(v[0][i]), g+float64(v[1][i]), b+float64(v[2][i]), n+1
			}
		}
	}); err != nil {
		t.Fatal(err)
	}
	return r / n, g / n, b / n
}

// anyMade tells whether a set has a material that is as asked for.
func anyMade(is func(name string, w *surface.Worn) bool) func(*query.State) bool {
	return func(st *query.State) bool {
		for _, e := range st.Elements {
			var w surface.Worn
			if e.Kind == "material" && json.Unmarshal(e.Spec, &w) == nil && is(e.Name, &w) {
				return true
			}
		}
		return false
	}
}

// twoWalls is a set in which a wall of red boards stands beside a plain one, before the camera; of are their pieces.
func twoWalls(t *testing.T, s *site, b *tab) (set string, st *query.State, of map[string]string) {
	t.Helper()
	set = b.production(s, "walls")
	b.dropFiles("main", wall(t, "boards", onlyOf(t, color.NRGBA{160, 60, 40, 255})))
	s.await(set, "a piece", func(st *query.State) bool { return len(st.Pieces) == 1 })
	b.dropFiles("main", wall(t, "plain", nil))
	st = s.await(set, "two pieces", func(st *query.State) bool {
		return len(st.Pieces) == 2 && len(st.Pieces[0].Levels) > 0 && len(st.Pieces[1].Levels) > 0
	})
	of = map[string]string{}
	for _, p := range st.Pieces {
		of[p.Name] = p.ID
	}
	s.edit(set, map[string]any{"op": "place", "args": map[string]any{"piece": of["boards"], "name": "boards",
		"at": geom.V{X: -1.2}}},
		map[string]any{"op": "place", "args": map[string]any{"piece": of["plain"], "name": "plain", "at": geom.V{X: 1.2}}},
		map[string]any{"op": "change set", "args": map[string]any{"patch": map[string]any{"view": map[string]any{
			"eye": geom.V{Y: 1, Z: 5}, "yaw": 0, "pitch": 0, "ev": 11, "near": 0.05, "far": 50}}}})
	return set, st, of
}

// An artist takes a material off one wall and puts it on another, where its picture is as large as it was; drops two
// pictures on the board and pulls what strays from their palette by half; makes the set wet, and dry again by undo; and
// what is rendered shows it.
func TestMaterialsPalettesAndWear(t *testing.T) {
	t.Parallel()
	s, b := newSite(t), browser(t)
	set, _, _ := twoWalls(t, s, b)
	settings := takes.Settings{Width: 96, Samples: 32, Bounces: 3, Seed: 1}
	r0, g0, b0 := brightness(t, s.take(t, set, settings))
	if math.Abs(r0-g0) > 0.15*g0 || math.Abs(b0-g0) > 0.3*g0 {
		t.Errorf("the plain wall begins as %v %v %v", r0, g0, b0)
	}
	b.step("surface")
	b.whole()
	click := func(x, y, z float64) {
		t.Helper()
		at := b.seen(x, y, z)
		b.do(chromedp.MouseClickXY(at[0], at[1]))
	}
	click(-1.2, 1, 0)
	b.until("document.querySelector('[data-surfaces]')?.innerText.includes('boards')")
	b.until("[...document.querySelectorAll('[data-surfaces] img')].every((i) => i.naturalWidth === 128)")
	b.keys("v")
	b.until("document.querySelector('[data-held]')?.innerText.includes('boards')")
	click(1.2, 1, 0)
	st := s.await(set, "the material", func(st *query.State) bool { return elementOf(st, "material") != nil })
	var worn surface.Worn
	read(t, elementOf(st, "material").Spec, &worn)
	if math.Abs(worn.Tile-0.5) > 1e-3 || len(worn.On) != 1 || worn.On[0].Surface != "plain" || worn.Maps["base"].Blob == "" {
		t.Errorf("%+v", worn)
	}
	b.press("put back")
	r1, g1, _ := brightness(t, s.take(t, set, settings))
	if r1 < 2.5*g1 {
		t.Errorf("with red boards on it the wall is %v red, %v green", r1, g1)
	}
	// The old one, and the new.
	b.until("document.querySelector('[data-surfaces]')?.innerText.includes('plain')")
	b.keys("s")
	s.await(set, "the old one", func(st *query.State) bool { return elementOf(st, "material").Hidden })
	b.until("Alpine.store('surface').materials[0].hidden")
	b.keys("s")
	s.await(set, "the new one", func(st *query.State) bool { return !elementOf(st, "material").Hidden })
	b.until("!Alpine.store('surface').materials[0].hidden")

	// A finish of the shelf, found by its name, on the other wall.
	b.press("Shelf of materials")
	b.until("document.querySelectorAll('[data-finishes] li').length >= 60")
	b.fill("Find a material", "denim")
	b.until("document.querySelectorAll('[data-finishes] li').length === 1")
	b.click(`[aria-label="Take denim in hand"]`)
	b.until("document.querySelector('[data-held]')?.innerText.includes('denim')")
	click(-1.2, 1, 0)
	s.await(set, "denim", anyMade(func(name string, w *surface.Worn) bool {
		return name == "denim" && w.Tile == 0.08 && w.Maps["normal"].Blob != "" && w.On[0].Surface == "boards"
	}))
	b.press("put back")
	b.keys(",") // the boards as they came, for what follows
	s.await(set, "no denim", func(st *query.State) bool { return len(st.Elements) == 1 })
	click(1.2, 1, 0)

	dir := t.TempDir()
	// Maps are handed in, and become a material on the shelf; it is named and marked, and found again by its tag.
	var maps []string
	for name, c := range map[string]color.NRGBA{"mud_color.png": {90, 70, 50, 255}, "mud_gloss.png": {40, 40, 40, 255}} {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, onlyOf(t, c), 0o600); err != nil {
			t.Fatal(err)
		}
		maps = append(maps, path)
	}
	b.do(chromedp.SetUploadFiles(`[aria-label="Maps of materials"]`, maps))
	b.fill("Find a material", "mud")
	b.until("document.querySelector('[data-kept]')?.innerText.includes('mud')")
	b.click(`[aria-label="Change mud"]`)
	b.fill("Name of the material", "river mud")
	b.fill("One repeat in metres", "0.7")
	b.fill("Tags, parted by commas", "soil, soft")
	b.press("keep changes")
	b.until("document.querySelector('[data-kept]')?.innerText.includes('river mud')")
	b.click(`[aria-label="Favourite: river mud"]`)
	b.until("Alpine.store('surface').kept[0].marked")
	b.fill("Find a material", "soft soil")
	b.until("document.querySelectorAll('[data-kept] li').length === 1")
	b.until("[...document.querySelectorAll('[data-kept] img')].every((i) => i.naturalWidth === 128)")
	b.fill("Find a material", "granite")
	b.until("document.querySelectorAll('[data-kept] li').length === 0")

	var files []string
	for name, c := range map[string]color.NRGBA{"sea.png": {40, 80, 140, 255}, "sand.png": {210, 190, 150, 255}} {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, onlyOf(t, c), 0o600); err != nil {
			t.Fatal(err)
		}
		files = append(files, path)
	}
	b.dropFiles("[data-board]", files...)
	st = s.await(set, "a palette", func(st *query.State) bool { return elementOf(st, "board") != nil })
	var board keep.Board
	read(t, elementOf(st, "board").Spec, &board)
	if len(board.Palette) != 2 || math.Abs(board.Palette[0].Share-0.5) > 1e-9 {
		t.Errorf("%+v", board)
	}
	// A colour is picked off a picture of the board, for what is chosen; and given up again.
	b.until("[...document.querySelectorAll('[data-board] img')].every((i) => i.naturalWidth > 0)")
	b.press("pick off a picture")
	b.click("[data-board] img")
	s.await(set, "the picked colour", anyMade(func(_ string, w *surface.Worn) bool {
		return w.Base == "#28508c" || w.Base == "#d2be96"
	}))
	b.keys(",")
	b.until("Alpine.store('surface').materials.every((e) => !['#28508c', '#d2be96'].includes(e.spec.base))")
	held := func() (h outfit.Held) {
		t.Helper()
		if err := json.Unmarshal(s.get("/api/sets/"+set+"/held?board="+elementOf(st, "board").ID), &h); err != nil {
			t.Fatal(err)
		}
		return h
	}
	before := held()
	b.press("hold the picture against it")
	b.until("document.querySelectorAll('[data-strays] li').length >= 2")
	b.press("pull the worst three")
	st = s.await(set, "what was pulled", func(st *query.State) bool {
		n := 0
		for _, e := range st.Elements {
			if e.Kind == "material" {
				n++
			}
		}
		return n >= 2
	})
	after := held()
	if len(before.Strays) == 0 || !(after.Strays[0].Off < 0.75*before.Strays[0].Off) {
		t.Errorf("the worst was %+v and is %+v", before.Strays, after.Strays)
	}
	_, g1, _ = brightness(t, s.take(t, set, settings))
	b.press("add wear")
	s.await(set, "wear", func(st *query.State) bool { return elementOf(st, "wear") != nil })
	b.fill("wet", "100 %")
	s.await(set, "all wet", func(st *query.State) bool {
		var w surface.Wear
		return json.Unmarshal(elementOf(st, "wear").Spec, &w) == nil && w.Wet == 1
	})
	_, g2, _ := brightness(t, s.take(t, set, settings))
	if !(g2 < 0.97*g1) {
		t.Errorf("wet it is %v, dry %v", g2, g1)
	}
	b.keys(",")
	b.keys(",")
	s.await(set, "dry again", func(st *query.State) bool { return elementOf(st, "wear") == nil })
	_, g3, _ := brightness(t, s.take(t, set, settings))
	if math.Abs(g3-g1) > 1e-6*g1 {
		t.Errorf("dry again it is %v, before %v", g3, g1)
	}
	// Of a wall that is one part the side that is seen is picked, and painted alone.
	b.choose("What a click picks", "faces that go on evenly")
	click(1.2, 1, 0)
	b.until("Alpine.store('surface').facesSaid.startsWith('2 faces, 4')")
	b.fill("Colour as written", "#123456")
	s.await(set, "two faces painted", anyMade(func(_ string, w *surface.Worn) bool {
		return w.Base == "#123456" && len(w.On) == 1 && w.On[0].Faces.By == "angle" &&
			math.Abs(w.On[0].Faces.At.Z-0.1) < 0.01
	}))
	b.until("document.querySelectorAll('[data-surfaces] li').length === 2")
	b.choose("What a click picks", "the whole surface")

	// In the plan's step: taken off what is selected, and put on all that is.
	of := map[string]string{}
	for _, p := range s.state(set).Placements {
		of[p.Name] = p.ID
	}
	b.step("dress")
	b.until("Alpine.store('v').lens?.viewNow")
	eval[bool](b, fmt.Sprintf("(Alpine.store('dress').select(%q), true)", of["boards"]))
	b.keys("v")
	b.until("Alpine.store('surface').held")
	eval[bool](b, fmt.Sprintf("(Alpine.store('dress').select(%q), true)", of["plain"]))
	b.keys("r")
	s.await(set, "it on all of the other", anyMade(func(_ string, w *surface.Worn) bool {
		return slices.Contains(w.On, surface.On{Thing: of["plain"]})
	}))
}
