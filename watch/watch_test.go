package watch_test

import (
	"log/slog"
	"os"
	"path/filepath"
	"testing"

	"visator/app"
	"visator/store"
	"visator/store/storetest"
	"visator/watch"
)

func TestMain(m *testing.M) { storetest.Main(m) }

func TestWhatIsPutIntoAFolderArrives(t *testing.T) {
	a := app.New(storetest.Open(t))
	hall, _, err := a.NewProduction(t.Context(), "Hall", "metre")
	if err != nil {
		t.Fatal(err)
	}
	newest, _, err := a.NewProduction(t.Context(), "Newest", "metre")
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	put := func(name, data string) {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(data), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	w, err := watch.New(a, dir, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	look := func() {
		if err := w.Look(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	names := func(production string) (out []string) {
		list, err := store.Arrivals(t.Context(), a.Store.Pool, production)
		if err != nil {
			t.Fatal(err)
		}
		for _, ar := range list {
			out = append(out, ar.Name)
		}
		return out
	}
	put("lamp/lamp.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
	put("lamp/maps/lamp_diff.png", "png")
	put("Hall/chair.obj", "v 0 0 0\nv 1 0 0\nv 0 2 0\nf 1 2 3\n")
	put(".hidden", "x")
	put("empty.obj", "")
	look()
	if n := names(newest); len(n) != 0 {
		t.Fatalf("%q arrived before it was sure to be whole", n)
	}
	put("lamp/more.txt", "still being copied")
	look()
	if n := names(newest); len(n) != 0 {
		t.Fatalf("%q arrived while it grew", n)
	}
	look()
	if n := names(newest); len(n) != 1 || n[0] != "lamp" {
		t.Errorf("in the newest production: %q", n)
	}
	if n := names(hall); len(n) != 1 || n[0] != "chair.obj" {
		t.Errorf("in the named one: %q", n)
	}
	for _, p := range []string{"taken in/lamp/maps/lamp_diff.png", "Hall/taken in/chair.obj", "refused/empty.obj",
		".hidden"} {
		if _, err := os.Stat(filepath.Join(dir, p)); err != nil {
			t.Errorf("%s: %v", p, err)
		}
	}
	if _, err := watch.New(a, filepath.Join(dir, "gone"), nil); err == nil {
		t.Error("a folder that is not there is watched")
	}
}
