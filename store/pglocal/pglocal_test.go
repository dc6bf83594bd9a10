package pglocal

import (
	"context"
	"os"
	"testing"

	"github.com/jackc/pgx/v5"
)

// A cluster that was started twice, stopped and started again holds what was
// put into it, under the same address.
func TestAClusterKeepsItsDataAndAddress(t *testing.T) {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "visator-pglocal-*")
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil { // the server may run as another user
		t.Fatal(err)
	}
	first, err := Start(ctx, dir+"/postgres")
	if err != nil {
		t.Fatal(err)
	}
	defer first.Close()
	ask := func(sql string, into ...any) error {
		conn, err := pgx.Connect(ctx, first.DSN)
		if err != nil {
			return err
		}
		defer conn.Close(ctx)
		if len(into) == 0 {
			_, err = conn.Exec(ctx, sql)
			return err
		}
		return conn.QueryRow(ctx, sql).Scan(into...)
	}
	if err := ask("create table kept as select 42 as n"); err != nil {
		t.Fatal(err)
	}
	second, err := Start(ctx, dir+"/postgres")
	if err == nil {
		defer second.Close()
	}
	if err != nil || second.DSN != first.DSN || second.Started || !first.Started {
		t.Errorf("started again: %+v, %v", second, err)
	}
	if err := first.Stop(); err != nil {
		t.Fatal(err)
	}
	if ask("select 1") == nil {
		t.Error("it still answers")
	}
	if err := first.Restart(ctx); err != nil {
		t.Fatal(err)
	}
	var n int
	if err := ask("select n from kept", &n); err != nil || n != 42 {
		t.Errorf("%d, %v", n, err)
	}
	// It listens on no network, and the application may not do everything.
	var where string
	var all bool
	if err := ask("show listen_addresses", &where); err != nil || where != "" {
		t.Errorf("listens on %q, %v", where, err)
	}
	if err := ask("select rolsuper or rolcreaterole or rolcreatedb from pg_roles where rolname = current_user", &all); err != nil || all {
		t.Errorf("the application's role may do everything: %v, %v", all, err)
	}
}
