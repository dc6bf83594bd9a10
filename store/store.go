// Package store keeps productions in PostgreSQL and files by content hash in
// a blob store. It knows rows and bytes, not the rules of the job.
package store

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"gocloud.dev/blob"
	_ "gocloud.dev/blob/fileblob" // blobs in a folder: file://
)

// ErrNotFound is a row or blob that is not there.
var ErrNotFound = errors.New("not found")

// Store is the open database and blob store.
type Store struct {
	Pool   *pgxpool.Pool
	blobs  *blob.Bucket
	folder string // that blobs are in; "" where they are kept elsewhere
	tmp    string // what comes in is spooled there

	entered atomic.Bool // all blobs of the folder have rows
}

// Open connects to the database at dsn and to the blob store at blobs: a URL
// such as s3://..., or a folder, which is made if needed and is closed to others.
// It does not migrate.
func Open(ctx context.Context, dsn, blobs string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read: %w", err)
	}
	cfg.MaxConns = max(cfg.MaxConns, 16) // jobs, requests and the listener each hold some
	cfg.ConnConfig.ConnectTimeout = 5 * time.Second
	if Trace != nil {
		cfg.ConnConfig.Tracer = Trace
	}
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, err
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database does not answer: %w", err)
	}
	s := &Store{Pool: pool, tmp: os.TempDir()}
	if !strings.Contains(blobs, "://") {
		if s.folder, err = private(blobs); err != nil {
			pool.Close()
			return nil, err
		}
		blobs = "file://" + filepath.ToSlash(s.folder) + "?metadata=skip&no_tmp_dir=true&dir_file_mode=0700"
	}
	if s.blobs, err = blob.OpenBucket(ctx, blobs); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the blob store cannot be opened: %w", err)
	}
	return s, nil
}

// Trace follows what is asked of the database, when it is set before Open.
var Trace pgx.QueryTracer

// private makes a folder that only its owner can enter, and gives its full path.
func private(dir string) (string, error) {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	if err := os.MkdirAll(abs, 0o700); err != nil {
		return "", full(err)
	}
	return abs, os.Chmod(abs, 0o700)
}

// Close ends all connections.
func (s *Store) Close() {
	s.Pool.Close()
	_ = s.blobs.Close()
}

// NewID returns a fresh random name for a row, 80 bits of chance.
func NewID() string {
	var b [10]byte
	_, _ = rand.Read(b[:]) // never fails
	return strings.ToLower(base32.StdEncoding.EncodeToString(b[:]))
}

// Tx runs do in a transaction: all of it happens, or nothing.
func (s *Store) Tx(ctx context.Context, do func(tx pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, s.Pool, do)
}

// Moment runs do in a transaction that sees everything as it is at one moment: what others write
// meanwhile it does not see, and it fails when it writes the same (see Overtaken).
func (s *Store) Moment(ctx context.Context, do func(tx pgx.Tx) error) error {
	return pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead}, do)
}

// Overtaken says that a transaction failed because others were quicker: it is tried again.
func Overtaken(err error) bool {
	var e *pgconn.PgError
	// PostgreSQL, appendix A: serialization_failure, deadlock_detected, lock_not_available.
	return errors.As(err, &e) && slices.Contains([]string{"40001", "40P01", "55P03"}, e.Code)
}

// View runs look in a transaction that only reads: all of its answers are of
// one moment.
func (s *Store) View(ctx context.Context, look func(tx pgx.Tx) error) error {
	return pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, look)
}
