package snag

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/optics"
	"visator/core/stage"
	"visator/core/unit"
)

var unitBox = contact.New(stage.ShapeModel("box"), geom.Identity)

// block is a box of a size whose base middle is at a place.
func block(id string, at, size geom.V) Solid {
	return Solid{ID: id, Name: id, Key: id, Body: contact.Place(unitBox, geom.Compose(at, geom.Q{}, size))}
}

func v(x, y, z float64) geom.V { return geom.V{X: x, Y: y, Z: z} }

func floor() Solid {
	s := block("floor", v(0, -1, 0), v(100, 1, 100))
	s.Land = true
	return s
}

func find(t *testing.T, solids ...Solid) []Snag {
	t.Helper()
	var c Contacts
	if err := c.Update(context.Background(), solids); err != nil {
		t.Fatal(err)
	}
	return c.Find(unit.InMetres, solids)
}

// one wants exactly one snag of a kind, with a number.
func one(t *testing.T, list []Snag, kind string, number float64) {
	t.Helper()
	if len(list) != 1 || list[0].Kind != kind || math.Abs(list[0].Number-number) > 1e-6 {
		t.Errorf("want one %s of %g, got %+v", kind, number, list)
	}
}

func TestWhatFloatsSinksAndCollides(t *testing.T) {
	one(t, find(t, floor(), block("crate", v(0, 0.03, 0), v(1, 1, 1))), "floating", 0.03)
	one(t, find(t, floor(), block("crate", v(0, -0.2, 0), v(1, 1, 1))), "sunk", 0.2)
	one(t, find(t, floor(), block("crate", v(0, -1.5, 0), v(1, 1, 1))), "below", 0.5)
	a, b := block("a", v(0, 0, 0), v(1, 1, 1)), block("b", v(0.9, 0, 0.13), v(1, 1.2, 1.1))
	list := find(t, floor(), a, b)
	list = slices.DeleteFunc(list, func(s Snag) bool { return s.Kind == "flush" })
	one(t, list, "overlap", 0.1)
	if !strings.Contains(list[0].What, "reach") {
		t.Error(list[0].What)
	}
	// Tops, fronts and backs in one plane, facing the same way, 0.5 x 1 m² each.
	c := block("c", v(0.5, 0, 0), v(1, 1, 1))
	c.StandIn, a.StandIn = false, false
	list = slices.DeleteFunc(find(t, floor(), a, c), func(s Snag) bool { return s.Kind != "flush" })
	one(t, list, "flush", 1.5)
}

func TestWhatIsIntendedIsNoSnag(t *testing.T) {
	stand := block("table", v(0, 0, 0), v(1, 0.8, 1))
	tree := block("tree", v(5, -0.4, 5), v(0.5, 9, 0.5))
	tree.Wild = true
	other := block("other tree", v(5.3, -0.3, 5.1), v(0.5, 8, 0.5))
	other.Wild = true
	wall := block("wall", v(0, 0, -3), v(4, 3, 0.3))
	nail := block("nail", v(0, 2, -2.84), v(0.01, 0.01, 0.1))
	lamp := block("lamp", v(0, 0.8, 0), v(0.2, 0.4, 0.2))
	sign := block("sign", v(0, 1.2, -2.81), v(0.6, 0.5, 0.08)) // 2 mm from the wall, held by it
	if list := find(t, floor(), stand, tree, other, wall, nail, lamp, sign); len(list) != 0 {
		t.Errorf("%+v", list)
	}
	// Without its table the lamp floats; two that touch float as one.
	shade := block("shade", v(0, 1.2, 0), v(0.3, 0.2, 0.3))
	list := find(t, floor(), lamp, shade)
	one(t, list, "floating", 0.8)
	if len(list[0].IDs) != 2 {
		t.Errorf("it names %v", list[0].IDs)
	}
	// What is in one group may reach into itself.
	a, b := block("a", v(0, 0, 0), v(1, 1, 1)), block("b", v(0.5, 0, 0.1), v(1, 1.1, 1.1))
	a.Group, b.Group = "g", "g"
	if list := find(t, floor(), a, b); len(list) != 0 {
		t.Errorf("%+v", list)
	}
}

// A row whose benches of 1.8 m stand 1.5 m apart tells once that they reach 0.3 m into one
// another; one whose boards touch tells nothing; plants of a row may mingle.
func TestRowsThatReachIntoThemselves(t *testing.T) {
	row := func(apart float64, wild bool) (list []Solid) {
		list = append(list, floor())
		for i := range 12 {
			s := block(fmt.Sprintf("r %d", i), v(apart*float64(i), 0, 0), v(1.8, 0.8, 0.6))
			s.Row, s.RowName, s.Group, s.Fixed, s.Wild = "r", "row of benches", "r", true, wild
			list = append(list, s)
		}
		return list
	}
	list := slices.DeleteFunc(find(t, row(1.5, false)...), func(s Snag) bool { return s.Kind == "flush" })
	one(t, list, "overlap", 0.3)
	if len(list) == 1 && !strings.Contains(list[0].What, "11 times") {
		t.Error(list[0].What)
	}
	for _, l := range [][]Solid{row(1.8, false), row(2.5, false), row(1.5, true)} {
		if list := slices.DeleteFunc(find(t, l...), func(s Snag) bool { return s.Kind == "flush" }); len(list) != 0 {
			t.Errorf("%+v", list)
		}
	}
}

