package demo

import (
	"math"
	"math/rand/v2"

	"visator/core/geom"
	"visator/core/model"
)

func cutOut(s *model.Surface) { s.Alpha, s.Cutoff, s.DoubleSided = model.Mask, 0.5, true }

func glow(r, g, b, nits float64) func(*model.Surface) {
	return func(s *model.Surface) { s.Emissive = [3]float64{r * nits, g * nits, b * nits} }
}

func platform() *model.Model {
	s := newShape("platform")
	top, edge, wall := s.textured("paving", stones(0.55, 0.53, 0.5, 8, 3), 0.85),
		s.surface("edge", 0.68, 0.66, 0.6, 0.8, 0), s.textured("masonry", stones(0.42, 0.4, 0.38, 6, 5), 0.9)
	s.box("body", wall, -2.5, 0, -22, 2.2, 0.32, 22)
	s.box("deck", top, -2.5, 0.32, -22, 2.2, 0.4, 22)
	s.box("edge", edge, 2.2, 0.24, -22, 2.55, 0.41, 22)
	for i := 0; i < 6; i++ { // ramp at the near end
		s.box("steps", wall, -2.5, 0, 22+float64(i)*0.4, 2.2, 0.4-float64(i+1)*0.06, 22.4+float64(i)*0.4)
	}
	return s.done()
}

func shelter() *model.Model {
	s := newShape("shelter")
	wood, brick, roof, glass := s.textured("boards", planks(0.5, 0.33, 0.2, 6, 11), 0.75),
		s.textured("brick", stones(0.55, 0.27, 0.19, 10, 12), 0.9), s.surface("slate", 0.16, 0.18, 0.22, 0.65, 0),
		s.surface("pane", 0.75, 0.85, 0.88, 0.05, 0)
	s.box("plinth", brick, -1.1, 0, -2.6, 1.3, 0.9, -2.4)
	s.box("plinth", brick, -1.1, 0, 2.4, 1.3, 0.9, 2.6)
	s.box("back", brick, -1.3, 0, -2.6, -1.1, 0.9, 2.6)
	s.box("back", wood, -1.25, 0.9, -2.55, -1.13, 2.5, 2.55)
	for _, z := range []float64{-2.52, -0.08, 2.36} {
		s.box("posts", wood, 1.15, 0, z, 1.31, 2.62, z+0.16)
	}
	for _, z := range []float64{-2.5, 2.42} {
		s.box("sides", wood, -1.1, 0.9, z, 1.15, 1.0, z+0.08)
		s.box("sides", glass, -1.1, 1.0, z+0.03, 1.15, 2.1, z+0.05)
		s.box("sides", wood, -1.1, 2.1, z, 1.15, 2.5, z+0.08)
	}
	for i := 0; i < 2; i++ { // the two slopes of the roof, 8 cm thick
		sx := float64(1 - 2*i)
		a, b := v3(0, 3.32, -3), v3(sx*1.95, 2.46, -3)
		slope, along, up := b.Sub(a), v3(0, 0, 6), v3(0, 0.08, 0)
		if i == 1 {
			a, slope = b, slope.Mul(-1)
		}
		s.quad("roof", roof, a.Add(up), along, slope)
		s.quad("roof", wood, a, slope, along)
		s.quad("roof", roof, a, up, slope)
		s.quad("roof", roof, a.Add(along), slope, up)
	}
	s.quad("roof", roof, v3(1.95, 2.46, 3), v3(0, 0, -6), v3(0, 0.08, 0))
	s.quad("roof", roof, v3(-1.95, 2.46, -3), v3(0, 0, 6), v3(0, 0.08, 0))
	s.box("gable", wood, -1.13, 2.5, -2.5, 1.15, 2.62, -2.42)
	s.box("gable", wood, -1.13, 2.5, 2.42, 1.15, 2.62, 2.5)
	s.box("gable", wood, -0.06, 2.6, -2.95, 0.06, 3.3, -2.85)
	s.box("gable", wood, -0.06, 2.6, 2.85, 0.06, 3.3, 2.95)
	s.box("seat", wood, -1.1, 0.42, -2.3, -0.7, 0.47, 2.3)
	return s.done()
}

