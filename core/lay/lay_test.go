package lay

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/model"
)

func near(t *testing.T, what string, got, want, tol float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tol) {
		t.Errorf("%s is %.6f, want %.6f within %g", what, got, want, tol)
	}
}

func square(side float64) []P { return []P{{0, 0}, {side, 0}, {side, side}, {0, side}} }

// A chain that hangs: of all curves through its ends it has sag and length of
// the catenary. Worked example: parameter a = 100 m over 100 m between equal
// supports has sag a (cosh d/2a - 1) = 12.7626 m and length 2a sinh d/2a =
// 104.2191 m (y = a cosh x/a; Lockwood, A Book of Curves, 1961). Between unequal
// supports L² - v² = (2a sinh d/2a)² (ibid.).
func TestLinesHangAsCatenaries(t *testing.T) {
	c := Hang(100, 0, 100*(math.Cosh(0.5)-1))
	near(t, "the parameter", c.A, 100, 1e-6)
	near(t, "the sag", -c.At(50), 12.7626, 1e-4)
	near(t, "the length", c.Length(100), 104.2191, 1e-4)
	for _, k := range []struct{ d, v, sag float64 }{{8, 1.5, 0.4}, {30, -4, 3}, {3, 2.9, 0.01}, {12, 0, 20},
		{50, 10, 1e-4}} {
		c := Hang(k.d, k.v, k.sag)
		near(t, "height at the start", c.At(0), 0, 1e-9)
		near(t, "height at the end", c.At(k.d), k.v, 1e-6)
		near(t, "sag in the middle", k.v/2-c.At(k.d/2), k.sag, 1e-6*max(k.sag, 1))
		l, s := c.Length(k.d), 2*c.A*math.Sinh(k.d/(2*c.A))
		near(t, "L² - v²", (l*l-k.v*k.v)/(s*s), 1, 1e-6)
	}
}

func line(sag float64) *Garland {
	return &Garland{Points: []geom.V{{Y: 4}, {X: 10, Y: 4}, {X: 15, Y: 5, Z: 2}}, Sag: sag, Thick: 0.012,
		Pieces: []Share{{"lamp", 1}}, Spacing: 1, Start: 0.5}
}

func TestThingsHangOnALine(t *testing.T) {
	l := line(0.6)
	if err := l.Check(); err != nil {
		t.Fatal(err)
	}
	out := l.Lay()
	c := Hang(10, 0, 0.6)
	for i, in := range out.Instances[:8] {
		near(t, "height of a lamp", in.At.Y-4, c.At(in.At.X), 2e-3) // on chords of a thirty-second
		if i > 0 {
			near(t, "way to the next", in.At.Sub(out.Instances[i-1].At).Len(), 1, 2e-3)
		}
	}
	b := contact.New(out.Model, geom.Identity)
	if !b.Closed {
		t.Error("the line's tubes are not closed")
	}
	l.Points[1] = geom.V{X: 0, Y: 1}
	if err := l.Check(); err == nil {
		t.Error("a line between supports above one another is accepted")
	}
}

func drift(side, density float64) *Scatter {
	return &Scatter{Area: square(side), Pieces: []Share{{"a", 3}, {"b", 1}}, Density: density, SizeMin: 0.8,
		SizeMax: 1.2, Turn: math.Pi, Seed: 7}
}

type flat struct{ slope float64 }

func (f flat) Under(x, z, from float64) (float64, geom.V, bool) {
	return f.slope * x, geom.V{X: -f.slope, Y: 1}.Unit(), true
}