// A rope that hangs from 2 m with 2.5 m of sag lies half a metre under the ground; over a
// pit of 1 m it does not, on a hill of 0.3 m it lies deeper.
func TestRopesUnderTheGround(t *testing.T) {
	line := &lay.Garland{Points: []geom.V{v(-5, 2, 0), v(5, 2, 0)}, Sag: 2.5, Thick: 0.02}
	rope := Solid{ID: "rope", Name: "rope", Key: "rope", Fixed: true, Rope: true,
		Body: contact.Place(contact.New(line.Lay().Model, geom.Identity), geom.Identity)}
	sags := func(solids ...Solid) []Snag {
		return slices.DeleteFunc(find(t, solids...), func(s Snag) bool { return s.Kind != "below" })
	}
	list := sags(floor(), rope)
	if len(list) != 1 || math.Abs(list[0].Number-0.51) > 0.01 {
		t.Errorf("%+v", list)
	}
	if list := sags(rope); len(list) != 1 { // without land the ground is at 0
		t.Errorf("%+v", list)
	}
	pit := block("pit", v(0, -2, 0), v(100, 1, 100))
	pit.Land = true
	if list := sags(pit, rope); len(list) != 0 {
		t.Errorf("%+v", list)
	}
	hill := block("hill", v(0, -1, 0), v(20, 1.3, 20))
	hill.Land = true
	if list := sags(floor(), hill, rope); len(list) != 1 || math.Abs(list[0].Number-0.81) > 0.01 {
		t.Errorf("%+v", list)
	}
}

// Measured again after one edit, the outcome is that of measuring anew.
func TestMeasuringAgainIsMeasuringAnew(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	solids := []Solid{floor()}
	move := func(s *Solid) {
		*s = block(s.ID, v(6*r.Float64(), r.Float64()-0.2, 6*r.Float64()),
			v(0.3+r.Float64(), 0.3+r.Float64(), 0.3+r.Float64()))
		s.Key = string(rune('a'+r.IntN(26))) + s.Name + string(rune('a'+r.IntN(26))) + string(rune('a'+r.IntN(26)))
	}
	for i := range 40 {
		s := Solid{ID: string(rune('A' + i))}
		move(&s)
		solids = append(solids, s)
	}
	var c Contacts
	for range 30 {
		switch k := 1 + r.IntN(len(solids)-1); r.IntN(4) {
		case 0:
			solids = slices.Delete(solids, k, k+1)
		default:
			move(&solids[k])
		}
		list := slices.Clone(solids)
		if err := c.Update(context.Background(), list); err != nil {
			t.Fatal(err)
		}
		got, want := c.Find(unit.InMetres, list), find(t, slices.Clone(solids)...)
		if len(got) != len(want) {
			t.Fatalf("%d snags, anew %d", len(got), len(want))
		}
		for i := range got {
			if got[i].Key != want[i].Key || got[i].What != want[i].What {
				t.Fatalf("%q, anew %q", got[i].What, want[i].What)
			}
		}
	}
	ctx, stop := context.WithCancel(context.Background())
	stop()
	move(&solids[1])
	if c.Update(ctx, solids) == nil {
		t.Error("it goes on when it is stopped")
	}
	if err := c.Update(context.Background(), solids); err != nil ||
		len(c.Find(unit.InMetres, solids)) != len(find(t, slices.Clone(solids)...)) {
		t.Error("after it was stopped it measures something else")
	}
}

func stand(id string, at geom.V, yaw, size float64) Stand {
	return Stand{ID: id, Name: id, Piece: "p", Box: geom.Box{Min: v(-0.5, 0, -0.5), Max: v(0.5, 1, 0.5)},
		World: geom.Compose(at, geom.Turn(v(0, 1, 0), yaw), v(size, size, size)), Yaw: yaw, Scale: size}
}

