package shoot

import (
	"context"
	"math"
	"testing"

	"visator/app/measure"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/render"
	"visator/core/stage"
	"visator/store"
)

// In a move a lamp burns from when to when, flickers about what it gives, and rides.
func TestLampsOfAMove(t *testing.T) {
	one := hungLamp{id: "bulb", of: "bulb", Lamp: light.DefaultLamp()}
	one.Begins, one.Ends, one.Hertz, one.Depth, one.Seed = 1, 3, 4, 0.5, 7
	at := func(s float64) hungLamp {
		return lampsAt([]hungLamp{one}, map[string]geom.M{"bulb": geom.Translation(geom.V{X: s})}, s)[0]
	}
	for s, on := range map[float64]bool{0: false, 0.99: false, 1: true, 2.99: true, 3: false} {
		if got := at(s); got.On != on || got.At.X != s || got.To.X != s {
			t.Errorf("at %v s it burns: %v, at %v", s, got.On, got.At)
		}
	}
	sum, least, most := 0.0, 1.0, 0.0
	const n = 2000
	one.Ends = 0
	for i := range n {
		dim := at(1 + float64(i)/24).Dim
		sum, least, most = sum+dim/n, min(least, dim), max(most, dim)
	}
	if math.Abs(sum-1) > 0.05 || least < 0.75-1e-9 || most > 1.25+1e-9 || most-least < 0.2 {
		t.Errorf("it flickers from %v to %v about %v", least, most, sum)
	}
	if one.Dim != 1 || !one.On {
		t.Error("the lamp of the set was changed")
	}
	l := &Loaded{lamps: []hungLamp{one}}
	if l.Still(nil, &light.State{}) {
		t.Error("a lamp that flickers holds still")
	}
}

// In a moving shot wind bends what is a plant, by its foot, and nothing else; what falls is before each frame's camera.
func TestWindBendsPlants(t *testing.T) {
	box := func(bends float64, wind float64, at float64) geom.Box {
		l := newLoaded(nil)
		l.models["box"], l.top["box"] = stage.ShapeModel("box"), geom.Identity
		l.stands = []loadedThing{{id: "p", key: "box", place: geom.Scaling(4), bends: bends}}
		ls := light.Default()
		ls.Wind, ls.WindFrom = wind, -math.Pi/2 // from the left
		k := stage.ShotSettings{Light: ls, Move: &motion.Move{Rate: 24}}
		if got := l.Still(k.Move, &ls); got != (wind == 0 || bends == 0) {
			t.Errorf("wind of %v m/s on a plant of %v m: still is %v", wind, bends, got)
		}
		s, err := l.Posed(context.Background(), &k, &stage.Cast{}, at)
		if err != nil {
			t.Fatal(err)
		}
		return s.Bounds()
	}
	calm := box(4, 0, 1)
	for _, at := range []float64{0, 0.5, 2} {
		if box(0, 10, at) != calm || box(4, 0, at) != calm {
			t.Error("it moves without wind, or what does not bend does")
		}
		b := box(4, 10, at)
		if b.Max.X < calm.Max.X+0.02 || math.Abs(b.Min.X-calm.Min.X) > 0.02 || math.Abs(b.Max.Y-calm.Max.Y) > 1e-6 {
			t.Errorf("at %v s wind from the left makes %v of %v", at, b, calm)
		}
	}
	if box(4, 10, 0.5) == box(4, 10, 1) {
		t.Error("it does not sway")
	}
	ls, v := light.Default(), optics.Default()
	s := &render.Scene{}
	if Falling(s, &ls, &v, 0) != s {
		t.Error("something falls from a clear sky")
	}
	ls.Falls = "rain"
	if got := Falling(s, &ls, &v, 1); got == s || got.Fall == nil {
		t.Error("nothing falls")
	}
}

// What a placement says of bending counts before what its piece is called; left to its kind, a tree bends and a chair
// does not.
func TestWhatBendsInWind(t *testing.T) {
	high := geom.Box{Min: geom.V{}, Max: geom.V{X: 1, Y: 3, Z: 1}}
	w := &measure.Snapshot{Library: (&measure.Sets{}).Boxed(map[string]geom.Box{"t": high, "c": high})}
	w.PieceOf = map[string]*store.Piece{"t": {Name: "birch tree"}, "c": {Name: "kitchen chair"}}
	l := newLoaded(nil)
	for _, c := range []struct {
		piece, says string
		want        float64
	}{{"t", "", 6}, {"t", "as its kind does", 6}, {"t", "no", 0}, {"c", "", 0}, {"c", "as its kind does", 0},
		{"c", "yes", 6}} {
		if got := l.bent(w, c.piece, c.says, 2); got != c.want {
			t.Errorf("%s, %q: %v, want %v", c.piece, c.says, got, c.want)
		}
	}
}
