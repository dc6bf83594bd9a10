// Package storetest gives tests a real PostgreSQL: one cluster a test binary,
// one database a test.
package storetest

import (
	"context"
	"fmt"
	"os"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"

	"visator/store"
	"visator/store/pglocal"
)

var (
	server *pglocal.Server
	number atomic.Int64
)

// Main runs the tests of a package with a cluster; call it from TestMain.
func Main(m *testing.M) {
	os.Exit(Run(m))
}

// Run is Main for those who have something to do after the tests: it returns the
// code to exit with.
func Run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "visator-test-*")
	if err == nil {
		defer os.RemoveAll(dir)
		err = os.Chmod(dir, 0o755) // the server may run as another user
	}
	if err == nil {
		server, err = pglocal.Start(context.Background(), dir+"/postgres")
	}
	if err == nil {
		defer server.Close()
		err = store.Migrate(context.Background(), server.DSN) // becomes the template
	}
	if err == nil {
		err = server.Admin(context.Background(), "alter role visator_app createdb") // one for each test
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "no database for the tests:", err)
		return 1
	}
	return m.Run()
}

// Cluster is the running server.
func Cluster() *pglocal.Server { return server }

// DSN makes a fresh, migrated database and returns its address.
func DSN(t testing.TB) string {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, server.Address("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	name := fmt.Sprintf("t%d", number.Add(1))
	if _, err := conn.Exec(ctx, "create database "+name+" template visator"); err != nil {
		t.Fatal(err)
	}
	return server.Address(name)
}

// Open opens a store on a fresh database and an empty blob folder.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), DSN(t), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}
