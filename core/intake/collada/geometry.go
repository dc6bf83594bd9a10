package collada

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"visator/core/geom"
	"visator/core/intake/markup"
	"visator/core/intake/text"
	"visator/core/model"
)

// source is an array of numbers, width to an item.
type source struct {
	data  []float32
	width int
	spare bool // nobody else will ask for it: it may be taken over as it is
}

func (s *source) count() int { return len(s.data) / s.width }

// geometry is a mesh as read: its parts, and the material symbol of each.
type geometry struct {
	parts   []model.Part
	symbols []string
	places  [][]uint32 // of each part: the position in the file of each vertex
}

// geometryAt gives the node the mesh of a geometry or controller, with the
// materials that the instance binds.
func (r *reader) geometryAt(n *model.Node, target, instance *markup.Element) error {
	g, err := r.shape(target, 0)
	if err != nil {
		return fmt.Errorf("geometry %.100q: %w", nameOf(target), err)
	}
	if len(g.parts) == 0 {
		return nil
	}
	bound := map[string]*markup.Element{}
	for _, m := range instance.Child("bind_material", "technique_common").All("instance_material") {
		bound[m.Attr("symbol")] = m
	}
	key := fmt.Sprintf("%p", target)
	mesh := model.Mesh{Name: nameOf(target), Parts: append([]model.Part(nil), g.parts...)}
	for i, symbol := range g.symbols {
		s := model.None
		if m := bound[symbol]; m != nil {
			s = r.material(r.find(m, "target"), m)
		} else if e := r.byID[symbol]; e != nil && e.Name == "material" { // some exporters name the material itself
			s = r.material(e, nil)
		}
		mesh.Parts[i].Surface = s
		key += " " + strconv.Itoa(s)
	}
	at, ok := r.meshes[key]
	if !ok {
		r.out.Meshes = append(r.out.Meshes, mesh)
		at = len(r.out.Meshes) - 1
		r.meshes[key] = at
	}
	n.Mesh = at
	return nil
}

// shape reads a geometry, or what a controller deforms in its bind pose.
func (r *reader) shape(e *markup.Element, depth int) (*geometry, error) {
	if g, ok := r.geoms[e]; ok {
		return g, nil
	}
	if depth > 8 {
		return nil, fmt.Errorf("controllers lie in a circle; export the model again")
	}
	g := &geometry{}
	var err error
	switch {
	case e.Child("mesh") != nil:
		err = r.mesh(g, e.Child("mesh"))
	case e.Child("skin") != nil:
		skin := e.Child("skin")
		base := r.find(skin, "source")
		if base == nil {
			return nil, fmt.Errorf("the skin's source %.100q is not there", skin.Attr("source"))
		}
		var from *geometry
		if from, err = r.shape(base, depth+1); err != nil {
			return nil, err
		}
		*g = geometry{append([]model.Part(nil), from.parts...), from.symbols, from.places}
		if b := skin.Child("bind_shape_matrix"); b != nil {
			f, err := numbers(b, 16)
			if err != nil {
				return nil, err
			}
			if m := rowMajor(f); m != geom.Identity {
				for i := range g.parts {
					g.parts[i] = g.parts[i].Moved(&m)
				}
			}
		}
	case e.Child("morph") != nil:
		base := r.find(e.Child("morph"), "source")
		if base == nil {
			return nil, fmt.Errorf("the morph's source is not there")
		}
		from, err := r.shape(base, depth+1)
		if err != nil {
			return nil, err
		}
		*g = *from
		r.out.Warn("%.100q: shapes to morph into are left out", nameOf(e))
	default:
		r.out.Warn("%.100q: curves and convex hulls are not read; ask for an export as polygons", nameOf(e))
	}
	if err != nil {
		return nil, err
	}
	r.geoms[e] = g
	return g, nil
}

