package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"net"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"time"

	"visator/core/crew"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"
)

// ErrFull says that there is no room left for what was to be kept.
var ErrFull = errors.New("the disk is full")

// ErrDamaged is a blob whose bytes are not those that it is named after.
var ErrDamaged = errors.New("damaged")

// Full reports whether an error came of a full disk: the blob store's, or the
// database's own (53100, disk_full).
func Full(err error) bool {
	var pg *pgconn.PgError
	return errors.Is(err, ErrFull) || errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) ||
		errors.As(err, &pg) && pg.Code == "53100"
}

// Away reports whether an error came of the database being away: it may be back in
// a moment.
func Away(err error) bool {
	if err == nil {
		return false
	}
	var connect *pgconn.ConnectError
	var op net.Error
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		// 57P: it shuts down, or has just been started (operator intervention); 08:
		// the connection broke.
		return strings.HasPrefix(pg.Code, "57P") || strings.HasPrefix(pg.Code, "08")
	}
	return errors.As(err, &connect) || errors.As(err, &op) || pgconn.SafeToRetry(err) ||
		strings.Contains(err.Error(), "unexpected EOF") || strings.Contains(err.Error(), "conn closed") ||
		strings.Contains(err.Error(), "conn busy")
}

// full makes ErrFull of an error of the system that means it.
func full(err error) error {
	if err != nil && Full(err) {
		return fmt.Errorf("%w: %w", ErrFull, err)
	}
	return err
}

// Kept is a blob that was put.
type Kept struct {
	Hash  string    // SHA-256, hex
	Bytes int64     // its length
	Put   time.Time // when it was put last
	New   bool      // nobody had put it before
}

// hashForm is the form of a blob's name.
var hashForm = regexp.MustCompile("^[0-9a-f]{64}$")

// Beside is a folder beside that of the blobs, for what can be made again; "" where they are not in a folder here. It
// is not made.
func (s *Store) Beside(name string) string {
	if s.folder == "" {
		return ""
	}
	return s.folder + "." + name
}

// PutBlob keeps what r gives and returns its SHA-256 in hex and its length.
// Nothing is kept when r fails. At most limit bytes are taken, 0 is all.
func (s *Store) PutBlob(ctx context.Context, r io.Reader, limit int64) (hash string, size int64, err error) {
	k, err := s.Put(ctx, r, limit)
	return k.Hash, k.Bytes, err
}

// Put is PutBlob for who wants to know whether the blob was new. A blob that is
// there but damaged is written anew: putting the same bytes again heals it. When
// Put returns, the bytes and the folder that they are in are on the disk.
func (s *Store) Put(ctx context.Context, r io.Reader, limit int64) (k Kept, err error) {
	tmp, err := os.CreateTemp(s.tmp, "visator-*")
	if err != nil {
		return k, full(err)
	}
	defer os.Remove(tmp.Name())
	defer tmp.Close()
	h := sha256.New()
	if limit > 0 {
		r = io.LimitReader(r, limit+1)
	}
	if k.Bytes, err = io.Copy(io.MultiWriter(tmp, h), r); err != nil {
		return Kept{}, full(err)
	}
	if limit > 0 && k.Bytes > limit {
		return Kept{}, fmt.Errorf("more than the limit of %d bytes", limit)
	}
	k.Hash = hex.EncodeToString(h.Sum(nil))
	// The row comes first: whoever gives blobs back holds it while the bytes go, so
	// that they are either still there below or written again.
	err = s.Pool.QueryRow(ctx, "insert into blob (hash, bytes) values ($1, $2) on conflict (hash) do update set put = "+
		"clock_timestamp() returning put, xmax = 0",
		k.Hash, k.Bytes).Scan(&k.Put, &k.New)
	if err != nil {
		return Kept{}, full(err)
	}
	whole, err := s.whole(ctx, k.Hash, k.Bytes)
	if err != nil || whole {
		return k, err
	}
	return k, full(s.write(ctx, k.Hash, tmp))
}

// PutWritten keeps what write writes, which is never whole in memory. Nothing is kept when write fails; what it panics
// with is the caller's.
func (s *Store) PutWritten(ctx context.Context, write func(w io.Writer) error) (k Kept, err error) {
	r, w := io.Pipe()
	var g crew.Group
	g.Go(func() {
		err := errors.New("the writer broke off")
		defer func() { w.CloseWithError(err) }()
		err = write(w)
	})
	k, err = s.Put(ctx, r, 0)
	r.CloseWithError(err)
	g.Wait()
	return k, err
}

