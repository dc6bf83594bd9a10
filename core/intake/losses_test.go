package intake

import (
	"encoding/base64"
	"encoding/binary"
	"math"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"visator/core/model"
)

// gltfWith is a file of one triangle, with more beside it.
func gltfWith(material, more string) string {
	var b []byte
	for _, v := range []float32{0, 0, 0, 1, 0, 0, 0, 1, 0} {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v))
	}
	return `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"name":"board"}],
"meshes":[{"primitives":[{"attributes":{"POSITION":0},"material":0}]}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],
"bufferViews":[{"buffer":0,"byteLength":36}],
"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,` + base64.StdEncoding.EncodeToString(b) + `"}],
"materials":[` + material + `]` + more + `}`
}

const gloss = `{"name":"brass","extensions":{"KHR_materials_pbrSpecularGlossiness":{`

// colladaWith is a document with a board of two triangles and what is put beside it.
func colladaWith(libraries, nodes string) string {
	return `<?xml version="1.0"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1"><asset><up_axis>Y_UP</up_axis></asset>
<library_geometries><geometry id="g" name="board"><mesh>
 <source id="p"><float_array id="pa" count="9">0 0 0 1 0 0 0 1 0</float_array><technique_common><accessor source="#pa" count="3" stride="3"><param/><param/><param/></accessor></technique_common></source>
 <vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
 <triangles material="m" count="1"><input semantic="VERTEX" source="#v" offset="0"/><p>0 1 2</p></triangles>
</mesh></geometry></library_geometries>` + libraries +
		`<library_visual_scenes><visual_scene id="s"><node name="Board"><instance_geometry url="#g">
 <bind_material><technique_common><instance_material symbol="m" target="#wood"/></technique_common></bind_material></instance_geometry></node>` + nodes +
		`</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#s"/></scene></COLLADA>`
}

const (
	usdBoard = `#usda 1.0
(
    subLayers = [LAYERS]
)
def Mesh "Board"
{
    int[] faceVertexCounts = [3]
    int[] faceVertexIndices = [0, 1, 2]
    point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
    rel material:binding = </Wood>
}
`
	usdTiles = `def Material "Wood"
{
    token outputs:surface.connect = </Wood/S.outputs:surface>
    def Shader "S"
    {
        uniform token info:id = "UsdPreviewSurface"
        color3f inputs:diffuseColor.connect = </Wood/T.outputs:rgb>
    }
    def Shader "T"
    {
        uniform token info:id = "UsdUVTexture"
        asset inputs:file = @bark.<UDIM>.png@
    }
}
`
	objBoard = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
)

// usdWith is a scene made of layers, with more beside its board.
func usdWith(layers, more string) string {
	return strings.Replace(usdBoard, "LAYERS", layers, 1) + more
}