func (r *reader) source(e *markup.Element) (*source, error) {
	if e == nil {
		return nil, fmt.Errorf("a source is not there; export the model again")
	}
	acc := e.Child("technique_common", "accessor")
	array := e.Child("float_array")
	if array == nil {
		if array = r.find(acc, "source"); array == nil || array.Name != "float_array" {
			return nil, fmt.Errorf("source %.100q holds no numbers", e.Attr("id"))
		}
	}
	data, err := text.Numbers(array.Text, atoi(array.Attr("count"), 0))
	if err != nil {
		return nil, fmt.Errorf("source %.100q: %w", e.Attr("id"), err)
	}
	stride, offset, count, width := 1, 0, math.MaxInt32, 0
	if acc != nil {
		stride, offset, count = atoi(acc.Attr("stride"), 1), atoi(acc.Attr("offset"), 0), atoi(acc.Attr("count"), 0)
		width = len(acc.All("param"))
	}
	if width == 0 || acc.Child("param").Attr("type") == "float4x4" {
		width = stride
	}
	if stride < 1 || stride > 1024 || offset < 0 || width > stride {
		return nil, fmt.Errorf("source %.100q: its accessor cannot be right; export the model again", e.Attr("id"))
	}
	if offset == 0 && stride == width {
		return &source{data: data[:min(len(data)/stride, count)*stride], width: stride}, nil
	}
	out := &source{width: width}
	for i, at := 0, offset; i < count && at+width <= len(data); i, at = i+1, at+stride {
		out.data = append(out.data, data[at:at+width]...)
	}
	return out, nil
}

func atoi(s string, otherwise int) int {
	n, err := strconv.Atoi(strings.TrimSpace(s))
	if err != nil {
		return otherwise
	}
	return n
}

// input is one stream of a primitive: which indices, into which source.
type input struct {
	semantic string
	set      int
	offset   int
	from     *source
}

type meshReader struct {
	*reader
	sources map[*markup.Element]*source
	alone   bool // one primitive has the sources for itself
}

func (r *meshReader) cached(e *markup.Element) (*source, error) {
	if s, ok := r.sources[e]; ok {
		return s, nil
	}
	s, err := r.source(e)
	if err == nil {
		s.spare, r.sources[e] = r.alone, s
	}
	return s, err
}

// inputs resolves the streams of a primitive; VERTEX stands for those of the
// mesh's vertices.
func (r *meshReader) inputs(prim *markup.Element) (out []input, step int, err error) {
	for _, e := range prim.All("input") {
		offset := atoi(e.Attr("offset"), 0)
		if offset < 0 || offset > 100 {
			return nil, 0, fmt.Errorf("<%s>: an input's offset cannot be right", prim.Name)
		}
		step = max(step, offset+1)
		target := r.find(e, "source")
		list := []*markup.Element{e}
		if e.Attr("semantic") == "VERTEX" {
			list = target.All("input")
		}
		for _, in := range list {
			s, err := r.cached(r.find(in, "source"))
			if err != nil {
				return nil, 0, err
			}
			out = append(out, input{in.Attr("semantic"), atoi(in.Attr("set"), atoi(e.Attr("set"), 0)), offset, s})
		}
	}
	return out, step, nil
}

func (r *reader) mesh(g *geometry, mesh *markup.Element) error {
	var prims []*markup.Element
	for _, e := range mesh.Children {
		switch e.Name {
		case "triangles", "polylist", "polygons", "tristrips", "trifans", "lines", "linestrips":
			prims = append(prims, e)
		}
	}
	m := &meshReader{r, map[*markup.Element]*source{}, len(prims) == 1}
	for _, prim := range prims {
		part, place, err := m.primitive(prim)
		if err != nil {
			return fmt.Errorf("<%s>: %w", prim.Name, err)
		}
		if part != nil && len(part.Indices) > 0 {
			g.parts, g.places = append(g.parts, *part), append(g.places, place)
			g.symbols = append(g.symbols, prim.Attr("material"))
		}
	}
	return nil
}