func clock() *model.Model {
	s := newShape("station clock")
	iron, face := s.surface("iron", 0.07, 0.1, 0.09, 0.45, 0),
		s.textured("dial", dial(), 0.35, glow(0.5, 0.46, 0.36, 8))
	s.lathe("post", iron, 20, geom.V{}, [2]float64{0, 0}, [2]float64{0.2, 0}, [2]float64{0.2, 0.1},
		[2]float64{0.09, 0.2},
		[2]float64{0.07, 0.9}, [2]float64{0.055, 1}, [2]float64{0.05, 2.6}, [2]float64{0.07, 2.66}, [2]float64{0, 2.66})
	s.tube("drum", iron, 40, v3(0, 3, -0.11), v3(0, 3, 0.11), 0.38)
	for _, side := range []float64{1, -1} {
		p := s.into("face", face)
		c := s.vertex(p, v3(0, 3, side*0.115), v3(0, 0, side), 0.5, 0.5)
		for i := 0; i <= 48; i++ {
			sin, cos := math.Sincos(2 * math.Pi * float64(i) / 48)
			s.vertex(p, v3(0.345*cos*side, 3+0.345*sin, side*0.115), v3(0, 0, side), 0.5+0.5*cos, 0.5-0.5*sin)
			if i > 0 {
				n := c + uint32(i)
				p.Indices = append(p.Indices, c, n, n+1)
			}
		}
	}
	s.ball("finial", iron, 10, v3(0, 3.44, 0), v3(0.05, 0.08, 0.05))
	return s.done()
}

func lampPost() *model.Model {
	s := newShape("lamp post")
	iron, pane, wick := s.surface("iron", 0.06, 0.08, 0.08, 0.5, 0),
		s.surface("lamp glass", 1, 0.86, 0.6, 0.3, 0, glow(1, 0.72, 0.38, 900)), s.surface("brass", 0.8, 0.6, 0.25, 0.3,
			1)
	s.lathe("post", iron, 16, geom.V{}, [2]float64{0, 0}, [2]float64{0.17, 0}, [2]float64{0.17, 0.12},
		[2]float64{0.11, 0.18}, [2]float64{0.1, 0.7}, [2]float64{0.07, 0.8}, [2]float64{0.045, 3.2},
		[2]float64{0.07, 3.26},
		[2]float64{0.05, 3.34})
	s.tube("bar", iron, 10, v3(-0.32, 3.0, 0), v3(0.32, 3.0, 0), 0.018)
	s.lathe("lamp", pane, 4, v3(0, 3.36, 0), [2]float64{0.1, 0}, [2]float64{0.19, 0.42})
	s.lathe("lamp", wick, 12, v3(0, 3.34, 0), [2]float64{0, 0}, [2]float64{0.11, 0}, [2]float64{0.11, 0.03},
		[2]float64{0, 0.03})
	s.lathe("hat", iron, 4, v3(0, 3.78, 0), [2]float64{0.24, 0}, [2]float64{0.05, 0.2}, [2]float64{0.05, 0.28},
		[2]float64{0, 0.32})
	s.lathe("hat", iron, 4, v3(0, 3.78, 0), [2]float64{0, 0}, [2]float64{0.24, 0})
	return s.done()
}

func bench() *model.Model {
	s := newShape("bench")
	wood, iron := s.textured("slats", planks(0.42, 0.27, 0.14, 3, 21), 0.6),
		s.surface("cast iron", 0.08, 0.1, 0.09, 0.5, 0)
	for i := 0; i < 5; i++ {
		z := -0.2 + float64(i)*0.095
		s.box("seat", wood, -0.8, 0.42, z, 0.8, 0.445, z+0.08)
	}
	for i := 0; i < 4; i++ {
		y := 0.52 + float64(i)*0.1
		s.box("back", wood, -0.8, y, -0.27-float64(i)*0.03, 0.8, y+0.08, -0.245-float64(i)*0.03)
	}
	for _, x := range []float64{-0.7, 0.64} {
		s.box("frame", iron, x, 0, 0.2, x+0.06, 0.42, 0.26)
		s.box("frame", iron, x, 0, -0.26, x+0.06, 0.5, -0.2)
		s.box("frame", iron, x, 0.38, -0.26, x+0.06, 0.42, 0.26)
		s.tube("frame", iron, 8, v3(x+0.03, 0.42, -0.24), v3(x+0.03, 0.92, -0.38), 0.03)
		s.tube("frame", iron, 8, v3(x+0.03, 0.62, -0.3), v3(x+0.03, 0.62, 0.22), 0.025)
		s.tube("frame", iron, 8, v3(x+0.03, 0.42, 0.22), v3(x+0.03, 0.63, 0.22), 0.025)
	}
	return s.done()
}

