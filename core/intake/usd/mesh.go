package usd

import (
	"fmt"
	"math"
	"strings"

	"visator/core/model"
)

// maxCorners is the largest face that is read: cutting one is quadratic.
const maxCorners = 100_000

// geometry is a mesh as the prim gives it.
type geometry struct {
	points []float32
	sizes  []int32 // corners of each face
	index  []int32 // points of the corners
	id     any     // tells meshes apart
	flip   bool    // faces run the other way round
	smooth bool
	hole   map[int]bool
	vars   []primvar
}

// primvar is something that varies over a mesh.
type primvar struct {
	what   string // normal, uv, uv1, colour
	values []float32
	width  int
	index  []int32
	rate   string // constant, uniform, vertex, varying, faceVarying
}

func geometryOf(s *spec) (*geometry, error) {
	if s.typeName != "Mesh" {
		return primitive(s), nil
	}
	g := &geometry{points: floats(s.value("points")), sizes: ints(s.value("faceVertexCounts")),
		index: ints(s.value("faceVertexIndices"))}
	if len(g.points) == 0 || len(g.sizes) == 0 {
		return nil, nil
	}
	g.id = fmt.Sprintf("%p", &g.sizes[0])
	n, total := len(g.points)/3, 0
	for i, c := range g.sizes {
		if c < 0 || c > maxCorners {
			return nil, fmt.Errorf("face %d has %d corners, the limit is %d; cut it into smaller ones", i, c,
				maxCorners)
		}
		total += int(c)
	}
	if total > len(g.index) {
		return nil, fmt.Errorf("the faces have %d corners, %d are there; export the model again", total, len(g.index))
	}
	for _, v := range g.index[:total] {
		if v < 0 || int(v) >= n {
			return nil, fmt.Errorf("a face names point %d, there are %d; export the model again", v, n)
		}
	}
	g.flip = text(s.value("orientation")) == "leftHanded"
	g.smooth = text(s.value("subdivisionScheme")) != "none"
	if h := ints(s.value("holeIndices")); len(h) > 0 {
		g.hole = map[int]bool{}
		for _, f := range h {
			g.hole[int(f)] = true
		}
	}
	g.readVars(s)
	return g, nil
}

// texture coordinates, the usual names first.
var uvNames = []string{"st", "UVMap", "uv", "st0", "map1", "st1", "uv1", "Texture_uv"}

func (g *geometry) readVars(s *spec) {
	add := func(what, name, rate string, width int) bool {
		p := s.props[name]
		if p == nil || p.value == nil {
			return false
		}
		v := primvar{what: what, values: floats(p.value), width: width, rate: rate}
		if r := text(p.meta["interpolation"]); r != "" {
			v.rate = r
		}
		if i := s.props[name+":indices"]; i != nil {
			v.index = ints(i.value)
		}
		if len(v.values) < width {
			return false
		}
		g.vars = append(g.vars, v)
		return true
	}
	if !add("normal", "primvars:normals", "vertex", 3) {
		add("normal", "normals", "vertex", 3)
	}
	sets := []string{"uv", "uv1"}
	uv := func(name string) {
		if len(sets) > 0 && add(sets[0], "primvars:"+name, "constant", 2) {
			sets = sets[1:]
		}
	}
	seen := map[string]bool{}
	for _, n := range uvNames {
		seen[n] = true
		uv(n)
	}
	for name, p := range s.props {
		n, ok := strings.CutPrefix(name, "primvars:")
		if ok && !seen[n] && len(sets) == 2 && strings.HasPrefix(p.typeName, "texCoord2") {
			uv(n)
		}
	}
	if c := floats(s.value("primvars:displayColor")); len(c) > 3 {
		add("colour", "primvars:displayColor", "constant", 3)
	}
}

// at is where in its values a primvar has those of a corner.
func (v *primvar) at(corner, point, face int) (uint32, bool) {
	k := 0
	switch v.rate {
	case "vertex", "varying":
		k = point
	case "uniform":
		k = face
	case "faceVarying":
		k = corner
	}
	if v.index != nil {
		if k >= len(v.index) {
			return 0, false
		}
		k = int(v.index[k])
	}
	return uint32(k), k >= 0 && (k+1)*v.width <= len(v.values)
}

