package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/chromedp/chromedp"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/query"
	"visator/core/geom"
)

// Ten pages of one browser hear of an edit, and one of them can still edit: they share
// one stream of events, where each with its own would use up the browser's
// connections.
func TestTenTabsOfOneBrowser(t *testing.T) {
	s := newSite(t)
	// Without a lens view: of several pages in one browser without a graphics card only
	// the one in front is given time to draw.
	first := browser(t, chromedp.Flag("disable-3d-apis", true))
	_, set := s.newSet()
	address := s.address + "/sets/" + set + "/intake"
	tabs := []*tab{first}
	for range 9 {
		ctx, cancel := chromedp.NewContext(first.ctx)
		t.Cleanup(cancel)
		// The page lives as long as the context of its first action.
		if err := chromedp.Do(ctx, screen(1280, 800)); err != nil {
			t.Fatal(err)
		}
		tabs = append(tabs, &tab{TB: t, ctx: ctx})
	}
	for _, b := range tabs {
		b.do(chromedp.Navigate(address))
		b.until("window.Alpine?.store('v')?.st && document.getElementById('message').textContent.includes('lens view')")
	}
	if code, out := s.post("/api/sets/"+set+"/edit",
		map[string]any{"revision": -1,
			"commands": []desk.Command{edit.Do(&edit.Place{StandIn: "box", At: geom.V{X: 1}})}}); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	for i, b := range tabs {
		b.until("Alpine.store('v').st.placements.length === 1")
		if n := eval[int](b,
			"performance.getEntriesByType('resource').filter((r) => r.name.endsWith('/api/events')).length"); n != 0 {
			t.Errorf("page %d has a stream of its own", i+1)
		}
	}
	for _, i := range []int{9, 4, 0} {
		eval[bool](tabs[i], "(Alpine.store('dress').place('', 'person', {x: 2, y: 0, z: 0}), true)")
	}
	for _, b := range tabs {
		b.until("Alpine.store('v').st.placements.length === 4")
	}
	metrics := string(s.get("/metrics"))
	if !strings.Contains(metrics, "visator_listeners 1\n") {
		t.Errorf("%.200s", metrics[strings.Index(metrics, "visator_listeners"):])
	}
}

// An edit whose answer is lost on the way is sent again and done once; one of which
// nobody knows for longer is told when the server is back.
func TestAnEditWhoseAnswerIsLost(t *testing.T) {
	s, b, set := newTab(t, "dress")
	eval[bool](b, `(() => {
		const real = fetch;
		window.lost = 0;
		window.fetch = async (...a) => {
			const r = await real(...a);
			if (String(a[0]).endsWith('/edit') && window.lost < window.lose) { window.lost++; throw new TypeError('the line was cut'); }
			return r;
		};
		window.lose = 2;
		return true;
	})()`)
	b.press("plain box")
	b.until("window.lost === 2 && document.getElementById('message').textContent.startsWith('Kept')")
	if st := s.state(set); len(st.Placements) != 1 {
		t.Errorf("%d boxes after one edit that was sent three times", len(st.Placements))
	}
	// All answers are lost: the page does not say that it failed, and finds out.
	eval[bool](b, "(window.lose = 100, true)")
	b.press("plain box")
	b.until("document.getElementById('message').textContent.includes('does not answer') || " +
		"document.getElementById('message').textContent.includes('was kept')")
	eval[bool](b, "(window.lose = 0, true)")
	s.kill()
	s.port = s.address[strings.LastIndex(s.address, ":")+1:]
	s.start()
	b.until("document.getElementById('message').textContent === 'Your last edit was kept.'")
	b.until("Alpine.store('v').st.placements.length === 2")
	if st := s.state(set); len(st.Placements) != 2 {
		t.Errorf("%d boxes", len(st.Placements))
	}
}

