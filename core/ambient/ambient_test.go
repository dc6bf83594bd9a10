package ambient

import (
	"context"
	"encoding/binary"
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/model"
	"visator/core/openexr"
	"visator/core/render"
	"visator/core/sky"
	"visator/core/stage"
)

// scene is boxes of a grey, from their foot up, under a sky of 1000 cd/m² all around.
func scene(t *testing.T, grey float64, boxes ...[2]geom.V) *render.Scene {
	t.Helper()
	m := *stage.ShapeModel("box")
	m.Surfaces = append([]model.Surface{}, m.Surfaces...)
	for i := range m.Surfaces {
		m.Surfaces[i].BaseColor = [4]float64{grey, grey, grey, 1}
		m.Surfaces[i].Roughness, m.Surfaces[i].Metallic = 1, 0
	}
	s := &render.Scene{Env: sky.New([]float32{1, 1, 1, 1, 1, 1}, 2, 1, 1000, 0)}
	lib := render.Library{Threads: 2}
	for _, b := range boxes {
		if err := s.Place(&lib, &m, geom.Compose(b[0], geom.Q{W: 1}, b[1]), func(int) uint32 { return 1 }); err != nil {
			t.Fatal(err)
		}
	}
	s.Build()
	return s
}

func worked(t *testing.T, s *render.Scene, focus geom.V) *Grid {
	t.Helper()
	g, err := Work(context.Background(), s, Around(focus, 0), 32, 2, nil)
	if err != nil {
		t.Fatal(err)
	}
	return g
}

// In an open sky of one luminance every plane gets π times it, wherever it stands and whichever way it looks.
func TestAnEvenSky(t *testing.T) {
	g := worked(t, scene(t, 0.5), geom.V{})
	for _, p := range []geom.V{{}, {X: 7, Y: 2, Z: 3}, {X: 40, Y: 10}, {X: 900, Y: 500}} {
		for _, n := range []geom.V{{Y: 1}, {X: 1}, {Y: -1}, {X: 0.6, Z: -0.8}} {
			if got := g.Lux(p, n).Y; math.Abs(got-1000*math.Pi) > 0.08*1000*math.Pi { // 32 paths a place
				t.Errorf("at %v towards %v: %.0f lx, want %.0f", p, n, got, 1000*math.Pi)
			}
		}
	}
}

// Close to the foot of a high wall that gives nothing back, half of the sky is left to the ground and to the wall
// itself half of what there was above the ground; a surface beneath gets what the ground gives back.
func TestAWallTakesHalf(t *testing.T) {
	dark := scene(t, 0, [2]geom.V{{Y: -1}, {X: 400, Y: 1, Z: 400}}, [2]geom.V{{Y: 0, Z: -100.1}, {X: 400, Y: 200, Z: 200}})
	g := worked(t, dark, geom.V{Z: 5})
	full := 1000 * math.Pi
	for _, c := range []struct {
		p, n geom.V
		want float64
	}{{geom.V{Z: 0.4}, geom.V{Y: 1}, full / 2}, {geom.V{Y: 2, Z: 0}, geom.V{Z: 1}, full / 2},
		{geom.V{Y: 4, Z: 30}, geom.V{Y: -1}, 0}} {
		if got := g.Lux(c.p, c.n).Y; math.Abs(got-c.want) > 0.13*full {
			t.Errorf("at %v towards %v: %.0f lx, want %.0f", c.p, c.n, got, c.want)
		}
	}
	grey := worked(t, scene(t, 0.4, [2]geom.V{{Y: -1}, {X: 4000, Y: 1, Z: 4000}}), geom.V{})
	if got, want := grey.Lux(geom.V{Y: 3}, geom.V{Y: -1}).Y, 0.4*full; math.Abs(got-want) > 0.1*full {
		t.Errorf("the ground gives back %.0f lx, want %.0f", got, want)
	}
}

// Suns and lamps are left out, what they throw back is not: a floor of 0.5 beneath a sun of 10,000 lx gives back 5000.
func TestSunsAndLampsAreLeftOut(t *testing.T) {
	s := scene(t, 0.5, [2]geom.V{{Y: -1}, {X: 4000, Y: 1, Z: 4000}})
	s.Env = nil
	c := 10_000.0
	sunny := s.Relit(nil, []render.Sun{{To: geom.V{Y: 1}, Lux: geom.V{X: c, Y: c, Z: c}, Radius: 0.005}}, nil, nil)
	g := worked(t, sunny, geom.V{})
	if got := g.Lux(geom.V{Y: 2}, geom.V{Y: 1}).Y; got > 0.05*c {
		t.Errorf("from above %.0f lx", got)
	}
	if got := g.Lux(geom.V{Y: 2}, geom.V{Y: -1}).Y; math.Abs(got-c/2) > 0.06*c {
		t.Errorf("from below %.0f lx, want %.0f", got, c/2)
	}
	lit := s.Relit([]lamp.Lamp{{At: geom.V{Y: 3}, Shape: lamp.Ball, Radius: 0.3, Seen: true,
		Candela: geom.V{X: c, Y: c, Z: c}}}, nil, nil, nil)
	g = worked(t, lit, geom.V{})
	up := g.Lux(geom.V{X: 0.5, Y: 1}, geom.V{Y: 1}).Y
	if direct := c / 4; up > 0.1*direct {
		t.Errorf("the lamp itself is in it: %.0f lx", up)
	}
	if down := g.Lux(geom.V{X: 0.5, Y: 1}, geom.V{Y: -1}).Y; down < 100 {
		t.Errorf("what it throws back is not: %.0f lx", down)
	}
}

