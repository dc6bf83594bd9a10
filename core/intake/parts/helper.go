package parts

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/model"
)

// Words that programs give to what they leave in files for their own use. A word alone
// makes no helper: bottles are empty and archers have targets. Common practice, from
// memory.
var (
	hullWords = []string{"collision", "collider", "collisionmesh", "boundingbox", "bbox", "hitbox", "navmesh",
		"occluder", "ucx", "ubx", "usp", "ucp", "col"}
	markWords = []string{"helper", "target", "dummy", "locator", "bone", "joint", "armature", "gizmo", "pivot", "null",
		"empty"}
)

// maxMark is how many triangles a mark of a program has at most: the three arms of an
// axis cross, drawn as boxes or cones, are 36 to 60.
const maxMark = 64

// looks is what tells a helper besides its name.
type looks struct {
	box     geom.Box
	dressed bool // something was painted for it: a map, a colour, colours of its vertices
	bare    bool // it has no surface at all
}

func isDressed(m *model.Model, p *model.Part) bool {
	if p.Colors != nil {
		return true
	}
	if p.Surface == model.None {
		return false
	}
	s := &m.Surfaces[p.Surface]
	if c := s.BaseColor; max(c[0], c[1], c[2])-min(c[0], c[1], c[2]) > 0.02 {
		return true
	}
	return slices.ContainsFunc(s.Slots[:], func(x model.Slot) bool { return x.Map != model.None })
}

// tellHelpers says of each part why it is left out unless asked for. What has faces is
// a helper by its name and by what it is: nothing was painted for it, and it lies around
// a part of its name, or is a box, bone or axis cross of few faces beside larger things.
// A model is never left without a part.
func tellHelpers(list []Part, seen []looks) {
	left := 0
	for i := range list {
		p := &list[i]
		switch {
		case p.Triangles == 0:
			p.Helper = "lines or points, no faces"
		case !seen[i].dressed:
			p.Helper = helper(list, seen, i)
		}
		if p.Helper == "" {
			left++
		}
	}
	if left > 0 {
		return
	}
	for i := range list {
		if list[i].Triangles > 0 {
			list[i].Helper = ""
		}
	}
}

func helper(list []Part, seen []looks, i int) string {
	p := &list[i]
	words := strings.FieldsFunc(strings.ToLower(p.Name), func(r rune) bool { return r < 'a' || r > 'z' })
	for _, w := range words {
		switch {
		case slices.Contains(hullWords, w):
			rest := slices.DeleteFunc(slices.Clone(words), func(x string) bool { return x == w })
			for k := range list {
				if k != i && list[k].Triangles > 0 && (named(list[k].Name, rest) ||
					overlap(seen[i].box, seen[k].box) > 0.7) {
					return fmt.Sprintf("its name says that it is a hull (%q) of %s, and nothing is painted on it", w,
						list[k].Name)
				}
			}
		case slices.Contains(markWords, w):
			if p.Triangles > maxMark {
				continue
			}
			for k := range list {
				if k != i &&
					(seen[i].bare || list[k].Triangles > p.Triangles &&
						seen[k].box.Size().Len() > seen[i].box.Size().Len()) {
					return fmt.Sprintf("its name says that it is a mark of a program (%q), and it is a few bare faces",
						w)
				}
			}
		}
	}
	return ""
}

// named reports whether a part has the words of a hull's name, numbers aside.
func named(name string, words []string) bool {
	own := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return r < 'a' || r > 'z' })
	return len(words) > 0 && slices.Equal(own, words)
}

// overlap is the share of two boxes' common space of what both take, 0 to 1; of flat
// ones, of their diagonals.
func overlap(a, b geom.Box) float64 {
	both, all := 1.0, 1.0
	for _, s := range [3][4]float64{{a.Min.X, a.Max.X, b.Min.X, b.Max.X}, {a.Min.Y, a.Max.Y, b.Min.Y, b.Max.Y},
		{a.Min.Z, a.Max.Z, b.Min.Z, b.Max.Z}} {
		inner, outer := math.Min(s[1], s[3])-math.Max(s[0], s[2]), math.Max(s[1], s[3])-math.Min(s[0], s[2])
		if inner < 0 {
			return 0
		}
		if outer > 0 {
			both, all = both*inner, all*outer
		}
	}
	return both / all
}
