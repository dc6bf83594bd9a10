package collada

import (
	"math"
	"strings"
	"testing"
	"testing/fstest"

	"visator/core/geom"
	"visator/core/model"
)

const head = `<?xml version="1.0"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset><contributor><author>A. Maker</author><copyright>CC0-1.0</copyright></contributor><unit name="inch" meter="0.0254"/><up_axis>Z_UP</up_axis></asset>
<library_images><image id="img"><init_from>file:///C:/tex/My%20Wood.png</init_from></image></library_images>
<library_effects><effect id="fx"><profile_COMMON>
 <newparam sid="surf"><surface type="2D"><init_from>img</init_from></surface></newparam>
 <newparam sid="samp"><sampler2D><source>surf</source><wrap_s>CLAMP</wrap_s></sampler2D></newparam>
 <technique sid="c"><phong><diffuse><texture texture="samp" texcoord="UV2"/></diffuse><transparent opaque="A_ONE"><color>1 1 1 0.5</color></transparent><shininess><float>64</float></shininess></phong></technique>
</profile_COMMON></effect></library_effects>
<library_materials><material id="wood" name="Wood"><instance_effect url="#fx"/></material></library_materials>
`
const quad = `<library_geometries><geometry id="g" name="board"><mesh>
 <source id="p"><float_array id="pa" count="12">0 0 0 2 0 0 2 1 0 0 1 0</float_array><technique_common><accessor source="#pa" count="4" stride="3"><param name="X"/><param name="Y"/><param name="Z"/></accessor></technique_common></source>
 <source id="n"><float_array id="na" count="3">0 0 1</float_array><technique_common><accessor source="#na" count="1" stride="3"><param/><param/><param/></accessor></technique_common></source>
 <source id="t"><float_array id="ta" count="8">0 0 1 0 1 1 0 1</float_array><technique_common><accessor source="#ta" count="4" stride="2"><param/><param/></accessor></technique_common></source>
 <vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
 PRIM
</mesh></geometry></library_geometries>
`
const scene = `<library_visual_scenes><visual_scene id="s">NODES</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#s"/></scene></COLLADA>`

const inputs = `<input semantic="VERTEX" source="#v" offset="0"/><input semantic="NORMAL" source="#n" offset="1"/><input semantic="TEXCOORD" source="#t" offset="2" set="1"/>`

func doc(prim, nodes string) []byte {
	return []byte(head + strings.Replace(quad, "PRIM", prim, 1) + strings.Replace(scene, "NODES", nodes, 1))
}

const board = `<node id="n1" name="Board"><translate>1 2 3</translate><rotate>0 0 1 90</rotate><scale>2 1 1</scale><instance_geometry url="#g"><bind_material><technique_common><instance_material symbol="m" target="#wood"><bind_vertex_input semantic="UV2" input_semantic="TEXCOORD" input_set="1"/></instance_material></technique_common></bind_material></instance_geometry></node>`

func TestEveryPrimitiveGivesItsTriangles(t *testing.T) {
	for name, c := range map[string]struct {
		prim string
		want int
	}{
		"triangles": {`<triangles material="m" count="2">` + inputs +
			`<p>0 0 0 1 0 1 2 0 2 0 0 0 2 0 2 3 0 3</p></triangles>`, 2},
		"polylist": {`<polylist material="m" count="1">` + inputs +
			`<vcount>4</vcount><p>0 0 0 1 0 1 2 0 2 3 0 3</p></polylist>`, 2},
		"thin": {`<polylist material="m" count="2">` + inputs +
			`<vcount>2 4</vcount><p>0 0 0 1 0 1 0 0 0 1 0 1 2 0 2 3 0 3</p></polylist>`, 2},
		"polygons": {`<polygons material="m" count="2">` + inputs +
			`<p>0 0 0 1 0 1 2 0 2 3 0 3</p><ph><p>0 0 0 1 0 1 2 0 2</p><h>1 0 0</h></ph></polygons>`, 3},
		"tristrips": {`<tristrips material="m" count="1">` + inputs + `<p>0 0 0 1 0 1 3 0 3 2 0 2</p></tristrips>`, 2},
		"trifans":   {`<trifans material="m" count="1">` + inputs + `<p>0 0 0 1 0 1 2 0 2 3 0 3</p></trifans>`, 2},
	} {
		m, err := Read("a.dae", doc(c.prim, board), model.Folder{})
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if w := m.Weigh(); w.Triangles != c.want {
			t.Errorf("%s: %+v", name, w)
		}
		// Every triangle looks along +Z, as the normals say.
		p := m.Meshes[0].Parts[0]
		for i := 0; i < len(p.Indices); i += 3 {
			a, b, d := p.Position(p.Indices[i]), p.Position(p.Indices[i+1]), p.Position(p.Indices[i+2])
			if b.Sub(a).Cross(d.Sub(a)).Z <= 0 {
				t.Errorf("%s: triangle %d is turned over", name, i/3)
			}
		}
		if p.Normals[2] != 1 || len(p.UV) != 2*p.Vertices() || p.UV[1] != 1 {
			t.Errorf("%s: normals %v, uv %v", name, p.Normals, p.UV)
		}
	}
}