func wheel(s *shape, part string, surface int, c geom.V, r, width float64, spokes int) {
	keep := s.top
	s.top = keep.Mul(geom.Compose(c, geom.Turn(geom.V{Z: 1}, math.Pi/2), geom.V{X: 1, Y: 1, Z: 1}))
	s.lathe(part, surface, 28, v3(0, -width/2, 0), [2]float64{r * 0.86, 0}, [2]float64{r, 0}, [2]float64{r, width},
		[2]float64{r * 0.86, width}, [2]float64{r * 0.86, 0})
	s.lathe(part, surface, 12, v3(0, -width*0.7, 0), [2]float64{0, 0}, [2]float64{r * 0.16, 0},
		[2]float64{r * 0.16, width * 1.4}, [2]float64{0, width * 1.4})
	for i := 0; i < spokes; i++ {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(spokes))
		s.tube(part, surface, 6, v3(r*0.1*cos, 0, r*0.1*sin), v3(r*0.9*cos, 0, r*0.9*sin), r*0.035)
	}
	s.top = keep
}

func barrow() *model.Model {
	s := newShape("luggage barrow")
	wood, iron, red := s.textured("deck", planks(0.45, 0.3, 0.17, 5, 31), 0.7),
		s.surface("iron", 0.1, 0.1, 0.1, 0.5, 0), s.surface("red paint", 0.42, 0.06, 0.05, 0.45, 0)
	s.box("deck", wood, -0.6, 0.46, -0.35, 0.6, 0.5, 0.35)
	s.box("frame", red, -0.65, 0.4, -0.36, 0.65, 0.46, -0.3)
	s.box("frame", red, -0.65, 0.4, 0.3, 0.65, 0.46, 0.36)
	s.tube("axle", iron, 8, v3(0.25, 0.26, -0.42), v3(0.25, 0.26, 0.42), 0.02)
	s.top = geom.Compose(v3(0.25, 0.26, 0), geom.Turn(geom.V{Y: 1}, math.Pi/2), v3(1, 1, 1))
	wheel(s, "wheels", red, v3(0.41, 0, 0), 0.26, 0.05, 8)
	wheel(s, "wheels", red, v3(-0.41, 0, 0), 0.26, 0.05, 8)
	s.top = geom.Identity
	for _, z := range []float64{-0.33, 0.33} {
		s.tube("legs", iron, 8, v3(-0.45, 0, z), v3(-0.45, 0.42, z), 0.018)
		s.tube("handles", wood, 10, v3(-0.6, 0.43, z), v3(-1.15, 0.78, z), 0.022)
		s.tube("rail", iron, 8, v3(0.6, 0.48, z), v3(0.66, 1.0, z), 0.014)
	}
	s.tube("rail", iron, 8, v3(0.66, 1, -0.33), v3(0.66, 1, 0.33), 0.014)
	s.tube("rail", iron, 8, v3(0.63, 0.76, -0.33), v3(0.63, 0.76, 0.33), 0.012)
	return s.done()
}

func suitcase(name string, r, g, b, w, h, d float64, seed uint64) *model.Model {
	s := newShape(name)
	hide, trim, brass := s.textured("hide", speckle(r, g, b, 0.22, 20, seed), 0.55),
		s.surface("straps", r*0.35, g*0.3, b*0.3, 0.6, 0), s.surface("brass", 0.8, 0.6, 0.25, 0.35, 1)
	s.box("case", hide, -w/2, 0.012, -d/2, w/2, h, d/2)
	for _, x := range []float64{-w * 0.32, w*0.32 - 0.03} {
		s.box("straps", trim, x, 0.008, -d/2-0.004, x+0.03, h+0.004, d/2+0.004)
		s.box("buckles", brass, x-0.006, h*0.7, d/2, x+0.036, h*0.7+0.035, d/2+0.01)
	}
	for _, x := range []float64{-w / 2, w/2 - 0.05} {
		for _, z := range []float64{-d / 2, d/2 - 0.05} {
			for _, y := range []float64{0.01, h - 0.045} {
				s.box("corners", trim, x-0.003, y, z-0.003, x+0.053, y+0.05, z+0.053)
			}
		}
	}
	s.tube("handle", trim, 8, v3(-0.07, h+0.035, 0), v3(0.07, h+0.035, 0), 0.011)
	s.tube("handle", trim, 8, v3(-0.07, h, 0), v3(-0.07, h+0.04, 0), 0.008)
	s.tube("handle", trim, 8, v3(0.07, h, 0), v3(0.07, h+0.04, 0), 0.008)
	for _, x := range []float64{-w*0.4 - 0.01, w*0.4 - 0.01} {
		s.box("feet", brass, x, 0, -d*0.3, x+0.02, 0.013, -d*0.3+0.02)
		s.box("feet", brass, x, 0, d*0.3, x+0.02, 0.013, d*0.3+0.02)
	}
	return s.done()
}

