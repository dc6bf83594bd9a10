package maps

import (
	"cmp"
	"path"
	"slices"
	"strings"
)

// Need is a slot of a surface that wants a map.
type Need struct {
	Surface int
	Name    string // of the surface
	Role    Role
	Ref     string // the file as the model writes it, or "" when it names none
}

// Match is a file that was found for a need.
type Match struct {
	Need    Need
	File    string // path among the files that were searched
	How     string // "name", "case", "extension", "stem and role", "surface and role", "only set"
	Channel int    // 0: the whole picture; 1 to 4: red, green, blue, alpha of a packed map
	Gloss   bool   // the file holds gloss where roughness is wanted
	Guessed bool   // a person should look
	Tiles   int    // how many tiles its picture is cut into, of which this is the first; 0: not into tiles
}

// MaxFiles bounds the files that one search looks at.
const MaxFiles = 50_000

// Pictures are the paths of the files whose name is one of a picture.
func Pictures(files []string) []string {
	return slices.DeleteFunc(slices.Clone(files), func(f string) bool {
		return !isExtension(strings.TrimPrefix(path.Ext(f), ".")) || strings.HasPrefix(path.Base(f), "._")
	})
}

// candidate is a file with what its name tells.
type candidate struct {
	path, base, lower, bare string
	Name
}

// Find looks for each need among the files: first by its exact name, then
// without regard to case, then with another extension, then by stem and role;
// and for surfaces that name no file, by the surface's name and the role. A
// need that nothing answers is left out. surfaces is how many the model has: the
// only set of maps goes to the only surface. The result is the same for the
// same files in any order.
func Find(needs []Need, files []string, surfaces int) []Match {
	files = Pictures(files)
	slices.Sort(files)
	if len(files) > MaxFiles {
		files = files[:MaxFiles]
	}
	list := make([]candidate, len(files))
	sets := map[string]bool{}
	for i, f := range files {
		base := path.Base(strings.ReplaceAll(f, "\\", "/"))
		list[i] = candidate{f, base, strings.ToLower(base), bare(base), Parse(base)}
		if list[i].Role != None {
			sets[list[i].Stem] = true
		}
	}
	var out []Match
	for _, need := range needs {
		if m, ok := find(need, list, len(sets) == 1 && surfaces == 1); ok {
			m.Tiles = tilesOf(m.File, list)
			out = append(out, m)
		}
	}
	return out
}

// tilesOf counts the tiles of the picture that a file is one of.
func tilesOf(file string, list []candidate) int {
	i := slices.IndexFunc(list, func(c candidate) bool { return c.path == file })
	if i < 0 || list[i].Tile == 0 {
		return 0
	}
	tiles := map[int]bool{}
	for k := range list {
		if c := &list[k]; c.Tile > 0 && c.Stem == list[i].Stem && c.Role == list[i].Role {
			tiles[c.Tile] = true
		}
	}
	return len(tiles)
}

// bare is a name in lower case without its extension.
func bare(base string) string {
	return strings.ToLower(strings.TrimSuffix(base, path.Ext(base)))
}

func find(need Need, list []candidate, onlySet bool) (Match, bool) {
	if need.Ref != "" {
		base := path.Base(strings.ReplaceAll(need.Ref, "\\", "/"))
		lower := strings.ToLower(base)
		for _, rule := range []struct {
			how string
			is  func(c *candidate) bool
		}{
			{"name", func(c *candidate) bool { return c.base == base }},
			{"case", func(c *candidate) bool { return c.lower == lower }},
			{"extension", func(c *candidate) bool { return c.bare == bare(base) }},
		} {
			if i := best(list, rule.is, 0); i >= 0 {
				return Match{Need: need, File: list[i].path, How: rule.how}, true
			}
		}
		want := Parse(base)
		if want.Stem != "" {
			if m, ok := byRole(need, list, "stem and role", false, want.Resolution,
				func(c *candidate) bool { return c.Stem == want.Stem && c.Tile == want.Tile }); ok {
				return m, true
			}
		}
	}
	surface := plain(need.Name)
	if surface != "" {
		same := func(c *candidate) bool { return plain(c.Stem) == surface }
		if m, ok := byRole(need, list, "surface and role", false, 0, same); ok {
			return m, true
		}
		if len(surface) >= 3 {
			within := func(c *candidate) bool {
				s := plain(c.Stem)
				return len(s) >= 3 && (strings.Contains(s, surface) || strings.Contains(surface, s))
			}
			if m, ok := byRole(need, list, "surface and role", true, 0, within); ok {
				return m, true
			}
		}
	}
	if onlySet && need.Ref == "" {
		return byRole(need, list, "only set", true, 0, func(*candidate) bool { return true })
	}
	return Match{}, false
}

// byRole takes the file among those that is accepts whose role is the need's:
// a map of its own, then its opposite (gloss for roughness), then a channel of
// a packed map.
func byRole(need Need, list []candidate, how string, guessed bool, resolution int, is func(c *candidate) bool) (Match,
	bool) {
	m := Match{Need: need, How: how, Guessed: guessed}
	if i := best(list, func(c *candidate) bool { return c.Role == need.Role && is(c) }, resolution); i >= 0 {
		m.File, m.Guessed = list[i].path, guessed || !list[i].Sure
		return m, true
	}
	if need.Role == Roughness {
		if i := best(list, func(c *candidate) bool { return c.Role == Gloss && is(c) }, resolution); i >= 0 {
			m.File, m.Gloss = list[i].path, true
			return m, true
		}
	}
	channel := func(c *candidate, r Role) int { return 1 + slices.Index(c.Channels[:], r) }
	for _, role := range []Role{need.Role, Gloss} {
		if role == Gloss && need.Role != Roughness {
			break
		}
		if i := best(list, func(c *candidate) bool { return c.Role == Packed && channel(c, role) > 0 && is(c) },
			resolution); i >= 0 {
			m.File, m.Channel, m.Gloss = list[i].path, channel(&list[i], role), role == Gloss
			return m, true
		}
	}
	return m, false
}

// best is the accepted file of the wanted resolution, or of the highest; the
// sense that needs no turning comes first, tiles after 1001 last. -1: none.
func best(list []candidate, is func(c *candidate) bool, resolution int) int {
	at := -1
	for i := range list {
		if is(&list[i]) && (at < 0 || better(&list[i], &list[at], resolution)) {
			at = i
		}
	}
	return at
}

func better(a, b *candidate, resolution int) bool {
	fit := func(c *candidate) int {
		if resolution > 0 && c.Resolution == resolution {
			return 1 << 20
		}
		return c.Resolution
	}
	dx := func(c *candidate) int { return map[bool]int{true: 1}[c.Sense == DirectX] }
	return cmp.Or(cmp.Compare(a.Tile, b.Tile), cmp.Compare(fit(b), fit(a)), cmp.Compare(dx(a), dx(b))) < 0
}

// plain leaves letters and digits, in lower case, without the marks that teams
// put before names.
func plain(s string) string {
	toks := split(s)
	for len(toks) > 1 && (stemFiller[toks[0]] || filler[toks[0]]) {
		toks = toks[1:]
	}
	for len(toks) > 1 && (stemFiller[toks[len(toks)-1]] || filler[toks[len(toks)-1]]) {
		toks = toks[:len(toks)-1]
	}
	return strings.Join(toks, "")
}
