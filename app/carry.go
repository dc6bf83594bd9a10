package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/measure"
	"visator/core/plain"
	"visator/core/stage"
	"visator/store"
)

// Backup writes everything, as of one moment, while others go on working.
func (a *App) Backup(ctx context.Context, w io.Writer) (store.Manifest, error) {
	return a.Store.Dump(ctx, w, "")
}

// Restore takes a backup back: into a database that holds nothing, or, with
// replace, in place of what is there, which is then written to a backup in dir
// first; kept is its path. The file is looked through before anything is changed.
func (a *App) Restore(ctx context.Context, r io.ReaderAt, size int64, replace bool, dir string) (m store.Manifest,
	kept string, err error) {
	d, err := store.OpenDump(ctx, r, size)
	if err != nil {
		return m, "", err
	}
	if d.Format != store.FormatAll {
		return m, "", errors.New("this is one production: take it in on the first page, beside the others")
	}
	sc, err := a.Store.Load(ctx, d, nil)
	if err != nil {
		return m, "", err
	}
	defer sc.Close()
	if replace {
		if kept, err = a.before(ctx, dir); err != nil {
			return m, "", fmt.Errorf("what is here could not be kept first, so nothing was changed: %w", err)
		}
	}
	if err := sc.Commit(ctx, true, replace); err != nil {
		if errors.Is(err, store.ErrNotEmpty) {
			err = errors.New("there are productions here already. Restore into an empty place with --data FOLDER, or " +
				"say --replace: then what is here is written to a backup beside the data first")
		}
		return m, kept, err
	}
	_, _ = a.Store.Pool.Exec(ctx, "select pg_notify($1, $2)", act.Channel, `{"what":"again"}`)
	_, err = a.Requeue(ctx)
	return d.Manifest, kept, err
}

// before keeps a backup of what is there, unless that is nothing.
func (a *App) before(ctx context.Context, dir string) (string, error) {
	var n int
	if err := a.Store.Pool.QueryRow(ctx, "select count(*) from production").Scan(&n); err != nil || n == 0 {
		return "", err
	}
	path := filepath.Join(dir, "before-restore-"+time.Now().UTC().Format("20060102-150405.000")+".visator")
	return path, WriteWhole(path, func(w io.Writer) error { _, err := a.Backup(ctx, w); return err })
}

// WriteWhole writes a file that is there whole, and on the disk, or not at all.
func WriteWhole(path string, write func(w io.Writer) error) (err error) {
	f, err := os.CreateTemp(filepath.Dir(path), ".visator-*")
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			_ = os.Remove(f.Name())
		}
	}()
	defer f.Close()
	if err := write(f); err != nil {
		return err
	}
	if err := f.Sync(); err != nil {
		return err
	}
	return os.Rename(f.Name(), path)
}

// ExportProduction writes one production with all that belongs to it: its log,
// takes and credits too.
func (a *App) ExportProduction(ctx context.Context, production string, w io.Writer) error {
	_, err := a.Store.Dump(ctx, w, production)
	return act.NotThere(err, "The production")
}

var (
	rowID    = regexp.MustCompile("^[a-z2-7]{16}$")
	pieceRow = regexp.MustCompile("^p?[a-z2-7]{16}(-[0-9]{1,6})?$")
)

// TakeIn takes a production in that was exported elsewhere, or here: then it
// becomes another one beside the first. Whatever is in the file is checked as if it
// came by hand. It returns a set of it.
func (a *App) TakeIn(ctx context.Context, r io.ReaderAt, size int64) (set string, err error) {
	d, err := store.OpenDump(ctx, r, size)
	if errors.Is(err, store.ErrBroken) {
		return "", act.Wrong("This file cannot be taken in: %v.", err)
	}
	if err != nil {
		return "", err
	}
	if d.Format != store.FormatOne || d.Tables["production"].Rows != 1 {
		return "", act.Wrong("This is not one production but a backup of everything: visator restore takes it back.")
	}
	rename, err := a.renaming(ctx, d)
	if err != nil {
		return "", err
	}
	sc, err := a.Store.Load(ctx, d, func(table string, line []byte) ([]byte, error) {
		if err := readable(table, line); err != nil {
			return nil, act.Wrong("This file cannot be taken in: %v.", err)
		}
		return []byte(rename.Replace(string(line))), nil
	})
	if errors.Is(err, store.ErrBroken) {
		return "", act.Wrong("This file cannot be taken in: %v.", err)
	}
	if err != nil {
		return "", err
	}
	defer sc.Close()
	production, set, err := a.checkTaken(ctx, sc)
	if err != nil {
		return "", err
	}
	if err := sc.Commit(ctx, false, false); err != nil {
		return "", err
	}
	if _, err := a.Requeue(ctx); err != nil {
		return "", err
	}
	act.Tell(ctx, a.Store.Pool, production, "options")
	return set, nil
}

// readable refuses rows with texts or numbers that nothing here could have written.
// Reports and outlines hold numbers of files as they came, the log what is checked
// when it is undone.
func readable(table string, line []byte) error {
	switch table {
	case "document", "placement", "element", "shot", "sets", "production":
		return plain.JSON(line)
	}
	if !json.Valid(line) || strings.Contains(string(line), `\u0000`) {
		return fmt.Errorf("a row of %s is no text", table)
	}
	return nil
}

