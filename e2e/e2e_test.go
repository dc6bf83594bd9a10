// Package e2e drives the real program through a real browser, as a person
// does: with mouse and keyboard, on real files.
package e2e

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"

	"visator/app/query"
	"visator/store/storetest"
)

var binary string

func TestMain(m *testing.M) { os.Exit(run(m)) }

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "visator-e2e-*")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	binary = filepath.Join(dir, "visator")
	if out, err := exec.Command("go", "build", "-o", binary, "visator/cmd/visator").CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "building: %v\n%s", err, out)
		return 1
	}
	defer closeIdle()
	return storetest.Run(m)
}

// site is a running server.
type site struct {
	testing.TB
	call            []string // of the program
	database, blobs string
	address         string
	every           time.Duration // between two looks of await; 0 is often
	patience        time.Duration // of await, when it is long
	port            string        // that it takes; "" any
	by              *tab          // the browser of whoever asks; nil is nobody
	cmd             *exec.Cmd
}

// newest is the site that a test made last, by the test: its first browser is whoever asks. Tests that are mostly
// waiting run beside each other.
var newest sync.Map

// newSite starts the program's serve, or another of its commands.
func newSite(t testing.TB, call ...string) *site {
	t.Helper()
	if len(call) == 0 {
		call = []string{"serve"}
	}
	s := &site{TB: t, call: call, database: storetest.DSN(t), blobs: t.TempDir()}
	newest.Store(t, s)
	t.Cleanup(func() { newest.Delete(t) })
	s.start()
	t.Cleanup(func() {
		if s.cmd != nil {
			_ = s.cmd.Process.Signal(syscall.SIGTERM)
			_ = s.cmd.Wait()
		}
	})
	return s
}

// start starts the server and waits for the address that it prints.
func (s *site) start() {
	s.Helper()
	cmd := exec.Command(binary, append(s.call, "--port", or(s.port, "0"), "--database", s.database, "--blobs",
		s.blobs)...)
	out, err := cmd.StdoutPipe()
	if err != nil {
		s.Fatal(err)
	}
	cmd.Stderr = os.Stderr
	if err := cmd.Start(); err != nil {
		s.Fatal(err)
	}
	s.cmd = cmd
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, at, ok := strings.Cut(lines.Text(), "Visator is at "); ok {
			s.address = at
			go io.Copy(io.Discard, out)
			return
		}
	}
	s.Fatal("the server did not print its address")
}

