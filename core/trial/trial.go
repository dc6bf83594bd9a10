// Package trial has scenes by which rendering is measured: made by code, each of something that makes noise in its own
// way, and what is measured of pictures of them.
package trial

import (
	"math"
	"math/rand/v2"

	"visator/core/air"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/model"
	"visator/core/render"
	"visator/core/sky"
)

// Trial is a scene to measure by.
type Trial struct {
	Name string
	Make func() (*render.Scene, *render.Camera, error)
}

// Trials are all of them.
var Trials = []Trial{{"a room lit through a window", room}, {"a street by night", street},
	{"a street in haze", haze}, {"glass", glass}, {"grass by the million", grass}, {"a grey ring", ring}}

// kit builds a model.
type kit struct{ m model.Model }

func (k *kit) surface(color [3]float64, rough float64, set func(*model.Surface)) int {
	s := model.DefaultSurface()
	s.BaseColor, s.Metallic, s.Roughness = [4]float64{color[0], color[1], color[2], 1}, 0, rough
	if set != nil {
		set(&s)
	}
	k.m.Surfaces = append(k.m.Surfaces, s)
	return len(k.m.Surfaces) - 1
}

func (k *kit) add(p model.Part) {
	k.m.Meshes = append(k.m.Meshes, model.Mesh{Parts: []model.Part{p}})
	n := model.NewNode("")
	n.Mesh = len(k.m.Meshes) - 1
	k.m.Nodes = append(k.m.Nodes, n)
	k.m.Roots = append(k.m.Roots, len(k.m.Nodes)-1)
}

// quad adds a + u*e1 + v*e2 to a part.
func quad(p *model.Part, a, e1, e2 geom.V) {
	n := uint32(len(p.Positions) / 3)
	for _, q := range []geom.V{a, a.Add(e1), a.Add(e1).Add(e2), a.Add(e2)} {
		p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
	}
	p.Indices = append(p.Indices, n, n+1, n+2, n, n+2, n+3)
}

// checks is a floor of squares of two colours, a vertex colour each, side metres wide.
func checks(surface, n int, side float64) model.Part {
	p := model.Part{Surface: surface}
	for i := range n {
		for j := range n {
			quad(&p, geom.V{X: side * (float64(i) - float64(n)/2), Z: side * (float64(j+1) - float64(n)/2)},
				geom.V{X: side}, geom.V{Z: -side})
			v := float32(0.25 + 0.6*float64((i+j)%2))
			for range 4 {
				p.Colors = append(p.Colors, v, v*0.9, v*0.7, 1)
			}
		}
	}
	return p
}

// box is a closed box, seen from outside.
func box(surface int, lo, hi geom.V) model.Part {
	p := model.Part{Surface: surface}
	d := hi.Sub(lo)
	x, y, z := geom.V{X: d.X}, geom.V{Y: d.Y}, geom.V{Z: d.Z}
	quad(&p, lo, y, x)
	quad(&p, lo.Add(z), x, y)
	quad(&p, lo, x, z)
	quad(&p, lo.Add(y), z, x)
	quad(&p, lo, z, y)
	quad(&p, lo.Add(x), y, z)
	return p
}

func ball(surface, n int, c geom.V, r float64) model.Part {
	p := model.Part{Surface: surface}
	for i := 0; i <= n; i++ {
		for j := 0; j <= 2*n; j++ {
			t, f := math.Pi*float64(i)/float64(n), math.Pi*float64(j)/float64(n)
			d := geom.V{X: math.Sin(t) * math.Cos(f), Y: math.Cos(t), Z: math.Sin(t) * math.Sin(f)}
			q := c.Add(d.Mul(r))
			p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
			p.Normals = append(p.Normals, float32(d.X), float32(d.Y), float32(d.Z))
		}
	}
	w := uint32(2*n + 1)
	for i := range uint32(n) {
		for j := range uint32(2 * n) {
			a := i*w + j
			p.Indices = append(p.Indices, a, a+1, a+w, a+1, a+w+1, a+w)
		}
	}
	return p
}

