package usd

import (
	"archive/zip"
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"visator/core/geom"
	"visator/core/model"
)

const scene = `#usda 1.0
(
    "a test" doc = """two
lines"""
    defaultPrim = "World"
    metersPerUnit = 0.0254
    upAxis = "Z"
    customLayerData = { string author = "Ada Example" double[] x = [1, 2] }
)

def Xform "World" (kind = "component")
{
    double3 xformOp:translate = (10, 0, 0)
    float3 xformOp:rotateXYZ = (0, 0, 90)
    uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ"] # order counts

    def Mesh "Board" (prepend apiSchemas = ["MaterialBindingAPI"])
    {
        uniform bool doubleSided = 1
        uniform token subdivisionScheme = "none"
        int[] faceVertexCounts = [4, 3]
        int[] faceVertexIndices = [0, 1, 2, 3, 3, 2, 4]
        point3f[] points = [(0, 0, 0), (2, 0, 0), (2, 1, 0), (0, 1, 0), (1, 3, 0)]
        texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1), (0.5, 0.5)] (interpolation = "faceVarying")
        int[] primvars:st:indices = [0, 1, 2, 3, 3, 2, 4]
        rel material:binding = </World/Looks/Wood>
        def GeomSubset "tip"
        {
            uniform token elementType = "face"
            int[] indices = [1]
            rel material:binding = </World/Looks/Glass>
        }
    }
    def Scope "Looks"
    {
        def Material "Wood"
        {
            token outputs:surface.connect = </World/Looks/Wood/S.outputs:surface>
            def Shader "S"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor.connect = </World/Looks/Wood/T.outputs:rgb>
                float inputs:roughness.connect = </World/Looks/Wood/R.outputs:g>
                float inputs:metallic = 0.25
                token outputs:surface
            }
            def Shader "T"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./tex/wood.png@
                token inputs:wrapS = "mirror"
                float2 inputs:st.connect = </World/Looks/Wood/X.outputs:result>
            }
            def Shader "R"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @tex/orm.png@
            }
            def Shader "X"
            {
                uniform token info:id = "UsdTransform2d"
                float2 inputs:scale = (2, 3)
            }
        }
        def Material "Glass"
        {
            token outputs:surface.connect = </World/Looks/Glass/S.outputs:surface>
            def Shader "S"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor = (0.1, 0.2, 0.3)
                float inputs:opacity = 0.5
                float inputs:clearcoat = 0.75
                int inputs:useSpecularWorkflow = 1
                color3f inputs:specularColor = (0.5, 0.25, 0.04)
            }
        }
    }
    def Camera "Eye" { float focalLength = 35  float horizontalAperture = 36  float verticalAperture = 24  float2 clippingRange = (1, 500) }
    def SphereLight "Lamp" { float inputs:intensity = 100  float inputs:radius = 1  color3f inputs:color = (1, 0.5, 0) }
    def Mesh "Hidden" { token visibility = "invisible"  int[] faceVertexCounts = [3]  int[] faceVertexIndices = [0, 1, 2]  point3f[] points = [(0,0,0), (99,0,0), (0,99,0)] }
}
`

func pictureOf(t testing.TB, c color.NRGBA) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 1, 1))
	img.SetNRGBA(0, 0, c)
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

func folder(t testing.TB, list ...string) model.Folder {
	root := fstest.MapFS{"tex/wood.png": {Data: pictureOf(t, color.NRGBA{1, 2, 3, 255})},
		"tex/orm.png": {Data: pictureOf(t, color.NRGBA{10, 20, 30, 255})}}
	for i := 0; i+1 < len(list); i += 2 {
		root[list[i]] = &fstest.MapFile{Data: []byte(list[i+1])}
	}
	return model.Folder{Root: root}
}

