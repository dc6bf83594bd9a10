package exchange

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/model"
)

// WriteGLB writes a model as binary glTF 2.0 with its maps embedded. The
// coordinates are written as they are: bring the model to metres and +Y up
// first, or put that into a root node. Maps without bytes are left out.
// Roughness, metallic and opacity maps must have been packed (PackMaps).
func WriteGLB(w io.Writer, m *model.Model) error {
	g := &glbWriter{m: m, used: map[string]bool{}}
	if err := g.build(); err != nil {
		return err
	}
	g.doc["buffers"] = []any{map[string]any{"byteLength": len(g.bin)}}
	if len(g.bin) == 0 {
		delete(g.doc, "buffers")
	}
	text, err := json.Marshal(g.doc)
	if err != nil {
		return fmt.Errorf("writing glTF: %w", err)
	}
	for len(text)%4 != 0 {
		text = append(text, ' ')
	}
	size := 12 + 8 + len(text)
	if len(g.bin) > 0 {
		size += 8 + len(g.bin)
	}
	if int64(size) > math.MaxUint32 {
		return fmt.Errorf("writing glTF: %d bytes are more than a GLB can hold; write fewer models", size)
	}
	le := binary.LittleEndian
	head := le.AppendUint32([]byte("glTF"), 2)
	head = le.AppendUint32(head, uint32(size))
	head = le.AppendUint32(head, uint32(len(text)))
	head = append(head, "JSON"...)
	parts := [][]byte{head, text}
	if len(g.bin) > 0 {
		parts = append(parts, append(le.AppendUint32(nil, uint32(len(g.bin))), "BIN\x00"...), g.bin)
	}
	for _, p := range parts {
		if _, err := w.Write(p); err != nil {
			return err
		}
	}
	return nil
}

type object = map[string]any

type glbWriter struct {
	m         *model.Model
	doc       object
	bin       []byte
	views     []object
	accessors []object
	used      map[string]bool // extensions
	samplers  []object
	textures  []object
	imageOf   map[int]int // map to image
	images    []object
}

func (g *glbWriter) build() error {
	asset := object{"version": "2.0", "generator": "Visator"}
	if g.m.Copyright != "" {
		asset["copyright"] = g.m.Copyright
	}
	g.doc = object{"asset": asset}
	g.imageOf = map[int]int{}
	var materials, meshes, nodes, cameras, lights []object
	for i := range g.m.Surfaces {
		materials = append(materials, g.material(&g.m.Surfaces[i]))
	}
	meshAt := make([]int, len(g.m.Meshes)) // a mesh without parts has no place in glTF
	for i := range g.m.Meshes {
		meshAt[i] = model.None
		if mesh := g.mesh(&g.m.Meshes[i]); mesh != nil {
			meshAt[i] = len(meshes)
			meshes = append(meshes, mesh)
		}
	}
	for _, c := range g.m.Cameras {
		cameras = append(cameras, cameraObject(&c))
	}
	for _, l := range g.m.Lights {
		lights = append(lights, lightObject(&l))
	}
	for i := range g.m.Nodes {
		n := &g.m.Nodes[i]
		o := object{}
		if n.Name != "" {
			o["name"] = n.Name
		}
		if n.Local != geom.Identity {
			o["matrix"] = n.Local
		}
		if len(n.Children) > 0 {
			o["children"] = n.Children
		}
		if n.Mesh != model.None && meshAt[n.Mesh] != model.None {
			o["mesh"] = meshAt[n.Mesh]
		}
		if n.Camera != model.None {
			o["camera"] = n.Camera
		}
		if n.Light != model.None {
			g.used["KHR_lights_punctual"] = true
			o["extensions"] = object{"KHR_lights_punctual": object{"light": n.Light}}
		}
		nodes = append(nodes, o)
	}
	scene := object{}
	if g.m.Name != "" {
		scene["name"] = g.m.Name
	}
	if len(g.m.Roots) > 0 {
		scene["nodes"] = g.m.Roots
	}
	g.doc["scenes"], g.doc["scene"] = []object{scene}, 0
	for name, list := range map[string][]object{"materials": materials, "meshes": meshes, "nodes": nodes,
		"cameras":     cameras,
		"bufferViews": g.views, "accessors": g.accessors, "samplers": g.samplers, "textures": g.textures,
		"images": g.images} {
		if len(list) > 0 {
			g.doc[name] = list
		}
	}
	if len(lights) > 0 {
		g.used["KHR_lights_punctual"] = true
		g.doc["extensions"] = object{"KHR_lights_punctual": object{"lights": lights}}
	}
	used := slices.Sorted(maps.Keys(g.used))
	if used != nil {
		g.doc["extensionsUsed"] = used
	}
	if g.used["EXT_texture_webp"] {
		g.doc["extensionsRequired"] = []string{"EXT_texture_webp"}
	}
	return nil
}