// What a file has and is not taken over is said, by what it means, once, in every
// format; and the rest of the file is read.
func TestEveryLossIsSaid(t *testing.T) {
	stl := make([]byte, 134)
	copy(stl, "COLOR=\xff\xff\xff\xff")
	stl[80] = 1
	for i, v := range []float32{0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0} {
		binary.LittleEndian.PutUint32(stl[84+4*i:], math.Float32bits(v))
	}
	stl[133] = 0x80
	effect := `<library_effects><effect id="fx"><profile_COMMON><newparam sid="surf"><surface><init_from>img</init_from></surface></newparam>
<newparam sid="samp"><sampler2D><source>surf</source></sampler2D></newparam><technique><phong><diffuse><texture texture="samp" texcoord="U"/></diffuse></phong></technique></profile_COMMON></effect></library_effects>
<library_materials><material id="wood" name="Wood"><instance_effect url="#fx"/></material></library_materials>`
	controller := `<library_controllers><controller id="c" name="flag">KIND</controller></library_controllers>`
	stands := `<node name="Flag"><instance_controller url="#c"/></node>`
	for name, c := range map[string]struct{ file, data, says string }{
		"mirror": {"a.gltf", gltfWith(gloss+`"specularFactor":[0.9,0.8,0.3]}}}`, ""),
			"brass mirrors like metal in its file, by specular colour; it is taken as no metal"},
		"specular": {"a.gltf", gltfWith(gloss+`"specularGlossinessTexture":{"index":0}}}}`,
			`,"textures":[{"source":0}],"images":[{"uri":"s.png"}]`), "metal in it looks like paint"},
		"coordinates": {"a.gltf", gltfWith(`{"pbrMetallicRoughness":{"baseColorTexture":{"index":0,"texCoord":3}}}`,
			`,"textures":[{"source":0}],"images":[{"uri":"s.png"}]`),
			"uses texture coordinates 3; only 0 and 1 are read"},
		"no picture": {"a.gltf", gltfWith(`{"pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}`,
			`,"textures":[{}]`), "has no picture that is read here"},
		"no image": {"a.gltf", gltfWith(`{"pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}`,
			`,"textures":[{"source":0}],"images":[{"uri":"data:image/png;base64,AAAA"}]`),
			"images[0]"},
		"unknown": {"a.gltf", gltfWith(`{}`, `,"extensionsUsed":["EX_of_nobody"]`),
			"it uses EX_of_nobody, which is not known here: something of it may look different"},
		"root": {"a.gltf",
			strings.Replace(strings.Replace(gltfWith(`{}`, ""), `"scenes":[{"nodes":[0]}]`,
				`"scenes":[{"nodes":[0,1]}]`, 1),
				`"nodes":[{"mesh":0,"name":"board"}]`,
				`"nodes":[{"mesh":0,"name":"board","children":[1]},{"name":"arm"}]`, 1),
			"nodes[1] is not a root"},
		"document": {"a.dae",
			colladaWith(`<library_materials><material id="wood" name="Wood"><instance_effect url="other.dae#fx"/></material></library_materials>`, ""),
			`"other.dae#fx" lies in another document, which is not read`},
		"effect": {"a.dae", colladaWith(`<library_materials><material id="wood" name="Wood"/></library_materials>`, ""),
			`material "Wood": its effect is not there`},
		"file": {"a.dae", colladaWith(`<library_images><image id="img" name="bark"/></library_images>`+effect, ""),
			`the image "bark" names no file`},
		"morph": {"a.dae", colladaWith(strings.Replace(controller, "KIND", `<morph source="#g"/>`, 1), stands),
			"shapes to morph into are left out"},
		"joints": {"a.dae",
			colladaWith(strings.Replace(controller, "KIND",
				`<skin source="#g"><joints/><vertex_weights count="0"/></skin>`, 1), stands),
			"its joints cannot be followed; it stands as it was modelled"},
		"spline": {"a.dae",
			colladaWith(`<library_geometries><geometry id="w" name="wire"><spline/></geometry></library_geometries>`,
				`<node name="Wire"><instance_geometry url="#w"/></node>`),
			`"wire": curves and convex hulls are not read; ask for an export as polygons`},
		"curves": {"a.obj", objBoard + "cstype bspline\ncurv 0 1 1 2 3\n",
			"free-form curves and surfaces are not read; ask for an export as polygons"},
		"call": {"a.obj", objBoard + "call other.obj\n", "call is not followed"},
		"number": {"a.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nvn 0 nan 1\nf 1//1 2//1 3//1\n",
			"a value is not a finite number and was read as 0"},
		"colours": {"a.stl", string(stl), `facet colours of the form "COLOR=" are not read`},
		"layer":   {"a.usda", usdWith("@gone.usda@", ""), `the layer "gone.usda" is not there`},
		"outside": {"a.usda", usdWith("@../../gone.usda@", ""), "is not there: it lies outside of the folder"},
		"tiles": {"a.usda", usdWith("", usdTiles),
			`"bark.<UDIM>.png" is a set of tiles; the first of them is used for all`},
		"hair": {"a.usda", usdWith("", "def BasisCurves \"Hair\"\n{\n}\n"),
			"a prim of the type BasisCurves is not read"},
		"prototype": {"a.usda",
			usdWith("", "def PointInstancer \"Trees\"\n{\n    int[] protoIndices = [0]\n    point3f[] "+
				"positions = [(0, 0, 0)]\n    rel prototypes = [</Gone>]\n}\n"), `the prototype "/Gone" is not there`},
	} {
		root := fstest.MapFS{c.file: {Data: []byte(c.data)}}
		m, err := Read(c.file, []byte(c.data), model.Folder{Root: root})
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		said := 0
		for _, w := range m.Warnings {
			if strings.Contains(w, c.says) {
				said++
			}
		}
		if said != 1 {
			t.Errorf("%s: %q is said %d times: %q", name, c.says, said, m.Warnings)
		}
		if m.Weigh().Triangles == 0 {
			t.Errorf("%s: nothing of the rest came", name)
		}
	}
	if m, err := Read("a.gltf", []byte(gltfWith(`{}`, `,"extensionsUsed":["KHR_xmp_json_ld","MSFT_lod"]`)),
		model.Folder{}); err != nil || len(m.Warnings) > 0 {
		t.Errorf("what has no consequence is told: %v %q", err, m.Warnings)
	}
	m, err := Read("a.gltf",
		[]byte(strings.Replace(gltfWith(`{}`, ""), `"scenes":[{"nodes":[0]}]`, `"scenes":[{"nodes":[]}]`, 1)),
		model.Folder{})
	if err != nil || !slices.Contains(Describe("a.gltf", m).Warnings, "the file places nothing in its scene") {
		t.Errorf("an empty scene: %v", err)
	}
}
