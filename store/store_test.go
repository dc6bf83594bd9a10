package store_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"reflect"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/jackc/pgx/v5"

	"visator/core/geom"
	"visator/core/lay"
	"visator/core/light"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/stage"
	"visator/store"
	"visator/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

func TestMigratingTwiceChangesNothing(t *testing.T) {
	if err := store.Migrate(context.Background(), storetest.DSN(t)); err != nil {
		t.Fatal(err)
	}
}

func TestABlobIsKeptByItsContentOnce(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	// SHA-256 of "abc": FIPS 180-4, appendix B.1.
	const abc = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"
	for range 2 {
		hash, size, err := s.PutBlob(ctx, strings.NewReader("abc"), 0)
		if err != nil || hash != abc || size != 3 {
			t.Fatalf("%s, %d, %v", hash, size, err)
		}
	}
	data, err := s.ReadBlob(ctx, abc)
	if err != nil || string(data) != "abc" {
		t.Errorf("%q, %v", data, err)
	}
	if _, err := s.ReadBlob(ctx, strings.Repeat("0", 64)); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a blob that is not there: %v", err)
	}
}

func TestNothingIsKeptOfAnUploadThatBreaksOffOrIsTooLarge(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	broken := io.MultiReader(strings.NewReader("half of it"), iotest.ErrReader(errors.New("line cut")))
	if _, _, err := s.PutBlob(ctx, broken, 0); err == nil {
		t.Error("a broken upload was kept")
	}
	if _, _, err := s.PutBlob(ctx, bytes.NewReader(make([]byte, 101)), 100); err == nil {
		t.Error("an upload over the limit was kept")
	}
}

func TestRowsComeBackAsTheyWerePut(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	if err := store.InsertProduction(ctx, s.Pool,
		store.Production{ID: "p", Name: "n", Unit: "metre", Budget: 5}); err != nil {
		t.Fatal(err)
	}
	scene := stage.Scene{ID: "s", Name: "set", ShotSettings: stage.ShotSettings{View: optics.Default(),
		Light: light.Default(),
		Move:  &motion.Move{Keys: []motion.Key{{View: optics.Default(), Seconds: 2, Easing: "smooth"}}, Rate: 24},
		Hide:  []string{"trees"}, First: 2, Last: 9}}
	if err := store.PutSet(ctx, s.Pool, "p", scene, 3); err != nil {
		t.Fatal(err)
	}
	set, err := store.GetSet(ctx, s.Pool, "s")
	if err != nil || !set.View.Equal(&scene.View) || !reflect.DeepEqual(set.Light, scene.Light) || !reflect.DeepEqual(set.ShotSettings,
		scene.ShotSettings) || set.Rev != 3 {
		t.Errorf("set %+v, %v", set, err)
	}
	p := stage.Person(geom.V{X: 0.1, Y: 1.0 / 3, Z: -7})
	p.ID, p.Yaw, p.Hidden, p.Order = "x", 0.7, true, 4
	if err := store.PutPlacement(ctx, s.Pool, "s", p, 9); err != nil {
		t.Fatal(err)
	}
	rows, err := store.Placements(ctx, s.Pool, "s")
	if err != nil || len(rows) != 1 || rows[0].Placement != p || rows[0].Rev != 9 {
		t.Errorf("placements %+v, %v", rows, err)
	}
}

func TestATransactionThatFailsLeavesNothing(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	failed := errors.New("no")
	err := s.Tx(ctx, func(tx pgx.Tx) error {
		if err := store.InsertProduction(ctx, tx,
			store.Production{ID: "p", Name: "n", Unit: "metre", Budget: 5}); err != nil {
			return err
		}
		return failed
	})
	if !errors.Is(err, failed) {
		t.Fatal(err)
	}
	if list, err := s.Productions(ctx); err != nil || len(list) != 0 {
		t.Errorf("%v, %v", list, err)
	}
}

// Outlines come with the up axis that a piece has, of this production alone.
func TestOutlinesFollowTheUpAxis(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	for _, id := range []string{"p", "q"} {
		if err := store.InsertProduction(ctx, s.Pool,
			store.Production{ID: id, Name: id, Unit: "metre", Budget: 5}); err != nil {
			t.Fatal(err)
		}
		a := store.Arrival{ID: "a" + id, ProductionID: id, Name: id, Blob: "b"}
		if _, err := s.Pool.Exec(ctx,
			"insert into arrival (id, production_id, name, blob, bytes, state) values ($1, $2, "+
				"$3, $4, 1, 'done')", a.ID, id, a.Name, a.Blob); err != nil {
			t.Fatal(err)
		}
		raw := json.RawMessage("{}")
		if err := store.InsertPiece(ctx, s.Pool, store.Piece{ID: "piece " + id, ProductionID: id, ArrivalID: a.ID,
			Name:   "n",
			Source: "s", Blob: "b", Facts: raw, Sizing: json.RawMessage(`{"up":"Z"}`), Recipe: raw, Credit: raw,
			Tags: json.RawMessage("[]")}); err != nil {
			t.Fatal(err)
		}
		if err := store.PutLook(ctx, s.Pool, store.Look{PieceID: "piece " + id, Levels: json.RawMessage("[]"),
			Front: json.RawMessage(`{"Y":"M0","Z":"M1"}`), Top: json.RawMessage(`{"Y":"M2","Z":"M3"}`)}); err != nil {
			t.Fatal(err)
		}
	}
	list, err := store.Outlines(ctx, s.Pool, "p", []string{"piece p", "piece q", "nothing"})
	if err != nil || len(list) != 1 || list[0].Front != "M1" || list[0].Top != "M3" || list[0].Right != "" ||
		list[0].PieceID != "piece p" {
		t.Errorf("%+v, %v", list, err)
	}
	if looks, err := store.Looks(ctx, s.Pool, "p"); err != nil || len(looks) != 1 || string(looks[0].Levels) != "[]" {
		t.Errorf("%+v, %v", looks, err)
	}
}