// The points of a Poisson-disc process: none nearer than r, as many as were
// asked for, evenly: the count of quadrats varies far less than by chance alone,
// where variance and mean are equal (Diggle, Statistical Analysis of Spatial
// Point Patterns, 1983), and no neighbour is farther than 2r when it is packed.
func TestDriftsAreBlueNoise(t *testing.T) {
	d := drift(100, 1.5)
	if err := d.Check(); err != nil {
		t.Fatal(err)
	}
	out, err := d.Lay(flat{}, nil, 2)
	if err != nil {
		t.Fatal(err)
	}
	n := len(out.Instances)
	near(t, "how many", float64(n), 15000, 200)
	r := d.radius()
	grid := map[[2]int][]P{}
	count := map[string]int{}
	for _, in := range out.Instances {
		k := [2]int{int(in.At.X / r), int(in.At.Z / r)}
		grid[k] = append(grid[k], P{in.At.X, in.At.Z})
		count[in.Piece]++
	}
	far, quadrats := 0, map[[2]int]int{}
	for k, list := range grid {
		for _, p := range list {
			best := math.Inf(1)
			for dz := -2; dz <= 2; dz++ {
				for dx := -2; dx <= 2; dx++ {
					for _, q := range grid[[2]int{k[0] + dx, k[1] + dz}] {
						if p != q {
							best = min(best, p.sub(q).len())
						}
					}
				}
			}
			if best < r {
				t.Fatalf("two are %.4f m apart, at least %.4f m were asked for", best, r)
			}
			if best > 2*r {
				far++
			}
			quadrats[[2]int{int(p.X / 5), int(p.Z / 5)}]++
		}
	}
	if float64(far) > 0.01*float64(n) {
		t.Errorf("%d of %d stand alone", far, n)
	}
	mean, varc := float64(n)/400, 0.0
	for i := range 20 {
		for j := range 20 {
			e := float64(quadrats[[2]int{i, j}]) - mean
			varc += e * e / 400
		}
	}
	if index := varc / mean; index > 0.25 {
		t.Errorf("quadrats vary %.2f times as much as by chance", index)
	}
	near(t, "the share of the heavier piece", float64(count["a"])/float64(n), 0.75, 0.015)
}

// Discs put down by chance until none fits cover 0.547 of the plain (Feder,
// 1980); fourteen darts a cell come near.
func TestDartsNearlyJam(t *testing.T) {
	g := scatter(3, rect{0, 0, 200, 200}, 1, 2)
	cover := float64(g.count) / (float64(g.nx) * g.cell * float64(g.nz) * g.cell) * math.Pi / 4
	if cover > Jammed+0.01 || cover < 0.9*Jammed {
		t.Errorf("covered %.3f, jammed is %.3f", cover, Jammed)
	}
}

func TestADriftIsTheSameOnAnyNumberOfThreads(t *testing.T) {
	d := drift(60, 2)
	d.Clump, d.Clumps, d.Edge, d.Tilt, d.Follow = 0.7, 9, 4, 0.1, 0.5
	one, _ := d.Lay(flat{0.2}, nil, 1)
	many, _ := d.Lay(flat{0.2}, nil, 7)
	if len(one.Instances) != len(many.Instances) || len(one.Instances) == 0 {
		t.Fatalf("%d and %d", len(one.Instances), len(many.Instances))
	}
	for i := range one.Instances {
		if one.Instances[i] != many.Instances[i] {
			t.Fatalf("instance %d differs", i)
		}
	}
	d.Seed++
	if other, _ := d.Lay(flat{0.2}, nil, 2); len(other.Instances) > 0 && other.Instances[0] == one.Instances[0] {
		t.Error("another seed lays the same")
	}
}

func TestADriftKeepsOut(t *testing.T) {
	d := drift(40, 2)
	d.Keep = [][]P{{{10, 10}, {30, 10}, {30, 30}, {10, 30}}}
	d.Strokes = []Brush{{Take: true, Points: []P{{0, 5}, {40, 5}}, Radius: 2}, {Points: []P{{60, 20}}, Radius: 5}}
	out, _ := d.Lay(flat{}, nil, 2)
	added := 0
	for _, in := range out.Instances {
		p := P{in.At.X, in.At.Z}
		if Holds(d.Keep[0], p) || math.Abs(p.Z-5) < 2 && p.X < 40 {
			t.Fatalf("one stands at %v", p)
		}
		if p.X > 50 {
			added++
		}
	}
	near(t, "what the brush added", float64(added), 2*math.Pi*25, 30)
	d.SlopeTo = 0.1
	if out, _ := d.Lay(flat{0.2}, nil, 2); len(out.Instances) > 0 {
		t.Error("something stands on ground that is too steep")
	}
	d.Density = 1e6
	if err := d.Check(); err == nil || !strings.Contains(err.Error(), "billion") {
		t.Errorf("a billion things: %v", err)
	}
}

