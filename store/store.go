// Package store keeps productions in PostgreSQL and files by content hash in
// a blob store. It knows rows and bytes, not the rules of the job.
package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"embed"
	"encoding/base32"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"gocloud.dev/blob"
	_ "gocloud.dev/blob/fileblob" // blobs in a folder: file://
	"gocloud.dev/gcerrors"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is a row or blob that is not there.
var ErrNotFound = errors.New("not found")

// Store is the open database and blob store.
type Store struct {
	Pool  *pgxpool.Pool
	blobs *blob.Bucket
	tmp   string
}

// Open connects to the database at dsn and to the blob store at blobs: a URL
// such as s3://..., or a folder, which is made if needed. It does not migrate.
func Open(ctx context.Context, dsn, blobs string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read: %w", err)
	}
	cfg.MaxConns = max(cfg.MaxConns, 16) // jobs, requests and the listener each hold some
	cfg.ConnConfig.ConnectTimeout = 5 * time.Second
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, err
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database does not answer: %w", err)
	}
	if !strings.Contains(blobs, "://") {
		abs, err := filepath.Abs(blobs)
		if err != nil {
			return nil, err
		}
		if err := os.MkdirAll(abs, 0o755); err != nil {
			return nil, err
		}
		blobs = "file://" + filepath.ToSlash(abs) + "?metadata=skip&no_tmp_dir=true"
	}
	bucket, err := blob.OpenBucket(ctx, blobs)
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("the blob store cannot be opened: %w", err)
	}
	return &Store{Pool: pool, blobs: bucket, tmp: os.TempDir()}, nil
}

// Close ends all connections.
func (s *Store) Close() {
	s.Pool.Close()
	_ = s.blobs.Close()
}

// Migrate brings the database to the newest form, the job queue's too.
func Migrate(ctx context.Context, dsn string) error {
	cfg, err := pgx.ParseConfig(dsn)
	if err != nil {
		return err
	}
	db := stdlib.OpenDB(*cfg)
	defer db.Close()
	goose.SetBaseFS(migrations)
	goose.SetLogger(goose.NopLogger())
	if err := goose.SetDialect("postgres"); err != nil {
		return err
	}
	if err := goose.UpContext(ctx, db, "migrations"); err != nil {
		return fmt.Errorf("migrating: %w", err)
	}
	pool, err := pgxpool.New(ctx, dsn)
	if err != nil {
		return err
	}
	defer pool.Close()
	m, err := rivermigrate.New(riverpgxv5.New(pool), nil)
	if err != nil {
		return err
	}
	if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("migrating the job queue: %w", err)
	}
	return nil
}

// NewID returns a fresh random name for a row, 80 bits of chance.
func NewID() string {
	var b [10]byte
	_, _ = rand.Read(b[:]) // never fails
	return strings.ToLower(base32.StdEncoding.EncodeToString(b[:]))
}

// PutBlob keeps what r gives and returns its SHA-256 in hex and its length.
// Nothing is kept when r fails. At most limit bytes are taken, 0 is all.
func (s *Store) PutBlob(ctx context.Context, r io.Reader, limit int64) (hash string, size int64, err error) {
	tmp, err := os.CreateTemp(s.tmp, "visator-*")
	if err != nil {
		return "", 0, err
	}
	defer os.Remove(tmp.Name())
	defer tmp.Close()
	h := sha256.New()
	if limit > 0 {
		r = io.LimitReader(r, limit+1)
	}
	if size, err = io.Copy(io.MultiWriter(tmp, h), r); err != nil {
		return "", 0, err
	}
	if limit > 0 && size > limit {
		return "", 0, fmt.Errorf("more than the limit of %d bytes", limit)
	}
	hash = hex.EncodeToString(h.Sum(nil))
	if ok, err := s.blobs.Exists(ctx, hash); err != nil || ok {
		return hash, size, err
	}
	if _, err := tmp.Seek(0, io.SeekStart); err != nil {
		return "", 0, err
	}
	// The writer makes the blob appear whole, at Close, or not at all, when its
	// context has ended before.
	writing, abort := context.WithCancel(ctx)
	defer abort()
	w, err := s.blobs.NewWriter(writing, hash, &blob.WriterOptions{ContentType: "application/octet-stream"})
	if err != nil {
		return "", 0, err
	}
	if _, err := io.Copy(w, tmp); err != nil {
		abort()
		_ = w.Close()
		return "", 0, err
	}
	return hash, size, w.Close()
}

// Blob opens a blob; ErrNotFound when it is not there.
func (s *Store) Blob(ctx context.Context, hash string) (io.ReadSeekCloser, int64, error) {
	r, err := s.blobs.NewReader(ctx, hash, nil)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return nil, 0, fmt.Errorf("blob %.80s: %w", hash, ErrNotFound)
	}
	if err != nil {
		return nil, 0, err
	}
	return r, r.Size(), nil
}

// HasBlob reports whether a blob is there.
func (s *Store) HasBlob(ctx context.Context, hash string) (bool, error) {
	return s.blobs.Exists(ctx, hash)
}

// ReadBlob reads a whole blob.
func (s *Store) ReadBlob(ctx context.Context, hash string) ([]byte, error) {
	r, size, err := s.Blob(ctx, hash)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	data := make([]byte, size)
	_, err = io.ReadFull(r, data)
	return data, err
}

// Tx runs do in a transaction: all of it happens, or nothing.
func (s *Store) Tx(ctx context.Context, do func(tx pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, s.Pool, do)
}

// View runs look in a transaction that only reads: all of its answers are of
// one moment.
func (s *Store) View(ctx context.Context, look func(tx pgx.Tx) error) error {
	return pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, look)
}

// DropBlob removes a blob that nothing refers to any more. That it is still
// there would do no harm, so it fails in silence.
func (s *Store) DropBlob(ctx context.Context, hash string) { _ = s.blobs.Delete(ctx, hash) }
