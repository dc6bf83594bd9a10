package intake_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"io/fs"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"testing/fstest"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/intake"
	"visator/core/intake/archive"
	"visator/core/model"
)

func pack(t testing.TB, names ...string) []byte {
	t.Helper()
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for i := 0; i+1 < len(names); i += 2 {
		w, err := z.Create(names[i])
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(names[i+1])); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

const (
	square = "mtllib m.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nusemtl a\nf 1 2 3\n"
	png    = "\x89PNG\r\n\x1a\n0000"
)

func TestAZipInAZipIsReadAsFolders(t *testing.T) {
	inner := pack(t, "obj/thing.obj", square, "obj/m.mtl", "newmtl a\nmap_Kd tex\\Wood.png\n")
	data := pack(t, "readme.txt", "hello", "source/model.zip", string(inner), "Textures/wood.PNG", png,
		"__MACOSX/._thing.obj", "junk")
	tree, err := intake.Unpack("a.zip", data)
	if err != nil {
		t.Fatal(err)
	}
	found, err := intake.Candidates(tree)
	if err != nil || len(found) != 1 || found[0].Path != "source/model/obj/thing.obj" {
		t.Fatalf("found %v, %v", found, err)
	}
	m, err := intake.ReadFrom(tree, found[0].Path, found[0].Path)
	if err != nil {
		t.Fatal(err)
	}
	if m.Maps[0].Status != model.Found || len(m.Warnings) != 0 {
		t.Errorf("the map in the sibling folder: %+v, %q", m.Maps, m.Warnings)
	}
	if err := fstest.TestFS(tree, "readme.txt", "Textures/wood.PNG"); err != nil {
		t.Error(err)
	}
}

func TestHostileArchivesDoNoHarm(t *testing.T) {
	for name, kept := range map[string]string{
		"../../etc/passwd": "etc/passwd", "/etc/passwd": "etc/passwd", "a/../../b.obj": "a/b.obj",
		"..\\..\\b.obj": "b.obj", "C:\\work\\b.obj": "work/b.obj", "a\x00/b.obj": "a_/b.obj",
	} {
		tree, err := intake.Unpack("bad.zip", pack(t, name, "x"))
		if err != nil || !slices.Equal(tree.Files(), []string{kept}) {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if len(tree.Said) != 1 || !strings.Contains(tree.Said[0], "leads out of the folder, it is kept as "+kept) {
			t.Errorf("%s: said %q", name, tree.Said)
		}
	}
	// Of names with nothing left, nothing is kept.
	if tree, err := intake.Unpack("bad.zip", pack(t, "../..", "x")); err != nil || len(tree.Files()) != 0 ||
		len(tree.Said) != 1 {
		t.Errorf("a name of dots: %v, %v", err, tree)
	}
	// One bad archive inside another does not keep the good rest out.
	inner := pack(t, "in.obj", "v 0 0 0\n")
	tree, err := intake.Unpack("a.zip", pack(t, "bad.zip", string(inner[:len(inner)-30]), "good.zip", string(inner),
		"b.obj", "v 0 0 0\n"))
	if err != nil || !slices.Equal(tree.Files(), []string{"b.obj", "good/in.obj"}) || len(tree.Said) != 1 ||
		!strings.HasPrefix(tree.Said[0], "left out: bad.zip: ") {
		t.Errorf("a bad one within: %v, %v", err, tree)
	}
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	h := &zip.FileHeader{Name: "link"}
	h.SetMode(fs.ModeSymlink | 0o777)
	w, _ := z.CreateHeader(h)
	_, _ = w.Write([]byte("/etc/passwd"))
	_ = z.Close()
	tree, err = intake.Unpack("l.zip", buf.Bytes())
	if err != nil || len(tree.Said) != 1 {
		t.Errorf("a link: %v, skipped %v", err, tree)
	}
	bomb := pack(t, "bomb", strings.Repeat("0", 2<<20))
	// The directory claims far more than deflate could hold.
	at := bytes.LastIndex(bomb, []byte("PK\x01\x02"))
	copy(bomb[at+24:], []byte{0xff, 0xff, 0xff, 0x7f})
	if _, err := intake.Unpack("b.zip", bomb); !errors.Is(err, archive.ErrBomb) {
		t.Errorf("a bomb: %v", err)
	}
	if _, err := intake.Unpack("t.zip", pack(t, "a", "b")[:20]); err == nil {
		t.Error("a cut zip was read")
	}
}

func TestUnknownAndEmptyFilesSayWhatToDo(t *testing.T) {
	for name, data := range map[string]string{"a.xyz": "?", "a.obj": "", "a.glb": "not binary"} {
		if _, err := intake.Read(name, []byte(data), model.Folder{}); err == nil || !strings.Contains(err.Error(),
			name) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// exceptions are the files on which this reader and the import library differ
// by intention, each with the reason.
var exceptions = map[string]string{
	"OBJ/box_UTF16BE.obj": "the library reads no faces of big-endian UTF-16",
	"glTF2/simple_skin/simple_skin.gltf": "the library leaves skinned meshes where their own node " +
		"stands; the joints' node pose counts (glTF 2.0, 3.7.3.3)",
	"Collada/box_nested_animation.dae": "the library leaves skinned meshes where their own node " +
		"stands; the joints' pose counts (COLLADA 1.4.1, chapter 4)",
	"Collada/cameras.dae": "holds cameras alone; the library draws them as meshes " +
		"of its own",
	"Collada/lights.dae": "holds lights alone; the library draws them as meshes " +
		"of its own",
	"glTF2/TestNoRootNode/SceneWithoutNodes.gltf": "an empty scene has no bounds; the library reports its " +
		"inverted starting box",
	"glTF2/IndexOutOfRange/IndexOutOfRange.gltf":              "not valid: an index past the vertices",
	"glTF2/BoxWithInfinites-glTF-Binary/BoxWithInfinites.glb": "not valid: positions that are not finite",
	"glTF2/BoxTextured-glTF-techniqueWebGL/BoxTextured.gltf":  "needs KHR_technique_webgl, an extension of glTF 1.0",
	"glTF2/draco/2CylinderEngine.gltf": "needs KHR_draco_mesh_compression, which is not read " +
		"yet; the error names it",
}

const testModels = "/usr/share/assimp/models"

// Triangles and bounds are those that the general-purpose import library
// reports (Debian's assimp-utils on assimp-testmodels), with everything put
// into one space first. Files that the library itself refuses are left out.
func TestAgreesWithTheImportLibrary(t *testing.T) {
	tool, err := exec.LookPath("assimp")
	if _, missing := os.Stat(testModels); err != nil || missing != nil {
		if os.Getenv("VISATOR_FULL") != "" {
			t.Fatal("install Debian's packages assimp-utils and assimp-testmodels")
		}
		t.Skip("needs Debian's packages assimp-utils and assimp-testmodels")
	}
	compared := 0
	for _, dir := range []string{"OBJ", "glTF2", "STL", "PLY", "Collada"} {
		err := filepath.WalkDir(filepath.Join(testModels, dir), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !intake.IsModel(path) {
				return err
			}
			name, _ := filepath.Rel(testModels, path)
			if exceptions[name] != "" {
				return nil
			}
			// -ptv bakes node transforms and counts instances, -tri triangulates.
			out, err := exec.Command(tool, "info", path, "-ptv", "-tri").CombinedOutput()
			if err != nil {
				return nil // refused there: nothing to agree with
			}
			compared++
			root, err := os.OpenRoot(filepath.Dir(path))
			if err != nil {
				t.Fatal(err)
			}
			defer root.Close()
			data, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			m, err := intake.Read(filepath.Base(path), data, model.Folder{Root: root.FS()})
			if err != nil {
				t.Errorf("%s: %v", name, err)
				return nil
			}
			compare(t, name, intake.Describe(name, m), string(out))
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	if compared < 80 {
		t.Errorf("only %d files were compared", compared)
	}
}

// The library's own files that are not valid are refused with a sentence.
func TestRefusesWhatTheImportLibraryKeepsAsInvalid(t *testing.T) {
	for name, say := range map[string]string{"empty.obj": "is empty", "empty.ply": "is empty",
		"malformed.obj": "line 28: vertex 0 is not there"} {
		data, err := os.ReadFile(filepath.Join(testModels, "invalid", name))
		if err != nil {
			if os.Getenv("VISATOR_FULL") != "" {
				t.Fatal("install Debian's package assimp-testmodels")
			}
			t.Skip("needs Debian's package assimp-testmodels")
		}
		if _, err := intake.Read(name, data, model.Folder{}); err == nil || !strings.Contains(err.Error(), name) ||
			!strings.Contains(err.Error(), say) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func compare(t *testing.T, name string, r intake.Report, info string) {
	t.Helper()
	// The library counts points and lines as faces too: without them only
	// bounds can be compared.
	kinds := regexp.MustCompile(`Primitive Types:\s*(.*)`).FindStringSubmatch(info)
	if faces := regexp.MustCompile(`Faces:\s+(\d+)`).FindStringSubmatch(info); faces != nil && kinds != nil &&
		strings.TrimSpace(kinds[1]) == "triangles" {
		if n, _ := strconv.Atoi(faces[1]); n != r.Triangles {
			t.Errorf("%s: %d triangles, the library says %d", name, r.Triangles, n)
		}
	}
	b := r.Box()
	if r.Format == "COLLADA" { // the library brings it to metres and +Y up
		b = b.Apply(geom.Scaling(r.Unit.MetresPerUnit).Mul(model.UpTurn(r.UpAxis)))
	}
	for _, side := range []struct {
		label string
		have  [3]float64
	}{{"Minimum", [3]float64{b.Min.X, b.Min.Y, b.Min.Z}}, {"Maximum", [3]float64{b.Max.X, b.Max.Y, b.Max.Z}}} {
		f := regexp.MustCompile(side.label + ` point\s+\((\S+) (\S+) (\S+)\)`).FindStringSubmatch(info)
		if f == nil {
			continue
		}
		for k := range side.have {
			want, _ := strconv.ParseFloat(f[k+1], 64)
			if math.Abs(want-side.have[k]) > 1e-4*max(b.Size().Max(), 1e-3) {
				t.Errorf("%s: %s %d is %v, the library says %v", name, side.label, k, side.have[k], want)
			}
		}
	}
}

func FuzzUnpack(f *testing.F) {
	f.Add(pack(f, "a.obj", square, "b/c.png", png))
	f.Fuzz(func(t *testing.T, data []byte) {
		tree, err := intake.Unpack("f.zip", data)
		if err != nil {
			return
		}
		found, err := intake.Candidates(tree)
		if err != nil {
			return
		}
		for _, c := range found {
			_, _ = intake.ReadFrom(tree, c.Path, c.Path)
		}
	})
}

// What is GLB by its content is read whatever its name, and what is empty is
// said to be, also where the format of the name is read as a stream.
func TestNamesThatAreWrong(t *testing.T) {
	var glb bytes.Buffer
	m := &model.Model{}
	m.Stand(model.Mesh{Name: "a",
		Parts: []model.Part{{Name: "a", Surface: model.None, Positions: []float32{0, 0, 0, 1, 0, 0, 0, 1, 0},
			Indices: []uint32{0, 1, 2}}}})
	if err := exchange.WriteGLB(&glb, m); err != nil {
		t.Fatal(err)
	}
	root := fstest.MapFS{"a.ply": {Data: glb.Bytes()}, "b.ply": {}}
	if m, err := intake.ReadFrom(root, "a.ply", "a.ply"); err != nil || m.Weigh().Triangles != 1 {
		t.Errorf("GLB as a.ply: %v", err)
	}
	if _, err := intake.ReadFrom(root, "b.ply", "b.ply"); err == nil || !strings.Contains(err.Error(),
		"the file is empty") {
		t.Errorf("nothing as b.ply: %v", err)
	}
}
