// Package parts takes a model apart as an artist sees it: the things that its
// nodes hold, each under a key that stays the same for the same file; dropping,
// renaming, splitting and joining them; and finding the same ones again in a
// newer version of the file.
package parts

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/model"
)

// Part is a thing that a node of a model holds.
type Part struct {
	Key       string  `json:"key"` // names from the root down, joined by "/"
	Name      string  `json:"name"`
	Group     string  `json:"group"` // key of the group that it lies in; "" at the top
	Node      int     `json:"-"`
	Triangles int     `json:"triangles"`
	Vertices  int     `json:"vertices"`
	Surfaces  []int   `json:"surfaces"`
	Shells    int     `json:"shells"` // loose pieces; 0 when too large to count
	Helper    string  `json:"helper"` // why it is left out unless asked for; "" for a real part
	Size      geom.V  `json:"size"`   // in the model's unit, along its axes
	Center    geom.V  `json:"center"`
	Area      float64 `json:"area"`
}

// maxShells bounds the triangles of a part whose loose pieces are counted
// without being asked for.
const maxShells = 2_000_000

// List is every part that stands in the model, in the order of its nodes.
func List(m *model.Model) []Part {
	keys := Keys(m)
	parent := make([]int, len(m.Nodes))
	for i := range parent {
		parent[i] = model.None
	}
	for i := range m.Nodes {
		for _, c := range m.Nodes[i].Children {
			parent[c] = i
		}
	}
	var out []Part
	var seen []looks
	m.Walk(func(i int, n *model.Node, world geom.M) {
		if n.Mesh == model.None {
			return
		}
		l := looks{bare: true}
		p := Part{Key: keys[i], Name: n.Name, Node: i}
		if p.Name == "" {
			p.Name = m.Meshes[n.Mesh].Name
		}
		if p.Name == "" {
			p.Name = "part"
		}
		if parent[i] != model.None {
			p.Group = keys[parent[i]]
		}
		box := geom.Empty()
		for k := range m.Meshes[n.Mesh].Parts {
			q := &m.Meshes[n.Mesh].Parts[k]
			p.Triangles += q.Triangles()
			p.Vertices += q.Vertices()
			if q.Surface != model.None && !slices.Contains(p.Surfaces, q.Surface) {
				p.Surfaces = append(p.Surfaces, q.Surface)
			}
			box = box.Union(q.Bounds(&world))
			l.bare = l.bare && q.Surface == model.None
			l.dressed = l.dressed || isDressed(m, q)
			if q.Kind == model.Triangles && q.Triangles() <= maxShells {
				_, n := q.Shells()
				p.Shells += n
				p.Area += areaOf(q, &world)
			}
		}
		p.Size, p.Center = box.Size(), box.Center()
		l.box = box
		out, seen = append(out, p), append(seen, l)
	})
	tellHelpers(out, seen)
	return out
}

func areaOf(p *model.Part, world *geom.M) (sum float64) {
	for t := 0; t+2 < len(p.Indices); t += 3 {
		a, b, c := world.Point(p.Position(p.Indices[t])), world.Point(p.Position(p.Indices[t+1])),
			world.Point(p.Position(p.Indices[t+2]))
		sum += b.Sub(a).Cross(c.Sub(a)).Len() / 2
	}
	return sum
}

// Keys gives every node its key; names that come twice in one place are
// counted: "wheel", "wheel#2".
func Keys(m *model.Model) []string {
	keys := make([]string, len(m.Nodes))
	seen := map[string]int{}
	var name func(i int, above string)
	name = func(i int, above string) {
		key := strings.ReplaceAll(m.Nodes[i].Name, "/", "-")
		if key == "" {
			key = "part"
		}
		if above != "" {
			key = above + "/" + key
		}
		if seen[key]++; seen[key] > 1 {
			key = fmt.Sprintf("%s#%d", key, seen[key])
		}
		keys[i] = key
		for _, c := range m.Nodes[i].Children {
			name(c, key)
		}
	}
	for _, r := range m.Roots {
		name(r, "")
	}
	return keys
}

// SurfaceKeys names every surface once: by its name, counted where two have
// the same.
func SurfaceKeys(m *model.Model) []string {
	out := make([]string, len(m.Surfaces))
	seen := map[string]int{}
	for i := range m.Surfaces {
		name := m.Surfaces[i].Name
		if name == "" {
			name = "surface"
		}
		if seen[name]++; seen[name] > 1 {
			name = fmt.Sprintf("%s#%d", name, seen[name])
		}
		out[i] = name
	}
	return out
}

