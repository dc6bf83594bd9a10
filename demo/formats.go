package demo

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"

	"visator/core/geom"
	"visator/core/model"
)

// corners calls use for every corner of every triangle, in the model's own
// space after top.
func corners(m *model.Model, top geom.M, use func(surface int, q, n geom.V, u, v float64)) {
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Mesh == model.None {
			return
		}
		world = top.Mul(world)
		for _, p := range m.Meshes[n.Mesh].Parts {
			for _, i := range p.Indices {
				nrm := geom.V{X: float64(p.Normals[3*i]), Y: float64(p.Normals[3*i+1]), Z: float64(p.Normals[3*i+2])}
				var u, v float64
				if p.UV != nil {
					u, v = float64(p.UV[2*i]), float64(p.UV[2*i+1])
				}
				use(p.Surface, world.Point(p.Position(i)), world.Dir(nrm).Unit(), u, v)
			}
		}
	})
}

// stlOf writes the binary form, as a program for machinists would: every third
// shell of its triangles looks inwards.
func stlOf(m *model.Model, top geom.M, spoil bool) []byte {
	var body []byte
	n := 0
	var tri [3]geom.V
	corners(m, top, func(_ int, q, _ geom.V, _, _ float64) {
		tri[n%3] = q
		if n++; n%3 != 0 {
			return
		}
		if spoil && n/3%9 < 2 {
			tri[0], tri[1] = tri[1], tri[0]
		}
		body = append(body, make([]byte, 12)...)
		for _, v := range tri {
			for _, x := range []float64{v.X, v.Y, v.Z} {
				body = binary.LittleEndian.AppendUint32(body, math.Float32bits(float32(x)))
			}
		}
		body = append(body, 0, 0)
	})
	out := make([]byte, 80, 84+len(body))
	copy(out, "made for the demo")
	out = binary.LittleEndian.AppendUint32(out, uint32(n/3))
	return append(out, body...)
}

// plyOf writes the binary form with the colour of each surface on its
// vertices.
func plyOf(m *model.Model) []byte {
	var v, f []byte
	n := 0
	corners(m, geom.Identity, func(surface int, q, nrm geom.V, _, _ float64) {
		for _, x := range []float64{q.X, q.Y, q.Z, nrm.X, nrm.Y, nrm.Z} {
			v = binary.LittleEndian.AppendUint32(v, math.Float32bits(float32(x)))
		}
		c := m.Surfaces[surface].BaseColor
		for _, x := range c[:3] {
			v = append(v, uint8(255*math.Pow(x, 1/2.2)+0.5))
		}
		if n++; n%3 == 0 {
			f = append(f, 3)
			for k := n - 3; k < n; k++ {
				f = binary.LittleEndian.AppendUint32(f, uint32(k))
			}
		}
	})
	var out bytes.Buffer
	fmt.Fprintf(&out, "ply\nformat binary_little_endian 1.0\ncomment made for the demo\nelement vertex %d\nproperty "+
		"float x\nproperty float y\nproperty float z\nproperty float nx\nproperty float ny\nproperty float nz\nproperty "+
		"uchar red\nproperty uchar green\nproperty uchar blue\nelement face %d\nproperty list uchar int "+
		"vertex_indices\nend_header\n", n, n/3)
	out.Write(v)
	out.Write(f)
	return out.Bytes()
}

// daeOf writes COLLADA 1.4.1 in centimetres, +Z up.
func daeOf(m *model.Model) []byte {
	var out bytes.Buffer
	out.WriteString(`<?xml version="1.0" encoding="utf-8"?>
<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset><contributor><author>Kestrel Saddle Models</author><copyright>CC0-1.0</copyright></contributor><unit
name="centimeter" meter="0.01"/><up_axis>Z_UP</up_axis></asset>
<library_effects>`)
	for i, s := range m.Surfaces {
		fmt.Fprintf(&out,
			`<effect id="e%d"><profile_COMMON><technique sid="t"><phong><diffuse><color>%.4f %.4f %.4f
				1</color></diffuse><shininess><float>%.1f</float></shininess></phong></technique></profile_COMMON></effect>`, i, s.BaseColor[0], s.BaseColor[1], s.BaseColor[2], 2/math.Pow(max(s.Roughness, 0.2), 4)-2)
	}
	out.WriteString("</library_effects>\n<library_materials>")
	for i, s := range m.Surfaces {
		fmt.Fprintf(&out, `<material id="m%d" name=%q><instance_effect url="#e%d"/></material>`, i, s.Name, i)
	}
	out.WriteString("</library_materials>\n<library_geometries>")
	var nodes bytes.Buffer
	for i, n := range m.Nodes {
		if n.Mesh == model.None {
			continue
		}
		fmt.Fprintf(&out, "<geometry id=\"g%d\" name=%q><mesh>\n", i, n.Name)
		fmt.Fprintf(&nodes,
			"<node id=\"n%d\" name=%q><instance_geometry url=\"#g%d\"><bind_material><technique_common>", i, n.Name, i)
		var places, normals, prims bytes.Buffer
		count := 0
		for _, p := range m.Meshes[n.Mesh].Parts {
			for k := 0; k < len(p.Positions); k += 3 {
				fmt.Fprintf(&places, "%.3f %.3f %.3f ", 100*p.Positions[k], -100*p.Positions[k+2], 100*p.Positions[k+1])
				fmt.Fprintf(&normals, "%.4f %.4f %.4f ", p.Normals[k], -p.Normals[k+2], p.Normals[k+1])
			}
			fmt.Fprintf(&prims,
				"<triangles material=\"s%d\" count=\"%d\"><input semantic=\"VERTEX\" source=\"#g%d-v\" "+
					"offset=\"0\"/><input semantic=\"NORMAL\" source=\"#g%d-n\" offset=\"0\"/><p>", p.Surface,
				len(p.Indices)/3, i, i)
			for _, x := range p.Indices {
				fmt.Fprintf(&prims, "%d ", int(x)+count)
			}
			prims.WriteString("</p></triangles>\n")
			fmt.Fprintf(&nodes, "<instance_material symbol=\"s%d\" target=\"#m%d\"/>", p.Surface, p.Surface)
			count += p.Vertices()
		}
		for _, src := range []struct {
			id   string
			data *bytes.Buffer
		}{{"p", &places}, {"n", &normals}} {
			fmt.Fprintf(&out, "<source id=\"g%d-%s\"><float_array id=\"g%d-%sa\" "+
				"count=\"%d\">%s</float_array><technique_common><accessor source=\"#g%d-%sa\" count=\"%d\" stride=\"3\"><param "+
				"name=\"X\" type=\"float\"/><param name=\"Y\" type=\"float\"/><param name=\"Z\" "+
				"type=\"float\"/></accessor></technique_common></source>\n", i, src.id, i, src.id, 3*count,
				src.data.String(), i,
				src.id, count)
		}
		fmt.Fprintf(&out, "<vertices id=\"g%d-v\"><input semantic=\"POSITION\" "+
			"source=\"#g%d-p\"/></vertices>\n%s</mesh></geometry>\n", i, i, prims.String())
		nodes.WriteString("</technique_common></bind_material></instance_geometry></node>\n")
	}
	fmt.Fprintf(&out, "</library_geometries>\n<library_visual_scenes><visual_scene "+
		"id=\"s\">\n%s</visual_scene></library_visual_scenes><scene><instance_visual_scene url=\"#s\"/></scene></COLLADA>\n",
		nodes.String())
	return out.Bytes()
}