func read(t *testing.T, data string, f model.Folder) *model.Model {
	t.Helper()
	m, err := Read("a.usda", []byte(data), f)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func checkScene(t *testing.T, m *model.Model) {
	t.Helper()
	if m.Unit.MetresPerUnit != 0.0254 || m.Unit.From != "header" || m.Up != "Z" {
		t.Errorf("%+v %s", m.Unit, m.Up)
	}
	// Turned by 90 degrees about Z, then moved by 10 along X.
	b := m.Bounds()
	if b.Min.Sub(geom.V{X: 7, Y: 0}).Len() > 1e-6 || b.Max.Sub(geom.V{X: 10, Y: 2}).Len() > 1e-6 {
		t.Errorf("%+v", b)
	}
	if w := m.Weigh(); w.Triangles != 3 || w.Parts != 2 || len(m.Warnings) != 1 {
		t.Errorf("%+v, %q", w, m.Warnings)
	}
	var wood, glass *model.Surface
	for i := range m.Surfaces {
		switch m.Surfaces[i].Name {
		case "Wood":
			wood = &m.Surfaces[i]
		case "Glass":
			glass = &m.Surfaces[i]
		}
	}
	slot := wood.Slots[model.BaseColorMap]
	if m.Maps[slot.Map].Status != model.Found || slot.WrapS != model.Mirror || slot.Scale != [2]float64{2, 3} ||
		slot.Offset != [2]float64{0, -2} || !wood.DoubleSided || wood.Metallic != 0.25 {
		t.Errorf("%+v", wood)
	}
	rough, err := m.Maps[wood.Slots[model.RoughnessMap].Map].Picture()
	if err != nil || rough.NRGBAAt(0, 0).R != 20 {
		t.Errorf("roughness out of green: %v, %v", rough, err)
	}
	off := 0.0
	for i, want := range []float64{0.1, 0.2, 0.3, 0.5} {
		off = max(off, math.Abs(glass.BaseColor[i]-want))
	}
	// Straight on it mirrors what is told: of glass with an index of 1.5 that is 4 % times a tint.
	for i, want := range []float64{0.5, 0.25, 0.04} {
		off = max(off, math.Abs(glass.SpecularTint[i]*0.04-want))
	}
	if glass.Coat != 0.75 || glass.CoatRoughness != 0.01 || glass.Metallic != 0 || wood.Coat != 0 {
		t.Errorf("%+v", glass)
	}
	if off > 1e-6 || glass.Alpha != model.Blend {
		t.Errorf("%+v", glass)
	}
	if c := m.Cameras[0]; math.Abs(c.YFov-2*math.Atan(24.0/70)) > 1e-6 || c.Far != 500 {
		t.Errorf("%+v", c)
	}
	if l := m.Lights[0]; math.Abs(l.Intensity-100*math.Pi) > 1e-3 || l.Color[1] != 0.5 {
		t.Errorf("%+v", l)
	}
}

func TestATextSceneIsReadWhole(t *testing.T) { checkScene(t, read(t, scene, folder(t))) }

func TestAPackageIsRead(t *testing.T) {
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	f := folder(t).Root.(fstest.MapFS)
	for _, file := range []struct {
		name string
		data []byte
	}{{"main.usda", []byte(scene)}, {"tex/wood.png", f["tex/wood.png"].Data}, {"tex/orm.png", f["tex/orm.png"].Data}} {
		w, _ := z.CreateHeader(&zip.FileHeader{Name: file.name, Method: zip.Store})
		_, _ = w.Write(file.data)
	}
	_ = z.Close()
	m, err := Read("a.usdz", buf.Bytes(), model.Folder{Root: fstest.MapFS{}})
	if err != nil || m.Format != "USDZ" {
		t.Fatal(err)
	}
	checkScene(t, m)
	if m.Maps[0].Name != "tex/wood.png" && m.Maps[0].Name != "tex/orm.png" {
		t.Errorf("%q", m.Maps[0].Name)
	}
}

const tri = `int[] faceVertexCounts = [3]  int[] faceVertexIndices = [0, 1, 2]  point3f[] points = [(0,0,0), (1,0,0), (0,1,0)]`

// A reference brings a subtree, its paths follow, a stronger opinion wins; the
// payload lies in a folder of its own and finds its texture there.
func TestReferencesPayloadsVariantsAndClasses(t *testing.T) {
	part := `#usda 1.0
( defaultPrim = "Part" )
class "_Base" { custom int marker = 1
 def Mesh "FromClass" { ` + tri + ` } }
def Xform "Part" (inherits = </_Base>  variants = { string size = "small" }  prepend variantSets = "size")
{
    def Mesh "M" { ` + tri + `  rel material:binding = </Part/Mat> }
    def Material "Mat" { token outputs:surface.connect = </Part/Mat/S.outputs:surface>
        def Shader "S" { uniform token info:id = "UsdPreviewSurface"  color3f inputs:diffuseColor.connect = </Part/Mat/T.outputs:rgb> }
        def Shader "T" { uniform token info:id = "UsdUVTexture"  asset inputs:file = @maps/a.png@ } }
    variantSet "size" = {
        "small" { }
        "large" { def Mesh "Extra" { ` + tri + ` } }
    }
}
`
	top := `#usda 1.0
( subLayers = [ @over.usda@ ] )
def Xform "A" ( references = @lib/part.usda@ )
{
}
def Xform "B" ( payload = @lib/part.usda@</Part>  variants = { string size = "large" } )
{
    double3 xformOp:translate = (5, 0, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    over "M" { point3f[] points = [(0,0,0), (2,0,0), (0,2,0)] }
}
def Xform "C" ( prepend references = [ </A>, @gone.usda@ ] ) { }
`
	m := read(t, top, folder(t, "lib/part.usda", part, "lib/maps/a.png",
		string(pictureOf(t, color.NRGBA{9, 9, 9, 255})),
		"over.usda", "#usda 1.0\nover \"A\" { double3 xformOp:translate = (0, 0, 7)\n uniform token[] xformOpOrder = "+
			"[\"xformOp:translate\"] }\n"))
	// A, C: two meshes each; B: three.
	if w := m.Weigh(); w.Triangles != 7 {
		t.Errorf("%+v", w)
	}
	if b := m.Bounds(); b.Max.Sub(geom.V{X: 7, Y: 2, Z: 7}).Len() > 1e-6 {
		t.Errorf("%+v", b)
	}
	if len(m.Maps) != 1 || m.Maps[0].Status != model.Found || len(m.Surfaces) != 3 {
		t.Errorf("maps %+v, %d surfaces", m.Maps, len(m.Surfaces))
	}
	if len(m.Warnings) != 1 || !strings.Contains(m.Warnings[0], "gone.usda") {
		t.Errorf("%q", m.Warnings)
	}
}

func TestPointInstancersSolidsAndTimes(t *testing.T) {
	m := read(t, `#usda 1.0
(
    metersPerUnit = 1
)
def PointInstancer "P"
{
    int[] protoIndices = [0, 1, 0]
    point3f[] positions = [(0,0,0), (10,0,0), (20,0,0)]
    quath[] orientations = [(1,0,0,0), (0.7071,0,0,0.7071), (1,0,0,0)]
    float3[] scales = [(1,1,1), (2,2,2), (1,1,1)]
    int64[] invisibleIds = [2]
    rel prototypes = [ </P/Proto/Box>, </P/Proto/Rod> ]
    def Scope "Proto"
    {
        def Cube "Box" { double size = 1 }
        def Cylinder "Rod" { double height = 4  double radius = 0.5  uniform token axis = "X" }
    }
}
def Sphere "Ball" {
    double radius = 1
    double3 xformOp:translate.timeSamples = { 1: (0, 5, 0), 10: (0, 9, 0) }
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
`, folder(t))
	b := m.Bounds()
	// The rod, 4 long along X, is turned to Y, twice as large: 8 long.
	if math.Abs(b.Min.Y+4) > 1e-3 || math.Abs(b.Max.X-11) > 1e-3 || math.Abs(b.Max.Y-6) > 1e-3 {
		t.Errorf("%+v", b)
	}
	if len(m.Meshes) != 3 {
		t.Errorf("%d meshes", len(m.Meshes))
	}
	for i := range m.Meshes { // every face looks outwards
		p := &m.Meshes[i].Parts[0]
		v := 0.0
		for k := 0; k < len(p.Indices); k += 3 {
			v += p.Position(p.Indices[k]).Dot(p.Position(p.Indices[k+1]).Cross(p.Position(p.Indices[k+2])))
		}
		if v <= 0 {
			t.Errorf("%s is inside out", m.Meshes[i].Name)
		}
	}
}

func TestWhatIsWrongIsSaid(t *testing.T) {
	mesh := func(s string) string { return "#usda 1.0\ndef Mesh \"M\" { " + s + " }\n" }
	for name, c := range map[string]struct{ data, say string }{
		"other":   {"PK no", "not a package"},
		"nothing": {"solid", "does not begin as USD does"},
		"cut":     {"#usda 1.0\ndef Xform \"A\" {\n def Mesh \"B\" {", "ends within a prim"},
		"word":    {"#usda 1.0\n\ndef Xform \"A\" {\n float x = (1, }\n", "line 4"},
		"circle":  {"#usda 1.0\ndef \"A\" ( references = @b.usda@ ) { }", "in a circle"},
		"self":    {"#usda 1.0\n( subLayers = [@a.usda@] )\ndef \"A\" { }", "in a circle"},
		"index":   {mesh(`int[] faceVertexCounts = [3]  int[] faceVertexIndices = [0, 1, 9]  point3f[] points = [(0,0,0), (1,0,0), (0,1,0)]`), "names point 9, there are 3"},
		"corners": {mesh(`int[] faceVertexCounts = [3, 3]  int[] faceVertexIndices = [0, 1, 2]  point3f[] points = [(0,0,0), (1,0,0), (0,1,0)]`), "have 6 corners, 3 are there"},
		"primvar": {mesh(tri + ` texCoord2f[] primvars:st = [(0, 0)] (interpolation = "vertex")`),
			"uv: a value for face 0"},
		"matrix": {"#usda 1.0\ndef Xform \"A\" { matrix4d xformOp:transform = (1, 2)\n uniform token[] xformOpOrder = " +
			"[\"xformOp:transform\"] }", "16 numbers"},
	} {
		f := folder(t, "b.usda", "#usda 1.0\n( defaultPrim = \"B\" )\ndef \"B\" ( references = @c.usda@ ) { }",
			"c.usda", "#usda 1.0\n( defaultPrim = \"C\" )\ndef \"C\" ( references = @b.usda@ ) { }", "a.usda",
			"#usda 1.0\n( subLayers = [@a.usda@] )\n")
		if _, err := Read("a.usda", []byte(c.data), f); err == nil || !strings.Contains(err.Error(), c.say) ||
			!strings.HasPrefix(err.Error(), "a.usda") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// What lies outside of the folder is not opened, and does not keep the rest out.
func TestNothingOutsideIsOpened(t *testing.T) {
	for _, ref := range []string{"../../etc/passwd", "/etc/passwd", "http://x/y.usda", "C:/props/lamp.usda"} {
		m, err := Read("a.usda", []byte("#usda 1.0\ndef \"A\" ( references = @"+ref+"@ ) { def Mesh \"M\" { "+tri+
			" } }\n"), folder(t))
		if err != nil || m.Weigh().Triangles != 1 {
			t.Errorf("%s: %v", ref, err)
			continue
		}
		if !slices.ContainsFunc(m.Warnings,
			func(w string) bool { return strings.Contains(w, "is not there: it lies outside") }) {
			t.Errorf("%s: nothing is said: %q", ref, m.Warnings)
		}
	}
	// By its last name it is found again.
	m, err := Read("a.usda", []byte("#usda 1.0\ndef \"A\" ( references = @C:/props/lamp.usda@ ) { }\n"),
		folder(t, "lamp.usda", "#usda 1.0\n( defaultPrim = \"M\" )\ndef Mesh \"M\" { "+tri+" }\n"))
	if err != nil || m.Weigh().Triangles != 1 || len(m.Warnings) > 0 {
		t.Errorf("beside: %v, %q", err, m.Warnings)
	}
}

// Each prim holds two references to the next: 2^30 prims.
func TestReferencesThatMultiplyAreRefused(t *testing.T) {
	var b strings.Builder
	b.WriteString("#usda 1.0\n")
	for i := range 30 {
		fmt.Fprintf(&b,
			"def \"N%d\" { def \"x\" ( references = </N%d> ) { }\n def \"y\" ( references = </N%d> ) { } }\n", i,
			i+1, i+1)
	}
	if _, err := Read("a.usda", []byte(b.String()), folder(t)); err == nil || !strings.Contains(err.Error(), "prims") {
		t.Error(err)
	}
}

func FuzzReadText(f *testing.F) {
	f.Add([]byte(scene))
	f.Fuzz(func(t *testing.T, data []byte) { fuzz(t, append([]byte("#usda 1.0\n"), data...)) })
}

func fuzz(t *testing.T, data []byte) {
	m, err := Read("f.usd", data, model.Folder{Root: fstest.MapFS{}})
	if err != nil {
		return
	}
	for i := range m.Meshes {
		for k := range m.Meshes[i].Parts {
			if err := m.Meshes[i].Parts[k].Check("part"); err != nil {
				t.Error(err)
			}
		}
	}
}
