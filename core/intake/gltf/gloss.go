package gltf

import (
	"fmt"
	"image"

	"visator/core/model"
)

// glossiness is a surface by diffuse colour, specular colour and gloss
// (KHR_materials_pbrSpecularGlossiness, archived).
type glossiness struct {
	DiffuseFactor, SpecularFactor             []float64
	GlossinessFactor                          *float64
	DiffuseTexture, SpecularGlossinessTexture textureInfo
}

// applyGloss takes a surface from its diffuse colour and gloss, when the file says
// nothing in the form of metal and roughness. It is no metal: what is mirrored in
// colour is told.
func (r *reader) applyGloss(s *model.Surface, gm *material, where string) error {
	g := gm.Extensions.Gloss
	if g == nil || gm.PBR.BaseColorFactor != nil || gm.PBR.BaseColorTexture.Index != nil ||
		gm.PBR.MetallicRoughnessTexture.Index != nil || gm.PBR.MetallicFactor != nil {
		return nil
	}
	if len(g.DiffuseFactor) == 4 {
		s.BaseColor = [4]float64(g.DiffuseFactor)
	}
	gloss := orElse(g.GlossinessFactor, 1)
	s.Metallic, s.Roughness = 0, 1-min(max(gloss, 0), 1)
	if t := &g.DiffuseTexture; t.Index != nil {
		slot, err := r.slot(t, model.BaseColorMap, where+", diffuse texture")
		if err != nil {
			return err
		}
		s.Slots[model.BaseColorMap] = slot
	}
	t := &g.SpecularGlossinessTexture
	if t.Index == nil {
		if len(g.SpecularFactor) == 3 && max(g.SpecularFactor[0], g.SpecularFactor[1], g.SpecularFactor[2]) > 0.2 {
			r.out.Warn("the surface %.100s mirrors like metal in its file, by specular colour; it is taken as no metal",
				gm.Name)
		}
		return nil
	}
	r.out.Warn("the map of specular colour of %.100s has no place here: metal in it looks like paint", gm.Name)
	slot, err := r.slot(t, model.RoughnessMap, where+", gloss texture")
	if err != nil || slot.Map == model.None {
		return err
	}
	if slot.Map, err = r.roughnessOf(slot.Map, gloss); err != nil {
		return fmt.Errorf("%s: %w", where, err)
	}
	s.Slots[model.RoughnessMap], s.Roughness = slot, 1
	return nil
}

// roughnessOf is a map of roughness from the gloss in another's alpha.
func (r *reader) roughnessOf(at int, gloss float64) (int, error) {
	src := r.out.Maps[at]
	if src.Data == nil {
		return at, nil
	}
	img, err := src.Picture()
	if err != nil {
		r.out.Warn("%v", err)
		return at, nil
	}
	out := image.NewGray(img.Rect)
	for i := range out.Pix {
		out.Pix[i] = uint8(255 - gloss*float64(img.Pix[4*i+3]) + 0.5)
	}
	return r.out.AddPicture(src.Name+model.AsRoughness, model.RoughnessMap, src.Status, out)
}
