package exchange

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"

	"visator/core/model"
)

// PackMaps turns the single-value maps of other formats into those of glTF:
// roughness and metallic into one picture (green and blue), opacity into the
// alpha of the base colour. Maps that cannot be decoded are reported and
// left out.
func PackMaps(m *model.Model) {
	for i := range m.Surfaces {
		s := &m.Surfaces[i]
		rough, metal := s.Slots[model.RoughnessMap], s.Slots[model.MetallicMap]
		if s.Slots[model.MetalRoughMap].Map == model.None && (has(m, rough) || has(m, metal)) {
			base := rough
			if !has(m, base) {
				base = metal
			}
			a, b := picture(m, rough), picture(m, metal)
			pack(m, s, model.MetalRoughMap, base, fmt.Sprintf("%s metallic-roughness", s.Name), a, b,
				func(x, y *image.NRGBA, u, v float64) color.NRGBA {
					return color.NRGBA{255, value(x, u, v), value(y, u, v), 255}
				})
		}
		s.Slots[model.RoughnessMap], s.Slots[model.MetallicMap] = model.EmptySlot, model.EmptySlot
		if op := s.Slots[model.OpacityMap]; has(m, op) {
			a, b := picture(m, s.Slots[model.BaseColorMap]), picture(m, op)
			base := s.Slots[model.BaseColorMap]
			if base.Map == model.None {
				base = op
			}
			pack(m, s, model.BaseColorMap, base, fmt.Sprintf("%s base colour with opacity", s.Name), a, b,
				func(x, y *image.NRGBA, u, v float64) color.NRGBA {
					c := color.NRGBA{255, 255, 255, 255}
					if x != nil {
						c = at(x, u, v)
					}
					c.A = uint8(int(c.A) * int(value(y, u, v)) / 255)
					return c
				})
		}
		s.Slots[model.OpacityMap] = model.EmptySlot
	}
}

func has(m *model.Model, s model.Slot) bool { return s.Map != model.None && m.Maps[s.Map].Data != nil }

func picture(m *model.Model, s model.Slot) *image.NRGBA {
	if !has(m, s) {
		return nil
	}
	img, err := m.Maps[s.Map].Picture()
	if err != nil {
		m.Warn("%v", err)
		return nil
	}
	return img
}

func at(img *image.NRGBA, u, v float64) color.NRGBA {
	return img.NRGBAAt(int(u*float64(img.Rect.Dx())), int(v*float64(img.Rect.Dy())))
}

// value is the red of a picture, or white without one.
func value(img *image.NRGBA, u, v float64) uint8 {
	if img == nil {
		return 255
	}
	return at(img, u, v).R
}

func pack(m *model.Model, s *model.Surface, role model.Role, slot model.Slot, name string, a, b *image.NRGBA,
	mix func(a, b *image.NRGBA, u, v float64) color.NRGBA) {
	w, h := 0, 0
	for _, img := range []*image.NRGBA{a, b} {
		if img != nil {
			w, h = max(w, img.Rect.Dx()), max(h, img.Rect.Dy())
		}
	}
	if w == 0 {
		return
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := 0; y < h; y++ {
		for x := 0; x < w; x++ {
			out.SetNRGBA(x, y, mix(a, b, (float64(x)+0.5)/float64(w), (float64(y)+0.5)/float64(h)))
		}
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, out); err != nil {
		m.Warn("%s: %v", name, err)
		return
	}
	m.Maps = append(m.Maps, model.Map{Name: name, Role: role.String(), Status: model.Embedded, Mime: "image/png",
		Data: buf.Bytes()})
	slot.Map = len(m.Maps) - 1
	s.Slots[role] = slot
}
