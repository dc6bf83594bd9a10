package web_test

import (
	"compress/gzip"
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"visator/app"
	"visator/app/desk"
	"visator/app/edit"
	"visator/jobs"
	"visator/store/storetest"
	"visator/web"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// site is the interface on a fresh database, without workers.
type site struct {
	*testing.T
	*httptest.Server
	app    *app.App
	client *http.Client
}

func newSite(t *testing.T) *site {
	t.Helper()
	log := slog.New(slog.DiscardHandler)
	a := app.New(storetest.Open(t))
	if _, err := jobs.Open(context.Background(), a, 0, log); err != nil {
		t.Fatal(err)
	}
	server, err := web.New(a, "", log)
	if err != nil {
		t.Fatal(err)
	}
	jar, _ := cookiejar.New(nil)
	s := &site{t, httptest.NewServer(server.Handler()), a,
		&http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error {
			return http.ErrUseLastResponse
		}}}
	t.Cleanup(s.Close)
	return s
}

func (s *site) do(method, path string, body io.Reader, headers ...string) (*http.Response, string) {
	s.Helper()
	req, err := http.NewRequest(method, s.URL+path, body)
	if err != nil {
		s.Fatal(err)
	}
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	r, err := s.client.Do(req)
	if err != nil {
		s.Fatal(err)
	}
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	if err != nil {
		s.Fatal(err)
	}
	return r, string(text)
}