func (r *meshReader) primitive(prim *markup.Element) (*model.Part, []uint32, error) {
	inputs, step, err := r.inputs(prim)
	if err != nil || step == 0 {
		return nil, nil, err
	}
	kind := model.Triangles
	if strings.HasPrefix(prim.Name, "line") {
		kind = model.Lines
	}
	var flat, sizes []uint32
	for _, e := range prim.Children {
		from := len(flat)
		switch e.Name {
		case "p":
			list, err := text.Indices(e.Text, len(e.Text)/5)
			if err != nil {
				return nil, nil, err
			}
			if flat == nil {
				flat = list
			} else {
				flat = append(flat, list...)
			}
		case "ph": // a polygon with holes: its outline is taken
			r.out.Warn("holes in polygons are filled")
			if e.Child("p") == nil {
				continue
			}
			list, err := text.Indices(e.Child("p").Text, 0)
			if err != nil {
				return nil, nil, err
			}
			flat = append(flat, list...)
		case "vcount":
			if sizes, err = text.Indices(e.Text, len(e.Text)/2); err != nil {
				return nil, nil, err
			}
			continue
		default:
			continue
		}
		n := (len(flat) - from) / step
		flat = flat[:from+n*step]
		switch prim.Name {
		case "polygons":
			if n < 3 {
				flat = flat[:from]
				continue
			}
			sizes = append(sizes, uint32(n))
		case "tristrips", "trifans", "linestrips":
			flat = unstrip(flat, from, n, step, prim.Name)
		}
	}
	return r.assemble(inputs, step, flat, sizes, kind)
}

// unstrip turns the strip or fan of n corners at the end of flat into
// triangles or lines.
func unstrip(flat []uint32, from, n, step int, kind string) []uint32 {
	strip := append([]uint32(nil), flat[from:]...)
	flat = flat[:from]
	corner := func(i int) { flat = append(flat, strip[i*step:(i+1)*step]...) }
	switch kind {
	case "linestrips":
		for i := 1; i < n; i++ {
			corner(i - 1)
			corner(i)
		}
	case "trifans":
		for i := 2; i < n; i++ {
			corner(0)
			corner(i - 1)
			corner(i)
		}
	default:
		for i := 2; i < n; i++ {
			corner(i - 2 + i%2)
			corner(i - 1 - i%2)
			corner(i)
		}
	}
	return flat
}

