package app

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/store"
)

// BinDays is how long what was taken away lies in the bin.
const BinDays = 30

// Binned is something that lies in the bin.
type Binned struct {
	Kind string // production, set, take, arrival
	ID   string
	Name string
	Of   string // the production that it belongs to; "" for one
	What string // what goes with it, in words
	Days int    // until it is deleted
}

// bins are the tables whose rows can lie in the bin.
var bins = map[string]string{"production": "production", "set": "sets", "take": "take", "arrival": "arrival"}

// notBinned answers for kinds that are not in bins.
func notBinned(kind string) error {
	return act.Wrong("%q is nothing that lies in the bin: a production, a set, a take or an arrival.", kind)
}

// PutInBin takes a production, a set, a take or an arrival away: it lies in the bin,
// with all that belongs to it, for BinDays, and can be brought back. With an arrival go
// its pieces, wherever they stand. What is being made of it is stopped. The last set of
// a production stays.
func (a *App) PutInBin(ctx context.Context, kind, id string) error {
	table, ok := bins[kind]
	if !ok {
		return notBinned(kind)
	}
	if kind == "arrival" {
		// that nothing is worked on is well
		if err := a.CancelArrival(ctx, id); err != nil && !errors.Is(err, act.ErrWrong) {
			return err
		}
	} else if err := a.stopTakes(ctx, kind, id); err != nil {
		return err
	}
	var production string
	err := a.Store.Tx(ctx, func(tx pgx.Tx) (err error) {
		if production, err = productionOf(ctx, tx, kind, id); err != nil {
			return act.NotThere(err, "It")
		}
		if kind == "set" {
			if _, err := store.LockProduction(ctx, tx, production); err != nil {
				return act.NotThere(err, "The production")
			}
			var others int
			if err := tx.QueryRow(ctx,
				"select count(*) from sets where production_id = $1 and id <> $2 and binned is null",
				production, id).Scan(&others); err != nil {
				return err
			}
			if others == 0 {
				return act.Wrong("It is the only set of its production, which has one at least. Put the production " +
					"into the bin, or make another set first.")
			}
		}
		if _, err = tx.Exec(ctx, "update "+table+" set binned = now() where id = $1 and binned is null",
			id); err != nil {
			return err
		}
		return a.TellBinned(ctx, tx, kind, production)
	})
	return err
}

// Uses is what goes with an arrival when it is taken away.
type Uses struct {
	Pieces   []string `json:"pieces"`   // by name
	Things   int      `json:"things"`   // placements of them
	Elements int      `json:"elements"` // rows, drifts and the like that lay them
	Sets     []string `json:"sets"`     // in which they stand, by name
}

// Uses tells what depends on an arrival.
func (a *App) Uses(ctx context.Context, arrival string) (u Uses, err error) {
	if _, err := a.Store.Arrival(ctx, arrival); err != nil {
		return u, act.NotThere(err, "The arrival")
	}
	err = a.Store.Pool.QueryRow(ctx, `
		with own as (select id, name from piece where arrival_id = $1 and not gone),
		things as (select set_id from document where piece_id in (select id from own)),
		laid as (select e.set_id from document e where kind = 'element' and exists (select from own
		where position('"' || own.id || '"' in e.doc::text) > 0))
		select coalesce((select array_agg(name order by name) from own), '{}'), (select count(*) from things)::int,
		(select count(*) from laid)::int,
			coalesce((select array_agg(name order by name) from sets where binned is null and id in (select set_id
			from things union select set_id from laid)), '{}')`,
		arrival).Scan(&u.Pieces, &u.Things, &u.Elements, &u.Sets)
	return u, err
}

// stopTakes stops what is being rendered of it.
func (a *App) stopTakes(ctx context.Context, kind, id string) error {
	where := map[string]string{"production": "set_id in (select id from sets where production_id = $1)",
		"set": "set_id = $1", "take": "id = $1"}[kind]
	rows, err := a.Store.Pool.Query(ctx,
		"select id from take where binned is null and state in ('waiting', 'working') "+
			"and "+where, id)
	if err != nil {
		return err
	}
	list, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	for _, t := range list {
		if err := a.CancelTake(ctx, t); err != nil {
			return err
		}
	}
	return nil
}