// Places within a body take what is around it, and work that is cancelled ends.
func TestPlacesWithinABody(t *testing.T) {
	s := scene(t, 0.5, [2]geom.V{{Y: -3}, {X: 100, Y: 3, Z: 100}}, [2]geom.V{{}, {X: 4, Y: 3, Z: 4}})
	g := worked(t, s, geom.V{})
	if got := g.Lux(geom.V{Y: 3}, geom.V{Y: 1}).Y; got < 0.8*1000*math.Pi {
		t.Errorf("on top of a box %.0f lx", got)
	}
	ctx, end := context.WithCancel(context.Background())
	end()
	if _, err := Work(ctx, s, Around(geom.V{}, 0), 4, 2, nil); err == nil {
		t.Error("it goes on")
	}
}

// A browser gets what there is, to a thousandth.
func TestPacked(t *testing.T) {
	g := &Grid{Levels: Around(geom.V{X: 3, Z: -2}, 1), Values: make([]float32, 4*3*Levels*NX*NY*NZ)}
	for i := range g.Values {
		g.Values[i] = float32(i%1000) * 100
	}
	raw := g.Packed()
	word := func(i int) uint32 { return binary.LittleEndian.Uint32(raw[4*i:]) }
	if len(raw) != 20+16*Levels+2*len(g.Values) || word(0) != NX || word(1) != NY || word(2) != NZ || word(3) != Levels {
		t.Fatalf("%d bytes", len(raw))
	}
	times := math.Float32frombits(word(4))
	if from := math.Float32frombits(word(5)); float64(from) != g.Levels[0].From.X {
		t.Errorf("it begins at %v", from)
	}
	for i := range g.Values {
		got := openexr.Half(binary.LittleEndian.Uint16(raw[20+16*Levels+2*i:])) * times
		if math.Abs(float64(got-g.Values[i])) > 1e-3*float64(g.Values[i])+1e-2 {
			t.Fatalf("value %d is %v, want %v", i, got, g.Values[i])
		}
	}
}

// What glows and is large is in the light that fills the set, what is as small as a lamp is not.
func TestWhatGlows(t *testing.T) {
	for wide, want := range map[float64]bool{4: true, 0.3: false} {
		m := *stage.ShapeModel("box")
		m.Surfaces = append([]model.Surface{}, m.Surfaces...)
		for i := range m.Surfaces {
			m.Surfaces[i].BaseColor, m.Surfaces[i].Emissive = [4]float64{0, 0, 0, 1}, [3]float64{1000, 1000, 1000}
		}
		s := &render.Scene{}
		if err := s.Place(&render.Library{}, &m, geom.Compose(geom.V{Y: 4}, geom.Q{W: 1}, geom.V{X: wide, Y: wide,
			Z: wide}), func(int) uint32 { return 1 }); err != nil {
			t.Fatal(err)
		}
		s.Build()
		if got := worked(t, s, geom.V{}).Lux(geom.V{Y: 1}, geom.V{Y: 1}).Y; got > 50 != want {
			t.Errorf("a box of %v m gives %v lx", wide, got)
		}
	}
}

// A lamp on a plate sends nothing down past it, half to its sides and all up; one that hangs free sends all.
func TestWhatHoldsALampKeepsItsLight(t *testing.T) {
	s := scene(t, 0.5, [2]geom.V{{Y: 1}, {X: 2, Y: 0.05, Z: 2}})
	lit := s.Relit([]lamp.Lamp{{At: geom.V{Y: 1.08}, Candela: geom.V{X: 1, Y: 1, Z: 1}},
		{At: geom.V{Y: 5}, Candela: geom.V{X: 1, Y: 1, Z: 1}}}, nil, nil, nil)
	list := Opens(lit)
	if len(list) != 2 {
		t.Fatal(list)
	}
	// towards is the share nearest to a direction.
	towards := func(o Open, d geom.V) float64 {
		best, share := -1.0, 0.0
		for i, v := range o.Share {
			at := unfolded((float64(i%OpenSide)+0.5)/OpenSide*2-1, (float64(i/OpenSide)+0.5)/OpenSide*2-1)
			if c := at.Dot(d); c > best {
				best, share = c, v
			}
		}
		return share
	}
	sum := 0.0
	for i, v := range list[0].Share {
		at := unfolded((float64(i%OpenSide)+0.5)/OpenSide*2-1, (float64(i/OpenSide)+0.5)/OpenSide*2-1)
		if v > 1e-9 && v < 1-1e-9 && math.Abs(at.Y) > 0.3 {
			t.Errorf("%v on a plate towards %v", v, at)
		}
		sum += v
	}
	for _, c := range []struct {
		d    geom.V
		want float64
	}{{geom.V{Y: 1}, 1}, {geom.V{Y: -1}, 0}, {geom.V{X: 0.8, Y: 0.6}, 1}, {geom.V{X: 0.8, Y: -0.6}, 0},
		{geom.V{Z: -0.8, Y: 0.6}, 1}, {geom.V{Z: -0.8, Y: -0.6}, 0}} {
		if got := towards(list[0], c.d); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("on a plate towards %v: %v", c.d, got)
		}
	}
	if half := float64(OpenSide*OpenSide) / 2; math.Abs(sum-half) > 0.08*half {
		t.Errorf("%v of %v are open", sum, 2*half)
	}
	for _, share := range list[1].Share {
		if math.Abs(share-1) > 1e-9 {
			t.Errorf("free %v", share)
		}
	}
}