// view appends bytes to the buffer, aligned, and returns the view's number.
func (g *glbWriter) view(data []byte, target int) int {
	for len(g.bin)%4 != 0 {
		g.bin = append(g.bin, 0)
	}
	v := object{"buffer": 0, "byteOffset": len(g.bin), "byteLength": len(data)}
	if target != 0 {
		v["target"] = target
	}
	g.bin = append(g.bin, data...)
	for len(g.bin)%4 != 0 {
		g.bin = append(g.bin, 0)
	}
	g.views = append(g.views, v)
	return len(g.views) - 1
}

func (g *glbWriter) floats(vals []float32, n int, kind string, bounds bool) int {
	data := make([]byte, 0, 4*len(vals))
	for _, v := range vals {
		data = binary.LittleEndian.AppendUint32(data, math.Float32bits(v))
	}
	a := object{"bufferView": g.view(data, 34962), "componentType": 5126, "count": len(vals) / n, "type": kind}
	if bounds {
		lo, hi := append([]float32{}, vals[:n]...), append([]float32{}, vals[:n]...)
		for i, v := range vals {
			lo[i%n], hi[i%n] = min(lo[i%n], v), max(hi[i%n], v)
		}
		a["min"], a["max"] = lo, hi
	}
	g.accessors = append(g.accessors, a)
	return len(g.accessors) - 1
}

func (g *glbWriter) mesh(m *model.Mesh) object {
	var prims []object
	for i := range m.Parts {
		p := &m.Parts[i]
		if len(p.Indices) == 0 || len(p.Positions) == 0 {
			continue
		}
		attrs := object{"POSITION": g.floats(p.Positions, 3, "VEC3", true)}
		if p.Normals != nil {
			attrs["NORMAL"] = g.floats(unitNormals(p.Normals), 3, "VEC3", false)
		}
		if p.UV != nil {
			attrs["TEXCOORD_0"] = g.floats(p.UV, 2, "VEC2", false)
			if p.UV1 != nil {
				attrs["TEXCOORD_1"] = g.floats(p.UV1, 2, "VEC2", false)
			}
		}
		if p.Colors != nil {
			clipped := make([]float32, len(p.Colors))
			for k, v := range p.Colors {
				clipped[k] = min(max(v, 0), 1)
			}
			attrs["COLOR_0"] = g.floats(clipped, 4, "VEC4", false)
		}
		prim := object{"attributes": attrs, "indices": g.indices(p),
			"mode": map[model.Kind]int{model.Triangles: 4, model.Lines: 1, model.Points: 0}[p.Kind]}
		if p.Surface != model.None {
			prim["material"] = p.Surface
		}
		prims = append(prims, prim)
	}
	if prims == nil {
		return nil
	}
	o := object{"primitives": prims}
	if m.Name != "" {
		o["name"] = m.Name
	}
	return o
}

func (g *glbWriter) indices(p *model.Part) int {
	component, data := 5125, make([]byte, 0, 4*len(p.Indices))
	if p.Vertices() < 65535 {
		component = 5123
		for _, i := range p.Indices {
			data = binary.LittleEndian.AppendUint16(data, uint16(i))
		}
	} else {
		for _, i := range p.Indices {
			data = binary.LittleEndian.AppendUint32(data, i)
		}
	}
	g.accessors = append(g.accessors, object{"bufferView": g.view(data, 34963), "componentType": component,
		"count": len(p.Indices), "type": "SCALAR"})
	return len(g.accessors) - 1
}

// unitNormals gives every normal length one, as glTF asks.
func unitNormals(n []float32) []float32 {
	out := make([]float32, len(n))
	for i := 0; i+2 < len(n); i += 3 {
		v := geom.V{X: float64(n[i]), Y: float64(n[i+1]), Z: float64(n[i+2])}.Unit()
		if v == (geom.V{}) || !v.Finite() {
			v = geom.V{Y: 1}
		}
		out[i], out[i+1], out[i+2] = float32(v.X), float32(v.Y), float32(v.Z)
	}
	return out
}

