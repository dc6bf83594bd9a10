package usd

import (
	"bytes"
	"fmt"
	"image/png"
	"math"
	"strings"

	"visator/core/bsdf"
	"visator/core/intake/maps"
	"visator/core/model"
)

// surface returns the surface of a material by its path; None without one.
func (b *builder) surface(at string) int {
	if at == "" {
		return model.None
	}
	if i, ok := b.surfaces[at]; ok {
		return i
	}
	b.surfaces[at] = model.None
	m := b.root.at(at)
	if m == nil {
		b.out.Warn("the material %.200q is not there", at)
		return model.None
	}
	s := model.DefaultSurface()
	s.Name, s.Metallic, s.Roughness = m.name, 0, 0.5
	if shader := b.shader(m); shader != nil {
		b.preview(&s, shader)
	} else {
		b.out.Warn("the material %.200q has no preview surface; its colours are not known", at)
	}
	b.out.Surfaces = append(b.out.Surfaces, s)
	b.surfaces[at] = len(b.out.Surfaces) - 1
	return b.surfaces[at]
}

// shader finds the UsdPreviewSurface of a material.
func (b *builder) shader(m *spec) *spec {
	for _, out := range []string{"outputs:surface", "outputs:universal:surface", "outputs:preview:surface"} {
		for _, t := range m.targets(out) {
			if s, _ := b.follow(t, 0); s != nil && text(s.value("info:id")) == "UsdPreviewSurface" {
				return s
			}
		}
	}
	for _, c := range m.children {
		if text(c.value("info:id")) == "UsdPreviewSurface" {
			return c
		}
	}
	return nil
}

// follow goes to the shader that a connection ends at, through the inputs and
// outputs of graphs, and returns it with the name of its output.
func (b *builder) follow(target string, depth int) (*spec, string) {
	at, prop, _ := strings.Cut(target, ".")
	s := b.root.at(at)
	if s == nil || depth > 8 {
		return nil, ""
	}
	if s.typeName != "Shader" {
		if t := s.targets(prop); len(t) > 0 {
			return b.follow(t[0], depth+1)
		}
	}
	return s, strings.TrimPrefix(prop, "outputs:")
}

// input is the value of a shader's input, or the texture that it is connected
// to and which of its outputs.
func (b *builder) input(s *spec, name string) (v any, texture *spec, output string) {
	p := s.props["inputs:"+name]
	if p == nil {
		return nil, nil, ""
	}
	if len(p.targets) > 0 {
		at, prop, _ := strings.Cut(p.targets[0], ".")
		t, out := b.follow(p.targets[0], 0)
		if t != nil && text(t.value("info:id")) == "UsdUVTexture" {
			return p.value, t, out
		}
		if src := b.root.at(at); src != nil && src.value(prop) != nil { // a value of the material's own interface
			return src.value(prop), nil, ""
		}
	}
	return p.value, nil, ""
}

func (b *builder) preview(s *model.Surface, sh *spec) {
	colour := func(name string, role model.Role, set func(c [3]float64)) {
		v, tex, _ := b.input(sh, name)
		if tex != nil {
			if slot, ok := b.slot(tex, role, 0); ok {
				s.Slots[role] = slot
				set([3]float64{1, 1, 1})
				return
			}
		}
		if d := doubles(v); len(d) == 3 {
			set([3]float64(d))
		}
	}
	single := func(name string, role model.Role, set func(x float64)) {
		v, tex, out := b.input(sh, name)
		if tex != nil {
			channel := map[string]int{"r": 1, "g": 2, "b": 3, "a": 4}[out]
			if slot, ok := b.slot(tex, role, channel); ok {
				s.Slots[role] = slot
				set(1)
				return
			}
		}
		if v != nil {
			set(number(v, 0))
		}
	}
	s.BaseColor = [4]float64{0.18, 0.18, 0.18, 1} // the format's own default
	colour("diffuseColor", model.BaseColorMap,
		func(c [3]float64) { s.BaseColor = [4]float64{c[0], c[1], c[2], s.BaseColor[3]} })
	colour("emissiveColor", model.EmissiveMap, func(c [3]float64) { s.Emissive = c })
	single("metallic", model.MetallicMap, func(x float64) { s.Metallic = x })
	single("roughness", model.RoughnessMap, func(x float64) { s.Roughness = x })
	if v, _, _ := b.input(sh, "ior"); v != nil {
		s.IOR = min(max(number(v, 1.5), 1), 4)
	}
	single("clearcoat", model.CoatMap, func(x float64) { s.Coat = min(max(x, 0), 1) })
	s.CoatRoughness = 0.01 // the format's own default
	single("clearcoatRoughness", model.CoatRoughnessMap, func(x float64) { s.CoatRoughness = min(max(x, 0), 1) })
	if v, _, _ := b.input(sh, "useSpecularWorkflow"); v != nil && number(v, 0) == 1 {
		// What is mirrored straight on is told as a colour, and nothing is metal.
		s.Metallic = 0
		s.Slots[model.MetallicMap] = model.EmptySlot
		s.SpecularTint = [3]float64{}
		f0 := func(c [3]float64) {
			for i, x := range c {
				s.SpecularTint[i] = min(max(x, 0), 1) / bsdf.Facing(s.IOR)
			}
		}
		colour("specularColor", model.SpecularTintMap, f0)
	}
	single("occlusion", model.OcclusionMap, func(float64) {})
	single("displacement", model.HeightMap, func(float64) {})
	if _, tex, _ := b.input(sh, "normal"); tex != nil {
		if slot, ok := b.slot(tex, model.NormalMap, 0); ok {
			s.Slots[model.NormalMap] = slot
		}
	}
	b.opacity(s, sh)
}

