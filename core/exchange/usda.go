package exchange

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"strings"

	"visator/core/geom"
	"visator/core/model"
)

// usda writes a model as text of Universal Scene Description.
type usda struct {
	w      *bufio.Writer
	m      *model.Model
	folder string
	depth  int
	names  map[string]bool // in use below the prim that is open
}

// WriteUSDA writes a model as USD text (OpenUSD's crate-less layer form, UsdGeom, UsdShade with UsdPreviewSurface,
// UsdLux): in metres, y up; copies share their meshes by reference and are instanceable; cameras with their sensor and
// clipping, the sun and lamps. Maps are named below folder, "maps/" for one. Triangles alone are written.
func WriteUSDA(w io.Writer, m *model.Model, folder string) error {
	u := &usda{w: bufio.NewWriter(w), m: m, folder: folder}
	u.w.WriteString("#usda 1.0\n(\n    defaultPrim = \"World\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n")
	if m.Copyright != "" {
		fmt.Fprintf(u.w, "    doc = %s\n", quoted(m.Copyright))
	}
	u.w.WriteString(")\n\n")
	u.within("def Xform \"World\"", func() {
		u.within("def Scope \"Materials\"", func() {
			for i := range m.Surfaces {
				u.material(i)
			}
		})
		u.within("class \"Meshes\"", func() {
			for i := range m.Meshes {
				u.within(fmt.Sprintf("def Xform \"Mesh_%d\"", i), func() {
					for k := range m.Meshes[i].Parts {
						u.part(&m.Meshes[i].Parts[k], k)
					}
				})
			}
		})
		u.nodes(m.Roots, 0)
	})
	return u.w.Flush()
}

// maxUSDDepth bounds how deep nodes lie in one another.
const maxUSDDepth = 256

func (u *usda) line(format string, args ...any) {
	for range u.depth {
		u.w.WriteString("    ")
	}
	fmt.Fprintf(u.w, format+"\n", args...)
}

// within writes a prim with what is in it.
func (u *usda) within(head string, in func()) {
	u.line("%s", head)
	u.line("{")
	u.depth++
	was := u.names
	u.names = map[string]bool{}
	in()
	u.names = was
	u.depth--
	u.line("}")
}

// quoted is a text as USD writes it.
func quoted(s string) string {
	s = strings.NewReplacer("\\", "\\\\", "\"", "\\\"", "\n", "\\n", "\r", "", "\x00", "").Replace(s)
	return "\"" + s + "\""
}

// prim is a name that a prim can have and that no other beside it has.
func (u *usda) prim(name string) string {
	name = strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z', r >= 'A' && r <= 'Z', r >= '0' && r <= '9', r == '_':
			return r
		}
		return '_'
	}, name)
	if name == "" || name[0] >= '0' && name[0] <= '9' {
		name = "_" + name
	}
	out := name
	for n := 2; u.names[out]; n++ {
		out = fmt.Sprintf("%s_%d", name, n)
	}
	u.names[out] = true
	return out
}

func (u *usda) nodes(list []int, depth int) {
	if depth > maxUSDDepth {
		return
	}
	for _, i := range list {
		n := &u.m.Nodes[i]
		l := n.Local
		u.within(fmt.Sprintf("def Xform \"%s\" (\n%s    displayName = %s\n%s)", u.prim(n.Name),
			strings.Repeat("    ", u.depth), quoted(n.Name), strings.Repeat("    ", u.depth)), func() {
			if l != geom.Identity {
				u.line("matrix4d xformOp:transform = ( (%.9g, %.9g, %.9g, %.9g), (%.9g, %.9g, %.9g, %.9g), "+
					"(%.9g, %.9g, %.9g, %.9g), (%.9g, %.9g, %.9g, %.9g) )", l[0], l[1], l[2], l[3], l[4], l[5], l[6],
					l[7], l[8], l[9], l[10], l[11], l[12], l[13], l[14], l[15])
				u.line("uniform token[] xformOpOrder = [\"xformOp:transform\"]")
			}
			if n.Mesh != model.None {
				u.line("def Xform \"%s\" (", u.prim("mesh"))
				u.line("    instanceable = true")
				u.line("    references = </World/Meshes/Mesh_%d>", n.Mesh)
				u.line(")")
				u.line("{")
				u.line("}")
			}
			if n.Camera != model.None {
				u.camera(&u.m.Cameras[n.Camera])
			}
			if n.Light != model.None {
				u.light(&u.m.Lights[n.Light])
			}
			u.nodes(n.Children, depth+1)
		})
	}
}

