package archive

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/base64"
	"errors"
	"io/fs"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"
	"golang.org/x/text/encoding/japanese"
)

func tarOf(t testing.TB, list ...string) []byte {
	t.Helper()
	var buf bytes.Buffer
	z := tar.NewWriter(&buf)
	for i := 0; i+1 < len(list); i += 2 {
		if err := z.WriteHeader(&tar.Header{Name: list[i], Mode: 0o644, Size: int64(len(list[i+1]))}); err != nil {
			t.Fatal(err)
		}
		if _, err := z.Write([]byte(list[i+1])); err != nil {
			t.Fatal(err)
		}
	}
	_ = z.Close()
	return buf.Bytes()
}

func seven(t testing.TB, s string) []byte {
	t.Helper()
	b, err := base64.StdEncoding.DecodeString(s)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func TestEveryKindOfArchiveIsATree(t *testing.T) {
	plain := tarOf(t, "model.obj", "v 0 0 0\n", "maps/red.png", "png")
	var gz, x, zs bytes.Buffer
	g := gzip.NewWriter(&gz)
	_, _ = g.Write(plain)
	_ = g.Close()
	w, _ := xz.NewWriter(&x)
	_, _ = w.Write(plain)
	_ = w.Close()
	e, _ := zstd.NewWriter(&zs)
	_, _ = e.Write(plain)
	_ = e.Close()
	for kind, data := range map[string][]byte{"tar": plain, "gzip": gz.Bytes(), "xz": x.Bytes(), "zstd": zs.Bytes(),
		"7z": seven(t, plainSeven)} {
		a, err := Open("a."+kind, bytes.NewReader(data), int64(len(data)))
		if err != nil {
			t.Errorf("%s: %v", kind, err)
			continue
		}
		if err := fstest.TestFS(a, "model.obj", "maps/red.png"); err != nil {
			t.Errorf("%s: %v", kind, err)
		}
		a.Close()
		// And each of them within a zip.
		data = pack(t, zip.Deflate, "readme.txt", "hello", "in/model."+map[string]string{"gzip": "tar.gz", "xz": "txz",
			"zstd": "tar.zst"}[kind]+map[string]string{"tar": "tar", "7z": "7z"}[kind], string(data))
		if a, err = Open("b.zip", bytes.NewReader(data), int64(len(data))); err != nil {
			t.Errorf("%s in a zip: %v", kind, err)
			continue
		}
		if got := a.Files(); !slices.Equal(got, []string{"in/model/maps/red.png", "in/model/model.obj", "readme.txt"}) {
			t.Errorf("%s in a zip: %v", kind, got)
		}
		a.Close()
	}
}

func TestAFolderOfFilesIsOneTree(t *testing.T) {
	inner := pack(t, zip.Deflate, "chair.obj", "v 0 0 0")
	file := func(p, s string) File { return File{p, int64(len(s)), strings.NewReader(s)} }
	a, err := OpenAll([]File{file("drop/model.zip", string(inner)), file("drop/tex/a.png", "png"),
		file("drop/scene.usdz", string(inner))})
	if err != nil {
		t.Fatal(err)
	}
	if got := a.Files(); !slices.Equal(got, []string{"drop/model/chair.obj", "drop/scene.usdz", "drop/tex/a.png"}) {
		t.Errorf("%v", got)
	}
	a, err = OpenAll([]File{file("../a.obj", "x"), file("b.obj", "y")})
	if err != nil || !slices.Equal(a.Files(), []string{"a.obj", "b.obj"}) || len(a.Said) != 1 {
		t.Errorf("a path out of the folder: %v", err)
	}
	if a, err := Open("lone.obj", strings.NewReader("v 0 0 0"), 7); err != nil ||
		!slices.Equal(a.Files(), []string{"lone.obj"}) {
		t.Errorf("%v", err)
	}
}

func TestLockedArchivesSaySo(t *testing.T) {
	locked := pack(t, zip.Store, "a.obj", "v 0 0 0")
	for _, mark := range []string{"PK\x01\x02", "PK\x03\x04"} {
		at := bytes.LastIndex(locked, []byte(mark))
		locked[at+map[string]int{"PK\x01\x02": 8, "PK\x03\x04": 6}[mark]] |= 1
	}
	for name, data := range map[string][]byte{"a.zip": locked, "names.7z": seven(t, lockedSeven),
		"content.7z": seven(t, lockedContent)} {
		if _, err := Open(name, bytes.NewReader(data), int64(len(data))); !errors.Is(err, ErrLocked) ||
			!strings.HasPrefix(err.Error(), name) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := Open("a.rar", strings.NewReader("Rar!\x1a\x07\x01\x00"), 8); err == nil ||
		!strings.Contains(err.Error(), "RAR") {
		t.Error(err)
	}
}

// The directory names one file, the entry's own header another.
func TestNamesThatDisagreeAreRefused(t *testing.T) {
	data := pack(t, zip.Deflate, "harmless.obj", "v 0 0 0")
	copy(data[bytes.Index(data, []byte("harmless")):], "infected")
	if _, err := Open("a.zip", bytes.NewReader(data), int64(len(data))); err == nil || !strings.Contains(err.Error(),
		"calls itself \"infected.obj\" inside") {
		t.Error(err)
	}
}

func TestNamesInOldCodePagesAreRead(t *testing.T) {
	for raw, want := range map[string]string{"m\x94bel.obj": "möbel.obj",
		must(japanese.ShiftJIS.NewEncoder().String("椅子テーブル.obj")): "椅子テーブル.obj"} {
		var buf bytes.Buffer
		z := zip.NewWriter(&buf)
		w, err := z.CreateHeader(&zip.FileHeader{Name: raw, NonUTF8: true})
		if err != nil {
			t.Fatal(err)
		}
		_, _ = w.Write([]byte("v 0 0 0"))
		_ = z.Close()
		a, err := Open("a.zip", bytes.NewReader(buf.Bytes()), int64(buf.Len()))
		if err != nil {
			t.Errorf("%q: %v", raw, err)
		} else if got := a.Files(); got[0] != want {
			t.Errorf("%q is read as %q, want %q", raw, got[0], want)
		}
	}
}

func must(s string, err error) string {
	if err != nil {
		panic(err)
	}
	return s
}

func TestStreamsThatSwellAreCut(t *testing.T) {
	var s spool
	defer s.close()
	if _, _, err := s.drain(strings.NewReader(strings.Repeat("0", 5000)), 4096); !errors.Is(err, ErrBomb) {
		t.Error(err)
	}
	if _, err := s.put(strings.NewReader("short"), 10); err == nil {
		t.Error("a file that is shorter than it said was kept")
	}
}

func FuzzOpen(f *testing.F) {
	f.Add(tarOf(f, "a.obj", "v 0 0 0", "b/c.png", "png"))
	f.Add(seven(f, plainSeven))
	f.Add(pack(f, zip.Deflate, "a.obj", "v 0 0 0", "b.zip", "PK\x05\x06"))
	f.Fuzz(func(t *testing.T, data []byte) {
		a, err := Open("f", bytes.NewReader(data), int64(len(data)))
		if err != nil {
			return
		}
		defer a.Close()
		for _, p := range a.Files() {
			if !fs.ValidPath(p) {
				t.Fatalf("the path %q was let in", p)
			}
			if r, err := a.Open(p); err == nil {
				_, _ = r.Read(make([]byte, 100))
				r.Close()
			}
		}
	})
}