func (k *kit) scene() (*render.Scene, error) {
	s := &render.Scene{}
	err := s.Place(&render.Library{Threads: 2}, &k.m, geom.Identity, func(n int) uint32 { return uint32(n + 1) })
	return s, err
}

// look is a camera of a picture of 16 to 9.
func look(eye, to geom.V, yfov float64) *render.Camera {
	z := eye.Sub(to).Unit()
	x := geom.V{Y: 1}.Cross(z).Unit()
	y := z.Cross(x)
	tan := math.Tan(yfov / 2)
	return &render.Camera{World: geom.M{x.X, x.Y, x.Z, 0, y.X, y.Y, y.Z, 0, z.X, z.Y, z.Z, 0, eye.X, eye.Y, eye.Z, 1},
		TanX: tan * 16 / 9, TanY: tan}
}

// room is 6 x 3 x 5 m, lit by sky and sun through a window in its side.
func room() (*render.Scene, *render.Camera, error) {
	k := &kit{}
	wall := k.surface([3]float64{0.75, 0.72, 0.66}, 0.9, nil)
	k.add(checks(k.surface([3]float64{0.8, 0.7, 0.6}, 0.4, nil), 24, 0.25))
	var p model.Part
	p.Surface = wall
	quad(&p, geom.V{X: -3, Y: 3, Z: 2.5}, geom.V{Z: -5}, geom.V{X: 6})
	quad(&p, geom.V{X: -3, Z: -2.5}, geom.V{X: 6}, geom.V{Y: 3})
	quad(&p, geom.V{X: -3, Z: 2.5}, geom.V{Z: -5}, geom.V{Y: 3})
	quad(&p, geom.V{X: -3, Z: 2.5}, geom.V{X: 6}, geom.V{Y: 3})
	about := [][4]float64{{-2.5, -1, 0, 3}, {0.6, 2.5, 0, 3}, {-1, 0.6, 0, 0.9}, {-1, 0.6, 2.2, 3}} // the window
	for _, f := range about {
		quad(&p, geom.V{X: 3, Y: f[2], Z: f[0]}, geom.V{Z: f[1] - f[0]}, geom.V{Y: f[3] - f[2]})
	}
	k.add(p)
	wood := k.surface([3]float64{0.35, 0.2, 0.12}, 0.5, nil)
	k.add(box(wood, geom.V{X: -0.9, Y: 0.7, Z: -0.6}, geom.V{X: 0.9, Y: 0.75, Z: 0.5}))
	leg := k.surface([3]float64{0.1, 0.1, 0.1}, 0.3, func(s *model.Surface) { s.Metallic = 1 })
	for _, at := range [][2]float64{{-0.85, -0.55}, {0.8, -0.55}, {-0.85, 0.4}, {0.8, 0.4}} {
		k.add(box(leg, geom.V{X: at[0], Z: at[1]}, geom.V{X: at[0] + 0.05, Y: 0.7, Z: at[1] + 0.05}))
	}
	k.add(ball(k.surface([3]float64{0.7, 0.15, 0.1}, 0.25, nil), 24, geom.V{X: 0.3, Y: 0.95}, 0.2))
	k.add(ball(k.surface([3]float64{0.9, 0.9, 0.9}, 0.05, func(s *model.Surface) { s.Metallic = 1 }), 24,
		geom.V{X: -0.4, Y: 0.9, Z: 0.2}, 0.15))
	s, err := k.scene()
	if err != nil {
		return nil, nil, err
	}
	s.Env = &sky.Environment{Constant: geom.V{X: 2500, Y: 3200, Z: 4500}}
	s.Suns = []render.Sun{{To: geom.V{X: 0.75, Y: 0.55, Z: 0.2}.Unit(), Lux: geom.V{X: 70_000, Y: 66_000, Z: 58_000},
		Radius: 0.00465}}
	s.Build()
	return s, look(geom.V{X: -2.6, Y: 1.6, Z: 2.2}, geom.V{X: 0.6, Y: 0.9, Z: -0.8}, 0.85), nil
}

