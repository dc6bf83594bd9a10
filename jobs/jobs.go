// Package jobs runs the work that takes time, on a queue in PostgreSQL: any
// number of worker processes, each taking what is next. Work whose process died
// or lost the database is taken up again by another, once the first has stopped.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"visator/app"
	"visator/app/deliver"
	"visator/app/library"
	"visator/app/takes"
	"visator/store"
)

// Pool is one process's share of the work.
type Pool struct {
	client *river.Client[pgx.Tx]
	store  *store.Store
	life   life
	stop   context.CancelFunc
	ended  chan struct{}
}

// smallIntakes is how many small downloads are read at a time beside a large one.
const smallIntakes = 2

// Open connects a to the queue. With workers > 0 this process takes up to
// that many large intakes and that many takes at a time once Start is called, and
// some small intakes beside them; with 0 it only puts in jobs. more is what goes
// around every job.
func Open(ctx context.Context, a *app.App, workers int, log *slog.Logger,
	more ...rivertype.Middleware) (*Pool, error) {
	p := &Pool{store: a.Store}
	p.life.id = fmt.Sprintf("%s-%d-%s", host(), os.Getpid(), store.NewID())
	p.life.pool = a.Store.Pool
	cfg := &river.Config{ID: p.life.id, Logger: log, Middleware: more}
	if workers > 0 {
		w := river.NewWorkers()
		g := guard{life: &p.life, log: log}
		river.AddWorker(w,
			&worker[library.IntakeArgs]{guard: g,
				run: func(ctx context.Context, x library.IntakeArgs) error { return a.RunIntake(ctx, x.Arrival) },
				failed: func(ctx context.Context, x library.IntakeArgs, why string) error {
					return a.FailIntake(ctx, x.Arrival, why)
				}})
		river.AddWorker(w,
			&worker[library.MakeArgs]{guard: g,
				run: func(ctx context.Context, x library.MakeArgs) error { return a.RunMake(ctx, x.Piece) },
				failed: func(ctx context.Context, x library.MakeArgs, why string) error {
					return a.FailMake(ctx, x.Piece, why)
				}})
		river.AddWorker(w,
			&worker[takes.Args]{guard: g,
				run: func(ctx context.Context, x takes.Args) error { return a.RunTake(ctx, x.Take) },
				failed: func(ctx context.Context, x takes.Args, why string) error {
					return a.FailTake(ctx, x.Take, why)
				}})
		river.AddWorker(w, &worker[takes.HelpArgs]{guard: g,
			run:    func(ctx context.Context, x takes.HelpArgs) error { return a.RunHelp(ctx, x.Take) },
			failed: func(context.Context, takes.HelpArgs, string) error { return nil }})
		river.AddWorker(w,
			&worker[deliver.Args]{guard: g,
				run: func(ctx context.Context, x deliver.Args) error { return a.RunParcel(ctx, x.Parcel) },
				failed: func(ctx context.Context, x deliver.Args, why string) error {
					return a.FailParcel(ctx, x.Parcel, why)
				}})
		river.AddWorker(w,
			&worker[app.SettleArgs]{guard: g,
				run: func(ctx context.Context, x app.SettleArgs) error { return a.RunSettle(ctx, x.Settling) },
				failed: func(ctx context.Context, x app.SettleArgs, why string) error {
					return a.FailSettle(ctx, x.Settling, why)
				}})
		river.AddWorker(w, &worker[app.TidyArgs]{guard: g, run: func(ctx context.Context, _ app.TidyArgs) error {
			said, err := a.Tidy(ctx)
			if said != "" {
				log.Info("tidied", "what", said)
			}
			return err
		}, failed: func(context.Context, app.TidyArgs, string) error { return nil }})
		cfg.Workers = w
		cfg.Queues = map[string]river.QueueConfig{library.QueueIntake: {MaxWorkers: workers + smallIntakes - 1},
			library.QueueHeavy: {MaxWorkers: workers},
			takes.Queue:        {MaxWorkers: workers}, takes.HelpQueue: {MaxWorkers: 1}, app.QueueTidy: {MaxWorkers: 1},
			app.QueueSoon: {MaxWorkers: workers}}
		cfg.PeriodicJobs = []*river.PeriodicJob{river.NewPeriodicJob(river.PeriodicInterval(app.TidyEvery),
			func() (river.JobArgs, *river.InsertOpts) {
				return app.TidyArgs{}, &river.InsertOpts{Queue: app.QueueTidy, MaxAttempts: 3}
			}, &river.PeriodicJobOpts{RunOnStart: true})}
		cfg.JobTimeout = -1 // a night's render is no error
		cfg.FetchPollInterval = 500 * time.Millisecond
		// Work of dead processes is given back by sweep, by their sign of
		// life; the queue's own guess by age would cut long renders.
		cfg.RescueStuckJobsAfter = 1000 * time.Hour
	}
	c, err := river.NewClient(riverpgxv5.New(a.Store.Pool), cfg)
	if err != nil {
		return nil, err
	}
	p.client = c
	a.Queue = c
	return p, nil
}

