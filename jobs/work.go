package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"time"

	"github.com/riverqueue/river"

	"visator/store"
)

// waitForRoom is how long work waits that found the disk full before it looks again.
const waitForRoom = 20 * time.Second

// waitForDatabase is how long work waits that found the database away.
const waitForDatabase = 2 * time.Second

// guard is what all work is done under.
type guard struct {
	life *life
	log  *slog.Logger
}

// worker does the jobs of one kind.
type worker[T river.JobArgs] struct {
	river.WorkerDefaults[T]
	guard
	run    func(ctx context.Context, args T) error
	failed func(ctx context.Context, args T, why string) error // says so where a person reads it
}

// errBroke is a job that broke off by a fault of the program.
var errBroke = errors.New("this broke off by a fault of the program")

// Work does a job. What breaks off by a fault of the program is tried once more;
// what fails for the last time is told.
func (w *worker[T]) Work(ctx context.Context, job *river.Job[T]) error {
	within, done := w.life.within(ctx)
	defer done()
	defer w.life.works(job.ID)()
	err := w.whole(within, job)
	last := job.Attempt >= job.MaxAttempts
	var later *river.JobSnoozeError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &later): // another process may have it
		return err
	case errors.Is(context.Cause(ctx), river.ErrJobCancelledRemotely):
		return river.JobCancel(err) // by hand: for good
	case within.Err() != nil:
		return river.JobSnooze(0) // told to stop, or lost: the next process goes on
	case store.Away(err):
		return river.JobSnooze(waitForDatabase) // no fault of the job: it does not count as a try
	case store.Full(err):
		w.log.Warn("the disk is full: a job waits", "kind", job.Kind, "job", job.ID)
		return river.JobSnooze(waitForRoom)
	case errors.Is(err, errBroke) && job.Attempt >= 2 || last:
		if told := w.failed(ctx, job.Args, err.Error()); told != nil {
			return told // the database is away: this attempt is made again
		}
		return river.JobCancel(err)
	}
	return err
}

// whole runs a job to its end, also when it panics.
func (w *worker[T]) whole(ctx context.Context, job *river.Job[T]) (err error) {
	defer func() {
		if r := recover(); r != nil {
			w.log.Error("a job broke off", "kind", job.Kind, "job", job.ID, "attempt", job.Attempt, "panic", r, "stack",
				string(debug.Stack()))
			err = fmt.Errorf("%w (%v); it is written in the server's log", errBroke, r)
		}
	}()
	return w.run(ctx, job.Args)
}