// Pictures of silhouettes that did not come are asked for again: the server was away
// just then, and an artist sees no empty line-up.
func TestWhatDidNotComeIsAskedForAgain(t *testing.T) {
	s := newSite(t)
	b := browser(t)
	set := b.production(s, "Away")
	takeAll(s, b, set, "things.zip", []string{"stool/stool.obj", solid(0.4, 0.45, 0.4), "door/door.obj",
		solid(0.9, 2.1, 0.05)})
	b.until("Alpine.store('v').st.pieces.length === 2")
	eval[bool](b, `(() => {
		const real = fetch;
		window.failed = 0;
		window.fetch = (...a) => (/outlines|size|sky|blobs/.test(String(a[0])) && window.failed < 8 ? (window.failed++, Promise.reject(new TypeError('away'))) : real(...a));
		return true;
	})()`)
	b.step("size")
	b.until("window.failed === 8 || document.querySelectorAll('#lineup [data-piece] > path[d*=L]').length === 2")
	b.until("document.querySelectorAll('#lineup [data-piece] > path[d*=L]').length === 2")
	b.until("Alpine.store('size').proposal?.candidates.length > 0")
	if n := eval[int](b, "window.failed"); n < 2 {
		t.Errorf("only %d requests failed: the test does not strike", n)
	}
}

// The sample production is made once, and what has become of it is left alone: a set
// without shots, another name. One that was cut while it was made lies in the bin.
func TestTheDemoDeletesNothing(t *testing.T) {
	s := newSite(t, "demo", "--takes=false")
	sampleSets(t, s)
	names := func() (list []string) {
		t.Helper()
		page := string(s.get("/"))
		for _, part := range strings.Split(page, `<h3 class="text-lg font-semibold">`)[1:] {
			list = append(list, part[:strings.Index(part, "<")])
		}
		return list
	}
	page := string(s.get("/"))
	at := strings.Index(page, "/sets/") + 6
	set := page[at : at+16]
	st := s.state(set)
	if len(st.Shots) != 4 || len(names()) != 1 {
		t.Fatalf("%d shots, %v", len(st.Shots), names())
	}
	var deeds []desk.Command
	for _, shot := range st.Shots {
		deeds = append(deeds, edit.Do(&edit.DeleteShot{ID: shot.ID}))
	}
	deeds = append(deeds, edit.Do(&edit.Place{StandIn: "person", Name: "somebody's own"}))
	if code, out := s.post("/api/sets/"+set+"/edit", map[string]any{"revision": -1, "commands": deeds}); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	again := func() {
		t.Helper()
		_ = s.cmd.Process.Signal(syscall.SIGTERM)
		_ = s.cmd.Wait()
		s.start()
	}
	again()
	now := s.state(set)
	if len(now.Shots) != 0 || len(now.Placements) != len(st.Placements)+1 || len(names()) != 1 {
		t.Errorf("%d shots, %d placements of %d, productions %v", len(now.Shots), len(now.Placements),
			len(st.Placements)+1, names())
	}
	// A backup, while it runs; into an empty place; the same set comes out.
	dir := t.TempDir()
	file := filepath.Join(dir, "all.visator")
	if out, err := exec.Command(binary, "backup", file, "--database", s.database, "--blobs", s.blobs, "--data",
		filepath.Join(dir, "a")).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	if out, err := exec.Command(binary, "backup", file, "--database", s.database, "--blobs", s.blobs, "--data",
		filepath.Join(dir, "a")).CombinedOutput(); err == nil || !strings.Contains(string(out), "there already") {
		t.Errorf("over a file: %v %s", err, out)
	}
	other := newSite(t)
	out, err := exec.Command(binary, "restore", file, "--database", other.database, "--blobs", other.blobs, "--data",
		filepath.Join(dir, "b")).CombinedOutput()
	if err != nil || !strings.Contains(string(out), "1 productions, 2 sets") {
		t.Fatalf("%v %s", err, out)
	}
	for _, path := range []string{"/export", "/credits?as=csv", "/cutouts?as=csv"} {
		if a, b := s.get("/api/sets/"+set+path), other.get("/api/sets/"+set+path); string(a) != string(b) ||
			len(a) < 30 {
			t.Errorf("%s: %d bytes here, %d there, not the same", path, len(a), len(b))
		}
	}
	raw, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	raw[withinBlob(t, raw)] ^= 1
	bad := filepath.Join(dir, "bad.visator")
	if err := os.WriteFile(bad, raw, 0o600); err != nil {
		t.Fatal(err)
	}
	third := newSite(t)
	if out, err := exec.Command(binary, "restore", bad, "--database", third.database, "--blobs", third.blobs, "--data",
		filepath.Join(dir, "c")).CombinedOutput(); err == nil || !strings.Contains(string(out), "nothing was changed") {
		t.Errorf("a damaged backup: %v %s", err, out)
	}
	if page := string(third.get("/")); !strings.Contains(page, "None yet.") {
		t.Error("a damaged backup changed something")
	}
}

