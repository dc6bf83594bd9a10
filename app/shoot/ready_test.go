package shoot

import (
	"context"
	"testing"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/stage"
)

// What was built of a set is taken again as long as the same models stand where they stood; a set that goes on from it
// changes nothing of it.
func TestASetStaysReady(t *testing.T) {
	ctx := context.Background()
	box, ball := stage.ShapeModel("box"), stage.ShapeModel("cylinder")
	loaded := func(first *model.Model, x float64) *Loaded {
		l := newLoaded(nil)
		l.models = map[string]*model.Model{"a": first, "b": ball}
		l.top = map[string]geom.M{"a": geom.Identity, "b": geom.Identity}
		l.stands = []loadedThing{{id: "1", key: "a", place: geom.Translation(geom.V{X: x})},
			{id: "2", key: "b", place: geom.Identity}}
		return l
	}
	l := loaded(box, 2)
	l.set = "a set of TestASetStaysReady"
	s, err := l.built(ctx)
	if err != nil || len(s.Instances) != 2 {
		t.Fatal(err, "it has no scene")
	}
	kept, ok := readies.Get(l.set)
	if !ok || kept.bare != s || kept.bytes() < 100*12 {
		t.Fatalf("it is not kept: %v", ok)
	}
	l.models["c"] = box // the flicker of a lamp, say
	l.stands[0].place = geom.Identity
	if kept.models["c"] != nil || kept.stands[0].place == geom.Identity {
		t.Error("who goes on with a set changes what is kept of it")
	}
	for name, c := range map[string]struct {
		of   *Loaded
		same bool
	}{"the same": {loaded(box, 2), true}, "moved": {loaded(box, 3), false},
		"of another model": {loaded(stage.ShapeModel("box"), 2), false}} {
		if got := c.of.asBefore(kept); got != c.same {
			t.Errorf("%s: built of it is taken again: %v", name, got)
		}
	}
	fewer := loaded(box, 2)
	fewer.stands = fewer.stands[:1]
	if fewer.asBefore(kept) {
		t.Error("one thing less is the same")
	}
	again := loaded(box, 2)
	again.lib, again.bare = kept.lib.Clone(), kept.bare
	if s2, err := again.built(ctx); err != nil || s2 != s {
		t.Error("it was built again", err)
	}
}

// A look that is to be quick goes on from what stood before; a take of the same set is built from nothing, so that its
// bytes do not hang on what was edited.
func TestATakeIsBuiltFromNothing(t *testing.T) {
	ctx := context.Background()
	box := stage.ShapeModel("box")
	loaded := func(x float64) *Loaded {
		l := newLoaded(nil)
		l.models, l.top = map[string]*model.Model{"a": box}, map[string]geom.M{"a": geom.Identity}
		for i := range 20 {
			l.stands = append(l.stands, loadedThing{id: string(rune('a' + i)), key: "a",
				place: geom.Translation(geom.V{X: 2 * float64(i), Z: x * float64(i/19)})})
		}
		l.set = "a set of TestATakeIsBuiltFromNothing"
		return l
	}
	follow := func(l *Loaded, quick bool) *Loaded {
		t.Helper()
		before, ok := readies.Get(l.set)
		if !ok {
			t.Fatal("nothing is kept")
		}
		l.lib = before.lib.Clone()
		l.follow(before, quick)
		if _, err := l.built(ctx); err != nil {
			t.Fatal(err)
		}
		return l
	}
	first := loaded(0)
	if _, err := first.built(ctx); err != nil {
		t.Fatal(err)
	}
	moved := follow(loaded(3), true)
	if !moved.bare.Follows {
		t.Error("a quick look at an edit is built from nothing")
	}
	if still := follow(loaded(3), true); still.bare != moved.bare {
		t.Error("a quick look at nothing new is built again")
	}
	take := follow(loaded(3), false)
	if take.bare.Follows || take.bare == moved.bare {
		t.Error("a take goes on from what was edited")
	}
	if look := follow(loaded(3), true); look.bare != take.bare {
		t.Error("a quick look after a take is built again")
	}
}
