package app

import (
	"context"
	"sync/atomic"
	"time"

	"visator/store"
)

// What was done since the program started, for those who run it.
var (
	Edits   atomic.Int64 // edits that were kept
	Samples atomic.Int64 // of pictures
)

// Age is how long the job of a queue has waited that waits longest.
type Age struct {
	Queue   string
	Seconds float64
}

// QueueAges are those of the queues in which something waits.
func QueueAges(ctx context.Context, q store.Querier) ([]Age, error) {
	return store.List[Age](ctx, q, "select queue, extract(epoch from now() - min(scheduled_at))::float8 from river_job where state = 'available' and scheduled_at <= now() group by queue order by queue")
}

// MeasuringLag is how long the set that waits longest has not been measured as it
// is; 0 when none waits.
func (a *App) MeasuringLag() (lag time.Duration) {
	ws := &a.watches
	ws.mu.Lock()
	defer ws.mu.Unlock()
	for _, w := range ws.kept {
		w.mu.Lock()
		if w.running && !w.waits.IsZero() {
			lag = max(lag, time.Since(w.waits))
		}
		w.mu.Unlock()
	}
	return lag
}