func traveller() *model.Model {
	s := newShape("traveller")
	coat, skin, hat, shoe, scarf := s.textured("coat", speckle(0.16, 0.19, 0.3, 0.3, 40, 41), 0.9),
		s.surface("skin", 0.62, 0.42, 0.33, 0.55, 0), s.surface("felt", 0.12, 0.1, 0.09, 0.9, 0),
		s.surface("shoe", 0.05, 0.035, 0.03, 0.35, 0), s.surface("scarf", 0.5, 0.12, 0.08, 0.9, 0)
	s.lathe("coat", coat, 24, geom.V{}, [2]float64{0.24, 0.32}, [2]float64{0.2, 0.7}, [2]float64{0.175, 0.98},
		[2]float64{0.2, 1.25}, [2]float64{0.19, 1.4}, [2]float64{0.1, 1.47}, [2]float64{0.06, 1.5})
	s.lathe("coat", coat, 24, geom.V{}, [2]float64{0, 0.36}, [2]float64{0.24, 0.32})
	for _, x := range []float64{-0.1, 0.1} {
		s.tube("legs", hat, 12, v3(x, 0.06, 0), v3(x*0.9, 0.5, 0), 0.065)
		s.ball("shoes", shoe, 10, v3(x, 0.045, 0.05), v3(0.05, 0.045, 0.14))
	}
	for _, k := range []float64{-1, 1} {
		s.tube("arms", coat, 12, v3(k*0.2, 1.38, 0), v3(k*0.26, 1.1, 0.02), 0.06)
		s.tube("arms", coat, 12, v3(k*0.26, 1.12, 0.02), v3(k*0.23, 0.85, 0.08), 0.05)
		s.ball("hands", skin, 8, v3(k*0.225, 0.8, 0.09), v3(0.035, 0.06, 0.045))
		s.ball("arms", coat, 8, v3(k*0.2, 1.38, 0), v3(0.075, 0.07, 0.08))
	}
	s.lathe("scarf", scarf, 18, geom.V{}, [2]float64{0.09, 1.42}, [2]float64{0.105, 1.46}, [2]float64{0.09, 1.52})
	s.ball("head", skin, 16, v3(0, 1.615, 0.01), v3(0.075, 0.11, 0.09))
	s.ball("head", skin, 6, v3(0, 1.6, 0.1), v3(0.014, 0.022, 0.018))
	s.lathe("hat", hat, 24, v3(0, 0, 0), [2]float64{0.085, 1.68}, [2]float64{0.17, 1.675}, [2]float64{0.172, 1.683},
		[2]float64{0.098, 1.695}, [2]float64{0.09, 1.775}, [2]float64{0.05, 1.79}, [2]float64{0, 1.78})
	return s.done()
}