// floats writes numbers in groups.
func (u *usda) floats(head string, list []float32, each int, of func(i int) []float64) {
	for range u.depth {
		u.w.WriteString("    ")
	}
	u.w.WriteString(head + " = [")
	for i := 0; i < len(list)/each; i++ {
		if i > 0 {
			u.w.WriteString(", ")
		}
		for k, v := range of(i) {
			switch {
			case k == 0 && each > 1:
				u.w.WriteByte('(')
			case k > 0:
				u.w.WriteString(", ")
			}
			fmt.Fprintf(u.w, "%.8g", v)
		}
		if each > 1 {
			u.w.WriteByte(')')
		}
	}
	u.w.WriteString("]")
}

func (u *usda) part(p *model.Part, k int) {
	if p.Kind != model.Triangles {
		return
	}
	head := fmt.Sprintf("def Mesh \"Part_%d\"", k)
	if p.Surface != model.None {
		head += " (\n" + strings.Repeat("    ", u.depth) + "    prepend apiSchemas = [\"MaterialBindingAPI\"]\n" +
			strings.Repeat("    ", u.depth) + ")"
	}
	u.within(head, func() {
		three := func(list []float32) func(i int) []float64 {
			return func(i int) []float64 {
				return []float64{float64(list[3*i]), float64(list[3*i+1]), float64(list[3*i+2])}
			}
		}
		u.floats("point3f[] points", p.Positions, 3, three(p.Positions))
		u.w.WriteString("\n")
		u.line("int[] faceVertexCounts = [%s]", strings.TrimSuffix(strings.Repeat("3, ", len(p.Indices)/3), ", "))
		for range u.depth {
			u.w.WriteString("    ")
		}
		u.w.WriteString("int[] faceVertexIndices = [")
		for i, v := range p.Indices {
			if i > 0 {
				u.w.WriteString(", ")
			}
			fmt.Fprint(u.w, v)
		}
		u.w.WriteString("]\n")
		vertex := " (\n" + strings.Repeat("    ", u.depth+1) + "interpolation = \"vertex\"\n" +
			strings.Repeat("    ", u.depth) + ")\n"
		if p.Normals != nil {
			u.floats("normal3f[] normals", p.Normals, 3, three(p.Normals))
			u.w.WriteString(vertex)
		}
		if p.UV != nil {
			u.floats("texCoord2f[] primvars:st", p.UV, 2, func(i int) []float64 {
				return []float64{float64(p.UV[2*i]), 1 - float64(p.UV[2*i+1])}
			})
			u.w.WriteString(vertex)
		}
		u.line("uniform token subdivisionScheme = \"none\"")
		if p.Surface != model.None {
			u.line("rel material:binding = </World/Materials/Material_%d>", p.Surface)
			if u.m.Surfaces[p.Surface].DoubleSided {
				u.line("uniform bool doubleSided = 1")
			}
		}
	})
}

// usdInputs are what a map gives of a preview surface: by role the input, the channel and its type.
var usdInputs = []struct {
	role               model.Role
	input, output, typ string
}{
	{model.BaseColorMap, "diffuseColor", "rgb", "color3f"}, {model.NormalMap, "normal", "rgb", "normal3f"},
	{model.EmissiveMap, "emissiveColor", "rgb", "color3f"}, {model.OcclusionMap, "occlusion", "r", "float"},
	{model.MetalRoughMap, "roughness", "g", "float"}, {model.MetalRoughMap, "metallic", "b", "float"},
}

