package web

import (
	"crypto/sha256"
	"encoding/hex"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// What the binary serves was built from the sources that lie beside it: the build writes
// down what it was made from.
func TestWhatIsServedIsWhatTheSourcesBuild(t *testing.T) {
	sources := []string{"build.mjs", "eslint.config.js", "expressions.mjs", "package-lock.json",
		"tsconfig.json"}
	for dir, as := range map[string]string{"assets/src": "src/", "templates": "../templates/"} {
		list, err := os.ReadDir(dir)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range list {
			sources = append(sources, as+e.Name())
		}
	}
	slices.Sort(sources)
	h := sha256.New()
	for _, name := range sources {
		data, err := os.ReadFile(filepath.Join("assets", name))
		if err != nil {
			t.Fatal(err)
		}
		h.Write([]byte(name + "\x00"))
		h.Write(data)
		h.Write([]byte{0})
	}
	built, err := os.ReadFile("dist/sources.sha256")
	if err != nil || strings.TrimSpace(string(built)) != hex.EncodeToString(h.Sum(nil)) {
		t.Errorf("web/dist was built from other sources (%v): make assets", err)
	}
}
