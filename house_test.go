package visator

import (
	"bytes"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"
)

// floors are the packages from the ground up: each may use what lies below it.
var floors = [][]string{
	{"core"}, {"store", "supplier", "convert"}, {"app/act", "app/cache"}, {"app/measure"}, {"app/query"}, {"app/desk"}, {"app/edit"},
	{"app/library"}, {"app/shoot"},
	{"app"},
	{"jobs", "watch", "demo"}, {"web"}, {"cmd", "e2e"},
}

// floor is that of a package by the longest name that it has.
func floor(pkg string) int {
	best, long := -1, -1
	for i, names := range floors {
		for _, n := range names {
			if (pkg == n || strings.HasPrefix(pkg, n+"/")) && len(n) > long {
				best, long = i, len(n)
			}
		}
	}
	return best
}

// sources are the files of the project with one of some endings.
func sources(t *testing.T, endings ...string) (list []string) {
	t.Helper()
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name := d.Name()
		if d.IsDir() && path != "." && (strings.HasPrefix(name, ".") ||
			slices.Contains([]string{"node_modules", "dist", "bin", "testdata"}, name)) {
			return filepath.SkipDir
		}
		if !d.IsDir() && slices.Contains(endings, filepath.Ext(name)) {
			list = append(list, filepath.ToSlash(path))
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// Arrows go one way: no package uses one that stands above it, or beside it in another house.
func TestArrowsGoDown(t *testing.T) {
	checked := 0
	for _, file := range sources(t, ".go") {
		if strings.HasSuffix(file, "_test.go") {
			continue // tests may look from anywhere
		}
		f, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.ImportsOnly)
		if err != nil {
			t.Fatal(err)
		}
		from := filepath.ToSlash(filepath.Dir(file))
		for _, i := range f.Imports {
			path, _ := strconv.Unquote(i.Path.Value)
			to, ours := strings.CutPrefix(path, "visator/")
			if !ours || strings.HasPrefix(to, "store/") {
				continue
			}
			checked++
			if a, b := floor(from), floor(to); a < 0 || b < 0 || b > a {
				t.Errorf("%s uses %s, which does not lie below it", file, to)
			}
		}
	}
	if checked < 500 {
		t.Errorf("only %d arrows were looked at", checked)
	}
}

var imports = regexp.MustCompile(`(?:from|import\(|import) ?"\./([a-z]+\.js)"`)

// No script needs one that needs it.
func TestScriptsHaveNoCircle(t *testing.T) {
	needs := map[string][]string{}
	for _, file := range sources(t, ".js") {
		data, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		name := filepath.Base(file)
		needs[name] = nil
		for _, m := range imports.FindAllStringSubmatch(string(data), -1) {
			needs[name] = append(needs[name], m[1])
		}
	}
	if len(needs) < 20 {
		t.Fatalf("%d scripts", len(needs))
	}
	var walk func(name string, way []string)
	done := map[string]bool{}
	walk = func(name string, way []string) {
		if slices.Contains(way, name) {
			t.Errorf("a circle: %s", strings.Join(append(way, name), " → "))
			return
		}
		if done[name] {
			return
		}
		for _, n := range needs[name] {
			walk(n, append(slices.Clone(way), name))
		}
		done[name] = true
	}
	for name := range needs {
		walk(name, nil)
	}
}

// What docs/extending.md shows can still be done so: its diffs apply to what lies here.
func TestTheExtensionsApply(t *testing.T) {
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("needs git")
	}
	data, err := os.ReadFile("docs/extending.md")
	if err != nil {
		t.Fatal(err)
	}
	parts := strings.Split(string(data), "```diff\n")[1:]
	if len(parts) != 4 {
		t.Fatalf("%d diffs", len(parts))
	}
	for i, p := range parts {
		diff, _, _ := strings.Cut(p, "```\n")
		check := exec.Command("git", "apply", "--check", "-")
		check.Stdin = strings.NewReader(diff)
		if out, err := check.CombinedOutput(); err != nil {
			t.Errorf("diff %d: %v: %s", i+1, err, out)
		}
	}
}

// wide are the files with lines that are data: words, patterns, texts of made-up files.
var wide = []string{"core/sizing/kinds/words.go", "core/intake/credit/credit.go", "core/sizing/propose.go",
	"convert/fbx.go", "demo/formats.go", "store/pglocal/pglocal.go"}

// Lines can be read beside each other: they end before column 120. Tests are excepted, whose
// tables are wide. A tab is as wide as four columns.
func TestLinesEnd(t *testing.T) {
	looked := 0
	for _, file := range sources(t, ".go", ".js", ".mjs", ".html", ".css") {
		if strings.HasSuffix(file, "_test.go") || slices.Contains(wide, file) {
			continue
		}
		data, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for i, line := range strings.Split(string(data), "\n") {
			looked++
			if n := utf8.RuneCountInString(strings.ReplaceAll(line, "\t", "    ")); n > 120 {
				t.Errorf("%s:%d has %d columns", file, i+1, n)
			}
		}
	}
	if looked < 40_000 {
		t.Errorf("only %d lines were looked at", looked)
	}
}

// long are the files of more than 600 lines: readers, each of one format.
var long = []string{
	"core/intake/gltf/gltf.go", "core/intake/mend/mend.go", "core/intake/obj/obj.go", "core/intake/ply/ply.go",
	"core/intake/usd/crate.go",
}

func linesOf(t *testing.T, file string) int {
	t.Helper()
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return bytes.Count(data, []byte("\n"))
}

// No other file grows beyond 600 lines without being asked whether it is one thing.
func TestFilesAreOneThing(t *testing.T) {
	for _, file := range sources(t, ".go", ".js", ".html", ".css") {
		if strings.HasSuffix(file, "_test.go") || slices.Contains(long, file) {
			continue
		}
		if n := linesOf(t, file); n > 600 {
			t.Errorf("%s has %d lines", file, n)
		}
	}
}

// No package grows beyond 3,000 lines, readers excepted.
func TestPackagesAreOneThing(t *testing.T) {
	lines := map[string]int{}
	for _, file := range sources(t, ".go") {
		if strings.HasSuffix(file, "_test.go") || strings.HasPrefix(file, "core/intake/") {
			continue
		}
		lines[filepath.Dir(file)] += linesOf(t, file)
	}
	for dir, n := range lines {
		if n > 3000 {
			t.Errorf("%s has %d lines", dir, n)
		}
	}
	if lines["app/edit"] < 1000 {
		t.Errorf("app/edit has %d lines: they are not counted", lines["app/edit"])
	}
}
