// Package jobs runs the work that takes time, on a queue in PostgreSQL: any
// number of worker processes, each taking what is next. Work whose process
// died is taken up again at once.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"log/slog"
	"os"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"visator/app"
	"visator/store"
)

// Pool is one process's share of the work.
type Pool struct {
	client *river.Client[pgx.Tx]
	store  *store.Store
	lock   *pgxpool.Conn // holds this process's sign of life
	id     string
	stop   context.CancelFunc
	ended  chan struct{}
}

// Open connects a to the queue. With workers > 0 this process takes up to
// that many intakes and that many takes at a time once Start is called; with 0
// it only puts in jobs.
func Open(ctx context.Context, a *app.App, workers int, log *slog.Logger) (*Pool, error) {
	p := &Pool{store: a.Store, id: fmt.Sprintf("%s-%d-%s", host(), os.Getpid(), store.NewID())}
	cfg := &river.Config{ID: p.id, Logger: log}
	if workers > 0 {
		w := river.NewWorkers()
		river.AddWorker(w, &intakeWorker{a: a})
		river.AddWorker(w, &makeWorker{a: a})
		river.AddWorker(w, &takeWorker{a: a})
		cfg.Workers = w
		cfg.Queues = map[string]river.QueueConfig{app.QueueIntake: {MaxWorkers: workers}, app.QueueTakes: {MaxWorkers: workers}}
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
	// The sign of life is a lock of this session: PostgreSQL lets it go the
	// moment the process is gone, however it went.
	conn, err := p.store.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	if _, err := conn.Exec(ctx, "select pg_advisory_lock($1)", lifeKey(p.id)); err != nil {
		conn.Release()
		return err
	}
	p.lock = conn
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
		tick := time.NewTicker(5 * time.Second)
		defer tick.Stop()
		for {
			select {
			case <-loop.Done():
				return
			case <-tick.C:
				p.live(loop)
				_ = p.sweep(loop) // the database may be away for a while: next time
			}
		}
	}()
	return nil
}

// live takes the sign of life again when the connection that held it broke.
func (p *Pool) live(ctx context.Context) {
	if p.lock != nil {
		if p.lock.Ping(ctx) == nil {
			return
		}
		p.lock.Release()
		p.lock = nil // while the database is away there is none
	}
	if conn, err := p.store.Pool.Acquire(ctx); err == nil {
		p.lock = conn
		_, _ = conn.Exec(ctx, "select pg_try_advisory_lock($1)", lifeKey(p.id))
	}
}

// Stop ends the work: jobs are told to stop and are taken up again later.
func (p *Pool) Stop(ctx context.Context) error {
	if p.stop == nil {
		return nil
	}
	p.stop()
	<-p.ended
	err := p.client.StopAndCancel(ctx)
	if p.lock != nil {
		p.lock.Release()
	}
	return err
}

func lifeKey(id string) int64 {
	h := fnv.New64a()
	_, _ = h.Write([]byte("visator worker " + id))
	return int64(h.Sum64())
}

// sweep gives back the jobs whose process shows no sign of life.
func (p *Pool) sweep(ctx context.Context) error {
	type running struct {
		ID    int64
		Owner string
	}
	list, err := store.List[running](ctx, p.store.Pool, "select id, attempted_by[array_upper(attempted_by, 1)] from river_job where state = 'running' and attempted_by is not null")
	if err != nil {
		return err
	}
	for _, r := range list {
		if r.Owner == p.id {
			continue
		}
		err := p.store.Tx(ctx, func(tx pgx.Tx) error {
			var free bool
			if err := tx.QueryRow(ctx, "select pg_try_advisory_xact_lock($1)", lifeKey(r.Owner)).Scan(&free); err != nil || !free {
				return err
			}
			// The attempt that was cut does not count as a failure.
			_, err := tx.Exec(ctx, "update river_job set state = 'available', scheduled_at = now(), attempt = greatest(attempt - 1, 0) where id = $1 and state = 'running' and attempted_by[array_upper(attempted_by, 1)] = $2", r.ID, r.Owner)
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

type intakeWorker struct {
	river.WorkerDefaults[app.IntakeArgs]
	a *app.App
}

func (w *intakeWorker) Work(ctx context.Context, job *river.Job[app.IntakeArgs]) error {
	return ending(ctx, w.a.RunIntake(ctx, job.Args.Arrival))
}

type makeWorker struct {
	river.WorkerDefaults[app.MakeArgs]
	a *app.App
}

func (w *makeWorker) Work(ctx context.Context, job *river.Job[app.MakeArgs]) error {
	return ending(ctx, w.a.RunMake(ctx, job.Args.Piece))
}

type takeWorker struct {
	river.WorkerDefaults[app.TakeArgs]
	a *app.App
}

func (w *takeWorker) Work(ctx context.Context, job *river.Job[app.TakeArgs]) error {
	return ending(ctx, w.a.RunTake(ctx, job.Args.Take))
}

// ending lets a job that was told to stop wait for the next process instead
// of counting as failed; one that was cancelled by hand ends for good.
func ending(ctx context.Context, err error) error {
	if err == nil || ctx.Err() == nil {
		return err
	}
	if errors.Is(context.Cause(ctx), river.ErrJobCancelledRemotely) {
		return river.JobCancel(err)
	}
	return river.JobSnooze(0)
}
