package e2e

import (
	"bytes"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"visator/app/query"
)

// An OBJ of ten million triangles, about 700 MB, goes through intake while the
// server answers others. Run by hand: make bench-large.
func TestALargeDownload(t *testing.T) {
	if os.Getenv("VISATOR_LARGE") == "" {
		t.Skip("takes some minutes: run it by make bench-large")
	}
	file := filepath.Join(t.TempDir(), "ring.obj")
	if out, err := exec.Command(binary, "bench", "model", "2240", file, "--coordinates").CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	s := newSite(t)
	production, set := s.newSet()
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	start := time.Now()
	req, _ := http.NewRequest(http.MethodPost, s.address+"/api/productions/"+production+"/arrivals?name=ring.obj", f)
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	answer, err := http.DefaultClient.Do(req)
	if err != nil || answer.StatusCode != 200 {
		t.Fatalf("%v, %v", err, answer)
	}
	answer.Body.Close()
	uploaded := time.Since(start)
	var took []time.Duration
	var st *query.State
	for deadline := time.Now().Add(20 * time.Minute); ; {
		if time.Now().After(deadline) {
			t.Fatal("it is not done after 20 minutes")
		}
		began := time.Now()
		st = s.state(set)
		took = append(took, time.Since(began))
		if a := st.Arrivals[0]; a.State == "done" || a.State == "failed" {
			break
		}
		<-time.After(50 * time.Millisecond)
	}
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.cmd.Process.Pid))
	if err != nil {
		t.Fatal(err)
	}
	var peak int
	for line := range strings.Lines(string(bytes.TrimSpace(status))) {
		_, _ = fmt.Sscanf(line, "VmHWM: %d kB", &peak)
	}
	slices.Sort(took)
	info, err := os.Stat(file)
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d MB uploaded in %.1f s, through intake in %.1f s: %s; peak %d MB; %d other requests: median %v, 95th "+
		"percentile %v, longest %v",
		info.Size()>>20, uploaded.Seconds(), time.Since(start).Seconds(), st.Arrivals[0].State+" "+st.Arrivals[0].Note,
		peak>>10, len(took), took[len(took)/2], took[len(took)*95/100], took[len(took)-1])
	if st.Arrivals[0].State != "done" || st.Pieces[0].Facts.Triangles < 10_000_000 {
		t.Errorf("%+v", st.Arrivals[0])
	}
	if peak > 2500<<10 {
		t.Errorf("it took %d MB at its peak, more than 2500", peak>>10)
	}
	if p := took[len(took)*95/100]; p > 100*time.Millisecond {
		t.Errorf("95 of 100 other requests were answered in %v, not in 100 ms", p)
	}
}
