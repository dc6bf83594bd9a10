package maps

import "testing"

// Names as they are met in downloads, invented here after the trade's habits
// (common practice, from memory): the role, the stem that must be left, and
// for packed maps what lies in red, green, blue and alpha.
var names = []struct {
	file, role, stem string
}{
	{"Wood_BaseColor.png", "base colour", "wood"}, {"wood_basecolor_4k.jpg", "base colour",
		"wood"}, {"Wood_Base_Color.png", "base colour", "wood"},
	{"wood-base-color.tga", "base colour", "wood"}, {"WoodBaseColor.png", "base colour", "wood"},
	{"wood_basecolour.png", "base colour", "wood"},
	{"wood_albedo.png", "base colour", "wood"}, {"WoodAlbedo.jpeg", "base colour", "wood"},
	{"wood_alb.png", "base colour", "wood"},
	{"wood_diffuse.jpg", "base colour", "wood"}, {"wood_diff_2k.jpg", "base colour", "wood"},
	{"wood_dif.bmp", "base colour", "wood"},
	{"wood_D.tga", "base colour", "wood"}, {"T_Wood_D.png", "base colour", "wood"},
	{"T_Wood_BC.png", "base colour", "wood"},
	{"wood_col.png", "base colour", "wood"}, {"wood_COL_4K.png", "base colour", "wood"},
	{"wood_color.png", "base colour", "wood"},
	{"Wood049_1K_Color.png", "base colour", "wood049"}, {"wood_colour.png", "base colour", "wood"},
	{"wood_c.png", "base colour", "wood"},
	{"wood_diffuse_map.png", "base colour", "wood"}, {"wood diffuse.png", "base colour", "wood"},
	{"wood.diffuse.png", "base colour", "wood"},
	{"wood_AlbedoTransparency.png", "base colour", "wood"}, {"wooddiffuse.jpg", "base colour", "wood"},
	{"diffuse_wood.jpg", "base colour", "wood"},
	{"wood_rgb.png", "base colour", "wood"}, {"wood_base.png", "base colour", "wood"},
	{"Wood_Diffuse_01.png", "base colour", "wood 01"},
	{"wood_albedo_1001.png", "base colour", "wood"}, {"wood_BaseColor.1012.exr", "base colour", "wood"},
	{"wood_diffuse_u2_v1.png", "base colour", "wood"},
	{"M_Wood_Albedo.png", "base colour", "wood"}, {"maps/deep/Wood_Diffuse.PNG", "base colour", "wood"},
	{`C:\work\tex\wood_diff.jpg`, "base colour", "wood"},
	{"diffuse.png", "base colour", ""}, {"BaseColor.png", "base colour", ""}, {"albedo-2048.png", "base colour", ""},
	{"wood_Diffuse_Color.png", "base colour", "wood"}, {"wood_albedo_2048x2048.png", "base colour", "wood"},
	{"wood_diff_raw.png", "base colour", "wood"},

	{"wood_normal.png", "normal", "wood"}, {"wood_normals.png", "normal", "wood"}, {"wood_nrm.png", "normal", "wood"},
	{"wood_nor.png", "normal", "wood"},
	{"wood_norm.jpg", "normal", "wood"}, {"wood_N.png", "normal", "wood"}, {"T_Wood_N.tga", "normal", "wood"},
	{"wood_NormalMap.png", "normal", "wood"},
	{"wood_normal_map.png", "normal", "wood"}, {"wood_nml.png", "normal", "wood"}, {"wood_NRM_4K.jpg", "normal",
		"wood"},
	{"woodNormal.png", "normal", "wood"},
	{"normal.png", "normal", ""}, {"wood_nm.png", "normal", "wood"}, {"WoodNormal_2k.png", "normal", "wood"},
	{"wood_normal2.png", "normal", "wood 2"},
	{"wood_nrml.png", "normal", "wood"}, {"wood_tangent_normal.png", "normal", "wood"},
	{"wood_ddn.tif", "normal", "wood"},

	{"wood_roughness.png", "roughness", "wood"}, {"wood_rough.png", "roughness", "wood"},
	{"wood_rgh.png", "roughness", "wood"}, {"wood_R.png", "roughness", "wood"},
	{"WoodRoughness.jpg", "roughness", "wood"}, {"wood_rough_8k.exr", "roughness", "wood"},
	{"wood_Roughness_Map.png", "roughness", "wood"}, {"roughness_wood.png", "roughness", "wood"},
	{"wood_roughness_1k.jpg", "roughness", "wood"}, {"Wood049_2K_Roughness.jpg", "roughness", "wood049"},
	{"wood_rou.png", "roughness", "wood"},

	{"wood_gloss.png", "gloss", "wood"}, {"wood_glossiness.png", "gloss", "wood"}, {"wood_GLOSS_4K.jpg", "gloss",
		"wood"},
	{"wood_smoothness.png", "gloss", "wood"},
	{"wood_smooth.png", "gloss", "wood"}, {"wood_g.png", "gloss", "wood"}, {"WoodGloss.png", "gloss", "wood"},
	{"wood_gls.png", "gloss", "wood"},

	{"rail_metallic.png", "metallic", "rail"}, {"rail_metalness.png", "metallic", "rail"},
	{"rail_metal.png", "metallic", "rail"}, {"rail_met.png", "metallic", "rail"},
	{"rail_M.png", "metallic", "rail"}, {"rail_mtl.png", "metallic", "rail"}, {"RailMetallic.jpg", "metallic", "rail"},
	{"rail_Metalness_2k.png", "metallic", "rail"},
	{"rail_metallic_map.png", "metallic", "rail"}, {"Metal012_1K_Metalness.png", "metallic", "metal012"},

	{"wood_specular.png", "specular", "wood"}, {"wood_spec.png", "specular", "wood"}, {"wood_S.tga", "specular",
		"wood"},
	{"wood_SPEC_2K.jpg", "specular", "wood"},
	{"wood_refl.png", "specular", "wood"}, {"wood_reflection.png", "specular", "wood"},
	{"wood_SpecularColor.png", "specular", "wood"}, {"wood_specular_level.png", "specular", "wood"},

	{"wood_ao.png", "occlusion", "wood"}, {"wood_AO_4K.png", "occlusion", "wood"},
	{"wood_ambient_occlusion.png", "occlusion", "wood"}, {"WoodAmbientOcclusion.png", "occlusion", "wood"},
	{"wood_occlusion.png", "occlusion", "wood"}, {"wood_occ.png", "occlusion", "wood"},
	{"wood_AmbientOcclusionMap.png", "occlusion", "wood"}, {"wood_mixed_ao.png", "occlusion", "wood"},
	{"ao.png", "occlusion", ""}, {"Wood049_1K_AmbientOcclusion.jpg", "occlusion", "wood049"},
	{"wood_O.png", "occlusion", "wood"},

	{"leaf_opacity.png", "opacity", "leaf"}, {"leaf_alpha.png", "opacity", "leaf"}, {"leaf_mask.png", "opacity",
		"leaf"},
	{"leaf_transparency.png", "opacity", "leaf"},
	{"leaf_op.png", "opacity", "leaf"}, {"leaf_cutout.png", "opacity", "leaf"},
	{"leaf_Opacity_2k.jpg", "opacity", "leaf"}, {"LeafAlpha.png", "opacity", "leaf"},
	{"leaf_opacity_map.png", "opacity", "leaf"}, {"leaf_transp.png", "opacity", "leaf"},
	{"leaf_alpha_mask.png", "opacity", "leaf"},

	{"lamp_emissive.png", "emissive", "lamp"}, {"lamp_emission.png", "emissive", "lamp"},
	{"lamp_emit.png", "emissive", "lamp"}, {"lamp_glow.png", "emissive", "lamp"},
	{"lamp_E.png", "emissive", "lamp"}, {"LampEmissive.png", "emissive", "lamp"},
	{"lamp_emissive_color.png", "emissive", "lamp"}, {"lamp_selfillum.png", "emissive", "lamp"},
	{"lamp_self_illumination.png", "emissive", "lamp"}, {"lamp_emis.png", "emissive", "lamp"},

	{"wall_height.png", "height", "wall"}, {"wall_displacement.exr", "height", "wall"},
	{"wall_disp.png", "height", "wall"}, {"wall_DISP_4K.tif", "height", "wall"},
	{"wall_bump.png", "height", "wall"}, {"wall_bump_map.jpg", "height", "wall"}, {"wall_H.png", "height", "wall"},
	{"WallHeight.png", "height", "wall"},
	{"wall_parallax.png", "height", "wall"}, {"wall_depth.png", "height", "wall"},
	{"wall_HeightMap_16bit.png", "height", "wall"}, {"Wall_B.png", "height", "wall"},
	{"glass_transmission.png", "transmission", "glass"},

	{"crate_ORM.png", "packed", "crate"}, {"crate_arm_2k.jpg", "packed", "crate"}, {"crate_RMA.png", "packed", "crate"},
	{"T_Crate_ORM.tga", "packed", "crate"},
	{"crate_OcclusionRoughnessMetallic.png", "packed", "crate"}, {"crate_metallicRoughness.png", "packed", "crate"},
	{"crate_MetallicSmoothness.png", "packed", "crate"},
	{"crate_mrao.png", "packed", "crate"}, {"crate_occlusion_roughness_metallic.png", "packed", "crate"},
	{"crate_metal_rough.png", "packed", "crate"},

	// Names that tell no role: the picture stays to be assigned by hand.
	{"metal_plate_01.png", "", "metal plate 01"}, {"crate.png", "", "crate"}, {"IMG_2041.jpg", "",
		"img 2041"}, {"readme.png", "", "readme"},
	{"rough_stone_wall.jpg", "", "rough stone wall"}, {"base_metal_plate_03.png", "", "base metal plate 03"},
	{"n.png", "", "n"}, {"wood.png", "", "wood"},
	{"colour chart.jpg", "", "colour chart"}, {"preview.jpg", "", "preview"},
}

