package app

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"visator/app/act"
	"visator/app/deliver"
	"visator/app/library"
	"visator/app/takes"
	"visator/store"
)

// TidyArgs is the job that keeps the house: it empties the bin of what lay there
// long enough, gives back the room of what nothing refers to, and puts work in
// again whose job is gone.
type TidyArgs struct{}

// Kind is the job's name in the queue.
func (TidyArgs) Kind() string { return "tidy" }

// QueueTidy is the queue of that job.
const QueueTidy = "tidy"

// TidyEvery is how often that is done.
const TidyEvery = time.Hour

// Tidy does it now, and says in words what came of it; "" is nothing.
func (a *App) Tidy(ctx context.Context) (said string, err error) {
	emptied, err := a.EmptyBin(ctx, BinDays*24*time.Hour)
	if err != nil {
		return "", err
	}
	if _, err := a.Store.Pool.Exec(ctx, "delete from request where at < now() - interval '1 day'"); err != nil {
		return "", err
	}
	// What was made of pieces that are as they were made otherwise is kept as long
	// as the bin is: it can be made again.
	if _, err := a.Store.Pool.Exec(ctx, "delete from made m where created < now() - $1::interval and not exists "+
		"(select from piece p where p.made = m.digest)", BinDays*24*time.Hour); err != nil {
		return "", err
	}
	blobs, bytes, err := a.Store.Sweep(ctx, store.Grace)
	if err != nil {
		return "", err
	}
	again, err := a.Requeue(ctx)
	if emptied+blobs+again > 0 {
		said = fmt.Sprintf("%d things of the bin deleted, %d files of %.1f MB given back, %d jobs put in again",
			emptied, blobs, float64(bytes)/1e6, again)
	}
	return said, err
}

// Requeue puts in again the work that is to be done and of which the queue knows
// nothing: after a restore, say.
func (a *App) Requeue(ctx context.Context) (n int, err error) {
	if a.Queue == nil {
		return 0, nil
	}
	const live = "('available', 'running', 'scheduled', 'retryable', 'pending')"
	err = a.Store.Tx(ctx, func(tx pgx.Tx) error {
		lost := func(sql string) ([]string, error) {
			rows, err := tx.Query(ctx, sql)
			if err != nil {
				return nil, err
			}
			return pgx.CollectRows(rows, pgx.RowTo[string])
		}
		falling, err := lost(`select id from settling s where not exists (select from river_job
			where kind = 'settle' and args->>'settling' = s.id and state in ` + live + ") for update")
		if err != nil {
			return err
		}
		for _, id := range falling {
			job, err := a.Queue.InsertTx(ctx, tx, SettleArgs{id}, settleJob())
			if err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "update settling set job_id = $2 where id = $1", id, job.Job.ID); err != nil {
				return err
			}
		}
		gone, err := lost("select id from take t where binned is null and state in ('waiting', 'working') and not " +
			"exists (select from river_job where kind = 'take' and args->>'take' = t.id and state in " + live + ") " +
			"for update")
		if err != nil {
			return err
		}
		for _, id := range gone {
			job, err := a.Queue.InsertTx(ctx, tx, takes.Args{Take: id}, takes.Job(nil))
			if err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "update take set job_id = $2 where id = $1", id, job.Job.ID); err != nil {
				return err
			}
		}
		parcels, err := lost("select id from parcel p where state in ('waiting', 'working') and not exists (select " +
			"from river_job where kind = 'parcel' and args->>'parcel' = p.id and state in " + live + ") for update")
		if err != nil {
			return err
		}
		for _, id := range parcels {
			job, err := a.Queue.InsertTx(ctx, tx, deliver.Args{Parcel: id}, deliver.Job())
			if err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "update parcel set job_id = $2 where id = $1", id, job.Job.ID); err != nil {
				return err
			}
		}
		arrivals, err := lost("select id from arrival a where state in ('waiting', 'working') and not exists (select " +
			"from river_job where kind = 'intake' and args->>'arrival' = a.id and state in " + live + ") for update")
		if err != nil {
			return err
		}
		for _, id := range arrivals {
			ar, err := store.GetArrival(ctx, tx, id)
			if err != nil {
				return err
			}
			if err := a.QueueIntake(ctx, tx, &ar); err != nil {
				return err
			}
		}
		pieces, err := lost("select id from piece p where making <> '' and making not like 'failed%' and not exists " +
			"(select from river_job where kind = 'make' and args->>'piece' = p.id and state in " + live +
			") for update")
		if err != nil {
			return err
		}
		for _, id := range pieces {
			if _, err := a.Queue.InsertTx(ctx, tx, library.MakeArgs{Piece: id},
				&river.InsertOpts{Queue: library.QueueIntake, MaxAttempts: library.MakeTries}); err != nil {
				return err
			}
		}
		n = len(falling) + len(gone) + len(parcels) + len(arrivals) + len(pieces)
		return nil
	})
	return n, err
}

// FailIntake says of an arrival why it cannot be taken in.
func (a *App) FailIntake(ctx context.Context, id, why string) error {
	ar, err := a.Store.Arrival(ctx, id)
	if err != nil {
		return ignoreGone(err)
	}
	if err := a.Store.SetArrival(ctx, id, "failed", ar.Progress, why); err != nil {
		return err
	}
	act.Tell(ctx, a.Store.Pool, ar.ProductionID, "arrival")
	return nil
}

// FailMake says of a piece why it cannot be made anew; it stays as it was.
func (a *App) FailMake(ctx context.Context, id, why string) error {
	p, err := store.GetPiece(ctx, a.Store.Pool, id)
	if err != nil {
		return ignoreGone(err)
	}
	if err := store.SetMaking(ctx, a.Store.Pool, id, "failed: "+why); err != nil {
		return err
	}
	act.Tell(ctx, a.Store.Pool, p.ProductionID, "piece")
	return nil
}

// FailTake says of a take why it cannot be made.
func (a *App) FailTake(ctx context.Context, id, why string) error {
	var set string
	err := a.Store.Pool.QueryRow(ctx, "update take set state = 'failed', note = $2 where id = $1 and state in "+
		"('waiting', 'working') returning set_id", id, store.Plain(why)).Scan(&set)
	if err != nil {
		if errors.Is(err, pgx.ErrNoRows) {
			return nil
		}
		return err
	}
	if s, err := store.GetSet(ctx, a.Store.Pool, set); err == nil {
		act.Tell(ctx, a.Store.Pool, s.ProductionID, "take")
	}
	return nil
}