func railcar() *model.Model {
	s := newShape("railcar")
	red, cream, glass, iron, roof, lamp := s.surface("red lacquer", 0.45, 0.045, 0.035, 0.3, 0),
		s.surface("cream lacquer", 0.78, 0.7, 0.5, 0.35, 0), s.surface("window", 0.03, 0.04, 0.05, 0.06, 0),
		s.surface("running gear", 0.06, 0.06, 0.06, 0.6, 0), s.surface("roof felt", 0.32, 0.32, 0.32, 0.8, 0),
		s.surface("headlamp", 1, 0.92, 0.7, 0.2, 0, glow(1, 0.85, 0.6, 6000))
	s.box("body", red, -1.25, 0.95, -5.2, 1.25, 1.85, 5.2)
	s.box("body", cream, -1.24, 1.85, -5.19, 1.24, 2.95, 5.19)
	for i := 0; i < 8; i++ {
		z := -4.5 + float64(i)*1.16
		for _, x := range []float64{-1.255, 1.245} {
			s.box("windows", glass, x, 1.98, z, x+0.01, 2.78, z+0.88)
		}
	}
	for _, z := range []float64{-5.205, 5.195} {
		for _, x := range []float64{-1.02, -0.34, 0.34} {
			s.box("windows", glass, x, 1.98, z, x+0.66, 2.76, z+0.01)
		}
		zz := z + math.Copysign(0.05, z)
		for _, x := range []float64{-0.8, 0.8} {
			s.tube("headlamps", lamp, 16, v3(x, 1.35, z), v3(x, 1.35, zz), 0.13)
			s.tube("buffers", iron, 14, v3(x, 1.02, z), v3(x, 1.02, z+math.Copysign(0.42, z)), 0.07)
			s.tube("buffers", iron, 18, v3(x, 1.02, z+math.Copysign(0.4, z)), v3(x, 1.02, z+math.Copysign(0.45, z)),
				0.2)
		}
	}
	p := s.into("roof", roof)
	for i := 0; i < 12; i++ {
		a0, a1 := math.Pi*float64(i)/12, math.Pi*float64(i+1)/12
		at := func(a, z float64) uint32 {
			return s.vertex(p, v3(1.28*math.Cos(a), 2.95+0.36*math.Sin(a), z), v3(0.36*math.Cos(a), 1.28*math.Sin(a),
				0), a, z)
		}
		i0 := at(a0, 5.3)
		at(a0, -5.3)
		at(a1, -5.3)
		at(a1, 5.3)
		p.Indices = append(p.Indices, i0, i0+1, i0+2, i0, i0+2, i0+3)
		for _, z := range []float64{5.3, -5.3} {
			n := v3(0, 0, math.Copysign(1, z))
			c, d, e := s.vertex(p, v3(0, 2.95, z), n, 0, 0), s.vertex(p, v3(1.28*math.Cos(a0), 2.95+0.36*math.Sin(a0),
				z), n, 0, 0), s.vertex(p, v3(1.28*math.Cos(a1), 2.95+0.36*math.Sin(a1), z), n, 0, 0)
			if z > 0 {
				p.Indices = append(p.Indices, c, d, e)
			} else {
				p.Indices = append(p.Indices, c, e, d)
			}
		}
	}
	s.box("frame", iron, -1.1, 0.72, -5, 1.1, 0.95, 5)
	for _, z := range []float64{-3.6, 3.6} {
		for _, o := range []float64{-0.9, 0.9} {
			wheel(s, "wheels", iron, v3(-0.72, 0.43, z+o), 0.43, 0.12, 0)
			wheel(s, "wheels", iron, v3(0.72, 0.43, z+o), 0.43, 0.12, 0)
			s.tube("wheels", iron, 20, v3(-0.7, 0.43, z+o), v3(-0.68, 0.43, z+o), 0.4)
			s.tube("wheels", iron, 20, v3(0.68, 0.43, z+o), v3(0.7, 0.43, z+o), 0.4)
			s.tube("wheels", iron, 10, v3(-0.75, 0.43, z+o), v3(0.75, 0.43, z+o), 0.07)
		}
		s.box("bogies", iron, -0.95, 0.35, z-1.3, -0.85, 0.6, z+1.3)
		s.box("bogies", iron, 0.85, 0.35, z-1.3, 0.95, 0.6, z+1.3)
	}
	return s.done()
}

func track() *model.Model {
	s := newShape("track")
	steel, wood, gravel := s.surface("rail", 0.28, 0.22, 0.19, 0.45, 0),
		s.textured("sleeper", planks(0.25, 0.18, 0.13, 2, 51), 0.9),
		s.textured("ballast", speckle(0.42, 0.4, 0.38, 0.6, 60, 52), 0.95)
	const half = 60.0
	for _, x := range []float64{-0.7525, 0.7175} {
		s.box("rails", steel, x, 0.17, -half, x+0.07, 0.19, half)
		s.box("rails", steel, x+0.025, 0.12, -half, x+0.045, 0.17, half)
		s.box("rails", steel, x-0.03, 0.1, -half, x+0.1, 0.12, half)
	}
	for z := -half + 0.3; z < half; z += 0.6 {
		s.box("sleepers", wood, -1.3, 0.0, z-0.13, 1.3, 0.105, z+0.13)
	}
	s.quad("ballast", gravel, v3(-1.5, 0.04, half), v3(3, 0, 0), v3(0, 0, -2*half))
	s.quad("ballast", gravel, v3(-2.3, -0.2, half), v3(0.8, 0.24, 0), v3(0, 0, -2*half))
	s.quad("ballast", gravel, v3(1.5, 0.04, half), v3(0.8, -0.24, 0), v3(0, 0, -2*half))
	return s.done()
}

