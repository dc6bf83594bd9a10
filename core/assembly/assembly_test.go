package assembly

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/light"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/stage"
)

// shelf is pieces that are blocks about their pivots, and a memory without end.
type shelf struct {
	sizes map[string]geom.V
	kept  map[string]Weighty
	made  int
}

func (s *shelf) Box(piece string) geom.Box {
	d, ok := s.sizes[piece]
	if !ok {
		return geom.Empty()
	}
	return geom.Box{Min: geom.V{X: -d.X / 2, Z: -d.Z / 2}, Max: geom.V{X: d.X / 2, Y: d.Y, Z: d.Z / 2}}
}
func (s *shelf) Key(piece string) string { return fmt.Sprint(piece, s.sizes[piece]) }
func (s *shelf) Body(_ context.Context, piece string) (*contact.Body, error) {
	d, ok := s.sizes[piece]
	if !ok {
		return nil, nil
	}
	return contact.New(stage.ShapeModel("box"), geom.Compose(geom.V{}, geom.Q{W: 1}, d)), nil
}
func (s *shelf) StandIn(shape string) *contact.Body {
	return contact.New(stage.ShapeModel(shape), geom.Identity)
}
func (s *shelf) Picture(context.Context, string) ([]byte, error) { return nil, errors.New("gone") }
func (s *shelf) Get(key string, make func() Weighty) Weighty {
	if s.kept[key] == nil {
		s.made++
		s.kept[key] = make()
	}
	return s.kept[key]
}
func (s *shelf) Has(key string) bool { return s.kept[key] != nil }

func newShelf() *shelf {
	return &shelf{sizes: map[string]geom.V{"bench": {X: 2, Y: 0.8, Z: 0.6}, "crate": {X: 1, Y: 1, Z: 1},
		"hall": {X: 40, Y: 2, Z: 40}}, kept: map[string]Weighty{}}
}

func element(t *testing.T, id, kind, layer string, spec any) *lay.Element {
	t.Helper()
	raw, err := json.Marshal(spec)
	if err != nil {
		t.Fatal(err)
	}
	e := &lay.Element{ID: id, Name: id, Kind: kind, Layer: layer, Spec: raw}
	if _, err := e.Read(); err != nil {
		t.Fatal(err)
	}
	return e
}

func stands(id, piece string, at geom.V) *stage.Placement {
	return &stage.Placement{ID: id, Name: id, Piece: piece, At: at, Scale: geom.V{X: 1, Y: 1, Z: 1}}
}

func row(piece string, points ...lay.P) lay.Array {
	return lay.Array{Shape: "line", Points: points, Rest: true, Pieces: []lay.Share{{Piece: piece, Weight: 1}},
		By: "count", Count: 3}
}

// yard is a set of what there can be.
func yard(t *testing.T, s *shelf) *Set {
	k := &stage.ShotSettings{View: optics.Default(), Light: light.Default()}
	inner := stands("lamp", "crate", geom.V{X: 9})
	inner.Group = "inner"
	hidden, dark := stands("gone", "crate", geom.V{X: 7}), stands("dark", "crate", geom.V{X: 8})
	hidden.Hidden, dark.Layer = true, "night"
	day := stands("day", "crate", geom.V{X: 6})
	day.Layer = "shade"
	set := &Set{Pieces: s, Memory: s, Kept: k,
		Placements: []*stage.Placement{stands("hall", "hall", geom.V{}), stands("crate", "crate", geom.V{Y: 2}), inner,
			hidden, dark, day,
			{ID: "walker", Name: "old Woman", Piece: "crate", At: geom.V{Z: 9}, Scale: geom.V{X: 1, Y: 1, Z: 1}},
			{ID: "figure", Name: "x", StandIn: "person", Size: geom.V{X: 0.5, Y: 1.75, Z: 0.3},
				Scale: geom.V{X: 1, Y: 1, Z: 1}}},
		Elements: []*lay.Element{
			{ID: "night", Name: "night", Kind: "layer", Hidden: true, Spec: json.RawMessage("{}")},
			{ID: "shade", Name: "shade", Kind: "layer", Spec: json.RawMessage("{}")},
			element(t, "inner", "group", "", lay.Group{Parent: "outer"}), element(t, "outer", "group", "", lay.Group{}),
			element(t, "benches", "row", "", row("bench", lay.P{X: -4, Z: 0}, lay.P{X: 4, Z: 0})),
			element(t, "others", "row", "shade", row("bench", lay.P{X: -4, Z: 6}, lay.P{X: 4, Z: 6})),
			element(t, "lost", "card", "",
				lay.Card{Width: 2, Height: 2, Shape: "picture",
					Picture: "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef"}),
		}}
	if later, err := set.LayOut(t.Context(), false); err != nil || len(later) > 0 {
		t.Fatal(later, err)
	}
	return set
}

