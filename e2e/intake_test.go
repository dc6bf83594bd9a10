package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/library"
	"visator/app/query"
	"visator/demo"
)

// flat is a picture of one colour.
func flat(t testing.TB, c color.NRGBA) string {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 8, 8))
	for i := 0; i < len(img.Pix); i += 4 {
		copy(img.Pix[i:], []uint8{c.R, c.G, c.B, c.A})
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		t.Fatal(err)
	}
	return buf.String()
}

func zipOf(t testing.TB, list ...string) string {
	t.Helper()
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for i := 0; i+1 < len(list); i += 2 {
		w, err := z.Create(list[i])
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(list[i+1])); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return buf.String()
}

// crate is an OBJ of boxes, one a group: name, surface, size.
func crate(boxes ...[3]any) string {
	var b strings.Builder
	b.WriteString("mtllib crate.mtl\n")
	for i, x := range boxes {
		s := x[2].([3]float64)
		fmt.Fprintf(&b, "o %s\nusemtl %s\n", x[0], x[1])
		for k := range 8 {
			fmt.Fprintf(&b, "v %g %g %g\nvt %d %d\n", s[0]*float64(k&1)+float64(2*i), s[1]*float64(k>>1&1),
				s[2]*float64(k>>2), k&1, k>>1&1)
		}
		for _, q := range [][4]int{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}} {
			b.WriteString("f")
			for _, k := range q {
				fmt.Fprintf(&b, " %d/%d", 8*i+k+1, 8*i+k+1)
			}
			b.WriteString("\n")
		}
	}
	return b.String()
}

const crateMTL = "newmtl Planks\nmap_Kd Crate_BaseColor.png\nnewmtl Strap\nmap_Kd Strap_BaseColor.png\n"