// street is a road of 120 m between houses, with sixty lamps and hardly any sky.
func street() (*render.Scene, *render.Camera, error) { return streetOf(60) }

// streetOf is one with so many lamps, as far apart as they must be.
func streetOf(count int) (*render.Scene, *render.Camera, error) {
	k := &kit{}
	r := rand.New(rand.NewPCG(5, 5))
	var road model.Part
	road.Surface = k.surface([3]float64{0.08, 0.08, 0.09}, 0.35, nil)
	quad(&road, geom.V{X: -30, Z: 10}, geom.V{X: 60}, geom.V{Z: -140})
	k.add(road)
	walls := []int{k.surface([3]float64{0.5, 0.4, 0.32}, 0.9, nil), k.surface([3]float64{0.35, 0.36, 0.4}, 0.9, nil),
		k.surface([3]float64{0.6, 0.56, 0.5}, 0.8, nil)}
	for i := range 12 {
		z := -10 * float64(i)
		for _, side := range []float64{-1, 1} {
			x := side * (7 + r.Float64())
			far := x + side*8
			k.add(box(walls[r.IntN(3)], geom.V{X: min(x, far), Z: z - 9.5},
				geom.V{X: max(x, far), Y: 6 + 9*r.Float64(), Z: z}))
		}
	}
	post := k.surface([3]float64{0.2, 0.2, 0.2}, 0.5, func(s *model.Surface) { s.Metallic = 1 })
	glow := k.surface([3]float64{0, 0, 0}, 1, func(s *model.Surface) { s.Emissive = [3]float64{900, 600, 250} })
	var lamps []lamp.Lamp
	for i := range count {
		side := float64(2*(i%2) - 1)
		at := geom.V{X: side * 5.5, Y: 4 + r.Float64(), Z: -120 * float64(i) / float64(count)}
		k.add(box(post, geom.V{X: at.X - 0.05, Z: at.Z - 0.05}, geom.V{X: at.X + 0.05, Y: at.Y - 0.3, Z: at.Z + 0.05}))
		cd := 60 + 200*r.Float64()
		lamps = append(lamps, lamp.Lamp{At: at, Candela: geom.V{X: cd, Y: 0.75 * cd, Z: 0.4 * cd}, Shape: lamp.Ball,
			Radius: 0.12, Seen: true})
		if i%max(count/12, 1) == 0 {
			k.add(box(glow, geom.V{X: side*6.8 - 0.1, Y: 2.4, Z: at.Z - 1}, geom.V{X: side*6.8 + 0.1, Y: 2.8, Z: at.Z}))
		}
	}
	s, err := k.scene()
	if err != nil {
		return nil, nil, err
	}
	s.Lamps = lamps
	s.Env = &sky.Environment{Constant: geom.V{X: 0.02, Y: 0.03, Z: 0.06}}
	s.Build()
	return s, look(geom.V{X: 1, Y: 1.7, Z: 4}, geom.V{X: -1, Y: 2.4, Z: -40}, 0.8), nil
}

// haze is the street in the morning: a low sun, fog above the ground and haze higher up, and a few lamps left on.
func haze() (*render.Scene, *render.Camera, error) {
	s, cam, err := streetOf(6)
	if err != nil {
		return nil, nil, err
	}
	sin, cos := math.Sincos(0.3)
	s.Suns = []render.Sun{{To: geom.V{X: 0.4 * cos, Y: sin, Z: -math.Sqrt(1-0.16) * cos}.Unit(), Radius: 0.01,
		Lux: geom.V{X: 15_000, Y: 12_000, Z: 8_000}}}
	s.Env = &sky.Environment{Constant: geom.V{X: 1500, Y: 1900, Z: 2600}}
	layer := func(sees, thin float64) air.Part {
		return air.Part{Shape: air.Layer, Sigma: air.Extinction(sees), Albedo: geom.V{X: 1, Y: 1, Z: 1}, Mean: 0.6,
			Thin: thin}
	}
	s.Air = &air.Air{Parts: []air.Part{layer(12_000, 300), layer(180, 2)}}
	s.Build()
	return s, cam, nil
}

