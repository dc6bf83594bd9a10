package store

import (
	"archive/zip"
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
)

// A dump is a zip of everything, or of one production: the rows of each table as
// lines of JSON, each blob under its hash, and, last, what is in it.
//
//	rows/production.jsonl ...
//	blobs/HASH
//	visator.json

// Manifest says what is in a dump.
type Manifest struct {
	Format  string              `json:"format"`  // FormatAll or FormatOne
	Schema  int64               `json:"schema"`  // version of the database that it was made of
	Made    time.Time           `json:"made"`    //
	Tables  map[string]Contents `json:"tables"`  // by name
	Blobs   int                 `json:"blobs"`   // files under blobs/
	Damaged []string            `json:"damaged"` // of them, those that were damaged already: they are not taken back
}

// Documents is of how many documents the sets of a dump are made.
func (m *Manifest) Documents() (n int64) {
	for _, table := range []string{"document", "placement", "element", "shot"} {
		n += m.Tables[table].Rows
	}
	return n
}

// Contents is what a dump holds of a table.
type Contents struct {
	Rows int64  `json:"rows"`
	SHA  string `json:"sha256"`
}

// The formats of dumps.
const (
	FormatAll = "visator backup 1"
	FormatOne = "visator production 1"
)

// table is one of a dump: its name, what of it belongs to one production, the order that
// it is written in, and from which version of the database on, and up to which, there is
// one (0: to this day).
type table struct {
	name, own, order string
	from, to         int64
}

// ofSets is what belongs to the sets of a production.
const ofSets = "set_id in (select id from sets where production_id = $1)"

// dumped are the tables of a dump, parents first.
var dumped = []table{
	{"production", "id = $1", "id", 1, 0},
	{"arrival", "production_id = $1", "id", 1, 0},
	{"piece", "production_id = $1", "id", 1, 0},
	{"piece_look", "piece_id in (select id from piece where production_id = $1)", "piece_id", 1, 0},
	{"made", "digest in (select made from piece where production_id = $1)", "digest", 1, 0},
	{"sets", "production_id = $1", "id", 1, 0},
	{"placement", ofSets, "id", 1, 8},
	{"element", ofSets, "id", 1, 8},
	{"shot", ofSets, "id", 1, 8},
	{"document", ofSets, "kind, id", 9, 0},
	{"take", ofSets, "id", 1, 0},
	{"shelf", "production_id = $1", "id", 10, 0},
	{"log", "production_id = $1", "id", 1, 0},
}

// tables are those that a database of a version has; 0 is the newest.
func tables(version int64) (list []table) {
	for _, t := range dumped {
		if version == 0 && t.to == 0 || version >= t.from && version > 0 && (t.to == 0 || version <= t.to) {
			list = append(list, t)
		}
	}
	return list
}

// Things are the tables of a dump whose rows have names.
func (d *Dumped) Things() (list []string) {
	for _, t := range tables(d.Schema) {
		if t.name != "piece_look" && t.name != "made" && t.name != "log" {
			list = append(list, t.name)
		}
	}
	return list
}

var hashWithin = regexp.MustCompile(`\b[0-9a-f]{64}\b`)

// Dump writes a production, or everything when it is "", as of one moment, and
// says what it wrote. Others go on working meanwhile.
func (s *Store) Dump(ctx context.Context, w io.Writer, production string) (m Manifest, err error) {
	m = Manifest{Format: FormatAll, Made: time.Now().UTC(), Tables: map[string]Contents{}, Damaged: []string{}}
	if production != "" {
		m.Format = FormatOne
	}
	if m.Schema, err = schemaOf(ctx, s.Pool); err != nil {
		return m, err
	}
	z := zip.NewWriter(w)
	used := map[string]bool{}
	err = s.View(ctx, func(tx pgx.Tx) error {
		for _, t := range tables(0) {
			sql, args := "select row_to_json(t)::text from "+t.name+" t order by "+t.order, []any(nil)
			if production != "" {
				sql, args = "select row_to_json(t)::text from "+t.name+" t where "+t.own+" order by "+t.order,
					[]any{production}
			}
			c, err := dumpRows(ctx, tx, z, t.name, used, sql, args)
			if err != nil {
				return fmt.Errorf("%s: %w", t.name, err)
			}
			m.Tables[t.name] = c
		}
		return nil
	})
	if err != nil {
		return m, err
	}
	if production != "" && m.Tables["production"].Rows == 0 {
		return m, ErrNotFound
	}
	hashes := make([]string, 0, len(used))
	for h := range used {
		hashes = append(hashes, h)
	}
	slices.Sort(hashes)
	for _, h := range hashes {
		if err := s.dumpBlob(ctx, z, h, &m); err != nil {
			return m, err
		}
	}
	f, err := z.Create("visator.json")
	if err != nil {
		return m, err
	}
	if err := json.NewEncoder(f).Encode(m); err != nil {
		return m, err
	}
	return m, z.Close()
}

