package web_test

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"mime/multipart"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"visator/app/desk"
	"visator/app/edit"
	"visator/store"
	"visator/web"
)

// What those see who run the server.
func TestTheServerSeenFromOutside(t *testing.T) {
	s := newSite(t)
	_, set, err := s.app.NewProduction(context.Background(), "seen", "metre")
	if err != nil {
		t.Fatal(err)
	}
	if r, body := s.do("POST", "/api/sets/"+set+"/edit",
		strings.NewReader(`{"revision":-1,"commands":[{"op":"place","args":{"standIn":"box"}}]}`), "Sec-Fetch-Site",
		"same-origin"); r.StatusCode != 200 {
		t.Fatalf("%d %s", r.StatusCode, body)
	}
	for path, want := range map[string][]string{
		"/healthz": {"ok\n"},
		"/readyz":  {"database: ok", "blobs: ok", "room on the disk: ok", "queue: ok"},
		"/metrics": {`visator_requests_total{method="POST",route="/api/sets/:set/edit",status="200"} 1`,
			"visator_edits ",
			"visator_render_samples ", "visator_pool_limit 16", "visator_listeners 0", "visator_measuring_lag_seconds ",
			"visator_disk_free_bytes ", "visator_request_seconds_bucket"},
	} {
		r, body := s.do("GET", path, nil)
		if r.StatusCode != 200 || r.Header.Get("X-Request-Id") == "" {
			t.Errorf("%s: %d", path, r.StatusCode)
		}
		for _, w := range want {
			if !strings.Contains(body, w) {
				t.Errorf("%s does not tell %q:\n%s", path, w, body)
			}
		}
	}
	// The address of a page that does not exist makes no new row of figures.
	for _, p := range []string{"/sets/a/dress", "/sets/b/dress", "/nothing/a", "/nothing/b"} {
		s.do("GET", p, nil)
	}
	if _, body := s.do("GET", "/metrics", nil); strings.Contains(body, "/sets/a") || strings.Contains(body, "nothing") {
		t.Error("figures grow with what is asked for")
	}
}

// Pages are kept apart from those of other sites, and what they are known by is not
// for scripts.
func TestPagesAreKeptApart(t *testing.T) {
	s := newSite(t)
	r, _ := s.do("GET", "/", nil, "Accept", "text/html")
	for name, want := range map[string]string{"Cross-Origin-Opener-Policy": "same-origin",
		"Cross-Origin-Resource-Policy": "same-origin"} {
		if got := r.Header.Get(name); got != want {
			t.Errorf("%s is %q", name, got)
		}
	}
	if csp := r.Header.Get("Content-Security-Policy"); strings.Contains(csp, "unsafe-inline") ||
		!strings.Contains(csp, "worker-src 'self'") {
		t.Errorf("policy %q", csp)
	}
	known := ""
	for _, c := range r.Cookies() {
		if !strings.HasPrefix(c.Name, "__Host-") || !c.Secure || !c.HttpOnly || c.Path != "/" || c.Domain != "" ||
			c.SameSite != http.SameSiteStrictMode {
			t.Errorf("cookie %+v", c)
		}
		if c.Name == "__Host-visator" {
			known = c.Value
		}
	}
	if len(known) != 26 {
		t.Fatalf("the browser is not known: %q", known)
	}
	// Two browsers are two people; who is known by nothing gets nothing.
	_, set, err := s.app.NewProduction(context.Background(), "two", "metre")
	if err != nil {
		t.Fatal(err)
	}
	as := func(who, path, body string) string {
		t.Helper()
		_, out := s.do("POST", path, strings.NewReader(body), "Sec-Fetch-Site", "same-origin", "Cookie",
			"__Host-visator="+who)
		return out
	}
	other := strings.Repeat("Q", 26)
	as(known, "/api/sets/"+set+"/edit",
		`{"revision":-1,"commands":[{"op":"place","args":{"standIn":"box","name":"mine"}}]}`)
	if out := as(other, "/api/sets/"+set+"/undo", `{}`); !strings.Contains(out, "nothing left to undo") {
		t.Errorf("another undoes it: %s", out)
	}
	if out := as(known, "/api/sets/"+set+"/undo", `{"request":"once"}`); !strings.Contains(out, "place mine") {
		t.Errorf("%s", out)
	}
	if _, out := s.do("GET", "/api/sets/"+set+"/requests/once", nil); !strings.Contains(out, `"kept":true`) {
		t.Errorf("%s", out)
	}
}