// Detach makes the node list and the meshes' part lists the model's own, so
// that they can be written to without touching what m was copied from.
func Detach(m *model.Model) {
	m.Nodes, m.Roots = slices.Clone(m.Nodes), slices.Clone(m.Roots)
	for i := range m.Nodes {
		m.Nodes[i].Children = slices.Clone(m.Nodes[i].Children)
	}
	m.Meshes = slices.Clone(m.Meshes)
	m.Surfaces, m.Maps = slices.Clone(m.Surfaces), slices.Clone(m.Maps)
	m.Warnings = slices.Clone(m.Warnings)
}

// Split puts what node i holds into children, by surface or by loose shell
// ("surface", "shell"). The node becomes a group. At most maxPieces come out;
// of more, the smallest stay together.
func Split(m *model.Model, i int, by string) error {
	mesh := m.Nodes[i].Mesh
	if mesh == model.None {
		return fmt.Errorf("%q holds nothing to split", m.Nodes[i].Name)
	}
	var pieces []model.Mesh
	for k := range m.Meshes[mesh].Parts {
		p := &m.Meshes[mesh].Parts[k]
		if by == "surface" || p.Kind != model.Triangles {
			name := "no surface"
			if p.Surface != model.None {
				name = m.Surfaces[p.Surface].Name
			}
			at := slices.IndexFunc(pieces, func(x model.Mesh) bool { return by == "surface" && x.Name == name })
			if at < 0 {
				pieces = append(pieces, model.Mesh{Name: name})
				at = len(pieces) - 1
			}
			pieces[at].Parts = append(pieces[at].Parts, *p)
			continue
		}
		shell, n := p.Shells()
		size := make([]int, n)
		for _, s := range shell {
			size[s]++
		}
		order := make([]int, n)
		for s := range order {
			order[s] = s
		}
		slices.SortStableFunc(order, func(a, b int) int { return size[b] - size[a] })
		into := make([]int, n)
		for rank, s := range order {
			into[s] = min(rank, maxPieces-1)
		}
		for r := range min(n, maxPieces) {
			q := p.Only(func(t int) bool { return into[shell[t]] == r })
			pieces = append(pieces, model.Mesh{Name: fmt.Sprintf("shell %d", len(pieces)+1), Parts: []model.Part{q}})
		}
	}
	if len(pieces) < 2 {
		return nil
	}
	for _, x := range pieces {
		m.Meshes = append(m.Meshes, x)
		n := model.NewNode(x.Name)
		n.Mesh = len(m.Meshes) - 1
		m.Nodes = append(m.Nodes, n)
		m.Nodes[i].Children = append(m.Nodes[i].Children, len(m.Nodes)-1)
	}
	m.Nodes[i].Mesh = model.None
	return nil
}

// maxPieces bounds what one part is split into: nobody works through more.
const maxPieces = 200

// Join makes one part of the nodes given, standing at the top of the model
// under a name; what they held is gone from them. Surfaces stay apart.
func Join(m *model.Model, nodes []int, name string) {
	world := map[int]geom.M{}
	m.Walk(func(i int, _ *model.Node, w geom.M) { world[i] = w })
	mesh := model.Mesh{Name: name}
	for _, i := range nodes {
		w, ok := world[i]
		if !ok || m.Nodes[i].Mesh == model.None {
			continue
		}
		for k := range m.Meshes[m.Nodes[i].Mesh].Parts {
			p := m.Meshes[m.Nodes[i].Mesh].Parts[k].Moved(&w)
			at := slices.IndexFunc(mesh.Parts, func(q model.Part) bool {
				return q.Surface == p.Surface && q.Kind == p.Kind && (q.UV == nil) == (p.UV == nil) &&
					(q.UV1 == nil) == (p.UV1 == nil) && (q.Normals == nil) == (p.Normals == nil) &&
					(q.Colors == nil) == (p.Colors == nil)
			})
			if at < 0 {
				p.Name = name
				mesh.Parts = append(mesh.Parts, p)
				continue
			}
			q := &mesh.Parts[at]
			base := uint32(q.Vertices())
			q.Positions = slices.Concat(q.Positions, p.Positions)
			q.Normals, q.UV, q.UV1, q.Colors = slices.Concat(q.Normals, p.Normals), slices.Concat(q.UV, p.UV),
				slices.Concat(q.UV1, p.UV1), slices.Concat(q.Colors, p.Colors)
			q.Indices = slices.Clone(q.Indices)
			for _, v := range p.Indices {
				q.Indices = append(q.Indices, base+v)
			}
		}
		m.Nodes[i].Mesh = model.None
	}
	if len(mesh.Parts) > 0 {
		m.Stand(mesh)
	}
}