func names(visit func(func(*Thing) bool)) (list []string) {
	for t := range visit {
		list = append(list, t.ID)
	}
	return list
}

// One list says what stands: without what is hidden by itself or by its layer; a shot's
// layers and cut walls are left out where its picture is meant, and only there.
func TestOneListSaysWhatStands(t *testing.T) {
	set := yard(t, newShelf())
	all := []string{"hall", "crate", "lamp", "day", "walker", "figure", "benches", "others", "lost"}
	if got := names(set.Seen); !slices.Equal(got, all) {
		t.Errorf("seen: %v", got)
	}
	set.Kept.Hide = []string{"shade"}
	set.Kept.View.CutWalls = []string{"benches", "crate"}
	if got := names(set.Seen); !slices.Equal(got, []string{"hall", "crate", "lamp", "walker", "figure", "benches",
		"lost"}) {
		t.Errorf("seen without a layer: %v", got)
	}
	if got := names(set.Filmed); !slices.Equal(got, []string{"hall", "lamp", "walker", "figure", "lost"}) {
		t.Errorf("filmed: %v", got)
	}
	if len(set.Things) != len(all) {
		t.Errorf("what a shot does without is gone from the set: %d", len(set.Things))
	}
	by := map[string]*Thing{}
	for i := range set.Things {
		by[set.Things[i].ID] = &set.Things[i]
	}
	if !by["hall"].Land || !by["hall"].Plain || by["crate"].Land || by["benches"].Land {
		t.Error("the hall alone is land")
	}
	if !by["walker"].Figure || !by["figure"].Figure || by["crate"].Figure {
		t.Error("two are figures, by name and as a stand-in")
	}
	if l := by["lamp"]; l.Outermost() != "outer" || !l.In("inner") || !l.In("outer") || !l.In("lamp") ||
		l.In("crate") || by["crate"].Outermost() != "" {
		t.Errorf("groups: %v", l.Groups)
	}
	if by["figure"].Kind != StandIn || by["crate"].Kind != Piece || by["benches"].Kind != "row" ||
		by["benches"].Piece() != "" || by["crate"].Piece() != "crate" {
		t.Error("kinds")
	}
	key := set.Laid("others").Key
	mustLay(t, set)
	if l := set.Laid("others"); l == nil || l.Key != key {
		t.Error("what a shot does without is laid out in another way")
	}
	if l := set.Laid("lost"); l == nil || l.Err == nil || len(l.Pieces()) != 0 {
		t.Error("a card without its picture is told")
	}
	if h, err := set.Laid("lost").Herd(t.Context(), set.Pieces); err != nil || h != nil {
		t.Errorf("a tree over nothing: %v %v", h, err)
	}
}

// A row rests on what is beneath it; its result has another name when that changes, and
// only then; what comes back is remembered.
func TestARowRestsOnWhatIsBeneath(t *testing.T) {
	s := newShelf()
	set := yard(t, s)
	l := set.Laid("benches")
	if len(l.Instances) != 3 || len(l.Counts) != 1 || l.Counts[0] != (Count{"bench", 3}) {
		t.Fatalf("%+v", l.Counts)
	}
	// On the hall's roof at 2 m, the middle one on the crate that stands there.
	for i, want := range []float64{2, 3, 2} {
		if got := l.Instances[i].At.Y; math.Abs(got-want) > 1e-6 {
			t.Errorf("bench %d rests at %v m, not %v", i, got, want)
		}
	}
	key, made := l.Key, s.made
	set.Placements[2].At.X = 12 // the lamp, far away
	mustLay(t, set)
	if set.Laid("benches").Key != key || s.made != made {
		t.Error("what lies far away changes the row")
	}
	set.Placements[1].At.X = 3
	mustLay(t, set)
	if set.Laid("benches").Key == key || s.made != made+1 {
		t.Errorf("the crate was moved, and the row is laid as before: made %d, %d", made, s.made)
	}
	set.Placements[1].At.X = 0
	mustLay(t, set)
	if set.Laid("benches").Key != key || s.made != made+1 {
		t.Error("what was there before is laid anew")
	}
}

func mustLay(t *testing.T, set *Set) {
	t.Helper()
	if later, err := set.LayOut(t.Context(), false); err != nil || len(later) > 0 {
		t.Fatal(later, err)
	}
}