// write puts the bytes of a file under their name and makes sure of them.
func (s *Store) write(ctx context.Context, hash string, from *os.File) error {
	if _, err := from.Seek(0, io.SeekStart); err != nil {
		return err
	}
	// The writer makes the blob appear whole, at Close, or not at all, when its
	// context has ended before.
	writing, abort := context.WithCancel(ctx)
	defer abort()
	w, err := s.blobs.NewWriter(writing, hash, &blob.WriterOptions{ContentType: "application/octet-stream"})
	if err != nil {
		return err
	}
	if _, err := io.Copy(w, from); err != nil {
		abort()
		_ = w.Close()
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	return s.sync(hash)
}

// sync has the disk hold a blob, for its owner alone, and its name in the folder;
// other blob stores do so by themselves.
func (s *Store) sync(hash string) error {
	if s.folder == "" {
		return nil
	}
	for _, path := range []string{filepath.Join(s.folder, hash), s.folder} {
		f, err := os.Open(path)
		if err != nil {
			return err
		}
		if path != s.folder {
			err = f.Chmod(0o600)
		}
		if err == nil {
			err = f.Sync()
		}
		_ = f.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

// whole reports whether a blob is there with the bytes that it is named after.
func (s *Store) whole(ctx context.Context, hash string, size int64) (bool, error) {
	r, err := s.blobs.NewReader(ctx, hash, nil)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	defer r.Close()
	if r.Size() != size {
		return false, nil
	}
	h := sha256.New()
	if _, err := io.Copy(h, r); err != nil {
		return false, nil // what cannot be read is written anew
	}
	return hex.EncodeToString(h.Sum(nil)) == hash, nil
}

// Blob opens a blob; ErrNotFound when it is not there. Its bytes are not looked
// at: ReadBlob and Verified do that.
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

// HasBlob reports whether a blob is there. It counts as put again, so that it
// stays until whoever asks has referred to it.
func (s *Store) HasBlob(ctx context.Context, hash string) (bool, error) {
	if !hashForm.MatchString(hash) {
		return false, nil
	}
	if _, err := s.Pool.Exec(ctx, "update blob set put = clock_timestamp() where hash = $1", hash); err != nil {
		return false, err
	}
	return s.blobs.Exists(ctx, hash)
}

// ReadBlob reads a whole blob; ErrDamaged when its bytes are not those that were
// kept.
func (s *Store) ReadBlob(ctx context.Context, hash string) ([]byte, error) {
	r, size, err := s.Blob(ctx, hash)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	data := make([]byte, size)
	if _, err := io.ReadFull(r, data); err != nil {
		return nil, err
	}
	if sum := sha256.Sum256(data); hex.EncodeToString(sum[:]) != hash {
		return nil, damaged(hash)
	}
	return data, nil
}

func damaged(hash string) error {
	return fmt.Errorf("what is kept as %.12s is %w: hand in the file that it came from again", hash, ErrDamaged)
}

// Verified copies a blob to w; ErrDamaged, when all is written, if its bytes are
// not those that were kept.
func (s *Store) Verified(ctx context.Context, w io.Writer, hash string) error {
	r, _, err := s.Blob(ctx, hash)
	if err != nil {
		return err
	}
	defer r.Close()
	h := sha256.New()
	if _, err := io.Copy(io.MultiWriter(w, h), r); err != nil {
		return err
	}
	return sumIs(h, hash)
}

func sumIs(h hash.Hash, name string) error {
	if hex.EncodeToString(h.Sum(nil)) != name {
		return damaged(name)
	}
	return nil
}

// DropBlob removes a blob that was put at a time and by nobody since. That it is
// still there would do no harm, so it fails in silence.
func (s *Store) DropBlob(ctx context.Context, hash string, put time.Time) {
	_, _ = s.drop(ctx, hash, "put = $2", put)
}

// drop removes a blob if its row is as the condition says, and how many bytes it
// had. Its row is held meanwhile, so that whoever puts the same bytes waits.
func (s *Store) drop(ctx context.Context, hash, condition string, arg any) (bytes int64, err error) {
	err = s.Tx(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "delete from blob where hash = $1 and "+condition+" returning bytes", hash,
			arg).Scan(&bytes)
		if errors.Is(err, pgx.ErrNoRows) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := s.blobs.Delete(ctx, hash); err != nil && gcerrors.Code(err) != gcerrors.NotFound {
			return err
		}
		return nil
	})
	if err != nil {
		return 0, err
	}
	return bytes, nil
}

// Grace is how long a blob stays that nothing refers to: longer than anybody
// waits between an upload and what it is for.
const Grace = 24 * time.Hour

// Sweep gives back the blobs that nothing refers to and that nobody put within
// grace, and says how many and how many bytes they had. It is safe beside uploads:
// what is put meanwhile stays.
func (s *Store) Sweep(ctx context.Context, grace time.Duration) (blobs int, bytes int64, err error) {
	if err := s.enter(ctx); err != nil {
		return 0, 0, err
	}
	var before time.Time
	if err := s.Pool.QueryRow(ctx, "select clock_timestamp() - $1::interval", grace).Scan(&before); err != nil {
		return 0, 0, err
	}
	used, err := References(ctx, s.Pool)
	if err != nil {
		return 0, 0, err
	}
	old, err := s.hashes(ctx, before)
	if err != nil {
		return 0, 0, err
	}
	for _, hash := range old {
		if used[hash] {
			continue
		}
		n, err := s.drop(ctx, hash, "put < $2", before)
		if err != nil {
			return blobs, bytes, err
		}
		blobs, bytes = blobs+1, bytes+n
	}
	return blobs, bytes, nil
}

// hashes are the blobs that were put before a time.
func (s *Store) hashes(ctx context.Context, before time.Time) ([]string, error) {
	rows, err := s.Pool.Query(ctx, "select hash from blob where put < $1 order by hash", before)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// enter enters blobs that have no row yet: those of releases before rows were
// kept. They count as put now.
func (s *Store) enter(ctx context.Context) error {
	if s.entered.Load() {
		return nil
	}
	list := s.blobs.List(nil)
	for {
		o, err := list.Next(ctx)
		if err == io.EOF {
			s.entered.Store(true)
			return nil
		}
		if gcerrors.Code(err) == gcerrors.NotFound {
			return nil // one went while the folder was read: the next time it is read on
		}
		if err != nil {
			return err
		}
		if !hashForm.MatchString(o.Key) {
			continue
		}
		if _, err := s.Pool.Exec(ctx, "insert into blob (hash, bytes) values ($1, $2) on conflict (hash) do nothing",
			o.Key, o.Size); err != nil {
			return err
		}
	}
}

// referring are the tables whose rows name blobs, in any of their columns.
var referring = []string{"production", "arrival", "piece", "piece_look", "sets", "document",
	"take", "log", "made", "shelf", "parcel", "take_part"}

// References are the names of all blobs that a row names, in whatever column and
// however deep: what can be undone, what lies in the bin and what was made before
// count too.
func References(ctx context.Context, q Querier) (map[string]bool, error) {
	used := map[string]bool{}
	for _, table := range referring {
		rows, err := q.Query(ctx,
			`select distinct m[1] from `+table+` t, regexp_matches(row_to_json(t)::text, '\y[0-9a-f]{64}\y', 'g') m`)
		if err != nil {
			return nil, err
		}
		list, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return nil, err
		}
		for _, hash := range list {
			used[hash] = true
		}
	}
	return used, nil
}

// Room is how much of the disk is free.
type Room struct {
	Free, Total int64 // bytes
}

// When it is told that room gets short.
const (
	shortShare = 20       // a twentieth of the disk
	shortBytes = 1 << 30  // or a gigabyte
	noRoom     = 64 << 20 // below it nothing new is begun
)

// Short reports whether little is left: less than 5 % or less than 1 GB.
func (r Room) Short() bool {
	return r.Total > 0 && (r.Free < shortBytes || r.Free*shortShare < r.Total)
}

// None reports whether hardly anything is left: less than 64 MB.
func (r Room) None() bool { return r.Total > 0 && r.Free < noRoom }

// Room is that of the folder that blobs are kept in; zero when they are kept
// elsewhere.
func (s *Store) Room() Room {
	if s.folder == "" {
		return Room{}
	}
	var st syscall.Statfs_t
	if err := syscall.Statfs(s.folder, &st); err != nil {
		return Room{}
	}
	return Room{Free: int64(st.Bavail) * st.Bsize, Total: int64(st.Blocks) * st.Bsize}
}

// Writable says why nothing can be kept; nil when it can.
func (s *Store) Writable() error {
	f, err := os.CreateTemp(s.tmp, "visator-*")
	if err != nil {
		return full(err)
	}
	defer os.Remove(f.Name())
	defer f.Close()
	_, err = f.Write(make([]byte, 4096))
	return full(err)
}
