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

// WriteOBJ writes a model as Wavefront OBJ after the transform top, with
// 1-based indices and v upwards. library is the name of its material file;
// "" leaves materials out.
func WriteOBJ(w io.Writer, m *model.Model, top geom.M, library string) error {
	out := bufio.NewWriter(w)
	if library != "" {
		fmt.Fprintf(out, "mtllib %s\n", library)
	}
	base := 1
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Mesh == model.None {
			return
		}
		world = top.Mul(world)
		inv, ok := world.Affine()
		if !ok {
			return
		}
		for i := range m.Meshes[n.Mesh].Parts {
			p := &m.Meshes[n.Mesh].Parts[i]
			if p.Kind != model.Triangles {
				continue
			}
			fmt.Fprintf(out, "o %s\n", oneWord(n.Name, "part"))
			if library != "" && p.Surface != model.None {
				fmt.Fprintf(out, "usemtl %s\n", oneWord(m.Surfaces[p.Surface].Name, fmt.Sprint("surface ", p.Surface)))
			}
			for v := 0; v < p.Vertices(); v++ {
				q := world.Point(p.Position(uint32(v)))
				fmt.Fprintf(out, "v %.7g %.7g %.7g\n", q.X, q.Y, q.Z)
			}
			for v := 0; v+1 < len(p.UV); v += 2 {
				fmt.Fprintf(out, "vt %.6g %.6g\n", p.UV[v], 1-p.UV[v+1])
			}
			for v := 0; v+2 < len(p.Normals); v += 3 {
				q := inv.NormalDir(geom.V{X: float64(p.Normals[v]), Y: float64(p.Normals[v+1]),
					Z: float64(p.Normals[v+2])}).Unit()
				fmt.Fprintf(out, "vn %.4f %.4f %.4f\n", q.X, q.Y, q.Z)
			}
			for t := 0; t+2 < len(p.Indices); t += 3 {
				out.WriteString("f")
				order := [3]int{0, 1, 2}
				if world.Det3() < 0 {
					order = [3]int{0, 2, 1}
				}
				for _, k := range order {
					v := int(p.Indices[t+k]) + base
					switch {
					case p.UV != nil && p.Normals != nil:
						fmt.Fprintf(out, " %d/%d/%d", v, v, v)
					case p.UV != nil:
						fmt.Fprintf(out, " %d/%d", v, v)
					case p.Normals != nil:
						fmt.Fprintf(out, " %d//%d", v, v)
					default:
						fmt.Fprintf(out, " %d", v)
					}
				}
				out.WriteString("\n")
			}
			base += p.Vertices()
		}
	})
	return out.Flush()
}

func oneWord(name, otherwise string) string {
	if name = strings.Join(strings.Fields(name), "_"); name == "" {
		return strings.Join(strings.Fields(otherwise), "_")
	}
	return name
}

// WriteMTL writes the surfaces of a model as a material library; maps are
// named below folder. What the older form cannot say stands in its
// physically based statements (Pr, Pm).
func WriteMTL(w io.Writer, m *model.Model, folder string) error {
	out := bufio.NewWriter(w)
	for i := range m.Surfaces {
		s := &m.Surfaces[i]
		fmt.Fprintf(out, "newmtl %s\nKd %.5f %.5f %.5f\nPr %.4f\nPm %.4f\nd %.4f\n",
			oneWord(s.Name, fmt.Sprint("surface ", i)), s.BaseColor[0], s.BaseColor[1], s.BaseColor[2], s.Roughness,
			s.Metallic,
			s.BaseColor[3])
		if e := s.Emissive; math.Max(e[0], math.Max(e[1], e[2])) > 0 {
			fmt.Fprintf(out, "Ke %.5g %.5g %.5g\n", e[0], e[1], e[2])
		}
		for role, word := range map[model.Role]string{model.BaseColorMap: "map_Kd", model.NormalMap: "norm"} {
			if at := s.Slots[role].Map; at != model.None {
				fmt.Fprintf(out, "%s %s%s\n", word, folder, m.Maps[at].Name)
			}
		}
		out.WriteString("\n")
	}
	return out.Flush()
}
