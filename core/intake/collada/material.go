package collada

import (
	"fmt"
	"math"
	"strings"

	"visator/core/intake/markup"
	"visator/core/model"
)

// material returns the surface of a material as one instance binds it; None
// when there is none.
func (r *reader) material(e, instance *markup.Element) int {
	if e == nil {
		return model.None
	}
	// Which set of texture coordinates a name stands for is said by the
	// instance.
	sets := map[string]int{}
	key := fmt.Sprintf("%p", e)
	for _, b := range instance.All("bind_vertex_input") {
		sets[b.Attr("semantic")] = atoi(b.Attr("input_set"), 0)
		key += fmt.Sprint(" ", b.Attr("semantic"), b.Attr("input_set"))
	}
	if i, ok := r.surface[key]; ok {
		return i
	}
	s := model.DefaultSurface()
	s.Name, s.Metallic, s.Roughness = nameOf(e), 0, 0.8
	if effect := r.find(e.Child("instance_effect"), "url"); effect != nil {
		r.effect(&s, effect.Child("profile_COMMON"), sets)
	} else {
		r.out.Warn("material %.100q: its effect is not there", s.Name)
	}
	r.out.Surfaces = append(r.out.Surfaces, s)
	r.surface[key] = len(r.out.Surfaces) - 1
	return r.surface[key]
}

// effect turns a technique of the common profile (constant, Lambert, Phong,
// Blinn) into a metallic-roughness surface.
func (r *reader) effect(s *model.Surface, profile *markup.Element, sets map[string]int) {
	tech := profile.Child("technique")
	var shade *markup.Element
	for _, kind := range []string{"phong", "blinn", "lambert", "constant"} {
		if c := tech.Child(kind); c != nil {
			shade = c
			s.Unlit = kind == "constant"
		}
	}
	if shade == nil {
		return
	}
	paint := func(e *markup.Element, role model.Role) (c [4]float64, ok bool) {
		if e == nil {
			return c, false
		}
		if t := e.Child("texture"); t != nil {
			if slot, ok := r.texture(profile, t, role, sets); ok {
				s.Slots[role] = slot
				return [4]float64{1, 1, 1, 1}, true
			}
		}
		if f, err := numbers(e.Child("color"), 3); e.Child("color") != nil && err == nil {
			c = [4]float64{f[0], f[1], f[2], 1}
			if f, err := numbers(e.Child("color"), 4); err == nil {
				c[3] = f[3]
			}
			return c, true
		}
		return c, false
	}
	if c, ok := paint(shade.Child("diffuse"), model.BaseColorMap); ok {
		s.BaseColor = [4]float64{c[0], c[1], c[2], 1}
	} else if s.Unlit {
		if c, ok := paint(shade.Child("emission"), model.BaseColorMap); ok {
			s.BaseColor = [4]float64{c[0], c[1], c[2], 1}
		}
	}
	if !s.Unlit {
		if c, ok := paint(shade.Child("emission"), model.EmissiveMap); ok {
			s.Emissive = [3]float64{c[0], c[1], c[2]}
		}
	}
	// The exponent of a highlight gives its roughness: alpha² = 2/(n+2)
	// (Walter et al., Microfacet Models for Refraction, 2007).
	if n, ok := value(shade, "shininess"); ok && n > 0 {
		if n <= 1 { // written as a share of 128 by some
			n *= 128
		}
		s.Roughness = math.Sqrt(math.Sqrt(2 / (n + 2)))
	}
	if i, ok := value(shade, "index_of_refraction"); ok && i > 1 && i < 4 {
		s.IOR = i
	}
	r.opacity(s, shade, paint)
	bump := tech.Child("extra", "technique", "bump")
	if bump == nil {
		bump = shade.Child("extra", "technique", "bump")
	}
	if t := bump.Child("texture"); t != nil {
		role := model.HeightMap
		if strings.EqualFold(bump.Attr("bumptype"), "NORMALMAP") || strings.Contains(strings.ToLower(t.Attr("texture")),
			"norm") {
			role = model.NormalMap
		}
		if slot, ok := r.texture(profile, t, role, sets); ok {
			s.Slots[role] = slot
		}
	}
	for _, x := range []*markup.Element{tech, profile} {
		for _, extra := range x.All("extra") {
			for _, t := range extra.All("technique") {
				if v, ok := value(t, "double_sided"); ok && v != 0 {
					s.DoubleSided = true
				}
			}
		}
	}
}

