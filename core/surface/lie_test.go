package surface

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"testing"

	"visator/core/bsdf"
	"visator/core/geom"
	"visator/core/model"
)

// brick is a body of one part with corners at lo and hi, without coordinates.
func brick(lo, hi geom.V) *model.Model {
	p := model.Part{Kind: model.Triangles}
	for i := range 8 {
		q := lo
		if i&1 != 0 {
			q.X = hi.X
		}
		if i&2 != 0 {
			q.Y = hi.Y
		}
		if i&4 != 0 {
			q.Z = hi.Z
		}
		p.Positions = append(p.Positions, float32(q.X), float32(q.Y), float32(q.Z))
	}
	for _, f := range [][4]uint32{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}} {
		p.Indices = append(p.Indices, f[0], f[1], f[2], f[0], f[2], f[3])
	}
	n := model.NewNode("brick")
	n.Mesh = 0
	s := model.DefaultSurface()
	s.Name = "clay"
	return &model.Model{Nodes: []model.Node{n}, Roots: []int{0}, Surfaces: []model.Surface{s},
		Meshes: []model.Mesh{{Parts: []model.Part{p}}}}
}

// ramped is a picture of n x n whose red tells how far right and whose green how far down a texel is.
func ramped(n int) []byte {
	m := image.NewNRGBA(image.Rect(0, 0, n, n))
	for y := range n {
		for x := range n {
			m.SetNRGBA(x, y, color.NRGBA{uint8(255 * x / (n - 1)), uint8(255 * y / (n - 1)), 128, 255})
		}
	}
	var out bytes.Buffer
	_ = png.Encode(&out, m)
	return out.Bytes()
}

// Once on each side of its box a picture shows whole on every side of it, whatever its proportions, upright and not
// turned over as it is seen from outside.
func TestOnceOnEachSide(t *testing.T) {
	m := brick(geom.V{X: 1, Y: 2, Z: -3}, geom.V{X: 4, Y: 2.5, Z: 5})
	mat := New()
	mat.Lay, mat.Maps = OnBox, map[string]Map{"base": {Blob: "p"}}
	out, err := Coat(m, geom.Scaling(0.01), []Match{{On{Surface: "clay"}, &mat}}, 0.01,
		func(string) ([]byte, error) { return ramped(8), nil })
	if err != nil {
		t.Fatal(err)
	}
	p := &out.Meshes[0].Parts[0]
	slot := out.Surfaces[0].Slots[model.BaseColorMap]
	for k := 0; k < len(p.Indices); k += 3 {
		face, c := corners(p, k)
		n := face.Unit()
		least, most := [2]float64{2, 2}, [2]float64{-1, -1}
		for i := range c {
			for a := range 2 {
				x := float64(p.UV[2*(k+i)+a])*slot.Scale[a] + slot.Offset[a]
				least[a], most[a] = min(least[a], x), max(most[a], x)
			}
		}
		if least != [2]float64{} || most != [2]float64{1, 1} {
			t.Errorf("on the side %v it runs from %v to %v", n, least, most)
		}
		if math.Abs(n.Y) > 0.5 {
			continue
		}
		// As it is seen along -n: to the right is up × n, and the picture grows that way and down.
		right := geom.V{Y: 1}.Cross(n)
		for i := range 3 {
			for j := range 3 {
				d := c[j].Sub(c[i])
				du, dv := p.UV[2*(k+j)]-p.UV[2*(k+i)], p.UV[2*(k+j)+1]-p.UV[2*(k+i)+1]
				if float64(du)*d.Dot(right) < 0 || float64(dv)*d.Y > 0 {
					t.Errorf("on the side %v it is turned over", n)
				}
			}
		}
	}
}

// A picture that is thrown from a camera lies as that camera sees it, on whatever is there: right and down in it are
// right and down, its middle is in the middle, twice as far away it is twice as large.
func TestThrownFromACamera(t *testing.T) {
	m := New()
	if m.Lay = AsThrown; m.Check() == nil {
		t.Error("it is thrown from nowhere")
	}
	m.Thrown = model.Throw{From: geom.V{X: 1, Y: 2, Z: 10}, Right: geom.V{X: 1}, Up: geom.V{Y: 1}, Wide: 0.8, High: 0.6}
	if err := m.Check(); err != nil {
		t.Fatal(err)
	}
	for _, far := range []float64{1, 2, 7} {
		for _, c := range [][2]float64{{0.5, 0.5}, {0, 0}, {1, 0}, {0.25, 0.9}} {
			at := geom.V{X: 1 + (c[0]-0.5)*0.8*far, Y: 2 - (c[1]-0.5)*0.6*far, Z: 10 - far}
			if u, v := m.Thrown.At(at); math.Abs(u-c[0]) > 1e-12 || math.Abs(v-c[1]) > 1e-12 {
				t.Errorf("%v m away %v is at %v %v", far, c, u, v)
			}
		}
	}
	if u, v := m.Thrown.At(m.Thrown.From); math.IsNaN(u) || math.IsNaN(v) {
		t.Error("where it is thrown from is nowhere")
	}
	s := model.DefaultSurface()
	m.Maps = map[string]Map{"base": {Blob: "p"}}
	m.Apply(&s, map[string]int{"base": 0}, 0)
	u, v, tan, bit := Placed(&s, 1, geom.V{X: 1.4, Y: 2, Z: 9}, geom.V{Z: 1}, 7, 7)
	if math.Abs(u-1) > 1e-12 || math.Abs(v-0.5) > 1e-12 || tan != (geom.V{X: 1}) || bit != (geom.V{Y: -1}) {
		t.Error(u, v, tan, bit)
	}
}