func waterTower() *model.Model {
	s := newShape("water tower")
	wood, iron, roof := s.textured("staves", planks(0.34, 0.24, 0.16, 8, 61), 0.85),
		s.surface("hoops", 0.09, 0.08, 0.08, 0.5, 0), s.surface("shingle", 0.2, 0.17, 0.15, 0.9, 0)
	for i := 0; i < 4; i++ {
		a := math.Pi/4 + float64(i)*math.Pi/2
		b := a + math.Pi/2
		foot, head := v3(2*math.Cos(a), 0, 2*math.Sin(a)), v3(1.5*math.Cos(a), 4.4, 1.5*math.Sin(a))
		s.tube("legs", wood, 8, foot, head, 0.14)
		s.tube("braces", wood, 6, foot.Lerp(head, 0.1),
			v3(2*math.Cos(b), 0, 2*math.Sin(b)).Lerp(v3(1.5*math.Cos(b), 4.4, 1.5*math.Sin(b)), 0.75), 0.06)
		s.tube("braces", wood, 6, foot.Lerp(head, 0.75),
			v3(2*math.Cos(b), 0, 2*math.Sin(b)).Lerp(v3(1.5*math.Cos(b), 4.4, 1.5*math.Sin(b)), 0.1), 0.06)
	}
	s.box("deck", wood, -1.8, 4.4, -1.8, 1.8, 4.56, 1.8)
	s.lathe("tank", wood, 28, v3(0, 4.56, 0), [2]float64{0, 0}, [2]float64{1.75, 0}, [2]float64{1.65, 2.6},
		[2]float64{0, 2.6})
	for i := 0; i < 5; i++ {
		y := 4.8 + float64(i)*0.5
		r := 1.76 - float64(i)*0.02
		s.lathe("hoops", iron, 28, v3(0, y, 0), [2]float64{r, 0}, [2]float64{r + 0.02, 0}, [2]float64{r + 0.02, 0.07},
			[2]float64{r, 0.07})
	}
	s.lathe("roof", roof, 28, v3(0, 7.14, 0), [2]float64{1.95, -0.06}, [2]float64{1.95, 0}, [2]float64{0.15, 1.1},
		[2]float64{0, 1.25})
	s.tube("spout", iron, 10, v3(1.6, 4.8, 0), v3(3.1, 4.2, 0), 0.1)
	s.tube("spout", iron, 10, v3(3.1, 4.2, 0), v3(3.2, 3.4, 0), 0.12)
	return s.done()
}

func conifer(name string, h float64, seed uint64) *model.Model {
	s := newShape(name)
	bark, green := s.textured("bark", speckle(0.23, 0.16, 0.11, 0.5, 24, seed), 0.95),
		s.textured("needles", needles(seed), 0.9, cutOut)
	r := rand.New(rand.NewPCG(seed, 7))
	s.lathe("trunk", bark, 10, geom.V{}, [2]float64{h * 0.03, 0}, [2]float64{h * 0.02, h * 0.2},
		[2]float64{h * 0.002, h})
	for y := h * 0.1; y < h*0.98; y += h * 0.026 {
		reach := (h - y) * (0.24 + 0.05*r.Float64())
		n := 7
		turn := r.Float64() * 6
		for i := 0; i < n; i++ {
			a := turn + 2*math.Pi*float64(i)/float64(n) + 0.4*r.Float64()
			sin, cos := math.Sincos(a)
			l := reach * (0.8 + 0.35*r.Float64())
			out, side := v3(l*cos, -l*(0.28+0.1*r.Float64()), -l*sin), v3(sin, 0, cos).Mul(l*0.42)
			p := s.into("branches", green)
			from := v3(0, y, 0)
			nrm := side.Cross(out).Unit()
			if nrm.Y < 0 {
				nrm = nrm.Mul(-1)
			}
			nrm = nrm.Add(v3(cos, 0.3, -sin).Mul(0.6)).Unit()
			i0 := s.vertex(p, from.Sub(side), nrm, 0, 1)
			s.vertex(p, from.Add(side), nrm, 1, 1)
			s.vertex(p, from.Add(out).Add(side), nrm, 1, 0)
			s.vertex(p, from.Add(out).Sub(side), nrm, 0, 0)
			p.Indices = append(p.Indices, i0, i0+1, i0+2, i0, i0+2, i0+3)
		}
	}
	return s.done()
}

