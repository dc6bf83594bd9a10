package convert

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"visator/core/intake"
	"visator/core/model"
)

const (
	testModels = "/usr/share/assimp/models"
	keptList   = "testdata/library.txt"
)

// models lists the model files of the test collection, relative to it.
func models(t *testing.T) (out []string) {
	t.Helper()
	err := filepath.WalkDir(testModels, func(p string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && (intake.IsModel(p) || intake.IsForeign(p)) {
			rel, _ := filepath.Rel(testModels, p)
			out = append(out, rel)
		}
		return err
	})
	if err != nil {
		if os.Getenv("VISATOR_FULL") != "" {
			t.Fatal("install Debian's package assimp-testmodels: ", err)
		}
		t.Skip("needs Debian's package assimp-testmodels")
	}
	slices.Sort(out)
	return out
}

// outcome is what became of a file, on one line.
func outcome(m *model.Model, err error, name string) string {
	if err != nil {
		why := strings.Join(strings.Fields(strings.ReplaceAll(err.Error(), name, "NAME")), " ")
		if i := strings.Index(why, "cannot read it ("); i >= 0 { // the converter's own words change with its releases
			why = why[:i+len("cannot read it")]
		}
		return "refused: " + why
	}
	missing := 0
	for _, x := range m.Maps {
		if x.Status == model.Missing {
			missing++
		}
	}
	w := m.Weigh()
	return fmt.Sprintf("%s: %d triangles, %d surfaces, %d maps (%d missing), %d cameras, %d lights, told %d",
		m.Format, w.Triangles, len(m.Surfaces), len(m.Maps), missing, len(m.Cameras), len(m.Lights), len(m.Warnings))
}

// keyOf names a file of the collection in the kept list: its format and a hash of its
// path, since the paths are others' words.
func keyOf(rel string) string {
	sum := sha256.Sum256([]byte(rel))
	return strings.ToLower(strings.TrimPrefix(filepath.Ext(rel), ".")) + " " + hex.EncodeToString(sum[:6])
}

// Every file of Debian's assimp-testmodels comes to what the kept list says: read, or
// refused with its reason. The list was looked through by hand, by path; VISATOR_DRAW=1 writes
// it anew.
func TestTheLibraryOfModels(t *testing.T) {
	need(t)
	if testing.Short() {
		t.Skip("some 200 files")
	}
	list := models(t)
	got := make([]string, len(list))
	var wait sync.WaitGroup
	gate := make(chan struct{}, max(1, runtime.NumCPU()))
	for i, rel := range list {
		wait.Go(func() {
			gate <- struct{}{}
			defer func() { <-gate }()
			root, err := os.OpenRoot(filepath.Join(testModels, filepath.Dir(rel)))
			if err != nil {
				got[i] = err.Error()
				return
			}
			defer root.Close()
			m, err := Any(t.Context(), root.FS(), filepath.Base(rel), filepath.Base(rel))
			got[i] = keyOf(rel) + "\t" + outcome(m, err, filepath.Base(rel))
		})
	}
	wait.Wait()
	if os.Getenv("VISATOR_DRAW") != "" {
		if err := os.WriteFile(keptList, []byte(strings.Join(got, "\n")+"\n"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	raw, err := os.ReadFile(keptList)
	if err != nil {
		t.Fatal(err)
	}
	kept := strings.Split(strings.TrimSpace(string(raw)), "\n")
	if len(kept) != len(got) {
		t.Errorf("%d files, the list has %d", len(got), len(kept))
	}
	for i, line := range got {
		if !slices.Contains(kept, line) {
			t.Errorf("%s came to: %s", list[i], line)
		}
	}
}

// What the converter's own account says of cameras and lights is what came of a file.
func TestNothingOfAFileIsLostUnsaid(t *testing.T) {
	need(t)
	for _, rel := range []string{"FBX/global_settings.fbx", "3DS/CameraRollAnim.3ds", "LWS/move_x.lws",
		"BLEND/box.blend", "ASE/ThreeCubesGreen.ASE"} {
		file := filepath.Join(testModels, rel)
		out, err := exec.Command("assimp", "info", file).Output()
		if err != nil {
			t.Fatalf("%s: %v", rel, err)
		}
		root, err := os.OpenRoot(filepath.Dir(file))
		if err != nil {
			t.Fatal(err)
		}
		m, err := Read(t.Context(), root.FS(), filepath.Base(file))
		root.Close()
		if err != nil {
			t.Errorf("%s: %v", rel, err)
			continue
		}
		for what, n := range map[string]int{"Cameras:": len(m.Cameras), "Lights:": len(m.Lights)} {
			lines := bufio.NewScanner(strings.NewReader(string(out)))
			for lines.Scan() {
				var has int
				if f := strings.Fields(lines.Text()); len(f) == 2 && f[0] == what {
					if _, err := fmt.Sscan(f[1], &has); err != nil {
						t.Fatal(err)
					}
					told := slices.ContainsFunc(m.Warnings,
						func(w string) bool { return strings.Contains(w, "was left out") })
					if n != has && !told {
						t.Errorf("%s: %s %d, %d came and nothing is said", rel, what, has, n)
					}
				}
			}
		}
	}
}
