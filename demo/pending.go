package demo

import (
	"bytes"
	"cmp"
	"strings"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/model"
	"visator/supplier"
)

// churn is a milk churn as it waits on platforms.
func churn() *model.Model {
	s := newShape("milk churn")
	tin, brass := s.surface("tin", 0.62, 0.64, 0.66, 0.35, 1), s.surface("brass plate", 0.75, 0.55, 0.2, 0.3, 1)
	s.lathe("can", tin, 28, geom.V{}, [2]float64{0, 0}, [2]float64{0.19, 0}, [2]float64{0.2, 0.03},
		[2]float64{0.19, 0.42}, [2]float64{0.1, 0.56}, [2]float64{0.1, 0.62}, [2]float64{0.13, 0.66},
		[2]float64{0, 0.66})
	s.lathe("lid", tin, 28, v3(0, 0.66, 0), [2]float64{0, 0}, [2]float64{0.11, 0}, [2]float64{0.1, 0.05},
		[2]float64{0, 0.07})
	for _, x := range []float64{-1, 1} {
		s.tube("handles", tin, 8, v3(0.15*x, 0.5, 0), v3(0.22*x, 0.56, 0), 0.012)
		s.tube("handles", tin, 8, v3(0.22*x, 0.56, 0), v3(0.12*x, 0.62, 0), 0.012)
	}
	s.box("plate", brass, -0.05, 0.2, 0.185, 0.05, 0.26, 0.2)
	return s.done()
}

// board is a notice board on two posts.
func board() *model.Model {
	s := newShape("notice board")
	wood, sheet := s.surface("BoardWood", 0.6, 0.6, 0.6, 0.7, 0), s.surface("Timetable", 0.9, 0.9, 0.9, 0.9, 0)
	for _, x := range []float64{-0.7, 0.62} {
		s.box("posts", wood, x, 0, -0.04, x+0.08, 1.9, 0.04)
	}
	s.box("frame", wood, -0.75, 0.85, -0.03, 0.75, 0.92, 0.05)
	s.box("frame", wood, -0.75, 1.75, -0.03, 0.75, 1.82, 0.05)
	s.box("back", wood, -0.7, 0.92, -0.02, 0.7, 1.75, 0.0)
	s.box("roof", wood, -0.85, 1.9, -0.2, 0.85, 1.94, 0.2)
	s.quad("timetable", sheet, v3(-0.55, 1.0, 0.01), v3(1.1, 0, 0), v3(0, 0.68, 0))
	s.box("price tag", sheet, 0.9, 0, 0, 0.95, 0.08, 0.01)
	return s.done()
}

// semaphore is a railway signal; fine says how round its parts are.
func semaphore(fine int) *model.Model {
	s := newShape("signal")
	iron, red, white, glass := s.surface("iron", 0.07, 0.08, 0.08, 0.5, 0),
		s.surface("arm red", 0.6, 0.05, 0.04, 0.5, 0), s.surface("arm white", 0.85, 0.85, 0.82, 0.5, 0),
		s.surface("spectacle", 0.1, 0.5, 0.3, 0.2, 0)
	s.lathe("mast", iron, 4*fine, geom.V{}, [2]float64{0, 0}, [2]float64{0.22, 0}, [2]float64{0.2, 0.3},
		[2]float64{0.09, 0.4}, [2]float64{0.06, 6}, [2]float64{0.09, 6.05}, [2]float64{0, 6.3})
	s.box("arm", red, -0.1, 5.4, 0.08, 1.2, 5.65, 0.1)
	s.box("arm", white, 0.8, 5.4, 0.079, 0.95, 5.65, 0.101)
	for _, y := range []float64{5.42, 5.62} {
		s.ball("spectacle", glass, 2*fine, v3(-0.25, y, 0.09), v3(0.09, 0.09, 0.015))
	}
	for i := range 18 {
		y := 0.6 + float64(i)*0.28
		s.tube("ladder", iron, fine, v3(-0.16, y, -0.12), v3(0.16, y, -0.12), 0.012)
	}
	for _, x := range []float64{-0.16, 0.16} {
		s.tube("ladder", iron, fine, v3(x, 0.2, -0.12), v3(x, 5.6, -0.12), 0.014)
	}
	s.box("helper_pivot", iron, -0.05, 5.5, 0, 0.05, 5.55, 0.05)
	return s.done()
}

