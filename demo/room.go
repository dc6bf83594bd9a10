package demo

import (
	"visator/core/model"
)

const (
	roomName   = "waiting_room.zip"
	roomCredit = "Author: Millrace Workshop\r\nLicense: CC-BY 4.0\r\nSource: " +
		"https://millrace.example/waiting-room\r\nPrice: 12.00 EUR\r\n"
)

// waitingRoom is one download of seven models that share two mistakes: they are
// in millimetres and lie on their backs, which nothing in the files says. One
// has a name that tells nothing, and the boards of the floor are shown ten times
// too wide.
func waitingRoom() (Download, error) {
	var files []file
	for _, m := range []*model.Model{counter(), stool(), stove(), cupboard(), coatRack(), floorPanel(),
		umbrellaStand()} {
		some, err := objFiles(m.Name+"/"+m.Name, m, zUp(1000), "")
		if err != nil {
			return Download{}, err
		}
		files = append(files, some...)
	}
	data, err := pack(append(files, file{"readme.txt", []byte(roomCredit)}))
	return Download{Name: roomName, Data: data}, err
}

func counter() *model.Model {
	s := newShape("ticket_counter")
	oak, top := s.textured("counter boards", planks(0.4, 0.26, 0.15, 6, 71), 0.6),
		s.surface("dark top", 0.15, 0.09, 0.05, 0.35, 0)
	s.box("plinth", oak, -0.85, 0, -0.28, 0.85, 0.08, 0.28)
	s.box("body", oak, -0.9, 0.08, -0.3, 0.9, 1.0, 0.3)
	s.box("shelf", top, -0.7, 0.7, 0.3, 0.7, 0.73, 0.45)
	s.box("top", top, -0.95, 1.0, -0.36, 0.95, 1.05, 0.36)
	return s.done()
}

func stool() *model.Model {
	s := newShape("wooden_stool")
	wood := s.surface("beech", 0.55, 0.38, 0.22, 0.6, 0)
	s.lathe("seat", wood, 28, v3(0, 0.44, 0), [2]float64{0, 0}, [2]float64{0.17, 0}, [2]float64{0.18, 0.015},
		[2]float64{0.17, 0.04}, [2]float64{0, 0.035})
	for _, x := range []float64{-1, 1} {
		for _, z := range []float64{-1, 1} {
			s.tube("legs", wood, 10, v3(0.17*x, 0, 0.17*z), v3(0.1*x, 0.44, 0.1*z), 0.016)
		}
		s.tube("rungs", wood, 8, v3(0.145*x, 0.16, -0.145), v3(0.145*x, 0.16, 0.145), 0.01)
	}
	return s.done()
}

func stove() *model.Model {
	s := newShape("coal_stove")
	iron, brass := s.surface("stove black", 0.04, 0.04, 0.045, 0.55, 0),
		s.surface("handle brass", 0.75, 0.55, 0.2, 0.3, 1)
	s.lathe("body", iron, 32, v3(0, 0.12, 0), [2]float64{0, 0}, [2]float64{0.24, 0}, [2]float64{0.26, 0.06},
		[2]float64{0.22, 0.4}, [2]float64{0.25, 0.72}, [2]float64{0.28, 0.76}, [2]float64{0, 0.8})
	s.lathe("lid", iron, 24, v3(0, 0.91, 0), [2]float64{0, 0}, [2]float64{0.12, 0}, [2]float64{0.1, 0.05},
		[2]float64{0, 0.07})
	s.tube("pipe", iron, 20, v3(0, 0.7, -0.2), v3(0, 1.5, -0.2), 0.06)
	for _, x := range []float64{-1, 1} {
		for _, z := range []float64{-1, 1} {
			s.tube("feet", iron, 8, v3(0.2*x, 0, 0.2*z), v3(0.14*x, 0.14, 0.14*z), 0.025)
		}
	}
	s.box("door", iron, -0.1, 0.35, 0.22, 0.1, 0.55, 0.26)
	s.tube("handle", brass, 8, v3(0.05, 0.42, 0.26), v3(0.05, 0.5, 0.29), 0.01)
	return s.done()
}

// cupboard has a name that tells nothing.
func cupboard() *model.Model {
	s := newShape("wr_0427")
	wood, dark := s.textured("green boards", planks(0.18, 0.28, 0.2, 5, 73), 0.7),
		s.surface("edge", 0.1, 0.15, 0.11, 0.6, 0)
	for _, x := range []float64{-0.42, 0.36} {
		for _, z := range []float64{-0.2, 0.14} {
			s.box("base", dark, x, 0, z, x+0.06, 0.1, z+0.06)
		}
	}
	s.box("base", wood, -0.45, 0.1, -0.22, 0.45, 1.74, 0.2)
	for _, x := range []float64{-0.43, 0.01} {
		s.box("front", wood, x, 0.14, 0.2, x+0.42, 1.7, 0.22)
		s.ball("front", dark, 8, v3(x+0.21+0.17, 0.9, 0.235), v3(0.015, 0.015, 0.015))
	}
	s.box("moulding", dark, -0.49, 1.74, -0.25, 0.49, 1.8, 0.24)
	return s.done()
}

func coatRack() *model.Model {
	s := newShape("coat_rack")
	wood, iron := s.surface("stained beech", 0.3, 0.18, 0.1, 0.5, 0), s.surface("hooks", 0.08, 0.08, 0.09, 0.4, 0.8)
	s.lathe("foot", wood, 28, v3(0, 0, 0), [2]float64{0, 0}, [2]float64{0.26, 0}, [2]float64{0.26, 0.03},
		[2]float64{0.05, 0.09}, [2]float64{0.03, 0.2}, [2]float64{0.025, 1.7}, [2]float64{0.04, 1.74},
		[2]float64{0, 1.8})
	for _, a := range [][2]float64{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
		s.tube("hooks", iron, 8, v3(0, 1.6, 0), v3(0.16*a[0], 1.68, 0.16*a[1]), 0.01)
		s.ball("hooks", iron, 8, v3(0.16*a[0], 1.69, 0.16*a[1]), v3(0.018, 0.018, 0.018))
	}
	return s.done()
}

// floorPanel is a piece of floor; a tenth of a repeat lies on each metre of it.
func floorPanel() *model.Model {
	s := newShape("floor_panel")
	boards, joist := s.textured("floor planks", planks(0.38, 0.25, 0.15, 8, 74), 0.65),
		s.surface("joist", 0.3, 0.22, 0.15, 0.8, 0)
	s.box("boards", boards, -1.2, 0.1, -1.2, 1.2, 0.125, 1.2)
	for _, x := range []float64{-1.1, -0.37, 0.37, 1.1} {
		s.box("joists", joist, x-0.04, 0, -1.2, x+0.04, 0.1, 1.2)
	}
	m := s.done()
	for i := range m.Meshes {
		for k := range m.Meshes[i].Parts {
			p := &m.Meshes[i].Parts[k]
			for j := range p.UV {
				p.UV[j] /= 10
			}
		}
	}
	return m
}

func umbrellaStand() *model.Model {
	s := newShape("umbrella_stand")
	tin := s.surface("tin blue", 0.12, 0.2, 0.32, 0.4, 0.6)
	s.lathe("vessel", tin, 30, v3(0, 0, 0), [2]float64{0, 0}, [2]float64{0.13, 0}, [2]float64{0.13, 0.02},
		[2]float64{0.11, 0.05}, [2]float64{0.13, 0.58}, [2]float64{0.14, 0.6}, [2]float64{0.12, 0.6},
		[2]float64{0.1, 0.04},
		[2]float64{0, 0.04})
	return s.done()
}