func TestUnitAxisTransformsAndSurfaces(t *testing.T) {
	prim := `<triangles material="m" count="1">` + inputs + `<p>0 0 0 1 0 1 2 0 2</p></triangles>`
	folder := model.Folder{Root: fstest.MapFS{"My Wood.png": {Data: []byte("\x89PNG\r\n\x1a\n0000")}}}
	m, err := Read("a.dae", doc(prim, board), folder)
	if err != nil {
		t.Fatal(err)
	}
	if m.Unit.MetresPerUnit != 0.0254 || m.Unit.From != "header" || m.Up != "Z" || m.Author != "A. Maker" ||
		m.Copyright != "CC0-1.0" {
		t.Errorf("%+v %v %q %q", m.Unit, m.Up, m.Author, m.Copyright)
	}
	// Scaled by 2 along x, turned by 90 degrees, moved: x runs along y.
	b := m.Bounds()
	if b.Min.Sub(geom.V{X: 0, Y: 2, Z: 3}).Len() > 1e-9 || b.Max.Sub(geom.V{X: 1, Y: 6, Z: 3}).Len() > 1e-9 {
		t.Errorf("%+v", b)
	}
	s := m.Surfaces[0]
	slot := s.Slots[model.BaseColorMap]
	if s.Name != "Wood" || s.BaseColor[3] != 0.5 || s.Alpha != model.Blend || m.Maps[slot.Map].Status != model.Found ||
		slot.Set != 1 || slot.WrapS != model.Clamp {
		t.Errorf("%+v, maps %+v", s, m.Maps)
	}
	if want := math.Sqrt(math.Sqrt(2.0 / 66)); math.Abs(s.Roughness-want) > 1e-9 {
		t.Errorf("roughness %v, want %v", s.Roughness, want)
	}
}

