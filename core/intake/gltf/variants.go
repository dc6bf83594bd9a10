package gltf

import (
	"encoding/json"
	"fmt"
)

// maxVariants bounds in how many variants a model comes: a catalogue's worth.
const maxVariants = 1000

// loadVariants reads in which variants the model comes (KHR_materials_variants).
func (r *reader) loadVariants() error {
	list := r.doc.Extensions.Variants.Variants
	if len(list) > maxVariants {
		return fmt.Errorf("it comes in %d variants: at most %d are read", len(list), maxVariants)
	}
	known := map[string]bool{}
	for i, v := range list {
		name := v.Name
		if name == "" || known[name] {
			name = fmt.Sprintf("%s %d", name, i+1)
		}
		known[name] = true
		r.out.Variants = append(r.out.Variants, name)
	}
	return nil
}

// variants are the materials of a primitive by the number of a variant.
func (r *reader) variants(p *primitive, where string) (of map[int]int, err error) {
	raw, ok := p.Extensions["KHR_materials_variants"]
	if !ok {
		return nil, nil
	}
	var ext struct {
		Mappings []struct {
			Material int
			Variants []int
		}
	}
	if err := json.Unmarshal(raw, &ext); err != nil {
		return nil, fmt.Errorf("%s: its variants cannot be read: %w", where, err)
	}
	of = map[int]int{}
	for _, m := range ext.Mappings {
		if m.Material < 0 || m.Material >= len(r.doc.Materials) {
			return nil, fmt.Errorf("%s: materials[%d] of a variant is not there", where, m.Material)
		}
		for _, v := range m.Variants {
			if v < 0 || v >= len(r.out.Variants) {
				return nil, fmt.Errorf("%s: the variant %d is not there", where, v)
			}
			of[v] = m.Material
		}
	}
	return of, nil
}
