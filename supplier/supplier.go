// Package supplier is a small simulated supplier of models to practise on: a
// server of its own on loopback with a catalogue, prices, licences and files,
// some of which come slowly, break off, or fail. Its interface is its own:
//
//	GET /catalogue?find=words   what is on offer, as JSON
//	GET /files/NAME             a file; range requests resume it
//
// Client fetches from it, resuming what broke off.
package supplier

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// Offer is one model on offer.
type Offer struct {
	ID       string  `json:"id"`
	Name     string  `json:"name"`
	Say      string  `json:"say"`
	Author   string  `json:"author"`
	Licence  string  `json:"licence"`
	Price    float64 `json:"price"`
	Currency string  `json:"currency"`
	Formats  []Form  `json:"formats"`
}

// Form is a file in which an offer comes.
type Form struct {
	Format string `json:"format"`
	File   string `json:"file"`
	Bytes  int64  `json:"bytes"`
	Say    string `json:"say"` // what is special about fetching it
	Manner Manner `json:"manner"`
}

// Manner is how a file is handed out.
type Manner string

// The manners: at once, slowly, breaking off every third of the file, and not
// at all.
const (
	Plain  Manner = ""
	Slow   Manner = "slow"
	Breaks Manner = "breaks"
	Fails  Manner = "fails"
)

// Server hands out a catalogue. SlowBytes is what a slow file gives in a
// second.
type Server struct {
	Offers    []Offer
	Files     map[string][]byte
	SlowBytes int
}

// ServeHTTP implements http.Handler.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch {
	case r.URL.Path == "/catalogue":
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(s.find(r.URL.Query().Get("find")))
	case strings.HasPrefix(r.URL.Path, "/files/"):
		s.file(w, r, strings.TrimPrefix(r.URL.Path, "/files/"))
	default:
		http.NotFound(w, r)
	}
}

func (s *Server) find(words string) []Offer {
	out := []Offer{}
offers:
	for _, o := range s.Offers {
		text := strings.ToLower(o.Name + " " + o.Say + " " + o.Author + " " + o.Licence)
		for _, f := range o.Formats {
			text += " " + strings.ToLower(f.Format)
		}
		for _, word := range strings.Fields(strings.ToLower(words)) {
			if !strings.Contains(text, word) {
				continue offers
			}
		}
		out = append(out, o)
	}
	return out
}

func (s *Server) manner(name string) Manner {
	for _, o := range s.Offers {
		for _, f := range o.Formats {
			if f.File == name {
				return f.Manner
			}
		}
	}
	return Plain
}

