package model

import (
	"io/fs"
	"net/url"
	"path"
	"strings"
)

// maxSearched bounds the files that are looked through for what a model misses.
const maxSearched = 50_000

// Names finds files of a folder tree by the ends of their paths, for references that
// lead to its author's disk.
type Names struct {
	paths map[string][]string // by the last part in small letters, in the order of the tree
}

// NamesIn lists the files below root, at most the first 50,000. A nil root has none.
func NamesIn(root fs.FS) *Names {
	n := &Names{map[string][]string{}}
	if root == nil {
		return n
	}
	seen := 0
	_ = fs.WalkDir(root, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || seen > maxSearched {
			return fs.SkipDir
		}
		if seen++; !d.IsDir() {
			base := strings.ToLower(path.Base(p))
			n.paths[base] = append(n.paths[base], p)
		}
		return nil
	})
	return n
}

// Find is the file whose path ends most like ref: its last part must be the same, but
// for the case of letters. Of several, the one with most parts in common from the end
// is taken, then one in the same case, then the first. ref may have percent signs.
func (n *Names) Find(ref string) (string, bool) {
	for _, r := range []string{ref, unescaped(ref)} {
		parts := strings.Split(strings.ReplaceAll(r, "\\", "/"), "/")
		last := parts[len(parts)-1]
		best, score := "", -1
		for _, p := range n.paths[strings.ToLower(last)] {
			s := 2 * common(parts, strings.Split(p, "/"))
			if path.Base(p) == last {
				s++
			}
			if s > score {
				best, score = p, s
			}
		}
		if score >= 0 {
			return best, true
		}
	}
	return "", false
}

// common counts the parts that two paths have in common from their ends.
func common(a, b []string) (n int) {
	for n < len(a) && n < len(b) && strings.EqualFold(a[len(a)-1-n], b[len(b)-1-n]) {
		n++
	}
	return n
}

func unescaped(ref string) string {
	if s, err := url.PathUnescape(ref); err == nil {
		return s
	}
	return ref
}