func TestRowsStandWhereTheyShould(t *testing.T) {
	r := &Array{Shape: "line", Points: []P{{0, 0}, {10, 0}}, Pieces: []Share{{"a", 1}, {"b", 1}}, InTurn: true,
		By: "count", Count: 5, Start: 1, End: 1, Rest: true}
	wide := func(string) float64 { return 0.9 }
	lay := func() []Instance {
		t.Helper()
		if err := r.Check(); err != nil {
			t.Fatal(err)
		}
		out, err := r.Lay(flat{0.1}, wide)
		if err != nil {
			t.Fatal(err)
		}
		return out.Instances
	}
	for i, in := range lay() {
		near(t, "its place", in.At.X, 1+2*float64(i), 1e-9)
		near(t, "its height", in.At.Y, 0.1*in.At.X, 1e-9)
		if want := []string{"a", "b"}[i%2]; in.Piece != want {
			t.Errorf("thing %d is %s, want %s", i, in.Piece, want)
		}
	}
	r.By, r.Spacing = "spacing", 1.5
	if n := len(lay()); n != 6 {
		t.Errorf("8 m by 1.5 m: %d things, want 6", n)
	}
	r.By, r.Spacing = "fill", 0.1
	if list := lay(); len(list) != 8 || math.Abs(list[0].At.X-1.45) > 1e-9 || math.Abs(list[7].At.X-8.55) > 1e-9 {
		t.Errorf("fill: %v", list)
	}
	r.Shape, r.By, r.Count, r.Start, r.End = "circle", "count", 8, 0, 0
	r.Points = []P{{5, 5}, {8, 5}}
	for _, in := range lay() {
		near(t, "distance from the middle", math.Hypot(in.At.X-5, in.At.Z-5), 3, 2e-3)
	}
	r.Shape, r.Points, r.By, r.Spacing, r.Rows = "grid", []P{{0, 0}, {4, 3}}, "spacing", 1, 1.5
	if n := len(lay()); n != 15 {
		t.Errorf("a grid of 5 by 3 has %d things", n)
	}
	r.Spacing = 1e-2
	r.Points[1] = P{400, 300}
	if err := r.Check(); err == nil || !strings.Contains(err.Error(), "at most") {
		t.Errorf("too many: %v", err)
	}
}

// A room of 4 by 3 m with walls of 0.2 m and 2.5 m high: 2 · 0.2 · (4.2 + 3.2) ·
// 2.5 m³ of wall, less a door of 0.9 by 2.1 and a window of 1.2 by 1 m.
func room() *Room {
	return &Room{Outline: []P{{0, 0}, {4, 0}, {4, 3}, {0, 3}}, Height: 2.5, Wall: 0.2, Ceiling: true,
		Openings: []Opening{
			{Wall: 0, Along: 1, Width: 0.9, Head: 2.1, Door: "left"}, {Wall: 2, Along: 2, Width: 1.2, Sill: 0.9,
				Head: 1.9, Frame: 0.06}}}
}

func TestARoomHasItsWallsAndOpenings(t *testing.T) {
	r := room()
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	out := r.Lay()
	wall := *out.Model
	wall.Meshes = []model.Mesh{{Parts: nil}}
	for _, p := range out.Model.Meshes[0].Parts {
		if p.Name == "wall" {
			wall.Meshes[0].Parts = append(wall.Meshes[0].Parts, p)
		}
	}
	b := contact.New(&wall, geom.Identity)
	if !b.Closed {
		t.Fatal("the walls are not closed")
	}
	near(t, "the walls' volume", b.Volume, 2*0.2*(4.2+3.2)*2.5-0.2*(0.9*2.1+1.2*1), 1e-4)
	if !contact.New(out.Model, geom.Identity).Closed {
		t.Error("the room's parts are not all closed")
	}
	if len(out.Swings) != 1 {
		t.Fatalf("%d doors", len(out.Swings))
	}
	// Wall 0 runs from left to right seen from inside: its left hinge is where
	// the opening begins, and the leaf swings to +Z, into the room.
	s := out.Swings[0]
	near(t, "the hinge", s.Hinge.X, 0.55, 1e-9)
	near(t, "the closed leaf", s.Closed, 0, 1e-9)
	near(t, "the open leaf", s.Open, math.Pi/2, 1e-9)
	r.Openings[0].Door, r.Openings[0].Out = "right", true
	s = r.Lay().Swings[0]
	near(t, "the right hinge", s.Hinge.X, 1.45, 1e-9)
	near(t, "the open leaf", math.Sin(s.Open), -1, 1e-9)
}

