package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"visator/app"
	"visator/store"
)

// What becomes of a job that does not end well.
func TestHowJobsEnd(t *testing.T) {
	alive := &life{}
	alive.lost, alive.cancel = context.WithCancelCause(context.Background())
	gone := &life{}
	gone.lost, gone.cancel = context.WithCancelCause(context.Background())
	gone.cancel(errLost)
	byHand, cancel := context.WithCancelCause(context.Background())
	cancel(river.ErrJobCancelledRemotely)
	var snooze *river.JobSnoozeError
	var stopped *river.JobCancelError
	for name, c := range map[string]struct {
		life    *life
		ctx     context.Context
		attempt int
		run     func(ctx context.Context) error
		want    func(err error) bool
		told    string // to whoever reads it; "" nothing
	}{
		"done": {run: func(context.Context) error { return nil }, want: func(err error) bool { return err == nil }},
		"a fault of the program, once": {attempt: 1, run: func(context.Context) error { panic("no such index") },
			want: func(err error) bool {
				return errors.Is(err, errBroke) && !errors.As(err, &snooze) && !errors.As(err, &stopped)
			}},
		"and again": {attempt: 2, run: func(context.Context) error { panic("no such index") },
			want: func(err error) bool { return errors.As(err, &stopped) }, told: "no such index"},
		"the disk is full": {attempt: 4,
			run:  func(context.Context) error { return fmt.Errorf("writing: %w", store.ErrFull) },
			want: func(err error) bool { return errors.As(err, &snooze) && snooze.Duration == waitForRoom }},
		"the database is away": {attempt: 5, run: func(context.Context) error { return &pgconn.ConnectError{} },
			want: func(err error) bool { return errors.As(err, &snooze) && snooze.Duration == waitForDatabase }},
		"an error, not the last try": {attempt: 4, run: func(context.Context) error { return errors.New("odd") },
			want: func(err error) bool {
				return err != nil && !errors.As(err, &stopped)
			}},
		"an error at the last try": {attempt: 5, run: func(context.Context) error { return errors.New("odd") },
			want: func(err error) bool { return errors.As(err, &stopped) }, told: "odd"},
		"the database was lost": {life: gone, run: func(ctx context.Context) error { return ctx.Err() },
			want: func(err error) bool { return errors.As(err, &snooze) && snooze.Duration == 0 }},
		"stopped by hand": {ctx: byHand, run: func(ctx context.Context) error { return ctx.Err() },
			want: func(err error) bool { return errors.As(err, &stopped) }},
	} {
		if c.life == nil {
			c.life = alive
		}
		if c.ctx == nil {
			c.ctx = context.Background()
		}
		told := ""
		w := &worker[app.TidyArgs]{guard: guard{life: c.life, log: slog.New(slog.DiscardHandler)},
			run:    func(ctx context.Context, _ app.TidyArgs) error { return c.run(ctx) },
			failed: func(_ context.Context, _ app.TidyArgs, why string) error { told = why; return nil }}
		snooze, stopped = nil, nil
		err := w.Work(c.ctx, &river.Job[app.TidyArgs]{JobRow: &rivertype.JobRow{Attempt: c.attempt, MaxAttempts: 5}})
		if !c.want(err) {
			t.Errorf("%s: ends with %v", name, err)
		}
		if (told != "") != (c.told != "") || !strings.Contains(told, c.told) {
			t.Errorf("%s: told %q", name, told)
		}
	}
}
