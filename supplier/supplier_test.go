package supplier

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math/rand/v2"
	"net/http/httptest"
	"strings"
	"testing"
)

func shop(t *testing.T) (*Server, *Client) {
	t.Helper()
	data := make([]byte, 300_000)
	r := rand.NewChaCha8([32]byte{1})
	_, _ = r.Read(data)
	s := &Server{SlowBytes: 3_000_000, Files: map[string][]byte{"lamp.glb": data, "lamp slow.zip": data, "lamp breaks.zip": data, "lamp none.zip": data},
		Offers: []Offer{{ID: "1", Name: "Lamp", Author: "North Yard", Licence: "CC0-1.0", Formats: []Form{{"GLB", "lamp.glb", 1, "", Plain}, {"OBJ", "lamp slow.zip", 1, "", Slow}, {"OBJ", "lamp breaks.zip", 1, "", Breaks}, {"OBJ", "lamp none.zip", 1, "", Fails}}},
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
