package convert

import (
	"context"
	"errors"
	"os"
	"strings"
	"testing"
	"testing/fstest"
	"time"
)

func need(t *testing.T) {
	t.Helper()
	if !Available() {
		if os.Getenv("VISATOR_FULL") != "" {
			t.Fatal("install Debian's package assimp-utils")
		}
		t.Skip("needs Debian's package assimp-utils")
	}
}

// An OFF file is plain text: a tetrahedron.
const off = "OFF\n4 4 6\n0 0 0\n1 0 0\n0 1 0\n0 0 1\n3 0 2 1\n3 0 1 3\n3 0 3 2\n3 1 2 3\n"

func TestAForeignFormatBecomesGLB(t *testing.T) {
	need(t)
	root := fstest.MapFS{"in/My Model;rm -rf.off": {Data: []byte(off)}, "in/side.txt": {Data: []byte("x")}}
	m, err := Read(t.Context(), root, "in/My Model;rm -rf.off")
	if err != nil || m.Weigh().Triangles != 4 {
		t.Errorf("%v, %+v", err, m)
	}
}

func TestWhatCannotBeConvertedIsSaid(t *testing.T) {
	need(t)
	for name, data := range map[string]string{"a.fbx": "not one", "a.3ds": "", "b.off": "OFF\n9999 9999 0\n"} {
		_, err := Read(t.Context(), fstest.MapFS{name: {Data: []byte(data)}}, name)
		if err == nil || !strings.HasPrefix(err.Error(), name) || !strings.Contains(err.Error(), "supplier") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Stand-ins for a converter: one that hangs, one that crashes, one that takes
// all memory, one that floods its log.
func TestABadConverterDoesNoHarm(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("PATH", dir+":/usr/bin:/bin")
	old := Timeout
	defer func() { Timeout = old }()
	Timeout = 2 * time.Second
	for name, script := range map[string]string{
		"hangs":   "sleep 1000 & wait",
		"crashes": "kill -SEGV $$",
		"hungry":  "x=xxxxxxxxxxxxxxxx; while :; do x=$x$x$x$x; done",
		"floods":  "yes ERROR: flood | head -c 100000000; exit 1",
		"nothing": "exit 0",
	} {
		if err := os.WriteFile(dir+"/assimp", []byte("#!/bin/sh\n"+script+"\n"), 0o700); err != nil {
			t.Fatal(err)
		}
		start := time.Now()
		_, err := Read(t.Context(), fstest.MapFS{"a.fbx": {Data: []byte("x")}}, "a.fbx")
		if err == nil || !strings.Contains(err.Error(), "a.fbx: the converter") {
			t.Errorf("%s: %v", name, err)
		}
		if took := time.Since(start); took > 30*time.Second {
			t.Errorf("%s was let run for %v", name, took)
		}
	}
	ctx, cancel := context.WithCancel(t.Context())
	if err := os.WriteFile(dir+"/assimp", []byte("#!/bin/sh\nsleep 1000\n"), 0o700); err != nil {
		t.Fatal(err)
	}
	Timeout = time.Hour
	cancel()
	if _, err := Read(ctx, fstest.MapFS{"a.fbx": {Data: []byte("x")}}, "a.fbx"); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
	t.Setenv("PATH", dir+"/none")
	if _, err := Read(t.Context(), fstest.MapFS{}, "a.fbx"); !errors.Is(err, ErrMissing) {
		t.Error(err)
	}
}
