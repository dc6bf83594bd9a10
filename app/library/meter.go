package library

import (
	"context"
	"sync/atomic"

	"visator/store"
)

// Samples counts the samples of pictures that were taken since the program started.
var Samples atomic.Int64

// Age is how long the job of a queue has waited that waits longest.
type Age struct {
	Queue   string
	Seconds float64
}

// QueueAges are those of the queues in which something waits.
func QueueAges(ctx context.Context, q store.Querier) ([]Age, error) {
	return store.List[Age](ctx, q,
		"select queue, extract(epoch from now() - min(scheduled_at))::float8 from river_job "+
			"where state = 'available' and scheduled_at <= now() group by queue order by queue")
}
