package shoot

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/render"
	"visator/store"
)

// rough is a model of 2*side*side triangles, none of which is like another.
func rough(side int) *model.Model {
	p := model.Part{}
	for i := range side + 1 {
		for j := range side + 1 {
			p.Positions = append(p.Positions, float32(i), float32((i*7+j*13)%11)/11, float32(j))
		}
	}
	w := uint32(side + 1)
	for i := range uint32(side) {
		for j := range uint32(side) {
			a := i*w + j
			p.Indices = append(p.Indices, a, a+1, a+w+1, a, a+w+1, a+w)
		}
	}
	n := model.NewNode("rough")
	n.Mesh = 0
	return &model.Model{Nodes: []model.Node{n}, Roots: []int{0}, Meshes: []model.Mesh{{Parts: []model.Part{p}}},
		Surfaces: []model.Surface{model.DefaultSurface()}}
}

// What was built once is read the next time, in another process as well; it is met in the same places to the last bit;
// what is damaged is built again; other triangles or places have structures of their own.
func TestStructuresAreKept(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "structures")
	files := func() (list []string) {
		entries, err := os.ReadDir(dir)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range entries {
			list = append(list, filepath.Join(dir, e.Name()))
		}
		return list
	}
	scene := func(m *model.Model, at ...float64) *render.Scene {
		t.Helper()
		s := &render.Scene{}
		lib := render.Library{Threads: 2, Kept: kept(dir, roomy)}
		for _, x := range at {
			if err := s.Place(&lib, m, geom.Translation(geom.V{X: x}), func(int) uint32 { return 1 }); err != nil {
				t.Fatal(err)
			}
		}
		s.Build()
		return s
	}
	picture := func(s *render.Scene) string {
		t.Helper()
		cam := &render.Camera{World: geom.Translation(geom.V{X: 50, Y: 3, Z: 140}), TanX: 0.5, TanY: 0.3}
		f, err := render.Render(context.Background(), s, cam, render.Options{Width: 64, Height: 36, Samples: 1})
		if err != nil {
			t.Fatal(err)
		}
		return fmt.Sprint(f.Depth, f.Normal)
	}
	m := rough(120)
	want := picture(scene(m, 0))
	if len(files()) != 1 {
		t.Fatalf("%d structures are kept of one thing", len(files()))
	}
	first := files()[0]
	written, err := os.Stat(first)
	if err != nil {
		t.Fatal(err)
	}
	long := written.ModTime().Add(-time.Hour)
	if err := os.Chtimes(first, long, long); err != nil {
		t.Fatal(err)
	}
	if picture(scene(m, 0)) != want {
		t.Error("what was read is met elsewhere")
	}
	if again, err := os.Stat(first); err != nil || !again.ModTime().After(long) || len(files()) != 1 {
		t.Error("it was not read", err)
	}
	raw, err := os.ReadFile(first)
	if err != nil {
		t.Fatal(err)
	}
	for name, bad := range map[string][]byte{"a bit": flip(raw, len(raw)/2), "a length": flip(raw, 30),
		"half": raw[:len(raw)/2], "nothing": nil} {
		if err := os.WriteFile(first, bad, 0o600); err != nil {
			t.Fatal(err)
		}
		if picture(scene(m, 0)) != want {
			t.Errorf("damaged in %s it is met elsewhere", name)
		}
		if mended, err := os.ReadFile(first); err != nil || string(mended) != string(raw) {
			t.Errorf("damaged in %s it is not mended: %v", name, err)
		}
	}
	moved := rough(120)
	moved.Meshes[0].Parts[0].Positions[1] += 0.25
	scene(moved, 0)
	scene(m, 0, 200) // both are one structure
	scene(m, 0, 201)
	scene(rough(40), 0) // too small
	full := render.Library{Threads: 2, Kept: kept(dir, func() store.Room { return store.Room{Free: 1 << 16, Total: 1 << 41} })}
	s := &render.Scene{}
	if err := s.Place(&full, rough(100), geom.Identity, func(int) uint32 { return 1 }); err != nil {
		t.Fatal(err)
	}
	s.Build() // there is no room for it
	if n := len(files()); n != 4 {
		t.Errorf("%d structures are kept, not 4", n)
	}
}

// roomy is a disk with room.
func roomy() store.Room { return store.Room{Free: 1 << 40, Total: 1 << 41} }

// flip changes a bit of a byte.
func flip(b []byte, at int) []byte {
	out := append([]byte{}, b...)
	out[at] ^= 4
	return out
}

// Room is made by what was used longest ago.
func TestStructuresMakeRoom(t *testing.T) {
	s := kept(t.TempDir(), roomy)
	for i, size := range []int64{mostKept / 2, mostKept / 4, mostKept / 4} {
		path := filepath.Join(s.folder, fmt.Sprint(i))
		f, err := os.Create(path)
		if err != nil {
			t.Fatal(err)
		}
		if err := f.Truncate(size); err != nil { // of nothing: it takes no room
			t.Fatal(err)
		}
		f.Close()
		when := time.Now().Add(time.Duration(i-10) * time.Hour)
		if i == 0 {
			when = time.Now()
		}
		if err := os.Chtimes(path, when, when); err != nil {
			t.Fatal(err)
		}
	}
	s.makeRoom(1)
	if _, err := os.Stat(filepath.Join(s.folder, "1")); err == nil {
		t.Error("what was used longest ago is still there")
	}
	for _, name := range []string{"0", "2"} {
		if _, err := os.Stat(filepath.Join(s.folder, name)); err != nil {
			t.Errorf("%s went: %v", name, err)
		}
	}
}