// schemaOf is the version of the database, as its migrations keep it.
func schemaOf(ctx context.Context, q Querier) (version int64, err error) {
	err = q.QueryRow(ctx, "select max(version_id) from goose_db_version where is_applied").Scan(&version)
	return version, err
}

func dumpRows(ctx context.Context, tx pgx.Tx, z *zip.Writer, table string, used map[string]bool, sql string,
	args []any) (c Contents, err error) {
	f, err := z.Create("rows/" + table + ".jsonl")
	if err != nil {
		return c, err
	}
	h := sha256.New()
	out := io.MultiWriter(f, h)
	rows, err := tx.Query(ctx, sql, args...)
	if err != nil {
		return c, err
	}
	defer rows.Close()
	for rows.Next() {
		line := rows.RawValues()[0]
		for _, hash := range hashWithin.FindAll(line, -1) {
			used[string(hash)] = true
		}
		if _, err := out.Write(line); err != nil {
			return c, err
		}
		if _, err := out.Write([]byte{'\n'}); err != nil {
			return c, err
		}
		c.Rows++
	}
	c.SHA = hex.EncodeToString(h.Sum(nil))
	return c, rows.Err()
}

// dumpBlob copies a blob. What looks like a blob's name and is none is passed over.
func (s *Store) dumpBlob(ctx context.Context, z *zip.Writer, hash string, m *Manifest) error {
	there, err := s.blobs.Exists(ctx, hash)
	if err != nil || !there {
		return err
	}
	f, err := z.CreateHeader(&zip.FileHeader{Name: "blobs/" + hash, Method: zip.Store}) // most are compressed already
	if err != nil {
		return err
	}
	m.Blobs++
	if err := s.Verified(ctx, f, hash); errors.Is(err, ErrDamaged) {
		m.Damaged = append(m.Damaged, hash)
		return nil
	} else if err != nil {
		return err
	}
	return nil
}

// Dumped is a dump that was looked through: all that it says it holds is there,
// whole.
type Dumped struct {
	Manifest
	zip   *zip.Reader
	files map[string]*zip.File
}

// ErrBroken is a dump that is not whole.
var ErrBroken = errors.New("it is damaged or not of this program: nothing was changed")

func broken(format string, args ...any) error {
	return fmt.Errorf("%s: %w", fmt.Sprintf(format, args...), ErrBroken)
}

// Limits of a dump that is taken in: rows are streamed, and this is more than any
// production has.
const (
	maxLine     = 256 << 20 // bytes of one row: a log entry of thousands of changes
	maxRows     = 8 << 30   // bytes of all rows of a table
	maxManifest = 64 << 20
)