func (g *glbWriter) material(s *model.Surface) object {
	pbr := object{"baseColorFactor": clip4(s.BaseColor), "metallicFactor": unit1(s.Metallic),
		"roughnessFactor": unit1(s.Roughness)}
	o := object{"pbrMetallicRoughness": pbr}
	if s.Name != "" {
		o["name"] = s.Name
	}
	if t := g.texture(&s.Slots[model.BaseColorMap]); t != nil {
		pbr["baseColorTexture"] = t
	}
	if t := g.texture(&s.Slots[model.MetalRoughMap]); t != nil {
		pbr["metallicRoughnessTexture"] = t
	}
	if t := g.texture(&s.Slots[model.NormalMap]); t != nil {
		if s.NormalScale != 1 {
			t["scale"] = s.NormalScale
		}
		o["normalTexture"] = t
	}
	if t := g.texture(&s.Slots[model.OcclusionMap]); t != nil {
		t["strength"] = unit1(s.Occlusion)
		o["occlusionTexture"] = t
	}
	if t := g.texture(&s.Slots[model.EmissiveMap]); t != nil {
		o["emissiveTexture"] = t
	}
	ext := object{}
	add := func(name string, value object) {
		g.used[name] = true
		ext[name] = value
	}
	if top := max(s.Emissive[0], s.Emissive[1], s.Emissive[2]); top > 0 {
		k := max(top, 1)
		o["emissiveFactor"] = [3]float64{s.Emissive[0] / k, s.Emissive[1] / k, s.Emissive[2] / k}
		if k > 1 {
			add("KHR_materials_emissive_strength", object{"emissiveStrength": k})
		}
	}
	g.layers(s, add)
	if s.IOR != 1.5 && (s.IOR == 0 || s.IOR >= 1) {
		add("KHR_materials_ior", object{"ior": s.IOR})
	}
	if s.Unlit {
		add("KHR_materials_unlit", object{})
	}
	if len(ext) > 0 {
		o["extensions"] = ext
	}
	switch s.Alpha {
	case model.Mask:
		o["alphaMode"], o["alphaCutoff"] = "MASK", s.Cutoff
	case model.Blend:
		o["alphaMode"] = "BLEND"
	}
	if s.DoubleSided {
		o["doubleSided"] = true
	}
	return o
}

func unit1(v float64) float64 { return min(max(v, 0), 1) }

func clip4(c [4]float64) [4]float64 {
	for i := range c {
		c[i] = unit1(c[i])
	}
	return c
}

// texture returns a textureInfo, or nil when the slot has no picture.
func (g *glbWriter) texture(s *model.Slot) object {
	if s.Map == model.None || g.m.Maps[s.Map].Data == nil {
		return nil
	}
	mp := &g.m.Maps[s.Map]
	img, ok := g.imageOf[s.Map]
	if !ok {
		img = len(g.images)
		g.imageOf[s.Map] = img
		o := object{"bufferView": g.view(mp.Data, 0), "mimeType": mp.Mime}
		if mp.Name != "" {
			o["name"] = mp.Name
		}
		g.images = append(g.images, o)
	}
	wrap := [...]int{model.Repeat: 10497, model.Clamp: 33071, model.Mirror: 33648}
	sampler := object{"wrapS": wrap[s.WrapS], "wrapT": wrap[s.WrapT], "magFilter": 9729, "minFilter": 9987}
	if s.Nearest {
		sampler["magFilter"] = 9728
	}
	g.samplers = append(g.samplers, sampler)
	tex := object{"sampler": len(g.samplers) - 1}
	if mp.Mime == "image/webp" {
		g.used["EXT_texture_webp"] = true
		tex["extensions"] = object{"EXT_texture_webp": object{"source": img}}
	} else {
		tex["source"] = img
	}
	g.textures = append(g.textures, tex)
	info := object{"index": len(g.textures) - 1}
	if s.Set != 0 {
		info["texCoord"] = s.Set
	}
	if s.Offset != [2]float64{} || s.Scale != [2]float64{1, 1} || s.Rotation != 0 {
		g.used["KHR_texture_transform"] = true
		info["extensions"] = object{"KHR_texture_transform": object{"offset": s.Offset, "scale": s.Scale,
			"rotation": s.Rotation}}
	}
	return info
}

func cameraObject(c *model.Camera) object {
	o := object{}
	if c.Name != "" {
		o["name"] = c.Name
	}
	if c.Orthographic {
		o["type"], o["orthographic"] = "orthographic", object{"xmag": c.XMag, "ymag": c.YMag, "znear": c.Near,
			"zfar": c.Far}
		return o
	}
	p := object{"yfov": c.YFov, "znear": max(c.Near, 1e-6)}
	if c.Far > c.Near {
		p["zfar"] = c.Far
	}
	if c.Aspect > 0 {
		p["aspectRatio"] = c.Aspect
	}
	o["type"], o["perspective"] = "perspective", p
	return o
}

func lightObject(l *model.Light) object {
	o := object{"type": string(l.Kind), "color": l.Color, "intensity": l.Intensity}
	if l.Name != "" {
		o["name"] = l.Name
	}
	if l.Range > 0 && l.Kind != model.Directional {
		o["range"] = l.Range
	}
	if l.Kind == model.Spot {
		o["spot"] = object{"innerConeAngle": l.Inner, "outerConeAngle": l.Outer}
	}
	return o
}
