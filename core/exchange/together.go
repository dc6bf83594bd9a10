package exchange

import (
	"visator/core/geom"
	"visator/core/model"
)

// Stand is a model that stands in a set.
type Stand struct {
	Key, Name  string // of a key there is one model
	Place, Top geom.M // from metres about its pivot to the set, and from the model to those
	Model      *model.Model
}

// Together puts everything into one model: a root node for each stand, with the nodes of its model below it; copies
// share meshes. Cameras and lights of the models are left out.
func Together(name string, stands []Stand) *model.Model {
	out := &model.Model{Name: name}
	type base struct{ mesh, surface, maps int }
	at := map[string]base{}
	for i := range stands {
		t := &stands[i]
		m := t.Model
		b, ok := at[t.Key]
		if !ok {
			b = base{len(out.Meshes), len(out.Surfaces), len(out.Maps)}
			at[t.Key] = b
			out.Maps = append(out.Maps, m.Maps...)
			for _, s := range m.Surfaces {
				for r := range s.Slots {
					if s.Slots[r].Map != model.None {
						s.Slots[r].Map += b.maps
					}
				}
				out.Surfaces = append(out.Surfaces, s)
			}
			for _, mesh := range m.Meshes {
				parts := append([]model.Part{}, mesh.Parts...)
				for k := range parts {
					if parts[k].Surface != model.None {
						parts[k].Surface += b.surface
					}
				}
				out.Meshes = append(out.Meshes, model.Mesh{Name: mesh.Name, Parts: parts})
			}
		}
		root, first := len(out.Nodes), len(out.Nodes)+2
		// The placement and the piece's own sizing are two nodes, so that each
		// stays a clean translation, rotation and scale.
		top := Node(t.Name, t.Place)
		top.Children = []int{root + 1}
		inner := Node("", t.Top)
		for _, r := range m.Roots {
			inner.Children = append(inner.Children, r+first)
		}
		out.Roots = append(out.Roots, root)
		out.Nodes = append(out.Nodes, top, inner)
		for _, n := range m.Nodes {
			children := make([]int, 0, len(n.Children))
			for _, c := range n.Children {
				children = append(children, c+first)
			}
			n.Children = children
			if n.Mesh != model.None {
				n.Mesh += b.mesh
			}
			n.Camera, n.Light = model.None, model.None
			out.Nodes = append(out.Nodes, n)
		}
	}
	return out
}

// Node is one with a name and a place.
func Node(name string, local geom.M) model.Node {
	n := model.NewNode(name)
	n.Local = local
	return n
}
