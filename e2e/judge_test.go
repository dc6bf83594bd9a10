package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"io"
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
	"visator/core/intake/gltf"
	"visator/core/model"
	"visator/core/openexr"
	"visator/core/stage"
	"visator/store"
)

func takeResult(t *testing.T, x *store.Take) (r takes.Result) {
	t.Helper()
	if err := json.Unmarshal(x.Result, &r); err != nil {
		t.Fatal(err)
	}
	return r
}

// A take is of the set as it was while that is edited; a region is laid into it; two are laid over one another, with
// what differs in words; the better one gets a look and is the shot's; all of it is delivered, and the parcel's set,
// taken in again and rendered by itself, is the same picture but for the noise.
func TestTakesAreJudgedFinishedAndDelivered(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := browser(t)
	set := b.production(s, "judged")
	production := s.state(set).Production.ID
	var crate bytes.Buffer
	if err := exchange.WriteGLB(&crate, stage.ShapeModel("box")); err != nil {
		t.Fatal(err)
	}
	if code, out := s.send("/api/productions/"+production+"/arrivals?name=crate.glb", &crate); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	st := s.await(set, "the crate",
		func(st *query.State) bool { return len(st.Pieces) == 1 && st.Arrivals[0].State == "done" })
	eye := st.Set.View.Eye
	edit := func(op string, args any) {
		t.Helper()
		if code, out := s.post("/api/sets/"+set+"/edit", map[string]any{"revision": -1,
			"commands": []any{map[string]any{"op": op, "args": args}}}); code != 200 {
			t.Fatalf("%s: %d %s", op, code, out)
		}
	}
	at := func(x, y, z float64) map[string]any {
		return map[string]any{"x": eye.X + x, "y": eye.Y + y, "z": eye.Z + z}
	}
	edit("place", map[string]any{"piece": st.Pieces[0].ID, "at": at(0, -1.5, -5)})
	edit("keep shot", map[string]any{"name": "yard"})

	// It is asked for, and edited while it is made.
	b.step("shoot")
	b.fill("Picture width in pixels", "160")
	b.fill("Samples a pixel", "40")
	b.press("Render a still")
	s.await(set, "the take in the queue", func(st *query.State) bool { return len(st.Takes) == 1 })
	edit("place", map[string]any{"standIn": "box", "at": at(1.6, -1.5, -4)})
	st = s.await(set, "the take", func(st *query.State) bool { return st.Takes[0].State == "done" })
	first := st.Takes[0]
	b.until("document.querySelector('[data-shown]')?.naturalWidth === 160")

	// It goes on for more, from the page.
	b.fill("Samples a pixel to go on to", "48")
	b.press("go on")
	s.await(set, "more samples", func(st *query.State) bool {
		return st.Takes[0].State == "done" && takeResult(t, &st.Takes[0]).Samples == 48
	})

	// Only a region, drawn in the picture: what was put there since is in it, the rest is the take before.
	b.click("[aria-label='Only a region']")
	b.until("Alpine.store('shoot').drawsRegion")
	r := eval[[]float64](b, "(r => [r.x, r.y, r.width, r.height])"+
		"(document.querySelector('[data-shown]').getBoundingClientRect())")
	b.drag([2]float64{r[0] + 0.55*r[2], r[1] + 0.2*r[3]}, [2]float64{r[0] + 0.98*r[2], r[1] + 0.95*r[3]})
	b.until("Alpine.store('shoot').regionWords.includes('px')")
	b.press("Render a still")
	st = s.await(set, "the region",
		func(st *query.State) bool { return len(st.Takes) == 2 && st.Takes[0].State == "done" })
	second := st.Takes[0]
	if r := takeResult(t, &second); r.Around != first.ID {
		t.Errorf("about the region is %q", r.Around)
	}
	same, other := 0, 0
	p, q := s.picture(takeResult(t, &st.Takes[1]).PNG), s.picture(takeResult(t, &second).PNG)
	for y := range p.Bounds().Dy() {
		for x := range p.Bounds().Dx() {
			if p.At(x, y) == q.At(x, y) {
				same++
			} else if other++; x < 86 {
				t.Fatalf("pixel %d, %d, beside the region, is another", x, y)
			}
		}
	}
	if other < 300 || same < 5000 {
		t.Errorf("%d pixels are others, %d the same", other, same)
	}

	// Both are laid over one another from the light table: wiped, swapped, as heat, with words.
	b.press("light table")
	b.until("document.querySelectorAll('[data-on-table]').length === 2")
	for _, id := range []string{first.ID, second.ID} {
		b.click(fmt.Sprintf("[data-on-table='%s'] input[type=checkbox]", id))
		b.until(fmt.Sprintf("Alpine.store('shoot').isPicked(Alpine.store('shoot').take('%s'))", id))
		if id == first.ID {
			b.press("light table")
		}
	}
	b.until("document.querySelector('[data-differs]')?.innerText.includes('region')")
	words := eval[string](b, "document.querySelector('[data-differs]').innerText")
	if !strings.Contains(words, "stands there") {
		t.Errorf("what was put there is not told: %s", words)
	}
	wipe := b.middle("[data-wipe]")
	b.drag(wipe, [2]float64{wipe[0] - 200, wipe[1]})
	b.until("Alpine.store('shoot').over.at < 40")
	b.press("difference")
	b.until("document.querySelector('[data-heat]')?.naturalWidth > 0")

	// The second is the shot's, with four stars.
	b.press("light table")
	b.click(fmt.Sprintf("[data-on-table='%s'] [aria-label='4 stars']", second.ID))
	s.await(set, "its stars",
		func(st *query.State) bool { return strings.Contains(string(st.Takes[0].Marks), `"stars":4`) })
	b.click(fmt.Sprintf("[data-on-table='%s'] [aria-label='See the take of yard']", second.ID))
	b.until("document.querySelector('[data-shown]')?.naturalWidth === 160")
	b.fill("Note about the take yard", "the crate is too near")
	s.await(set, "its note", func(st *query.State) bool { return strings.Contains(string(st.Takes[0].Marks), "too near") })
	look := filepath.Join(t.TempDir(), "negative.cube")
	if err := os.WriteFile(look, []byte("TITLE \"negative\"\nLUT_1D_SIZE 2\n1 1 1\n0 0 0\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	b.do(chromedp.SetUploadFiles("[aria-label='Look from a .cube file']", []string{look}))
	s.await(set, "the look",
		func(st *query.State) bool { return strings.Contains(string(st.Set.Finish["look"]), "table") })
	b.press("Undo")
	s.await(set, "no look", func(st *query.State) bool { return len(st.Set.Finish["look"]) == 0 })

	// All is delivered.
	b.press("deliver")
	b.press("Make the parcel")
	b.until("document.querySelector('[data-parcel=done] a')")
	href := eval[string](b, "document.querySelector('[data-parcel=done] a').getAttribute('href')")
	files := map[string][]byte{}
	data := s.get(href)
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if files[f.Name], err = io.ReadAll(r); err != nil {
			t.Fatal(err)
		}
	}
	name := st.Set.Name + "/"
	if !bytes.Equal(files[name+"pictures/yard.png"], s.get("/blobs/"+takeResult(t, &second).PNG+"?as=png")) {
		t.Error("the picture is not the shot's take")
	}
	validated(t, files[name+"set.glb"])
	m, err := gltf.Read("set.glb", files[name+"set.glb"], model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	if len(m.Cameras) != 1 || m.Cameras[0].Name != "yard" {
		t.Errorf("its cameras are %+v", m.Cameras)
	}

	// The parcel's set in the parcel's light, rendered by the program alone, is the parcel's picture but for its noise:
	// over squares of ten pixels.
	dir := t.TempDir()
	for from, to := range map[string]string{"set.glb": "set.glb", "finish/yard.rig.json": "rig.json",
		"linear/yard.exr": "was.exr"} {
		if err := os.WriteFile(filepath.Join(dir, to), files[name+from], 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if out, err := exec.Command(binary, "render", filepath.Join(dir, "set.glb"), "--light", filepath.Join(dir, "rig.json"),
		"--camera", "yard", "--size", "160x90", "--samples", "48", "--bounces", "4", "--out",
		filepath.Join(dir, "again.exr")).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	was, again := squares(t, filepath.Join(dir, "was.exr")), squares(t, filepath.Join(dir, "again.exr"))
	off, sum := 0.0, 0.0
	for i := range was {
		off, sum = off+math.Abs(was[i]-again[i]), sum+was[i]
	}
	if off/sum > 0.03 {
		t.Errorf("rendered by the program it is off by %.1f %%", 100*off/sum)
	}
}

// squares are the means of green over squares of ten pixels.
func squares(t *testing.T, path string) []float64 {
	t.Helper()
	f, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	e, err := openexr.Open(f)
	if err != nil {
		t.Fatal(err)
	}
	planes, err := e.Planes("G")
	if err != nil {
		t.Fatal(err)
	}
	out := make([]float64, e.Width/10*(e.Height/10))
	for i, v := range planes[0] {
		out[i/e.Width/10*(e.Width/10)+i%e.Width/10] += float64(v) / 100
	}
	return out
}

// picture is a PNG that the site has.
func (s *site) picture(blob string) image.Image {
	s.Helper()
	m, err := png.Decode(bytes.NewReader(s.get("/blobs/" + blob + "?as=png")))
	if err != nil {
		s.Fatal(err)
	}
	return m
}