func or(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// kill ends the server without warning.
func (s *site) kill() {
	s.Helper()
	_ = s.cmd.Process.Kill()
	_ = s.cmd.Wait()
	s.cmd = nil
}

// person is what the browser is known by, of whoever asks.
func (s *site) person(req *http.Request) {
	s.Helper()
	if s.by == nil {
		return
	}
	if s.by.known == "" {
		list, err := chromedp.Run(s.by.ctx,
			chromedp.Action[string](func(ctx context.Context, t *chromedp.Target) (string, error) {
				r, err := cdp.Call(ctx, t, network.GetCookies, network.GetCookiesParams{URLs: []string{s.address}})
				if err != nil {
					return "", err
				}
				for _, c := range r.Cookies {
					if c.Name == "__Host-visator" {
						return c.Value, nil
					}
				}
				return "", nil
			}))
		if err != nil || list == "" {
			return // no page was opened yet
		}
		s.by.known = list
	}
	req.AddCookie(&http.Cookie{Name: "__Host-visator", Value: s.by.known})
}

func (s *site) get(path string) []byte {
	s.Helper()
	req, err := http.NewRequest(http.MethodGet, s.address+path, nil)
	if err != nil {
		s.Fatal(err)
	}
	s.person(req)
	r, err := http.DefaultClient.Do(req)
	if err != nil {
		s.Fatal(err)
	}
	defer r.Body.Close()
	body, err := io.ReadAll(r.Body)
	if err != nil || r.StatusCode != http.StatusOK {
		s.Fatalf("%s: %d, %v: %s", path, r.StatusCode, err, body)
	}
	return body
}

func (s *site) state(set string) *query.State {
	s.Helper()
	var st query.State
	body := s.get("/api/sets/" + set + "/state")
	if err := json.Unmarshal(body, &st); err != nil {
		s.Fatalf("the state, of %d bytes: %v", len(body), err)
	}
	return &st
}

// post sends JSON as a page of the site itself does.
func (s *site) post(path string, body any) (int, []byte) {
	s.Helper()
	raw, _ := json.Marshal(body)
	return s.send(path, bytes.NewReader(raw))
}

func (s *site) send(path string, body io.Reader) (int, []byte) {
	s.Helper()
	req, err := http.NewRequest(http.MethodPost, s.address+path, body)
	if err != nil {
		s.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	s.person(req)
	r, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, []byte(err.Error())
	}
	defer r.Body.Close()
	out, _ := io.ReadAll(r.Body)
	return r.StatusCode, out
}

// await looks again until ok.
func (s *site) await(set, what string, ok func(*query.State) bool) *query.State {
	s.Helper()
	var last string
	for deadline := time.Now().Add(max(hung, s.patience)); time.Now().Before(deadline); time.Sleep(max(s.every,
		150*time.Millisecond)) {
		st := s.state(set)
		if ok(st) {
			return st
		}
		last = st.Undo
	}
	s.Fatalf("waited in vain for %s; the last edit was %q", what, last)
	return nil
}

// tab is a page in the browser.
type tab struct {
	testing.TB
	ctx   context.Context
	known string // what its browser is known by
}

// idle are browsers that are open, with no page of a test: the next test takes one, which is quicker than to start it.
var idle struct {
	sync.Mutex
	list []context.Context
	end  []func()
}

// started is a browser of its own.
func started(t testing.TB, more ...chromedp.ExecAllocatorOption) (ctx context.Context, end func()) {
	t.Helper()
	path, err := exec.LookPath("chromium")
	if err != nil {
		if os.Getenv("VISATOR_FULL") != "" {
			t.Fatal("install Debian's package chromium")
		}
		t.Skip("needs Debian's package chromium")
	}
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox,
		chromedp.Flag("disable-gpu", false),
		chromedp.Flag("use-angle", "swiftshader"), chromedp.Flag("enable-unsafe-swiftshader", true),
		chromedp.Flag("disable-gpu-rasterization", true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-dev-shm-usage", true),
		// Without a graphics card the page is put together faster by the processor itself.
		chromedp.Flag("disable-gpu-compositing", true))
	alloc, over := chromedp.NewExecAllocator(context.Background(), append(opts, more...)...)
	ctx, cancel := chromedp.NewContext(alloc)
	return ctx, func() {
		_ = chromedp.Cancel(ctx) // waits until it is closed
		cancel()
		over()
	}
}

// closeIdle closes the browsers that are open.
func closeIdle() {
	for _, end := range idle.end {
		end()
	}
}

// browser is a page in a browser that no other has: of two pages in one only the one in front is drawn for certain.
// What the browser remembers begins empty.
func browser(t testing.TB, more ...chromedp.ExecAllocatorOption) *tab {
	t.Helper()
	if len(more) > 0 {
		ctx, end := started(t, more...)
		t.Cleanup(end)
		return opened(t, ctx)
	}
	idle.Lock()
	var whole context.Context
	if n := len(idle.list); n > 0 {
		whole, idle.list = idle.list[n-1], idle.list[:n-1]
	}
	idle.Unlock()
	if whole == nil {
		var end func()
		whole, end = started(t)
		if err := chromedp.Do(whole); err != nil {
			end()
			t.Fatal(err)
		}
		idle.Lock()
		idle.end = append(idle.end, end)
		idle.Unlock()
	}
	ctx, cancel := chromedp.NewContext(whole, chromedp.WithNewBrowserContext())
	t.Cleanup(func() {
		if err := chromedp.Cancel(ctx); err != nil { // it is of no use to another test
			t.Logf("closing the page: %v", err)
			cancel()
			return
		}
		idle.Lock()
		defer idle.Unlock()
		idle.list = append(idle.list, whole)
	})
	return opened(t, ctx)
}

// opened is the page of a context.
func opened(t testing.TB, ctx context.Context) *tab {
	t.Helper()
	// A fault of the page's own, or something that its policy refused, fails the test.
	var mu sync.Mutex
	var faults []string
	if err := chromedp.Listen(ctx, func(ev any) {
		said := ""
		switch e := ev.(type) {
		case *runtime.EventExceptionThrown:
			said = e.ExceptionDetails.Text
			if x := e.ExceptionDetails.Exception; x != nil {
				said += " " + x.Description
			}
		case *log.EventEntryAdded:
			if e.Entry.Level == "error" && e.Entry.Source != "network" {
				said = e.Entry.Text
			}
		}
		if said != "" {
			mu.Lock()
			defer mu.Unlock()
			faults = append(faults, said)
		}
	}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		mu.Lock()
		defer mu.Unlock()
		for _, f := range faults {
			t.Errorf("in the page's console: %s", f)
		}
	})
	// The page lives as long as the context of its first action.
	if err := chromedp.Do(ctx, screen(1280, 800)); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if t.Failed() {
			said, _ := chromedp.Run(ctx, chromedp.Evaluate[string](atTheEnd))
			t.Logf("the page at the end, %s", said)
		}
	})
	b := &tab{TB: t, ctx: ctx}
	if s, ok := newest.Load(t); ok && s.(*site).by == nil {
		s.(*site).by = b
	}
	return b
}