// A door of 0.9 m that stands open by 60° into the room reaches 0.9 sin 60° = 0.779 m into
// it, one that opens outwards as far beyond the wall's outer face; its leaf stays as large,
// and it stands where its swing says.
func TestDoorsStandOpen(t *testing.T) {
	leaf := func(r *Room) *contact.Body {
		m := *r.Lay().Model
		parts := m.Meshes[0].Parts
		m.Meshes = []model.Mesh{{}}
		for _, p := range parts {
			if p.Name == "door" {
				m.Meshes[0].Parts = append(m.Meshes[0].Parts, p)
			}
		}
		return contact.New(&m, geom.Identity)
	}
	for _, hinges := range []string{"left", "right"} {
		r := room()
		r.Openings[0].Door = hinges
		closed := leaf(r)
		r.Openings[0].Ajar = math.Pi / 3
		if err := r.Check(); err != nil {
			t.Fatal(err)
		}
		open := leaf(r)
		near(t, "how far it reaches in", open.Box.Max.Z, 0.9*math.Sin(math.Pi/3), 1e-6)
		near(t, "the leaf's volume", open.Volume, closed.Volume, 1e-6)
		s := r.Lay().Swings[0]
		near(t, "where it stands", math.Abs(s.Stands-s.Closed), math.Pi/3, 1e-9)
		near(t, "towards open", (s.Stands-s.Closed)/(s.Open-s.Closed), 2.0/3, 1e-9)
		r.Openings[0].Out = true
		near(t, "how far it reaches out", leaf(r).Box.Min.Z, -0.2-0.9*math.Sin(math.Pi/3), 1e-6)
		r.Openings[0].Ajar = 4
		if r.Check() == nil {
			t.Error("it stands open by more than half a turn")
		}
	}
}

func TestAFacadeOfOneBay(t *testing.T) {
	r := &Room{Open: true, Outline: []P{{0, 0}, {20, 0}}, Height: 9, Wall: 0.3,
		Openings: []Opening{{Wall: 0, Along: 2, Width: 1.2, Sill: 0.9, Head: 2.4, Bays: 6, Pitch: 3, Floors: 3,
			Storey: 3, Filling: "window"}}}
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	out := r.Lay()
	if len(out.Instances) != 18 {
		t.Fatalf("%d windows, want 18", len(out.Instances))
	}
	near(t, "the walls' volume", contact.New(out.Model, geom.Identity).Volume, 0.3*(20*9-18*1.2*1.5), 1e-3)
	r.Openings[0].Bays = 8
	if err := r.Check(); err == nil {
		t.Error("a bay beyond the wall's end is accepted")
	}
}

func TestOutlinesThatCannotBe(t *testing.T) {
	r := room()
	r.Outline = []P{{0, 0}, {4, 3}, {4, 0}, {0, 3}}
	if err := r.Check(); err == nil || !strings.Contains(err.Error(), "crosses itself") {
		t.Errorf("a bow tie: %v", err)
	}
	r = room()
	r.Outline = []P{{0, 0}, {1, 0}, {2, 0}}
	if err := r.Check(); err == nil {
		t.Error("an area of zero is accepted")
	}
	w := &Water{Outline: square(4), Ripple: 0.1, Length: 0.5}
	if err := w.Check(); err == nil {
		t.Error("breaking ripples are accepted")
	}
}

// What would keep a machine busy for hours is refused before it is begun.
func TestTooMuchIsRefused(t *testing.T) {
	long := make([]P, 900)
	for i := range long {
		long[i] = P{float64(i%30) * 30, float64(i/30)*30 + float64(i%2)}
	}
	g := &Ground{Middle: P{500, 500}, Width: 1000, Depth: 1000, Cell: 1}
	for range 20 {
		g.Strokes = append(g.Strokes, Sculpt{Do: "raise", Points: long, Radius: 50, Height: 1})
	}
	d := drift(1000, 4)
	for range 3 {
		d.Strokes = append(d.Strokes, Brush{Take: true, Points: long, Radius: 1})
	}
	for what, s := range map[string]Spec{"a ground": g, "a drift": d,
		"a path": &Path{Points: make([]P, 1001), Width: 1}} {
		if s.Check() == nil {
			t.Errorf("%s is accepted", what)
		}
	}
	g.Strokes = g.Strokes[:1]
	if err := g.Check(); err != nil {
		t.Error(err)
	}
}