// A body that does not come is waited for no longer than its deadline; one that came
// leaves what is done with it all the time it takes.
func TestBodiesHaveDeadlines(t *testing.T) {
	old := web.SetDeadlines(300*time.Millisecond, 300*time.Millisecond)
	defer old()
	s := newSite(t)
	production, set, err := s.app.NewProduction(context.Background(), "slow", "metre")
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range []string{"/api/sets/" + set + "/edit",
		"/api/productions/" + production + "/arrivals?name=a.obj"} {
		conn, err := net.Dial("tcp", s.Listener.Addr().String())
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(conn, "POST %s HTTP/1.1\r\nHost: 127.0.0.1\r\nSec-Fetch-Site: same-origin\r\nContent-Length: "+
			"1000\r\n\r\n{", path)
		_ = conn.SetReadDeadline(time.Now().Add(20 * time.Second))
		answer, err := bufio.NewReader(conn).ReadString('\n')
		if err != nil || !strings.Contains(answer, " 4") {
			t.Errorf("%s: %q, %v", path, answer, err)
		}
		_ = conn.Close()
	}
	// Fast to come, slow to be done: it holds the lock of the production meanwhile.
	tx, err := s.app.Store.Pool.Begin(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := store.LockProduction(context.Background(), tx, production); err != nil {
		t.Fatal(err)
	}
	time.AfterFunc(1200*time.Millisecond, func() { _ = tx.Rollback(context.Background()) })
	if r, body := s.do("POST", "/api/sets/"+set+"/edit",
		strings.NewReader(`{"revision":-1,"commands":[{"op":"place","args":{"standIn":"box"}}]}`), "Sec-Fetch-Site",
		"same-origin"); r.StatusCode != 200 {
		t.Errorf("%d %s", r.StatusCode, body)
	}
}

// From the first page a production goes into the bin and back, and out into a file
// and in again.
func TestTheFirstPage(t *testing.T) {
	s := newSite(t)
	production, set, err := s.app.NewProduction(context.Background(), "Old Mill", "metre")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.app.Edit(context.Background(), set,
		desk.Request{Revision: -1, Commands: []desk.Command{edit.Do(&edit.Place{StandIn: "box"})}}); err != nil {
		t.Fatal(err)
	}
	own := []string{"Sec-Fetch-Site", "same-origin", "Content-Type", "application/x-www-form-urlencoded"}
	r, file := s.do("GET", "/productions/"+production+"/file", nil)
	if r.StatusCode != 200 || !strings.Contains(r.Header.Get("Content-Disposition"), "Old Mill.visator") {
		t.Fatalf("%d %v", r.StatusCode, r.Header)
	}
	if r, _ := s.do("POST", "/bin/production/"+production, strings.NewReader(""),
		own...); r.StatusCode != http.StatusSeeOther {
		t.Fatalf("%d", r.StatusCode)
	}
	_, page := s.do("GET", "/", nil)
	if strings.Contains(page, `data-production="`+production) || !strings.Contains(page, `data-binned="production"`) ||
		!strings.Contains(page, "1 set, 0 pieces, 1 placement, 0 takes") || !strings.Contains(page, "30 days left") {
		t.Errorf("in the bin:\n%s", page)
	}
	if r, body := s.do("GET", "/sets/"+set+"/dress", nil); r.StatusCode != 404 {
		t.Errorf("%d %s", r.StatusCode, body)
	}
	if r, _ := s.do("POST", "/bin/production/"+production+"/back", strings.NewReader(""),
		own...); r.StatusCode != http.StatusSeeOther {
		t.Errorf("%d", r.StatusCode)
	}
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, _ := w.CreateFormFile("file", "Old Mill.visator")
	_, _ = part.Write([]byte(file))
	_ = w.Close()
	r, body := s.do("POST", "/productions/take-in", &form, "Sec-Fetch-Site", "same-origin", "Content-Type",
		w.FormDataContentType())
	if r.StatusCode != http.StatusSeeOther {
		t.Fatalf("%d %s", r.StatusCode, body)
	}
	if _, page := s.do("GET", "/", nil); !strings.Contains(page, "Old Mill 2") ||
		!strings.Contains(page, `data-production="`+production) {
		t.Errorf("taken in:\n%s", page)
	}
}