const (
	credit = "Author: Kestrel Saddle Models\r\nLicense: CC0-1.0\r\nSource: " +
		"https://models.example/kestrel-saddle\r\nPrice: free\r\n"
	paid = "Author: Upper Valley Props\nLicense: CC-BY 4.0\nSource: https://props.example/board\nPrice: 6.00 EUR\n"
)

// Pending are downloads that have arrived in the sample production and about
// which an artist has still to decide: a machinist's file with faces inside
// out, a model whose maps are in another download, a choice of variants, a
// newer version of a piece that stands in the set, seven models in one wrong unit.
func Pending() ([]Download, error) {
	var out []Download
	var failed error
	add := func(name string, data []byte, err error) {
		if err != nil && failed == nil {
			failed = err
		}
		out = append(out, Download{Name: name, Data: data})
	}
	add("milk_churn.stl", stlOf(churn(), zUp(1000), true), nil)

	files, err := objFiles("notice_board", board(), geom.Identity, "")
	for i := range files {
		if strings.HasSuffix(files[i].name, ".mtl") {
			files[i].data = []byte("newmtl BoardWood\nmap_Kd BoardWood_BaseColor.png\nnorm " +
				"BoardWood_Normal.png\nnewmtl Timetable\nmap_Kd Timetable_BaseColor.png\n")
		}
	}
	data, perr := pack(append(files, file{"readme.txt", []byte(paid)}))
	add("notice_board.zip", data, cmp.Or(err, perr))
	data, err = pack([]file{{"maps/boardwood_albedo_1k.png", planks(0.36, 0.24, 0.13, 6, 61)},
		{"maps/boardwood_normal_dx_1k.png", grooves()},
		{"maps/boardwood_gloss_1k.png", speckle(0.3, 0.3, 0.3, 0.2, 24, 62)}, {"maps/timetable_diffuse.png", print(63)},
		{"maps/preview.png", speckle(0.5, 0.5, 0.5, 0.1, 8, 64)}})
	add("notice_board_maps.zip", data, err)

	var glbData bytes.Buffer
	err = exchange.WriteGLB(&glbData, semaphore(6))
	low, lerr := objFiles("signal_low/signal_LOD1", semaphore(2), geom.Scaling(100), "")
	high, herr := objFiles("signal_obj/signal_high", semaphore(8), geom.Scaling(100), "")
	inner, ierr := pack(append(high, low...))
	data, perr = pack([]file{{"signal/signal.glb", glbData.Bytes()}, {"signal/other formats.zip", inner},
		{"signal/signal_mid.ply", plyOf(semaphore(3))}, {"signal/license.txt", []byte(credit)}})
	add("signal_pack.zip", data, cmp.Or(err, lerr, herr, ierr, perr))

	files, err = objFiles("barrow", newBarrow(), geom.Scaling(100), "")
	data, perr = pack(append(files, file{"license.txt", []byte(credit)}))
	add("luggage-barrow_v2.zip", data, cmp.Or(err, perr))
	room, err := waitingRoom()
	add(room.Name, room.Data, err)
	return out, failed
}

// newBarrow is the barrow as its maker exported it again: in centimetres, with
// one part more.
func newBarrow() *model.Model {
	m := barrow()
	s := newShape("chest")
	s.box("tool chest", s.surface("green paint", 0.1, 0.22, 0.14, 0.5, 0), -0.2, 0.6, -0.2, 0.2, 0.85, 0.2)
	extra := s.done()
	m.Surfaces = append(m.Surfaces, extra.Surfaces...)
	mesh := extra.Meshes[0]
	for i := range mesh.Parts {
		mesh.Parts[i].Surface = len(m.Surfaces) - 1
	}
	m.Stand(mesh)
	return m
}

// grooves is a normal map of boards, its green downwards.
func grooves() []byte {
	return picture(256, func(u, v float64) (float64, float64, float64, float64) {
		h := func(u, v float64) float64 { return 0.4*wrapped(9, u, v, 8) + 0.25*wrapped(10, u, v, 32) }
		const d = 1.0 / 256
		dx, dy := (h(u+d, v)-h(u-d, v))*8, (h(u, v+d)-h(u, v-d))*8
		// linear values: picture encodes them, and a normal map is read as it is
		decode := func(x float64) float64 { return model.Linear(x) }
		return decode(0.5 - dx/4), decode(0.5 - dy/4), decode(0.97), 1
	})
}