func TestNamesTellRoles(t *testing.T) {
	if len(names) < 150 {
		t.Errorf("only %d names", len(names))
	}
	for _, c := range names {
		if n := Parse(c.file); string(n.Role) != c.role || n.Stem != c.stem {
			t.Errorf("%s: %q of %q, want %q of %q", c.file, n.Role, n.Stem, c.role, c.stem)
		}
	}
}

func TestNamesTellMore(t *testing.T) {
	for file, sense := range map[string]Sense{"a_normal_gl.png": OpenGL, "a_NormalGL.png": OpenGL,
		"a_nor_gl_4k.exr": OpenGL, "a_Normal_OpenGL.png": OpenGL, "a_normal-ogl.png": OpenGL,
		"a_normal_dx.png": DirectX, "a_NormalDX.png": DirectX, "a_Normal_DirectX.png": DirectX,
		"a_nrm_dx_2k.jpg": DirectX,
		"a_normal.png":    Unknown} {
		if n := Parse(file); n.Role != Normal || n.Sense != sense || n.Stem != "a" {
			t.Errorf("%s: %+v, want %q", file, n, sense)
		}
	}
	for file, px := range map[string]int{"a_diff_2k.png": 2048, "a_4096_diff.png": 4096, "a_diff_1024x1024.png": 1024,
		"a_diff_512px.png": 512, "a_diff.png": 0, "a2k_diff.png": 0} {
		if n := Parse(file); n.Resolution != px {
			t.Errorf("%s: %d pixels, want %d", file, n.Resolution, px)
		}
	}
	for file, tile := range map[string]int{"a_diff_1001.png": 1001, "a_diff.1023.png": 1023, "a_diff_u1_v2.png": 1011,
		"a_diff_0999.png": 0, "1001.png": 0} {
		if n := Parse(file); n.Tile != tile {
			t.Errorf("%s: tile %d, want %d", file, n.Tile, tile)
		}
	}
	for file, want := range map[string][4]Role{"a_ORM.png": {Occlusion, Roughness, Metallic},
		"a_RMA.png": {Roughness, Metallic, Occlusion}, "a_metallicSmoothness.png": {Metallic, None, None, Gloss},
		"a_metallicRoughness.png": {None, Roughness, Metallic}} {
		if n := Parse(file); n.Channels != want {
			t.Errorf("%s: %v", file, n.Channels)
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, c := range names {
		f.Add(c.file)
	}
	f.Fuzz(func(t *testing.T, s string) { Parse(s) })
}

// A mask map is packed; a mask cuts out. Of tiles the first is taken, and how many there
// are is known.
func TestMaskMapsAndTiles(t *testing.T) {
	for _, f := range []string{"Wall_MaskMap.png", "wall_mask_map_2k.tga", "T_Wall_MaskMap.png"} {
		if n := Parse(f); n.Role != Packed || n.Channels != [4]Role{Metallic, Occlusion, None, Gloss} ||
			n.Stem != "wall" {
			t.Errorf("%s: %+v", f, n)
		}
	}
	if n := Parse("leaf_mask.png"); n.Role != Opacity {
		t.Errorf("%+v", n)
	}
	files := []string{"bark_Roughness_1002.png", "bark_Roughness_1001.png", "bark_Roughness_1011.png",
		"bark_Normal.png"}
	for _, m := range Find([]Need{{Name: "bark", Role: Roughness}, {Name: "bark", Role: Normal}}, files, 1) {
		want := map[Role]int{Roughness: 3, Normal: 0}[m.Need.Role]
		if m.Tiles != want || m.Need.Role == Roughness && m.File != "bark_Roughness_1001.png" {
			t.Errorf("%+v", m)
		}
	}
}
