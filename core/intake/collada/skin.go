package collada

import (
	"strings"

	"visator/core/geom"
	"visator/core/intake/markup"
	"visator/core/intake/text"
	"visator/core/model"
)

// skinned is a mesh that joints carry: it stands where they are in the scene,
// whatever node it hangs from (COLLADA 1.4.1, chapter 4, Skinning).
type skinned struct {
	node     int
	skin     *markup.Element
	instance *markup.Element
	geometry *geometry
}

// applySkins puts every skinned mesh into the pose of its joints. A skin that
// cannot be followed stays as it was modelled, and a warning says so.
func (r *reader) applySkins() {
	if len(r.skins) == 0 {
		return
	}
	world := make([]geom.M, len(r.out.Nodes))
	r.out.Walk(func(i int, _ *model.Node, w geom.M) { world[i] = w })
	for _, s := range r.skins {
		n := &r.out.Nodes[s.node]
		back, ok := world[s.node].Affine()
		joints := r.joints(s, world)
		counts, pairs, weights := r.weights(s.skin)
		if !ok || joints == nil || counts == nil || n.Mesh == model.None {
			r.out.Warn("%.100q: its joints cannot be followed; it stands as it was modelled", n.Name)
			continue
		}
		start := make([]int, len(counts)+1) // of each place's pairs
		for i, c := range counts {
			start[i+1] = start[i] + int(c)
		}
		mesh := model.Mesh{Name: r.out.Meshes[n.Mesh].Name, Parts: append([]model.Part(nil),
			r.out.Meshes[n.Mesh].Parts...)}
		for k := range mesh.Parts {
			p := &mesh.Parts[k]
			pos, nor := append([]float32(nil), p.Positions...), append([]float32(nil), p.Normals...)
			for v, place := range s.geometry.places[k] {
				var m geom.M
				sum := 0.0
				if int(place) < len(counts) {
					for at := start[place]; at < start[place+1]; at++ {
						j, w := pairs[2*at], pairs[2*at+1]
						if int(j) >= len(joints) || int(w) >= len(weights) {
							continue
						}
						weight := float64(weights[w])
						sum += weight
						for c := range m {
							m[c] += joints[j][c] * weight
						}
					}
				}
				if sum < 1e-6 {
					continue
				}
				for c := range m {
					m[c] /= sum
				}
				m = back.Mul(m)
				q := m.Point(p.Position(uint32(v)))
				pos[3*v], pos[3*v+1], pos[3*v+2] = float32(q.X), float32(q.Y), float32(q.Z)
				if len(nor) > 0 {
					d := m.Dir(geom.V{X: float64(nor[3*v]), Y: float64(nor[3*v+1]), Z: float64(nor[3*v+2])}).Unit()
					nor[3*v], nor[3*v+1], nor[3*v+2] = float32(d.X), float32(d.Y), float32(d.Z)
				}
			}
			p.Positions = pos
			if len(nor) > 0 {
				p.Normals = nor
			}
		}
		r.out.Meshes = append(r.out.Meshes, mesh)
		n.Mesh = len(r.out.Meshes) - 1
	}
}

// joints gives for each joint of the skin the transform from the bound mesh to
// the scene; nil when any is not there.
func (r *reader) joints(s skinned, world []geom.M) []geom.M {
	var names []string
	var inverse *source
	byID := false
	for _, in := range s.skin.Child("joints").All("input") {
		src := r.find(in, "source")
		switch in.Attr("semantic") {
		case "JOINT":
			list := src.Child("Name_array")
			if list == nil {
				list, byID = src.Child("IDREF_array"), true
			}
			names = strings.Fields(list.String())
		case "INV_BIND_MATRIX":
			var err error
			if inverse, err = r.source(src); err != nil {
				return nil
			}
		}
	}
	if len(names) == 0 || inverse == nil || len(inverse.data) < 16*len(names) {
		return nil
	}
	bySID := map[string]int{}
	collect := func(root *markup.Element) {
		root.Walk(func(e *markup.Element) {
			i, ok := r.nodeOf[e]
			if _, twice := bySID[e.Attr("sid")]; ok && !twice {
				bySID[e.Attr("sid")] = i
			}
		})
	}
	for _, sk := range s.instance.All("skeleton") {
		if root := r.byID[strings.TrimPrefix(strings.TrimSpace(sk.String()), "#")]; root != nil {
			collect(root)
		}
	}
	if r.scene != nil { // joints beside the skeleton's root
		collect(r.scene)
	}
	out := make([]geom.M, len(names))
	for k, name := range names {
		i, ok := bySID[name]
		if e := r.byID[name]; byID || !ok && e != nil {
			i, ok = r.nodeOf[e]
		}
		if !ok {
			return nil
		}
		f := make([]float64, 16)
		for c := range f {
			f[c] = float64(inverse.data[16*k+c])
		}
		out[k] = world[i].Mul(rowMajor(f))
	}
	return out
}

// weights reads which joints carry each place: counts per place, then pairs of
// joint and weight.
func (r *reader) weights(skin *markup.Element) (counts, pairs []uint32, weights []float32) {
	vw := skin.Child("vertex_weights")
	joint, weight, step := -1, -1, 0
	for _, in := range vw.All("input") {
		offset := atoi(in.Attr("offset"), 0)
		step = max(step, offset+1)
		switch in.Attr("semantic") {
		case "JOINT":
			joint = offset
		case "WEIGHT":
			weight = offset
			src, err := r.source(r.find(in, "source"))
			if err != nil {
				return nil, nil, nil
			}
			weights = src.data
		}
	}
	if joint < 0 || weight < 0 || step > 100 || vw.Child("v") == nil || vw.Child("vcount") == nil {
		return nil, nil, nil
	}
	counts, err := text.Indices(vw.Child("vcount").Text, 0)
	if err != nil {
		return nil, nil, nil
	}
	flat, err := text.Indices(vw.Child("v").Text, 0)
	if err != nil {
		return nil, nil, nil
	}
	total := uint64(0)
	for _, c := range counts {
		total += uint64(c)
	}
	if total*uint64(step) > uint64(len(flat)) {
		return nil, nil, nil
	}
	for i := 0; i+step <= len(flat); i += step {
		pairs = append(pairs, flat[i+joint], flat[i+weight])
	}
	return counts, pairs, weights
}

// number reads one number as exporters write it, also with the comma of a
// locale.
func number(s string) (float64, bool) {
	v, end, ok := text.Number([]byte(s), 0)
	return v, ok && end == len(s)
}
