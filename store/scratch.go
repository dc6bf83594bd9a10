package store

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
)

// Scratch is a schema of its own, beside the one that is worked in, in which a dump
// is brought to the newest form and looked at before it counts.
type Scratch struct {
	Pool *pgxpool.Pool // what is asked here is answered of the scratch
	name string
	of   *Store
	dump *Dumped
}

// Load brings a dump into a scratch of its own. edit, when it is not nil, is given
// each row before. The scratch is to be closed.
func (s *Store) Load(ctx context.Context, d *Dumped,
	edit func(table string, line []byte) ([]byte, error)) (sc *Scratch, err error) {
	newest, err := schemaOf(ctx, s.Pool)
	if err != nil {
		return nil, err
	}
	if d.Schema > newest || d.Schema < 1 {
		return nil, fmt.Errorf("it was made by a newer release (its version is %d, this program knows %d): bring "+
			"this one up first", d.Schema, newest)
	}
	made := &Scratch{name: "scratch_" + NewID(), of: s, dump: d}
	if _, err := s.Pool.Exec(ctx, "create schema "+made.name); err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			made.Close()
		}
	}()
	sc = made
	cfg := s.Pool.Config()
	cfg.ConnConfig.RuntimeParams["search_path"] = sc.name
	cfg.MaxConns, cfg.MinConns = 4, 0
	if sc.Pool, err = pgxpool.NewWithConfig(ctx, cfg); err != nil {
		return nil, err
	}
	if err := sc.migrate(ctx, d.Schema); err != nil {
		return nil, err
	}
	for _, t := range tables(d.Schema) {
		err := pgx.BeginFunc(ctx, sc.Pool, func(tx pgx.Tx) error {
			columns, err := sc.columns(ctx, tx, t.name)
			if err != nil {
				return err
			}
			n := 0
			return d.Lines(ctx, t.name, func(line []byte) error {
				n++
				if edit != nil {
					var err error
					if line, err = edit(t.name, line); err != nil {
						return fmt.Errorf("row %d of %s: %w", n, t.name, err)
					}
				}
				overriding := ""
				if t.name == "log" {
					overriding = "overriding system value "
				}
				_, err := tx.Exec(ctx, "insert into "+t.name+" ("+columns+") "+overriding+"select "+columns+
					" from json_populate_record(null::"+t.name+", $1::json)", string(line))
				if err != nil && !Away(err) && !Full(err) {
					return broken("row %d of %s cannot be kept (%v)", n, t.name, err)
				}
				return err
			})
		})
		if err != nil {
			return nil, err
		}
	}
	return sc, sc.migrate(ctx, 0)
}

// migrate brings the scratch to a version of the database; 0 is the newest.
func (sc *Scratch) migrate(ctx context.Context, version int64) error {
	cfg := sc.Pool.Config().ConnConfig.Copy()
	db := stdlib.OpenDB(*cfg)
	defer db.Close()
	p, err := provider(db)
	if err != nil {
		return err
	}
	if version == 0 {
		_, err = p.Up(ctx)
	} else {
		_, err = p.UpTo(ctx, version)
	}
	if err != nil {
		return fmt.Errorf("bringing it to the newest form: %w", err)
	}
	return nil
}

// ErrNotEmpty is a database that holds something where all of it would be replaced.
var ErrNotEmpty = errors.New("there are productions here already")

// Commit has what is in the scratch count, all of it or nothing. With all, it takes
// the place of what was there: that must be nothing, unless replace is set.
func (sc *Scratch) Commit(ctx context.Context, all, replace bool) error {
	if err := sc.of.putBlobs(ctx, sc.dump); err != nil {
		return err
	}
	return sc.of.Tx(ctx, func(tx pgx.Tx) error {
		if all {
			var n int
			if err := tx.QueryRow(ctx, "select count(*) from production").Scan(&n); err != nil {
				return err
			}
			if n > 0 && !replace {
				return ErrNotEmpty
			}
			if _, err := tx.Exec(ctx, "truncate production, made, request cascade"); err != nil {
				return err
			}
		}
		for _, t := range tables(0) {
			columns, err := sc.columns(ctx, tx, t.name)
			if err != nil {
				return err
			}
			overriding, conflict := "", ""
			switch {
			case t.name == "made":
				conflict = " on conflict (digest) do nothing"
			case t.name == "log" && all:
				overriding = "overriding system value "
			case t.name == "log":
				columns = strings.TrimPrefix(strings.Replace(","+columns, ",id", "", 1), ",")
			}
			if _, err := tx.Exec(ctx,
				"insert into public."+t.name+" ("+columns+") "+overriding+"select "+columns+" from "+sc.name+"."+t.name+
					" order by "+t.order+conflict); err != nil {
				return fmt.Errorf("%s: %w", t.name, err)
			}
		}
		if all {
			if _, err := tx.Exec(ctx,
				"select setval(pg_get_serial_sequence('public.log', 'id'), greatest((select max(id) "+
					"from public.log), 1))"); err != nil {
				return err
			}
		}
		// Jobs of where it was made are not of here.
		for _, table := range []string{"take", "arrival"} {
			if _, err := tx.Exec(ctx,
				"update public."+table+" t set job_id = null where exists (select from "+sc.name+"."+table+
					" s where s.id = t.id)"); err != nil {
				return err
			}
		}
		return nil
	})
}

// columns are a table's that are written, and not made of others, parted by commas.
func (sc *Scratch) columns(ctx context.Context, tx pgx.Tx, table string) (list string, err error) {
	err = tx.QueryRow(ctx, "select string_agg(column_name, ',' order by ordinal_position) from "+
		"information_schema.columns where table_schema = $1 and table_name = $2 and is_generated = 'NEVER'", sc.name,
		table).Scan(&list)
	return list, err
}

// Close removes the scratch.
func (sc *Scratch) Close() {
	if sc.Pool != nil {
		sc.Pool.Close()
	}
	_, _ = sc.of.Pool.Exec(context.Background(), "drop schema if exists "+sc.name+" cascade")
}

// Taken reports whether something here has a name of those given, by table of a dump.
func (s *Store) Taken(ctx context.Context, ids map[string][]string) (taken bool, err error) {
	for table, list := range ids {
		switch table {
		case "production", "arrival", "piece", "sets", "document", "take":
		case "placement", "element", "shot": // of dumps from before there were documents
			table = "document"
		default:
			return false, fmt.Errorf("rows of %s have no names", table)
		}
		var there bool
		if err := s.Pool.QueryRow(ctx, "select exists (select from "+table+" where id = any($1))",
			list).Scan(&there); err != nil {
			return false, err
		}
		taken = taken || there
	}
	return taken, nil
}