// An artist's minutes at Intake: a download with variants in zips in zips,
// maps that lie elsewhere, a part nobody wants, a newer version.
func TestFromADropToATexturedPieceThatStaysThroughANewerVersion(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := browser(t)
	dir := t.TempDir()
	file := func(name, data string) string {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(data), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	body, lid, tag := [3]any{"Body", "Planks", [3]float64{1, 1, 1}}, [3]any{"Lid", "Strap", [3]float64{1, 0.1, 1}},
		[3]any{"PriceTag", "Planks", [3]float64{0.1, 0.2, 0.01}}
	model := crate(body, lid, tag)
	download := file("crate_pack.zip", zipOf(t,
		"crate/source/crate_high.zip", zipOf(t, "crate.obj", model, "crate.mtl", crateMTL),
		"crate/source/crate_low.zip", zipOf(t, "crate_LOD1.obj", crate(body), "crate.mtl", crateMTL),
		"crate/textures/Crate_BaseColor.png", flat(t, color.NRGBA{150, 100, 50, 255}),
		"crate/readme.txt", "Author: Ada Example\nLicense: CC-BY 4.0\nPrice: 4.50 EUR\n"))
	straps := file("straps.zip", zipOf(t, "deep/strap_albedo.png", flat(t, color.NRGBA{20, 20, 20, 255}),
		"deep/strap_gloss.png", flat(t, color.NRGBA{200, 200, 200, 255})))

	set := b.production(s, "Intake test")

	// Two variants are shown side by side; the finer one is proposed and taken.
	b.dropFiles("main", download)
	b.until("document.querySelector('[data-arrival][data-state=choose]')")
	b.click("[data-arrival] button")
	b.until("document.querySelectorAll('[data-found]').length === 2")
	proposed := eval[[]string](b, "[...document.querySelectorAll('[data-found]')].filter(e => "+
		"e.querySelector('input').checked).map(e => e.dataset.found)")
	if !slices.Equal(proposed, []string{"crate/source/crate_high/crate.obj"}) {
		t.Fatalf("proposed %q", proposed)
	}
	if text := eval[string](b, "document.querySelector('[data-found*=LOD1]').textContent"); !strings.Contains(text,
		"12 triangles") {
		t.Errorf("the other variant says %q", text)
	}
	b.press("Take chosen")
	st := s.await(set, "the piece",
		func(st *query.State) bool { return len(st.Pieces) == 1 && st.Arrivals[0].State == "done" })
	id := st.Pieces[0].ID
	if p := &st.Pieces[0]; p.Lacks != 1 || p.Credit.Author != "Ada Example" || p.Credit.Licence != "CC-BY-4.0" ||
		p.Credit.Price != 4.5 {
		t.Errorf("lacks %d, credit %+v", p.Lacks, p.Credit)
	}
	b.until("document.querySelector('[data-piece-detail]')")
	b.press("Maps")
	b.until("document.querySelector('[data-cell=\"Planks base colour\"]').dataset.cellState === 'came'")
	b.until("document.querySelector('[data-cell=\"Strap base colour\"]').dataset.cellState === 'missing'")

	// It stands in the set before its maps are whole.
	if code, out := s.post("/api/sets/"+set+"/edit",
		map[string]any{"revision": -1, "commands": []desk.Command{edit.Do(&edit.Place{Piece: id})}}); code != 200 {
		t.Fatalf("%d %s", code, out)
	}

	// A second zip is pointed at: what is missing is found by name.
	b.do(chromedp.SetUploadFiles("#map-files", []string{straps}))
	st = s.await(set, "the maps",
		func(st *query.State) bool { return st.Pieces[0].Lacks == 0 && st.Pieces[0].Making == "" })
	b.until("document.querySelector('[data-cell=\"Strap base colour\"]').dataset.cellState === 'chosen'")
	b.until("document.querySelector('[data-cell=\"Strap roughness\"]').title.includes('gloss, turned into roughness')")
	if !strings.Contains(st.Undo, "take 2 maps") {
		t.Errorf("undo says %q", st.Undo)
	}

	// A part is dropped, another renamed.
	b.press("Parts")
	b.click("[data-part=PriceTag] button")
	s.await(set, "the dropped part",
		func(st *query.State) bool { return st.Pieces[0].Facts.Parts == 2 && st.Pieces[0].Making == "" })
	b.fill("Name of part Lid", "Top board")
	s.await(set, "the new name", func(st *query.State) bool {
		return strings.Contains(st.Undo, "name Lid Top board") && st.Pieces[0].Making == ""
	})
	height := s.state(set).Pieces[0].Size.Y

	// A newer version, in centimetres, with one part more: it replaces the
	// piece, and everything stays.
	newer := crate([3]any{"Body", "Planks", [3]float64{100, 100, 100}},
		[3]any{"Lid", "Strap", [3]float64{100, 10, 100}},
		[3]any{"PriceTag", "Planks", [3]float64{10, 20, 1}}, [3]any{"Handle", "Strap", [3]float64{20, 5, 5}})
	b.do(chromedp.SetUploadFiles("#files",
		[]string{file("crate_v2.zip", zipOf(t, "crate.obj", spread(newer), "crate.mtl", crateMTL, "Crate_BaseColor.png",
			flat(t, color.NRGBA{160, 110, 60, 255})))}))
	b.until("document.querySelector('[data-arrival=\"crate_v2.zip\"][data-state=choose]')")
	b.click("[data-arrival='crate_v2.zip'] button")
	b.until("document.querySelector('[data-found] select').selectedOptions[0].textContent === 'the newer version of " +
		"crate'")
	b.press("Take chosen")
	st = s.await(set, "the newer version",
		func(st *query.State) bool { return st.Pieces[0].News && st.Pieces[0].Making == "" })
	p := &st.Pieces[0]
	if len(st.Pieces) != 1 || p.ID != id || len(st.Placements) != 1 || st.Placements[0].Piece != id {
		t.Fatalf("%d pieces, placements %+v", len(st.Pieces), st.Placements)
	}
	if math.Abs(p.Size.Y-height) > 1e-6 || p.Lacks != 0 || p.Facts.Parts != 3 {
		t.Errorf("height %v, was %v; lacks %d; %d parts", p.Size.Y, height, p.Lacks, p.Facts.Parts)
	}
	b.until("document.querySelector('[data-piece-detail]')")
	b.press("News")
	b.until("document.querySelector('[data-news]').textContent.includes('Handle')")
	b.press("Parts")
	b.until("document.querySelector('[data-part=PriceTag]').dataset.kept === 'false'")
	b.until("document.querySelector('[aria-label=\"Name of part Lid\"]').value === 'Top board'")

	// Undo brings the older version back, at once.
	b.press("Undo")
	s.await(set, "the older version", func(st *query.State) bool {
		return !st.Pieces[0].News && st.Pieces[0].Facts.Parts == 2 && st.Pieces[0].Making == ""
	})

	// The newer version is taken away, told what goes with it, and brought back on the first page.
	b.click("[aria-label='Take crate_v2.zip away']")
	b.until("document.querySelector('[data-arrival=\"crate_v2.zip\"] [data-leaving]').textContent.includes('Nothing " +
		"was made of crate_v2.zip')")
	b.click("[aria-label='Put crate_v2.zip into the bin']")
	b.until("!document.querySelector('[data-arrival=\"crate_v2.zip\"]')")
	b.do(chromedp.Navigate(s.address + "/#bin"))
	b.click("[aria-label='Bring crate_v2.zip back']")
	b.until("document.getElementById('bin') && !document.querySelector('[data-binned]')")
	b.do(chromedp.Navigate(s.address + "/sets/" + set + "/intake"))
	b.until("document.querySelector('[data-arrival=\"crate_v2.zip\"]')")

	// The credits go out.
	if text := string(s.get("/api/sets/" + set + "/credits?as=txt")); !strings.Contains(text, "Ada Example") ||
		!strings.Contains(text, "4.50 EUR") {
		t.Errorf("credits: %s", text)
	}
}

// spread moves the boxes of crate apart in centimetres as they were in metres.
func spread(obj string) string {
	var out strings.Builder
	n := 0
	for line := range strings.Lines(obj) {
		var x, y, z float64
		if k, _ := fmt.Sscanf(line, "v %g %g %g", &x, &y, &z); k == 3 {
			line = fmt.Sprintf("v %g %g %g\n", x+float64(198*(n/8)), y, z) // crate put box i at x = 2 i
			n++
		}
		out.WriteString(line)
	}
	return out.String()
}

// Parts are split, joined and repaired by hand; the library finds them by a
// part's name; another production gets a piece with all that was decided.
func TestPartsRepairsAndTheLibrary(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := browser(t)
	dir := t.TempDir()
	// Two loose boxes in one part, one of them inside out.
	obj := crate([3]any{"Stack", "Planks", [3]float64{1, 1, 1}}) +
		strings.ReplaceAll(crate([3]any{"X", "Planks", [3]float64{1, 1, 1}}), "mtllib crate.mtl\no X\n", "")
	var turned []string
	seen := 0
	for line := range strings.Lines(obj) {
		if strings.HasPrefix(line, "f ") {
			if seen++; seen > 6 {
				f := strings.Fields(line)
				for i := range f[1:] {
					var a, c int
					_, _ = fmt.Sscanf(f[i+1], "%d/%d", &a, &c)
					f[i+1] = fmt.Sprintf("%d/%d", a+8, c+8)
				}
				slices.Reverse(f[1:])
				line = strings.Join(f, " ") + "\n"
			}
		} else if strings.HasPrefix(line, "v ") && seen == 6 {
			var x, y, z float64
			_, _ = fmt.Sscanf(line, "v %g %g %g", &x, &y, &z)
			line = fmt.Sprintf("v %g %g %g\n", x+3, y, z)
		}
		turned = append(turned, line)
	}
	for name, data := range map[string]string{"stack/stack.obj": strings.Join(turned, ""),
		"stack/crate.mtl": "newmtl Planks\nKd 0.5 0.4 0.3\n"} {
		path := filepath.Join(dir, name)
		_ = os.MkdirAll(filepath.Dir(path), 0o700)
		if err := os.WriteFile(path, []byte(data), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{"First", "Second"} {
		b.do(chromedp.Navigate(s.address))
		b.click("input[name=name]")
		b.do(chromedp.KeyEvent(name))
		b.press("Make it")
		b.until("document.documentElement.dataset.ready === 'yes'")
		if name == "Second" {
			break
		}
		set := eval[string](b, "document.documentElement.dataset.set")
		b.do(chromedp.SetUploadFiles("#folder", []string{filepath.Join(dir, "stack")}))
		s.await(set, "the piece",
			func(st *query.State) bool { return len(st.Pieces) == 1 && st.Arrivals[0].State == "done" })
		b.click("[data-piece-of]")
		b.until("document.querySelector('[data-part=Stack]')")
		b.press("Repairs")
		b.until("document.querySelector('[aria-label=\"Repair: 12 of 24 faces are inside out\"]')")
		b.click("[aria-label='Repair: 12 of 24 faces are inside out']")
		s.await(set, "the repair",
			func(st *query.State) bool { return strings.Contains(st.Undo, "repairs") && st.Pieces[0].Making == "" })
		b.until("document.querySelector('img[alt=\"before the repairs\"]').naturalWidth > 0")
		b.until("document.querySelector('[data-piece-detail]').textContent.includes('none left')")
		b.press("Parts")
		b.click("[aria-label='Pick Stack']")
		b.press("Split by loose shell")
		s.await(set, "the split",
			func(st *query.State) bool { return st.Pieces[0].Facts.Parts == 2 && st.Pieces[0].Making == "" })
		b.until("document.querySelector('[data-part=\"Stack/shell 2\"]')")
		b.fill("Name of part Stack/shell 2", "Upper box")
		s.await(set, "the name",
			func(st *query.State) bool { return strings.Contains(st.Undo, "Upper box") && st.Pieces[0].Making == "" })
		b.press("Credit")
		b.fill("Credit: author", "Kim Sample")
		b.fill("Tags, separated by commas", "wood, stack")
		b.fill("Credit: price", "12.5")
		s.await(set, "the credit", func(st *query.State) bool {
			return st.Pieces[0].Credit.Price == 12.5 && st.Pieces[0].Credit.Currency == "EUR" &&
				len(st.Pieces[0].Tags) == 2
		})
	}
	// The second production finds it by words and brings it over.
	set := eval[string](b, "document.documentElement.dataset.set")
	for find, want := range map[string]int{"wood kim planks": 1, "wood nobody": 0, "stack": 1} {
		var list []library.Good
		if err := json.Unmarshal(s.get("/api/sets/"+set+"/shelf?where=all&find="+strings.ReplaceAll(find, " ", "+")),
			&list); err != nil || len(list) != want {
			t.Errorf("%q: %d found, %v", find, len(list), err)
		}
	}
	b.click("[role=tab]:nth-of-type(2)")
	b.until("document.querySelector('[aria-label=Production]')")
	eval[bool](b, "(e => { e.value = 'all'; e.dispatchEvent(new Event('change', {bubbles: true})); return true "+
		"})(document.querySelector('[aria-label=Production]'))")
	b.click("[data-shelf=stack] button")
	st := s.await(set, "the piece",
		func(st *query.State) bool { return len(st.Pieces) == 1 && st.Pieces[0].Making == "" })
	if p := &st.Pieces[0]; p.Facts.Parts != 2 || p.Credit.Author != "Kim Sample" || len(p.Levels) == 0 {
		t.Errorf("%+v", p)
	}
}

// The supplier is searched and fetched from through the server; what came
// along and was not used is put into a slot by hand.
func TestASupplierIsFetchedFromAndAPictureAssigned(t *testing.T) {
	t.Parallel()
	shop, err := demo.Shop()
	if err != nil {
		t.Fatal(err)
	}
	shop.SlowBytes = 1 << 20
	at := httptest.NewServer(shop)
	defer at.Close()
	s := newSite(t, "serve", "--supplier", at.URL)
	b := browser(t)
	set := b.production(s, "Shopping")

	b.click("[role=tab]:nth-of-type(3)")
	b.until("document.querySelectorAll('[data-goods]').length > 3")
	b.click("[aria-label='Search the supplier']")
	b.do(chromedp.KeyEvent("lantern collada"))
	b.until("document.querySelectorAll('[data-goods]').length === 1")
	b.click("[data-goods=lantern] button")
	b.click("[data-order='lantern.dae']")
	st := s.await(set, "the lantern",
		func(st *query.State) bool { return len(st.Pieces) == 1 && st.Arrivals[0].State == "done" })
	p := &st.Pieces[0]
	// In centimetres and with +Z up, as its file says.
	if p.Facts.Format != "COLLADA" || p.Sizing.Up != "Z" || math.Abs(p.Size.Y-0.383) > 0.002 ||
		p.Credit.Licence != "CC0-1.0" || p.Credit.From != "the supplier" {
		t.Errorf("%s, %+v, %v, %+v", p.Facts.Format, p.Sizing, p.Size, p.Credit)
	}

	// A picture that the model does not name is put into a slot by hand.
	dir := t.TempDir()
	for name, data := range map[string]string{"plate/plate.obj": crate([3]any{"Plate", "Steel", [3]float64{1, 0.1, 1}}),
		"plate/crate.mtl": "newmtl Steel\nKd 0.5 0.5 0.5\n", "plate/scratches.png": flat(t,
			color.NRGBA{90, 90, 90, 255})} {
		path := filepath.Join(dir, name)
		_ = os.MkdirAll(filepath.Dir(path), 0o700)
		if err := os.WriteFile(path, []byte(data), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	b.dropFiles("main", filepath.Join(dir, "plate"))
	s.await(set, "the plate", func(st *query.State) bool { return len(st.Pieces) == 2 && st.Pieces[1].Making == "" })
	b.click("[data-piece-of=plate]")
	b.until("document.querySelector('[data-piece-detail=plate]')")
	b.press("Maps")
	b.click("[data-cell='Steel roughness']")
	b.until("document.querySelector('[aria-label=\"Picture for roughness of Steel\"]')")
	eval[bool](b,
		"(e => { e.value = e.options[1].value; e.dispatchEvent(new Event('change', {bubbles: true})); return "+
			"true })(document.querySelector('[aria-label=\"Picture for roughness of Steel\"]'))")
	s.await(set, "the slot", func(st *query.State) bool {
		return len(st.Pieces[1].Facts.Textures) == 1 && st.Pieces[1].Making == ""
	})
	b.until("document.querySelector('[data-cell=\"Steel roughness\"]').dataset.cellState === 'chosen'")
	b.press("As it came")
	s.await(set, "the empty slot", func(st *query.State) bool {
		return len(st.Pieces[1].Facts.Textures) == 0 && st.Pieces[1].Making == ""
	})

	// Or it is dragged there from the tray.
	b.drag(b.middle("li[draggable=true]"), b.middle("[data-cell='Steel base colour']"))
	s.await(set, "the dragged picture", func(st *query.State) bool {
		return len(st.Pieces[1].Facts.Textures) == 1 && st.Pieces[1].Making == ""
	})
	b.until("document.querySelector('[data-cell=\"Steel base colour\"]').dataset.cellState === 'chosen'")
}