// print is a sheet of lines and columns that reads as a timetable from afar.
func print(seed uint64) []byte {
	return picture(256, func(u, v float64) (float64, float64, float64, float64) {
		row, col := int(v*24), int(u*6)
		ink := 0.82
		if v < 0.1 {
			ink = 0.1
		} else if int(v*96)%4 < 2 && u*6-float64(col) < 0.3+0.6*chance(seed, uint64(row), uint64(col)) {
			ink = 0.2
		}
		return ink, ink * 0.97, ink * 0.88, 1
	})
}

// Shop is what the simulated supplier has on offer.
func Shop() (*supplier.Server, error) {
	s := &supplier.Server{Files: map[string][]byte{}, SlowBytes: 60_000}
	type form struct {
		format, file string
		data         []byte
		manner       supplier.Manner
		say          string
	}
	offer := func(o supplier.Offer, forms ...form) {
		for _, f := range forms {
			s.Files[f.file] = f.data
			o.Formats = append(o.Formats, supplier.Form{Format: f.format, File: f.file, Bytes: int64(len(f.data)),
				Manner: f.manner, Say: f.say})
		}
		s.Offers = append(s.Offers, o)
	}
	var failed error
	glbOf := func(m *model.Model) []byte {
		var b bytes.Buffer
		failed = cmp.Or(failed, exchange.WriteGLB(&b, m))
		return b.Bytes()
	}
	zipped := func(base string, m *model.Model) []byte {
		files, err := objFiles(base, m, geom.Identity, "textures/")
		data, perr := pack(append(files, file{"license.txt", []byte(credit)}))
		failed = cmp.Or(failed, err, perr)
		return data
	}
	offer(supplier.Offer{ID: "churn", Name: "Milk churn", Say: "tin, with a brass plate",
		Author: "Kestrel Saddle Models", Licence: "CC0-1.0", Currency: "EUR"},
		form{"GLB", "churn.glb", glbOf(churn()), supplier.Plain, ""},
		form{"STL", "churn.stl", stlOf(churn(), zUp(1000), false), supplier.Plain, "no surfaces"},
		form{"PLY", "churn.ply", plyOf(churn()), supplier.Plain, "colours on the vertices"})
	offer(supplier.Offer{ID: "signal", Name: "Semaphore signal", Say: "six metres, with a ladder",
		Author: "Upper Valley Props", Licence: "CC-BY-4.0", Price: 14, Currency: "EUR"},
		form{"GLB", "signal.glb", glbOf(semaphore(6)), supplier.Plain, ""},
		form{"COLLADA", "signal.dae", daeOf(semaphore(5)), supplier.Slow, "comes slowly"},
		form{"OBJ", "signal_obj.zip", zipped("signal", semaphore(5)), supplier.Breaks,
			"the connection breaks off and is taken up again"})
	offer(supplier.Offer{ID: "bench", Name: "Slatted bench", Say: "cast iron and pine", Author: "Upper Valley Props",
		Licence: "CC-BY-NC-4.0", Price: 9.5, Currency: "EUR"},
		form{"OBJ", "bench_obj.zip", zipped("bench", bench()), supplier.Slow, "comes slowly"},
		form{"GLB", "bench.glb", glbOf(bench()), supplier.Fails, "sold out today"})
	offer(supplier.Offer{ID: "lantern", Name: "Hand lantern", Say: "for guards at night",
		Author: "Kestrel Saddle Models", Licence: "CC0-1.0", Currency: "EUR"},
		form{"GLB", "lantern.glb", glbOf(lantern()), supplier.Plain, ""},
		form{"COLLADA", "lantern.dae", daeOf(lantern()), supplier.Plain, "in centimetres, Z up"})
	offer(supplier.Offer{ID: "boulder", Name: "Boulder", Say: "granite with lichen", Author: "Kestrel Saddle Models",
		Licence: "CC0-1.0", Currency: "EUR"},
		form{"GLB", "granite.glb", glbOf(boulder()), supplier.Plain, ""},
		form{"PLY", "granite.ply", plyOf(boulder()), supplier.Breaks,
			"the connection breaks off and is taken up again"})
	return s, failed
}
