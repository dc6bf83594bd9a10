package archive

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"strings"
	"testing"
	"testing/fstest"
)

// pack makes a zip of names and contents.
func pack(t testing.TB, method uint16, list ...string) []byte {
	t.Helper()
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for i := 0; i+1 < len(list); i += 2 {
		w, err := z.CreateHeader(&zip.FileHeader{Name: list[i], Method: method})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(list[i+1])); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

func open(t testing.TB, data []byte) *Archive {
	t.Helper()
	a, err := Open("a.zip", bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// The tree behaves as the standard library asks of a file system, with an
// inner zip as a folder of its name.
func TestTheTreeIsAFileSystem(t *testing.T) {
	inner := pack(t, zip.Deflate, "deep/model.obj", "v 0 0 0", "deep/maps/a.png", "png")
	a := open(t, pack(t, zip.Store, "readme.txt", "hello", "set/hall.zip", string(inner), "set/chair.glb", "glTF",
		"empty/", ""))
	if err := fstest.TestFS(a, "readme.txt", "set/chair.glb", "set/hall/deep/model.obj",
		"set/hall/deep/maps/a.png"); err != nil {
		t.Error(err)
	}
	if data, err := fs.ReadFile(a, "set/hall/deep/model.obj"); err != nil || string(data) != "v 0 0 0" {
		t.Errorf("%q, %v", data, err)
	}
	if _, err := fs.ReadFile(a, "set/gone.obj"); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("%v", err)
	}
}

func TestZipsInZipsEndSomewhere(t *testing.T) {
	data := pack(t, zip.Store, "model.obj", "v 0 0 0")
	for range MaxDepth + 3 {
		data = pack(t, zip.Store, "inner.zip", string(data))
	}
	a, err := Open("a.zip", bytes.NewReader(data), int64(len(data)))
	if err != nil {
		if !strings.Contains(err.Error(), "a.zip") {
			t.Errorf("%v", err)
		}
		return
	}
	if len(a.Said) == 0 {
		t.Error("nothing was left out of a zip ten zips deep")
	}
}

func TestTooManyEntriesAreRefused(t *testing.T) {
	var list []string
	for i := range MaxEntries + 1 {
		list = append(list, fmt.Sprintf("%d.txt", i), "")
	}
	data := pack(t, zip.Store, list...)
	if _, err := Open("many.zip", bytes.NewReader(data), int64(len(data))); err == nil || !strings.Contains(err.Error(),
		"many.zip") {
		t.Errorf("%v", err)
	}
}

// An entry that holds more than its directory says is cut off there, one that
// claims more than deflate can pack is refused.
func TestSizesThatLie(t *testing.T) {
	data := pack(t, zip.Deflate, "bomb.obj", strings.Repeat("0", 1<<20))
	at := bytes.LastIndex(data, []byte("PK\x01\x02"))
	small := bytes.Clone(data)
	copy(small[at+24:], []byte{10, 0, 0, 0})
	if a, err := Open("a.zip", bytes.NewReader(small), int64(len(small))); err == nil {
		if got, err := fs.ReadFile(a, "bomb.obj"); err == nil && len(got) > 10 {
			t.Errorf("%d bytes came out of an entry of 10", len(got))
		}
	}
	large := bytes.Clone(data)
	copy(large[at+24:], []byte{0, 0, 0, 0x7f})
	if _, err := Open("a.zip", bytes.NewReader(large), int64(len(large))); !errors.Is(err, ErrBomb) {
		t.Errorf("%v", err)
	}
}

// Whatever bytes are damaged: an error, or a tree that can be walked.
func TestDamagedZipsDoNoHarm(t *testing.T) {
	whole := pack(t, zip.Deflate, "a/model.obj", "v 0 0 0\n", "a/maps/red.png", "png", "b.zip",
		string(pack(t, zip.Store, "c.txt", "c")))
	r := rand.New(rand.NewPCG(8, 9))
	for range 3000 {
		bad := bytes.Clone(whole)
		for range 1 + r.IntN(4) {
			bad[r.IntN(len(bad))] = byte(r.Uint32())
		}
		a, err := Open("bad.zip", bytes.NewReader(bad), int64(len(bad)))
		if err != nil {
			if !strings.HasPrefix(err.Error(), "bad.zip: ") {
				t.Fatalf("%v", err)
			}
			continue
		}
		_ = fs.WalkDir(a, ".", func(path string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				if strings.Contains(path, "..") || !fs.ValidPath(path) {
					t.Fatalf("the path %q was let in", path)
				}
				_, _ = fs.ReadFile(a, path)
			}
			return nil
		})
	}
}