func ground() *Ground {
	return &Ground{Width: 60, Depth: 40, Cell: 0.5, Rough: 1.5, Grain: 20, Seed: 4, Color: "#6f7a58", Steep: "#777777",
		Slope: 0.5}
}

func TestGroundIsSculptedAndPathsLieOnIt(t *testing.T) {
	g := ground()
	g.Strokes = []Sculpt{{Do: "pad", Points: []P{{-3, -3}, {3, -3}, {3, 3}, {-3, 3}}, Height: 1, Radius: 2}}
	if err := g.Check(); err != nil {
		t.Fatal(err)
	}
	f := g.Field()
	for _, p := range []P{{0, 0}, {2.9, -2.9}} {
		y, n, ok := f.Under(p.X, p.Z, 100)
		if !ok || math.Abs(y-1) > 1e-6 || n.Y < 0.999 {
			t.Errorf("the pad at %v is %v high, normal %v", p, y, n)
		}
	}
	p := &Path{Points: []P{{-28, 5}, {-10, 8}, {28, 12}}, Smooth: true, Width: 4, Crown: 0.1, Kerb: 0.12,
		KerbWide: 0.15, Shoulder: 3, Level: 10}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	out := p.Lay(f, []*Field{f})
	body := contact.Place(contact.New(out.Model, geom.Identity), geom.Identity)
	// Nowhere does the ground look through the road, and the middle is higher
	// than the edge by the crown.
	c := newCourse(p.Points, true, false)
	covers := p.Covers()
	for s := 1.0; s < c.length()-1; s += 0.37 {
		q, dir := c.walk(s)
		for _, a := range []float64{-1.9, -1, 0, 1, 1.9} {
			e := q.add(P{-dir.Z, dir.X}.mul(a))
			y, _, ok := f.Under(e.X, e.Z, 100)
			d, _, hit := body.Ray(geom.V{X: e.X, Y: 50, Z: e.Z}, geom.V{Y: -1}, 100)
			if !covers(e) || covers(q.add(P{-dir.Z, dir.X}.mul(2.5))) {
				t.Fatalf("what the path covers is not 4.3 m wide at %.2f m", s)
			}
			if !ok || !hit || 50-d < y {
				t.Fatalf("at %.2f m, %.1f m aside, the road is %.3f m high and the ground %.3f m", s, a, 50-d, y)
			}
		}
	}
	middle, _, _ := body.Ray(geom.V{X: c.points[20].X, Y: 50, Z: c.points[20].Z}, geom.V{Y: -1}, 100)
	s, _ := c.foot(c.points[20])
	_, dir := c.walk(s)
	edge := c.points[20].add(P{-dir.Z, dir.X}.mul(1.98))
	side, _, _ := body.Ray(geom.V{X: edge.X, Y: 50, Z: edge.Z}, geom.V{Y: -1}, 100)
	near(t, "the crown", side-middle, 0.1, 0.01)
	if laid := g.Lay(f); laid.Model.Weigh().Triangles != 2*120*80 {
		t.Errorf("%d triangles", laid.Model.Weigh().Triangles)
	}
}

func TestWaterFillsItsOutline(t *testing.T) {
	w := &Water{Outline: []P{{0, 0}, {10, 0}, {10, 4}, {5, 2}, {0, 6}}, Ripple: 0.02, Length: 0.8, Level: 1}
	if err := w.Check(); err != nil {
		t.Fatal(err)
	}
	area := func(m *model.Model) (sum, lo, hi float64) {
		lo, hi = 9, -9
		p := &m.Meshes[0].Parts[0]
		for i := 0; i < len(p.Indices); i += 3 {
			a, b, c := p.Position(p.Indices[i]), p.Position(p.Indices[i+1]), p.Position(p.Indices[i+2])
			n := b.Sub(a).Cross(c.Sub(a))
			sum += n.Y / 2
			lo, hi = min(lo, a.Y, b.Y, c.Y), max(hi, a.Y, b.Y, c.Y)
		}
		return sum, lo, hi
	}
	got, lo, hi := area(w.Lay().Model)
	near(t, "the rippled area", got, math.Abs(Area(w.Outline)), 1e-3)
	if hi-lo < 0.02 || hi-lo > 0.2 {
		t.Errorf("from trough to crest %g", hi-lo)
	}
	w.Ripple = 0
	got, lo, hi = area(w.Lay().Model)
	near(t, "the still area", got, math.Abs(Area(w.Outline)), 1e-3)
	near(t, "its level", lo+hi, 2, 1e-6)
}