func (s *Server) file(w http.ResponseWriter, r *http.Request, name string) {
	data, ok := s.Files[name]
	if !ok {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("ETag", fmt.Sprintf("\"%x-%08x\"", len(data), crc32.ChecksumIEEE(data)))
	var body io.ReadSeeker = bytes.NewReader(data)
	switch s.manner(name) {
	case Fails:
		http.Error(w, "the shelf is empty; come back tomorrow", http.StatusServiceUnavailable)
		return
	case Slow:
		body = &slowly{ReadSeeker: body, perSecond: max(s.SlowBytes, 1), ctx: r.Context()}
	case Breaks:
		body = &breaking{ReadSeeker: body, left: len(data)/3 + 1}
	}
	http.ServeContent(w, r, name, time.Time{}, body)
}

// slowly gives a tenth of a second's bytes, then waits for the rest of it.
type slowly struct {
	io.ReadSeeker
	perSecond int
	ctx       context.Context
}

func (s *slowly) Read(p []byte) (int, error) {
	select {
	case <-s.ctx.Done():
		return 0, s.ctx.Err()
	case <-time.After(100 * time.Millisecond):
	}
	return s.ReadSeeker.Read(p[:min(len(p), s.perSecond/10+1)])
}

// breaking ends the connection after some bytes.
type breaking struct {
	io.ReadSeeker
	left int
}

func (b *breaking) Read(p []byte) (int, error) {
	if b.left <= 0 {
		panic(http.ErrAbortHandler)
	}
	n, err := b.ReadSeeker.Read(p[:min(len(p), b.left)])
	b.left -= n
	return n, err
}

// Client fetches from a supplier at an address such as http://127.0.0.1:8471.
type Client struct {
	Address string
	HTTP    http.Client
}

// ErrAway is a supplier that does not answer.
var ErrAway = errors.New("the supplier does not answer; start it with \"visator supplier\", or try again later")

// How long a supplier may say nothing before it is given up, and then be asked
// again; see maxBreaks.
var silence = 20 * time.Second

// errElsewhere is a supplier that sends to another address: what was set up is one
// that is trusted, not wherever it points.
var errElsewhere = errors.New("the supplier sends to another address; it is not followed there")

// client follows a supplier at its own address alone, and gives up one that hangs.
func (c *Client) client() *http.Client {
	own := c.HTTP
	if own.Transport == nil {
		own.Transport = transport
	}
	own.CheckRedirect = func(req *http.Request, via []*http.Request) error {
		if len(via) > 5 || req.URL.Host != via[0].URL.Host || req.URL.Scheme != via[0].URL.Scheme {
			return errElsewhere
		}
		return nil
	}
	return &own
}

var transport = func() http.RoundTripper {
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.ResponseHeaderTimeout, t.DialContext = silence, (&net.Dialer{Timeout: silence}).DialContext
	return t
}()

// talking ends a body that says nothing for too long.
type talking struct {
	io.ReadCloser
	timer *time.Timer
}

func (t *talking) Read(p []byte) (int, error) {
	t.timer.Reset(silence)
	return t.ReadCloser.Read(p)
}

func (t *talking) Close() error {
	t.timer.Stop()
	return t.ReadCloser.Close()
}

// Catalogue asks what is on offer.
func (c *Client) Catalogue(ctx context.Context, find string) ([]Offer, error) {
	r, err := c.get(ctx, "/catalogue?find="+url.QueryEscape(find), 0, "")
	if err != nil {
		return nil, err
	}
	defer r.Body.Close()
	out := []Offer{}
	const limit = 16 << 20
	if err := json.NewDecoder(io.LimitReader(r.Body, limit)).Decode(&out); err != nil {
		return nil, fmt.Errorf("the supplier's catalogue cannot be read: %w", err)
	}
	return out, nil
}

func (c *Client) get(ctx context.Context, path string, from int64, tag string) (*http.Response, error) {
	asked := ctx
	ctx, cancel := context.WithCancel(ctx)
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.Address+path, nil)
	if err != nil {
		cancel()
		return nil, err
	}
	if from > 0 {
		req.Header.Set("Range", fmt.Sprintf("bytes=%d-", from))
		if tag != "" {
			req.Header.Set("If-Range", tag) // a file that changed meanwhile comes whole
		}
	}
	r, err := c.client().Do(req)
	if err != nil {
		cancel()
		if asked.Err() != nil {
			return nil, asked.Err()
		}
		if errors.Is(err, errElsewhere) {
			return nil, errElsewhere
		}
		return nil, ErrAway
	}
	r.Body = &talking{r.Body, time.AfterFunc(silence, cancel)}
	if r.StatusCode != http.StatusOK && r.StatusCode != http.StatusPartialContent {
		say, _ := io.ReadAll(io.LimitReader(r.Body, 200))
		r.Body.Close()
		cancel()
		return nil, fmt.Errorf("the supplier says %d: %s", r.StatusCode, strings.TrimSpace(string(say)))
	}
	return r, nil
}

// maxBreaks bounds how often one file is taken up again without a single new
// byte.
const maxBreaks = 5

// Fetch reads a whole file, taking it up again where it broke off. progress
// is told how many bytes are there, of how many.
func (c *Client) Fetch(ctx context.Context, file string, progress func(have, of int64)) io.Reader {
	return &download{c: c, ctx: ctx, path: "/files/" + url.PathEscape(file), progress: progress}
}

// download is a file on its way.
type download struct {
	c        *Client
	ctx      context.Context
	path     string
	progress func(have, of int64)
	body     io.ReadCloser
	tag      string
	have, of int64
	breaks   int
}

// Read implements io.Reader.
func (d *download) Read(p []byte) (int, error) {
	for {
		if d.body == nil {
			r, err := d.c.get(d.ctx, d.path, d.have, d.tag)
			if err != nil {
				return 0, err
			}
			if d.have > 0 && r.StatusCode != http.StatusPartialContent {
				r.Body.Close()
				return 0, errors.New("the supplier's file changed while it was fetched; fetch it again")
			}
			d.body, d.tag = r.Body, r.Header.Get("ETag")
			if d.have == 0 {
				d.of = r.ContentLength
			}
		}
		n, err := d.body.Read(p)
		if n > 0 {
			d.have, d.breaks = d.have+int64(n), 0
			if d.progress != nil {
				d.progress(d.have, d.of)
			}
			return n, nil
		}
		d.body.Close()
		d.body = nil
		if errors.Is(err, io.EOF) && (d.of < 0 || d.have >= d.of) {
			return 0, io.EOF
		}
		if d.ctx.Err() != nil {
			return 0, d.ctx.Err()
		}
		if d.breaks++; d.breaks > maxBreaks {
			return 0, fmt.Errorf("the supplier broke off %d times at byte %d of %d; try again later", d.breaks, d.have,
				d.of)
		}
	}
}