// part makes the triangles of the faces that want accepts; nil when there are
// none.
func (g *geometry) part(want func(face int) bool) (*model.Part, error) {
	var v, sizes []uint32
	streams := make([][]uint32, len(g.vars))
	at := 0
	for f, size := range g.sizes {
		start := at
		at += int(size)
		if size < 3 || g.hole[f] || !want(f) {
			continue
		}
		sizes = append(sizes, uint32(size))
		for k := range int(size) {
			c := start + k
			if g.flip {
				c = at - 1 - k
			}
			v = append(v, uint32(g.index[c]))
			for i := range g.vars {
				x, ok := g.vars[i].at(c, int(g.index[c]), f)
				if !ok {
					return nil, fmt.Errorf("%s: a value for face %d is not there; export the model again",
						g.vars[i].what, f)
				}
				streams[i] = append(streams[i], x)
			}
		}
	}
	if len(v) == 0 {
		return nil, nil
	}
	first, vertex := model.Weld(v, len(g.points)/3, streams...)
	gather := func(s []uint32) []uint32 {
		out := make([]uint32, len(first))
		for i, c := range first {
			out[i] = s[c]
		}
		return out
	}
	p := &model.Part{Surface: model.None, Positions: model.Gather(g.points, 3, gather(v))}
	for i := range g.vars {
		vals := model.Gather(g.vars[i].values, g.vars[i].width, gather(streams[i]))
		switch g.vars[i].what {
		case "normal":
			p.Normals = vals
			for k := range p.Normals {
				if x := p.Normals[k]; x-x != 0 {
					p.Normals[k] = 0
				}
			}
		case "uv", "uv1":
			for k := 1; k < len(vals); k += 2 {
				vals[k] = 1 - vals[k] // v points up
			}
			if g.vars[i].what == "uv" {
				p.UV = vals
			} else {
				p.UV1 = vals
			}
		case "colour":
			for k := 0; k+2 < len(vals); k += 3 {
				p.Colors = append(p.Colors, vals[k], vals[k+1], vals[k+2], 1)
			}
		}
	}
	if err := p.Check("a face"); err != nil {
		return nil, err
	}
	p.Indices = model.Cut(p, vertex, sizes)
	if p.Normals == nil && g.smooth {
		p.Normals = p.SmoothNormals()
	}
	return p, p.Check("a face")
}

// primitive makes the mesh of a simple solid: lathed around +Z and turned to
// its axis, or a box.
func primitive(s *spec) *geometry {
	radius, height := number(s.value("radius"), 1), number(s.value("height"), 2)
	size := number(s.value("size"), 2)
	g := &geometry{id: fmt.Sprint(s.typeName, radius, height, size, text(s.value("axis")))}
	var profile [][2]float64
	switch s.typeName {
	case "Cube":
		h := float32(size / 2)
		for i := range 8 {
			g.points = append(g.points, h*float32(2*(i&1)-1), h*float32(2*(i>>1&1)-1), h*float32(2*(i>>2)-1))
		}
		for _, q := range [][4]int32{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1},
			{4, 5, 7, 6}} {
			g.sizes, g.index = append(g.sizes, 4), append(g.index, q[:]...)
		}
		return g
	case "Plane":
		w, l := float32(number(s.value("width"), 2)/2), float32(number(s.value("length"), 2)/2)
		g.points = []float32{-w, -l, 0, w, -l, 0, w, l, 0, -w, l, 0}
		g.sizes, g.index = []int32{4}, []int32{0, 1, 2, 3}
		return g
	case "Sphere":
		g.smooth = true
		for i := 0; i <= 16; i++ {
			sin, cos := math.Sincos(math.Pi * float64(i) / 16)
			profile = append(profile, [2]float64{radius * sin, -radius * cos})
		}
	case "Capsule":
		radius, height = number(s.value("radius"), 0.5), number(s.value("height"), 1)
		g.smooth = true
		for i := 0; i <= 17; i++ {
			k, z := i, -height/2
			if i > 8 {
				k, z = i-1, height/2
			}
			sin, cos := math.Sincos(math.Pi * float64(k) / 16)
			profile = append(profile, [2]float64{radius * sin, z - radius*cos})
		}
	case "Cylinder":
		profile = [][2]float64{{0, -height / 2}, {radius, -height / 2}, {radius, height / 2}, {0, height / 2}}
	case "Cone":
		profile = [][2]float64{{0, -height / 2}, {radius, -height / 2}, {0, height / 2}}
	default:
		return nil
	}
	const sides = 32
	for _, p := range profile {
		for k := range sides {
			sin, cos := math.Sincos(2 * math.Pi * float64(k) / sides)
			q := [3]float32{float32(p[0] * cos), float32(p[0] * sin), float32(p[1])}
			switch text(s.value("axis")) {
			case "X":
				q = [3]float32{q[2], q[0], q[1]}
			case "Y":
				q = [3]float32{q[1], q[2], q[0]}
			}
			g.points = append(g.points, q[:]...)
		}
	}
	for i := 0; i+1 < len(profile); i++ {
		for k := range sides {
			a, b := int32(i*sides+k), int32(i*sides+(k+1)%sides)
			switch {
			case profile[i][0] < 1e-9:
				g.sizes, g.index = append(g.sizes, 3), append(g.index, a, b+sides, a+sides)
			case profile[i+1][0] < 1e-9:
				g.sizes, g.index = append(g.sizes, 3), append(g.index, a, b, a+sides)
			default:
				g.sizes, g.index = append(g.sizes, 4), append(g.index, a, b, b+sides, a+sides)
			}
		}
	}
	return g
}
