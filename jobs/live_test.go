package jobs

import (
	"context"
	"log/slog"
	"testing"

	"visator/app"
	"visator/store/storetest"
)

// The sign of life is lost with the database, again and again asked for in vain,
// and taken up when the database is back.
func TestTheSignOfLifeOutlastsAnOutage(t *testing.T) {
	a := &app.App{Store: storetest.Open(t)}
	p, err := Open(context.Background(), a, 1, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	conn, err := a.Store.Pool.Acquire(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	p.lock = conn
	if err := storetest.Cluster().Stop(); err != nil {
		t.Fatal(err)
	}
	for range 3 {
		p.live(t.Context())
	}
	if p.lock != nil {
		t.Error("there is a sign of life without a database")
	}
	if err := storetest.Cluster().Restart(context.Background()); err != nil {
		t.Fatal(err)
	}
	p.live(t.Context())
	if p.lock == nil {
		t.Fatal("it does not come back")
	}
	p.live(t.Context())
	p.lock.Release()
}