func boulder() *model.Model {
	s := newShape("boulder")
	rock := s.textured("granite", speckle(0.45, 0.44, 0.43, 0.5, 30, 71), 0.92)
	s.ball("rock", rock, 24, v3(0, 0.5, 0), v3(0.9, 0.62, 0.7))
	p := s.into("rock", rock)
	for i := 0; i < len(p.Positions); i += 3 {
		x, y, z := float64(p.Positions[i]), float64(p.Positions[i+1]), float64(p.Positions[i+2])
		k := 1 + 0.22*rough(70, x*1.7+y, z*1.7-y*0.6, 3)
		p.Positions[i], p.Positions[i+1], p.Positions[i+2] = float32(x*k), float32(max(y*k, 0)), float32(z*k)
	}
	p.Normals = p.SmoothNormals()
	return s.done()
}

func grass() *model.Model {
	s := newShape("grass tuft")
	g := s.textured("blades", blades(81), 0.9, cutOut)
	for i := 0; i < 5; i++ {
		sin, cos := math.Sincos(math.Pi*float64(i)/5 + 0.3)
		p := s.into("blades", g)
		w := v3(cos*0.3, 0, -sin*0.3)
		off := v3(0.06*math.Sin(float64(i)*2), 0, 0.06*math.Cos(float64(i)*3))
		i0 := s.vertex(p, off.Sub(w), v3(0, 1, 0), 0, 1)
		s.vertex(p, off.Add(w), v3(0, 1, 0), 1, 1)
		s.vertex(p, off.Add(w).Add(v3(0, 0.42, 0)), v3(0, 1, 0), 1, 0)
		s.vertex(p, off.Sub(w).Add(v3(0, 0.42, 0)), v3(0, 1, 0), 0, 0)
		p.Indices = append(p.Indices, i0, i0+1, i0+2, i0, i0+2, i0+3)
	}
	return s.done()
}

func viaduct() *model.Model {
	s := newShape("viaduct")
	stone := s.textured("ashlar", stones(0.56, 0.52, 0.46, 4, 91), 0.92)
	const spans, pitch, height, thick, depth = 9, 22.0, 46.0, 4.0, 6.0
	left := -spans * pitch / 2
	for i := 0; i <= spans; i++ {
		x := left + float64(i)*pitch
		s.box("piers", stone, x-thick/2, 0, -depth/2, x+thick/2, height-9, depth/2)
	}
	r := (pitch - thick) / 2
	for i := 0; i < spans; i++ { // arches: the wall above each half circle
		cx := left + (float64(i)+0.5)*pitch
		for k := 0; k < 16; k++ {
			a0, a1 := math.Pi*float64(k)/16, math.Pi*float64(k+1)/16
			x0, y0, x1, y1 := cx+r*math.Cos(a0), height-9-r*0+r*math.Sin(a0)*0.85, cx+r*math.Cos(a1),
				height-9+r*math.Sin(a1)*0.85
			for _, z := range []float64{depth / 2, -depth / 2} {
				p := s.into("arches", stone)
				n := v3(0, 0, math.Copysign(1, z))
				i0 := s.vertex(p, v3(x1, y1, z), n, x1, -y1)
				s.vertex(p, v3(x0, y0, z), n, x0, -y0)
				s.vertex(p, v3(x0, height, z), n, x0, -height)
				s.vertex(p, v3(x1, height, z), n, x1, -height)
				if z > 0 {
					p.Indices = append(p.Indices, i0, i0+1, i0+2, i0, i0+2, i0+3)
				} else {
					p.Indices = append(p.Indices, i0, i0+2, i0+1, i0, i0+3, i0+2)
				}
			}
			s.quad("arches", stone, v3(x0, y0, depth/2), v3(x1-x0, y1-y0, 0), v3(0, 0, -depth))
		}
	}
	for i := 0; i <= spans; i++ {
		x := left + float64(i)*pitch
		s.box("piers", stone, x-thick/2, height-9, -depth/2, x+thick/2, height, depth/2)
	}
	s.box("deck", stone, left-thick, height, -depth/2-0.4, -left+thick, height+1.2, depth/2+0.4)
	s.box("parapet", stone, left-thick, height+1.2, -depth/2-0.3, -left+thick, height+2.4, -depth/2+0.2)
	s.box("parapet", stone, left-thick, height+1.2, depth/2-0.2, -left+thick, height+2.4, depth/2+0.3)
	return s.done()
}

