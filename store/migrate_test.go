package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5"

	"visator/store/pglocal"
)

// Released migrations are never edited: databases that took them would differ from
// those that take them now. A new one is added here when it is released.
var released = map[string]string{
	"00001_start.sql":     "e4e34826ca8a13a8",
	"00002_intake.sql":    "da65e37f9b844656",
	"00003_size.sql":      "81b2f3307d6e778e",
	"00004_dress.sql":     "3d2279024380661e",
	"00005_frame.sql":     "08e68dfe93954270",
	"00006_keeping.sql":   "e454a2fa2a806af6",
	"00007_surely.sql":    "9891479acc5a5db1",
	"00008_rest.sql":      "b6dee18e47f3e906",
	"00009_documents.sql": "6aafb3d42fea9907",
	"00010_shelf.sql":     "c375cd44dcb006d9",
	"00011_worlds.sql":    "5896150701ccbe17",
	"00012_marks.sql":     "18308e4f4c9b4137",
	"00013_parcels.sql":   "631cd5eb060cc072",
	"00014_parts.sql":     "0001a10bae5f0959",
}

func TestReleasedMigrationsAreAsTheyWere(t *testing.T) {
	list, err := migrations.ReadDir("migrations")
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range list {
		data, err := migrations.ReadFile("migrations/" + f.Name())
		if err != nil {
			t.Fatal(err)
		}
		sum := sha256.Sum256(data)
		if want := released[f.Name()]; hex.EncodeToString(sum[:8]) != want {
			t.Errorf("%s is another than was released: %x, not %s; make a new migration instead", f.Name(), sum[:8],
				want)
		}
	}
	if len(list) != len(released) {
		t.Errorf("%d migrations, %d released", len(list), len(released))
	}
}

// filled is what a database of each version holds: rows as that release wrote them.
var filled = []string{
	1: `insert into production (id, name, unit, budget, revision) values ('p', 'Old Mill', 'foot', 1234, 7);
		insert into arrival (id, production_id, name, blob, bytes, state) values ('a', 'p', 'wheel.zip', 'b', 5, 'done');
		insert into piece (id, production_id, arrival_id, name, blob, facts, sizing) values ('w', 'p', 'a', 'wheel', 'b', '{"a": 1}', '{"up": "Y"}');
		insert into piece_look (piece_id, levels, front, top) values ('w', '[]', '{}', '{}');
		insert into sets (id, production_id, name, view, light, move) values ('s', 'p', 'yard', '{"focal": 35}', '{"lux": 1}', '{"to": {"focal": 50}, "duration": 2}');
		insert into placement (id, set_id, piece_id, name, x, y, z, yaw, pitch, roll, scale_x, scale_y, scale_z, hidden, locked, ord) values ('q', 's', 'w', 'wheel 1', 0.1, -0.0, 1e-7, 0, 0, 0, 1, 1, 1, false, true, 3);
		insert into shot (id, set_id, name, view, light, ord) values ('h', 's', 'wide', '{"focal": 24}', '{}', 1);
		insert into take (id, set_id, name, kind, state, settings) values ('t', 's', 'wide', 'still', 'done', '{"width": 64}');
		insert into log (production_id, set_id, revision, label, changes) values ('p', 's', 7, 'move wheel 1', '[{"kind": "placement", "id": "q", "before": {"at": {"x": 2}}, "after": {"at": {"x": 0.1}}}]');`,
	2:  `update piece set recipe = '{"keep": ["a"]}', tags = '["old"]', favourite = true; insert into made (digest, result) values ('d', '{"blob": "b"}');`,
	3:  `update piece set subject = '{"k": 2}'; update piece_look set right_ = '{"Y": "M0"}';`,
	4:  `update placement set layer = 'mill', group_id = 'g', tint = '#aabbcc'; insert into element (id, set_id, kind, name, ord, spec) values ('e', 's', 'layer', 'mill', 1, '{ "x":-0 }');`,
	5:  `update sets set hide = '["mill"]', first_frame = 2; update shot set note = 'early', status = 'ready';`,
	6:  `update log set actor = 'anna'; insert into request (id, production_id, answer) values ('r', 'p', '{}'); insert into blob (hash, bytes) values ('h', 1);`,
	7:  `update arrival set binned = now() where id = 'none';`,
	8:  `insert into settling (id, set_id, name, was, seed) values ('f', 's', 'wheel 1', '[]', 3);`,
	9:  `insert into document (kind, id, set_id, rev, doc) values ('element', 'e2', 's', 9, '{"id":"e2","kind":"layer","name":"late","order":7,"spec":{"x":-0}}');`,
	10: `insert into shelf (id, production_id, kind, name, doc) values ('h', 'p', 'lamp', 'candle', '{"output": 12}')`,
}