// Rows ride as things do, and a group with all in it; a move's views follow them.
func TestRowsAndGroupsRide(t *testing.T) {
	set := yard(t, newShelf())
	m := &motion.Move{Rate: 24,
		Rides: []motion.Animation{{IDs: []string{"benches", "outer"}, Points: []geom.V{{}, {X: 4}}, Seconds: 2,
			Easing: "even"}}}
	cast := set.Cast(m)
	for id, rides := range map[string]bool{"benches": true, "lamp": true, "crate": false, "others": false} {
		if cast.Rides(id) != rides {
			t.Errorf("%s rides: %v", id, !rides)
		}
	}
	for _, id := range []string{"benches", "lamp"} {
		a, ok := cast.Where(id, 0)
		b, ok2 := cast.Where(id, 2)
		if !ok || !ok2 || math.Abs(b.X-a.X-4) > 1e-6 {
			t.Errorf("%s goes from %v to %v", id, a, b)
		}
	}
	if at, _ := cast.Where("benches", 0); math.Abs(at.X) > 1e-6 || math.Abs(at.Z) > 1e-6 {
		t.Errorf("the middle of the row is %v", at)
	}
}

// Views are those of every shot, a move's at several moments, with their names.
func TestViewsAreNamed(t *testing.T) {
	set := yard(t, newShelf())
	if v, n := set.Views(); len(v) != 1 || n[0] != "the view" {
		t.Errorf("%d views %v", len(v), n)
	}
	still := &stage.Shot{ID: "a", Name: "still", ShotSettings: *set.Kept}
	moving := &stage.Shot{ID: "b", Name: "moving", ShotSettings: *set.Kept}
	moving.Move = &motion.Move{Rate: 24, Keys: []motion.Key{{View: still.View}, {View: still.View, Seconds: 1}}}
	set.Shots = []*stage.Shot{still, moving}
	v, n := set.Views()
	if len(v) != 1+Moments || len(n) != len(v) || n[0] != "still" || n[1] != "moving" || n[Moments] != "moving" {
		t.Errorf("%d views %v", len(v), n)
	}
}

// What is hidden in whatever way never comes into the list, in any order of layers.
func TestHiddenIsHiddenInAnyOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		set := &Set{Pieces: newShelf(), Memory: newShelf(), Kept: &stage.ShotSettings{View: optics.Default()}}
		dark := map[string]bool{}
		for i := range 4 {
			name := fmt.Sprint("layer ", i)
			dark[name] = r.IntN(2) == 0
			set.Elements = append(set.Elements, &lay.Element{ID: name, Name: name, Kind: "layer", Hidden: dark[name],
				Spec: json.RawMessage("{}")})
		}
		want := map[string]bool{}
		for i := range 12 {
			p := stands(fmt.Sprint(i), "crate", geom.V{X: float64(i)})
			p.Hidden = r.IntN(3) == 0
			if n := r.IntN(6); n < 4 {
				p.Layer = fmt.Sprint("layer ", n)
			}
			if !p.Hidden && !dark[p.Layer] {
				want[p.ID] = true
			}
			set.Placements = append(set.Placements, p)
		}
		r.Shuffle(len(set.Elements),
			func(i, j int) { set.Elements[i], set.Elements[j] = set.Elements[j], set.Elements[i] })
		mustLay(t, set)
		got := map[string]bool{}
		for _, id := range names(set.Seen) {
			got[id] = true
		}
		if !maps.Equal(got, want) {
			t.Fatalf("seen %v, want %v", got, want)
		}
	}
}

// A circle of groups, which a hand-made file may have, ends.
func TestGroupsInACircleEnd(t *testing.T) {
	up := GroupsOf([]*lay.Element{element(t, "a", "group", "", lay.Group{Parent: "b"}),
		element(t, "b", "group", "", lay.Group{Parent: "a"})})
	if list := up.Of("a"); len(list) != mostNested {
		t.Errorf("%d groups", len(list))
	}
	if list := up.Of(""); len(list) != 0 {
		t.Errorf("what is in no group: %v", list)
	}
}

// A set of a million copies resolves to one thing of one element.
func BenchmarkAMillionCopies(b *testing.B) {
	s := newShelf()
	s.sizes["blade"] = geom.V{X: 0.05, Y: 0.3, Z: 0.05}
	raw, _ := json.Marshal(lay.Scatter{Area: []lay.P{{X: 0, Z: 0}, {X: 500, Z: 0}, {X: 500, Z: 500}, {X: 0, Z: 500}},
		Pieces: []lay.Share{{Piece: "blade", Weight: 1}}, Density: 4, SizeMin: 1, SizeMax: 1})
	set := &Set{Pieces: s, Memory: s, Kept: &stage.ShotSettings{View: optics.Default()},
		Elements: []*lay.Element{{ID: "grass", Name: "grass", Kind: "drift", Spec: raw}}}
	if _, err := set.LayOut(b.Context(), false); err != nil {
		b.Fatal(err)
	}
	b.ReportMetric(float64(len(set.Laid("grass").Instances)), "copies")
	for b.Loop() {
		if _, err := set.LayOut(b.Context(), false); err != nil || len(set.Things) != 1 {
			b.Fatal(err)
		}
	}
}