// withinBlob is where a byte of the first file of a backup stands: between the files stand
// bytes that a zip says twice, and a change of one that nobody reads damages nothing.
func withinBlob(t *testing.T, backup []byte) int64 {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(backup), int64(len(backup)))
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range z.File {
		if strings.HasPrefix(f.Name, "blobs/") && f.UncompressedSize64 > 0 {
			at, err := f.DataOffset()
			if err != nil {
				t.Fatal(err)
			}
			return at + int64(f.UncompressedSize64)/2
		}
	}
	t.Fatal("no file in the backup")
	return 0
}

// sampleSets: the sample set is dressed with everything and shows no snag that is not meant;
// the second one shows every kind of snag.
func sampleSets(t *testing.T, s *site) {
	t.Helper()
	var sets []string
	for _, part := range strings.Split(string(s.get("/")), "/sets/")[1:] {
		sets = append(sets, part[:strings.Index(part, "/")])
	}
	if len(sets) != 2 {
		t.Fatalf("%d sets", len(sets))
	}
	measured := func(st *query.State) bool { return st.Measured != nil && st.Measured.Revision == st.Revision }
	st := s.await(sets[0], "the measuring", measured)
	have := map[string]bool{}
	for _, e := range st.Elements {
		have[e.Kind] = true
		if e.Error != "" || e.Laying {
			t.Errorf("%s: %s", e.Name, e.Error)
		}
	}
	for _, kind := range []string{"room", "row", "line", "drift", "ground", "path", "water", "card", "layer", "group",
		"meant", "limit"} {
		if !have[kind] {
			t.Errorf("the sample set has no %s", kind)
		}
	}
	for _, n := range st.Snags {
		if n.Step == "dress" || n.Step == "surface" {
			t.Errorf("unexplained: %s", n.What)
		}
	}
	shown := map[string]bool{}
	for _, n := range s.await(sets[1], "the measuring of the faults", measured).Snags {
		shown[n.Kind] = true
	}
	for _, kind := range []string{"floating", "sunk", "overlap", "flush", "below", "twins", "door", "unseen", "far",
		"hole", "budget"} {
		if !shown[kind] {
			t.Errorf("the set of faults shows no %s", kind)
		}
	}
}

// A production that lies in the bin is told of on the first page, with what goes with
// it, is brought back there, and put away again.
func TestTheBinOnTheFirstPage(t *testing.T) {
	s := newSite(t)
	production, set := s.newSet()
	if code, out := s.post("/api/sets/"+set+"/edit",
		map[string]any{"revision": -1,
			"commands": []desk.Command{edit.Do(&edit.Place{StandIn: "box", Name: "touched"})}}); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	if code, out := s.form("/bin/production/"+production, nil); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	b := browser(t)
	b.do(chromedp.Navigate(s.address))
	b.until("document.querySelector('[data-binned=production]')?.textContent.includes('1 set, 0 pieces, 1 placement')")
	if n := eval[int](b, "document.querySelectorAll('[data-production]').length"); n != 0 {
		t.Errorf("%d productions", n)
	}
	// A person brings it back.
	b.click("[data-binned=production] button")
	b.until("document.querySelectorAll('[data-production]').length === 1 && !document.querySelector('[data-binned]')")
	if got := s.state(set); len(got.Placements) != 1 || got.Placements[0].Name != "touched" {
		t.Errorf("%+v", got.Placements)
	}
	// And puts it away again, told what goes with it.
	find := fmt.Sprintf("[data-production=%q]", production)
	b.click(find + " details summary")
	b.until(fmt.Sprintf("document.querySelector('%s form p').textContent.includes('(sets: 1, pieces: 0, shots: 0)')",
		strings.ReplaceAll(find, `"`, `\"`)))
	b.click(find + " details form button")
	b.until("document.querySelector('[data-binned=production]')")
	raw, _ := json.Marshal(eval[string](b, "document.querySelector('#bin').textContent"))
	if !strings.Contains(string(raw), "30 days left") {
		t.Errorf("%s", raw)
	}
}