// assemble joins the corners that agree in every stream and builds the part.
func (r *meshReader) assemble(inputs []input, step int, flat, sizes []uint32, kind model.Kind) (*model.Part,
	[]uint32, error) {
	corners := len(flat) / step
	if sizes != nil {
		total := uint64(0)
		for _, n := range sizes {
			if n > maxCorners {
				return nil, nil,
					fmt.Errorf("a polygon of %d corners, more than the limit of %d; cut it into smaller ones", n,
						maxCorners)
			}
			total += uint64(n)
		}
		if total > uint64(corners) {
			return nil, nil, fmt.Errorf("the polygons have %d corners, %d are there; export the model again", total,
				corners)
		}
		flat, sizes = thin(flat[:int(total)*step], step, sizes)
		corners = len(flat) / step
	}
	if corners == 0 {
		return nil, nil, nil
	}
	streams := map[int][]uint32{}
	stream := func(offset int) []uint32 {
		if s, ok := streams[offset]; ok {
			return s
		}
		s := make([]uint32, corners)
		for c := range s {
			s[c] = flat[c*step+offset]
		}
		if step == 1 {
			s = flat[:corners]
		}
		streams[offset] = s
		return s
	}
	var place *input
	offsets := map[int]bool{}
	for i := range inputs {
		in := &inputs[i]
		switch in.semantic {
		case "POSITION", "NORMAL", "TEXCOORD", "COLOR":
		default:
			continue
		}
		n := int64(in.from.count())
		for _, x := range stream(in.offset) {
			if int64(x) >= n {
				return nil, nil, fmt.Errorf("a face names %s %d, there are %d; export the model again",
					strings.ToLower(in.semantic), int32(x), in.from.count())
			}
		}
		if in.semantic == "POSITION" && place == nil {
			place = in
			continue
		}
		offsets[in.offset] = true
	}
	if place == nil || place.from.width < 3 {
		return nil, nil, fmt.Errorf("the vertices have no places; export the model again")
	}
	var others [][]uint32
	for _, o := range slices.Sorted(maps.Keys(offsets)) {
		if o != place.offset {
			others = append(others, stream(o))
		}
	}
	v := stream(place.offset)
	var first, vertex []uint32
	if len(others) == 0 && usesAll(v, place.from.count()) { // joined already: the usual large file
		vertex, first = v, make([]uint32, place.from.count())
		for i := range first {
			first[i] = uint32(i)
		}
		streams = map[int][]uint32{place.offset: first}
	} else {
		first, vertex = model.Weld(v, place.from.count(), others...)
	}
	part := &model.Part{Kind: kind, Surface: model.None, Indices: vertex}
	at := func(offset int) []uint32 {
		s := stream(offset)
		out := make([]uint32, len(first))
		for i, c := range first {
			out[i] = s[c]
		}
		return out
	}
	places := at(place.offset)
	part.Positions = pick(place.from, places, 3, 0)
	slices.SortStableFunc(inputs, func(a, b input) int { return cmp.Compare(a.set, b.set) })
	for i := range inputs {
		in := &inputs[i]
		switch {
		case in.semantic == "NORMAL" && part.Normals == nil && in.from.width >= 3:
			part.Normals = unit(pick(in.from, at(in.offset), 3, 0))
		case in.semantic == "TEXCOORD" && in.from.width >= 2 && part.UV1 == nil:
			uv := pick(in.from, at(in.offset), 2, 0)
			for k := 1; k < len(uv); k += 2 {
				uv[k] = 1 - uv[k] // v points up
			}
			if part.UV == nil {
				part.UV = uv
			} else {
				part.UV1 = uv
			}
		case in.semantic == "COLOR" && part.Colors == nil && in.from.width >= 3:
			part.Colors = pick(in.from, at(in.offset), 4, 1)
		}
	}
	if kind == model.Triangles {
		if sizes != nil {
			part.Indices = model.Cut(part, vertex, sizes)
		}
		part.Indices = part.Indices[:len(part.Indices)/3*3]
	}
	return part, places, part.Check("a face")
}

// thin leaves out faces of fewer than three corners.
func thin(flat []uint32, step int, sizes []uint32) (left, leftSizes []uint32) {
	if slices.IndexFunc(sizes, func(n uint32) bool { return n < 3 }) < 0 {
		return flat, sizes
	}
	at := 0
	for _, n := range sizes {
		if n >= 3 {
			left, leftSizes = append(left, flat[at:at+int(n)*step]...), append(leftSizes, n)
		}
		at += int(n) * step
	}
	return left, leftSizes
}

func inOrder(at []uint32) bool {
	for i, x := range at {
		if x != uint32(i) {
			return false
		}
	}
	return true
}

// usesAll reports whether every one of n places is used by a corner.
func usesAll(v []uint32, n int) bool {
	used := make([]bool, n)
	for _, x := range v {
		used[x] = true
	}
	return !slices.Contains(used, false)
}

// pick gathers width numbers an item; missing ones are fill.
func pick(s *source, at []uint32, width int, fill float32) []float32 {
	if s.width == width {
		if len(at) == s.count() && inOrder(at) {
			if s.spare {
				s.spare = false
				return s.data
			}
			return slices.Clone(s.data)
		}
		return model.Gather(s.data, width, at)
	}
	out := make([]float32, 0, len(at)*width)
	for _, i := range at {
		item := s.data[int(i)*s.width : (int(i)+1)*s.width]
		for k := range width {
			if k < len(item) {
				out = append(out, item[k])
			} else {
				out = append(out, fill)
			}
		}
	}
	return out
}

func unit(n []float32) []float32 {
	for i := 0; i+2 < len(n); i += 3 {
		v := geom.V{X: float64(n[i]), Y: float64(n[i+1]), Z: float64(n[i+2])}.Unit()
		if !v.Finite() || v == (geom.V{}) {
			v = geom.V{Y: 1}
		}
		n[i], n[i+1], n[i+2] = float32(v.X), float32(v.Y), float32(v.Z)
	}
	return n
}