func TestInstancesCamerasAndLights(t *testing.T) {
	prim := `<triangles count="1">` + inputs + `<p>0 0 0 1 0 1 2 0 2</p></triangles>`
	lib := `<library_cameras><camera id="c" name="Eye"><optics><technique_common><perspective><xfov>60</xfov><aspect_ratio>2</aspect_ratio><znear>1</znear><zfar>50</zfar></perspective></technique_common></optics></camera></library_cameras>
<library_lights><light id="l"><technique_common><spot><color>2 1 0</color><falloff_angle>60</falloff_angle></spot></technique_common></light></library_lights>
<library_nodes><node id="ref"><instance_geometry url="#g"/></node></library_nodes>`
	nodes := `<node name="a"><instance_node url="#ref"/><instance_camera url="#c"/><instance_light url="#l"/></node><node name="b"><matrix>1 0 0 10 0 1 0 0 0 0 1 0 0 0 0 1</matrix><instance_node url="#ref"/></node>`
	text := strings.Replace(string(doc(prim, nodes)), "<library_geometries>", lib+"<library_geometries>", 1)
	m, err := Read("a.dae", []byte(text), model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	if len(m.Meshes) != 1 || m.Weigh().Triangles != 2 || m.Bounds().Max.X != 12 {
		t.Errorf("%d meshes, %+v", len(m.Meshes), m.Bounds())
	}
	if c := m.Cameras[0]; c.Name != "Eye" || math.Abs(math.Tan(c.YFov/2)*2-math.Tan(math.Pi/6)) > 1e-12 || c.Far != 50 {
		t.Errorf("%+v", c)
	}
	if l := m.Lights[0]; l.Kind != model.Spot || l.Color != [3]float64{1, 0.5, 0} || l.Intensity != 200 ||
		math.Abs(l.Outer-math.Pi/6) > 1e-12 {
		t.Errorf("%+v", l)
	}
}

// A mesh that two joints carry stands where they are, not where its node is.
func TestSkinsFollowTheirJoints(t *testing.T) {
	prim := `<triangles count="1">` + inputs + `<p>0 0 0 1 0 1 3 0 3</p></triangles>`
	skin := `<library_controllers><controller id="k"><skin source="#g"><bind_shape_matrix>1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1</bind_shape_matrix>
<source id="j"><Name_array id="ja" count="2">low high</Name_array></source>
<source id="i"><float_array id="ia" count="32">1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1 1 0 0 0 0 1 0 -1 0 0 1 0 0 0 0 1</float_array><technique_common><accessor source="#ia" count="2" stride="16"><param type="float4x4"/></accessor></technique_common></source>
<source id="w"><float_array id="wa" count="2">1 0.5</float_array><technique_common><accessor source="#wa" count="2" stride="1"><param/></accessor></technique_common></source>
<joints><input semantic="JOINT" source="#j"/><input semantic="INV_BIND_MATRIX" source="#i"/></joints>
<vertex_weights count="4"><input semantic="JOINT" source="#j" offset="0"/><input semantic="WEIGHT" source="#w" offset="1"/><vcount>1 1 1 2</vcount><v>0 0 0 0 1 0 0 1 1 1</v></vertex_weights></skin></controller></library_controllers>`
	nodes := `<node id="root" sid="low" type="JOINT"><translate>0 0 7</translate><node sid="high" type="JOINT"><translate>0 3 0</translate></node></node>
<node name="far"><translate>99 0 0</translate><instance_controller url="#k"><skeleton>#root</skeleton></instance_controller></node>`
	text := strings.Replace(string(doc(prim, nodes)), "<library_visual_scenes>", skin+"<library_visual_scenes>", 1)
	m, err := Read("a.dae", []byte(text), model.Folder{})
	if err != nil || len(m.Warnings) > 0 {
		t.Fatal(err, m.Warnings)
	}
	// low: up by 7. high: up by 7 and by 3-1 along y; the last place has half of each: (0, 1, 0) to (0, 2, 7).
	b := m.Bounds()
	if b.Min.Sub(geom.V{Z: 7}).Len() > 1e-5 || b.Max.Sub(geom.V{X: 2, Y: 2, Z: 7}).Len() > 1e-5 {
		t.Errorf("%+v", b)
	}
}

func TestWhatIsWrongIsSaid(t *testing.T) {
	tri := func(p string) string {
		return `<triangles count="1">` + inputs + `<p>` + p + `</p></triangles>`
	}
	for name, c := range map[string]struct {
		data []byte
		say  string
	}{
		"entities": {[]byte(`<!DOCTYPE a [<!ENTITY x "y">]><COLLADA/>`), "entities"},
		"other":    {[]byte("<html/>"), "not <COLLADA>"},
		"cut":      {doc(tri("0 0 0"), board)[:900], "ends within"},
		"index":    {doc(tri("0 0 0 1 0 1 9 0 2"), board), "names position 9, there are 4"},
		"word":     {doc(tri("0 0 0 1 0 1 two"), board), "\"two"},
		"circle":   {doc(tri("0 0 0 1 0 1 2 0 2"), `<node id="x"><instance_node url="#x"/></node>`), "in a circle"},
		"matrix":   {doc(tri("0 0 0 1 0 1 2 0 2"), `<node name="x"><matrix>1 2</matrix></node>`), "needs 16 numbers"},
		"vcount": {doc(`<polylist count="1">`+inputs+`<vcount>9</vcount><p>0 0 0</p></polylist>`, board),
			"have 9 corners"},
	} {
		if _, err := Read("a.dae", c.data, model.Folder{}); err == nil || !strings.Contains(err.Error(), c.say) ||
			!strings.HasPrefix(err.Error(), "a.dae") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Many levels of nodes that each stand twice would be 2^100 nodes.
func TestInstancesThatMultiplyAreRefused(t *testing.T) {
	var nodes strings.Builder
	for i := range 60 {
		id, next := string(rune('A'+i%26))+strings.Repeat("x", i/26),
			string(rune('A'+(i+1)%26))+strings.Repeat("x", (i+1)/26)
		nodes.WriteString(`<node id="` + id + `"><instance_node url="#` + next + `"/><instance_node url="#` + next +
			`"/></node>`)
	}
	if _, err := Read("a.dae", doc("", nodes.String()), model.Folder{}); err == nil || !strings.Contains(err.Error(),
		"more than") {
		t.Error(err)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(doc(`<polylist material="m" count="1">`+inputs+`<vcount>4</vcount><p>0 0 0 1 0 1 2 0 2 3 0 3</p></polylist>`,
		board))
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := Read("f.dae", data, model.Folder{})
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
	})
}
