package mesh

import (
	"maps"

	"visator/core/cast"
	"visator/core/model"
	"visator/core/skin"
)

// Library turns models into meshes once, for any number of instances.
type Library struct {
	Threads int
	Kept    cast.Structures // nil: none are
	made    map[*model.Model][]*Mesh
	shapes  map[*float32]*Mesh // the first of its triangles, by where they lie
}

// Meshes are those of a model, in its order.
func (l *Library) Meshes(m *model.Model) ([]*Mesh, error) {
	if k, ok := l.made[m]; ok {
		return k, nil
	}
	surfaces, fallback, err := skin.New(m)
	if err != nil {
		return nil, err
	}
	var k []*Mesh
	for i := range m.Meshes {
		mesh, err := New(&m.Meshes[i], surfaces, fallback)
		if err != nil {
			return nil, err
		}
		if mesh.Count > 0 {
			l.alike(mesh)
		}
		k = append(k, mesh)
	}
	if l.made == nil {
		l.made = map[*model.Model][]*Mesh{}
	}
	l.made[m] = k
	return k, nil
}

// alike finds the mesh that was made of the same triangles first: with other surfaces it needs no structure of its own.
func (l *Library) alike(m *Mesh) {
	if l.shapes == nil {
		l.shapes = map[*float32]*Mesh{}
	}
	at := &m.Parts[0].Model.Positions[0]
	first := l.shapes[at]
	if first == nil {
		l.shapes[at] = m
		return
	}
	if first.Alike(m) {
		m.Like = first
	}
}

// Clone is a library that begins with the same meshes.
func (l *Library) Clone() Library {
	return Library{l.Threads, l.Kept, maps.Clone(l.made), maps.Clone(l.shapes)}
}

// Keep forgets the meshes of models that are not used any more.
func (l *Library) Keep(used map[*model.Model]bool) {
	for m := range l.made {
		if !used[m] {
			delete(l.made, m)
		}
	}
	clear(l.shapes)
	for _, k := range l.made {
		for _, m := range k {
			if m.Count > 0 && (m.Like == nil || l.shapes[&m.Parts[0].Model.Positions[0]] == nil) {
				l.shapes[&m.Parts[0].Model.Positions[0]] = m
			}
		}
	}
}