// screen is one of so many pixels of the page. It has half of them itself: drawing takes a good part of all the time
// without a graphics card.
func screen(width, height int64) chromedp.Action[chromedp.Void] {
	return chromedp.EmulateViewport(width, height, chromedp.EmulateScale(0.5))
}

// atTheEnd says what a page of which something was awaited in vain knows and does.
const atTheEnd = `(() => {
	const v = globalThis.Alpine?.store?.("v"), said = document.getElementById("message")?.textContent;
	if (!v) return location.pathname + ": " + said;
	const { waiting, sel, tool, piece, asking, askAgain, stale, looks, seen, later, proposal, plan } = v;
	return location.pathname + ": " + said + " " + JSON.stringify({ revision: v.st?.revision, waiting, sel, tool, piece, asking, askAgain, stale, looks, seen, later,
		proposed: proposal && [proposal.id, proposal.candidates?.length], plan: plan && [plan.x, plan.z, plan.px, plan.touched, plan.dragged],
		lens: v.lens && { asked: v.lens.asked, turn: Boolean(v.lens.turn), coming: v.lens.coming }, coming: v.coming,
		middle: window.middle, hidden: document.hidden, visible: document.visibilityState });
})()`

func (b *tab) do(steps ...chromedp.Action[chromedp.Void]) {
	b.Helper()
	ctx, stop := context.WithTimeout(b.ctx, time.Minute)
	defer stop()
	if err := chromedp.Do(ctx, steps...); err != nil {
		b.Fatalf("in the browser: %v", err)
	}
}

func eval[T any](b *tab, js string) T {
	b.Helper()
	v, err := chromedp.Run(b.ctx, chromedp.Evaluate[T](js))
	if err != nil {
		b.Fatalf("%s: %v", js, err)
	}
	return v
}

// hung is after how long something that is awaited is given up: long, since on a busy machine
// a page in software takes many times as long; what never comes is found out all the same.
const hung = 3 * time.Minute

// until waits for a condition in the page, across navigations too.
func (b *tab) until(js string) {
	b.Helper()
	for deadline := time.Now().Add(hung); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		if ok, err := chromedp.Run(b.ctx, chromedp.Evaluate[bool]("Boolean("+js+")")); err == nil && ok {
			return
		}
	}
	message, _ := chromedp.Run(b.ctx,
		chromedp.Evaluate[string]("document.getElementById('message')?.textContent || ''"))
	b.Fatalf("waited in vain for %s; the page says %q", js, message)
}

// middle is where in the page the middle of an element is, scrolled into view and
// at rest, as a person waits for it; find is JavaScript, or a selector.
func (b *tab) middle(find string) [2]float64 {
	b.Helper()
	if !strings.HasPrefix(find, "[...") {
		q, _ := json.Marshal(find)
		find = fmt.Sprintf("document.querySelector(%s)", q)
	}
	eval[bool](b, "(window.middle = [], true)")
	b.until(fmt.Sprintf(`(e => {
		const v = window.Alpine?.store('v');
		if (!e?.getClientRects().length || v?.waiting || v?.later || v?.lens?.asked || v?.lens?.turn || v?.lens?.coming) return false;
		e.scrollIntoView({block: 'nearest'});
		const r = e.getBoundingClientRect(), was = window.middle;
		window.middle = [r.x + r.width / 2, r.y + r.height / 2];
		return was[0] === window.middle[0] && was[1] === window.middle[1];
	})(%s)`, find))
	return [2]float64(eval[[]float64](b, "window.middle"))
}