func (u *usda) material(i int) {
	s := &u.m.Surfaces[i]
	at := fmt.Sprintf("/World/Materials/Material_%d", i)
	u.within(fmt.Sprintf("def Material \"Material_%d\" (\n%s    displayName = %s\n%s)", i,
		strings.Repeat("    ", u.depth), quoted(s.Name), strings.Repeat("    ", u.depth)), func() {
		u.line("token outputs:surface.connect = <%s/surface.outputs:surface>", at)
		mapped := map[string]bool{}
		u.within("def Shader \"surface\"", func() {
			u.line("uniform token info:id = \"UsdPreviewSurface\"")
			for _, in := range usdInputs {
				if slot := s.Slots[in.role]; slot.Map != model.None && u.m.Maps[slot.Map].Data != nil {
					mapped[in.input] = true
					u.line("%s inputs:%s.connect = <%s/map_%d.outputs:%s>", in.typ, in.input, at, in.role, in.output)
				}
			}
			three := func(name string, v []float64) {
				if !mapped[name] {
					u.line("color3f inputs:%s = (%.6g, %.6g, %.6g)", name, v[0], v[1], v[2])
				}
			}
			one := func(name string, v float64) {
				if !mapped[name] {
					u.line("float inputs:%s = %.6g", name, v)
				}
			}
			three("diffuseColor", s.BaseColor[:3])
			three("emissiveColor", s.Emissive[:])
			one("metallic", s.Metallic)
			one("roughness", s.Roughness)
			one("ior", s.IOR)
			one("clearcoat", s.Coat)
			one("clearcoatRoughness", s.CoatRoughness)
			one("opacity", s.BaseColor[3]*(1-s.Transmission))
			if s.Alpha == model.Mask {
				one("opacityThreshold", s.Cutoff)
			}
			u.line("token outputs:surface")
		})
		done := map[model.Role]bool{}
		for _, in := range usdInputs {
			if slot := s.Slots[in.role]; mapped[in.input] && !done[in.role] {
				done[in.role] = true
				u.texture(&slot, in.role, at, s)
			}
		}
		if len(done) > 0 {
			u.within("def Shader \"st\"", func() {
				u.line("uniform token info:id = \"UsdPrimvarReader_float2\"")
				u.line("string inputs:varname = \"st\"")
				u.line("float2 outputs:result")
			})
		}
	})
}

func (u *usda) texture(slot *model.Slot, role model.Role, at string, s *model.Surface) {
	u.within(fmt.Sprintf("def Shader \"map_%d\"", role), func() {
		u.line("uniform token info:id = \"UsdUVTexture\"")
		u.line("asset inputs:file = @%s%s@", u.folder, MapFile(u.m, slot.Map))
		u.line("float2 inputs:st.connect = <%s/st.outputs:result>", at)
		wrap := func(w model.Wrap) string {
			return map[model.Wrap]string{model.Repeat: "repeat", model.Mirror: "mirror", model.Clamp: "clamp"}[w]
		}
		u.line("token inputs:wrapS = \"%s\"", wrap(slot.WrapS))
		u.line("token inputs:wrapT = \"%s\"", wrap(slot.WrapT))
		switch role {
		case model.BaseColorMap, model.EmissiveMap:
			u.line("token inputs:sourceColorSpace = \"sRGB\"")
			c := s.BaseColor
			if role == model.EmissiveMap {
				c = [4]float64{s.Emissive[0], s.Emissive[1], s.Emissive[2], 1}
			}
			u.line("float4 inputs:scale = (%.6g, %.6g, %.6g, %.6g)", c[0], c[1], c[2], c[3])
		case model.NormalMap:
			u.line("token inputs:sourceColorSpace = \"raw\"")
			u.line("float4 inputs:scale = (2, 2, 2, 1)")
			u.line("float4 inputs:bias = (-1, -1, -1, 0)")
		default:
			u.line("token inputs:sourceColorSpace = \"raw\"")
		}
		u.line("float3 outputs:rgb")
		u.line("float outputs:r")
		u.line("float outputs:g")
		u.line("float outputs:b")
	})
}

