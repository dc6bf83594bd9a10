package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"testing"

	"visator/store"
	"visator/store/storetest"
)

// What lies on a shelf is found by name, changed and taken away, and its pictures are kept while it is there.
func TestTheShelf(t *testing.T) {
	ctx := context.Background()
	s, err := store.Open(ctx, storetest.DSN(t), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, id := range []string{"p", "q"} {
		if _, err := s.Pool.Exec(ctx, "insert into production (id, name) values ($1, $1)", id); err != nil {
			t.Fatal(err)
		}
	}
	blob := "aa11223344556677889900112233445566778899001122334455667788990011"
	for _, one := range []store.Shelved{{ID: "1", Kind: "panorama", Name: "Late", Doc: json.RawMessage(`{"blob":"` + blob + `"}`)},
		{ID: "2", Kind: "panorama", Name: "early", Doc: json.RawMessage(`{}`)},
		{ID: "3", Kind: "lamp", Name: "candle", Doc: json.RawMessage(`{}`)},
		{ID: "2", Kind: "panorama", Name: "dawn", Doc: json.RawMessage(`{}`)}} {
		if err := store.PutShelf(ctx, s.Pool, "p", &one); err != nil {
			t.Fatal(err)
		}
	}
	list, err := store.ShelfOf(ctx, s.Pool, "p", "panorama")
	if err != nil || len(list) != 2 || list[0].Name != "dawn" || list[1].Name != "Late" {
		t.Errorf("%+v, %v", list, err)
	}
	used, err := store.References(ctx, s.Pool)
	if err != nil || !used[blob] {
		t.Errorf("its picture may be swept away: %v", err)
	}
	if err := store.DropShelf(ctx, s.Pool, "q", "1"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("another production's: %v", err)
	}
	if err := store.DropShelf(ctx, s.Pool, "p", "1"); err != nil {
		t.Error(err)
	}
	if list, _ := store.ShelfOf(ctx, s.Pool, "p", "panorama"); len(list) != 1 {
		t.Errorf("%+v", list)
	}
}