// OpenDump looks a dump through, every byte of it, before anything is done with it.
func OpenDump(ctx context.Context, r io.ReaderAt, size int64) (*Dumped, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, broken("the file is no zip, or was cut (%v)", err)
	}
	d := &Dumped{zip: z, files: map[string]*zip.File{}}
	for _, f := range z.File {
		if d.files[f.Name] != nil {
			return nil, broken("%.80s is in it twice", f.Name)
		}
		d.files[f.Name] = f
	}
	raw, err := d.read("visator.json", maxManifest)
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(raw, &d.Manifest); err != nil || d.Format != FormatAll && d.Format != FormatOne {
		return nil, broken("visator.json does not say that it is a backup or a production")
	}
	damaged := map[string]bool{}
	for _, h := range d.Damaged {
		damaged[h] = true
	}
	blobs := 0
	for _, f := range z.File {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		hash, ok := cutBlob(f.Name)
		switch {
		case !ok:
		case f.Method != zip.Store:
			return nil, broken("%s is packed in another way than it was", f.Name)
		default:
			blobs++
			if damaged[hash] {
				continue
			}
			if err := verify(f, hash); err != nil {
				return nil, err
			}
		}
	}
	if blobs != d.Blobs {
		return nil, broken("%d files of %d are there", blobs, d.Blobs)
	}
	for _, t := range tables(d.Schema) {
		want := d.Tables[t.name]
		h := sha256.New()
		n := int64(0)
		if err := d.Lines(ctx, t.name, func(line []byte) error {
			h.Write(line)
			h.Write([]byte{'\n'})
			n++
			return nil
		}); err != nil {
			return nil, err
		}
		if n != want.Rows || hex.EncodeToString(h.Sum(nil)) != want.SHA {
			return nil, broken("the rows of %s are not those that were written", t.name)
		}
	}
	return d, nil
}

func cutBlob(name string) (hash string, ok bool) {
	if len(name) != len("blobs/")+64 || name[:6] != "blobs/" || !hashForm.MatchString(name[6:]) {
		return "", false
	}
	return name[6:], true
}

func verify(f *zip.File, hash string) error {
	r, err := f.Open()
	if err != nil {
		return broken("%s cannot be read (%v)", f.Name, err)
	}
	defer r.Close()
	h := sha256.New()
	if _, err := io.Copy(h, r); err != nil {
		return broken("%s cannot be read (%v)", f.Name, err)
	}
	if hex.EncodeToString(h.Sum(nil)) != hash {
		return broken("%s is not what it is named after", f.Name)
	}
	return nil
}

func (d *Dumped) read(name string, limit int64) ([]byte, error) {
	f := d.files[name]
	if f == nil {
		return nil, broken("%s is missing in it", name)
	}
	r, err := f.Open()
	if err != nil {
		return nil, broken("%s cannot be read (%v)", name, err)
	}
	defer r.Close()
	raw, err := io.ReadAll(io.LimitReader(r, limit+1))
	if err != nil || int64(len(raw)) > limit {
		return nil, broken("%s cannot be read", name)
	}
	return raw, nil
}

// Lines gives each row of a table, as JSON.
func (d *Dumped) Lines(ctx context.Context, table string, each func(line []byte) error) error {
	f := d.files["rows/"+table+".jsonl"]
	if f == nil {
		return broken("rows/%s.jsonl is missing in it", table)
	}
	r, err := f.Open()
	if err != nil {
		return broken("%s cannot be read (%v)", f.Name, err)
	}
	defer r.Close()
	lines := bufio.NewScanner(io.LimitReader(r, maxRows))
	lines.Buffer(make([]byte, 1<<16), maxLine)
	for lines.Scan() {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := each(lines.Bytes()); err != nil {
			return err
		}
	}
	if err := lines.Err(); err != nil {
		return broken("%s cannot be read (%v)", f.Name, err)
	}
	return nil
}

// putBlobs keeps all blobs of a dump.
func (s *Store) putBlobs(ctx context.Context, d *Dumped) error {
	damaged := map[string]bool{}
	for _, h := range d.Damaged {
		damaged[h] = true
	}
	for _, f := range d.zip.File {
		hash, ok := cutBlob(f.Name)
		if !ok || damaged[hash] {
			continue
		}
		r, err := f.Open()
		if err != nil {
			return broken("%s cannot be read (%v)", f.Name, err)
		}
		k, err := s.Put(ctx, r, 0)
		_ = r.Close()
		if err != nil {
			return err
		}
		if k.Hash != hash {
			return broken("%s is not what it is named after", f.Name)
		}
	}
	return nil
}