// Relief is as high as the material says, in metres whatever the units of the file, and as fine as is asked.
func TestReliefOfAMaterial(t *testing.T) {
	for _, metres := range []float64{1, 0.01} {
		m := brick(geom.V{}, geom.V{X: 2 / metres, Y: 2 / metres, Z: 2 / metres})
		mat := New()
		mat.Lay, mat.Relief = OnBox, 0.2
		mat.Maps = map[string]Map{"height": {Blob: "p"}}
		all := func(level uint8) func(string) ([]byte, error) {
			return func(string) ([]byte, error) {
				p := image.NewNRGBA(image.Rect(0, 0, 2, 2))
				for i := range 4 {
					p.SetNRGBA(i%2, i/2, color.NRGBA{level, level, level, 255})
				}
				var out bytes.Buffer
				err := png.Encode(&out, p)
				return out.Bytes(), err
			}
		}
		for level, want := range map[uint8]float64{255: 0.1, 0: -0.1} {
			out, err := Coat(m, geom.Scaling(metres), []Match{{On{Surface: "clay"}, &mat}}, 0.3, all(level))
			if err != nil {
				t.Fatal(err)
			}
			box := out.Bounds().Apply(geom.Scaling(metres))
			p := &out.Meshes[0].Parts[0]
			mid := 0.0 // how far the middle of the top is out
			for i := range len(p.Positions) / 3 {
				if q := p.Position(uint32(i)).Mul(metres); math.Abs(q.X-1) < 0.2 && math.Abs(q.Z-1) < 0.2 && q.Y > 1 {
					mid = q.Y - 2
				}
			}
			if math.Abs(mid-want) > 1e-3 {
				t.Errorf("%v a unit, level %d: the top is moved by %v, not %v (%v)", metres, level, mid, want, box)
			}
			if n := len(p.Indices) / 3; n < 12*4*4 {
				t.Errorf("%d triangles, of edges of 2 m that are to be 0.3 m", n)
			}
		}
		mat.Relief = 0
		if out, err := Coat(m, geom.Scaling(metres), []Match{{On{Surface: "clay"}, &mat}}, 0.3, all(255)); err != nil ||
			len(out.Meshes[0].Parts[0].Indices) != 36 {
			t.Errorf("without relief its shape is another: %v", err)
		}
	}
}

// Wear that counts on one side alone is on what faces that way, and on nothing that faces another, or lies level.
func TestWearOnOneSide(t *testing.T) {
	w := NewWear()
	w.Moss, w.MossOf, w.Sided, w.Side = 1, "#000000", true, math.Pi/2 // to +x, as the sun's direction is told
	ready := w.Ready(nil, nil)
	for n, covered := range map[geom.V]bool{{X: 1}: true, {X: -1}: false, {Z: 1}: false, {Z: -1}: false, {Y: 1}: false} {
		v := bsdf.Values{Base: geom.V{X: 1, Y: 1, Z: 1}}
		ready.At(&Place{P: geom.V{X: 0.3, Y: 0.2, Z: 0.7}, N: n, Bent: n, Open: func() float64 { return 1 }}, &v)
		if (v.Base.Y < 0.9) != covered || !covered && v.Base.Y != 1 {
			t.Errorf("on the side %v it is %v", n, v.Base.Y)
		}
	}
}

// Wear counts within its area, turned as things are, and by as much as its picture says there.
func TestWearInAnArea(t *testing.T) {
	w := NewWear()
	w.Dust, w.DustOf = 1, "#000000"
	w.Map = Map{Blob: "p"}
	if w.Check() == nil {
		t.Error("a picture is laid over no area")
	}
	w.AreaWide, w.AreaDeep, w.AreaX, w.AreaZ, w.AreaTurn = 8, 2, 100, 50, math.Pi/2
	if err := w.Check(); err != nil {
		t.Fatal(err)
	}
	at := func(ready *Weather, x, z float64) float64 {
		v := bsdf.Values{Base: geom.V{X: 1, Y: 1, Z: 1}}
		ready.At(&Place{P: geom.V{X: x, Z: z}, N: geom.V{Y: 1}, Bent: geom.V{Y: 1}, Open: func() float64 { return 1 }}, &v)
		return 1 - v.Base.Y
	}
	plain := w.Ready(nil, nil)
	// By a quarter turn it is 8 m along z and 2 m along x.
	if a, b, c := at(&plain, 100, 53), at(&plain, 103, 50), at(&plain, 100, 50); a < 0.4 || b != 0 || c < 0.4 {
		t.Errorf("along it %v, beside it %v, in its middle %v", a, b, c)
	}
	square := w
	square.AreaDeep = 0
	plain = square.Ready(nil, nil)
	if a, b := at(&plain, 103, 50), at(&plain, 105, 50); a < 0.3 || b != 0 {
		t.Errorf("as deep as wide it is %v within, %v beside", a, b)
	}
	// Things that are turned by a quarter have their right to -z: the picture's right is there.
	ramp := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	ramp.SetNRGBA(0, 0, color.NRGBA{0, 0, 0, 255})
	ramp.SetNRGBA(1, 0, color.NRGBA{255, 255, 255, 255})
	masked := w.Ready(nil, ramp)
	turned := geom.Turn(geom.V{Y: 1}, math.Pi/2).Rotate(geom.V{X: 3})
	if white, black := at(&masked, 100+turned.X, 50+turned.Z), at(&masked, 100-turned.X, 50-turned.Z); black > 1e-6 ||
		white < 0.4 {
		t.Errorf("where it is white %v, where it is black %v", white, black)
	}
}