// Prune leaves out meshes and maps that nothing uses, and groups that hold
// nothing.
func Prune(m *model.Model) {
	var full func(i int) bool
	full = func(i int) bool {
		n := &m.Nodes[i]
		n.Children = slices.DeleteFunc(n.Children, func(c int) bool { return !full(c) })
		return n.Mesh != model.None || n.Camera != model.None || n.Light != model.None || len(n.Children) > 0
	}
	m.Roots = slices.DeleteFunc(m.Roots, func(r int) bool { return !full(r) })
	to := make([]int, len(m.Meshes))
	for i := range to {
		to[i] = model.None
	}
	var meshes []model.Mesh
	m.Walk(func(i int, n *model.Node, _ geom.M) {
		if n.Mesh != model.None && to[n.Mesh] == model.None {
			to[n.Mesh] = len(meshes)
			meshes = append(meshes, m.Meshes[n.Mesh])
		}
	})
	m.Walk(func(i int, n *model.Node, _ geom.M) {
		if n.Mesh != model.None {
			m.Nodes[i].Mesh = to[n.Mesh]
		}
	})
	m.Meshes = meshes
	// Maps of surfaces that no part has any more go too.
	used := make([]bool, len(m.Surfaces))
	for i := range meshes {
		for k := range meshes[i].Parts {
			if s := meshes[i].Parts[k].Surface; s != model.None {
				used[s] = true
			}
		}
	}
	at := map[int]int{}
	var kept []model.Map
	for i := range m.Surfaces {
		for r := range m.Surfaces[i].Slots {
			slot := &m.Surfaces[i].Slots[r]
			if slot.Map == model.None {
				continue
			}
			if !used[i] {
				slot.Map = model.None
				continue
			}
			to, ok := at[slot.Map]
			if !ok {
				to = len(kept)
				at[slot.Map] = to
				kept = append(kept, m.Maps[slot.Map])
			}
			slot.Map = to
		}
	}
	m.Maps = kept
}

// Pair tells which part of the older list each key of the newer one is: first
// by key, then by name, then by shape.
type Pair struct {
	Old, New string
	By       string // "key", "name" or "shape"
}

// Match finds the parts of a newer version. gone are the old ones that are
// not there any more, fresh the ones that were not there before.
func Match(old, new []Part) (pairs []Pair, gone, fresh []Part) {
	taken := map[string]bool{} // new keys
	found := map[string]bool{} // old keys
	pair := func(o, n *Part, by string) {
		taken[n.Key], found[o.Key] = true, true
		pairs = append(pairs, Pair{o.Key, n.Key, by})
	}
	rules := []struct {
		by   string
		same func(o, n *Part) bool
	}{
		{"key", func(o, n *Part) bool { return o.Key == n.Key }},
		{"name", func(o, n *Part) bool { return strings.EqualFold(o.Name, n.Name) }},
		{"shape", func(o, n *Part) bool { return o.Triangles > 0 && Alike(o, n) < 0.02 }},
	}
	for _, r := range rules {
		for i := range old {
			if found[old[i].Key] {
				continue
			}
			for k := range new {
				if !taken[new[k].Key] && r.same(&old[i], &new[k]) {
					pair(&old[i], &new[k], r.by)
					break
				}
			}
		}
	}
	for i := range old {
		if !found[old[i].Key] {
			gone = append(gone, old[i])
		}
	}
	for k := range new {
		if !taken[new[k].Key] {
			fresh = append(fresh, new[k])
		}
	}
	return pairs, gone, fresh
}

// Shared is the share of a model's surface, 0 to 1, that stands in another one in the
// same shape: the area of the parts of old that are paired by Match and alike within
// 5 %, by all its area. Helpers do not count.
func Shared(old, new []Part) float64 {
	real := func(list []Part) []Part {
		return slices.DeleteFunc(slices.Clone(list), func(p Part) bool { return p.Helper != "" || p.Triangles == 0 })
	}
	old, new = real(old), real(new)
	at := func(list []Part, key string) *Part {
		return &list[slices.IndexFunc(list, func(p Part) bool { return p.Key == key })]
	}
	pairs, _, _ := Match(old, new)
	same, all := 0.0, 0.0
	for _, p := range old {
		all += p.Area
	}
	for _, p := range pairs {
		if o := at(old, p.Old); Alike(o, at(new, p.New)) < 0.05 {
			same += o.Area
		}
	}
	if all <= 0 {
		return 0
	}
	return same / all
}

// Alike is how much two parts differ in shape: 0 for the same, the largest
// relative difference of sorted sides and of area per diagonal squared, whatever
// their scale and place.
func Alike(a, b *Part) float64 {
	sides := func(p *Part) (s [3]float64, d float64) {
		s = [3]float64{p.Size.X, p.Size.Y, p.Size.Z}
		slices.Sort(s[:])
		return s, p.Size.Len()
	}
	sa, da := sides(a)
	sb, db := sides(b)
	if da == 0 || db == 0 {
		return math.Inf(1)
	}
	worst := 0.0
	for k := range sa {
		worst = max(worst, math.Abs(sa[k]/da-sb[k]/db))
	}
	x, y := a.Area/(da*da), b.Area/(db*db)
	return max(worst, math.Abs(x-y)/max(x, y, 1e-9))
}
