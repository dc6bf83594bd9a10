// Package collada reads COLLADA 1.4 and 1.5 (Khronos, COLLADA – Digital Asset
// Schema Release 1.4.1 and 1.5.0): geometry with its nodes and instances,
// skinned and morphed meshes in their bind pose, effects of the common
// profile, cameras and lights. Unit and up axis come from the file's asset.
package collada

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"visator/core/geom"
	"visator/core/intake/markup"
	"visator/core/model"
)

// Limits that a hostile document meets.
const (
	maxDepth   = 100     // of nodes and of instances within instances
	maxNodes   = 300_000 // instances of nodes may multiply
	maxCorners = 100_000 // of one polygon
)

type reader struct {
	name    string
	folder  model.Folder
	out     *model.Model
	byID    map[string]*markup.Element
	geoms   map[*markup.Element]*geometry
	meshes  map[string]int          // geometry and binding to mesh
	surface map[string]int          // material to surface
	nodeOf  map[*markup.Element]int // first instance of each node
	scene   *markup.Element
	skins   []skinned
	depth   int
}

// Read parses a document; maps come from folder. An error names the file and
// the place.
func Read(name string, data []byte, folder model.Folder) (*model.Model, error) {
	root, err := markup.Parse(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	if root.Name != "COLLADA" {
		return nil, fmt.Errorf("%s: is XML, but its root is <%.40s> and not <COLLADA>; ask for another format", name,
			root.Name)
	}
	r := &reader{name: name, folder: folder, byID: map[string]*markup.Element{}, geoms: map[*markup.Element]*geometry{},
		meshes: map[string]int{}, surface: map[string]int{}, nodeOf: map[*markup.Element]int{}}
	r.out = &model.Model{Format: "COLLADA", Up: "Y", Unit: model.Unit{Name: "metre", MetresPerUnit: 1, From: "assumed"}}
	root.Walk(func(e *markup.Element) {
		if id := e.Attr("id"); id != "" {
			if _, twice := r.byID[id]; !twice {
				r.byID[id] = e
			}
		}
	})
	r.asset(root.Child("asset"))
	scene := r.find(root.Child("scene", "instance_visual_scene"), "url")
	if scene == nil {
		scene = root.Child("library_visual_scenes", "visual_scene")
	}
	if scene == nil { // a library of geometry alone: show all of it
		for _, g := range root.Child("library_geometries").All("geometry") {
			n := model.NewNode(nameOf(g))
			if err := r.geometryAt(&n, g, nil); err != nil {
				return nil, r.wrap(err)
			}
			r.out.Roots = append(r.out.Roots, r.add(n))
		}
		return r.out, nil
	}
	r.scene = scene
	for _, e := range scene.All("node") {
		i, err := r.node(e)
		if err != nil {
			return nil, r.wrap(err)
		}
		r.out.Roots = append(r.out.Roots, i)
	}
	r.applySkins()
	return r.out, nil
}

func (r *reader) wrap(err error) error { return fmt.Errorf("%s: %w", r.name, err) }

func (r *reader) asset(a *markup.Element) {
	r.out.Generator = a.Child("contributor", "authoring_tool").String()
	r.out.Copyright = strings.TrimSpace(a.Child("contributor", "copyright").String())
	r.out.Author = strings.TrimSpace(a.Child("contributor", "author").String())
	if u := a.Child("unit"); u != nil {
		if v, ok := number(strings.TrimSpace(u.Attr("meter"))); ok && v > 0 && v < 1e9 {
			name := u.Attr("name")
			if name == "" {
				name = strconv.FormatFloat(v, 'g', -1, 64) + " m"
			}
			r.out.Unit = model.Unit{Name: name, MetresPerUnit: v, From: "header"}
		}
	}
	switch strings.TrimSpace(a.Child("up_axis").String()) {
	case "Z_UP":
		r.out.Up = "Z"
	case "X_UP":
		r.out.Up = "X"
	}
}

// find follows a reference of the form "#id" within the document.
func (r *reader) find(e *markup.Element, attr string) *markup.Element {
	ref := e.Attr(attr)
	if e == nil || ref == "" {
		return nil
	}
	if !strings.HasPrefix(ref, "#") {
		if i := strings.IndexByte(ref, '#'); i > 0 {
			r.out.Warn("%.200q lies in another document, which is not read", ref)
			ref = ref[i:]
		}
	}
	return r.byID[strings.TrimPrefix(ref, "#")]
}

func nameOf(e *markup.Element) string {
	if n := e.Attr("name"); n != "" {
		return n
	}
	return e.Attr("id")
}

func (r *reader) add(n model.Node) int {
	r.out.Nodes = append(r.out.Nodes, n)
	return len(r.out.Nodes) - 1
}

// node reads a node and everything below it, and returns its index.
func (r *reader) node(e *markup.Element) (int, error) {
	if r.depth++; r.depth > maxDepth {
		return 0, fmt.Errorf("node %.100q: nodes lie more than %d deep, or in a circle; export the model again",
			nameOf(e), maxDepth)
	}
	defer func() { r.depth-- }()
	if len(r.out.Nodes) > maxNodes {
		return 0, fmt.Errorf("node %.100q: more than %d nodes; export the model with fewer instances", nameOf(e),
			maxNodes)
	}
	n := model.NewNode(nameOf(e))
	local, err := transform(e)
	if err != nil {
		return 0, fmt.Errorf("node %.100q: %w", nameOf(e), err)
	}
	n.Local = local
	at := r.add(n)
	if _, twice := r.nodeOf[e]; !twice {
		r.nodeOf[e] = at
	}
	var children []int
	child := func(i int, err error) error {
		if err == nil {
			children = append(children, i)
		}
		return err
	}
	for _, c := range e.Children {
		err = nil
		switch c.Name {
		case "node":
			err = child(r.node(c))
		case "instance_node":
			if target := r.find(c, "url"); target != nil {
				err = child(r.node(target))
			} else {
				r.out.Warn("node %.100q: the node %.100q is not there", nameOf(e), c.Attr("url"))
			}
		case "instance_geometry", "instance_controller", "instance_camera", "instance_light":
			err = r.instance(at, &n, c, &children)
		}
		if err != nil {
			return 0, err
		}
	}
	n.Children = children
	r.out.Nodes[at] = n
	return at, nil
}

// instance puts what is referred to into the node, or into a child of it when
// the node holds something already.
func (r *reader) instance(at int, n *model.Node, e *markup.Element, children *[]int) error {
	target := r.find(e, "url")
	if target == nil {
		r.out.Warn("node %.100q: %.100q is not there", n.Name, e.Attr("url"))
		return nil
	}
	hold := *n
	busy := n.Mesh != model.None || n.Camera != model.None || n.Light != model.None
	if busy {
		hold = model.NewNode(nameOf(target))
	}
	switch target.Name {
	case "geometry", "controller":
		if err := r.geometryAt(&hold, target, e); err != nil {
			return err
		}
	case "camera":
		if c, ok := camera(target); ok {
			r.out.Cameras = append(r.out.Cameras, c)
			hold.Camera = len(r.out.Cameras) - 1
		}
	case "light":
		if l, ok := r.light(target); ok {
			r.out.Lights = append(r.out.Lights, l)
			hold.Light = len(r.out.Lights) - 1
		}
	}
	if busy {
		at = r.add(hold)
		*children = append(*children, at)
	} else {
		*n = hold
	}
	if skin := target.Child("skin"); skin != nil && r.geoms[target] != nil {
		r.skins = append(r.skins, skinned{at, skin, e, r.geoms[target]})
	}
	return nil
}

func numbers(e *markup.Element, n int) ([]float64, error) {
	if e == nil {
		return nil, fmt.Errorf("%d numbers are not there", n)
	}
	f := strings.Fields(e.String())
	if len(f) < n {
		return nil, fmt.Errorf("<%s> needs %d numbers, %d are there", e.Name, n, len(f))
	}
	out := make([]float64, n)
	for i := range out {
		v, ok := number(f[i])
		if !ok || math.IsNaN(v) || math.IsInf(v, 0) {
			return nil, fmt.Errorf("<%s>: %.40q is not a number", e.Name, f[i])
		}
		out[i] = v
	}
	return out, nil
}

func rowMajor(f []float64) (m geom.M) {
	for row := range 4 {
		for col := range 4 {
			m[4*col+row] = f[4*row+col]
		}
	}
	return m
}

// transform multiplies the node's transformations in their order.
func transform(e *markup.Element) (geom.M, error) {
	out := geom.Identity
	for _, c := range e.Children {
		var f []float64
		var err error
		m := geom.Identity
		switch c.Name {
		case "matrix":
			if f, err = numbers(c, 16); err == nil {
				m = rowMajor(f)
			}
		case "translate":
			if f, err = numbers(c, 3); err == nil {
				m = geom.Translation(geom.V{X: f[0], Y: f[1], Z: f[2]})
			}
		case "scale":
			if f, err = numbers(c, 3); err == nil {
				m = geom.M{0: f[0], 5: f[1], 10: f[2], 15: 1}
			}
		case "rotate":
			if f, err = numbers(c, 4); err == nil {
				axis := geom.V{X: f[0], Y: f[1], Z: f[2]}
				if axis.Len() > 0 {
					m = geom.Compose(geom.V{}, geom.Turn(axis.Unit(), f[3]*math.Pi/180), geom.V{X: 1, Y: 1, Z: 1})
				}
			}
		case "lookat":
			if f, err = numbers(c, 9); err == nil {
				m = lookAt(geom.V{X: f[0], Y: f[1], Z: f[2]}, geom.V{X: f[3], Y: f[4], Z: f[5]},
					geom.V{X: f[6], Y: f[7], Z: f[8]})
			}
		case "skew":
			if f, err = numbers(c, 7); err == nil {
				m = skew(f[0]*math.Pi/180, geom.V{X: f[1], Y: f[2], Z: f[3]}.Unit(),
					geom.V{X: f[4], Y: f[5], Z: f[6]}.Unit())
			}
		}
		if err != nil {
			return out, err
		}
		out = out.Mul(m)
	}
	return out, nil
}

func lookAt(eye, at, up geom.V) geom.M {
	z := eye.Sub(at).Unit()
	x := up.Cross(z).Unit()
	if z == (geom.V{}) || x == (geom.V{}) {
		return geom.Translation(eye)
	}
	y := z.Cross(x)
	return geom.M{x.X, x.Y, x.Z, 0, y.X, y.Y, y.Z, 0, z.X, z.Y, z.Z, 0, eye.X, eye.Y, eye.Z, 1}
}

// skew slides along b what lies along a, as RenderMan's Skew that the
// specification refers to: p + tan(angle) (p·a') b, a' being a made
// perpendicular to b.
func skew(angle float64, a, b geom.V) geom.M {
	perp := a.Sub(b.Mul(a.Dot(b)))
	if perp.Len() < 1e-9 || math.Abs(math.Cos(angle)) < 1e-6 {
		return geom.Identity
	}
	perp = perp.Unit()
	k := math.Tan(angle)
	m := geom.Identity
	for col, p := range []float64{perp.X, perp.Y, perp.Z} {
		for row, q := range []float64{b.X, b.Y, b.Z} {
			m[4*col+row] += k * p * q
		}
	}
	return m
}

func value(e *markup.Element, path ...string) (float64, bool) {
	c := e.Child(path...)
	if c == nil {
		return 0, false
	}
	if f := c.Child("float"); f != nil {
		c = f
	}
	f, err := numbers(c, 1)
	if err != nil {
		return 0, false
	}
	return f[0], true
}

func camera(e *markup.Element) (model.Camera, bool) {
	c := model.Camera{Name: nameOf(e)}
	if p := e.Child("optics", "technique_common", "perspective"); p != nil {
		x, hasX := value(p, "xfov")
		y, hasY := value(p, "yfov")
		c.Aspect, _ = value(p, "aspect_ratio")
		c.Near, _ = value(p, "znear")
		c.Far, _ = value(p, "zfar")
		x, y = x*math.Pi/180, y*math.Pi/180
		switch {
		case hasX && hasY:
			c.Aspect = math.Tan(x/2) / math.Tan(y/2)
		case hasX && c.Aspect > 0:
			y = 2 * math.Atan(math.Tan(x/2)/c.Aspect)
		case hasX: // neither the other angle nor the aspect: a common format
			c.Aspect = 16.0 / 9
			y = 2 * math.Atan(math.Tan(x/2)/c.Aspect)
		}
		c.YFov = y
		return c, y > 0 && y < math.Pi
	}
	if o := e.Child("optics", "technique_common", "orthographic"); o != nil {
		c.Orthographic = true
		c.XMag, _ = value(o, "xmag")
		c.YMag, _ = value(o, "ymag")
		c.Near, _ = value(o, "znear")
		c.Far, _ = value(o, "zfar")
		return c, true
	}
	return c, false
}

// light reads a lamp. The format gives colours without a unit of light: one
// unit is taken as a working lamp's light, 100 cd, or 10 000 lux of a sun.
func (r *reader) light(e *markup.Element) (model.Light, bool) {
	l := model.Light{Name: nameOf(e), Outer: math.Pi / 4}
	common := e.Child("technique_common")
	var kind *markup.Element
	for _, k := range []struct {
		name string
		kind model.LightKind
		unit float64
	}{{"directional", model.Directional, 10_000}, {"point", model.Point, 100}, {"spot", model.Spot, 100}} {
		if c := common.Child(k.name); c != nil {
			kind, l.Kind, l.Intensity = c, k.kind, k.unit
		}
	}
	if kind == nil {
		return l, false // ambient light is no lamp
	}
	l.Color = [3]float64{1, 1, 1}
	if f, err := numbers(kind.Child("color"), 3); kind.Child("color") != nil && err == nil {
		peak := max(f[0], f[1], f[2])
		if peak > 0 {
			l.Color, l.Intensity = [3]float64{f[0] / peak, f[1] / peak, f[2] / peak}, l.Intensity*peak
		}
	}
	if a, ok := value(kind, "falloff_angle"); ok && a > 0 && a <= 180 {
		l.Outer = min(a/2*math.Pi/180, math.Pi/2)
	}
	r.out.Warn("lights of this format have no unit; their strength is a guess")
	return l, true
}