func host() string {
	h, err := os.Hostname()
	if err != nil {
		return "host"
	}
	return h
}

// Start begins to work.
func (p *Pool) Start(ctx context.Context) error {
	if err := p.life.begin(ctx); err != nil {
		return err
	}
	if err := p.sweep(ctx); err != nil {
		return err
	}
	if err := p.client.Start(ctx); err != nil {
		return err
	}
	loop, stop := context.WithCancel(context.WithoutCancel(ctx))
	p.stop, p.ended = stop, make(chan struct{})
	go func() {
		defer close(p.ended)
		tick := time.NewTicker(beat)
		defer tick.Stop()
		for {
			select {
			case <-loop.Done():
				return
			case <-tick.C:
				p.life.check(loop)
				_ = p.sweep(loop) // the database may be away for a while: next time
			}
		}
	}()
	return nil
}

// Stop ends the work: jobs are told to stop and are taken up again later.
func (p *Pool) Stop(ctx context.Context) error {
	if p.stop == nil {
		return nil
	}
	p.stop()
	<-p.ended
	err := p.client.StopAndCancel(ctx)
	p.life.end()
	return err
}

// sweep gives on the jobs whose process shows no sign of life any more, and those of
// this one that it does not work on. The job is
// put in anew under another number: whatever its first process still says of the
// old one says nothing about the new.
func (p *Pool) sweep(ctx context.Context) error {
	type running struct {
		ID    int64
		Owner string
	}
	list, err := store.List[running](ctx, p.store.Pool,
		"select id, attempted_by[array_upper(attempted_by, 1)] from river_job where state = 'running' and "+
			"attempted_by is not null")
	if err != nil {
		return err
	}
	owners, jobs := map[string]bool{}, map[int64]bool{}
	for _, r := range list {
		owners[r.Owner], jobs[r.ID] = true, true
		own := r.Owner == p.life.id
		if own && !p.life.dropped(r.ID) {
			continue
		}
		err := p.store.Tx(ctx, func(tx pgx.Tx) error {
			gone, err := own, error(nil)
			if !own {
				gone, err = p.life.gone(ctx, tx, r.Owner)
			}
			if err != nil || !gone {
				return err
			}
			// The attempt that was cut does not count as a failure.
			var next int64
			err = tx.QueryRow(ctx, `with cut as (update river_job set state = 'discarded', finalized_at = now()
				where id = $1 and state = 'running' and attempted_by[array_upper(attempted_by, 1)] = $2 returning *)
				insert into river_job (args, kind, max_attempts, metadata, priority, queue, state, tags, attempt,
				attempted_by) select args, kind, max_attempts, metadata, priority, queue, 'available', tags,
				greatest(attempt - 1, 0), attempted_by from cut returning id`, r.ID, r.Owner).Scan(&next)
			if errors.Is(err, pgx.ErrNoRows) { // another was quicker
				return nil
			}
			for _, table := range []string{"take", "arrival"} {
				if err == nil {
					_, err = tx.Exec(ctx, "update "+table+" set job_id = $2 where job_id = $1", r.ID, next)
				}
			}
			return err
		})
		if err != nil {
			return err
		}
	}
	p.life.forget(owners, jobs)
	return nil
}