func ridges() *model.Model {
	s := newShape("ridges")
	for k, d := range []float64{3200, 7000, 14000} {
		c := 0.15 + 0.11*float64(k)
		rock := s.surface("haze "+string(rune('a'+k)), c*0.9, c, c*1.16, 1, 0)
		p := s.into("ridge", rock)
		n := 160
		for i := 0; i <= n; i++ {
			a := (float64(i)/float64(n) - 0.5) * 2.9
			h := d * (0.075 + 0.045*rough(uint64(100+k), a*(5+float64(k)*2), float64(k), 5))
			x, z := d*math.Sin(a), -d*math.Cos(a)
			s.vertex(p, v3(x, -60, z), v3(-math.Sin(a), 0.6, math.Cos(a)), 0, 0)
			s.vertex(p, v3(x*1.06, max(h, 20), z*1.06), v3(-math.Sin(a), 0.9, math.Cos(a)), 0, 1)
			if i > 0 {
				b := uint32(len(p.Positions)/3) - 4
				p.Indices = append(p.Indices, b, b+2, b+3, b, b+3, b+1)
			}
		}
	}
	return s.done()
}

// land is the height of the ground: flat about the halt, rising away from it.
func land(x, z float64) float64 {
	away := max(math.Abs(x-1)-7, 0)
	if z < -90 {
		away = max(away, (-90-z)*0.6)
	}
	k := math.Min(away/60, 1)
	h := -0.06 + k*k*(10*rough(200, x/70, z/70, 4)+4) + 0.05*math.Min(away, 3)*rough(300, x/3, z/3, 2)
	far := math.Max(math.Hypot(x, z)-250, 0)
	return h - far*0.03
}

func terrain() *model.Model {
	s := newShape("meadow")
	soil := s.textured("turf", picture(256, func(u, v float64) (float64, float64, float64, float64) {
		k := 0.6 + 0.45*wrapped(7, u, v, 40) + 0.25*wrapped(8, u, v, 90)
		d := wrapped(9, u, v, 9)
		return (0.2 + 0.1*d) * k, (0.24 + 0.03*d) * k, (0.11 + 0.03*d) * k, 1
	}), 0.97)
	s.field("near", soil, 110, 110, -55, -75, 55, 35, 3, land)
	// The far land leaves the near one out.
	hole := func(x0, z0, x1, z1 float64, nx, nz int) { s.field("far", soil, nx, nz, x0, z0, x1, z1, 12, land) }
	hole(-900, -1900, 900, -75, 60, 60)
	hole(-900, 35, 900, 600, 60, 30)
	hole(-900, -75, -55, 35, 40, 10)
	hole(55, -75, 900, 35, 40, 10)
	return s.done()
}

func lantern() *model.Model {
	s := newShape("hand lantern")
	brass, glass, flame := s.surface("brass", 0.75, 0.53, 0.2, 0.35, 1),
		s.surface("globe", 1, 0.95, 0.88, 0.02, 0, func(m *model.Surface) { m.Transmission = 0.95 }),
		s.surface("flame", 0.2, 0.1, 0.02, 1, 0, glow(1, 0.62, 0.24, 30000))
	s.lathe("base", brass, 24, geom.V{}, [2]float64{0, 0}, [2]float64{0.075, 0}, [2]float64{0.08, 0.03},
		[2]float64{0.06, 0.07}, [2]float64{0.035, 0.09}, [2]float64{0, 0.09})
	s.lathe("globe", glass, 24, geom.V{}, [2]float64{0.04, 0.09}, [2]float64{0.062, 0.13}, [2]float64{0.062, 0.18},
		[2]float64{0.042, 0.23})
	s.ball("flame", flame, 10, v3(0, 0.14, 0), v3(0.011, 0.026, 0.011))
	s.lathe("cap", brass, 24, geom.V{}, [2]float64{0.05, 0.23}, [2]float64{0.055, 0.245}, [2]float64{0.03, 0.29},
		[2]float64{0.03, 0.31}, [2]float64{0, 0.315})
	for _, x := range []float64{-0.07, 0.07} {
		s.tube("frame", brass, 6, v3(x, 0.03, 0), v3(x*0.9, 0.25, 0), 0.005)
	}
	for i := 0; i < 10; i++ {
		a0, a1 := math.Pi*float64(i)/10, math.Pi*float64(i+1)/10
		s.tube("bail", brass, 6, v3(0.066*math.Cos(a0), 0.25+0.13*math.Sin(a0), 0),
			v3(0.066*math.Cos(a1), 0.25+0.13*math.Sin(a1), 0), 0.0035)
	}
	return s.done()
}