func TestPicturesTellTwinsAndWhatIsUnseen(t *testing.T) {
	view := optics.Default()
	view.Eye, view.Yaw = v(0, 1.6, 0), 0
	list := []Stand{stand("a", v(-1, 0, -6), 0.5, 1), stand("b", v(1, 0, -6), 0.51, 1.01), stand("c", v(0, 0, -8), 2,
		1), stand("behind", v(0, 0, 9), 0.5, 1)}
	alike := twins(&Set{Views: []optics.View{view}, Stands: list})
	if len(alike) != 1 || !slices.Equal(alike[0].IDs, []string{"a", "b"}) {
		t.Errorf("twins %+v", alike)
	}
	// Whatever the turn, also across the full one: 4° apart are alike, 8° are not.
	for yaw := 0.0; yaw < 6.3; yaw += 0.07 {
		for apart, want := range map[float64]int{4: 1, 8: 0} {
			pair := []Stand{stand("a", v(-1, 0, -6), yaw, 1), stand("b", v(1, 0, -6), yaw+apart*math.Pi/180, 1)}
			if got := twins(&Set{Views: []optics.View{view}, Stands: pair}); len(got) != want {
				t.Errorf("turned by %v, %v° apart: %+v", yaw, apart, got)
			}
		}
	}
	list[1].Tint = "#eeeeee"
	if alike := twins(&Set{Views: []optics.View{view}, Stands: list}); len(alike) != 0 {
		t.Errorf("of two tints %+v", alike)
	}
	none := unseen(&Set{Views: []optics.View{view}, Stands: list, Kept: true})
	if len(none) != 1 || !slices.Equal(none[0].IDs, []string{"behind"}) {
		t.Errorf("unseen %+v", none)
	}
	list = append(list, stand("lost", v(5000, 0, 0), 0, 1))
	if far := lost(&Set{In: unit.InMetres, Stands: list}); len(far) != 1 || far[0].ID != "lost" {
		t.Errorf("far %+v", far)
	}
	shot := &Set{Views: []optics.View{view}, Names: []string{"shot"}, Kept: true, Floor: true,
		Solids: []Solid{block("small floor", v(0, -1, -5), v(4, 1, 4))}}
	void := holes(shot)
	if len(void) != 1 || void[0].Number < 0.2 {
		t.Errorf("holes %+v", void)
	}
	wide := block("plain", v(0, -1, 0), v(1e5, 1, 1e5))
	wide.Land = true
	if shot.Floor = false; len(holes(shot)) != 0 {
		t.Error("a sky that has a ground of its own shows a void")
	}
	shot.Floor, shot.Solids = true, []Solid{wide}
	if void := holes(shot); len(void) != 0 {
		t.Errorf("over a plain %+v", void)
	}
}

// A leaf 0.8 m wide whose hinge is at the origin, closed along +X, opens towards
// +Z. A post 0.1 m thick in front of it at 0.5 m, turned 45°, lies between 37° and
// 53° of the way: the leaf, 4 cm thick, opens to a little less than 37°.
func TestADoorThatCannotOpen(t *testing.T) {
	s := lay.Swing{Name: "door 1", Closed: 0, Open: math.Pi / 2, Width: 0.8, From: 0, To: 2}
	at := 0.5 / math.Sqrt2
	post := block("post", v(at, 0, at), v(0.1, 1, 0.1))
	list := doors(&Set{Rooms: []Room{{"room", "hut", []lay.Swing{s}}}, Solids: []Solid{post}})
	if len(list) != 1 || list[0].Number < 30 || list[0].Number > 39 {
		t.Errorf("%+v", list)
	}
	if list := doors(&Set{Rooms: []Room{{"room", "hut", []lay.Swing{s}}},
		Solids: []Solid{block("post", v(at+0.6, 0, at+0.6), v(0.1, 1, 0.1))}}); len(list) != 0 {
		t.Errorf("a post out of reach: %+v", list)
	}
}

// In a crowd everything reaches into everything: of each thing it is measured how
// deep it reaches into some others, and said of how many it was not. Measuring in
// parts, cut short or not, comes to the same.
func TestACrowdIsMeasuredInPart(t *testing.T) {
	const n = 14
	crowd := func(moved float64) (list []Solid) {
		for i := range n {
			x := 0.03 * float64(i)
			if i == 3 {
				x += moved
			}
			list = append(list, block(fmt.Sprintf("b%02d", i), v(x, 0.01*float64(i*i%5), 0.02*float64(i*7%11)),
				v(1, 1, 1)))
		}
		return append(list, floor())
	}
	tell := func(list []Snag) (out []string) {
		for _, s := range list {
			out = append(out, s.Key+" "+s.What)
		}
		slices.Sort(out)
		return out
	}
	list := find(t, crowd(0)...)
	deep, told := 0, 0
	for _, s := range list {
		switch {
		case strings.HasPrefix(s.Key, "in:"):
			deep++
		case strings.HasPrefix(s.Key, "crowd:"):
			told++
			if int(s.Number) != len(s.IDs)-1 || !strings.Contains(s.What, "more") {
				t.Errorf("%+v", s)
			}
		}
	}
	if pairs := n * (n - 1) / 2; deep < n*deepest/2 || deep > n*deepest || deep >= pairs || told == 0 {
		t.Errorf("%d of %d pairs measured how deep, %d things told of more", deep, pairs, told)
	}
	var c Contacts
	cut, stop := context.WithCancel(context.Background())
	stop()
	if err := c.Update(cut, crowd(0)); err == nil {
		t.Error("what was cut short says nothing")
	}
	for _, moved := range []float64{0, 0.4, -0.2} {
		if err := c.Update(context.Background(), crowd(moved)); err != nil {
			t.Fatal(err)
		}
		if got, want := tell(c.Find(unit.RulerOf("metre"), crowd(moved))),
			tell(find(t, crowd(moved)...)); !slices.Equal(got, want) {
			t.Errorf("moved by %v: measured in parts\n%s\nat once\n%s", moved, strings.Join(got, "\n"),
				strings.Join(want, "\n"))
		}
	}
}
