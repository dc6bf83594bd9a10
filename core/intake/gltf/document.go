package gltf

import "encoding/json"

// document mirrors the parts of the glTF 2.0 JSON that are read.
type document struct {
	Asset struct {
		Version, Generator, Copyright string
	}
	ExtensionsUsed, ExtensionsRequired []string
	Scene                              *int
	Scenes                             []struct {
		Name  string
		Nodes []int
	}
	Nodes       []node
	Meshes      []mesh
	Accessors   []accessor
	BufferViews []struct {
		Buffer                 int
		ByteOffset, ByteLength int64
		ByteStride             int
		Extensions             struct {
			Meshopt *meshoptView `json:"EXT_meshopt_compression"`
		}
	}
	Buffers []struct {
		URI        string
		ByteLength int64
	}
	Materials []material
	Textures  []struct {
		Source, Sampler *int
		Extensions      struct {
			WebP struct{ Source *int } `json:"EXT_texture_webp"`
		}
	}
	Images []struct {
		Name, URI, MimeType string
		BufferView          *int
	}
	Samplers []struct {
		MagFilter, WrapS, WrapT int
	}
	Cameras []struct {
		Name, Type  string
		Perspective struct {
			AspectRatio, Yfov, Znear, Zfar float64
		}
		Orthographic struct {
			Xmag, Ymag, Znear, Zfar float64
		}
	}
	Skins []struct {
		Joints              []int
		InverseBindMatrices *int
	}
	Extensions struct {
		Variants struct {
			Variants []struct{ Name string }
		} `json:"KHR_materials_variants"`
		Lights struct {
			Lights []struct {
				Name, Type string
				Color      []float64
				Intensity  *float64
				Range      float64
				Spot       struct {
					InnerConeAngle float64
					OuterConeAngle *float64
				}
			}
		} `json:"KHR_lights_punctual"`
	}
}

type node struct {
	Name                                 string
	Children                             []int
	Mesh, Camera, Skin                   *int
	Matrix, Translation, Rotation, Scale []float64
	Weights                              []float64
	Extensions                           struct {
		Lights struct{ Light *int } `json:"KHR_lights_punctual"`
	}
}

type mesh struct {
	Name       string
	Primitives []primitive
	Weights    []float64 // of the morph targets
}

type primitive struct {
	Attributes map[string]int
	Targets    []map[string]int
	Indices    *int
	Material   *int
	Mode       *int
	Extensions map[string]json.RawMessage
}

type accessor struct {
	BufferView    *int
	ByteOffset    int
	ComponentType int
	Normalized    bool
	Count         int
	Type          string
	Sparse        *sparse
}

type sparse struct {
	Count   int
	Indices struct {
		BufferView, ByteOffset, ComponentType int
	}
	Values struct{ BufferView, ByteOffset int }
}

type textureInfo struct {
	Index      *int
	TexCoord   int
	Scale      *float64
	Strength   *float64
	Extensions struct {
		Transform *struct {
			Offset, Scale []float64
			Rotation      float64
			TexCoord      *int
		} `json:"KHR_texture_transform"`
	}
}

type material struct {
	Name string
	PBR  struct {
		BaseColorFactor                            []float64
		MetallicFactor, RoughnessFactor            *float64
		BaseColorTexture, MetallicRoughnessTexture textureInfo
	} `json:"pbrMetallicRoughness"`
	NormalTexture, OcclusionTexture, EmissiveTexture textureInfo
	EmissiveFactor                                   []float64
	AlphaMode                                        string
	AlphaCutoff                                      *float64
	DoubleSided                                      bool
	Extensions                                       struct {
		EmissiveStrength struct{ EmissiveStrength *float64 } `json:"KHR_materials_emissive_strength"`
		Transmission     struct {
			TransmissionFactor  float64
			TransmissionTexture textureInfo
		} `json:"KHR_materials_transmission"`
		IOR      struct{ IOR *float64 } `json:"KHR_materials_ior"`
		Specular *struct {
			SpecularFactor                        *float64
			SpecularColorFactor                   []float64
			SpecularTexture, SpecularColorTexture textureInfo
		} `json:"KHR_materials_specular"`
		Coat *struct {
			ClearcoatFactor, ClearcoatRoughnessFactor                           float64
			ClearcoatTexture, ClearcoatRoughnessTexture, ClearcoatNormalTexture textureInfo
		} `json:"KHR_materials_clearcoat"`
		Sheen *struct {
			SheenColorFactor                         []float64
			SheenRoughnessFactor                     float64
			SheenColorTexture, SheenRoughnessTexture textureInfo
		} `json:"KHR_materials_sheen"`
		Brush *struct {
			AnisotropyStrength, AnisotropyRotation float64
			AnisotropyTexture                      textureInfo
		} `json:"KHR_materials_anisotropy"`
		Film *struct {
			IridescenceFactor                                        float64
			IridescenceIor                                           *float64
			IridescenceThicknessMinimum, IridescenceThicknessMaximum *float64
			IridescenceTexture, IridescenceThicknessTexture          textureInfo
		} `json:"KHR_materials_iridescence"`
		Volume *struct {
			ThicknessFactor     float64
			AttenuationDistance *float64
			AttenuationColor    []float64
		} `json:"KHR_materials_volume"`
		Dispersion struct{ Dispersion float64 } `json:"KHR_materials_dispersion"`
		Leaf       *struct {
			DiffuseTransmissionFactor                                   float64
			DiffuseTransmissionColorFactor                              []float64
			DiffuseTransmissionTexture, DiffuseTransmissionColorTexture textureInfo
		} `json:"KHR_materials_diffuse_transmission"`
		Unlit *struct{}   `json:"KHR_materials_unlit"`
		Gloss *glossiness `json:"KHR_materials_pbrSpecularGlossiness"`
	}
}

// meshoptView is a buffer view that is compressed (EXT_meshopt_compression).
type meshoptView struct {
	Buffer                 int
	ByteOffset, ByteLength int64
	ByteStride, Count      int
	Mode, Filter           string
}
