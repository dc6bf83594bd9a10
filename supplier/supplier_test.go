package supplier

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

func shop(t *testing.T) (*Server, *Client) {
	t.Helper()
	data := make([]byte, 300_000)
	r := rand.NewChaCha8([32]byte{1})
	_, _ = r.Read(data)
	s := &Server{SlowBytes: 3_000_000, Files: map[string][]byte{"lamp.glb": data, "lamp slow.zip": data,
		"lamp breaks.zip": data, "lamp none.zip": data},
		Offers: []Offer{{ID: "1", Name: "Lamp", Author: "North Yard", Licence: "CC0-1.0",
			Formats: []Form{{"GLB", "lamp.glb", 1, "", Plain}, {"OBJ", "lamp slow.zip", 1, "", Slow},
				{"OBJ", "lamp breaks.zip", 1, "", Breaks}, {"OBJ", "lamp none.zip", 1, "", Fails}}},
			{ID: "2", Name: "Bench", Say: "slatted"}}}
	at := httptest.NewServer(s)
	t.Cleanup(at.Close)
	return s, &Client{Address: at.URL}
}

func TestTheCatalogueIsSearchedByWords(t *testing.T) {
	_, c := shop(t)
	for find, want := range map[string]int{"": 2, "lamp": 1, "north cc0 glb": 1, "SLATTED": 1, "lamp slatted": 0} {
		list, err := c.Catalogue(t.Context(), find)
		if err != nil || len(list) != want {
			t.Errorf("%q: %d, %v", find, len(list), err)
		}
	}
}

func TestFilesComeWholeHoweverTheyCome(t *testing.T) {
	s, c := shop(t)
	for _, name := range []string{"lamp.glb", "lamp slow.zip", "lamp breaks.zip"} {
		last := int64(0)
		got, err := io.ReadAll(c.Fetch(t.Context(), name, func(have, of int64) {
			if have <= last || of != 300_000 {
				t.Errorf("%s: %d of %d after %d", name, have, of, last)
			}
			last = have
		}))
		if err != nil || !bytes.Equal(got, s.Files[name]) {
			t.Errorf("%s: %d bytes, %v", name, len(got), err)
		}
	}
}

func TestWhatDoesNotComeIsSaid(t *testing.T) {
	_, c := shop(t)
	for name, say := range map[string]string{"lamp none.zip": "come back tomorrow", "gone.zip": "404"} {
		if _, err := io.ReadAll(c.Fetch(t.Context(), name, nil)); err == nil || !strings.Contains(err.Error(), say) {
			t.Errorf("%s: %v", name, err)
		}
	}
	away := &Client{Address: "http://127.0.0.1:1"}
	if _, err := away.Catalogue(t.Context(), ""); !errors.Is(err, ErrAway) {
		t.Error(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	r := c.Fetch(ctx, "lamp slow.zip", func(have, of int64) { cancel() })
	if _, err := io.ReadAll(r); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
}

// A supplier that says nothing is given up, and one that sends elsewhere is not
// followed there.
func TestASupplierThatHangsOrPointsElsewhere(t *testing.T) {
	elsewhere := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		t.Errorf("%s was followed elsewhere", r.URL)
	}))
	defer elsewhere.Close()
	release := make(chan struct{})
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/files/away":
			http.Redirect(w, r, elsewhere.URL+"/x", http.StatusFound)
		case "/files/here":
			http.Redirect(w, r, "/files/fine", http.StatusFound)
		case "/files/fine":
			_, _ = io.WriteString(w, "fine")
		case "/files/half":
			w.Header().Set("Content-Length", "1000")
			_, _ = io.WriteString(w, "half")
			w.(http.Flusher).Flush()
			<-release
		}
	}))
	defer s.Close()
	defer close(release)
	old := silence
	silence = 150 * time.Millisecond
	defer func() { silence = old }()
	c := &Client{Address: s.URL}
	if _, err := io.ReadAll(c.Fetch(context.Background(), "away", nil)); !errors.Is(err, errElsewhere) {
		t.Errorf("elsewhere: %v", err)
	}
	if got, err := io.ReadAll(c.Fetch(context.Background(), "here", nil)); err != nil || string(got) != "fine" {
		t.Errorf("within the supplier: %q, %v", got, err)
	}
	done := make(chan error, 1)
	go func() { _, err := io.ReadAll(c.Fetch(context.Background(), "half", nil)); done <- err }()
	select {
	case err := <-done:
		if err == nil {
			t.Error("half a file is a whole one")
		}
	case <-time.After(30 * time.Second):
		t.Fatal("it is waited for without an end")
	}
}
