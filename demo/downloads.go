package demo

import (
	"archive/zip"
	"bytes"
	"image"
	"strings"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/model"
)

// Download is a file as it arrives from a supplier, and what is wrong with it.
type Download struct {
	Name string
	Data []byte
	// Metres is what one unit of the file really is, Up its real up axis: an
	// artist finds that out at Size. Zero: the file is right as it says.
	Metres float64
	Up     model.Axis
}

// Downloads makes all of them. The same bytes come out every time.
func Downloads() ([]Download, error) {
	var out []Download
	var failed error
	keep := func(d Download, err error) {
		if err != nil && failed == nil {
			failed = err
		}
		out = append(out, d)
	}
	keep(glb("platform.glb", platform(), 1))
	keep(objZip("shelter.zip", "Shelter", shelter(), geom.Scaling(100), 0.01, "Y", "textures/"))
	keep(glb("station_clock.glb", clock(), 1))
	keep(objZip("lamp-post.zip", "lamp_post", lampPost(), zUp(1000), 0.001, "Z", ""))
	keep(objZip("bench_slatted.zip", "models/bench", bench(), geom.Scaling(1), 0, "", "../maps/"))
	keep(nested("luggage-barrow.zip", barrow()))
	keep(glb("suitcase_brown.glb", suitcase("suitcase, brown", 0.3, 0.15, 0.07, 0.62, 0.4, 0.2, 33), 1))
	keep(objZip("suitcase_tan.zip", "suitcase_tan", suitcase("suitcase, tan", 0.5, 0.36, 0.18, 0.5, 0.34, 0.17, 35),
		geom.Scaling(100), 0.01, "Y", ""))
	keep(glb("traveller.glb", withHelper(traveller()), 1))
	keep(objZip("railcar_red.zip", "railcar", railcar(), geom.Scaling(100), 0.01, "Y", ""))
	keep(glb("track_120m.glb", track(), 1))
	keep(objZip("water-tower.zip", "water_tower", waterTower(), geom.Scaling(1/0.3048), 0.3048, "Y", "tex/"))
	keep(glb("conifer_a.glb", conifer("conifer a", 11, 5), 1))
	keep(objFile("conifer_b.zip", "conifer_b", conifer("conifer b", 7.5, 9), geom.Scaling(1/0.0254), 0.0254))
	keep(glb("boulder.glb", boulder(), 100))
	out[len(out)-1].Metres = 0.01
	keep(glb("grass_tuft.glb", grass(), 1))
	keep(glb("viaduct.glb", viaduct(), 1))
	keep(glb("ridges_far.glb", ridges(), 1))
	keep(glb("meadow.glb", terrain(), 1))
	keep(glb("hand_lantern.glb", lantern(), 1))
	return out, failed
}

// zUp turns +Y up into +Z up and scales.
func zUp(k float64) geom.M { return geom.M{0: k, 6: k, 9: -k, 15: 1} }

func glb(name string, m *model.Model, scale float64) (Download, error) {
	if scale != 1 {
		for i := range m.Nodes {
			m.Nodes[i].Local = geom.Scaling(scale).Mul(m.Nodes[i].Local)
		}
	}
	var buf bytes.Buffer
	err := exchange.WriteGLB(&buf, m)
	return Download{Name: name, Data: buf.Bytes()}, err
}

// withHelper adds what exporters leave behind: a target that nobody wants.
func withHelper(m *model.Model) *model.Model {
	m.Nodes = append(m.Nodes, model.NewNode("helper_target_01"))
	m.Roots = append(m.Roots, len(m.Nodes)-1)
	return m
}

type file struct {
	name string
	data []byte
}

func pack(files []file) ([]byte, error) {
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for _, f := range files {
		w, err := z.Create(f.name)
		if err == nil {
			_, err = w.Write(f.data)
		}
		if err != nil {
			return nil, err
		}
	}
	err := z.Close()
	return buf.Bytes(), err
}

// objFiles writes OBJ, MTL and maps; maps lie in folder as seen from the model.
func objFiles(base string, m *model.Model, top geom.M, folder string) ([]file, error) {
	var o, l bytes.Buffer
	short := base[strings.LastIndex(base, "/")+1:]
	if err := exchange.WriteOBJ(&o, m, top, short+".mtl"); err != nil {
		return nil, err
	}
	// Authors' disks show through: the last map is named by a path of theirs.
	if err := exchange.WriteMTL(&l, m, strings.ReplaceAll(folder, "/", "\\")); err != nil {
		return nil, err
	}
	dir := base[:len(base)-len(short)]
	files := []file{{base + ".obj", o.Bytes()}, {base + ".mtl", l.Bytes()}}
	for _, mp := range m.Maps {
		at := dir + folder + mp.Name
		if rest, ok := strings.CutPrefix(folder, "../"); ok {
			at = rest + mp.Name
		}
		files = append(files, file{at, mp.Data})
	}
	return files, nil
}

func objZip(name, base string, m *model.Model, top geom.M, metres float64, up model.Axis,
	folder string) (Download, error) {
	files, err := objFiles(base, m, top, folder)
	if err != nil {
		return Download{}, err
	}
	files = append(files, file{"readme.txt", []byte(credit)})
	data, err := pack(files)
	return Download{name, data, metres, up}, err
}

// objFile keeps the cut-out needles of a tree: OBJ has no mask, so the
// opacity comes from the picture's own alpha by a map of its own.
func objFile(name, base string, m *model.Model, top geom.M, metres float64) (Download, error) {
	files, err := objFiles(base, m, top, "")
	if err != nil {
		return Download{}, err
	}
	for i := range files {
		if strings.HasSuffix(files[i].name, ".mtl") {
			files[i].data = bytes.Replace(files[i].data, []byte("map_Kd needles_BaseColor.png\n"),
				[]byte("map_Kd needles_BaseColor.png\nmap_d needles_opacity.png\n"), 1)
		}
	}
	var cut *image.NRGBA
	for i := range m.Maps {
		if m.Maps[i].Name == "needles_BaseColor.png" {
			if cut, err = m.Maps[i].Picture(); err != nil {
				return Download{}, err
			}
		}
	}
	seen := picture(256, func(u, v float64) (float64, float64, float64, float64) {
		a := float64(cut.NRGBAAt(int(u*256), int(v*256)).A) / 255
		return a, a, a, 1
	})
	data, err := pack(append(files, file{"needles_opacity.png", seen}))
	return Download{name, data, metres, "Y"}, err
}

// nested is a zip in a zip, with a lower variant beside the model.
func nested(name string, m *model.Model) (Download, error) {
	files, err := objFiles("barrow", m, geom.Scaling(1), "")
	if err != nil {
		return Download{}, err
	}
	inner, err := pack(files)
	if err != nil {
		return Download{}, err
	}
	data, err := pack([]file{{"luggage barrow/source/barrow_obj.zip", inner},
		{"luggage barrow/license.txt", []byte(credit)}})
	return Download{Name: name, Data: data}, err
}
