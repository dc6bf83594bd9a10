package surface

import (
	"cmp"
	"maps"
	"path"
	"slices"
	"strings"

	intake "visator/core/intake/maps"
)

// Taken is a map of a material as it is taken out of a file.
type Taken struct {
	Role    string // in the material: see Roles
	File    string
	Channel int  // 0: the whole picture; 1 to 4: red, green, blue, alpha of it
	Invert  bool // it holds gloss where roughness is wanted
	Flip    bool // a normal map whose green points down
}

// Gathered is a material that a folder of maps holds.
type Gathered struct {
	Name  string
	Takes []Taken  // by role
	Left  []string // files of it that say nothing a material has
}

// gathers is what maps of files say in a material. A map of specular colours is none of its strength: it is left.
var gathers = map[intake.Role]string{intake.BaseColor: "base", intake.Opacity: "opacity", intake.Normal: "normal",
	intake.Roughness: "roughness", intake.Gloss: "roughness", intake.Metallic: "metal", intake.Occlusion: "occlusion",
	intake.Emissive: "glow", intake.Transmission: "clear"}

// Gather tells by the names of files which materials a folder of maps holds, by name. Of several sizes of one map the
// largest is taken, of two normal maps the one whose green points up.
func Gather(files []string) []Gathered {
	type found struct {
		Taken
		worth int
	}
	sets := map[string]map[string]found{}
	left := map[string][]string{}
	files = intake.Pictures(files)
	slices.Sort(files)
	for _, f := range files[:min(len(files), intake.MaxFiles)] {
		n := intake.Parse(path.Base(strings.ReplaceAll(f, `\`, "/")))
		if n.Stem == "" || n.Role == intake.None {
			left[n.Stem] = append(left[n.Stem], f)
			continue
		}
		set := sets[n.Stem]
		if set == nil {
			set = map[string]found{}
			sets[n.Stem] = set
		}
		used := false
		add := func(role intake.Role, channel int) {
			t := Taken{Role: gathers[role], File: f, Channel: channel, Invert: role == intake.Gloss,
				Flip: role == intake.Normal && n.Sense == intake.DirectX}
			if t.Role == "" {
				return
			}
			used = true
			worth := 2 * n.Resolution
			if t.Flip || channel > 0 {
				worth--
			}
			if was, ok := set[t.Role]; !ok || worth > was.worth {
				set[t.Role] = found{t, worth}
			}
		}
		if n.Role == intake.Packed {
			for i, role := range n.Channels {
				add(role, i+1)
			}
		} else {
			channel := 0
			if gathers[n.Role] != "base" && n.Role != intake.Normal && n.Role != intake.Emissive {
				channel = 1
			}
			add(n.Role, channel)
		}
		if !used {
			left[n.Stem] = append(left[n.Stem], f)
		}
	}
	var out []Gathered
	for stem, set := range sets {
		if len(set) == 0 {
			continue
		}
		g := Gathered{Name: stem, Left: left[stem]}
		for _, role := range slices.Sorted(maps.Keys(set)) {
			g.Takes = append(g.Takes, set[role].Taken)
		}
		out = append(out, g)
	}
	slices.SortFunc(out, func(a, b Gathered) int { return cmp.Compare(a.Name, b.Name) })
	return out
}