func (b *builder) opacity(s *model.Surface, sh *spec) {
	v, tex, out := b.input(sh, "opacity")
	threshold := 0.0
	if t, _, _ := b.input(sh, "opacityThreshold"); t != nil {
		threshold = number(t, 0)
	}
	mode := func() {
		s.Alpha = model.Blend
		if threshold > 0 {
			s.Alpha, s.Cutoff = model.Mask, threshold
		}
	}
	if tex != nil {
		mode()
		// The alpha of the picture that is the base colour too counts by itself.
		_, base, _ := b.input(sh, "diffuseColor")
		if out == "a" && base != nil && text(base.value("inputs:file")) == text(tex.value("inputs:file")) {
			return
		}
		if slot, ok := b.slot(tex, model.OpacityMap, map[string]int{"r": 1, "g": 2, "b": 3, "a": 4}[out]); ok {
			s.Slots[model.OpacityMap] = slot
		}
		return
	}
	if v != nil {
		if o := number(v, 1); o < 1 {
			s.BaseColor[3] = max(o, 0)
			mode()
		}
	}
}

// slot reads a texture node: its picture, one channel of it when that is not
// 0, its wrapping and the transform of its coordinates.
func (b *builder) slot(tex *spec, role model.Role, channel int) (model.Slot, bool) {
	slot := model.EmptySlot
	file, _, _ := b.input(tex, "file")
	ref := text(file)
	if ref == "" {
		return slot, false
	}
	if strings.Contains(ref, "<UDIM>") {
		b.out.Warn("%.200q is a set of tiles; the first of them is used for all", ref)
		ref = strings.ReplaceAll(ref, "<UDIM>", "1001")
	}
	slot.Map = b.mapAt(ref, role, channel)
	wrap := map[string]model.Wrap{"clamp": model.Clamp, "black": model.Clamp, "mirror": model.Mirror}
	slot.WrapS, slot.WrapT = wrap[text(tex.value("inputs:wrapS"))], wrap[text(tex.value("inputs:wrapT"))]
	if p := tex.props["inputs:st"]; p != nil && len(p.targets) > 0 {
		if t, _ := b.follow(p.targets[0], 0); t != nil && text(t.value("info:id")) == "UsdTransform2d" {
			transform(&slot, t)
		}
	}
	return slot, true
}

// transform turns a UsdTransform2d (scale, then turn counter-clockwise, then
// move, with v upwards) into that of a slot, in which v points down.
func transform(slot *model.Slot, t *spec) {
	scale, move := [2]float64{1, 1}, [2]float64{}
	if d := doubles(t.value("inputs:scale")); len(d) == 2 {
		scale = [2]float64(d)
	}
	if d := doubles(t.value("inputs:translation")); len(d) == 2 {
		move = [2]float64(d)
	}
	turn := number(t.value("inputs:rotation"), 0) * math.Pi / 180
	sin, cos := math.Sincos(turn)
	// With V = 1-v: U' = a U + b (1-V) + tx, V' = 1 - (c U + d (1-V) + ty).
	slot.Scale, slot.Rotation = scale, turn
	slot.Offset = [2]float64{move[0] - scale[1]*sin, 1 - scale[1]*cos - move[1]}
}

func (b *builder) mapAt(ref string, role model.Role, channel int) int {
	key := fmt.Sprint(ref, " ", channel)
	if i, ok := b.maps[key]; ok {
		return i
	}
	data, err := b.read(ref)
	i := b.out.AddMap(shortName(ref), role, data, err)
	if m := &b.out.Maps[i]; channel > 0 && m.Data != nil {
		img, err := m.Picture()
		if err == nil {
			var buf bytes.Buffer
			if err = png.Encode(&buf, maps.Channel(img, channel, false)); err == nil {
				m.Data, m.Mime = buf.Bytes(), "image/png"
			}
		}
		if err != nil {
			b.out.Warn("%v", err)
		}
	}
	b.maps[key] = i
	return i
}

// shortName is a picture's path without the package that holds it.
func shortName(ref string) string {
	if _, inner, ok := strings.Cut(strings.TrimSuffix(ref, "]"), "["); ok {
		return inner
	}
	return ref
}