// Pinhole: 1 m of baseline at 1000 pixels of focal length, 100 m of depth: the
// front at 316.2 m and the back 100 m farther shift by 3.162 and 2.402 pixels.
func TestACardIsSafeFromWhereParallaxIsBelowAPixel(t *testing.T) {
	d := Safe(1, 100, 1000)
	near(t, "the distance", d, 316.228, 1e-3)
	if shift := 1000/d - 1000/(d+100); shift > 1 || shift < 0.5 {
		t.Errorf("the shift is %.3f pixels", shift)
	}
	if Safe(0, 100, 1000) != 0 {
		t.Error("a card is unsafe for a camera that stands still")
	}
}

func TestElementsAreRead(t *testing.T) {
	for kind, spec := range map[string]Spec{"room": room(), "drift": drift(3, 1), "line": line(1), "ground": ground(),
		"layer": &Layer{}} {
		raw, _ := json.Marshal(spec)
		e := Element{Kind: kind, Name: kind, Spec: raw}
		if err := e.Check(); err != nil {
			t.Errorf("%s: %v", kind, err)
		}
	}
	for _, e := range []Element{{Kind: "room", Name: "a", Spec: json.RawMessage(`{}`)},
		{Kind: "wave", Name: "a", Spec: json.RawMessage(`{}`)}, {Kind: "layer", Name: " ", Spec: json.RawMessage(`{}`)},
		{Kind: "layer", Name: "a", Spec: json.RawMessage(`{"x":1}`)},
		{Kind: "drift", Name: "a", Spec: json.RawMessage(`{"density":1e999}`)}} {
		if e.Check() == nil {
			t.Errorf("%s is accepted", e.Spec)
		}
	}
}

// Whatever is described, laying it out ends and says what is wrong.
func FuzzElement(f *testing.F) {
	for kind, spec := range map[string]Spec{"room": room(), "drift": drift(3, 1), "line": line(1),
		"ground": &Ground{Width: 5, Depth: 5, Cell: 1}, "path": &Path{Points: square(5)[:2], Width: 1},
		"water": &Water{Outline: square(2)},
		"row":   &Array{Shape: "line", Points: square(3)[:2], Pieces: []Share{{"a", 1}}, By: "count", Count: 3},
		"card":  &Card{Shape: "ridge", Width: 10, Height: 2}} {
		raw, _ := json.Marshal(spec)
		f.Add(kind, raw)
	}
	f.Fuzz(func(t *testing.T, kind string, raw []byte) {
		e := Element{Kind: kind, Name: "a", Spec: raw}
		spec, err := e.Read()
		if err != nil {
			return
		}
		switch s := spec.(type) {
		case *Room:
			s.Lay()
		case *Array:
			if s.estimate() < 500 {
				_, _ = s.Lay(flat{}, func(string) float64 { return 0.5 })
			}
		case *Garland:
			s.Lay()
		case *Scatter:
			if r := s.radius(); s.box().area()/(r*r) < 1e4 {
				_, _ = s.Lay(flat{}, nil, 1)
			}
		case *Ground:
			if s.Width/s.Cell*s.Depth/s.Cell < 1e4 && len(s.Strokes) < 50 {
				s.Lay(s.Field())
			}
		case *Path:
			if newCourse(s.Points, s.Smooth, false).length() < 1000 {
				s.Lay(flat{}, nil)
			}
		case *Water:
			if s.Ripple == 0 {
				s.Lay()
			}
		case *Card:
			s.Lay(geom.V{Z: 5}, nil, "")
		}
	})
}

func BenchmarkDriftOfAMillion(b *testing.B) {
	d := drift(1000, 1)
	g := &Ground{Middle: P{500, 500}, Width: 1000, Depth: 1000, Cell: 1, Rough: 20, Grain: 200}
	f := g.Field()
	n := 0
	for b.Loop() {
		out, err := d.Lay(f, nil, 2)
		if err != nil {
			b.Fatal(err)
		}
		n = len(out.Instances)
	}
	raw, _ := json.Marshal(d)
	b.ReportMetric(float64(n), "instances")
	b.ReportMetric(float64(len(raw)), "bytes/stored")
}