// renaming gives all things other names when some of theirs are taken here.
func (a *App) renaming(ctx context.Context, d *store.Dumped) (*strings.Replacer, error) {
	ids := map[string][]string{}
	var pairs []string
	known := map[string]bool{}
	for _, table := range d.Things() {
		err := d.Lines(ctx, table, func(line []byte) error {
			var row struct {
				ID string `json:"id"`
			}
			form := rowID
			if table == "piece" {
				form = pieceRow
			}
			if err := json.Unmarshal(line, &row); err != nil || !form.MatchString(row.ID) {
				return act.Wrong("This file cannot be taken in: a row of %s has no name as they are given here.", table)
			}
			ids[table] = append(ids[table], row.ID)
			// A piece that is named after its arrival is renamed with it.
			if base := strings.TrimPrefix(row.ID, "p"); len(base) >= 16 && !known[base[:16]] &&
				!(table == "piece" && row.ID[0] == 'p' && len(row.ID) == 16) {
				known[base[:16]] = true
				pairs = append(pairs, base[:16], store.NewID())
			} else if !known[row.ID] && len(row.ID) == 16 {
				known[row.ID] = true
				pairs = append(pairs, row.ID, store.NewID())
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	taken, err := a.Store.Taken(ctx, ids)
	if err != nil || !taken {
		return strings.NewReplacer(), err
	}
	return strings.NewReplacer(pairs...), nil
}

// checkTaken checks everything in a scratch as if it came by hand, and settles what
// was under way where it was exported.
func (a *App) checkTaken(ctx context.Context, sc *store.Scratch) (production, set string, err error) {
	list, err := store.List[store.Production](ctx, sc.Pool,
		"select id, name, unit, budget, revision, created, sample from production")
	if err != nil {
		return "", "", err
	}
	if len(list) != 1 {
		return "", "", act.Wrong("This file cannot be taken in: it holds no production.")
	}
	p := list[0]
	refuse := func(err error) error {
		return act.Wrong("This file cannot be taken in: %v. Nothing was changed.", err)
	}
	here, err := a.Store.Productions(ctx)
	if err != nil {
		return "", "", err
	}
	name := stage.NextName(p.Name, func(n string) bool {
		for i := range here {
			if here[i].Name == n {
				return true
			}
		}
		return false
	})
	if _, err := sc.Pool.Exec(ctx, "update production set name = $1, sample = '', binned = null", name); err != nil {
		return "", "", err
	}
	rows, err := sc.Pool.Query(ctx, "select id from sets where production_id = $1 order by created, id", p.ID)
	if err != nil {
		return "", "", err
	}
	var sets []string
	for rows.Next() {
		var id string
		if err := rows.Scan(&id); err != nil {
			return "", "", err
		}
		sets = append(sets, id)
	}
	if err := rows.Err(); err != nil {
		return "", "", err
	}
	if len(sets) == 0 {
		return "", "", refuse(errors.New("it has no set"))
	}
	for _, id := range sets {
		if _, err := sc.Pool.Exec(ctx, "update sets set binned = null where id = $1 and binned is not null",
			id); err != nil {
			return "", "", err
		}
		if err := checkSet(ctx, sc, id); err != nil {
			if store.Away(err) {
				return "", "", err
			}
			return "", "", refuse(err)
		}
	}
	pieces, err := store.List[store.Piece](ctx, sc.Pool, "select "+store.PieceColumns+" from piece")
	if err != nil {
		return "", "", err
	}
	for i := range pieces {
		edit, err := desk.EditOf(&pieces[i])
		if err == nil {
			err = edit.Check()
		}
		if err == nil {
			_, _, err = measure.PieceFacts(&pieces[i])
		}
		if err != nil {
			return "", "", refuse(fmt.Errorf("%s: %w", pieces[i].Name, err))
		}
	}
	for _, sql := range []string{
		"update take set state = 'cancelled', note = 'was under way where it was exported: ask for it again' where " +
			"state in ('waiting', 'working')",
		"update arrival set state = 'cancelled', note = 'was under way where it was exported: take it up again' " +
			"where state in ('waiting', 'working')",
		"update piece set making = 'waiting' where making <> '' and making not like 'failed%'",
		"update log set actor = ''", // whose browser it was there says nothing here
	} {
		if _, err := sc.Pool.Exec(ctx, sql); err != nil {
			return "", "", err
		}
	}
	return p.ID, sets[0], nil
}

func checkSet(ctx context.Context, sc *store.Scratch, id string) error {
	set, err := store.GetSet(ctx, sc.Pool, id)
	if err != nil {
		return err
	}
	if err := set.Scene.Check(); err != nil {
		return fmt.Errorf("%s: %w", set.Name, err)
	}
	placements, err := store.Placements(ctx, sc.Pool, id)
	if err != nil {
		return err
	}
	for i := range placements {
		if err := placements[i].Check(); err != nil {
			return fmt.Errorf("%s: %w", placements[i].Name, err)
		}
	}
	elements, err := store.Elements(ctx, sc.Pool, id)
	if err != nil {
		return err
	}
	for i := range elements {
		if err := elements[i].Check(); err != nil {
			return err
		}
	}
	shots, err := store.Shots(ctx, sc.Pool, id)
	if err != nil {
		return err
	}
	for i := range shots {
		if err := shots[i].Check(); err != nil {
			return fmt.Errorf("%s: %w", shots[i].Name, err)
		}
	}
	return nil
}

// TakeInFrom is TakeIn of what comes in one go: it is spooled first.
func (a *App) TakeInFrom(ctx context.Context, r io.Reader) (set string, err error) {
	f, err := os.CreateTemp("", "visator-*")
	if err != nil {
		return "", err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	n, err := io.Copy(f, io.LimitReader(r, maxCarried+1))
	switch {
	case store.Full(err):
		return "", act.DiskFull
	case err != nil:
		return "", act.Wrong("The file did not arrive whole. Nothing of it was taken in.")
	case n > maxCarried:
		return "", act.Wrong("The file is larger than %d GB.", maxCarried>>30)
	}
	return a.TakeIn(ctx, f, n)
}

// maxCarried bounds a production that is taken in: several of the largest downloads.
const maxCarried = 64 << 30
