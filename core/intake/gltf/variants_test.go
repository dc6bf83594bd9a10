package gltf

import (
	"slices"
	"strings"
	"testing"

	"visator/core/model"
)

// Variants as KHR_materials_variants writes them: their names, and which material a primitive has in which.
func TestVariantsAreRead(t *testing.T) {
	ext := map[string]any{"mappings": []any{map[string]any{"material": 1, "variants": []any{0, 2}},
		map[string]any{"material": 0, "variants": []any{1}}}}
	f := triangle(map[string]any{"material": 0, "extensions": map[string]any{"KHR_materials_variants": ext}},
		0, 0, 0, 1, 0, 0, 0, 1, 0)
	f.doc["materials"] = []any{map[string]any{"name": "oak"}, map[string]any{"name": "ash"}}
	f.doc["extensionsUsed"] = []string{"KHR_materials_variants"}
	f.doc["extensionsRequired"] = []string{"KHR_materials_variants"}
	names := []any{map[string]any{"name": "light"}, map[string]any{"name": "dark"}, map[string]any{"name": "light"}}
	f.doc["extensions"] = map[string]any{"KHR_materials_variants": map[string]any{"variants": names}}
	m := read(t, f.bytes())
	if !slices.Equal(m.Variants, []string{"light", "dark", "light 3"}) {
		t.Errorf("%q", m.Variants)
	}
	for name, want := range map[string]string{"light": "ash", "dark": "oak", "light 3": "ash", "": "oak", "none": "oak"} {
		if got := m.Surfaces[m.Variant(name).Meshes[0].Parts[0].Surface].Name; got != want {
			t.Errorf("%s is of %s", name, got)
		}
	}
	for _, bad := range []any{map[string]any{"material": 7, "variants": []any{0}},
		map[string]any{"material": 0, "variants": []any{3}}, map[string]any{"material": "x"}} {
		ext["mappings"] = []any{bad}
		if _, err := Read("test.gltf", f.bytes(), model.Folder{}); err == nil || !strings.Contains(err.Error(), "variant") {
			t.Errorf("%v: %v", bad, err)
		}
	}
}
