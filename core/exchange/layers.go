package exchange

import "visator/core/model"

// layers adds what Khronos' extensions say of a surface beyond metal and roughness; what is as glTF begins is left out.
func (g *glbWriter) layers(s *model.Surface, add func(name string, value object)) {
	put := func(o object, key string, role model.Role) object {
		if t := g.texture(&s.Slots[role]); t != nil {
			o[key] = t
		}
		return o
	}
	white := [3]float64{1, 1, 1}
	if s.Transmission > 0 {
		o := object{"transmissionFactor": unit1(s.Transmission)}
		add("KHR_materials_transmission", put(o, "transmissionTexture", model.TransmissionMap))
	}
	if s.Specular != 1 || s.SpecularTint != white || g.has(s, model.SpecularMap, model.SpecularTintMap) {
		o := object{"specularFactor": unit1(s.Specular), "specularColorFactor": s.SpecularTint}
		put(o, "specularTexture", model.SpecularMap)
		add("KHR_materials_specular", put(o, "specularColorTexture", model.SpecularTintMap))
	}
	if s.Coat > 0 {
		o := object{"clearcoatFactor": unit1(s.Coat), "clearcoatRoughnessFactor": unit1(s.CoatRoughness)}
		put(o, "clearcoatTexture", model.CoatMap)
		put(o, "clearcoatRoughnessTexture", model.CoatRoughnessMap)
		put(o, "clearcoatNormalTexture", model.CoatNormalMap)
		if t, ok := o["clearcoatNormalTexture"].(object); ok && s.CoatNormalScale != 1 {
			t["scale"] = s.CoatNormalScale
		}
		add("KHR_materials_clearcoat", o)
	}
	if max(s.Sheen[0], s.Sheen[1], s.Sheen[2]) > 0 {
		o := object{"sheenColorFactor": s.Sheen, "sheenRoughnessFactor": unit1(s.SheenRoughness)}
		put(o, "sheenColorTexture", model.SheenMap)
		add("KHR_materials_sheen", put(o, "sheenRoughnessTexture", model.SheenRoughnessMap))
	}
	if s.Brush > 0 {
		add("KHR_materials_anisotropy", put(object{"anisotropyStrength": unit1(s.Brush),
			"anisotropyRotation": s.BrushTurn}, "anisotropyTexture", model.BrushMap))
	}
	if s.Film > 0 {
		o := object{"iridescenceFactor": unit1(s.Film), "iridescenceIor": max(s.FilmIndex, 1),
			"iridescenceThicknessMinimum": s.FilmLeast, "iridescenceThicknessMaximum": s.FilmMost}
		put(o, "iridescenceTexture", model.FilmMap)
		add("KHR_materials_iridescence", put(o, "iridescenceThicknessTexture", model.FilmThicknessMap))
	}
	if s.Solid {
		o := object{"thicknessFactor": 1}
		if s.AbsorbOver > 0 {
			o["attenuationDistance"], o["attenuationColor"] = s.AbsorbOver, s.Absorb
		}
		add("KHR_materials_volume", o)
	}
	if s.Dispersion > 0 {
		add("KHR_materials_dispersion", object{"dispersion": s.Dispersion})
	}
	if s.Leaf > 0 {
		o := object{"diffuseTransmissionFactor": unit1(s.Leaf), "diffuseTransmissionColorFactor": s.LeafTint}
		put(o, "diffuseTransmissionTexture", model.LeafMap)
		add("KHR_materials_diffuse_transmission", put(o, "diffuseTransmissionColorTexture", model.LeafTintMap))
	}
}

// has says whether a surface has a map of one of some roles.
func (g *glbWriter) has(s *model.Surface, roles ...model.Role) bool {
	for _, r := range roles {
		if m := s.Slots[r].Map; m != model.None && g.m.Maps[m].Data != nil {
			return true
		}
	}
	return false
}