// glass is a ball, a block and a pane of glass on squares, under a bright field and a sky.
func glass() (*render.Scene, *render.Camera, error) {
	k := &kit{}
	k.add(checks(k.surface([3]float64{0.8, 0.8, 0.8}, 0.7, nil), 40, 0.1))
	solid := func(s *model.Surface) { s.Transmission, s.Solid, s.IOR = 1, true, 1.5 }
	clear, rough := k.surface([3]float64{1, 1, 1}, 0, solid), k.surface([3]float64{0.7, 0.95, 0.8}, 0.3, solid)
	pane := k.surface([3]float64{0.9, 1, 0.95}, 0, func(s *model.Surface) { s.Transmission = 1 })
	k.add(ball(clear, 48, geom.V{X: -0.25, Y: 0.2}, 0.2))
	k.add(ball(rough, 48, geom.V{X: 0.25, Y: 0.2, Z: 0.1}, 0.2))
	k.add(box(clear, geom.V{X: -0.1, Z: 0.35}, geom.V{X: 0.1, Y: 0.12, Z: 0.5}))
	var p model.Part
	p.Surface = pane
	quad(&p, geom.V{X: -0.6, Z: -0.3}, geom.V{X: 1.2}, geom.V{Y: 0.6})
	k.add(p)
	red := k.surface([3]float64{0.6, 0.2, 0.15}, 0.8, nil)
	k.add(box(red, geom.V{X: -0.5, Z: -0.8}, geom.V{X: 0.5, Y: 0.4, Z: -0.6}))
	var field model.Part
	field.Surface = k.surface([3]float64{0, 0, 0}, 1,
		func(s *model.Surface) { s.Emissive = [3]float64{6000, 5600, 5000} })
	quad(&field, geom.V{X: -0.6, Y: 1.5, Z: -0.2}, geom.V{X: 0.8}, geom.V{Z: 0.6})
	k.add(field)
	s, err := k.scene()
	if err != nil {
		return nil, nil, err
	}
	s.Env = &sky.Environment{Constant: geom.V{X: 120, Y: 140, Z: 180}}
	s.Build()
	return s, look(geom.V{X: 0.1, Y: 0.55, Z: 1.3}, geom.V{Y: 0.15}, 0.7), nil
}

// grass is 1.2 million blades, tufts of 24 placed fifty thousand times, in low sun.
func grass() (*render.Scene, *render.Camera, error) { return meadow(50_000) }

