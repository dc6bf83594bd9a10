package usd

import (
	"archive/zip"
	"bytes"
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/model"
)

// Read reads a layer or package and what it refers to within the folder.
// Without metersPerUnit a unit is a centimetre, without upAxis +Y is up, as
// the format says. An error names the file and the place.
func Read(name string, data []byte, folder model.Folder) (*model.Model, error) {
	st := &stage{folder: folder, layers: map[string]*layer{}, packages: map[string]*zip.Reader{}}
	st.out = &model.Model{Format: "USD", Up: "Y", Unit: model.Unit{Name: "centimetre", MetresPerUnit: 0.01,
		From: "format"}}
	base := path.Base(strings.ReplaceAll(name, "\\", "/"))
	var top *layer
	var err error
	if bytes.HasPrefix(data, []byte("PK")) {
		var z *zip.Reader
		if z, err = zip.NewReader(bytes.NewReader(data), int64(len(data))); err != nil {
			return nil, fmt.Errorf("%s: not a package that can be read (%w); fetch it again", name, err)
		}
		st.packages[base] = z
		st.out.Format = "USDZ"
		inner := rootOf(z)
		if inner == "" {
			return nil, fmt.Errorf("%s: holds no layer; fetch it again", name)
		}
		top, err = st.layer(base+"["+inner+"]", nil)
	} else {
		// The bytes at hand are the layer, wherever its folder has it.
		if top, err = parse(data); err == nil {
			st.anchorSpec(&top.root, base, 0)
			st.layers[base] = top
			err = st.addSubLayers(top, base, []string{base})
		}
	}
	if err == nil {
		err = st.build(top)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return st.out, nil
}

// builder turns the composed prims into the model.
type builder struct {
	*stage
	root     *spec
	surfaces map[string]int // by material path
	meshes   map[string]int
	maps     map[string]int // by file and channel
}

func (st *stage) build(l *layer) error {
	if v := number(l.meta["metersPerUnit"], 0); v > 0 && v < 1e9 {
		st.out.Unit = model.StatedUnit(v)
	}
	if text(l.meta["upAxis"]) == "Z" {
		st.out.Up = "Z"
	}
	for _, k := range []string{"creator", "author"} {
		if d, ok := l.meta["customLayerData"].(map[string]any); ok && text(d[k]) != "" {
			st.out.Generator = text(d[k])
		}
	}
	root := clone(&l.root, "", "")
	for _, c := range root.children {
		if err := st.expand(c, "/"+c.name, nil, 0); err != nil {
			return err
		}
	}
	b := &builder{stage: st, root: root, surfaces: map[string]int{}, meshes: map[string]int{}, maps: map[string]int{}}
	for _, c := range root.children {
		i, ok, err := b.prim(c, "/"+c.name, inherited{}, 0)
		if err != nil {
			return err
		}
		if ok {
			st.out.Roots = append(st.out.Roots, i)
		}
	}
	return nil
}

// inherited is what prims take over from above.
type inherited struct{ material string }

// prim makes the node of a prim and of all below it; ok is false when it shows
// nothing and is no place.
func (b *builder) prim(s *spec, at string, up inherited, depth int) (index int, ok bool, err error) {
	if s.kind == "class" || s.kind == "over" || s.meta["active"] != nil && !truth(s.meta["active"]) || hidden(s) ||
		depth > maxDepth {
		return 0, false, nil
	}
	switch s.typeName {
	case "Material", "Shader", "NodeGraph", "GeomSubset", "SkelAnimation", "Skeleton", "PhysicsScene":
		return 0, false, nil
	}
	if len(b.out.Nodes) >= maxPrims {
		return 0, false, fmt.Errorf("%s: more than %d nodes; export the scene with fewer copies", at, maxPrims)
	}
	n := model.NewNode(s.name)
	if n.Local, err = local(s); err != nil {
		return 0, false, fmt.Errorf("%s: %w", at, err)
	}
	if m := b.binding(s); m != "" {
		up.material = m
	}
	index = len(b.out.Nodes)
	b.out.Nodes = append(b.out.Nodes, n)
	switch s.typeName {
	case "Mesh", "Cube", "Sphere", "Cylinder", "Cone", "Capsule", "Plane":
		n.Mesh, err = b.mesh(s, at, up)
	case "Camera":
		if c, ok := camera(s); ok {
			b.out.Cameras = append(b.out.Cameras, c)
			n.Camera = len(b.out.Cameras) - 1
		}
	case "DistantLight", "SphereLight", "RectLight", "DiskLight", "CylinderLight":
		b.out.Lights = append(b.out.Lights, light(s))
		n.Light = len(b.out.Lights) - 1
		b.out.Warn("lights of this format have no unit that fits; their strength is a guess")
	case "BasisCurves", "NurbsCurves", "NurbsPatch", "Volume", "Points":
		b.out.Warn("%.200s: a prim of the type %s is not read", at, s.typeName)
	}
	if err != nil {
		return 0, false, fmt.Errorf("%s: %w", at, err)
	}
	if s.typeName == "PointInstancer" {
		n.Children, err = b.instances(s, at, up, depth)
		if err != nil {
			return 0, false, err
		}
	} else {
		for _, c := range s.children {
			i, ok, err := b.prim(c, at+"/"+c.name, up, depth+1)
			if err != nil {
				return 0, false, err
			}
			if ok {
				n.Children = append(n.Children, i)
			}
		}
	}
	b.out.Nodes[index] = n
	return index, true, nil
}

func hidden(s *spec) bool {
	purpose := ""
	if p := s.props["purpose"]; p != nil {
		purpose = text(p.value)
	}
	if p := s.props["visibility"]; p != nil && text(p.value) == "invisible" {
		return true
	}
	return purpose == "guide" || purpose == "proxy"
}

func (s *spec) value(name string) any {
	if p := s.props[name]; p != nil {
		return p.value
	}
	return nil
}

func (s *spec) targets(name string) []string {
	if p := s.props[name]; p != nil {
		return p.targets
	}
	return nil
}

func (b *builder) binding(s *spec) string {
	for _, name := range []string{"material:binding", "material:binding:full", "material:binding:preview"} {
		if t := s.targets(name); len(t) > 0 {
			return t[0]
		}
	}
	return ""
}

// local multiplies the transformations of a prim in their order.
func local(s *spec) (geom.M, error) {
	out := geom.Identity
	for _, op := range texts(s.value("xformOpOrder")) {
		if op == "!resetXformStack!" {
			continue
		}
		name, inverse := strings.CutPrefix(op, "!invert!")
		d := doubles(s.value(name))
		kind, _, _ := strings.Cut(strings.TrimPrefix(name, "xformOp:"), ":")
		m, err := operation(kind, d)
		if err != nil {
			return out, fmt.Errorf("%s: %w", name, err)
		}
		if inverse {
			inv, ok := m.Affine()
			if !ok {
				return out, fmt.Errorf("%s cannot be undone", name)
			}
			m = inv
		}
		out = out.Mul(m)
	}
	if !out.Finite() {
		return out, fmt.Errorf("the transformation is not finite")
	}
	return out, nil
}

func operation(kind string, d []float64) (geom.M, error) {
	turn := func(axis geom.V, degrees float64) geom.M {
		return geom.Compose(geom.V{}, geom.Turn(axis, degrees*math.Pi/180), geom.V{X: 1, Y: 1, Z: 1})
	}
	axes := map[byte]geom.V{'X': {X: 1}, 'Y': {Y: 1}, 'Z': {Z: 1}}
	need := func(n int) error {
		if len(d) < n {
			return fmt.Errorf("%d numbers are expected, %d are there", n, len(d))
		}
		return nil
	}
	switch {
	case d == nil: // an operation without a value does nothing
		return geom.Identity, nil
	case kind == "translate":
		if err := need(3); err != nil {
			return geom.Identity, err
		}
		return geom.Translation(geom.V{X: d[0], Y: d[1], Z: d[2]}), nil
	case kind == "scale":
		if err := need(3); err != nil {
			return geom.Identity, err
		}
		return geom.M{0: d[0], 5: d[1], 10: d[2], 15: 1}, nil
	case kind == "orient":
		if err := need(4); err != nil {
			return geom.Identity, err
		}
		return geom.Compose(geom.V{}, geom.Q{W: d[0], X: d[1], Y: d[2], Z: d[3]}.Unit(), geom.V{X: 1, Y: 1, Z: 1}), nil
	case kind == "transform":
		if err := need(16); err != nil {
			return geom.Identity, err
		}
		return geom.M(d[:16]), nil // rows that multiply from the left are columns here
	case strings.HasPrefix(kind, "rotate") && len(kind) == 7:
		if err := need(1); err != nil {
			return geom.Identity, err
		}
		return turn(axes[kind[6]], d[0]), nil
	case strings.HasPrefix(kind, "rotate") && len(kind) == 9:
		if err := need(3); err != nil {
			return geom.Identity, err
		}
		out := geom.Identity
		for _, c := range []byte(kind[6:]) { // the first named turns first
			if c < 'X' || c > 'Z' {
				return geom.Identity, fmt.Errorf("an axis is X, Y or Z, not %q", c)
			}
			out = turn(axes[c], d[c-'X']).Mul(out)
		}
		return out, nil
	}
	return geom.Identity, fmt.Errorf("an operation of a kind that is not known")
}

func camera(s *spec) (model.Camera, bool) {
	c := model.Camera{Name: s.name}
	focal, w, h := number(s.value("focalLength"), 50), number(s.value("horizontalAperture"), 20.955),
		number(s.value("verticalAperture"), 15.2908)
	if r := doubles(s.value("clippingRange")); len(r) == 2 {
		c.Near, c.Far = r[0], r[1]
	}
	c.Focus, c.FNumber = max(number(s.value("focusDistance"), 0), 0), max(number(s.value("fStop"), 0), 0)
	if text(s.value("projection")) == "orthographic" && w > 0 && h > 0 {
		// Apertures are tenths of a scene unit across (USD, UsdGeomCamera).
		c.Orthographic, c.XMag, c.YMag = true, w/20, h/20
		return c, true
	}
	if focal <= 0 || w <= 0 || h <= 0 {
		return c, false
	}
	c.YFov, c.Aspect = 2*math.Atan(h/(2*focal)), w/h
	return c, true
}

// light reads a lamp. Its intensity is taken as luminance in cd/m² of the
// light's own surface, a distant one's as lux.
func light(s *spec) model.Light {
	get := func(name string, otherwise float64) float64 {
		if v := s.value("inputs:" + name); v != nil {
			return number(v, otherwise)
		}
		return number(s.value(name), otherwise)
	}
	l := model.Light{Name: s.name, Kind: model.Point, Color: [3]float64{1, 1, 1},
		Intensity: get("intensity", 1) * math.Exp2(get("exposure", 0))}
	if c := doubles(s.value("inputs:color")); len(c) == 3 {
		l.Color = [3]float64(c)
	}
	switch s.typeName {
	case "DistantLight":
		l.Kind = model.Directional
	case "SphereLight":
		r := get("radius", 0.5)
		l.Intensity *= math.Pi * r * r
	case "RectLight":
		l.Intensity *= get("width", 1) * get("height", 1)
		l.Kind, l.Outer = model.Spot, math.Pi/2
	case "DiskLight":
		r := get("radius", 0.5)
		l.Intensity *= math.Pi * r * r
		l.Kind, l.Outer = model.Spot, math.Pi/2
	case "CylinderLight":
		l.Intensity *= 2 * get("radius", 0.5) * get("length", 1)
	}
	return l
}

// instances places the prototypes of a point instancer.
func (b *builder) instances(s *spec, at string, up inherited, depth int) (children []int, err error) {
	protos := s.targets("prototypes")
	index, places := ints(s.value("protoIndices")), floats(s.value("positions"))
	turns, scales := floats(s.value("orientations")), floats(s.value("scales"))
	gone := map[int]bool{}
	for _, id := range ints(s.value("invisibleIds")) {
		gone[int(id)] = true
	}
	ids := ints(s.value("ids"))
	for i, k := range index {
		id := i
		if i < len(ids) {
			id = int(ids[i])
		}
		if gone[id] {
			continue
		}
		if k < 0 || int(k) >= len(protos) || 3*i+2 >= len(places) {
			return nil, fmt.Errorf("%s: instance %d names prototype %d or a place that is not there; export the "+
				"scene again",
				at, i, k)
		}
		proto := b.root.at(protos[k])
		if proto == nil {
			b.out.Warn("%.200s: the prototype %.200q is not there", at, protos[k])
			continue
		}
		shown := *proto
		if shown.kind != "class" {
			shown.kind = "def"
		}
		child, ok, err := b.prim(&shown, protos[k], up, depth+1)
		if err != nil {
			return nil, err
		}
		if !ok {
			continue
		}
		q, size := geom.Q{W: 1}, geom.V{X: 1, Y: 1, Z: 1}
		if 4*i+3 < len(turns) {
			q = geom.Q{W: float64(turns[4*i]), X: float64(turns[4*i+1]), Y: float64(turns[4*i+2]),
				Z: float64(turns[4*i+3])}.Unit()
		}
		if 3*i+2 < len(scales) {
			size = geom.V{X: float64(scales[3*i]), Y: float64(scales[3*i+1]), Z: float64(scales[3*i+2])}
		}
		n := model.NewNode(fmt.Sprintf("%s %d", s.name, i+1))
		n.Local = geom.Compose(geom.V{X: float64(places[3*i]), Y: float64(places[3*i+1]), Z: float64(places[3*i+2])}, q,
			size)
		n.Children = []int{child}
		b.out.Nodes = append(b.out.Nodes, n)
		children = append(children, len(b.out.Nodes)-1)
	}
	return children, nil
}

// mesh makes or finds the mesh of a prim.
func (b *builder) mesh(s *spec, at string, up inherited) (int, error) {
	g, err := geometryOf(s)
	if err != nil || g == nil || len(g.points) == 0 {
		return model.None, err
	}
	// Faces by material: subsets first, the rest as the mesh is bound.
	surface := make([]int, len(g.sizes))
	rest := b.surface(up.material)
	for i := range surface {
		surface[i] = rest
	}
	key := fmt.Sprintf("%p %p %d", &g.points[0], g.id, rest)
	for _, c := range s.children {
		if c.typeName != "GeomSubset" || text(c.value("elementType")) != "face" && c.value("elementType") != nil {
			continue
		}
		m := b.binding(c)
		if m == "" {
			continue
		}
		k := b.surface(m)
		key += fmt.Sprintf(" %d", k)
		for _, f := range ints(c.value("indices")) {
			if f < 0 || int(f) >= len(surface) {
				return model.None, fmt.Errorf("the subset %q names face %d, there are %d; export the model again",
					c.name, f, len(surface))
			}
			surface[f] = k
		}
	}
	if i, ok := b.meshes[key]; ok {
		return i, nil
	}
	mesh := model.Mesh{Name: s.name}
	for _, k := range slices.Compact(slices.Sorted(slices.Values(surface))) {
		part, err := g.part(func(face int) bool { return surface[face] == k })
		if err != nil {
			return model.None, err
		}
		if part == nil {
			continue
		}
		part.Name, part.Surface = s.name, k
		if part.Surface == model.None {
			part.Surface = b.plain(s, part.Colors != nil)
		}
		if truth(s.value("doubleSided")) && part.Surface != model.None {
			b.out.Surfaces[part.Surface].DoubleSided = true
		}
		mesh.Parts = append(mesh.Parts, *part)
	}
	if len(mesh.Parts) == 0 {
		return model.None, nil
	}
	b.out.Meshes = append(b.out.Meshes, mesh)
	b.meshes[key] = len(b.out.Meshes) - 1
	return len(b.out.Meshes) - 1, nil
}

// plain is a surface of the prim's display colour, for prims without material.
func (b *builder) plain(s *spec, coloured bool) int {
	c := floats(s.value("primvars:displayColor"))
	if len(c) != 3 || coloured {
		return model.None
	}
	key := fmt.Sprint("display ", c)
	if i, ok := b.surfaces[key]; ok {
		return i
	}
	f := model.DefaultSurface()
	f.Name, f.Metallic, f.Roughness = "display colour", 0, 0.7
	f.BaseColor = [4]float64{float64(c[0]), float64(c[1]), float64(c[2]), 1}
	b.out.Surfaces = append(b.out.Surfaces, f)
	b.surfaces[key] = len(b.out.Surfaces) - 1
	return b.surfaces[key]
}