// Elements come back as they were written, to the byte; pieces are copied with
// their looks; placements elsewhere are found with their sets.
func TestElementsAndCopiesOfPieces(t *testing.T) {
	s, ctx := storetest.Open(t), context.Background()
	raw := json.RawMessage("{}")
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(store.InsertProduction(ctx, s.Pool, store.Production{ID: "p", Name: "n", Unit: "metre", Budget: 5}))
	_, err := s.Pool.Exec(ctx, "insert into arrival (id, production_id, name, blob, bytes, state) values ('a', 'p', "+
		"'n', 'b', 1, 'done')")
	must(err)
	must(store.InsertPiece(ctx, s.Pool, store.Piece{ID: "one", ProductionID: "p", ArrivalID: "a", Name: "one",
		Source: "s", Blob: "b", Facts: raw, Sizing: json.RawMessage(`{"up":"Z"}`), Recipe: raw, Credit: raw,
		Tags: json.RawMessage("[]")}))
	must(store.PutLook(ctx, s.Pool, store.Look{PieceID: "one", Levels: json.RawMessage(`[1]`), Front: raw, Top: raw}))
	for _, id := range []string{"here", "there"} {
		must(store.PutSet(ctx, s.Pool, "p",
			stage.Scene{ID: id, Name: id, ShotSettings: stage.ShotSettings{View: optics.Default(),
				Light: light.Default()}}, 0))
		must(store.PutPlacement(ctx, s.Pool, id, stage.Placement{ID: "in " + id, Piece: "one", Name: "x",
			Scale: geom.V{X: 1, Y: 1, Z: 1}, Layer: "l", Group: "g", Tint: "#abcdef", Recast: "r"}, 1))
	}
	e := lay.Element{ID: "e", Kind: "layer", Name: "l", Spec: json.RawMessage(`{"b":1.50,"a":-0}`)}
	must(store.PutElement(ctx, s.Pool, "here", e, 2))
	list, err := store.Elements(ctx, s.Pool, "here")
	if err != nil || len(list) != 1 || string(list[0].Spec) != string(e.Spec) || list[0].Rev != 2 {
		t.Errorf("elements %+v, %v", list, err)
	}
	must(store.CopyPiece(ctx, s.Pool, "one", "two", "its own"))
	if p, err := store.GetPiece(ctx, s.Pool, "two"); err != nil || p.Name != "its own" ||
		string(p.Sizing) != `{"up": "Z"}` {
		t.Errorf("the copy %+v, %v", p, err)
	}
	if looks, err := store.Looks(ctx, s.Pool, "p"); err != nil || len(looks) != 2 {
		t.Errorf("looks %+v, %v", looks, err)
	}
	rows, sets, err := store.Elsewhere(ctx, s.Pool, "one", "here")
	if err != nil || len(rows) != 1 || sets[0] != "there" || rows[0].ID != "in there" || rows[0].Tint != "#abcdef" ||
		rows[0].Recast != "r" {
		t.Errorf("elsewhere %+v in %v, %v", rows, sets, err)
	}
	if some, err := store.PlacementsOf(ctx, s.Pool, "here", []string{"in here", "in there"}); err != nil ||
		len(some) != 1 || some[0].Group != "g" {
		t.Errorf("some placements %+v, %v", some, err)
	}
	// What is named as of another set stays, and is not written to.
	must(store.DeleteDocument(ctx, s.Pool, "there", "element", "e"))
	if list, err := store.Elements(ctx, s.Pool, "here"); err != nil || len(list) != 1 {
		t.Errorf("deleted by another set: %+v, %v", list, err)
	}
	must(store.DeleteDocument(ctx, s.Pool, "here", "element", "e"))
	if list, err := store.Elements(ctx, s.Pool, "here"); err != nil || len(list) != 0 {
		t.Errorf("not deleted: %+v, %v", list, err)
	}
	if err := store.PutDocument(ctx, s.Pool, "here", "placement", "in there", &rows[0].Placement,
		9); !errors.Is(err, store.ErrElsewhere) {
		t.Errorf("written into another set: %v", err)
	}
	if set, doc, err := store.Document(ctx, s.Pool, "p", "placement", "in there"); err != nil || set != "there" ||
		!strings.Contains(string(doc), "#abcdef") {
		t.Errorf("%s, %s, %v", set, doc, err)
	}
	if _, _, err := store.Document(ctx, s.Pool, "another", "placement", "in there"); !errors.Is(err,
		store.ErrNotFound) {
		t.Errorf("of another production: %v", err)
	}
}