// meadow is so many tufts of grass.
func meadow(tufts int) (*render.Scene, *render.Camera, error) {
	r := rand.New(rand.NewPCG(9, 1))
	k := &kit{}
	var tuft model.Part
	tuft.Surface = k.surface([3]float64{0.16, 0.3, 0.07}, 0.6, func(s *model.Surface) {
		s.DoubleSided, s.Leaf, s.LeafTint = true, 0.4, [3]float64{0.2, 0.4, 0.05}
	})
	for range 24 {
		at := geom.V{X: 0.08 * r.NormFloat64(), Z: 0.08 * r.NormFloat64()}
		turn := 2 * math.Pi * r.Float64()
		wide := geom.V{X: math.Cos(turn), Z: math.Sin(turn)}.Mul(0.008)
		lean := geom.V{X: 0.1 * r.NormFloat64(), Z: 0.1 * r.NormFloat64(), Y: 0.18 + 0.2*r.Float64()}
		n := uint32(len(tuft.Positions) / 3)
		for _, q := range []geom.V{at.Sub(wide), at.Add(wide), at.Add(lean.Mul(0.6)).Sub(wide.Mul(0.7)),
			at.Add(lean.Mul(0.6)).Add(wide.Mul(0.7)), at.Add(lean)} {
			tuft.Positions = append(tuft.Positions, float32(q.X), float32(q.Y), float32(q.Z))
		}
		tuft.Indices = append(tuft.Indices, n, n+1, n+3, n, n+3, n+2, n+2, n+3, n+4)
	}
	ground := &kit{}
	ground.add(checks(ground.surface([3]float64{0.2, 0.15, 0.1}, 1, nil), 2, 30))
	k.add(tuft)
	s := &render.Scene{}
	lib := &render.Library{Threads: 2}
	if err := s.Place(lib, &ground.m, geom.Identity, func(int) uint32 { return 1 }); err != nil {
		return nil, nil, err
	}
	for i := range tufts {
		at := geom.V{X: 30 * (r.Float64() - 0.5), Z: 30 * (r.Float64() - 0.5)}
		size := 0.7 + 0.6*r.Float64()
		top := geom.Compose(at, geom.Turn(geom.V{Y: 1}, 2*math.Pi*r.Float64()), geom.V{X: size, Y: size, Z: size})
		if err := s.Place(lib, &k.m, top, func(int) uint32 { return uint32(i + 2) }); err != nil {
			return nil, nil, err
		}
	}
	s.Env = &sky.Environment{Constant: geom.V{X: 2000, Y: 2600, Z: 3800}}
	s.Suns = []render.Sun{{To: geom.V{X: -0.6, Y: 0.4, Z: -0.5}.Unit(), Lux: geom.V{X: 60_000, Y: 50_000, Z: 38_000},
		Radius: 0.00465}}
	s.Build()
	return s, look(geom.V{Y: 0.9, Z: 9}, geom.V{Y: 0.3, Z: 4}, 0.7), nil
}

// ring is a million triangles, matte and grey, under an even sky.
func ring() (*render.Scene, *render.Camera, error) { return ringOf(708) }

// ringOf is a ring of 2 n x n triangles.
func ringOf(n int) (*render.Scene, *render.Camera, error) {
	k := &kit{}
	p := model.Part{Surface: k.surface([3]float64{0.5, 0.5, 0.5}, 1, nil)}
	for i := range n {
		for j := range n {
			u, v := 2*math.Pi*float64(i)/float64(n), 2*math.Pi*float64(j)/float64(n)
			r := 0.35 + 0.03*math.Sin(23*u+5*v)*math.Cos(17*v)
			q := 1 + r*math.Cos(v)
			p.Positions = append(p.Positions, float32(q*math.Cos(u)), float32(r*math.Sin(v)), float32(q*math.Sin(u)))
			a, b := uint32(i*n+j), uint32((i+1)%n*n+j)
			c, d := uint32((i+1)%n*n+(j+1)%n), uint32(i*n+(j+1)%n)
			p.Indices = append(p.Indices, a, c, b, a, d, c)
		}
	}
	k.add(p)
	s, err := k.scene()
	if err != nil {
		return nil, nil, err
	}
	s.Env = &sky.Environment{Constant: geom.V{X: 1, Y: 1, Z: 1}}
	s.Build()
	return s, look(geom.V{Y: 1.25, Z: 1.75}, geom.V{Z: 0.35}, math.Pi/4), nil
}

// Error is how far a picture is from a reference: the mean over pixels and channels of the squared difference over the
// square of the reference and a hundredth of the square of its mean.
func Error(picture, reference []float32) float64 {
	mean := 0.0
	for _, v := range reference {
		mean += float64(v) / float64(len(reference))
	}
	sum := 0.0
	for i, v := range reference {
		d := float64(picture[i]) - float64(v)
		sum += d * d / (float64(v)*float64(v) + 0.01*mean*mean)
	}
	return sum / float64(len(reference))
}
