package assembly

import "visator/core/lay"

// Layers are the layers of a set by name.
type Layers map[string]*lay.Element

// LayersOf are the layers among elements.
func LayersOf(elements []*lay.Element) Layers {
	out := Layers{}
	for _, e := range elements {
		if e.Kind == "layer" {
			out[e.Name] = e
		}
	}
	return out
}

// Hide says whether a thing is hidden by itself or by its layer.
func (l Layers) Hide(own bool, layer string) bool {
	e := l[layer]
	return own || e != nil && e.Hidden
}

// Groups are the groups that groups lie in, by group.
type Groups map[string]string

// GroupsOf are the groups among elements.
func GroupsOf(elements []*lay.Element) Groups {
	up := Groups{}
	for _, e := range elements {
		if e.Kind == "group" {
			if s, err := e.Read(); err == nil {
				up[e.ID] = s.(*lay.Group).Parent
			}
		}
	}
	return up
}

// mostNested is how deep groups may lie in others: deeper nobody nests, and no circle
// goes on for ever.
const mostNested = 100

// Of are a group and all that it is in, the innermost first; none of "".
func (up Groups) Of(group string) (list []string) {
	for g := group; g != "" && len(list) < mostNested; g = up[g] {
		list = append(list, g)
	}
	return list
}