// MapFile is the name of the file that a map of a model is written to: its number, its own name and the ending of what
// it is.
func MapFile(m *model.Model, i int) string {
	name := m.Maps[i].Name
	name = name[strings.LastIndexAny(name, "/\\")+1:]
	if k := strings.LastIndexByte(name, '.'); k >= 0 {
		name = name[:k]
	}
	name = strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z', r >= 'A' && r <= 'Z', r >= '0' && r <= '9', r == '_', r == '-':
			return r
		}
		return '_'
	}, name)
	const longest = 60
	ending := ".png"
	if m.Maps[i].Mime == "image/jpeg" {
		ending = ".jpg"
	} else if m.Maps[i].Mime == "image/webp" {
		ending = ".webp"
	}
	return fmt.Sprintf("%03d_%s%s", i, name[:min(len(name), longest)], ending)
}

// usdSensor is the height of the sensor that a camera is written with, in millimetres.
const usdSensor = 24.0

func (u *usda) camera(c *model.Camera) {
	u.within(fmt.Sprintf("def Camera \"%s\"", u.prim("camera_"+c.Name)), func() {
		u.line("float2 clippingRange = (%.7g, %.7g)", c.Near, orFar(c.Far))
		if c.Orthographic {
			u.line("token projection = \"orthographic\"")
			u.line("float verticalAperture = %.7g", 20*c.YMag) // in tenths of the unit
			u.line("float horizontalAperture = %.7g", 20*c.YMag*max(c.Aspect, 1e-6))
			return
		}
		u.line("token projection = \"perspective\"")
		// Apertures and focal length are in tenths of the scene's unit: of a metre, so that only their ratio counts.
		u.line("float verticalAperture = %.7g", usdSensor/100)
		u.line("float horizontalAperture = %.7g", usdSensor/100*max(c.Aspect, 1e-6))
		u.line("float focalLength = %.7g", usdSensor/100/2/math.Tan(c.YFov/2))
	})
}

// orFar is a far plane where there is none.
func orFar(far float64) float64 {
	if far <= 0 {
		return 1e6
	}
	return far
}

// light writes a lamp. Normalised, a distant light's intensity is the illuminance it gives; a sphere's is spread over
// its surface of four times the disc that is seen, so that it is four times the candela.
func (u *usda) light(l *model.Light) {
	color := func() {
		u.line("color3f inputs:color = (%.6g, %.6g, %.6g)", l.Color[0], l.Color[1], l.Color[2])
		u.line("bool inputs:normalize = 1")
	}
	switch l.Kind {
	case model.Directional:
		u.within(fmt.Sprintf("def DistantLight \"%s\"", u.prim("light_"+l.Name)), func() {
			color()
			u.line("float inputs:angle = 0.53")
			u.line("float inputs:intensity = %.7g", l.Intensity)
		})
	default:
		u.within(fmt.Sprintf("def SphereLight \"%s\"", u.prim("light_"+l.Name)), func() {
			color()
			u.line("float inputs:radius = 0.01")
			u.line("bool treatAsPoint = 1")
			u.line("float inputs:intensity = %.7g", 4*l.Intensity)
			if l.Kind == model.Spot {
				u.line("float inputs:shaping:cone:angle = %.6g", l.Outer*180/math.Pi)
				u.line("float inputs:shaping:cone:softness = %.6g", 1-l.Inner/max(l.Outer, 1e-9))
			}
		})
	}
}
