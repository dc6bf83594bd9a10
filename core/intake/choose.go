package intake

import (
	"cmp"
	"io/fs"
	"path"
	"slices"
	"strconv"
	"strings"

	"visator/core/intake/archive"
	"visator/core/intake/maps"
)

// foreign are formats that belong to one program each, or that are rare: a
// general-purpose import library reads them in a process of its own.
var foreign = []string{".fbx", ".blend", ".3ds", ".x", ".lwo", ".lws", ".ase", ".ac", ".b3d", ".ms3d", ".cob", ".md2",
	".md3", ".md5mesh", ".smd", ".off", ".x3d", ".wrl", ".3mf", ".amf", ".ifc", ".dxf", ".zae", ".ogex", ".xgl", ".q3o",
	".irrmesh", ".hmp", ".nff", ".ter", ".iqm", ".m3d", ".mesh.xml"}

// IsForeign reports whether a file needs the converter.
func IsForeign(name string) bool {
	lower := strings.ToLower(name)
	return slices.ContainsFunc(foreign, func(ext string) bool { return strings.HasSuffix(lower, ext) })
}

// IsWelcome reports whether a file alone can be taken in: a model, an archive,
// a picture, or a text that tells about a model.
func IsWelcome(name string) bool {
	return IsModel(name) || IsForeign(name) || archive.IsName(name) || len(maps.Pictures([]string{name})) == 1 ||
		strings.EqualFold(path.Ext(name), ".txt")
}

// Candidate is a model file found in an archive or folder.
type Candidate struct {
	Path string `json:"path"`
	Size int64  `json:"size"`
}

// Candidates lists the model files below root, the likeliest one first: by
// format, then by size. Formats for the converter come last.
func Candidates(root fs.FS) ([]Candidate, error) {
	var out []Candidate
	err := fs.WalkDir(root, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.HasPrefix(path.Base(p), "._") || strings.HasPrefix(p, "__MACOSX") {
			return err
		}
		if !IsModel(p) && !IsForeign(p) {
			return nil
		}
		info, err := d.Info()
		if err == nil {
			out = append(out, Candidate{p, info.Size()})
		}
		return err
	})
	slices.SortStableFunc(out, func(a, b Candidate) int {
		return cmp.Or(cmp.Compare(Rank(a.Path), Rank(b.Path)), cmp.Compare(b.Size, a.Size))
	})
	return out, err
}

// Rank orders formats, the likeliest to be whole first.
func Rank(name string) int {
	if i := formatOf(name); i >= 0 {
		return i
	}
	return len(formats)
}

// Why says in words what speaks for a file's format, or against it.
func Why(name string) string {
	if i := formatOf(name); i >= 0 {
		return formats[i].why
	}
	return "needs the converter"
}

// variantWords tell versions of one model apart, not models.
var variantWords = []string{"high", "low", "mid", "medium", "hi", "lo", "hp", "lp", "highpoly", "lowpoly", "hipoly",
	"poly", "lod", "final", "export", "exported", "new", "old", "rev", "version", "ver", "fixed", "update", "updated",
	"gltf", "glb", "obj", "fbx", "dae", "usd", "stl", "ply", "blend", "source", "separate", "embedded", "binary",
	"ascii",
	"triangulated", "quads"}

// Group names what a file is a form of: its name without what tells versions,
// formats, sizes and levels of detail apart.
func Group(name string) string {
	base := path.Base(name)
	base = strings.TrimSuffix(base, path.Ext(base))
	var out []string
	for _, w := range maps.Words(base) {
		trimmed := strings.TrimRight(w, "0123456789")
		switch {
		case slices.Contains(variantWords, w), slices.Contains([]string{"v", "lod", "rev", "r"}, trimmed) &&
			trimmed != w, maps.Resolution(w) > 0:
		default:
			out = append(out, w)
		}
	}
	if len(out) == 0 || len(out) == 1 && slices.Contains([]string{"scene", "model", "untitled", "mesh"}, out[0]) {
		return "" // a name that says nothing: whatever is beside it is the same thing
	}
	return strings.Join(out, " ")
}

// SameModel reports whether two files are versions of one model by their
// names. Names that say nothing are not.
func SameModel(a, b string) bool { return Group(a) != "" && Group(a) == Group(b) }

// LevelOfDetail is the number behind "lod" in a file's name; 0 is the finest,
// and a name without one.
func LevelOfDetail(name string) int {
	for _, w := range maps.Words(path.Base(name)) {
		if n, ok := strings.CutPrefix(w, "lod"); ok {
			if v, err := strconv.Atoi(n); err == nil && v >= 0 && v < 100 {
				return v
			}
		}
	}
	return 0
}
