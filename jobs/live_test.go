package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"visator/app"
	"visator/store/storetest"
)

// The sign of life is lost with the database: all work of the process ends at once,
// and only work that begins when there is a new one goes on.
func TestTheSignOfLifeOutlastsAnOutage(t *testing.T) {
	a := app.New(storetest.Open(t))
	p, err := Open(context.Background(), a, 1, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	l := &p.life
	if err := l.begin(t.Context()); err != nil {
		t.Fatal(err)
	}
	work, done := l.within(t.Context())
	defer done()
	l.check(t.Context())
	if work.Err() != nil {
		t.Fatal("work was stopped while there was a sign of life")
	}
	if err := storetest.Cluster().Stop(); err != nil {
		t.Fatal(err)
	}
	for range 3 {
		l.check(t.Context())
	}
	select {
	case <-work.Done():
	case <-time.After(10 * time.Second):
	}
	if l.lock != nil || !errors.Is(context.Cause(work), errLost) {
		t.Errorf("without a database there is a sign of life %v, and the work ended by %v", l.lock != nil,
			context.Cause(work))
	}
	late, ended := l.within(t.Context())
	defer ended()
	if late.Err() == nil {
		t.Error("work begins without a sign of life")
	}
	if err := storetest.Cluster().Restart(context.Background()); err != nil {
		t.Fatal(err)
	}
	l.check(t.Context())
	fresh, over := l.within(t.Context())
	defer over()
	if l.lock == nil || fresh.Err() != nil {
		t.Fatal("it does not come back")
	}
	l.end()
}

// A process that shows no sign of life counts as gone when it has had the time to
// notice that itself, and at once when it was of this machine and is no more.
func TestWhoIsGone(t *testing.T) {
	a := app.New(storetest.Open(t))
	l := &life{pool: a.Store.Pool}
	ask := func(owner string) (gone bool) {
		err := a.Store.Tx(t.Context(),
			func(tx pgx.Tx) (err error) { gone, err = l.gone(t.Context(), tx, owner); return err })
		if err != nil {
			t.Fatal(err)
		}
		return gone
	}
	far := "elsewhere-12-abc"
	if ask(far) {
		t.Error("gone at the first look")
	}
	l.missed[far] = time.Now().Add(-lapse)
	if !ask(far) {
		t.Error("not gone after its time")
	}
	other := &life{id: far, pool: a.Store.Pool}
	if err := other.begin(t.Context()); err != nil {
		t.Fatal(err)
	}
	if ask(far) || len(l.missed) != 0 {
		t.Error("gone while it shows a sign of life")
	}
	other.end()
	cmd := exec.Command("true")
	if err := cmd.Run(); err != nil {
		t.Fatal(err)
	}
	if !ask(fmt.Sprintf("%s-%d-x", host(), cmd.Process.Pid)) {
		t.Error("a process of this machine that is no more is waited for")
	}
	if ask(fmt.Sprintf("%s-%d-x", host(), os.Getpid())) {
		t.Error("this process counts as gone")
	}
	// A job that counts as worked on here and is not is noticed after its time.
	done := l.works(7)
	if l.dropped(7) || l.dropped(8) {
		t.Error("dropped at the first look")
	}
	l.idle[8] = time.Now().Add(-lapse)
	if !l.dropped(8) || l.dropped(7) {
		t.Error("which jobs are dropped")
	}
	done()
	if l.dropped(7) || len(l.idle) != 2 {
		t.Error("a job that has just ended")
	}
	l.forget(nil, map[int64]bool{7: true})
	if len(l.idle) != 1 {
		t.Errorf("%v", l.idle)
	}
	if beat+patience >= lapse {
		t.Error("work may be taken up before the first has stopped")
	}
}