// click clicks what a selector finds, in its middle, with the mouse.
func (b *tab) click(selector string) {
	b.Helper()
	at := b.middle(selector)
	b.do(chromedp.MouseClickXY(at[0], at[1]))
}

// press clicks the visible button, link or box to tick with this text.
func (b *tab) press(text string) {
	b.Helper()
	q, _ := json.Marshal(text)
	find := fmt.Sprintf("[...document.querySelectorAll('button, a, summary, label')].find(e => e.textContent.trim() "+
		"=== %s && e.getClientRects().length)", q)
	b.until(find + " && !" + find + ".disabled")
	at := b.middle(find)
	b.do(chromedp.MouseClickXY(at[0], at[1]))
}

// fill types into the visible field with this label and confirms with Enter.
func (b *tab) fill(label, text string) {
	b.Helper()
	q, _ := json.Marshal(label)
	find := fmt.Sprintf("[...document.querySelectorAll('input')].find(e => e.getAttribute('aria-label') === %s && "+
		"e.getClientRects().length)", q)
	b.until(find)
	eval[bool](b, fmt.Sprintf("(e => { e.scrollIntoView({block: 'nearest'}); e.focus(); e.select(); return true })(%s)",
		find))
	b.do(chromedp.KeyEvent(text), chromedp.KeyEvent("\r"))
	eval[bool](b, "(document.activeElement.blur(), true)")
}

// choose takes the option of the list with this label whose words begin so.
func (b *tab) choose(label, words string) {
	b.Helper()
	l, _ := json.Marshal(label)
	w, _ := json.Marshal(words)
	find := fmt.Sprintf("[...document.querySelectorAll('select')].find(e => e.getAttribute('aria-label') === %s && "+
		"e.getClientRects().length)", l)
	b.until(fmt.Sprintf("[...(%s?.options || [])].some(o => o.text.startsWith(%s))", find, w))
	eval[bool](b, fmt.Sprintf("(e => { e.value = [...e.options].find(o => o.text.startsWith(%s)).value; "+
		"e.dispatchEvent(new Event('change', {bubbles: true})); return true })(%s)", w, find))
}

// drag presses the mouse at a, moves to z in steps and lets go.
func (b *tab) drag(a, z [2]float64) {
	b.Helper()
	b.do(chromedp.DragAndDropXY(a[0], a[1], z[0], z[1], 6))
}

// production makes one as a person does, and returns its first set.
func (b *tab) production(s *site, name string) (set string) {
	b.Helper()
	b.do(chromedp.Navigate(s.address))
	b.click("input[name=name]")
	b.do(chromedp.KeyEvent(name))
	b.press("Make it")
	b.until("document.documentElement.dataset.ready === 'yes'")
	return eval[string](b, "document.documentElement.dataset.set")
}

// dropFiles lets go of files and folders over what a selector finds, as they
// come from a window of the desktop.
func (b *tab) dropFiles(selector string, paths ...string) {
	b.Helper()
	at := b.middle(selector)
	b.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		for _, kind := range []input.DispatchDragEventType{input.DispatchDragEventTypeDragEnter,
			input.DispatchDragEventTypeDragOver, input.DispatchDragEventTypeDrop} {
			if _, err := cdp.Call(ctx, t, input.DispatchDragEvent, input.DispatchDragEventParams{Type: kind, X: at[0],
				Y: at[1],
				Data: &input.DragData{Items: []*input.DragDataItem{}, Files: paths,
					DragOperationsMask: 1}}); err != nil {
				return err
			}
		}
		return nil
	}))
}

// go_ goes to a step of the rail and waits until the page is ready.
func (b *tab) step(name string) {
	b.Helper()
	b.click(fmt.Sprintf("nav a[href=%s]", name))
	b.until(fmt.Sprintf("document.querySelector('main').dataset.step === %q", name))
}