// productionOf is the production that something belongs to, wherever it lies.
func productionOf(ctx context.Context, q store.Querier, kind, id string) (production string, err error) {
	sql := map[string]string{"production": "select id from production where id = $1",
		"set":     "select production_id from sets where id = $1",
		"take":    "select s.production_id from take t join sets s on s.id = t.set_id where t.id = $1",
		"arrival": "select production_id from arrival where id = $1"}[kind]
	err = q.QueryRow(ctx, sql, id).Scan(&production)
	if errors.Is(err, pgx.ErrNoRows) {
		err = store.ErrNotFound
	}
	return production, err
}

// TakeFromBin brings back what lies in the bin, as it was.
func (a *App) TakeFromBin(ctx context.Context, kind, id string) error {
	table, ok := bins[kind]
	if !ok {
		return notBinned(kind)
	}
	return a.Store.Tx(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "update "+table+" set binned = null where id = $1 and binned is not null", id)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return act.None("It does not lie in the bin any more.")
		}
		production, err := productionOf(ctx, tx, kind, id)
		if err != nil {
			return err
		}
		return a.TellBinned(ctx, tx, kind, production)
	})
}

// Bin is what lies in the bin, what was put there last first. What belongs to
// something that lies there itself is not told twice.
func (a *App) Bin(ctx context.Context) (list []Binned, err error) {
	type row struct {
		Kind, ID, Name, Of string
		Sets, Pieces       int
		Things, Takes      int
		Since              time.Time
	}
	rows, err := store.List[row](ctx, a.Store.Pool, `
		select 'production', id, name, '', (select count(*) from sets where production_id = p.id)::int,
		(select count(*) from piece where production_id = p.id and not gone)::int,
			(select count(*) from document where kind = 'placement' and set_id in (select id from sets
			where production_id = p.id))::int, (select count(*) from take where set_id in (select id from sets
			where production_id = p.id))::int, binned
			from production p where binned is not null
		union all select 'set', s.id, s.name, p.name, 0, 0, (select count(*) from document where kind = 'placement'
		and set_id = s.id)::int, (select count(*) from take where set_id = s.id)::int, s.binned
			from sets s join production p on p.id = s.production_id where s.binned is not null and p.binned is null
		union all select 'take', t.id, t.name, p.name || ', ' || s.name, 0, 0, 0, 0, t.binned
			from take t join sets s on s.id = t.set_id join production p on p.id = s.production_id
			where t.binned is not null and s.binned is null and p.binned is null
		union all select 'arrival', a.id, a.name, p.name, 0, (select count(*) from piece where arrival_id = a.id
		and not gone)::int,
			(select count(*) from document where piece_id in (select id from piece where arrival_id = a.id))::int, 0,
			a.binned
			from arrival a join production p on p.id = a.production_id where a.binned is not null and p.binned is null
		order by 9 desc limit 500`)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		b := Binned{Kind: r.Kind, ID: r.ID, Name: r.Name, Of: r.Of,
			Days: max(BinDays-int(time.Since(r.Since).Hours()/24), 0)}
		switch r.Kind {
		case "production":
			b.What = fmt.Sprintf("%s, %s, %s, %s", many(r.Sets, "set"), many(r.Pieces, "piece"),
				many(r.Things, "placement"), many(r.Takes, "take"))
		case "arrival":
			b.What = fmt.Sprintf("%s, %s", many(r.Pieces, "piece"), many(r.Things, "placement"))
		case "set":
			b.What = fmt.Sprintf("%s, %s", many(r.Things, "placement"), many(r.Takes, "take"))
		}
		list = append(list, b)
	}
	return list, nil
}

// many says a number of things.
func many(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// EmptyBin deletes what has lain in the bin for so long, for good.
func (a *App) EmptyBin(ctx context.Context, after time.Duration) (n int, err error) {
	for _, table := range []string{"take", "arrival", "sets", "production"} {
		tag, err := a.Store.Pool.Exec(ctx, "delete from "+table+" where binned < now() - $1::interval", after)
		if err != nil {
			return n, err
		}
		n += int(tag.RowsAffected())
	}
	return n, nil
}

func ignoreGone(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	return err
}