// A filled database of every earlier version comes up with all that it holds.
func TestEveryEarlierDatabaseComesUp(t *testing.T) {
	ctx := context.Background()
	server, err := pglocal.Start(ctx, t.TempDir()+"/postgres")
	if errors.Is(err, pglocal.ErrMissing) {
		t.Skip(err)
	}
	if err != nil {
		t.Fatal(err)
	}
	defer server.Close()
	if err := server.Admin(ctx, "alter role visator_app createdb"); err != nil {
		t.Fatal(err)
	}
	base, err := pgx.Connect(ctx, server.Address("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer base.Close(ctx)
	for version := 1; version < len(filled); version++ {
		name := fmt.Sprintf("v%d", version)
		if _, err := base.Exec(ctx, "create database "+name); err != nil {
			t.Fatal(err)
		}
		dsn := server.Address(name)
		conn, err := pgx.Connect(ctx, dsn)
		if err != nil {
			t.Fatal(err)
		}
		for v := 1; v <= version; v++ {
			if err := migrateTo(ctx, dsn, int64(v)); err != nil {
				t.Fatal(err)
			}
			if _, err := conn.Exec(ctx, filled[v]); err != nil {
				t.Fatalf("version %d: %v", version, err)
			}
		}
		if version < len(filled)-1 {
			if err := Current(ctx, dsn); !errors.Is(err, ErrOlder) {
				t.Errorf("version %d: %v", version, err)
			}
		}
		// Several processes start at once: one brings it up, the others wait.
		var all sync.WaitGroup
		for range 4 {
			all.Go(func() {
				if err := Migrate(ctx, dsn); err != nil {
					t.Errorf("version %d: %v", version, err)
				}
			})
		}
		all.Wait()
		if err := Current(ctx, dsn); err != nil {
			t.Errorf("version %d: %v", version, err)
		}
		s, err := Open(ctx, dsn, t.TempDir())
		if err != nil {
			t.Fatal(err)
		}
		list, err := s.Productions(ctx)
		if err != nil || len(list) != 1 || list[0].Name != "Old Mill" || list[0].Budget != 1234 ||
			list[0].Revision != 7 || list[0].Sample != "" {
			t.Errorf("version %d: %+v, %v", version, list, err)
		}
		set, err := GetSet(ctx, s.Pool, "s")
		if err != nil || set.View.Focal != 35 || set.Move == nil || set.Move.Keys[0].View.Focal != 50 {
			t.Errorf("version %d: %+v, %v", version, set, err)
		}
		rows, err := Placements(ctx, s.Pool, "s")
		if err != nil || len(rows) != 1 || rows[0].At.X != 0.1 || rows[0].At.Z != 1e-7 || !rows[0].Locked ||
			rows[0].Order != 3 || (rows[0].Layer == "mill") != (version >= 4) {
			t.Errorf("version %d: %+v, %v", version, rows, err)
		}
		if shots, err := Shots(ctx, s.Pool, "s"); err != nil || len(shots) != 1 || shots[0].View.Focal != 24 ||
			(shots[0].Note == "early") != (version >= 5) {
			t.Errorf("version %d: %+v, %v", version, shots, err)
		}
		if takes, err := Takes(ctx, s.Pool, "s"); err != nil || len(takes) != 1 {
			t.Errorf("version %d: %+v, %v", version, takes, err)
		}
		actor := ""
		if version >= 6 {
			actor = "anna"
		}
		if e, err := NextUndo(ctx, s.Pool, "p", "s", actor); err != nil || e.Label != "move wheel 1" ||
			!strings.Contains(string(e.Changes), `{"x": 2}`) && !strings.Contains(string(e.Changes), `{"x":2}`) {
			t.Errorf("version %d: %+v, %v", version, e, err)
		}
		if version >= 4 {
			if els, err := Elements(ctx, s.Pool, "s"); err != nil || (len(els) == 2) != (version >= 9) ||
				string(els[0].Spec) != `{ "x":-0 }` || els[0].Name != "mill" || els[0].Order != 1 {
				t.Errorf("version %d: %+v, %v", version, els, err)
			}
		}
		s.Close()
		// A program that knows less refuses it.
		if _, err := conn.Exec(ctx,
			"insert into goose_db_version (version_id, is_applied) values (9999, true)"); err != nil {
			t.Fatal(err)
		}
		if err := Migrate(ctx, dsn); !errors.Is(err, ErrNewer) {
			t.Errorf("version %d, of a newer release: %v", version, err)
		}
		if err := AwaitCurrent(ctx, dsn, func(error) { t.Error("it waits for what will not come") }); !errors.Is(err,
			ErrNewer) {
			t.Errorf("a worker: %v", err)
		}
		_ = conn.Close(ctx)
	}
}
