package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNewer is a database that a newer release has brought up.
var ErrNewer = errors.New("this database was brought up by a newer release: start that release, or go back with a " +
	"backup made before (docs/operating.md)")

// ErrOlder is a database that is still to be brought up, by the server.
var ErrOlder = errors.New("this database is of an older release: it is brought up by visator serve, or by visator " +
	"migrate")

// provider is goose on a connection of its own. Only one at a time migrates a
// database: the others wait.
func provider(db *sql.DB) (*goose.Provider, error) {
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	locker, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(1, 300)) // seconds between, times
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectPostgres, db, dir, goose.WithSessionLocker(locker),
		goose.WithSlog(slog.New(slog.DiscardHandler)))
}

// Migrate brings the database to the newest form, the job queue's too. It refuses
// one that is newer: ErrNewer.
func Migrate(ctx context.Context, dsn string) error {
	return migrateTo(ctx, dsn, 0)
}

// migrateTo brings the database up to a version; 0 is the newest.
func migrateTo(ctx context.Context, dsn string, version int64) error {
	cfg, err := pgx.ParseConfig(dsn)
	if err != nil {
		return fmt.Errorf("the database address cannot be read: %w", err)
	}
	db := stdlib.OpenDB(*cfg)
	defer db.Close()
	p, err := provider(db)
	if err != nil {
		return err
	}
	now, newest, err := p.GetVersions(ctx)
	switch {
	case err != nil:
		return fmt.Errorf("the database does not tell its version: %w", err)
	case now > newest:
		return fmt.Errorf("%w (its version is %d, this program knows %d)", ErrNewer, now, newest)
	case version == 0:
		_, err = p.Up(ctx)
	default:
		_, err = p.UpTo(ctx, version)
	}
	if err != nil {
		return fmt.Errorf("migrating: %w", full(err))
	}
	pool, err := pgxpool.New(ctx, dsn)
	if err != nil {
		return err
	}
	defer pool.Close()
	return locked(ctx, pool, func() error {
		m, err := rivermigrate.New(riverpgxv5.New(pool), nil)
		if err != nil {
			return err
		}
		if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
			return fmt.Errorf("migrating the job queue: %w", full(err))
		}
		return nil
	})
}

// locked does something that one process at a time may do to a database.
func locked(ctx context.Context, pool *pgxpool.Pool, do func() error) error {
	conn, err := pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	const queueLock = 8470_0001 // any number that nothing else locks
	if _, err := conn.Exec(ctx, "select pg_advisory_lock($1)", queueLock); err != nil {
		return err
	}
	defer func() { _, _ = conn.Exec(context.WithoutCancel(ctx), "select pg_advisory_unlock($1)", queueLock) }()
	return do()
}

// Version is the version of a database, and the newest that this program knows.
func Version(ctx context.Context, dsn string) (now, newest int64, err error) {
	cfg, err := pgx.ParseConfig(dsn)
	if err != nil {
		return 0, 0, fmt.Errorf("the database address cannot be read: %w", err)
	}
	db := stdlib.OpenDB(*cfg)
	defer db.Close()
	p, err := provider(db)
	if err != nil {
		return 0, 0, err
	}
	return p.GetVersions(ctx)
}

// Current says whether a database is of this program's version: nil, ErrOlder or
// ErrNewer.
func Current(ctx context.Context, dsn string) error {
	now, newest, err := Version(ctx, dsn)
	switch {
	case err != nil:
		return err
	case now < newest:
		return ErrOlder
	case now > newest:
		return ErrNewer
	}
	return nil
}

// AwaitCurrent waits until the server has brought the database up; told says, once,
// that it waits. A newer database is an error.
func AwaitCurrent(ctx context.Context, dsn string, told func(error)) error {
	for said := false; ; {
		err := Current(ctx, dsn)
		if err == nil || errors.Is(err, ErrNewer) {
			return err
		}
		if !said {
			said = true
			told(err)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(time.Second):
		}
	}
}
