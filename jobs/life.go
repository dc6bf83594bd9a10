package jobs

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"os"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// How a process is known to live: it looks after its own sign of life every beat
// and stops its work when that does not answer within patience; others take the
// work up when they saw no sign of life for lapse, by when it has stopped.
const (
	beat     = time.Second
	patience = 3 * time.Second
	lapse    = 10 * time.Second
)

// errLost ends the jobs of a process that lost its sign of life.
var errLost = errors.New("the database was lost: the work is given on")

// life is a process's sign of life: a lock of a session, which PostgreSQL lets go
// the moment the process or its connection is gone.
type life struct {
	id   string
	pool *pgxpool.Pool
	lock *pgxpool.Conn // nil while there is no sign of life

	mu     sync.Mutex
	lost   context.Context // ends with errLost when the sign of life is lost
	cancel context.CancelCauseFunc

	missed map[string]time.Time // since when others show none

	working sync.Map            // numbers of the jobs that are worked on here
	idle    map[int64]time.Time // since when jobs count as worked on here and are not
}

// works says that a job is worked on, until what it returns is called.
func (l *life) works(job int64) (done func()) {
	l.working.Store(job, true)
	return func() { l.working.Delete(job) }
}

// dropped reports whether a job counts as worked on by this process and is not: the
// database was away when its end was to be written down. jobs are all that count so.
func (l *life) dropped(job int64) bool {
	if _, ok := l.working.Load(job); ok {
		delete(l.idle, job)
		return false
	}
	if l.idle == nil {
		l.idle = map[int64]time.Time{}
	}
	since, ok := l.idle[job]
	if !ok {
		l.idle[job] = time.Now()
		return false
	}
	return time.Since(since) >= lapse
}

func lifeKey(id string) int64 {
	h := fnv.New64a()
	_, _ = h.Write([]byte("visator worker " + id))
	return int64(h.Sum64())
}

func (l *life) begin(ctx context.Context) error {
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	if _, err := conn.Exec(ctx, "select pg_advisory_lock($1)", lifeKey(l.id)); err != nil {
		conn.Release()
		return err
	}
	l.lock = conn
	l.mu.Lock()
	defer l.mu.Unlock()
	l.lost, l.cancel = context.WithCancelCause(context.Background())
	return nil
}

// check looks after the own sign of life. When it is lost all jobs of this process
// are stopped, at once, and a new one is asked for.
func (l *life) check(ctx context.Context) {
	soon, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if l.lock != nil {
		if l.lock.Ping(soon) == nil || ctx.Err() != nil {
			return
		}
		l.mu.Lock()
		l.cancel(errLost)
		l.mu.Unlock()
		_ = l.lock.Conn().Close(soon) // the lock goes with it, also when only the answer was late
		l.lock.Release()
		l.lock = nil // while the database is away there is none
		return
	}
	_ = l.begin(soon)
}

func (l *life) end() {
	if l.lock != nil {
		_, _ = l.lock.Exec(context.Background(), "select pg_advisory_unlock($1)", lifeKey(l.id))
		l.lock.Release()
		l.lock = nil
	}
}

// within is a context for a job, which ends when the sign of life is lost.
func (l *life) within(ctx context.Context) (context.Context, context.CancelFunc) {
	l.mu.Lock()
	lost := l.lost
	l.mu.Unlock()
	ctx, cancel := context.WithCancelCause(ctx)
	if lost == nil {
		return ctx, func() { cancel(nil) }
	}
	if lost.Err() != nil {
		cancel(errLost)
	}
	stop := context.AfterFunc(lost, func() { cancel(errLost) })
	return ctx, func() { stop(); cancel(nil) }
}

// gone reports whether another process has stopped: its lock is free, and it is a
// process of this machine that is no more, or the lock has been free for lapse.
func (l *life) gone(ctx context.Context, tx pgx.Tx, owner string) (bool, error) {
	var free bool
	if err := tx.QueryRow(ctx, "select pg_try_advisory_xact_lock($1)", lifeKey(owner)).Scan(&free); err != nil {
		return false, err
	}
	if !free {
		delete(l.missed, owner)
		return false, nil
	}
	if dead(owner) {
		return true, nil
	}
	if l.missed == nil {
		l.missed = map[string]time.Time{}
	}
	since, ok := l.missed[owner]
	if !ok {
		l.missed[owner] = time.Now()
		return false, nil
	}
	return time.Since(since) >= lapse, nil
}

// forget drops what is known of processes that have no jobs, and of jobs that ended.
func (l *life) forget(owners map[string]bool, jobs map[int64]bool) {
	for id := range l.idle {
		if !jobs[id] {
			delete(l.idle, id)
		}
	}
	for id := range l.missed {
		if !owners[id] {
			delete(l.missed, id)
		}
	}
}

// dead reports whether an owner was a process of this machine that is no more. A
// number that another program has now counts as gone too.
func dead(owner string) bool {
	rest, ok := strings.CutPrefix(owner, host()+"-")
	if !ok {
		return false
	}
	number, _, _ := strings.Cut(rest, "-")
	pid, err := strconv.Atoi(number)
	if err != nil || pid == os.Getpid() {
		return false // this process, by another pool of it
	}
	name, err := os.ReadFile(fmt.Sprintf("/proc/%d/comm", pid))
	if errors.Is(err, os.ErrNotExist) {
		_, proc := os.Stat("/proc/self")
		return proc == nil
	}
	own, mine := os.ReadFile("/proc/self/comm")
	return err == nil && mine == nil && !bytes.Equal(name, own)
}
