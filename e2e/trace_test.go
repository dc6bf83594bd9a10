package e2e

import (
	"bytes"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"visator/app/query"
)

// Traces of requests, of what is asked of the database and of jobs go where the
// variables of OpenTelemetry say, and nowhere else.
func TestTracesAreSentWhereTheyAreAskedFor(t *testing.T) {
	var mu sync.Mutex
	var sent bytes.Buffer
	sink := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		mu.Lock()
		defer mu.Unlock()
		if strings.HasSuffix(r.URL.Path, "/v1/traces") {
			sent.Write(body)
		}
	}))
	defer sink.Close()
	t.Setenv("OTEL_EXPORTER_OTLP_ENDPOINT", sink.URL)
	t.Setenv("OTEL_EXPORTER_OTLP_COMPRESSION", "none")
	t.Setenv("OTEL_BSP_SCHEDULE_DELAY", "100")
	s := newSite(t)
	_, set := s.newSet()
	if code, out := s.post("/api/sets/"+set+"/takes",
		map[string]any{"kind": "still", "settings": map[string]any{"width": 16, "samples": 1}}); code != 200 {
		t.Fatalf("%d %s", code, out)
	}
	s.await(set, "the take", func(st *query.State) bool { return st.Takes[0].State == "done" })
	var missing []string
	for deadline := time.Now().Add(20 * time.Second); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		mu.Lock()
		missing = nil
		for _, want := range []string{"visator", "request", "insert into take", "river.work"} {
			if !bytes.Contains(sent.Bytes(), []byte(want)) {
				missing = append(missing, want)
			}
		}
		mu.Unlock()
		if len(missing) == 0 {
			return
		}
	}
	t.Errorf("of %d bytes of traces none tells of %q", sent.Len(), missing)
}