func TestPagesComeWithTheirProtection(t *testing.T) {
	s := newSite(t)
	r, body := s.do("GET", "/", nil)
	if r.StatusCode != 200 || !strings.Contains(body, "None yet.") {
		t.Fatalf("%d %s", r.StatusCode, body)
	}
	for name, want := range map[string]string{"X-Frame-Options": "DENY", "X-Content-Type-Options": "nosniff",
		"Referrer-Policy": "same-origin", "Content-Security-Policy": "default-src 'self'", "Cache-Control": "no-store",
		"Content-Type": "text/html"} {
		if got := r.Header.Get(name); !strings.Contains(got, want) {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	for _, c := range r.Cookies() {
		if c.SameSite != http.SameSiteStrictMode {
			t.Errorf("the cookie %s is sent along from other sites", c.Name)
		}
	}
	// Nothing of the page comes from elsewhere.
	if out := regexp.MustCompile(`(src|href)="(https?:)?//`).FindString(body); out != "" {
		t.Errorf("the page asks another host: %s", out)
	}
}

func TestAFormNeedsTheTokenOfItsPage(t *testing.T) {
	s := newSite(t)
	_, body := s.do("GET", "/", nil)
	token := regexp.MustCompile(`name="csrf" value="([^"]+)"`).FindStringSubmatch(body)
	if token == nil {
		t.Fatal("no token in the form")
	}
	form := func(token string) (int, string) {
		r, body := s.do("POST", "/productions",
			strings.NewReader(url.Values{"name": {"<script>alert(1)</script>"}, "unit": {"foot"},
				"csrf": {token}}.Encode()),
			"Content-Type", "application/x-www-form-urlencoded")
		return r.StatusCode, r.Header.Get("Location") + body
	}
	if code, _ := form("guessed"); code != http.StatusForbidden {
		t.Errorf("a guessed token: %d", code)
	}
	code, to := form(token[1])
	if code != http.StatusSeeOther || !strings.HasSuffix(to, "/intake") {
		t.Fatalf("%d %s", code, to)
	}
	// What people call things is text and nothing else.
	for _, page := range []string{"/", to} {
		if _, body := s.do("GET", page, nil); strings.Contains(body, "<script>alert") ||
			!strings.Contains(body, "&lt;script&gt;") {
			t.Errorf("%s: the name is not escaped", page)
		}
	}
	for step, want := range map[string]int{"size": 200, "shoot": 200} {
		if r, _ := s.do("GET", strings.Replace(to, "intake", step, 1), nil); r.StatusCode != want {
			t.Errorf("%s: %d", step, r.StatusCode)
		}
	}
}

func TestLengthsAreReadByTheServer(t *testing.T) {
	s := newSite(t)
	for text, want := range map[string]string{"6' 1\"": `"metres":1.8542`, "2.4m - 18cm": `"text":"222.0 cm"`,
		"85": `"metres":0.85`} {
		r, body := s.do("GET", "/api/length?unit=centimetre&text="+url.QueryEscape(text), nil)
		if r.StatusCode != 200 || !strings.Contains(body, want) {
			t.Errorf("%s: %d %s", text, r.StatusCode, body)
		}
	}
	if r, body := s.do("GET", "/api/length?text=wide", nil); r.StatusCode != 422 ||
		!strings.Contains(body, "is not a length") {
		t.Errorf("%d %s", r.StatusCode, body)
	}
}

func TestBlobsAreServedAsWhatTheyAreAskedForAndNothingElse(t *testing.T) {
	s := newSite(t)
	hash, _, err := s.app.Store.PutBlob(context.Background(), strings.NewReader("<html>"), 0)
	if err != nil {
		t.Fatal(err)
	}
	for as, want := range map[string]string{"png": "image/png", "html": "application/octet-stream",
		"": "application/octet-stream"} {
		r, body := s.do("GET", "/blobs/"+hash+"?as="+as, nil)
		if r.Header.Get("Content-Type") != want || body != "<html>" {
			t.Errorf("as %q: %s", as, r.Header.Get("Content-Type"))
		}
	}
	r, _ := s.do("GET", "/blobs/"+hash+"?as=png&name="+url.QueryEscape("a\"\r\nX-Bad: 1.png"), nil)
	if r.Header.Get("X-Bad") != "" || !strings.HasPrefix(r.Header.Get("Content-Disposition"), "attachment") {
		t.Errorf("headers %v", r.Header)
	}
	for _, name := range []string{strings.Repeat("0", 64), "..%2f..%2fetc%2fpasswd", "short"} {
		if r, _ := s.do("GET", "/blobs/"+name, nil); r.StatusCode != 404 {
			t.Errorf("%s: %d", name, r.StatusCode)
		}
	}
	// A part of a video can be asked for.
	if r, body := s.do("GET", "/blobs/"+hash+"?as=mp4", nil, "Range",
		"bytes=1-4"); r.StatusCode != http.StatusPartialContent || body != "html" {
		t.Errorf("%d %q", r.StatusCode, body)
	}
}

func TestWhatIsNotThereIsSaidInWords(t *testing.T) {
	s := newSite(t)
	for path, want := range map[string]int{"/nothing": 404, "/sets/nothing/dress": 404, "/api/sets/nothing/state": 404,
		"/static/nothing.js": 404, "/api/standins/dragon": 404} {
		r, body := s.do("GET", path, nil)
		if r.StatusCode != want || len(strings.TrimSpace(body)) < 5 || strings.Contains(body, "sql") {
			t.Errorf("%s: %d %q", path, r.StatusCode, body)
		}
	}
	if r, _ := s.do("GET", "/healthz", nil); r.StatusCode != 200 {
		t.Errorf("health: %d", r.StatusCode)
	}
	if r, body := s.do("GET", "/api/standins/person", nil); r.StatusCode != 200 || !strings.HasPrefix(body, "glTF") {
		t.Errorf("the person: %d", r.StatusCode)
	}
	// More than an edit can be is refused before it is read.
	r, _ := s.do("POST", "/api/sets/x/edit", strings.NewReader(`{"commands":["`+strings.Repeat("a", 5<<20)+`"]}`),
		"Sec-Fetch-Site", "same-origin")
	if r.StatusCode != http.StatusRequestEntityTooLarge {
		t.Errorf("five megabytes: %d", r.StatusCode)
	}
}

// The scripts, styles and fonts that pages name are in the binary.
func TestEverythingThatPagesNameIsThere(t *testing.T) {
	s := newSite(t)
	_, css := s.do("GET", "/static/app.css", nil)
	names := []string{"app.css", "main.js"}
	for _, m := range regexp.MustCompile(`url\(([^)]+\.woff2)\)`).FindAllStringSubmatch(css, -1) {
		names = append(names, strings.Trim(m[1], `"'`))
	}
	_, js := s.do("GET", "/static/main.js", nil)
	for _, m := range regexp.MustCompile(`["']\./([a-z0-9A-Z_-]+\.js)["']`).FindAllStringSubmatch(js, -1) {
		names = append(names, m[1])
	}
	if len(names) < 6 {
		t.Fatalf("only %v", names)
	}
	for _, n := range names {
		if r, body := s.do("GET", "/static/"+n, nil); r.StatusCode != 200 || len(body) < 300 {
			t.Errorf("%s: %d, %d bytes", n, r.StatusCode, len(body))
		}
	}
}

func TestOutlinesAreAskedForByPiece(t *testing.T) {
	s := newSite(t)
	_, set, err := s.app.NewProduction(context.Background(), "one", "metre")
	if err != nil {
		t.Fatal(err)
	}
	if r, body := s.do("GET", "/api/sets/"+set+"/outlines?of=nothing,", nil); r.StatusCode != 200 ||
		strings.TrimSpace(body) != "{}" {
		t.Errorf("%d %s", r.StatusCode, body)
	}
	if r, body := s.do("GET", "/api/sets/none/outlines?of=x", nil); r.StatusCode != 404 ||
		!strings.Contains(body, "The set") {
		t.Errorf("%d %s", r.StatusCode, body)
	}
}

// Another set is made from the home page; what is described in it is handed out
// as GLB and as packed places; what is not there is said.
func TestWhatIsDescribedIsHandedOut(t *testing.T) {
	s := newSite(t)
	ctx := context.Background()
	production, _, err := s.app.NewProduction(ctx, "test", "metre")
	if err != nil {
		t.Fatal(err)
	}
	set, err := s.app.NewSet(ctx, production, "second")
	if err != nil {
		t.Fatal(err)
	}
	if _, body := s.do("GET", "/", nil); !strings.Contains(body, "second") || !strings.Contains(body, "another set") {
		t.Error("the home page does not show it")
	}
	spec := []byte(`{"outline":[{"x":0,"z":0},{"x":3,"z":0},{"x":3,"z":2}],"level":0.5}`)
	res, err := s.app.Edit(ctx, set,
		desk.Request{Revision: -1, Commands: []desk.Command{edit.Do(&edit.AddElement{Kind: "water", Spec: spec})}})
	if err != nil {
		t.Fatal(err)
	}
	base := "/api/sets/" + set + "/elements/" + res.Made[0]
	r, body := s.do("GET", base+"/model", nil)
	if r.StatusCode != http.StatusOK || !strings.HasPrefix(body, "glTF") ||
		r.Header.Get("Content-Type") != "model/gltf-binary" {
		t.Errorf("%d, %d bytes of %s", r.StatusCode, len(body), r.Header.Get("Content-Type"))
	}
	if r, body := s.do("GET", base+"/instances?most=10", nil); r.StatusCode != http.StatusOK || body != "" {
		t.Errorf("a water lays %d bytes, %d", len(body), r.StatusCode)
	}
	if r, body := s.do("GET", "/api/sets/"+set+"/elements/nothing/model", nil); r.StatusCode != http.StatusNotFound ||
		!strings.Contains(body, "not there any more") {
		t.Errorf("%d %s", r.StatusCode, body)
	}
	for name, code := range map[string]int{"steps-7": 200, "cylinder": 200, "steps-0": 404, "castle": 404} {
		if r, _ := s.do("GET", "/api/standins/"+name, nil); r.StatusCode != code {
			t.Errorf("%s: %d", name, r.StatusCode)
		}
	}
}

// What is asked of a frame, a track or a sheet in a wrong way is refused in words.
func TestFramesAndSheetsRefuseWhatMakesNoSense(t *testing.T) {
	s := newSite(t)
	_, set, err := s.app.NewProduction(context.Background(), "p", "metre")
	if err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]string{
		"frame?t=soon":                     "not a time",
		"frame?t=NaN":                      "not a time",
		"track?from=a&count=2":             "count of frames",
		"sheet?as=doc":                     "pdf, svg or png",
		"sheet?as=pdf&shot=nobody":         "The shot",
		"cutouts?as=pdf":                   "No figure",
		"lenses?share=x":                   "a number",
		"lenses?share=0.5&focals=24,wide":  "Focal lengths are numbers",
		"lenses?share=0.5&focals=24":       "The subject",
		"lenses?share=9&focals=24&subject": "5 to 300 %",
	} {
		r, body := s.do("GET", "/api/sets/"+set+"/"+path, nil)
		if r.StatusCode < 400 || r.StatusCode >= 500 || !strings.Contains(body, want) {
			t.Errorf("%s: %d %s", path, r.StatusCode, body)
		}
	}
	for path, kind := range map[string]string{"frame?t=0": "application/json",
		"track?from=0&count=5": "application/json",
		"sheet?as=pdf":         "application/pdf", "sheet?as=svg": "image/svg+xml"} {
		r, body := s.do("GET", "/api/sets/"+set+"/"+path, nil)
		if r.StatusCode != 200 || !strings.HasPrefix(r.Header.Get("Content-Type"), kind) || len(body) < 100 {
			t.Errorf("of an empty set, %s: %d %s %.80s", path, r.StatusCode, r.Header.Get("Content-Type"), body)
		}
	}
}

// What is written for scripts is compressed and the same when it is unpacked; pages,
// which carry a secret, and what is short are not.
func TestAnswersAreCompressed(t *testing.T) {
	s := newSite(t)
	_, set, err := s.app.NewProduction(t.Context(), "compressed", "metre")
	if err != nil {
		t.Fatal(err)
	}
	// How a set stands is measured meanwhile: that it was, and how long it took, may come in between.
	measured := regexp.MustCompile(`"measured":(null|\{[^}]*\})`)
	for path, packed := range map[string]bool{"/api/sets/" + set + "/state": true, "/static/main.js": true,
		"/sets/" + set + "/dress": false, "/": false, "/healthz": false} {
		resp, plain := s.do("GET", path, nil)
		if resp.StatusCode != 200 || resp.Header.Get("Content-Encoding") != "" {
			t.Errorf("%s, plain: %d %q", path, resp.StatusCode, resp.Header.Get("Content-Encoding"))
		}
		resp, body := s.do("GET", path, nil, "Accept-Encoding", "gzip")
		if got := resp.Header.Get("Content-Encoding") == "gzip"; got != packed {
			t.Errorf("%s: compressed %v", path, got)
			continue
		}
		if !packed {
			continue
		}
		z, err := gzip.NewReader(strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		back, err := io.ReadAll(z)
		back, plain = measured.ReplaceAll(back, nil), measured.ReplaceAllString(plain, "")
		if err != nil || path != "/static/main.js" && len(back) != len(plain) || path == "/static/main.js" &&
			string(back) != plain || len(body) > len(plain)/2 {
			t.Errorf("%s: %d bytes of %d, unpacked %d, %v", path, len(body), len(plain), len(back), err)
		}
	}
}