// opacity follows the specification's "Determining Transparency": A_ONE takes
// alpha of transparent, RGB_ZERO the luminance of its colour turned over.
func (r *reader) opacity(s *model.Surface, shade *markup.Element,
	paint func(*markup.Element, model.Role) ([4]float64, bool)) {
	t := shade.Child("transparent")
	amount, hasAmount := value(shade, "transparency")
	if !hasAmount {
		amount = 1
	}
	c, ok := paint(t, model.OpacityMap)
	if !ok {
		if hasAmount && t == nil && amount > 0 && amount < 1 {
			s.BaseColor[3], s.Alpha = amount, model.Blend
		}
		return
	}
	if t.Child("texture") != nil {
		s.Alpha = model.Blend
		// The texture of the base colour itself: its alpha is meant.
		if s.Slots[model.OpacityMap].Map == s.Slots[model.BaseColorMap].Map {
			s.Slots[model.OpacityMap] = model.EmptySlot
		}
		return
	}
	luminance := 0.212671*c[0] + 0.715160*c[1] + 0.072169*c[2] // the specification's own weights
	alpha := 1.0
	switch t.Attr("opaque") {
	case "RGB_ZERO":
		alpha = 1 - luminance*amount
	case "A_ZERO":
		alpha = 1 - c[3]*amount
	case "RGB_ONE":
		alpha = luminance * amount
	default:
		alpha = c[3] * amount
	}
	// Exporters that mix up the modes make everything invisible: a surface
	// that nobody could see was not meant.
	if alpha = min(max(alpha, 0), 1); alpha <= 0 {
		r.out.Warn("material %.100q says that it is invisible and is taken as opaque", s.Name)
		return
	}
	if alpha < 1 {
		s.BaseColor[3], s.Alpha = alpha, model.Blend
	}
}

// texture follows sampler, surface and image to the picture.
func (r *reader) texture(profile, t *markup.Element, role model.Role, sets map[string]int) (model.Slot, bool) {
	slot := model.EmptySlot
	params := map[string]*markup.Element{}
	profile.Walk(func(e *markup.Element) {
		if e.Name == "newparam" {
			params[e.Attr("sid")] = e
		}
	})
	id := t.Attr("texture")
	var image *markup.Element
	if p := params[id]; p != nil {
		sampler := p.Child("sampler2D")
		slot.WrapS, slot.WrapT = wraps[strings.TrimSpace(sampler.Child("wrap_s").String())],
			wraps[strings.TrimSpace(sampler.Child("wrap_t").String())]
		if surf := params[strings.TrimSpace(sampler.Child("source").String())]; surf != nil { // 1.4
			image = r.byID[strings.TrimSpace(surf.Child("surface", "init_from").String())]
		} else { // 1.5
			image = r.find(sampler.Child("instance_image"), "url")
		}
	} else {
		image = r.byID[id] // the image itself, as old exporters write it
	}
	if image == nil || image.Name != "image" {
		r.out.Warn("the texture %.100q leads to no image", id)
		return slot, false
	}
	from := image.Child("init_from")
	ref := strings.TrimSpace(from.String())
	if c := from.Child("ref"); c != nil { // 1.5
		ref = strings.TrimSpace(c.String())
	}
	if ref == "" {
		r.out.Warn("the image %.100q names no file", nameOf(image))
		return slot, false
	}
	slot.Set = min(max(sets[t.Attr("texcoord")], 0), 1)
	slot.Map = r.out.MapAt(r.folder, localRef(ref), role)
	if tc := t.Child("extra", "technique"); tc != nil {
		if u, ok := value(tc, "repeatU"); ok && u != 0 {
			slot.Scale[0] = u
		}
		if v, ok := value(tc, "repeatV"); ok && v != 0 {
			slot.Scale[1] = v
		}
	}
	return slot, true
}

var wraps = map[string]model.Wrap{"CLAMP": model.Clamp, "BORDER": model.Clamp, "MIRROR": model.Mirror}

// localRef drops what leads to the author's own disk: only the file's name
// can be of use here.
func localRef(ref string) string {
	if rest, ok := strings.CutPrefix(ref, "file://"); ok {
		return rest[strings.LastIndexAny(rest, `/\`)+1:]
	}
	if strings.HasPrefix(ref, "/") {
		return ref[strings.LastIndexByte(ref, '/')+1:]
	}
	return ref
}
