package gltf

// consequence says what an extension that is not read here means for what is seen. What
// has none, such as notes of a program for itself, is "".
var consequence = map[string]string{
	"KHR_materials_volume_scatter": "its wax, skin or milk looks solid",
	"EXT_mesh_gpu_instancing":      "copies that it repeats are missing: one of each is there",
	"KHR_node_visibility":          "what was switched off in it is shown",
	"KHR_texture_basisu": "its maps in KTX2 are not read; their plain versions are taken where it has " +
		"them",
	"MSFT_texture_dds": "its maps in DDS are not read; their plain versions are taken where it has them",
	"EXT_texture_avif": "its maps in AVIF are not read; their plain versions are taken where it has " +
		"them",
	"EXT_lights_image_based": "the surroundings that light it are left out",
	"KHR_audio_emitter":      "", "KHR_audio_graph": "", "KHR_animation_pointer": "", "KHR_xmp": "",
	"KHR_xmp_json_ld":  "",
	"FB_ngon_encoding": "", "MSFT_lod": "", "MSFT_screencoverage": "", "EXT_mesh_features": "",
	"EXT_structural_metadata": "",
	"KHR_interactivity":       "", "KHR_node_selectability": "", "KHR_node_hoverability": "", "VRM": "",
	"KHR_techniques_webgl": "its shading by program code is left out",
}

// tellExtensions says what is lost by extensions that the file uses and that are not read.
func (r *reader) tellExtensions(names []string) {
	for _, e := range names {
		what, ok := consequence[e]
		switch {
		case !ok:
			r.out.Warn("it uses %.100s, which is not known here: something of it may look different", e)
		case what != "":
			r.out.Warn("%s (%s)", what, e)
		}
	}
}
